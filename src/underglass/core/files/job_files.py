"""The files that a job names beside its program: meshes, a target shape, profiles of one's own."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from underglass.core.files.job_edit import JobEdit
from underglass.core.files.profiles import shipped


def _named(edit: JobEdit) -> Iterator[tuple[str | int, ...]]:
    """Where a job names files."""
    yield ("stock", "mesh")
    yield ("proof", "target")
    for k in range(edit.count("fixture")):
        yield ("fixture", k, "mesh")
    yield ("machine",)
    yield ("control",)


def companions(edit: JobEdit) -> list[str]:
    """The names of the files that the job needs beside its program; shipped profiles are none."""
    out = []
    for path in _named(edit):
        name = edit.get(*path)
        if isinstance(name, str) and not (path[0] in ("machine", "control") and name in shipped(str(path[0]))):
            out.append(name)
    return list(dict.fromkeys(out))


def companion_names(edit: JobEdit, taken: set[str]) -> dict[str, str]:
    """What each companion is called where all of them lie beside the job: two of one name, from two folders, stay two."""
    used, out = set(taken), {}
    for name in companions(edit):
        new, k = Path(name).name, 2
        while new in used:
            new, k = f"{Path(name).stem}-{k}{Path(name).suffix}", k + 1
        used.add(new)
        out[name] = new
    return out


def rename_companion(edit: JobEdit, name: str, new: str = "") -> None:
    """The file lies beside the job now, under its own name or a new one."""
    for path in _named(edit):
        if edit.get(*path) == name:
            edit.put(new or Path(name).name, *path)
