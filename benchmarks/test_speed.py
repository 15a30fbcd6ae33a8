"""How fast: read the ratios, not the milliseconds. `make bench`."""

from __future__ import annotations

import resource
import time
from collections.abc import Callable, Iterator

import numpy as np
import pytest
from tests.conftest import PLAIN_JOB, START, write_job

from underglass.core.bench.frame import Frame
from underglass.core.bench.solid import Solid
from underglass.core.bench.tool import Tool
from underglass.core.files.demo import copy_demo
from underglass.core.files.job import read_job
from underglass.core.files.load import load
from underglass.core.language.source import read_lines, read_text
from underglass.core.proof.prove import control_for, prove
from underglass.core.removal.field import make_field
from underglass.core.removal.history import MAY_TOUCH, StockHistory, cut
from underglass.core.removal.sweep import sweep_move
from underglass.core.removal.toolpath import TipPath, make_tool_table, one_step_a_move

NAN = (float("nan"), float("nan"))
FIELD = Solid(name="field", shape="box", size=(100.0, 100.0, 20.0), frame=Frame())
MILL = Tool(number=1, kind="end-mill", DC=10.0, length=80.0, APMX=25.0, stickout=45.0, shank=10.0)


def short_moves(count: int) -> TipPath:
    rng = np.random.default_rng(0)
    steps = rng.normal(size=(count, 3)) * (1.0, 1.0, 0.1)
    places = np.clip(np.cumsum(np.vstack([[[50, 50, 15]], steps]), axis=0) % (100, 100, 20), (0, 0, 10), (100, 100, 19))
    near = np.linalg.norm(np.diff(places, axis=0), axis=1) < 5.0
    start, end = places[:-1].copy(), places[1:].copy()
    end[~near] = start[~near]
    return one_step_a_move(start, end, np.tile(NAN, (count, 1)), np.zeros(count), np.zeros(count, np.int32))


