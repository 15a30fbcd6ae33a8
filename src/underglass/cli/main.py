"""The command line: the same core without a window, and the door to the window."""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Sequence
from datetime import date
from pathlib import Path

import click

from underglass import __version__
from underglass.cli.causes import mattered, safe, shorten, why_
from underglass.cli.chart import chart
from underglass.cli.fill import fill
from underglass.cli.folder import with_progress
from underglass.cli.hands import practice, rehearse
from underglass.cli.work import Failure, gather, put
from underglass.core.data import data_folder
from underglass.core.entries.mesh import WRITTEN, write_mesh
from underglass.core.errors import UnderGlassError
from underglass.core.files.compare_html import comparison_page
from underglass.core.files.demo import copy_demo
from underglass.core.files.drawn import outlines_as_dxf, path_as_dxf, path_as_svg
from underglass.core.files.folder import FORMS, as_report, look_at_all
from underglass.core.files.load import load
from underglass.core.files.report import (
    comparison_as_dict,
    comparison_as_text,
    path_as_csv,
    path_as_json,
    restart_as_text,
    summary_as_dict,
    summary_as_text,
)
from underglass.core.files.setup_sheet import setup_sheet
from underglass.core.finding import Severity
from underglass.core.memory import keep_pages
from underglass.core.proof import measure as measuring
from underglass.core.proof.compare import compare_runs
from underglass.core.proof.measure import Surface, heights, moves_done_after, part_mesh
from underglass.core.proof.outputs import outputs_of
from underglass.core.proof.prove import prove
from underglass.core.proof.rest import rest_from
from underglass.core.proof.restart import restart
from underglass.core.proof.two_runs import prove_both
from underglass.core.saving import write_whole
from underglass.core.units import MM_PER_INCH

_PATHS = {"csv": path_as_csv, "json": path_as_json, "svg": path_as_svg, "dxf": path_as_dxf}
_SCRIPTS = ("before-commit", "build-server")
_LEVELS = {"crash": Severity.CRASH, "fault": Severity.FAULT, "caution": Severity.CAUTION}


@click.group(context_settings={"help_option_names": ["-h", "--help"]}, invoke_without_command=True)
@click.version_option(__version__, prog_name="underglass")
@click.pass_context
def cli(context: click.Context) -> None:
    """Prove a CNC program against what is really clamped, before a machine runs it.

    Without a command: open the window, with FILE if one is given.
    """
    if context.invoked_subcommand is None:
        _window(None)


def _window(path: Path | None) -> None:
    from underglass.app.start import run_window

    sys.exit(run_window(path))


@cli.command(name="open", hidden=True)
@click.argument("file", type=click.Path(path_type=Path))
def open_(file: Path) -> None:
    """Open the window with a job or a bare program."""
    if not file.exists():
        raise Failure(f"{file}: there is no such file")
    _window(file)


@cli.command()
@click.argument("name", required=False, default="vent-bracket-slip")
@click.option(
    "--picture", type=click.Path(path_type=Path), help="Write a picture of the window to this file and close."
)
def demo(name: str, picture: Path | None) -> None:
    """Open the window with a shipped demo job (a copy, so the shipped one stays clean)."""
    job = copy_demo(name)
    from underglass.app.start import run_window

    sys.exit(run_window(job, picture))


def _also(entries: tuple[str, ...]) -> dict[str, Path]:
    """Further forms of a report and where they go."""
    out = {}
    for entry in entries:
        form, eq, file = entry.partition("=")
        if not eq or form not in FORMS or not file:
            raise Failure(f"{entry}: write FORM=FILE; forms are {', '.join(FORMS)}")
        out[form] = Path(file)
    return out


