"""Writing a file so that it is never half there: beside it first, then in its place at one stroke."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from underglass.core.errors import UnusableFile

_MARK = ".saving"


def is_read_only(path: Path) -> bool:
    """Whether somebody has marked a file as not to be written."""
    try:
        return path.exists() and not path.stat().st_mode & 0o222
    except (OSError, ValueError):
        return False


def write_whole(path: Path, data: bytes, *, over_read_only: bool = False) -> None:
    """Replace the file's contents. Keeps its permissions. Raises ``UnusableFile``; the old file then stays as it was."""
    try:
        target = path.resolve()
        if target.exists() and not target.is_file():
            raise UnusableFile(str(path), "not saved: this is a device or a folder, not a file")
        if not over_read_only and is_read_only(target):
            raise UnusableFile(str(path), "not saved: this file is read-only")
        handle, name = tempfile.mkstemp(
            prefix=f".{target.name[:100]}.", suffix=f".{os.getpid()}{_MARK}", dir=target.parent
        )
        try:
            with os.fdopen(handle, "wb") as out:
                out.write(data)
                out.flush()
                os.fsync(out.fileno())
            if target.exists():
                os.chmod(name, target.stat().st_mode & 0o777)
            else:
                os.chmod(name, 0o644)
            os.replace(name, target)
        except OSError:
            Path(name).unlink(missing_ok=True)
            raise
    except OSError as error:
        raise UnusableFile(str(path), f"not saved: {(error.strerror or 'cannot be written').lower()}") from None
    except ValueError:
        raise UnusableFile(str(path), "not saved: this is no name that a file can have") from None


def clear_stale(folder: Path) -> None:
    """Take away what saves that were killed have left in a folder."""
    try:
        left = [p for p in folder.glob(f".*{_MARK}") if p.is_file()]
    except OSError:
        return
    for path in left:
        pid = path.name.removesuffix(_MARK).rpartition(".")[2]
        if pid.isdigit() and not Path(f"/proc/{pid}").exists():
            try:
                path.unlink()
            except OSError:
                continue