def level_sweep_ns() -> tuple[float, float]:
    """(kernel, np.minimum) ns a touched cell, on the same rectangle of cells, in the same run."""
    field = make_field(FIELD, 0.1)
    dirty = np.zeros(field.grid.tiles, np.uint8)
    centre = np.array(NAN)
    times, cells = [], 0
    for k in range(60):
        a, b = np.array([10.0, 50.0, 19.0 - 0.1 * k]), np.array([90.0, 50.0, 19.0 - 0.1 * k])
        began = time.perf_counter()
        _taken, cells, _deepest = sweep_move(
            field.h, field.owner, dirty, 0.1, a, b, centre, 0.0, 1.0, 5.0, 5.0, 0.0, 0.0, k, 0, 1
        )
        times.append(time.perf_counter() - began)
    plain = np.full((100, cells // 100), 20.0, np.float32)
    lower = np.empty_like(plain)
    compare = []
    for k in range(60):
        lower[:] = 19.0 - 0.1 * k
        began = time.perf_counter()
        np.minimum(plain, lower, out=plain)
        compare.append(time.perf_counter() - began)
    return float(np.median(times)) / cells * 1e9, float(np.median(compare)) / plain.size * 1e9


def test_kernel_beside_numpy(benchmark) -> None:  # type: ignore[no-untyped-def]
    level_sweep_ns()
    kernel, plain = benchmark.pedantic(level_sweep_ns, rounds=5)
    print(f"\nkernel {kernel:.2f} ns a touched cell, np.minimum {plain:.2f} ns: {kernel / plain:.1f} times")


def wandering() -> StockHistory:
    path = short_moves(10_000)
    table = make_tool_table([MILL], 80.0)
    return cut(make_field(FIELD, 0.1), path, table, np.full(len(path), MAY_TOUCH, np.uint8))


def test_ten_thousand_short_moves_on_a_field_of_a_million(benchmark) -> None:  # type: ignore[no-untyped-def]
    history = benchmark.pedantic(wandering, rounds=5, warmup_rounds=1)
    print(f"\n{len(history.frames)} keyframes, {history.kept_bytes / 1e6:.1f} MB")


def moments() -> Iterator[float]:
    history = wandering()
    cursor = history.cursor()
    rng = np.random.default_rng(1)
    for move in rng.integers(0, len(history.path), 300):
        began = time.perf_counter()
        cursor.go(int(move), 0.5)
        yield time.perf_counter() - began


def test_moment_to_moment(benchmark) -> None:  # type: ignore[no-untyped-def]
    next(iter(moments()))
    spent = benchmark.pedantic(lambda: np.array(list(moments())), rounds=1) * 1000.0
    print(f"\nmoment to moment at random: median {np.median(spent):.1f} ms, worst {spent.max():.1f} ms")


def test_the_demo_from_file_to_findings(benchmark, tmp_path) -> None:  # type: ignore[no-untyped-def]
    path = copy_demo("vent-bracket", tmp_path)
    benchmark.pedantic(lambda: prove(*load(path)[:2]), rounds=5, warmup_rounds=1)


def _places(blocks: int) -> str:
    rng = np.random.default_rng(2)
    places = rng.uniform((0, 0, -3), (100, 60, 0), size=(blocks, 3)).round(3)
    return "".join(f"X{x} Y{y} Z{z}\n" for x, y, z in places.tolist())


def _trochoids(blocks: int) -> str:
    """Lines and half turns by turns, every one with its own G."""
    along = np.linspace(0.0, 80.0, blocks // 4).round(3).tolist()
    return "".join(f"G1 X{x:.3f} Y24.\nG2 X{x + 1:.3f} I.5 J0\nG1 Y20.\nG3 X{x:.3f} I-.5 J0\n" for x in along)


@pytest.mark.parametrize("made", [_places, _trochoids])
@pytest.mark.parametrize("blocks", [100_000])
def test_plain_blocks(benchmark, tmp_path, blocks: int, made: Callable[[int], str]) -> None:  # type: ignore[no-untyped-def]
    text = START + "G17\nG1 F800\n" + made(blocks) + "M30\n"
    job = read_job(write_job(tmp_path, text, PLAIN_JOB))
    source = read_text(text)
    from tests.conftest import MillControl as Control

    benchmark.pedantic(
        lambda: Control(job.control, job.bench.machine, job.registers).run(source.lines), rounds=3, warmup_rounds=1
    )


def test_window_start_warm(benchmark, tmp_path) -> None:  # type: ignore[no-untyped-def]
    """From the command to a window with the demo proved and drawn still, a fresh process each time."""
    import subprocess
    import sys

    def start() -> None:
        subprocess.run(
            [sys.executable, "-m", "underglass", "demo", "--picture", str(tmp_path / "w.png")],
            check=True,
            capture_output=True,
        )

    benchmark.pedantic(start, rounds=3, warmup_rounds=1)


def test_frames(benchmark, tmp_path) -> None:  # type: ignore[no-untyped-def]
    """One whole picture of the glass at 600 x 640, and one at half resolution."""
    import moderngl

    from underglass.app.glass.camera import Camera
    from underglass.app.glass.renderer import Renderer
    from underglass.app.glass.stage import Stage
    from underglass.app.style.palette import DAY

    proof = prove(*load(copy_demo("vent-bracket", tmp_path))[:2])
    renderer, stage = Renderer(moderngl.create_standalone_context(backend="egl", require=330)), Stage()
    stage.set_proof(proof)
    stage.go(proof.timing.total)
    stage.send(renderer)
    camera = Camera().fitted(*stage.bounds(), 600, 640)

    def draw(width: int, height: int) -> float:
        target = renderer.picture(width, height, f"{width}")
        began = time.perf_counter()
        renderer.draw(target, width, height, stage.picture(camera.turned(1.0, 0.0), stage.look(DAY), DAY))
        renderer.context.finish()
        return time.perf_counter() - began

    draw(600, 640)
    whole = benchmark.pedantic(lambda: draw(600, 640), rounds=10)
    half = min(draw(300, 320) for _ in range(10))
    print(f"\nframe {whole * 1000:.0f} ms, half resolution {half * 1000:.0f} ms")


@pytest.mark.parametrize("at", [50, 50_000, 99_900])
def test_one_edited_line_in_100_000(benchmark, at: int) -> None:  # type: ignore[no-untyped-def]
    """Only the control: what an edit costs before anything is cut."""
    job, _source, _file = load(copy_demo("vent-bracket"))
    lines = ["G21 G90 G0 X0 Y0 Z0", "G1 F300", *(f"X{k % 90}.{k % 7} Y{k % 50}." for k in range(100_000)), "M30"]
    old = control_for(job).run(lines)
    edited = (*lines[:at], "X1. Y1.", *lines[at + 1 :])
    benchmark.pedantic(lambda: control_for(job).run(edited, old=old), rounds=10, iterations=1)


# -- ball finishing, an edit near its end, and another library's way ---------------------------------------------------------


def finishing(rows: int = 100, columns: int = 100) -> str:
    """A waved surface of 100 x 100 mm, back and forth with a ball, as a program."""
    out = [START.replace("X-20. Y-20.", "X0 Y0"), "Z5.\nG1 F2000\n"]
    for row in range(rows):
        y = row * 100.0 / rows
        xs = np.linspace(0.0, 100.0, columns + 1)[:: -1 if row % 2 else 1]
        out += [f"X{x:.3f} Y{y:.3f} Z{-3 + 2 * np.sin(x / 15) * np.cos(y / 15):.4f}\n" for x in xs]
    return "".join(out) + "G0 Z50.\nM5\nM30\n"


BALL_JOB = (
    PLAIN_JOB.replace("[100.0, 60.0, 20.0]", "[100.0, 100.0, 20.0]")
    .replace("cell = 0.25", "cell = 0.1")
    .replace('kind = "end-mill"\nDC = 10.0', 'kind = "ball-end"\nDC = 6.0')
)


def test_ball_finishing_file_to_findings(benchmark, tmp_path) -> None:  # type: ignore[no-untyped-def]
    """10,000 blocks on 1000 x 1000 cells of 0.1 mm."""
    text = finishing()
    path = write_job(tmp_path, text, BALL_JOB)

    def whole() -> None:
        prove(*load(path)[:2])

    benchmark.pedantic(whole, rounds=5, iterations=1, warmup_rounds=1)


def test_an_edit_near_the_end_of_10_000(benchmark, tmp_path) -> None:  # type: ignore[no-untyped-def]
    """Text to findings and cut, with the proof before the edit at hand."""
    text = finishing()
    path = write_job(tmp_path, text, BALL_JOB)
    job, source, _file = load(path)
    before = prove(job, source)
    lines = text.split("\n")
    lines[-60] = "X50. Y50. Z-4."
    edited = read_text("\n".join(lines), "plain.nc")
    benchmark.pedantic(lambda: prove(job, edited, before=before), rounds=10, iterations=1, warmup_rounds=1)


def test_against_hulls_subtracted(benchmark) -> None:  # type: ignore[no-untyped-def]
    """The same 400 moves as hulls of a ball's two ends, subtracted one by one by manifold3d: time a move, as a ratio."""
    import manifold3d as m3

    ball = Tool(number=1, kind="ball-end", DC=6.0, length=80.0, APMX=25.0, stickout=45.0, shank=6.0)
    path = short_moves(400)
    table = make_tool_table([ball], 80.0)
    forbid = np.full(400, MAY_TOUCH, dtype=np.uint8)
    field = make_field(FIELD, 0.1)
    cut(field, path, table, forbid)
    took = []
    for _ in range(5):
        began = time.perf_counter()
        cut(field, path, table, forbid)
        took.append(time.perf_counter() - began)
    ours = min(took)

    def hulls() -> None:
        sphere = m3.Manifold.sphere(3.0, 48)
        solid = m3.Manifold.cube([100.0, 100.0, 20.0])
        for k in range(400):
            ends = [sphere.translate([*p[:2], p[2] + 3.0]) for p in (path.start[k], path.end[k])]
            solid = solid - m3.Manifold.batch_hull(ends)
        solid.volume()

    benchmark.pedantic(hulls, rounds=1, iterations=1)
    benchmark.extra_info["times as fast"] = round(benchmark.stats["min"] / ours, 1)
    print(
        f"\n400 moves: ours {ours * 1000:.1f} ms, hulls {benchmark.stats['min'] * 1000:.0f} ms, {benchmark.stats['min'] / ours:.0f} times"
    )


def test_a_million_moves_in_one_pass(benchmark, tmp_path) -> None:  # type: ignore[no-untyped-def]
    """Text to findings; the peak of the process is printed."""
    import resource

    head = START.replace("X-20. Y-20.", "X0 Y0") + "Z0.\nG1 F2000\n"
    k = np.arange(1_000_000)
    x, y = (k % 1000) / 10.0, (k // 1000) % 600 / 10.0
    text = (
        head
        + "\n".join(f"X{a:.1f} Y{b:.1f} Z{-0.5 - (n % 7) / 10:.1f}" for n, (a, b) in enumerate(zip(x, y)))
        + "\nG0 Z50.\nM30\n"
    )
    job = read_job(write_job(tmp_path, "M30\n"))
    source = read_text(text, "million.nc")
    benchmark.pedantic(lambda: prove(job, source), rounds=1, iterations=1)
    print(f"\npeak {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.2f} GB")


def _wavy(rows: int, along: int) -> str:
    """A raster of short slanted moves over a wavy face."""
    lines, y = [START + "G1 Z-3. F900"], 1.0
    for r in range(rows):
        for k in range(along) if r % 2 == 0 else reversed(range(along)):
            x = 1.0 + 0.4 * k
            z = -4.0 + 1.5 * np.sin(x / 9.0) + np.cos(y / 7.0)
            lines.append(f"X{x:.3f} Y{y:.3f} Z{z:.3f}")
        y += 58.0 / rows
    return "\n".join([*lines, "G0 Z50.", "M30", ""])


@pytest.mark.parametrize("rows", [410])
def test_a_raster_of_100_000_blocks_of_a_ball(benchmark, tmp_path, rows: int) -> None:  # type: ignore[no-untyped-def]
    """A ball of 6 mm on cells of 0.1 mm, 0.4 mm a block, from file to findings."""
    job = (
        PLAIN_JOB.replace("cell = 0.25", "cell = 0.1")
        .replace('"end-mill"', '"ball-end"', 1)
        .replace("DC = 10.0", "DC = 6.0", 1)
    )
    path = write_job(tmp_path, _wavy(rows, 245), job)
    prove(*load(path)[:2])
    done = benchmark.pedantic(lambda: prove(*load(path)[:2]), rounds=2, iterations=1)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    print(f"\n{len(done.motions):,} blocks; peak {peak:.2f} GB")


def test_one_block_appended_to_100_000_to_findings(benchmark, tmp_path) -> None:  # type: ignore[no-untyped-def]
    body = "".join(f"X{k * 7 % 900 / 10:.3f} Y{k * 3 % 500 / 10:.3f}\n" for k in range(100_000))
    text = START + "G0 X0 Y0\nG1 Z-1. F900\n" + body
    job = read_job(write_job(tmp_path, "M30\n"))
    before = prove(job, read_text(text + "M30\n", "plain.nc"))
    # As the window hands it over: the lines that were there are the same ones.
    after = read_lines([*before.source.lines[:-1], "X55.", "M30"], "plain.nc")
    benchmark.pedantic(lambda: prove(job, after, before=before), rounds=10, warmup_rounds=1, iterations=1)