@cli.command()
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option(
    "--format", "form", type=click.Choice(["text", "json", "sarif", "html"]), default="text", show_default=True
)
@click.option("--out", type=click.Path(path_type=Path), help="Write the report here, not to stdout.")
@click.option("--fail-on", type=click.Choice(list(_LEVELS)), default="fault", show_default=True)
@click.option(
    "--robust", type=float, help="Also fail where the whole setup bears less than so many times what people keep."
)
@click.option("--brief", is_flag=True, help="Text: only the table, a line a job.")
@click.option(
    "--also", multiple=True, metavar="FORM=FILE", help="Write another form of the report as well, as html=jobs.html."
)
@click.option("--cores", type=click.IntRange(min=1), help="Use so many cores, not all there are.")
def check(
    files: tuple[Path, ...],
    form: str,
    out: Path | None,
    fail_on: str,
    robust: float | None,
    brief: bool,
    also: tuple[str, ...],
    cores: int | None,
) -> None:
    """Prove jobs without a window. A folder means every job in it; a bare program is proved with guesses.

    Of several jobs a table of outcomes is the last of the text. A job that cannot be used does not stop the others.
    """
    jobs = gather(files)
    more = _also(also)
    came = with_progress(look_at_all(jobs, (form, *more), robust is not None, cores), len(jobs))
    came.sort(key=lambda c: jobs.index(c.path))
    alone = len(files) == 1 and not files[0].is_dir()
    for one in came:
        if one.why and alone:
            raise Failure(one.why)
        if one.why:
            click.echo(f"underglass: {one.why}", err=True)
        if one.merit_said:
            click.echo(f"{one.path}: {one.merit_said}", err=True)
    put(as_report(came, form, alone=alone, brief=brief), out)
    for other, file in more.items():
        put(as_report(came, other, alone=alone), file)
    if any(c.why for c in came):
        sys.exit(2)
    weak = any(c.merit is not None and c.merit < (robust or 0.0) for c in came)
    sys.exit(1 if max(c.severity for c in came) >= _LEVELS[fail_on] or weak else 0)


@cli.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.option("--point", "points", type=float, nargs=2, multiple=True, help="X Y in part-zero coordinates.")
@click.option("--step", type=float, nargs=4, help="X Y X Y: how much higher the second place is than the first.")
@click.option("--section", "cut", type=float, nargs=4, help="X Y X Y: the profile along a line, as distance and Z.")
@click.option("--across", "wide", type=float, nargs=4, help="X Y Z and a direction in degrees: from wall to wall.")
@click.option("--diameter", "about", type=float, nargs=3, help="X Y Z: the hole or boss about a place, at a height.")
@click.option("--z", "levels", type=float, multiple=True, help="On a lathe: outer and inner diameter at this Z.")
@click.option("--at", "line", type=int, help="After this line, not at the end.")
def measure(
    job: Path,
    points: tuple[tuple[float, float], ...],
    step: tuple[float, float, float, float] | None,
    cut: tuple[float, float, float, float] | None,
    wide: tuple[float, float, float, float] | None,
    about: tuple[float, float, float] | None,
    levels: tuple[float, ...],
    line: int | None,
) -> None:
    """Measure the stock like a part, in part-zero coordinates of G54 and the job's units.

    --point answers a line "x y z" a point, z = nan off the stock; --z a line "z outer inner" (and further rings) a Z.
    """
    if not (points or step or cut or wide or about or levels):
        raise click.UsageError(
            "say what to measure: --point, --step, --section, --across or --diameter; on a lathe --z"
        )
    loaded, source, _file = load(job)
    scale = MM_PER_INCH if loaded.units == "inch" else 1.0
    proof = prove(loaded, source)

    def said(value: float) -> str:
        return "nan" if value != value else f"{round(value / scale, 5) + 0.0:.9g}"

    own = outputs_of(proof)
    if own is not None and own.rings is not None and (points or step or cut or wide or about):
        raise Failure(f"{job}: a turned part is measured by --z, which gives its diameters there")
    if own is not None and own.metal is not None and (step or cut or wide or about):
        raise Failure(f"{job}: a sheet is measured by --point, which says whether there is metal there")
    if levels and (own is None or own.rings is None):
        raise Failure(
            f"{job}: --z measures turned parts; measure this one by --point{', --step, --section, --across or --diameter' if own is None else ''}"
        )
    for z in levels:
        assert own is not None and own.rings is not None
        rings = own.rings(proof, z * scale, line) or [(math.nan, math.nan)]
        click.echo(f"{z:g} {' '.join(f'{said(a)} {said(b)}' for a, b in rings)}")
    if own is not None and own.metal is not None and points:
        there = own.metal(proof, [(x * scale, y * scale) for x, y in points], line)
        for (x, y), metal in zip(points, there.tolist()):
            click.echo(f"{x:g} {y:g} {'0' if metal else 'nan'}")
    if own is not None:
        return
    surface = Surface(proof, line)
    if points:
        found = heights(proof, [(x * scale, y * scale) for x, y in points], line)
        for (x, y), z in zip(points, found):
            click.echo(f"{x:g} {y:g} {said(z)}")
    if step:
        a, b, c, d = (v * scale for v in step)
        click.echo(said(measuring.step(surface, (a, b), (c, d))))
    if cut:
        a, b, c, d = (v * scale for v in cut)
        for reach, z in measuring.section(surface, (a, b), (c, d)).tolist():
            click.echo(f"{said(reach)} {said(z)}")
    if wide:
        click.echo(said(measuring.across(surface, (wide[0] * scale, wide[1] * scale), wide[3], wide[2] * scale)))
    if about:
        circle = measuring.diameter(surface, (about[0] * scale, about[1] * scale), about[2] * scale)
        if circle is None:
            raise Failure("there is no closed wall about this place at this height")
        kind = "hole" if circle.hole else "boss"
        click.echo(f"{kind} {said(circle.diameter)} at {said(circle.x)} {said(circle.y)}")


