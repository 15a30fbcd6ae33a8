"""What the commands share: finding jobs, and putting out what was made."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import click

from underglass.core.errors import UnderGlassError
from underglass.core.files.folder import jobs_in
from underglass.core.saving import write_whole


@dataclass(slots=True)
class Failure(UnderGlassError):
    """A command that cannot do what was asked, in one sentence."""

    why: str

    def __str__(self) -> str:
        return self.why


def gather(paths: Iterable[Path]) -> list[Path]:
    """The jobs meant: a folder stands for every job in it."""
    out: list[Path] = []
    for path in paths:
        if path.is_dir():
            inside = jobs_in(path)
            if not inside:
                raise Failure(f"{path}: there is no job (*.job.toml) in this folder")
            out.extend(inside)
        elif not path.exists():
            raise Failure(f"{path}: there is no such file")
        else:
            out.append(path)
    return out


def put(text: str, out: Path | None) -> None:
    if out is None:
        try:
            click.echo(text, nl=False)
            sys.stdout.flush()
        except BrokenPipeError:
            raise
        except OSError as error:
            raise Failure(f"the report cannot be written: {(error.strerror or 'no room').lower()}") from None
        return
    write_whole(out, text.encode("utf-8", "surrogateescape"))
