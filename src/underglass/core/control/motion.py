"""What moves: straight lines, arcs and helices in the three planes, canned cycles."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from underglass.core.control import arcs
from underglass.core.control.block_words import BlockWords
from underglass.core.control.cycles import hole
from underglass.core.control.motions import PLANE_AXES, Kind
from underglass.core.control.state import Vector
from underglass.core.control.words import CYCLES, g_name
from underglass.core.language.block import Word
from underglass.core.tolerances import TOLERANCES
from underglass.core.units import show_length

if TYPE_CHECKING:
    from underglass.core.control.interpret import Control

_AXES = "XYZ"
_CENTRES = "IJK"
_CYCLE_NAMES = frozenset(CYCLES.values())


def programmed(c: Control) -> Vector:
    """Where the machine is, as the program would say it."""
    m = c.modal
    x, y, z = c.at
    s = m.shift
    return m.mapping.back((x - s[0], y - s[1], z - s[2] - m.h_value))


def machine_of(c: Control, place: Vector) -> Vector:
    """A programmed place in machine coordinates."""
    m = c.modal
    x, y, z = m.mapping.forward(place)
    s = m.shift
    return (x + s[0], y + s[1], z + s[2] + m.h_value)


def target(c: Control, letters: dict[str, Word]) -> Vector:
    """Where the block's X Y Z lead, machine coordinates, mm. An axis that is not named stays where it is."""
    m = c.modal
    wx, wy, wz = letters.get("X"), letters.get("Y"), letters.get("Z")
    if m.mapping.plain:
        x, y, z = c.at
        if m.absolute:
            s, e = m.shift, m.mapping.shift
            if wx is not None:
                x = c.length(wx.value) + s[0] + e[0]
            if wy is not None:
                y = c.length(wy.value) + s[1] + e[1]
            if wz is not None:
                z = c.length(wz.value) + s[2] + e[2] + m.h_value
        else:
            if wx is not None:
                x += c.length(wx.value)
            if wy is not None:
                y += c.length(wy.value)
            if wz is not None:
                z += c.length(wz.value)
        return (x, y, z)
    place = list(programmed(c))
    for axis, word in enumerate((wx, wy, wz)):
        if word is not None:
            value = c.length(word.value)
            place[axis] = value if m.absolute else place[axis] + value
    return machine_of(c, (place[0], place[1], place[2]))


def move(c: Control, b: BlockWords) -> None:
    """The block's motion, under the motion word in force."""
    m = c.modal
    found = b.g.get("motion")
    if found is not None:
        name = g_name(found[0])
        if name != m.motion:
            if name in _CYCLE_NAMES and m.motion not in _CYCLE_NAMES:
                c.cycle_begins(b.block)
                c.cycle.r = c.cycle.z = c.cycle.q = None
                c.cycle.dwell = 0.0
                c.cycle.began_at = programmed(c)[2]
            m.motion = name
            c.changed()
    letters = b.letters
    moves = "X" in letters or "Y" in letters or "Z" in letters
    if m.motion in ("G2", "G3"):
        if moves or b.has("IJKR"):
            _arc(c, b)
        return
    if m.motion in _CYCLE_NAMES:
        if moves or (found is not None and b.has("RQ")):
            _cycle(c, b)
        return
    if not moves:
        return
    if m.motion == "G80":
        if b.unknown:
            # The word that was to move it has been complained about already.
            return
        axis = next(letters[a] for a in _AXES if a in letters)
        message = f"{axis.text} says where to go, but no G0, G1, G2 or G3 is in force"
        c.find_word("syntax", b.block, axis, message, "write the motion word at the start of the block")
        return
    end = target(c, letters)
    if "Z" in letters:
        c.judge_z(b)
    straight(c, b, end)


def straight(c: Control, b: BlockWords, end: Vector, machine: bool = False) -> None:
    """G0 or G1 to a place in machine coordinates."""
    if c.modal.motion == "G0":
        c.go(Kind.RAPID, b.block, end, math.nan, machine=machine)
    else:
        c.check_feed(b)
        c.go(Kind.FEED, b.block, end, c.feed_of(math.dist(c.at, end)), machine=machine)


# -- arcs ----------------------------------------------------------------------------------------------------------------


def _arc(c: Control, b: BlockWords) -> None:
    m = c.modal
    if "Z" in b.letters:
        c.judge_z(b)
    c.check_feed(b)
    u, v, w = PLANE_AXES[m.plane]
    start = programmed(c)
    end = target(c, b.letters)
    to = programmed_end(c, end)
    clockwise = m.motion == "G2"
    centre = _arc_centre(c, b, start, to, clockwise)
    transform = m.mapping.transform
    if centre is not None and m.plane != 17 and transform.angle:
        c.find_span(
            "not-proved", b, b.g_word("motion"), f"an arc in G{m.plane} under rotation leaves its plane: it is run as a straight line",
            "rotate only what is cut in G17",
        )  # fmt: skip
        centre = None
    if centre is None:
        # The control would stop here. The proof goes straight to the end, so that what follows can be judged.
        c.go(Kind.FEED, b.block, end, c.feed_of(math.dist(c.at, end)))
        return
    angle = arcs.sweep((start[u], start[v]), (to[u], to[v]), centre, clockwise)
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
    if transform.mirror[u] * transform.mirror[v] < 0.0:
        angle = -angle
    radius = math.dist((start[u], start[v]), centre) * transform.scale
    length = math.hypot(radius * angle, to[w] - start[w])
    kind = Kind.ARC_CW if angle < 0.0 else Kind.ARC_CCW
    c.go(kind, b.block, end, c.feed_of(length), (placed[0], placed[1], placed[2]), angle)


