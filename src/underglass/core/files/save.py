"""Writing a file so that it is never half there: beside it first, then in its place at one stroke."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from underglass.core.errors import UnusableFile


def write_whole(path: Path, data: bytes) -> None:
    """Replace the file's contents. Keeps its permissions. Raises ``UnusableFile``; the old file then stays as it was."""
    try:
        target = path.resolve()
        handle, name = tempfile.mkstemp(prefix=f".{target.name}.", dir=target.parent)
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
