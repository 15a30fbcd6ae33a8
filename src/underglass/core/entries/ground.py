"""What the jobs of every trade are read from: the file's top table, where it lies, and its unit."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from underglass.core.entries.checked import Table
from underglass.core.errors import UnusableFile
from underglass.core.language.source import read_bytes
from underglass.core.reading import PROGRAM_BYTES, read_regular
from underglass.core.units import MM_PER_INCH, Unit

OFFSET = re.compile(r"G5[4-9](\.1P([1-9]|[1-3]\d|4[0-8]))?|G59\.[123]")


@dataclass(frozen=True, slots=True, kw_only=True)
class Ground:
    """``top`` has lost what every job has; what is left is the trade's."""

    top: Table
    folder: Path
    units: Unit
    result_of: Callable[[Path], tuple[tuple[object, ...], str] | None] = lambda _path: None
    """What another job's run leaves: its stocks' histories and their material; None where that is no job of the same trade."""

    @property
    def scale(self) -> float:
        """From lengths of the file to mm."""
        return MM_PER_INCH if self.units == "inch" else 1.0


def offset_name(written: str) -> str:
    """A work offset's name without blanks, as the control has it."""
    return written.replace(" ", "").upper()


def offset_entry(part: Table, name: str) -> tuple[Table, str]:
    """A work offset's table, and its name as the control has it: "G54.1 P3" is G54.1P3."""
    if not OFFSET.fullmatch(offset_name(name)):
        raise part.bad(name, "work offsets are G54 to G59 and G54.1P1 to G54.1P48")
    entry = part.table(name)
    assert entry is not None
    return entry, offset_name(name)


def repeated(part: Table, zero: Mapping[str, object]) -> list[str]:
    """At which zeros a stock lies (``repeat_at``): G54 where nothing is said, or the first there is. Raises ``BadEntry``."""
    raw = part.raw("repeat_at")
    if raw is None:
        return ["G54" if "G54" in zero else next(iter(zero))]
    if not isinstance(raw, list) or not raw or not all(isinstance(n, str) for n in raw):
        raise part.bad("repeat_at", 'this must be a list of work offsets in quotes, as in ["G54", "G55"]')
    names = [offset_name(n) for n in raw]
    for k, name in enumerate(names):
        if name not in zero:
            raise part.bad("repeat_at", f"{name} has no entry in [zero]")
        if name in names[:k]:
            raise part.bad("repeat_at", f"{name} stands twice: one part stands at each zero")
    return names


def program_lines(folder: Path, name: str) -> tuple[str, ...]:
    """The program as it lies beside the job; nothing where it does not."""
    try:
        return read_bytes(read_regular(folder / name, PROGRAM_BYTES), name).lines
    except UnusableFile:
        return ()
