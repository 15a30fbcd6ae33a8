"""Turning cycles: each all of what is known of it in one value, and the moves it makes.

Passes, lifts and ways back are common practice, no source. Places here are machine coordinates, X as a radius, mm.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

from underglass.core.control import compensated, feeds, motion, moving
from underglass.core.control.block_words import BlockWords
from underglass.core.control.cycles import CYCLES, BoundCycle, Cycle
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Kind
from underglass.core.control.state import Vector
from underglass.core.control.words import g_key
from underglass.core.language.block import Block, read_block
from underglass.core.trades.turning import contour, roughing, threads
from underglass.core.trades.turning.inputs import LATHE_INPUTS, Told, is_absolute, read, signed

Run = Callable[[Desk, BlockWords, BoundCycle, Told], None]

_ONCE = ("x", "z", "u", "w", "taper", "feed")


def passes(total: float, step: float) -> Iterator[float]:
    """How deep each pass stands: equal ones and a smaller last one. 2.84 in passes of 0.4 are eight, the last 0.04."""
    total = abs(total)
    count = max(1, math.ceil(total / step - 1e-6)) if step > 0.0 else 1
    for k in range(1, count + 1):
        yield min(k * step, total) if k < count else total


def rapid(c: Desk, block: Block, x: float | None = None, z: float | None = None) -> None:
    """At rapid, the axes named."""
    end = (c.at[0] if x is None else x, c.at[1], c.at[2] if z is None else z)
    moving.go(c, Kind.CYCLE_RAPID, block, end, math.nan)


def feed(c: Desk, block: Block, x: float | None = None, z: float | None = None) -> None:
    """At feed, the axes named."""
    end = (c.at[0] if x is None else x, c.at[1], c.at[2] if z is None else z)
    moving.go(c, Kind.CYCLE_FEED, block, end, c.feed_of(math.dist(c.at, end)))


def _corner(c: Desk, told: Told) -> Vector:
    """The far corner that a block names, machine coordinates; an axis that it does not name stays."""
    s, e = c.modal.shift, c.modal.mapping.shift
    x, z = c.at[0], c.at[2]
    if "x" in told:
        x = told["x"] + s[0] + e[0]
    elif "u" in told:
        x += told["u"]
    if "z" in told:
        z = told["z"] + s[2] + e[2]
    elif "w" in told:
        z += told["w"]
    return (x, c.at[1], z)


_ANY_BLOCK = frozenset("GMNOTXYZFS")


def _told_otherwise(b: BlockWords, made: BoundCycle) -> str:
    """What to do where a block tells a cycle by letters that this control does not have for it."""
    other = sorted(set(b.letters) - _ANY_BLOCK - {letter for _name, letter, _said in made.inputs})
    if not other:
        return ""
    return f"; where your control tells this cycle by {' '.join(other)}, bind these letters in a copy of its profile"


def _turn_passes(c: Desk, b: BlockWords, made: BoundCycle, told: Told, *, facing: bool = False) -> None:
    block, (x0, _y, z0) = b.block, c.at
    deep, along = ("z", "x") if facing else ("x", "z")
    start = {"x": x0, "z": z0}
    s, e = c.modal.shift, c.modal.mapping.shift
    zero = {"x": s[0] + e[0], "z": s[2] + e[2]}
    total, length = (
        signed(made, "total", told.get("total", 0.0), -1.0),
        signed(made, "length", told.get("length", 0.0), -1.0),
    )
    if is_absolute(made, "total"):
        total = told.get("total", 0.0) + zero[deep] - start[deep]
    if is_absolute(made, "length"):
        length = told.get("length", 0.0) + zero[along] - start[along]
    step = abs(told.get("pass", 0.0))
    if not total or not length or not step:
        c.find_span(
            "cycle-incomplete", b, b.g_word("motion"), f"{c.modal.motion} needs how much comes off, how long the cut is and the depth of a pass",
            f"give {made.letter('total')}, {made.letter('length')} and {made.letter('pass')}{_told_otherwise(b, made)}",
        )  # fmt: skip
        return
    feeds.check_feed(c, b)
    lift = c.profile.pecks.lift
    for depth in passes(total, step):
        if not c.work(block):
            return
        at = start[deep] + math.copysign(depth, total)
        far = start[along] + length
        rapid(c, block, **{deep: at})
        feed(c, block, **{along: far})
        feed(c, block, **{deep: at - math.copysign(lift, total), along: far - math.copysign(lift, length)})
        rapid(c, block, **{along: start[along]})
    rapid(c, block, x=x0, z=z0)


def _face_passes(c: Desk, b: BlockWords, made: BoundCycle, told: Told) -> None:
    _turn_passes(c, b, made, told, facing=True)


def _once(c: Desk, b: BlockWords, told: Told) -> Told:
    """What a cycle that stays in force was told before, with what this block tells it."""
    new = dict(told)
    kept = dict(c.inputs)
    for one, other in (("x", "u"), ("z", "w")):
        if one in new or other in new:
            kept.pop(one, None)
            kept.pop(other, None)
    whole = {**kept, **new}
    c.inputs = {k: v for k, v in whole.items() if k not in ("u", "w", "feed")}
    return whole


def _turn_once(c: Desk, b: BlockWords, _made: BoundCycle, told: Told) -> None:
    block, (x0, _y, z0) = b.block, c.at
    told = _once(c, b, told)
    x, _y, z = _corner(c, told)
    feeds.check_feed(c, b)
    rapid(c, block, x=x + told.get("taper", 0.0))
    feed(c, block, x=x, z=z)
    feed(c, block, x=x0)
    rapid(c, block, z=z0)


def _face_once(c: Desk, b: BlockWords, _made: BoundCycle, told: Told) -> None:
    block, (x0, _y, z0) = b.block, c.at
    told = _once(c, b, told)
    x, _y, z = _corner(c, told)
    feeds.check_feed(c, b)
    rapid(c, block, z=z + told.get("taper", 0.0))
    feed(c, block, x=x, z=z)
    feed(c, block, z=z0)
    rapid(c, block, x=x0)


def _thread_once(c: Desk, b: BlockWords, _made: BoundCycle, told: Told) -> None:
    block, (x0, _y, z0) = b.block, c.at
    told = _once(c, b, told)
    x, y, z = _corner(c, told)
    if not threads.ready(c, b):
        return
    rapid(c, block, x=x + told.get("taper", 0.0))
    threads.run(c, block, (x, y, z))
    rapid(c, block, x=x0)
    rapid(c, block, z=z0)


def _thread_passes(c: Desk, b: BlockWords, made: BoundCycle, told: Told) -> None:
    block, (x0, y0, z0) = b.block, c.at
    root, _y, z = _corner(c, told)
    depth, first = abs(told.get("depth", 0.0)), abs(told.get("first", 0.0))
    if not depth or not first or z == z0:
        c.find_span(
            "cycle-incomplete", b, b.g_word("motion"), f"{c.modal.motion} needs the thread's end, its depth and the depth of the first pass",
            f"give {made.letter('z')}, {made.letter('depth')} and {made.letter('first')}{_told_otherwise(b, made)}",
        )  # fmt: skip
        return
    if not threads.ready(c, b):
        return
    out = 1.0 if x0 >= root else -1.0
    taper, run_out = told.get("taper", 0.0), abs(told.get("run_out", 0.0))
    slope, way = math.tan(math.radians(told.get("angle", 0.0))), math.copysign(1.0, z - z0)
    for deep in thread_depths(c, depth, first, abs(told.get("least", 0.0)), int(told.get("finish_passes", 0.0))):
        if not c.work(block):
            return
        x = root + out * (depth - deep)
        begin = z0 + way * deep * slope
        if begin != c.at[2]:
            rapid(c, block, z=begin)
        rapid(c, block, x=x + taper)
        if run_out:
            share = 1.0 - min(run_out / abs(z - begin), 1.0)
            threads.run(c, block, (x + taper * (1.0 - share), y0, z - way * run_out))
            threads.run(c, block, (x + out * deep, y0, z))
        else:
            threads.run(c, block, (x, y0, z))
        rapid(c, block, x=x0)
        rapid(c, block, z=z0)


def thread_depths(c: Desk, depth: float, first: float, least: float, spring: int) -> Iterator[float]:
    """How deep each pass of a thread stands, on the radius: by equal area (depth of pass n = first times the root of n) with a
    least step, or by equal steps; then so many passes more at full depth."""
    n, deep = 0, 0.0
    while deep < depth - 1e-9:
        n += 1
        wanted = first * math.sqrt(n) if c.profile.thread_infeed == "area" else first * n
        deep = min(max(wanted, deep + least), depth)
        yield deep
        if n >= c.profile.limits.pecks:
            return
    for _ in range(min(max(spring, 0), 100)):
        yield depth


def _groove_passes(c: Desk, b: BlockWords, made: BoundCycle, told: Told) -> None:
    block, (x0, _y, z0) = b.block, c.at
    x, _y2, z = _corner(c, told)
    peck, step = abs(told.get("peck", 0.0)), abs(told.get("step", 0.0))
    feeds.check_feed(c, b)
    places = [0.0, *(passes(z - z0, step) if step and z != z0 else ([abs(z - z0)] if z != z0 else []))]
    lift = c.profile.pecks.lift
    for off in places:
        at = z0 + math.copysign(off, z - z0)
        rapid(c, block, z=at)
        for deep in passes(x - x0, peck):
            if not c.work(block):
                return
            to = x0 + math.copysign(deep, x - x0)
            feed(c, block, x=to)
            if deep < abs(x - x0):
                rapid(c, block, x=to - math.copysign(min(lift, deep), x - x0))
        rapid(c, block, x=x0)
    rapid(c, block, z=z0)


def _peck_along_z(c: Desk, b: BlockWords, made: BoundCycle, told: Told) -> None:
    block, z0 = b.block, c.at[2]
    _x, _y, z = _corner(c, told)
    feeds.check_feed(c, b)
    lift = c.profile.pecks.lift
    for deep in passes(z - z0, abs(told.get("peck", 0.0))):
        if not c.work(block):
            return
        to = z0 + math.copysign(deep, z - z0)
        feed(c, block, z=to)
        if deep < abs(z - z0):
            rapid(c, block, z=to - math.copysign(min(lift, deep), z - z0))
    rapid(c, block, z=z0)


def _numbers(c: Desk, b: BlockWords, made: BoundCycle, told: Told) -> tuple[int, int] | None:
    """The first and last block number of the contour; None after the finding where they are none."""
    first, last = told.get("from"), told.get("to")
    if first is None or last is None or first != int(first) or last != int(last) or first < 0 or last < 0:
        c.find_span(
            "cycle-incomplete", b, b.g_word("motion"), "this cycle needs the first and the last block of its contour",
            f"give {made.letter('from')} and {made.letter('to')}, whole numbers",
        )  # fmt: skip
        return None
    return int(first), int(last)


def _contour(c: Desk, b: BlockWords, made: BoundCycle, told: Told) -> contour.Contour | None:
    numbers = _numbers(c, b, made, told)
    return contour.read(c, b, *numbers) if numbers is not None else None


def _rough(way: roughing.Way) -> Run:
    def run(c: Desk, b: BlockWords, made: BoundCycle, told: Told) -> None:
        found = _contour(c, b, made, told)
        if found is None:
            return
        feeds.check_feed(c, b)
        way(c, b, found, told)
        # The contour is not run where it stands, be it right behind its cycle or farther on.
        if not c.flow.inside and found.first > c.flow.at:
            c.skipped = {**c.skipped, found.first: found.last}

    return run


def _finish(c: Desk, b: BlockWords, made: BoundCycle, told: Told) -> None:
    found = _contour(c, b, made, told)
    if found is None:
        return
    x0, _y, z0 = c.at
    m, before, line = c.modal, c.modal.comp, c.comp_line
    m.motion = "G0"
    contour.run_finish(c, found)
    # Compensation that came on before the cycle is on behind it too, until the program's G40 (common practice, no source).
    stays = c.path if before == m.comp and c.path.compensated else None
    compensated.end(c)
    m.motion = "G0"
    c.changed()
    rapid(c, b.block, x=x0)
    rapid(c, b.block, z=z0)
    if stays is not None:
        compensated.begin(c, b.block, stays.side, stays.radius)
        c.comp_line, m.comp = line, before
        c.changed()


def _repeat(c: Desk, b: BlockWords, made: BoundCycle, told: Told) -> None:
    numbers = _numbers(c, b, made, told)
    times = told.get("times", 1.0)
    found = c.flow.stretch(*numbers) if numbers is not None else None
    if numbers is None or times != int(times) or times < 0:
        return
    if found is None:
        c.find_span(
            "subprogram-missing", b, b.g_word("motion"), f"the blocks N{numbers[0]} to N{numbers[1]} are not in this program",
            "number the first and the last block of the stretch so",
        )  # fmt: skip
        return
    if c.flow.repeats >= c.profile.limits.nesting:
        c.find_span(
            "loop-runaway", b, b.g_word("motion"), f"blocks that repeat themselves are nested deeper than {c.profile.limits.nesting}",
            "leave the block that repeats them out of the stretch",
        )  # fmt: skip
        c.ended = True
        return
    before, c.flow.repeats = c.flow.as_if, c.flow.repeats + 1
    _run_again(c, found, int(times))
    c.flow.as_if, c.flow.repeats = before, c.flow.repeats - 1


def _run_again(c: Desk, found: Sequence[tuple[int, str]], times: int) -> None:
    for _ in range(times):
        for line, text in found:
            block = read_block(text, line)
            if any(w.letter == "M" and w.value in c.profile.returns for w in block.words):
                break
            if not c.work(block) or c.ended:
                return
            c.flow.as_if = line
            c.carry_out(block)


RUNS: dict[str, Run] = {
    "turn-passes": _turn_passes,
    "face-passes": _face_passes,
    "turn-once": _turn_once,
    "face-once": _face_once,
    "thread-once": _thread_once,
    "thread-passes": _thread_passes,
    "groove-passes": _groove_passes,
    "peck-along-z": _peck_along_z,
    "rough-along-z": _rough(roughing.along_z),
    "rough-along-x": _rough(roughing.along_x),
    "rough-by-shape": _rough(roughing.by_shape),
    "finish": _finish,
    "repeat-blocks": _repeat,
}

_LOOKED_AHEAD = 5
"""Lines in which the block behind a block in front is looked for: comments may stand between."""

_CONTOUR = ("from", "to", "pass", "lift", "leave_x", "leave_z")


def _cycle(name: str, said: str, inputs: tuple[str, ...], *, once: bool = True, tied: bool = False) -> Cycle:
    return Cycle(name=name, said=said, inputs=inputs, kind="lathe", known=LATHE_INPUTS, once=once, tied=tied)


for _one in (
    _cycle("turn-passes", "Turns down in equal passes", ("total", "length", "pass", "feed")),
    _cycle("face-passes", "Faces off in equal passes", ("total", "length", "pass", "feed")),
    _cycle("turn-once", "Turns once along and comes back", _ONCE, once=False),
    _cycle("face-once", "Faces once across and comes back", _ONCE, once=False),
    _cycle("thread-once", "Cuts one pass of a thread and comes back", ("x", "z", "u", "w", "taper", "lead"), once=False, tied=True),
    _cycle(
        "thread-passes", "Cuts a thread in passes",
        ("x", "z", "u", "w", "depth", "first", "least", "angle", "finish_passes", "run_out", "taper", "lead"), tied=True,
    ),
    _cycle("groove-passes", "Cuts a groove in pecks, step by step", ("x", "z", "u", "w", "peck", "step")),
    _cycle("peck-along-z", "Drills or grooves along Z in pecks", ("z", "w", "peck")),
    _cycle("rough-along-z", "Roughs out a contour along Z", _CONTOUR),
    _cycle("rough-along-x", "Roughs out a contour along X", _CONTOUR),
    _cycle(
        "rough-by-shape", "Roughs out along the contour's own shape",
        ("from", "to", "total_x", "total_z", "times", "leave_x", "leave_z"),
    ),
    _cycle("finish", "Runs along a contour for the finish", ("from", "to")),
    _cycle("repeat-blocks", "Repeats a stretch of blocks", ("from", "to", "times")),
):  # fmt: skip
    CYCLES.setdefault(_one.name, _one)


def _in_front(c: Desk, b: BlockWords, made: BoundCycle) -> bool:
    """Whether a block only tells the cycle what the next one with its code goes by: its letters are all of that kind, and there is a next."""
    letters = {letter for letter in b.letters if letter not in "NFST"}
    if not letters or not letters <= set(made.ahead.values()):
        return False
    for line, text in c.flow.ahead(_LOOKED_AHEAD):
        words = read_block(text, line).words
        if words:
            return any(w.letter == "G" and c.profile.cycles.get(g_key(w.value) or -1) is made for w in words)
    return False


def run(c: Desk, b: BlockWords, name: str, made: BoundCycle) -> None:
    """A block under a cycle's word: in its own block only, or as long as it is in force."""
    before = c.modal.motion
    if "motion" in b.g:
        if name != before:
            c.inputs = {}
        motion.set_motion(c, b)
    elif not b.has("XZUW"):
        return
    if c.path.compensated and made.cycle.name != "finish":
        c.find_span(
            "comp-cycle", b, b.g_word("motion"), f"{name} runs with tip radius compensation on",
            "write G40 with a move away from the contour before the cycle", {"switched_on_line": c.comp_line},
        )  # fmt: skip
        compensated.end(c)
    facing = frozenset({"length"}) if made.cycle.name == "face-passes" else frozenset()
    if made.cycle.name == "face-passes":
        made = replace(made, counts={"total": frozenset({"radius"}), **made.counts})
    if _in_front(c, b, made):
        # Nothing moves: the cycle's own block takes it from here.
        in_front = replace(
            made, letters={**made.letters, **made.ahead}, cycle=replace(made.cycle, inputs=tuple(made.ahead))
        )
        c.ahead = {**c.ahead, name: read(c, b, in_front)}
    else:
        RUNS[made.cycle.name](c, b, made, {**c.ahead.get(name, {}), **read(c, b, made, facing)})
    if made.cycle.once:
        c.modal.motion = before if before not in c.profile.cycle_by_name else "G0"
        c.changed()
