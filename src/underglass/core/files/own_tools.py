"""Tools of a trade that has a bench of its own, kept in a file of one's own or taken from another job: entries as a job file has them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Any, NamedTuple, Protocol

import tomlkit

from underglass.core.entries.checked import Table, read_toml_bytes
from underglass.core.errors import BadEntry
from underglass.core.reading import TEXT_BYTES, read_regular
from underglass.core.saving import write_whole
from underglass.core.units import MM_PER_INCH, Unit

_NO_LENGTHS = frozenset({"number", "orientation", "SIG", "KAPR", "angle", "NOF", "pierce_s"})


class Named(Protocol):
    """A tool as its trade reads it."""

    @property
    def number(self) -> int: ...

    @property
    def name(self) -> str: ...


class KeptTool(NamedTuple):
    """A tool's entry, in the unit that was asked for, with its number and name."""

    number: int
    name: str
    entry: dict[str, Any]


def in_unit(value: Any, factor: float, key: str = "") -> Any:
    """An entry with its lengths in another unit; numbers, angles and words stay."""
    if isinstance(value, Mapping):
        return {k: in_unit(v, factor, k) for k, v in value.items()}
    if isinstance(value, list):
        return [in_unit(v, factor, key) for v in value]
    if isinstance(value, bool) or not isinstance(value, int | float) or key in _NO_LENGTHS or factor == 1.0:
        return value
    return round(value * factor, 6)


def read_kept(path: Path, unit: Unit, check: Callable[[Table, float], Named]) -> list[KeptTool]:
    """The ``[[tool]]`` entries of a set or a job, each read by its trade first. Raises ``UnusableFile`` or ``BadEntry``."""
    raw = read_regular(path, TEXT_BYTES)
    top = read_toml_bytes(raw, str(path))
    theirs: Unit = "inch" if top.choice("units", ["mm", "inch"], "mm") == "inch" else "mm"
    scale = MM_PER_INCH if theirs == "inch" else 1.0
    factor = 1.0 if theirs == unit else (MM_PER_INCH if theirs == "inch" else 1.0 / MM_PER_INCH)
    plain = tomlkit.parse(raw.decode("utf-8-sig")).unwrap().get("tool", [])
    out = []
    for table, entry in zip(top.tables("tool"), plain):
        tool = check(table, scale)
        out.append(KeptTool(tool.number, tool.name, in_unit(entry, factor)))
    if not out:
        raise BadEntry(path=str(path), key="tool", line=1, why="this file has no tools")
    return out


def write_kept(path: Path, entries: Iterable[Mapping[str, Any]], unit: Unit) -> None:
    """A set of tools as a file of one's own. Raises ``UnusableFile``."""
    document = tomlkit.document()
    document["format"] = 1
    document["units"] = unit
    tools = tomlkit.aot()
    for entry in entries:
        table = tomlkit.table()
        for key, value in entry.items():
            table[key] = tomlkit.item(value)
        tools.append(table)
    document["tool"] = tools
    write_whole(path, tomlkit.dumps(document).encode())
