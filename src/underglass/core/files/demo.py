"""The demo jobs that ship with the application."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

from underglass.core.data import data_folder
from underglass.core.errors import UnusableFile


def demo_names() -> list[str]:
    return sorted(p.name.removesuffix(".job.toml") for p in (data_folder() / "demo").glob("*.job.toml"))


def copy_demo(name: str, folder: Path | None = None) -> Path:
    """A shipped demo job's copy in a scratch folder; the path of its job file."""
    if name not in demo_names():
        raise UnusableFile(name, f"there is no such demo; there are {', '.join(demo_names())}")
    target = folder or Path(tempfile.mkdtemp(prefix="underglass-"))
    shutil.copytree(data_folder() / "demo", target, dirs_exist_ok=True)
    return target / f"{name}.job.toml"
