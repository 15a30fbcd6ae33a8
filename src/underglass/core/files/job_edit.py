"""Changing a job file in place: comments, order and everything else that is not meant stay as they are.

Glossary
    path    where an entry stands: names and, in lists, places counted from 0, as ("tool", 2, "DC")
    figure  a length in the file's own unit
"""

from __future__ import annotations

from collections.abc import Mapping, MutableMapping, MutableSequence
from itertools import pairwise
from typing import Any

import tomlkit
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AoT, Array, InlineTable

from underglass.core.errors import UnusableFile
from underglass.core.proof.fixes import RegisterFix
from underglass.core.proof.job import Job
from underglass.core.units import Unit, from_mm

_PLACES = 6
_INLINE = ("zero", "work", "shift")
"""Tables whose entries are written on one line, as ``G54 = { x = … }``."""


def as_figure(value_mm: float, unit: Unit) -> float:
    """A length as a job file in this unit holds it."""
    return round(from_mm(value_mm, unit), _PLACES) + 0.0


class JobEdit:
    """A job file's text that is being changed. Raises ``UnusableFile`` where the text is no TOML."""

    def __init__(self, text: str, file: str = "the job file") -> None:
        try:
            self._top = tomlkit.parse(text)
        except TOMLKitError:
            raise UnusableFile(file, "the job file was changed meanwhile and cannot be read any more") from None

    @property
    def text(self) -> str:
        return tomlkit.dumps(self._top)

    def get(self, *path: str | int) -> Any:
        """The entry at a path, None where there is none."""
        at: Any = self._top
        for step in path:
            if isinstance(step, int):
                if not isinstance(at, MutableSequence) or not 0 <= step < len(at):
                    return None
                at = at[step]
            elif isinstance(at, MutableMapping) and step in at:
                at = at[step]
            else:
                return None
        return at.unwrap() if hasattr(at, "unwrap") else at

    def put(self, value: Any, *path: str | int) -> None:
        """Set an entry; tables on the way to it are made where they are missing."""
        at: Any = self._top
        for step, after in pairwise(path):
            if isinstance(step, int):
                at = at[step]
                continue
            if step not in at:
                if at is self._top:
                    self._top.add(tomlkit.nl())
                made: Any = tomlkit.table()
                if isinstance(after, int):
                    made = tomlkit.array()
                elif isinstance(at, InlineTable) or step in _INLINE[2:]:
                    made = tomlkit.inline_table()
                at[step] = made
            at = at[step]
        last = path[-1]
        if isinstance(last, int) and isinstance(at, Array) and last >= len(at):
            at.append(value)
            return
        at[last] = _item(value) if isinstance(value, Mapping | list) else value

    def drop(self, *path: str | int) -> None:
        """Take an entry out; nothing where there is none. A table that becomes empty goes, too."""
        above = self._at(path[:-1])
        last = path[-1]
        if above is None or (isinstance(last, str) and last not in above):
            return
        del above[last]
        if len(path) > 1 and len(above) == 0:
            self.drop(*path[:-1])

    def _at(self, path: tuple[str | int, ...]) -> Any:
        at: Any = self._top
        for step in path:
            if isinstance(step, str) and step not in at:
                return None
            at = at[step]
        return at

    def add(self, name: str, entry: Mapping[str, Any]) -> int:
        """Another ``[[name]]`` behind those there are; its place."""
        found = self._top.get(name)
        if not isinstance(found, AoT):
            found = tomlkit.aot()
            self._top.append(name, found)
            found = self._top[name]
        assert isinstance(found, AoT)
        table = tomlkit.table()
        table.trivia.indent = "\n"
        for key, value in entry.items():
            table[key] = _item(value)
        found.append(table)
        return len(found) - 1

    def count(self, name: str) -> int:
        """How many ``[[name]]`` there are."""
        found = self._top.get(name)
        return len(found) if isinstance(found, MutableSequence) else 0


def add_at_stop(edit: JobEdit, job: Job, stop: int, key: str, by_mm: float, axis: str = "", note: str = "") -> None:
    """Correct a register at a stop by so much more: H2, D1 (``by_mm`` a radius), or an axis of a work offset."""
    place = next((k for k in range(edit.count("at_stop")) if edit.get("at_stop", k, "stop") == stop), None)
    if place is None:
        place = edit.add("at_stop", {"stop": stop})
    entry = edit.get("at_stop", place)
    add: dict[str, Any] = {
        name: dict(v) if isinstance(v, Mapping) else v for name, v in (entry.get("add") or {}).items()
    }
    scale = 2.0 if key.startswith("D") and job.control.d_register == "diameter" else 1.0
    by = as_figure(by_mm * scale, job.units)
    if axis:
        figures = dict(add.get(key) or {})
        figures[axis] = round(float(figures.get(axis, 0.0)) + by, _PLACES) + 0.0
        add[key] = figures
    else:
        add[key] = round(float(add.get(key, 0.0)) + by, _PLACES) + 0.0
    edit.put(add, "at_stop", place, "add")
    if note:
        edit.put(note, "at_stop", place, "note")


def drop_at_stop(edit: JobEdit, stop: int) -> None:
    """Take back all that is corrected at a stop."""
    for k in reversed(range(edit.count("at_stop"))):
        if edit.get("at_stop", k, "stop") == stop:
            edit.drop("at_stop", k)


def _item(value: Any) -> Any:
    if isinstance(value, Mapping):
        made = tomlkit.inline_table()
        for key, inner in value.items():
            made[key] = _item(inner)
        return made
    if isinstance(value, list | tuple):
        array = tomlkit.array()
        for inner in value:
            array.append(_item(inner))
        return array
    return value


def put_register(edit: JobEdit, job: Job, group: str, key: str, value: float | tuple[float, float, float]) -> None:
    """Put a sum of register and wear into the control, mm (a radius for D): the wear that is there stays."""
    if group == "work":
        assert isinstance(value, tuple)
        edit.put({axis: as_figure(v, job.units) for axis, v in zip("xyz", value)}, "registers", "work", key)
        return
    assert isinstance(value, float)
    worn = edit.get("registers", f"wear_{group}", key)
    scale = 2.0 if group == "radius" and job.control.d_register == "diameter" else 1.0
    edit.put(round(from_mm(value * scale, job.units) - float(worn or 0.0), _PLACES) + 0.0, "registers", group, key)


def set_register(text: str, fix: RegisterFix, job: Job) -> str:
    """A job file's text with a register set, in the file's own unit; wear that stands beside it is taken into account.

    Raises ``UnusableFile`` where the text is no TOML any more.
    """
    edit = JobEdit(text, job.file)
    put_register(edit, job, fix.group, fix.key, fix.after)
    return edit.text
