"""A simulated memory stick: a folder, read as a control reads one. It stands in for the real one and ships with files of its own.

A control lists what has its extension and no second one, by upper-case names cut to what it can show; the rest it does
not see.
"""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from pathlib import Path

from underglass.core.data import data_folder
from underglass.core.errors import UnusableFile
from underglass.core.language.handover import TWO_EXTENSIONS, FileHabits, Made, fitted_name
from underglass.core.saving import write_whole

ROOM = 1_440_000
"""Bytes on it: a small one, for what does not fit has to be said, too."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Listed:
    """A file as the control lists it; ``seen`` False: it does not, and ``why`` says why."""

    name: str
    size: int
    seen: bool
    why: str = ""


def plug_in(folder: Path) -> Path:
    """The stick's folder; filled with what ships with the application where it is not there yet. Raises ``UnusableFile``."""
    try:
        if not folder.exists():
            folder.parent.mkdir(parents=True, exist_ok=True)
            shutil.copytree(data_folder() / "stick", folder)
    except OSError as error:
        raise UnusableFile(str(folder), (error.strerror or "cannot be made").lower()) from None
    return folder


def listing(folder: Path, habits: FileHabits) -> tuple[Listed, ...]:
    """Everything on the stick, by name. Raises ``UnusableFile``."""
    try:
        files = sorted(
            (p for p in folder.iterdir() if p.is_file() and not p.name.startswith(".")), key=lambda p: p.name.lower()
        )
        sizes = [p.stat().st_size for p in files]
    except OSError as error:
        raise UnusableFile(str(folder), (error.strerror or "cannot be read").lower()) from None
    out = []
    wanted = habits.extension.lower()
    for path, size in zip(files, sizes):
        _name, troubles = fitted_name(path.name, habits)
        why = ""
        if any(t.code == TWO_EXTENSIONS for t in troubles):
            why = "two extensions"
        elif wanted and path.suffix.lower() != wanted:
            why = f"not {habits.extension}"
        elif habits.longest_name and len(path.stem) > habits.longest_name:
            why = f"name over {habits.longest_name} letters"
        out.append(Listed(name=path.name, size=size, seen=not why, why=why))
    return tuple(out)


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrived:
    """What came of sending: the file's path and what was read back from the stick."""

    path: Path
    same: bool
    lines: int
    size: int
    seen: bool


def send(folder: Path, made: Made, habits: FileHabits) -> Arrived:
    """Write a file to the stick and read it back. Raises ``UnusableFile``, as when there is no room left."""
    path = folder / made.name
    used = sum(item.size for item in listing(folder, habits) if item.name != made.name)
    if used + len(made.data) > ROOM:
        short = used + len(made.data) - ROOM
        raise UnusableFile(str(path), f"the stick is full: {short} bytes too many")
    write_whole(path, made.data)
    try:
        back = path.read_bytes()
    except OSError as error:
        raise UnusableFile(str(path), (error.strerror or "cannot be read back").lower()) from None
    seen = any(item.name == made.name and item.seen for item in listing(folder, habits))
    end = {"crlf": b"\r\n", "lf": b"\n", "cr": b"\r"}[habits.line_ends]
    return Arrived(path=path, same=back == made.data, lines=back.count(end), size=len(back), seen=seen)
