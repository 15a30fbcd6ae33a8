"""Blocks that are nothing but places, arcs and a feed, taken many at a time: most of a long program is made of them.

What comes of them is the same, to the last bit, as when each goes through the steps of a block; a test holds the two against
each other. Whatever else stands in a line, or has to be judged with it, ends the stretch, and the line is read the long way.
"""

from __future__ import annotations

import math
import re

import numpy as np

from underglass.core.control import arcs
from underglass.core.control.desk import Desk
from underglass.core.control.flow import Flow
from underglass.core.control.motions import Floats, Ints, Kind
from underglass.core.tolerances import TOLERANCES
from underglass.core.units import MM_PER_INCH

_FIGURE = r"([-+]?(?:[0-9]{1,9}\.?[0-9]{0,9}|\.[0-9]{1,9}))"
# Possessive throughout, as every expression that a stranger's text is held against.
_PLACES = re.compile(
    r"[ \t]*+(?:N[0-9]{1,9}+[ \t]*+)?+(?:G0?+([0-3])[ \t]*+(?![0-9.]))?+"
    rf"(?:X{_FIGURE}[ \t]*+)?+(?:Y{_FIGURE}[ \t]*+)?+(?:Z{_FIGURE}[ \t]*+)?+"
    rf"(?:I{_FIGURE}[ \t]*+)?+(?:J{_FIGURE}[ \t]*+)?+"
    r"(?:F([0-9]{1,9}\.?[0-9]{0,9}|\.[0-9]{1,9})[ \t]*+)?+"
)
_MOTIONS = ("G0", "G1", "G2", "G3")
_STRAIGHT = (math.nan, math.nan, math.nan, 0.0)


def can_run(c: Desk) -> bool:
    """Whether nothing has to be judged at a plain move now: no compensation, nothing scaled or mirrored, a feed, offsets met before."""
    m = c.modal
    return (
        (_rapids(c) if m.motion == "G0" else m.motion in _MOTIONS and m.feed > 0.0 and _feeds_on(c))
        and not c.path.compensated
        and c.offset_judged
        and (m.mapping.plain or m.mapping.turns_only)
        and c.left_over is None
        and c.inherited is not None
        and c.profile.increment is None
        and c.real == c.at
    )


def _rapids(c: Desk) -> bool:
    return c.profile.rapids == "straight"


def _feeds_on(c: Desk) -> bool:
    return c.modal.feed_mode == "G94" or (c.modal.feed_mode == "G95" and c.modal.turning)


def _turns(c: Desk, x_counts: float) -> bool:
    """Whether arcs are taken here too: about a centre in the usual plane, by the minute, whole."""
    m, stated = c.modal, "plane" in c.stated
    usual = m.plane == 17 and x_counts == 1.0 and "Y" not in c.profile.unread and c.profile.longest_arc == "full"
    return usual and stated and m.feed_mode == "G94"


