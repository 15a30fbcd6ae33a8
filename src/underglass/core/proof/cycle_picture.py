"""A canned cycle drawn: a hole in section, the heights by their letters, and the tool's way as the cycle's own steps have it.

The way is not drawn by hand: the steps that the control would make of a hole of plain proportions are laid side by side, so
that a cycle that is new has its picture with its first line of code.
"""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise

from underglass.core.control.cycles import BoundCycle, Hole, PeckHabits
from underglass.core.reckon.form import Stroke

_START, _LEVEL, _FACE, _BOTTOM, _UPPER, _UNDER = 11.0, 6.0, 4.0, -9.0, -3.0, -14.0
_EDGE, _RADIUS, _LABEL = 13.0, 4.5, 17.0
_STEP = 4.0
_NOTE = -12.6
"""Height of what is said about the bottom."""
_ASIDE = 1.4
_SPREAD = 3.6
"""Over how much the ways down and up are laid side by side."""


def cycle_picture(made: BoundCycle, words: Mapping[str, str], *, to_level: bool = False) -> tuple[Stroke, ...]:
    """Strokes of the picture. ``words`` are those written in the block, by letter; one that is not there is called missing.

    ``to_level``: the tool goes back to the level (G99), not to where it started.
    """
    letters = {name: letter for name, letter, _said in made.inputs}

    def said(name: str, after: str = "") -> tuple[str, bool]:
        letter = letters[name]
        return (words[letter] + after, True) if letter in words else (f"{letter} is missing", False)

    out = [*_section(made)]
    to_level = to_level and not made.cycle.from_below
    out += [_height(_START, "start" if to_level else "start, G98", True)]
    for name, y in (("level", _LEVEL), ("bottom", _BOTTOM), ("upper", _UPPER)):
        if name in letters:
            out.append(_height(y, *said(name)))
    if "step" in letters:
        text, there = said("step")
        text = text if there else f"{letters['step']}?"
        x = -_RADIUS - 1.5
        out.append(Stroke("measure", (x, _LEVEL, x, _LEVEL - _STEP), "measure" if there else "missing", text))
    for name, after in (("dwell", " wait"), ("aside", " aside")):
        if name in letters:
            text, there = said(name, after)
            out.append(Stroke("label", (0.0, _BOTTOM, 0.0, _NOTE), "help"))
            out.append(Stroke("label", (0.0, _NOTE, _LABEL, _NOTE), "help" if there else "missing", text))
    return (*out, *_way(made, _LEVEL if to_level else _START))


def _section(made: BoundCycle) -> tuple[Stroke, ...]:
    """The stock either side of the hole, its floor, or the way through it."""
    floor = _UNDER if made.cycle.from_below else _BOTTOM
    sides = [Stroke("area", (sign * _EDGE, _FACE, sign * _RADIUS, _UNDER), "stock") for sign in (-1.0, 1.0)]
    if not made.cycle.from_below:
        sides.append(Stroke("area", (-_RADIUS, floor, _RADIUS, _UNDER), "stock"))
    return tuple(sides)


def _height(y: float, text: str, there: bool) -> Stroke:
    return Stroke("label", (-_EDGE, y, _LABEL, y), "help" if there else "missing", text)


def _way(made: BoundCycle, back: float) -> list[Stroke]:
    """The steps of a hole and back to a height, each change between down and up a little further to the right."""
    hole = Hole(
        level=_LEVEL, bottom=_BOTTOM, back=back, step=_STEP, dwell=1.0, aside=(_ASIDE, 0.0), upper=_UPPER,
        habits=PeckHabits(1.5, 1.5),
    )  # fmt: skip
    places: list[tuple[str, float, float]] = [("rapid", 0.0, _START), ("rapid", 0.0, _LEVEL)]
    if made.cycle.from_below:
        places.pop()
    beside = 0.0
    for step in made.cycle.steps(hole):
        if step.kind == "aside":
            beside += step.aside[0]
            places.append(("rapid", beside, places[-1][2]))
        elif step.kind in ("feed", "rapid"):
            places.append((step.kind, beside, step.z))
    rises = [b[2] - a[2] for a, b in pairwise(places) if b[2] != a[2]]
    turns = sum(a * b < 0.0 for a, b in pairwise(rises))
    apart, along = _SPREAD / max(turns, 1), -(_SPREAD + (_ASIDE if made.cycle.takes("aside") else 0.0)) / 2.0
    out: list[Stroke] = []
    was = 0.0
    for (_k, x0, z0), (kind, x1, z1) in pairwise(places):
        if (z1 - z0) * was < 0.0:
            along += apart
        was = z1 - z0 or was
        style = "path" if kind == "feed" else "rapid"
        out.append(Stroke("line", (x0 + along, z0, x1 + along, z1), style))  # type: ignore[arg-type]
    return out
