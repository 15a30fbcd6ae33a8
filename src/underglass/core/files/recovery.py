"""What was typed and not saved, kept beside the program's name so that a kill loses a few seconds at most.

A kept text is two files in a folder of the application: ``KEY.SESSION.nc`` with the program's bytes as saving would write
them, and ``KEY.SESSION.json`` that says whose they are. A session is one window: it writes and clears only its own, so two
windows never share one, and what an ended session left stays until it is taken or refused.

Glossary
    session   one window's name, and the lock that it holds as long as it lives
    left      kept by a session that has ended
"""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
import time
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from platformdirs import user_state_path

from underglass.core.errors import UnderGlassError
from underglass.core.reading import PROGRAM_BYTES, TEXT_BYTES, read_regular
from underglass.core.saving import clear_stale, write_whole


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A text kept for a program; ``when`` in seconds since 1970. ``file`` is what says so."""

    program: Path
    opened: Path
    data: bytes
    when: float
    file: Path = Path()


class Session:
    """A window's own name among those that keep; alive as long as it holds its lock."""

    def __init__(self, folder: Path) -> None:
        self.name = uuid.uuid4().hex[:12]
        self._lock: IO[bytes] | None = None
        try:
            self._path = folder / f"{self.name}.lock"
            self._lock = open(self._path, "wb")  # noqa: SIM115
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._lock = None

    def end(self) -> None:
        """What it still keeps is left for whoever comes next."""
        if self._lock is not None:
            self._lock.close()
            self._lock = None
            self._path.unlink(missing_ok=True)


def _alive(folder: Path, session: str) -> bool:
    """Whether a session holds its lock."""
    path = folder / f"{session}.lock"
    if not session or not path.exists():
        return False
    try:
        with open(path, "rb") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return False
    except OSError:
        return True


def recovery_folder() -> Path:
    """Where kept texts lie; made when it is not there, and cleared of what a killed save left."""
    folder = user_state_path("underglass") / "kept"
    folder.mkdir(parents=True, exist_ok=True)
    clear_stale(folder)
    for lock in folder.glob("*.lock"):
        if not _alive(folder, lock.stem):
            lock.unlink(missing_ok=True)
    return folder


def _key(program: Path) -> str:
    return hashlib.sha256(os.fsencode(str(program.resolve()))).hexdigest()[:24]


def _file(folder: Path, program: Path, session: str) -> Path:
    return folder / (f"{_key(program)}.{session}.json" if session else f"{_key(program)}.json")


def keep(folder: Path, program: Path, opened: Path, data: bytes, session: str = "") -> None:
    """Keep a program's unsaved bytes. Raises ``UnusableFile`` where that cannot be done."""
    file = _file(folder, program, session)
    write_whole(file.with_suffix(".nc"), data)
    said = {"program": str(program.resolve()), "opened": str(opened.resolve()), "when": time.time()}
    write_whole(file, json.dumps(said).encode())


def let_go(folder: Path, program: Path, session: str = "") -> None:
    """The program is saved, or its changes are given up: this session keeps nothing for it any more."""
    drop(_file(folder, program, session))


def drop(file: Path) -> None:
    """What is kept in a file was taken or refused."""
    for suffix in (".nc", ".json"):
        file.with_suffix(suffix).unlink(missing_ok=True)


def kept_for(folder: Path, program: Path) -> Kept | None:
    """The newest that was left for a program; None where nothing was, or where the file holds the same by now."""
    try:
        key = _key(program)
    except (OSError, ValueError):
        return None
    return next((kept for kept in all_kept(folder) if kept.file.name.startswith(f"{key}.")), None)


def _read(path: Path) -> Kept | None:
    try:
        said = json.loads(read_regular(path, TEXT_BYTES))
        program, opened, when = said["program"], said["opened"], said["when"]
        if not (isinstance(program, str) and isinstance(opened, str) and isinstance(when, int | float)):
            return None
        data = read_regular(path.with_suffix(".nc"), PROGRAM_BYTES)
        kept = Kept(program=Path(program), opened=Path(opened), data=data, when=float(when), file=path)
        if "\0" in program or "\0" in opened:
            return None
    except (ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError, UnderGlassError):
        return None
    try:
        same = read_regular(kept.program, PROGRAM_BYTES) == kept.data
    except UnderGlassError:
        same = False
    return None if same else kept


def all_kept(folder: Path) -> list[Kept]:
    """Everything that was left, newest first; what a living window keeps is its own."""
    found = []
    for path in folder.glob("*.json"):
        session = path.name.split(".")[1] if path.name.count(".") == 2 else ""
        if not _alive(folder, session):
            kept = _read(path)
            if kept is not None:
                found.append(kept)
    return sorted(found, key=lambda kept: -kept.when)
