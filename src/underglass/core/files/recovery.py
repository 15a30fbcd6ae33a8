"""What was typed and not saved, kept beside the program's name so that a kill loses a few seconds at most.

A kept text is two files in a folder of the application: ``KEY.nc`` with the program's bytes as saving would write them,
and ``KEY.json`` that says whose they are. They go when the program is saved or let go.
"""

from __future__ import annotations

import hashlib
import json
import time
from dataclasses import dataclass
from pathlib import Path

from platformdirs import user_state_path

from underglass.core.errors import UnderGlassError
from underglass.core.files.save import write_whole


@dataclass(frozen=True, slots=True)
class Kept:
    """A text kept for a program; ``when`` in seconds since 1970."""

    program: Path
    opened: Path
    data: bytes
    when: float


def recovery_folder() -> Path:
    """Where kept texts lie; made when it is not there."""
    folder = user_state_path("underglass") / "kept"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def _key(program: Path) -> str:
    return hashlib.sha256(str(program.resolve()).encode("utf-8", "surrogatepass")).hexdigest()[:24]


def keep(folder: Path, program: Path, opened: Path, data: bytes) -> None:
    """Keep a program's unsaved bytes. Raises ``UnusableFile`` where that cannot be done."""
    key = _key(program)
    write_whole(folder / f"{key}.nc", data)
    said = {"program": str(program.resolve()), "opened": str(opened.resolve()), "when": time.time()}
    write_whole(folder / f"{key}.json", json.dumps(said).encode())


def let_go(folder: Path, program: Path) -> None:
    """The program is saved, or its changes are given up: nothing is kept for it any more."""
    for suffix in (".nc", ".json"):
        (folder / f"{_key(program)}{suffix}").unlink(missing_ok=True)


def kept_for(folder: Path, program: Path) -> Kept | None:
    """What is kept for a program; None where nothing is, or where the file holds the same by now."""
    return _read(folder / f"{_key(program)}.json")


def _read(path: Path) -> Kept | None:
    try:
        said = json.loads(path.read_text())
        kept = Kept(Path(said["program"]), Path(said["opened"]), path.with_suffix(".nc").read_bytes(), said["when"])
    except (OSError, ValueError, KeyError, TypeError, UnderGlassError):
        return None
    try:
        same = kept.program.read_bytes() == kept.data
    except OSError:
        same = False
    return None if same else kept


def all_kept(folder: Path) -> list[Kept]:
    """Everything that is kept, newest first."""
    found = [kept for path in folder.glob("*.json") if (kept := _read(path)) is not None]
    return sorted(found, key=lambda kept: -kept.when)
