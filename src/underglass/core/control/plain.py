"""Blocks that are nothing but places, taken many at a time: most of a long program is made of them.

What comes of them is the same, to the last bit, as when each goes through the steps of a block; a test holds the two against
each other. Whatever else stands in a line, or has to be judged with it, ends the stretch, and the line is read the long way.
"""

from __future__ import annotations

import math
import re

import numpy as np

from underglass.core.control.desk import Desk
from underglass.core.control.flow import Flow
from underglass.core.control.motions import Kind
from underglass.core.tolerances import TOLERANCES
from underglass.core.units import MM_PER_INCH

_FIGURE = r"([-+]?(?:[0-9]{1,9}\.?[0-9]{0,9}|\.[0-9]{1,9}))"
# Possessive throughout, as every expression that a stranger's text is held against.
_PLACES = re.compile(
    rf"[ \t]*+(?:N[0-9]{{1,9}}+[ \t]*+)?+(?:G0?+([01])[ \t]*+(?![0-9.]))?+"
    rf"(?:X{_FIGURE}[ \t]*+)?+(?:Y{_FIGURE}[ \t]*+)?+(?:Z{_FIGURE}[ \t]*+)?+"
)
_KINDS = {"G0": (Kind.RAPID, "0"), "G1": (Kind.FEED, "1")}


def can_run(c: Desk) -> bool:
    """Whether nothing has to be judged at a plain move now: no compensation, no turned places, a feed, offsets met before."""
    m = c.modal
    if m.motion == "G1":
        fed = m.feed_mode == "G94" and m.feed > 0.0
    else:
        fed = m.motion == "G0" and c.profile.rapids == "straight"
    return (
        fed
        and c.comp is None
        and c.offset_judged
        and m.mapping.plain
        and c.left_over is None
        and c.inherited is not None
        and c.profile.increment is None
        and c.real == c.at
    )


def run_on(c: Desk, flow: Flow, most: int) -> int:
    """Take up to ``most`` lines of places from where the program stands; how many they were."""
    m = c.modal
    kind, digit = _KINDS[m.motion]
    z_judged = c.z_judged or not m.tool
    size = MM_PER_INCH if m.units == "inch" else 1.0
    shift, extra, length, absolute = m.shift, m.mapping.shift, m.h_value, m.absolute
    nothing, dist, match = TOLERANCES.length_of_nothing_mm, math.dist, _PLACES.fullmatch
    at = x, y, z = c.at
    first = flow.at + 1
    line = first
    lines: list[int] = []
    places = [at]
    for text in flow.lines_ahead(most):
        found = match(text)
        if found is None:
            break
        word, wx, wy, wz = found.groups()
        if word is not None and word != digit:
            break
        if wx is None and wy is None and wz is None and word is None:
            break
        if wz is not None and not z_judged:
            break
        # As ``places.target`` has it, term by term, so that not even the last bit differs.
        if absolute:
            if wx is not None:
                x = float(wx) * size + shift[0] + extra[0]
            if wy is not None:
                y = float(wy) * size + shift[1] + extra[1]
            if wz is not None:
                z = float(wz) * size + shift[2] + extra[2] + length
        else:
            if wx is not None:
                x += float(wx) * size
            if wy is not None:
                y += float(wy) * size
            if wz is not None:
                z += float(wz) * size
        to = (x, y, z)
        if dist(at, to) > nothing:
            lines.append(line)
            places.append(to)
            at = to
        else:
            x, y, z = at
        line += 1
    passed = line - first
    way = np.array(places)
    too_far = np.abs(way).max(axis=1) > TOLERANCES.farthest_mm
    if too_far.any():
        # The line that leads there is read the long way, which says so.
        keep = int(np.argmax(too_far))
        passed, lines, way = lines[keep - 1] - first, lines[: keep - 1], way[:keep]
        at = places[keep - 1]
    if passed <= 0:
        return 0
    flow.pass_lines(passed)
    c.reached[first : first + passed] = True
    if lines:
        feed = m.feed if kind == Kind.FEED else math.nan
        c.moves.add_way(np.array(lines), kind, c.in_force(), way, feed, m.plane)
        c.at = c.real = at
    return passed
