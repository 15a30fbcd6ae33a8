"""What moves: straight lines, arcs and helices in the three planes, canned cycles."""

from __future__ import annotations

import math

from underglass.core.control import arcs, feeds, holes, lengths, moving, threading
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.dialect import Motions
from underglass.core.control.motions import PLANE_AXES, Kind
from underglass.core.control.places import machine_of, programmed, programmed_end, target
from underglass.core.control.state import Vector
from underglass.core.control.words import g_name
from underglass.core.tolerances import TOLERANCES
from underglass.core.units import show_length

_AXES = "XYZ"
_CENTRES = "IJK"
_ROUND = ("G2", "G3")


def set_motion(c: Desk, b: BlockWords) -> None:
    """The motion word, and what comes of it for a cycle that begins or ends."""
    m, name = c.modal, g_name(b.g["motion"][0])
    if name == m.motion:
        return
    cycles = c.profile.cycle_by_name
    if name in cycles and m.motion not in cycles:
        c.cycle_line = c.line(b.block)
        c.cycle.forget(programmed(c)[2])
        m.motion_before = m.motion
    kept = name == "G80" and m.motion in cycles and c.profile.after_g80 == "as-before"
    m.motion = m.motion_before if kept else name
    c.changed()


def move(c: Desk, b: BlockWords) -> None:
    """The block's motion, under the motion word in force."""
    if "motion" in b.g:
        set_motion(c, b)
    name = c.modal.motion
    cycle = c.profile.cycle_by_name.get(name)
    if cycle is not None:
        if b.has("XYZ") or ("motion" in b.g and b.has("RQ")):
            holes.cycle(c, b, cycle)
        return
    letters, known = b.letters, MOTIONS[name]
    if "X" in letters or "Y" in letters or "Z" in letters or (name in _ROUND and b.has("IJKR")):
        known(c, b)


def _nothing(c: Desk, b: BlockWords) -> None:
    """G80: places are named, but nothing says how to go there."""
    if b.unknown:
        # The word that was to move it has been complained about already.
        return
    axis = next(b.letters[a] for a in _AXES if a in b.letters)
    message = f"{axis.text} says where to go, but no G0, G1, G2 or G3 is in force"
    c.find_word("syntax", b.block, axis, message, "write the motion word at the start of the block")


def _line(c: Desk, b: BlockWords) -> None:
    straight(c, b, _end(c, b))


def _thread(c: Desk, b: BlockWords) -> None:
    threading.thread(c, b, _end(c, b))


def _probe(c: Desk, b: BlockWords) -> None:
    threading.probe(c, b, _end(c, b))


def _end(c: Desk, b: BlockWords) -> Vector:
    """Where the block leads, machine coordinates; Z is judged under its length register on the way."""
    end = target(c, b.letters)
    if "Z" in b.letters:
        lengths.judge_z(c, b)
    return end


def straight(c: Desk, b: BlockWords, end: Vector, machine: bool = False) -> None:
    """G0 or G1 to a place in machine coordinates."""
    if c.modal.motion == "G0":
        moving.go(c, Kind.RAPID, b.block, end, math.nan, machine=machine)
    else:
        feeds.check_feed(c, b)
        moving.go(c, Kind.FEED, b.block, end, c.feed_of(math.dist(c.at, end)), machine=machine)


# -- arcs ----------------------------------------------------------------------------------------------------------------


def _arc(c: Desk, b: BlockWords) -> None:
    m = c.modal
    if "Z" in b.letters:
        lengths.judge_z(c, b)
    feeds.check_feed(c, b)
    if "plane" not in c.stated:
        c.stated |= {"plane"}
        c.inherited = (c.inherited or frozenset()) | {"plane"}
    u, v, w = PLANE_AXES[m.plane]
    start = programmed(c)
    end = target(c, b.letters)
    to = programmed_end(c, end)
    clockwise = m.motion == "G2"
    centre = _arc_centre(c, b, start, to, clockwise)
    transform = m.mapping.transform
    if centre is not None and transform.unequal_in(m.plane):
        c.find_span(
            "not-proved", b, b.g_word("motion"), "an arc scaled differently along its two axes is no arc any more: it is run as a straight line",
            "scale all axes alike where arcs are cut",
        )  # fmt: skip
        centre = None
    if centre is not None and not c.path.compensated and _beside(c, u, v):
        c.find_span(
            "comp-exit-arc", b, b.g_word("motion"), "compensation ends with an arc: the control cannot leave the contour on a curve",
            "put a straight move after G40, before this arc",
        )  # fmt: skip
        centre = None
    if centre is not None and m.plane != 17 and transform.angle:
        c.find_span(
            "not-proved", b, b.g_word("motion"), f"an arc in G{m.plane} under rotation leaves its plane: it is run as a straight line",
            "rotate only what is cut in G17",
        )  # fmt: skip
        centre = None
    if centre is not None and not math.dist((start[u], start[v]), centre) <= TOLERANCES.farthest_mm:
        c.find_span(
            "arc-mismatch", b, b.letters.get("R") or b.g_word("motion"),
            f"this arc has a radius of {c.said(math.dist((start[u], start[v]), centre))}: no machine is that long, and it is run as a straight line",
            "check the figure and its decimal point",
        )  # fmt: skip
        centre = None
    if centre is None:
        # The control would stop here. The proof goes straight to the end, so that what follows can be judged.
        moving.go(c, Kind.FEED, b.block, end, c.feed_of(math.dist(c.at, end)))
        return
    angle = arcs.sweep((start[u], start[v]), (to[u], to[v]), centre, clockwise)
    if arcs.nearly_whole((start[u], start[v]), (to[u], to[v]), angle):
        apart = math.dist((start[u], start[v]), (to[u], to[v]))
        c.find_span(
            "arc-nearly-whole",
            b,
            b.g_word("motion"),
            f"this arc goes right round: its end lies {c.said(apart)} behind its start",
            "where a hair of an arc is meant, write it as a straight line; where a whole turn is meant, end it where it starts",
            {"degrees": math.degrees(abs(angle)), "apart_mm": apart},
        )
    if c.profile.longest_arc == "quadrant" and _past_axis((start[u], start[v]), centre, angle):
        c.find_span(
            "arc-past-quadrant",
            b,
            b.letters.get(_CENTRES[u]) or b.g_word("motion"),
            "this arc runs past an axis through its centre; this control makes an arc only up to the next one",
            "split the arc where it crosses the axis",
            {"degrees": math.degrees(abs(angle))},
        )
    middle = [start[0], start[1], start[2]]
    middle[u], middle[v] = centre
    placed = list(machine_of(c, (middle[0], middle[1], middle[2])))
    placed[w] = math.nan
    if transform.turned_over_in(m.plane):
        angle = -angle
    radius = math.dist((start[u], start[v]), centre) * transform.scale[u]
    length = math.hypot(radius * angle, to[w] - start[w])
    kind = Kind.ARC_CW if angle < 0.0 else Kind.ARC_CCW
    moving.go(c, kind, b.block, end, c.feed_of(length), (placed[0], placed[1], placed[2]), angle)


