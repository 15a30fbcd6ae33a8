"""Canned cycles as the control runs them: their letters, what they keep, and the moves they make."""

from __future__ import annotations

import math

from underglass.core.control import compensated, feeds, lengths, moving
from underglass.core.control.block_words import BlockWords
from underglass.core.control.cycles import INPUTS, BoundCycle, Hole
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Kind
from underglass.core.control.places import machine_of, programmed

_FEW = 2
"""Feeds that any hole has; the pecks after them count as work that the text does not spell out."""


def cycle(c: Desk, b: BlockWords, made: BoundCycle) -> None:
    """One block of a canned cycle: as many holes as its repeats say, in G91 each a step further."""
    m, data = c.modal, c.cycle
    if m.plane != 17:
        c.find_span(
            "not-proved",
            b,
            b.g_word("motion"),
            f"a cycle in G{m.plane} is not simulated by this version",
            "drill in G17",
        )
        return
    if c.path.compensated:
        c.find_span(
            "comp-cycle", b, b.g_word("motion"), f"{m.motion} runs with radius compensation on: a hole has no side to stand on",
            "write G40 with a move away from the contour before the cycle", {"switched_on_line": c.comp_line},
        )  # fmt: skip
        compensated.end(c)
    letters = b.letters
    depth = letters.get(made.letter("bottom"))
    if depth is not None and "X" not in letters and "Y" not in letters and "motion" not in b.g:
        c.find_word(
            "cycle-left-on",
            b.block,
            depth,
            f"{m.motion} is still in force: {depth.text} makes another hole here, it does not move Z",
            "write G80 before a plain move of Z",
            {"cycle": m.motion},
        )
    if depth is not None or made.letter("level") in letters:
        lengths.judge_z(c, b)
    begins = data.level is None
    _keep(c, b, made)
    if data.bottom is None or data.level is None or (data.bottom > data.level and not made.cycle.from_below):
        what = "no depth for the hole's bottom" if data.bottom is None else "a bottom above the level it starts from"
        level, bottom = made.letter("level"), made.letter("bottom")
        c.find_span(
            "syntax",
            b,
            b.g_word("motion"),
            f"{m.motion} has {what}",
            f"give {level} above the work and {bottom} below it",
        )
        return
    if "motion" in b.g:
        _judge_inputs(c, b, made, begins)
    feeds.check_feed(c, b)
    times = letters.get(made.letter("repeats"))
    if times is None and made.letter("repeats") == "L" and not made.cycle.from_below:
        times = letters.get("K")
    if times is not None and (times.value < 0 or times.value != int(times.value)):
        c.find_word(
            "syntax", b.block, times, f"{times.text.upper()} is no number of repeats", "write a whole number, as in L3"
        )
        return
    overrides = m.overrides
    if made.cycle.tied:
        # The feed is tied to the spindle: the operator's overrides do not act (common practice, no source).
        m.overrides = False
        c.changed()
    for k in range(int(times.value) if times is not None else 1):
        if (k and not c.work(b.block)) or not _hole(c, b, made):
            break
    m.overrides = overrides
    c.changed()


def _judge_inputs(c: Desk, b: BlockWords, made: BoundCycle, begins: bool) -> None:
    """What a cycle can do without but hardly ever is meant to: its R level, and the step of a peck.

    ``begins``: no cycle was on before, from which a level could be left.
    """
    m, data = c.modal, c.cycle
    level = made.letter("level")
    if begins and level not in b.letters:
        c.find_span(
            "cycle-incomplete",
            b,
            b.g_word("motion"),
            f"{m.motion} has no {level}: it feeds down from the tool's present height",
            f"give {level}, the height above the work where feeding begins",
            {"cycle": m.motion, "letter": level},
        )
    for name, (comes_of_it, or_else) in made.cycle.missed.items():
        letter = made.letter(name)
        if getattr(data, name) is None:
            c.find_span(
                "cycle-incomplete",
                b,
                b.g_word("motion"),
                f"{m.motion} has no {letter}: {comes_of_it}",
                f"give {letter}, the {INPUTS[name].said}, {or_else}",
                {"cycle": m.motion, "letter": letter},
            )


def _keep(c: Desk, b: BlockWords, made: BoundCycle) -> None:
    """The inputs given in this block; they stay until they are given anew."""
    m, data = c.modal, c.cycle
    here = programmed(c)[2]

    def given(name: str) -> float | None:
        word = b.letters.get(made.letter(name))
        return None if word is None else c.length(word.value)

    level, bottom, step = given("level"), given("bottom"), given("step")
    if level is not None:
        data.level = level + (0.0 if m.absolute else here)
    if data.level is None:
        data.level = here
    if bottom is not None:
        data.bottom = bottom + (0.0 if m.absolute else data.level)
    if step is not None:
        data.step = step
    wait = b.letters.get(made.letter("dwell"))
    if wait is not None:
        data.dwell = c.profile.dwell_seconds(wait.value, wait.letter)
    if made.cycle.takes("aside"):
        x, y, along = given("aside_x"), given("aside_y"), given("aside")
        if x is not None or y is not None:
            data.aside = (x or 0.0, y or 0.0)
        elif along is not None:
            data.aside = (along, 0.0)
    if made.cycle.takes("upper"):
        upper = given("upper")
        if upper is not None:
            data.upper = upper + (0.0 if m.absolute else data.bottom or 0.0)


def _hole(c: Desk, b: BlockWords, made: BoundCycle) -> bool:
    """One hole; False where it is more work than the profile allows."""
    m, data = c.modal, c.cycle
    assert data.level is not None
    here = programmed(c)
    back = max(data.began_at, data.level) if m.return_to == "G98" or made.cycle.from_below else data.level
    place = [here[0], here[1]]
    for axis, letter in enumerate("XY"):
        if letter in b.letters:
            value = c.length(b.letters[letter].value)
            place[axis] = value if m.absolute else place[axis] + value

    def rapid(x: float, y: float, z: float) -> None:
        moving.go(c, Kind.CYCLE_RAPID, b.block, machine_of(c, (x, y, z)), math.nan)

    z = here[2]
    if z < data.level:
        z = data.level
        rapid(here[0], here[1], z)
    rapid(place[0], place[1], z)
    if not made.cycle.from_below:
        rapid(place[0], place[1], data.level)
    x, y = place
    pecks = 0
    hole = Hole(
        level=data.level,
        bottom=data.bottom or 0.0,
        back=back,
        step=data.step,
        dwell=data.dwell,
        aside=data.aside,
        upper=data.upper,
        spindle=m.spindle,
        habits=c.profile.pecks,
        tap_starts=c.profile.tap_starts,
    )
    for step in made.cycle.steps(hole):
        if step.kind == "feed":
            pecks += 1
            if pecks > _FEW and not c.work(b.block, pecks):
                return False
        if step.kind == "spindle":
            c.set_spindle(step.word)
        elif step.kind == "dwell":
            moving.wait(c, b.block, step.seconds)
        elif step.kind == "aside":
            x, y = x + step.aside[0], y + step.aside[1]
            rapid(x, y, programmed(c)[2])
        elif step.kind == "feed":
            end = machine_of(c, (x, y, step.z))
            moving.go(c, Kind.CYCLE_FEED, b.block, end, c.feed_of(math.dist(c.at, end)))
        else:
            rapid(x, y, step.z)
    return True
