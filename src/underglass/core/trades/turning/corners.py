"""Corner words: ,C and ,R on a straight block break or round the corner with the straight block after it."""

from __future__ import annotations

import math

from underglass.core.control import feeds, motion, moving
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Kind
from underglass.core.control.places import machine_of, programmed, programmed_end, target
from underglass.core.control.state import Vector
from underglass.core.language.block import read_block

_LOOK = 12
"""Lines that are looked through for the next straight block."""

Flat = tuple[float, float]


def wanted(b: BlockWords) -> bool:
    return ",C" in b.letters or ",R" in b.letters


def cut(c: Desk, b: BlockWords) -> None:
    """The block's straight move up to its corner, and the chamfer or the arc."""
    word = b.letters.pop(",C", None) or b.letters.pop(",R")
    b.letters.pop(",R", None)
    if "motion" in b.g:
        motion.set_motion(c, b)
    if c.modal.motion != "G1":
        c.find_span(
            "syntax", b, word, f"{word.text.upper()} belongs to a straight cut, but {c.modal.motion} is in force",
            "write it beside G1",
        )  # fmt: skip
        motion.move(c, b)
        return
    start, end = programmed(c), programmed_end(c, target(c, b.letters))
    after = _next(c, end)
    size = c.length(abs(word.value))
    if after is None:
        c.find_span(
            "syntax", b, word, f"{word.text.upper()} has no straight block after it to make a corner with",
            "write the corner's second side in the next block",
        )  # fmt: skip
        motion.move(c, b)
        return
    into, out = (end[0] - start[0], end[2] - start[2]), (after[0] - end[0], after[2] - end[2])
    one, two = math.hypot(*into), math.hypot(*out)
    reach, arc = _reach(word.letter, size, into, out)
    if not one > 0.0 or not two > 0.0 or reach > min(one, two) + 1e-9 or math.isinf(reach):
        c.find_span(
            "syntax", b, word, f"{word.text.upper()} does not fit: the corner's sides are {c.said(one)} and {c.said(two)} long",
            "make it smaller, or lengthen the sides", {"needs_mm": min(reach, 1e6), "shorter_mm": min(one, two)},
        )  # fmt: skip
        motion.move(c, b)
        return
    feeds.check_feed(c, b)
    first = (end[0] - into[0] / one * reach, 0.0, end[2] - into[1] / one * reach)
    second = (end[0] + out[0] / two * reach, 0.0, end[2] + out[1] / two * reach)
    _go(c, b, Kind.FEED, first)
    if arc:
        turn = math.atan2(into[1] * out[0] - into[0] * out[1], into[0] * out[0] + into[1] * out[1])
        # Seen with Z to the right and X up; the centre lies to the left of the way where it turns left.
        left = 1.0 if turn > 0.0 else -1.0
        centre = (first[0] + left * into[1] / one * size, 0.0, first[2] - left * into[0] / one * size)
        _go(c, b, Kind.ARC_CCW if turn > 0.0 else Kind.ARC_CW, second, centre, turn)
    else:
        _go(c, b, Kind.FEED, second)
    c.corner = (end[0] - second[0], 0.0, end[2] - second[2])


def _reach(letter: str, size: float, into: Flat, out: Flat) -> tuple[float, bool]:
    """How far from the corner its break begins, and whether that is an arc."""
    if letter == ",C":
        return size, False
    turn = abs(math.atan2(into[1] * out[0] - into[0] * out[1], into[0] * out[0] + into[1] * out[1]))
    return (math.inf if turn > math.pi - 1e-6 else size * math.tan(turn / 2.0)), True


def _go(c: Desk, b: BlockWords, kind: Kind, to: Vector, centre: Vector | None = None, sweep: float = 0.0) -> None:
    end = machine_of(c, to)
    if centre is None:
        moving.go(c, kind, b.block, end, c.feed_of(math.dist(c.at, end)))
        return
    x, _y, z = machine_of(c, centre)
    radius = math.dist((c.at[0], c.at[2]), (x, z))
    moving.go(c, kind, b.block, end, c.feed_of(radius * abs(sweep)), (x, math.nan, z), sweep)


def _next(c: Desk, corner: Vector) -> Vector | None:
    """Where the next straight block leads, programmed coordinates; None where something else comes."""
    half = 1.0 if c.profile.x_radius else 0.5
    for line, text in c.flow.ahead(_LOOK):
        block = read_block(text, line)
        letters = {w.letter: w for w in block.words}
        if block.arithmetic or any(
            w.letter == "G" and w.value not in (1.0, 40.0, 41.0, 42.0, 99.0, 98.0) for w in block.words
        ):
            return None
        found = [corner[0], 0.0, corner[2]]
        moved = False
        for letter, axis in (("X", "X"), ("Z", "Z"), *c.profile.incremental.items()):
            word = letters.get(letter)
            if word is None:
                continue
            k, factor = "XYZ".index(axis), (half if axis == "X" else 1.0)
            moved = True
            value = c.length(word.value) * factor
            found[k] = value if letter in "XZ" else corner[k] + value
        if moved:
            return (found[0], 0.0, found[2])
    return None
