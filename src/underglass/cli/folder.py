"""How far a folder of jobs is, for whoever sits at the terminal."""

from __future__ import annotations

import sys
from collections.abc import Iterator

import click

from underglass.core.files.folder import Came


def with_progress(found: Iterator[Came], count: int) -> list[Came]:
    """All of them; with a bar on stderr where a person looks at it."""
    if count < 2 or not sys.stderr.isatty():
        return list(found)
    out = []
    with click.progressbar(found, length=count, file=sys.stderr, label="jobs", show_pos=True) as bar:
        for one in bar:
            out.append(one)
    return out