def run_on(c: Desk, flow: Flow, most: int, x_counts: float) -> int:
    """Take up to ``most`` lines of places from where the program stands; how many they were. ``x_counts``: 0.5 where X is a diameter."""
    m = c.modal
    motion = _MOTIONS.index(m.motion)
    rapids, feeds_on, turns = _rapids(c), _feeds_on(c), _turns(c, x_counts)
    z_judged = c.z_judged or not m.tool
    size = MM_PER_INCH if m.units == "inch" else 1.0
    shift, extra, length, absolute = m.shift, m.mapping.shift, m.h_value, m.absolute
    tolerance = c.profile.arc_tolerance[m.units]
    # Turned by G68: there and back again for every place, as ``places`` has it.
    turned, forward, back = not m.mapping.plain, m.mapping.forward, m.mapping.back
    nothing, dist, match = TOLERANCES.length_of_nothing_mm, math.dist, _PLACES.fullmatch
    at = x, y, z = c.at
    first = flow.at + 1
    line = first
    lines: list[int] = []
    places = [at]
    feed, told = m.feed, False
    feeds: list[float] = []
    kinds: list[Kind] = []
    words: list[int] = []
    rounds: list[tuple[float, float, float, float]] = []
    after: list[tuple[float, bool, int]] = []
    by_turn = m.feed_mode == "G95"
    has_y = "Y" not in c.profile.unread
    most_feed = math.inf if by_turn else c.machine.feed_max
    for text in flow.lines_ahead(most):
        found = match(text)
        if found is None:
            break
        word, wx, wy, wz, wi, wj, wf = found.groups()
        if wx is None and wy is None and wz is None and wi is None and wj is None and word is None and wf is None:
            break
        if (wz is not None and not z_judged) or (wy is not None and not has_y):
            break
        under = motion if word is None else int(word)
        if wf is not None:
            new = float(wf) * size
            if not 0.0 < new <= most_feed:
                break
        else:
            new = feed
        if under > 1:
            # An arc by its radius, or without a centre, and a word that belongs to none, are read the long way.
            if not turns or ((wi is None and wj is None) and (wx is not None or wy is not None or wz is not None)):
                break
        elif wi is not None or wj is not None:
            break
        # As ``places.target`` has it, term by term, so that not even the last bit differs.
        if turned:
            if wx is not None or wy is not None or wz is not None or under > 1:
                said = before = back((x - shift[0], y - shift[1], z - shift[2] - length))
                if wx is not None:
                    said = (float(wx) * x_counts * size + (0.0 if absolute else said[0]), said[1], said[2])
                if wy is not None:
                    said = (said[0], float(wy) * size + (0.0 if absolute else said[1]), said[2])
                if wz is not None:
                    said = (said[0], said[1], float(wz) * size + (0.0 if absolute else said[2]))
                x, y, z = forward(said)
                x, y, z = x + shift[0], y + shift[1], z + shift[2] + length
        elif absolute:
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
        if under > 1 and (wi is not None or wj is not None):
            # As ``motion._arc`` has it.
            if turned:
                begin, end = before[:2], back((x - shift[0], y - shift[1], z - shift[2] - length))[:2]
            else:
                begin = (at[0] - shift[0] - extra[0], at[1] - shift[1] - extra[1])
                end = (x - shift[0] - extra[0], y - shift[1] - extra[1])
            base = (0.0, 0.0) if m.centres_absolute else begin
            centre = (
                base[0] + float(wi) * size if wi is not None else begin[0],
                base[1] + float(wj) * size if wj is not None else begin[1],
            )
            r0 = dist(begin, centre)
            if not (nothing < r0 <= TOLERANCES.farthest_mm and abs(r0 - dist(end, centre)) <= tolerance and new > 0.0):
                break
            angle = arcs.sweep(begin, end, centre, under == 2)
            if arcs.nearly_whole(begin, end, angle):
                break
            middle = (centre[0] + extra[0], centre[1] + extra[1])
            if turned:
                middle = forward((*centre, before[2]))[:2]
            turn = (middle[0] + shift[0], middle[1] + shift[1], math.nan, angle)
            kind, moves = Kind.ARC_CW if angle < 0.0 else Kind.ARC_CCW, True
        else:
            turn, moves = _STRAIGHT, dist(at, to) > nothing
            kind = Kind.FEED if under else Kind.RAPID
            if not (feeds_on and new > 0.0 if under else rapids):
                break
        if by_turn and not moves:
            # Its feed is judged all the same.
            break
        told = told or wf is not None
        feed, motion = new, under
        after.append((feed, told, motion))
        if moves:
            lines.append(line)
            places.append(to)
            feeds.append(feed if kind != Kind.RAPID else math.nan)
            kinds.append(kind)
            words.append(motion)
            rounds.append(turn)
            at = to
        else:
            x, y, z = at
        line += 1
    passed = line - first
    way, made = np.array(places), np.array(kinds, dtype=np.int8)
    fed = _by_turns(c, np.array(feeds), way)
    # The line that leads too far, or too fast, is read the long way, which says so.
    unfit = np.abs(way[1:]).max(axis=1, initial=0.0) > TOLERANCES.farthest_mm
    unfit |= fed > c.machine.feed_max
    if unfit.any():
        keep = int(np.argmax(unfit))
        passed, lines, way, fed, made = lines[keep] - first, lines[:keep], way[: keep + 1], fed[:keep], made[:keep]
        at = places[keep]
    if passed <= 0:
        return 0
    flow.pass_lines(passed)
    c.reached[first : first + passed] = True
    feed, told, motion = after[passed - 1]
    if told:
        m.feed, c.feed_missing_told = feed, False
    if lines:
        states = _in_force(c, words[: len(lines)])
        c.moves.add_way(np.array(lines), made, states, way, fed, np.array(rounds[: len(lines)]), m.plane)
        c.at = c.real = at
    _set_motion(c, motion)
    return passed


def _set_motion(c: Desk, motion: int) -> None:
    if _MOTIONS[motion] != c.modal.motion:
        c.modal.motion = _MOTIONS[motion]
        c.changed()


def _in_force(c: Desk, words: list[int]) -> Ints:
    """What is in force at each of these moves, of which only the motion word differs."""
    known: dict[int, int] = {}
    for motion in words:
        if motion not in known:
            _set_motion(c, motion)
            known[motion] = c.in_force()
    return np.array([known[motion] for motion in words], dtype=np.int32)


def _by_turns(c: Desk, feeds: Floats, way: Floats) -> Floats:
    """The feed of each move, mm/min, as ``Desk.feed_of`` has it; nan for a rapid."""
    m = c.modal
    if m.feed_mode != "G95" or not len(feeds):
        return feeds
    turns: Floats = np.array([c.turns(x - m.shift[0]) for x in way[:-1, 0].tolist()])
    by_turn: Floats = feeds * turns
    return by_turn
