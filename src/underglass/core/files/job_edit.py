"""Changing a job file in place: comments, order and everything else that is not meant stay as they are."""

from __future__ import annotations

from collections.abc import MutableMapping
from typing import Any

import tomlkit
from tomlkit.exceptions import TOMLKitError

from underglass.core.errors import UnusableFile
from underglass.core.proof.fixes import RegisterFix
from underglass.core.proof.job import Job
from underglass.core.units import from_mm

_PLACES = 6


def _table(parent: MutableMapping[str, Any], name: str) -> MutableMapping[str, Any]:
    if name not in parent:
        parent[name] = tomlkit.table()
    found = parent[name]
    assert isinstance(found, MutableMapping)
    return found


def set_register(text: str, fix: RegisterFix, job: Job) -> str:
    """A job file's text with a register set, in the file's own unit; wear that stands beside it is taken into account.

    Raises ``UnusableFile`` where the text is no TOML any more.
    """
    try:
        document = tomlkit.parse(text)
    except TOMLKitError:
        raise UnusableFile(job.file, "the job file was changed meanwhile and cannot be read any more") from None
    registers = _table(document, "registers")
    if fix.group == "work":
        assert isinstance(fix.after, tuple)
        entry = tomlkit.inline_table()
        entry.update({axis: round(from_mm(v, job.units), _PLACES) for axis, v in zip("xyz", fix.after)})
        _table(registers, "work")[fix.key] = entry
        return tomlkit.dumps(document)
    assert isinstance(fix.after, float)
    worn = registers.get(f"wear_{fix.group}", {}).get(fix.key, 0.0)
    scale = 2.0 if fix.group == "radius" and job.control.d_register == "diameter" else 1.0
    value = round(from_mm(fix.after * scale, job.units) - float(worn), _PLACES)
    _table(registers, fix.group)[fix.key] = value
    return tomlkit.dumps(document)
