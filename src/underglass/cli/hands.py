"""``underglass rehearse`` and ``underglass practice``: what was done at the stand-in machine, and the jobs to learn by."""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

import click

from underglass.cli.work import Failure, put
from underglass.core.files.load import load
from underglass.core.files.practice import KINDS, Practice, answer_of, judge, practice_folders, read_practice, take
from underglass.core.files.rehearsal import checksum, read_rehearsal
from underglass.core.machine.checking import Verdict, solved
from underglass.core.machine.passing import Told
from underglass.core.machine.rehearsal import do_again
from underglass.core.machine.stand import Stand
from underglass.core.proof.prove import prove
from underglass.core.units import show_clock


@click.command(name="rehearse")
@click.argument("job", type=click.Path(path_type=Path))
@click.argument("rehearsal", type=click.Path(path_type=Path))
@click.option("--format", "form", type=click.Choice(["text", "json"]), default="text", show_default=True)
@click.option("--out", type=click.Path(path_type=Path), help="Write the report here, not to stdout.")
def rehearse(job: Path, rehearsal: Path, form: str, out: Path | None) -> None:
    """Do again what was done at the stand-in machine, and tell what came of it. Exit code 1 where it ends in an alarm."""
    read, source, _program = load(job)
    kept = read_rehearsal(rehearsal)
    if kept.checksum != checksum(source):
        click.echo("The rehearsal is of another program: it may not fit this one.", err=True)
    said: list[tuple[float, Told]] = []

    def note(stand: Stand, told: tuple[Told, ...]) -> None:
        said.extend((stand.clock_s, one) for one in told)

    stand = do_again(read, source, kept, each=note)
    removed = float(sum(h.removed.sum() for h in stand.course.proof.histories))
    alarm = stand.alarm.said if stand.alarm is not None else ""
    if form == "json":
        rows = [{"time_s": round(t, 3), "kind": one.kind, "said": one.said, "line": one.line} for t, one in said]
        data = {
            "job": str(job), "actions": len(kept.done), "time_s": stand.clock_s, "parts": stand.parts, "alarm": alarm,
            "machine_mm": list(stand.place), "removed_mm3": removed, "told": rows,
        }  # fmt: skip
        put(json.dumps(data, indent=1, ensure_ascii=False) + "\n", out)
    else:
        lines = [f"{show_clock(t):>8}  {one.said}" for t, one in said]
        lines.append(
            f"{len(kept.done)} actions in {show_clock(stand.clock_s)}: {stand.parts} made, {removed:.0f} mm3 removed"
        )
        lines.append(f"Alarm: {alarm}" if alarm else "No alarm.")
        put("\n".join(lines) + "\n", out)
    sys.exit(1 if alarm else 0)


def _found(name: str) -> Practice:
    """By its name, or the folder that it lies in."""
    folder = Path(name)
    if (folder / "practice.toml").exists():
        return read_practice(folder)
    for one in practice_folders():
        if one.name == name:
            return read_practice(one)
    raise Failure(f"{name}: there is no such practice job; underglass practice list names them")


def _said(verdicts: tuple[Verdict, ...]) -> list[str]:
    return [f"  {'yes' if v.holds else 'no '}  {v.said}" for v in verdicts]


@click.group(name="practice")
def practice() -> None:
    """Practice jobs: list them, lay one out, check what was made of it, try a job of your own."""


@practice.command(name="list")
def list_() -> None:
    """Every practice job by kind."""
    jobs = [read_practice(folder) for folder in practice_folders()]
    for kind, words in KINDS.items():
        click.echo(words)
        for one in jobs:
            if one.kind == kind:
                click.echo(f"  {one.name:28} {one.title}")


@practice.command(name="take")
@click.argument("name")
@click.argument("folder", type=click.Path(path_type=Path))
def take_(name: str, folder: Path) -> None:
    """Lay a practice job out in a folder."""
    job = _found(name)
    click.echo(f"{take(job, folder)}\n{job.task}")


@practice.command(name="check")
@click.argument("name")
@click.argument("job", type=click.Path(path_type=Path))
def check_(name: str, job: Path) -> None:
    """Check what was made of a practice job. Exit code 0 where it is solved."""
    one = _found(name)
    read, source, _program = load(job)
    with tempfile.TemporaryDirectory() as scratch:
        given = take(one, Path(scratch) / "given")
        verdicts = judge(one, given, prove(read, source), answer_of(one, Path(scratch) / "answer"))
    click.echo("\n".join(_said(verdicts)))
    click.echo(one.learned if solved(verdicts) else "Not solved.")
    sys.exit(0 if solved(verdicts) else 1)


@practice.command(name="try")
@click.argument("name")
def try_(name: str) -> None:
    """Try a practice job itself: what is given must be refused, the right repair taken, each wrong one refused."""
    one = _found(name)
    bad = 0
    with tempfile.TemporaryDirectory() as scratch:
        room = Path(scratch)
        given, answer = take(one, room / "given"), answer_of(one, room / "answer")
        rows = [("as it is given", (), False), ("the right repair", one.right, True)]
        rows += [(f"wrong: {w.says or w.put}", (w,), False) for w in one.wrong]
        for words, extra, wanted in rows:
            if words == "the right repair" and one.wanted.made:
                continue  # it is made at the machine
            read, source, _program = load(take(one, room / "tried", one.changes + extra))
            verdicts = judge(one, given, prove(read, source), answer)
            right = solved(verdicts) == wanted
            bad += not right
            click.echo(f"{'as it should be' if right else 'NOT AS IT SHOULD BE'}: {words}")
            click.echo("\n".join(_said(verdicts)))
    sys.exit(1 if bad else 0)
