"""Where the application's own files lie."""

from __future__ import annotations

from functools import cache
from importlib import resources
from pathlib import Path


@cache
def data_folder() -> Path:
    """Profiles, materials, demo jobs, fonts, icons."""
    return Path(str(resources.files("underglass"))) / "data"
