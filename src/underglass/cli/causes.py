"""``underglass why``: from what was measured at the machine back to the figure that explains it."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click

from underglass.cli.work import Failure, put
from underglass.core.files.load import load, read_program
from underglass.core.files.measured import answer_as_dict, answer_as_text, read_measured
from underglass.core.proof.prove import prove
from underglass.core.proof.safe import KEPT_MM, how_safe
from underglass.core.proof.which_line import least_change, shortest
from underglass.core.proof.why import why
from underglass.core.units import MM_PER_INCH, Unit


@click.command(name="why")
@click.argument("job", type=click.Path(path_type=Path))
@click.option(
    "--measured", "file", type=click.Path(path_type=Path), required=True, help="What was measured and seen, as TOML."
)
@click.option("--format", "form", type=click.Choice(["text", "json"]), default="text", show_default=True)
@click.option("--out", type=click.Path(path_type=Path), help="Write the answer here, not to stdout.")
def why_(job: Path, file: Path, form: str, out: Path | None) -> None:
    """Say which figure explains a part that came out wrong. Exit code 1 where nothing that was tried does."""
    read, source, _program = load(job)
    question = read_measured(file, read.units)
    answer = why(read, source, question)
    if form == "json":
        put(json.dumps(answer_as_dict(answer), indent=1, ensure_ascii=False) + "\n", out)
    else:
        put(answer_as_text(answer, read.units), out)
    sys.exit(0 if answer.causes else 1)


def _keeps(entries: tuple[str, ...], unit: Unit) -> dict[str, float]:
    """What people keep, from kind=figure."""
    out = {}
    for entry in entries:
        kind, eq, value = entry.partition("=")
        try:
            figure = float(value)
        except ValueError:
            figure = -1.0
        if not eq or kind not in KEPT_MM or not 0.0 <= figure < 1000.0:
            raise Failure(f"{entry}: write kind=figure, as in length=0.2; kinds are {', '.join(KEPT_MM)}")
        out[kind] = figure * (MM_PER_INCH if unit == "inch" else 1.0)
    return out


@click.command(name="safe")
@click.argument("job", type=click.Path(path_type=Path))
@click.option(
    "--keep",
    "entries",
    multiple=True,
    help="What is kept, as length=0.2 (length, work, radius, stock, geometry, clamp).",
)
@click.option("--least", type=float, default=1.0, show_default=True, help="The figure of merit the job is held to.")
@click.option("--format", "form", type=click.Choice(["text", "json"]), default="text", show_default=True)
def safe(job: Path, entries: tuple[str, ...], least: float, form: str) -> None:
    """Say by how much the whole setup may be out at once. Exit code 1 where the figure of merit is below the least."""
    read, source, _program = load(job)
    found = how_safe(read, source, _keeps(entries, read.units))
    if form == "json":
        first = found.first
        data = {
            "merit": round(found.merit, 3), "nothing_failed": found.most, "figures": found.figures, "proofs": found.proofs,
            "kept_mm": dict(found.kept), "alone": list(found.alone),
            "first": None if first is None else {
                "out_mm": {name: round(by, 4) for name, by in first.out}, "code": first.finding.code, "line": first.finding.line,
                "message": first.finding.message,
            },
        }  # fmt: skip
        put(json.dumps(data, indent=1, ensure_ascii=False) + "\n", None)
    else:
        put(f"{found.words(read.units)}\n{found.figures} figures, {found.proofs} runs tried.\n", None)
    sys.exit(0 if found.merit >= least else 1)


@click.command(name="shorten")
@click.argument("job", type=click.Path(path_type=Path))
@click.option("--code", help="The finding's code; left out: the worst there is.")
@click.option("--out", type=click.Path(path_type=Path), help="Write the short program here, not to stdout.")
def shorten(job: Path, code: str | None, out: Path | None) -> None:
    """The shortest piece of a program that still shows its worst finding, to send to somebody."""
    read, source, _program = load(job)
    troubles = [f for f in prove(read, source).to_mend if code is None or f.code == code]
    worst = max(troubles, key=lambda f: f.severity, default=None)
    found = shortest(read, source, worst) if worst is not None else None
    if found is None or worst is None:
        raise Failure(
            f"{job}: there is no such finding" if code else f"{job}: nothing is found, so there is nothing to show"
        )
    put("\n".join(found.source.lines) + "\n", out)
    click.echo(f"{len(found.lines)} of {len(source.lines)} lines: {found.finding.message}", err=True)


@click.command(name="mattered")
@click.argument("job", type=click.Path(path_type=Path))
@click.argument("old", type=click.Path(path_type=Path))
@click.option("--code", required=True, help="The code of the finding that came, or went.")
def mattered(job: Path, old: Path, code: str) -> None:
    """Which of the changes since OLD, a program of the same job, made a finding come or go."""
    read, source, _program = load(job)
    found = least_change(read, read_program(old), source, code)
    if found is None:
        raise Failure(f"{code}: both programs have it, or neither")
    for hunk in found.hunks:
        where = f"line {hunk.first + 1}" if len(hunk.old) <= 1 else f"lines {hunk.first + 1} to {hunk.last}"
        put(f"{where}\n" + "".join(f"  - {t}\n" for t in hunk.old) + "".join(f"  + {t}\n" for t in hunk.new), None)
