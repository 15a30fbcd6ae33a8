"""Bytes of a file that a person names: only regular files, and only up to a stated size."""

from __future__ import annotations

import os
import stat
from pathlib import Path

from underglass.core.errors import UnusableFile

MB = 1_000_000
PROGRAM_BYTES = 256 * MB
"""A program of ten million blocks."""
TEXT_BYTES = 4 * MB
"""A job, a profile, a table of tools: ten thousand entries."""
MESH_BYTES = 512 * MB
"""A mesh of ten million triangles in binary."""
DRAWING_BYTES = 64 * MB


def read_regular(path: Path, most: int) -> bytes:
    """A regular file's bytes. Raises ``UnusableFile`` for a device, a pipe, a folder, and what is larger than ``most``."""
    try:
        state = os.stat(path)
        if stat.S_ISDIR(state.st_mode):
            raise UnusableFile(str(path), "this is a folder, not a file")
        if not stat.S_ISREG(state.st_mode):
            raise UnusableFile(str(path), "this is a device or a pipe; only files are read")
        if state.st_size > most:
            raise UnusableFile(
                str(path), f"this file has {state.st_size / MB:.0f} MB; {most // MB} MB are the most that is read"
            )
        with open(path, "rb") as file:
            data = file.read(most + 1)
    except OSError as error:
        raise UnusableFile(str(path), (error.strerror or "cannot be read").lower()) from None
    except ValueError:
        raise UnusableFile(str(path), "this is no name that a file can have") from None
    if len(data) > most:
        raise UnusableFile(str(path), f"this file grows while it is read; {most // MB} MB are the most that is read")
    return data