def _beside(c: Desk, u: int, v: int) -> bool:
    """Whether the tool still stands beside the programmed path in a plane, after G40."""
    return math.dist((c.real[u], c.real[v]), (c.at[u], c.at[v])) > TOLERANCES.length_of_nothing_mm


def _past_axis(start: tuple[float, float], centre: tuple[float, float], angle: float) -> bool:
    """Whether an arc goes on beyond the next axis direction through its centre."""
    quarter = math.pi / 2.0
    begin = math.atan2(start[1] - centre[1], start[0] - centre[0])
    into = (begin if angle > 0.0 else -begin) % quarter
    left = quarter - into if into > 1e-6 and quarter - into > 1e-6 else quarter
    return abs(angle) > left + 1e-6


def _arc_centre(c: Desk, b: BlockWords, start: Vector, to: Vector, clockwise: bool) -> tuple[float, float] | None:
    """The arc's centre in its plane, programmed coordinates; None after the finding that says why there is none."""
    m = c.modal
    u, v, _w = PLANE_AXES[m.plane]
    unit = m.units
    iu, iv = b.letters.get(_CENTRES[u]), b.letters.get(_CENTRES[v])
    begin, end = (start[u], start[v]), (to[u], to[v])
    if (iu is None and iv is None) or (c.profile.arc_by_r and "R" in b.letters):
        return _centre_by_radius(c, b, begin, end, clockwise)
    base = (0.0, 0.0) if m.centres_absolute else begin
    centre = (
        base[0] + c.length(iu.value) if iu is not None else begin[0],
        base[1] + c.length(iv.value) if iv is not None else begin[1],
    )
    r0, r1 = math.dist(begin, centre), math.dist(end, centre)
    tolerance = c.profile.arc_tolerance[unit]
    if abs(r0 - r1) > tolerance or r0 <= TOLERANCES.length_of_nothing_mm:
        c.find_span(
            "arc-mismatch",
            b,
            iu or iv,
            f"start and end of this arc are not equally far from its centre: {show_length(r0, unit)} and "
            f"{show_length(r1, unit)} {unit}, {show_length(abs(r0 - r1), unit)} apart",
            f"check {_CENTRES[u]} and {_CENTRES[v]} (they count from the arc's start point) and the end point",
            {"start_radius_mm": r0, "end_radius_mm": r1, "tolerance_mm": tolerance},
        )
        return None
    return centre


def _centre_by_radius(
    c: Desk, b: BlockWords, begin: tuple[float, float], end: tuple[float, float], clockwise: bool
) -> tuple[float, float] | None:
    m = c.modal
    unit = m.units
    r = b.letters.get("R")
    u, v, _w = PLANE_AXES[m.plane]
    pair = f"{_CENTRES[u]} and {_CENTRES[v]}"
    if r is None:
        c.find_span(
            "arc-centre-missing",
            b,
            b.g_word("motion"),
            f"{m.motion} has neither {_CENTRES[u]} {_CENTRES[v]} nor R: the arc has no centre",
            f"give the centre with {pair}, measured from the arc's start",
        )
        return None
    radius = c.length(r.value)
    chord = math.dist(begin, end)
    if chord <= TOLERANCES.length_of_nothing_mm:
        message = "a full circle cannot be given by R: its centre could be anywhere"
        c.find_span("arc-centre-missing", b, r, message, f"give the centre with {pair}", {"radius_mm": radius})
        return None
    centre = arcs.centre_from_radius(begin, end, radius, clockwise, c.profile.arc_tolerance[unit])
    if centre is None:
        half = show_length(chord / 2, unit)
        c.find_span(
            "arc-mismatch",
            b,
            r,
            f"R{show_length(radius, unit)} is too small: start and end are {show_length(chord, unit)} {unit} apart, so R must be at least {half}",
            "give a radius of at least half the distance, or check the end point",
            {"radius_mm": radius, "chord_mm": chord},
        )
    return centre


MOTIONS: Motions = {
    "G0": _line, "G1": _line, "G2": _arc, "G3": _arc, "G33": _thread, "G38.2": _probe, "G80": _nothing,
}  # fmt: skip
"""What is done for a block under each motion word; the words of canned cycles come from the profile."""