@cli.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.option("--at", "line", type=int, help="After this line, not at the end.")
@click.option(
    "-o",
    "--out",
    type=click.Path(path_type=Path),
    required=True,
    help="A .stl, .ply or .3mf file to write; of a sheet a .dxf, too.",
)
def part(job: Path, line: int | None, out: Path) -> None:
    """The stock after the run (or just after a line) as STL, PLY or 3MF, in part-zero coordinates, mm; of a sheet its outlines as DXF, too."""
    drawn = out.suffix.lower() == ".dxf"
    if not drawn and out.suffix.lower() not in WRITTEN:
        raise Failure(f"{out}: a part is written as {', '.join(WRITTEN)}")
    loaded, source, _file = load(job)
    proof = prove(loaded, source)
    own = outputs_of(proof)
    if drawn:
        if own is None or own.outlines is None:
            raise Failure(f"{out}: only a sheet has outlines to draw; this part is written as {', '.join(WRITTEN)}")
        done = len(proof.motions) if line is None else moves_done_after(proof, line)
        put(outlines_as_dxf(own.outlines(proof, done - 1, 1.0)), out)
        return
    vertices, faces = own.part(proof, line) if own is not None else part_mesh(proof, line)
    write_mesh(out, vertices, faces, loaded.title)


@cli.command()
@click.argument("job_a", type=click.Path(path_type=Path))
@click.argument("job_b", type=click.Path(path_type=Path))
@click.option("--format", "form", type=click.Choice(["text", "json", "html"]), default="text", show_default=True)
@click.option("--out", type=click.Path(path_type=Path), help="Write it here, not to stdout.")
def compare(job_a: Path, job_b: Path, form: str, out: Path | None) -> None:
    """Same part or not: the volume that differs, where, and how path and time differ. Exit code 1: not the same part."""
    (one, source_a, _a), (two, source_b, _b) = load(job_a), load(job_b)
    try:
        proofs = prove_both(one, source_a, two, source_b)
        found = compare_runs(*proofs)
    except ValueError as problem:
        raise Failure(str(problem)) from None
    if form == "json":
        put(json.dumps(comparison_as_dict(found, job_a.name, job_b.name), indent=1, ensure_ascii=False) + "\n", out)
    elif form == "html":
        put(comparison_page(*proofs, found, date.today().isoformat()), out)
    else:
        put(comparison_as_text(found), out)
    sys.exit(0 if found.same_part else 1)


@cli.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.option("--format", "form", type=click.Choice(list(_PATHS)), default="csv", show_default=True)
@click.option("--out", type=click.Path(path_type=Path), help="Write the moves here, not to stdout.")
def path(job: Path, form: str, out: Path | None) -> None:
    """The moves as the control makes them."""
    put(_PATHS[form](prove(*load(job)[:2], cut=False)), out)


