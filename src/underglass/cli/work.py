"""What the commands share: finding jobs, loading them, proving several at once."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import click

from underglass.core.errors import UnderGlassError
from underglass.core.files.load import load
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
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
            inside = sorted(path.rglob("*.job.toml"))
            if not inside:
                raise Failure(f"{path}: there is no job (*.job.toml) in this folder")
            out.extend(inside)
        elif not path.exists():
            raise Failure(f"{path}: there is no such file")
        else:
            out.append(path)
    return out


def _proved(path: Path) -> Proof:
    return prove(*load(path)[:2])


def checked(jobs: list[Path]) -> list[Proof]:
    """Every job proved, on as many cores as there are when there are several."""
    loaded = [load(path) for path in jobs]
    if len(loaded) == 1:
        return [prove(*loaded[0][:2])]
    with ProcessPoolExecutor() as pool:
        return list(pool.map(_proved, jobs))


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
