"""Blocks that are nothing but places and a feed, taken many at a time: most of a long program is made of them.

What comes of them is the same, to the last bit, as when each goes through the steps of a block; a test holds the two against
each other. Whatever else stands in a line, or has to be judged with it, ends the stretch, and the line is read the long way.
"""

from __future__ import annotations

import math
import re

import numpy as np

from underglass.core.control.desk import Desk
from underglass.core.control.flow import Flow
from underglass.core.control.motions import Floats, Kind
from underglass.core.tolerances import TOLERANCES
from underglass.core.units import MM_PER_INCH

_FIGURE = r"([-+]?(?:[0-9]{1,9}\.?[0-9]{0,9}|\.[0-9]{1,9}))"
# Possessive throughout, as every expression that a stranger's text is held against.
_PLACES = re.compile(
    rf"[ \t]*+(?:N[0-9]{{1,9}}+[ \t]*+)?+(?:G0?+([01])[ \t]*+(?![0-9.]))?+"
    rf"(?:X{_FIGURE}[ \t]*+)?+(?:Y{_FIGURE}[ \t]*+)?+(?:Z{_FIGURE}[ \t]*+)?+"
    r"(?:F([0-9]{1,9}\.?[0-9]{0,9}|\.[0-9]{1,9})[ \t]*+)?+"
)
_KINDS = {"G0": (Kind.RAPID, "0"), "G1": (Kind.FEED, "1")}


def can_run(c: Desk) -> bool:
    """Whether nothing has to be judged at a plain move now: no compensation, no turned places, a feed, offsets met before."""
    m = c.modal
    if m.motion == "G1":
        fed = m.feed > 0.0 and (m.feed_mode == "G94" or (m.feed_mode == "G95" and m.turning))
    else:
        fed = m.motion == "G0" and c.profile.rapids == "straight"
    return (
        fed
        and not c.path.compensated
        and c.offset_judged
        and m.mapping.plain
        and c.left_over is None
        and c.inherited is not None
        and c.profile.increment is None
        and c.real == c.at
    )


def run_on(c: Desk, flow: Flow, most: int, x_counts: float) -> int:
    """Take up to ``most`` lines of places from where the program stands; how many they were. ``x_counts``: 0.5 where X is a diameter."""
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
    feed, told = m.feed, False
    feeds: list[float] = []
    after: list[float] = []
    by_turn = m.feed_mode == "G95"
    has_y = "Y" not in c.profile.unread
    most_feed = math.inf if by_turn else c.machine.feed_max
    for text in flow.lines_ahead(most):
        found = match(text)
        if found is None:
            break
        word, wx, wy, wz, wf = found.groups()
        if word is not None and word != digit:
            break
        if wx is None and wy is None and wz is None and word is None and wf is None:
            break
        if (wz is not None and not z_judged) or (wy is not None and not has_y):
            break
        if wf is not None:
            new = float(wf) * size
            if not 0.0 < new <= most_feed:
                break
            feed, told = new, True
        # As ``places.target`` has it, term by term, so that not even the last bit differs.
        if absolute:
            if wx is not None:
                x = float(wx) * x_counts * size + shift[0] + extra[0]
            if wy is not None:
                y = float(wy) * size + shift[1] + extra[1]
            if wz is not None:
                z = float(wz) * size + shift[2] + extra[2] + length
        else:
            if wx is not None:
                x += float(wx) * x_counts * size
            if wy is not None:
                y += float(wy) * size
            if wz is not None:
                z += float(wz) * size
        to = (x, y, z)
        moves = dist(at, to) > nothing
        if by_turn and not moves:
            # Its feed is judged all the same.
            break
        after.append(feed)
        if moves:
            lines.append(line)
            places.append(to)
            feeds.append(feed)
            at = to
        else:
            x, y, z = at
        line += 1
    passed = line - first
    way = np.array(places)
    fed = _feeds(c, kind, np.array(feeds), way)
    # The line that leads too far, or too fast, is read the long way, which says so.
    unfit = np.abs(way[1:]).max(axis=1, initial=0.0) > TOLERANCES.farthest_mm
    if kind == Kind.FEED:
        unfit |= fed > c.machine.feed_max
    if unfit.any():
        keep = int(np.argmax(unfit))
        passed, lines, way, fed = lines[keep] - first, lines[:keep], way[: keep + 1], fed[:keep]
        at = places[keep]
    if passed <= 0:
        return 0
    flow.pass_lines(passed)
    c.reached[first : first + passed] = True
    if told:
        m.feed, c.feed_missing_told = after[passed - 1], False
    if lines:
        c.moves.add_way(np.array(lines), kind, c.in_force(), way, fed, m.plane)
        c.at = c.real = at
    return passed


def _feeds(c: Desk, kind: Kind, feeds: Floats, way: Floats) -> Floats:
    """The feed of each move, mm/min, as ``Desk.feed_of`` has it."""
    m = c.modal
    if kind != Kind.FEED:
        return np.full(len(feeds), math.nan)
    if m.feed_mode == "G94" or not len(feeds):
        return feeds
    turns: Floats = np.array([c.turns(x - m.shift[0]) for x in way[:-1, 0].tolist()])
    by_turn: Floats = feeds * turns
    return by_turn