def _past_axis(start: tuple[float, float], centre: tuple[float, float], angle: float) -> bool:
    """Whether an arc goes on beyond the next axis direction through its centre."""
    quarter = math.pi / 2.0
    begin = math.atan2(start[1] - centre[1], start[0] - centre[0])
    into = (begin if angle > 0.0 else -begin) % quarter
    left = quarter - into if into > 1e-6 and quarter - into > 1e-6 else quarter
    return abs(angle) > left + 1e-6


def programmed_end(c: Control, end: Vector) -> Vector:
    """A place in machine coordinates as the program would say it."""
    m = c.modal
    s = m.shift
    return m.mapping.back((end[0] - s[0], end[1] - s[1], end[2] - s[2] - m.h_value))


def _arc_centre(c: Control, b: BlockWords, start: Vector, to: Vector, clockwise: bool) -> tuple[float, float] | None:
    """The arc's centre in its plane, programmed coordinates; None after the finding that says why there is none."""
    m = c.modal
    u, v, _w = PLANE_AXES[m.plane]
    unit = m.units
    iu, iv = b.letters.get(_CENTRES[u]), b.letters.get(_CENTRES[v])
    begin, end = (start[u], start[v]), (to[u], to[v])
    if iu is None and iv is None:
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
    c: Control, b: BlockWords, begin: tuple[float, float], end: tuple[float, float], clockwise: bool
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
    centre = arcs.centre_from_radius(begin, end, radius, clockwise)
    if centre is None:
        half = show_length(chord / 2, unit)
        c.find_span(
            "arc-mismatch",
            b,
            r,
            f"R{show_length(radius, unit)} cannot reach: start and end are {show_length(chord, unit)} {unit} apart, half of that is {half}",
            "give a radius of at least half the distance, or check the end point",
            {"radius_mm": radius, "chord_mm": chord},
        )
    return centre


# -- canned cycles -------------------------------------------------------------------------------------------------------


def _cycle(c: Control, b: BlockWords) -> None:
    """One block of a canned cycle: as many holes as L (or K) says, in G91 each a step further."""
    m, data = c.modal, c.cycle
    if m.plane != 17:
        c.find_span(
            "not-proved", b, b.g_word("motion"), f"a cycle in G{m.plane} is not held by this version", "drill in G17"
        )
        return
    letters = b.letters
    if "Z" in letters and "X" not in letters and "Y" not in letters and "motion" not in b.g:
        c.find_word(
            "cycle-left-on",
            b.block,
            letters["Z"],
            f"{m.motion} is still in force: {letters['Z'].text} makes another hole here, it does not move Z",
            "write G80 before a plain move of Z",
            {"cycle": m.motion},
        )
    here = programmed(c)
    if "Z" in letters or "R" in letters:
        c.judge_z(b)
    if "R" in letters:
        data.r = c.length(letters["R"].value) + (0.0 if m.absolute else here[2])
    if "Z" in letters:
        base = data.r if data.r is not None else here[2]
        data.z = c.length(letters["Z"].value) + (0.0 if m.absolute else base)
    if "Q" in letters:
        data.q = c.length(letters["Q"].value)
    if "P" in letters:
        data.dwell = c.profile.dwell_seconds(letters["P"].value)
    if data.r is None:
        data.r = here[2]
    if data.z is None or data.z > data.r:
        what = "no Z for the hole's bottom" if data.z is None else "a bottom above its R height"
        c.find_span("syntax", b, b.g_word("motion"), f"{m.motion} has {what}", "give R above the work and Z below it")
        return
    c.check_feed(b)
    times = b.value("L") if "L" in letters else b.value("K")
    for _ in range(min(int(times), 10_000) if times is not None else 1):
        _hole(c, b)


def _hole(c: Control, b: BlockWords) -> None:
    m, data = c.modal, c.cycle
    assert data.r is not None and data.z is not None
    here = programmed(c)
    back = max(data.began_at, data.r) if m.return_to == "G98" else data.r
    place = [here[0], here[1]]
    for axis, letter in enumerate("XY"):
        if letter in b.letters:
            value = c.length(b.letters[letter].value)
            place[axis] = value if m.absolute else place[axis] + value
    z = here[2]
    if z < data.r:
        z = data.r
        c.go(Kind.CYCLE_RAPID, b.block, machine_of(c, (here[0], here[1], z)), math.nan)
    c.go(Kind.CYCLE_RAPID, b.block, machine_of(c, (place[0], place[1], z)), math.nan)
    c.go(Kind.CYCLE_RAPID, b.block, machine_of(c, (place[0], place[1], data.r)), math.nan)
    aside = 0.0
    for step in hole(m.motion, data.r, data.z, data.q, data.dwell, back, m.spindle):
        if step.kind == "spindle":
            c.set_spindle(step.word)
        elif step.kind == "dwell":
            c.wait(b.block, step.seconds)
        elif step.kind == "aside":
            aside += step.aside
            at = programmed(c)
            c.go(Kind.CYCLE_RAPID, b.block, machine_of(c, (place[0] + aside, place[1], at[2])), math.nan)
        else:
            end = machine_of(c, (place[0] + aside, place[1], step.z))
            if step.kind == "feed":
                c.go(Kind.CYCLE_FEED, b.block, end, c.feed_of(math.dist(c.at, end)))
            else:
                c.go(Kind.CYCLE_RAPID, b.block, end, math.nan)
