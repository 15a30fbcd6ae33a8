"""Checksums over files that are handed over together, in the form that `sha256sum -c` reads."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from pathlib import Path


def checksums(paths: Iterable[Path]) -> bytes:
    """A line a file: SHA-256, two spaces, the file's name. Raises ``OSError``."""
    return "".join(f"{hashlib.sha256(path.read_bytes()).hexdigest()}  {path.name}\n" for path in paths).encode()