@cli.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.option("--format", "form", type=click.Choice(["text", "json"]), default="text", show_default=True)
def summary(job: Path, form: str) -> None:
    """The program at a glance: extents, margins to the stock, tools, offsets, registers, speeds and feeds."""
    proof = prove(*load(job)[:2], cut=False)
    if form == "json":
        click.echo(json.dumps(summary_as_dict(proof), indent=1, ensure_ascii=False))
    else:
        click.echo(summary_as_text(proof), nl=False)


@cli.command(name="restart")
@click.argument("job", type=click.Path(path_type=Path))
@click.option("--line", type=click.IntRange(min=1), help="The line to start from.")
@click.option(
    "--contour",
    type=click.IntRange(min=1),
    help="Sheet: the contour to go on with, by its number in the order of cutting.",
)
@click.option(
    "-o", "--out", type=click.Path(path_type=Path), help="With --contour: write the rest as a program of its own."
)
def restart_(job: Path, line: int | None, contour: int | None, out: Path | None) -> None:
    """What a start from a line in the middle needs: the state before it, and what must be sent first.

    With --contour, what is left of a nest from one contour on, loops and subprograms written out.
    """
    if (line is None) == (contour is None):
        raise Failure("say either --line or --contour")
    proof = prove(*load(job)[:2], cut=False)
    if contour is not None:
        try:
            rest = rest_from(proof, contour)
        except ValueError as problem:
            raise Failure(f"{proof.source.name}: {problem}") from None
        if rest.why:
            raise Failure(f"contour {contour}, line {rest.line}: {rest.why}")
        if out is None:
            click.echo("\n".join(rest.lines))
        else:
            write_whole(out, ("\n".join(rest.lines) + "\n").encode())
            click.echo(f"{out}: contour {contour} of {rest.of} and what comes after it, {len(rest.lines)} blocks")
        return
    assert line is not None
    if line > len(proof.source.lines):
        raise Failure(f"{proof.source.name} has {len(proof.source.lines)} lines, not {line}")
    click.echo(restart_as_text(restart(proof, line)), nl=False)


@cli.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.option("-o", "--out", type=click.Path(path_type=Path), required=True, help="The file: .pdf or .html.")
@click.option("--template", type=click.Path(path_type=Path), help="The shop's own HTML template.")
@click.option("--shop", default="", help="The shop's name on the sheet.")
@click.option("--logo", default="", help="A picture beside it.")
def sheet(job: Path, out: Path, template: Path | None, shop: str, logo: str) -> None:
    """Write the setup sheet: what is clamped, zeros, tools with their registers, times, stops, findings."""
    from underglass.core.files.setup_pdf import write_sheet  # slow to take in

    loaded, source, program = load(job)
    made = setup_sheet(prove(loaded, source), date.today().isoformat(), shop=shop, logo=logo, program=program)
    write_whole(out, write_sheet(made, out, template))


@cli.command()
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
@click.option("--cards", is_flag=True, help="The demos' pictures on the first page, instead.")
def shots(folder: Path, cards: bool) -> None:
    """Write the documentation's pictures, from the demo data."""
    from underglass.app.shots import take_cards, take_shots

    for written in take_cards(folder) if cards else take_shots(folder):
        click.echo(str(written))


@cli.command()
@click.argument("which", type=click.Choice(list(_SCRIPTS)))
def script(which: str) -> None:
    """Print a ready script: for a hook that proves what is about to be committed, or for a build server."""
    click.echo((data_folder() / "scripts" / which).read_text("utf-8"), nl=False)


@cli.command(hidden=True)
def warm() -> None:
    """Compile every kernel now, so that nobody waits for it later."""
    from underglass.core.files.warming import warm_up

    warm_up()


cli.add_command(fill)
cli.add_command(rehearse)
cli.add_command(practice)
for _more in (chart, why_, safe, shorten, mattered):
    cli.add_command(_more)


def main(arguments: Sequence[str] | None = None) -> None:
    """Entry point. Exit 2 with one sentence on stderr for anything that cannot be used."""
    keep_pages()
    given = list(sys.argv[1:] if arguments is None else arguments)
    if given and not given[0].startswith("-") and given[0] not in cli.commands:
        given.insert(0, "open")
    try:
        cli.main(args=given, prog_name="underglass")
    except UnderGlassError as error:
        click.echo(f"underglass: {error}", err=True)
        sys.exit(2)
    except BrokenPipeError:
        sys.exit(0)
