"""Arcs in a plane: the centre from R, the angle swept from centre and ends. Angles counter-clockwise positive."""

from __future__ import annotations

import math

from underglass.core.tolerances import TOLERANCES

Point = tuple[float, float]


def sweep(start: Point, end: Point, centre: Point, clockwise: bool) -> float:
    """Angle from start to end about the centre, rad, in (0, 2 pi] or [-2 pi, 0).

    Where end and start are the same place it is a full turn (NISTIR 6556 section 3.5.3.2, from memory).
    """
    a = math.atan2(start[1] - centre[1], start[0] - centre[0])
    b = math.atan2(end[1] - centre[1], end[0] - centre[0])
    turn = (a - b if clockwise else b - a) % math.tau
    if math.dist(start, end) <= TOLERANCES.length_of_nothing_mm or turn < TOLERANCES.angle_of_nothing_rad:
        turn = math.tau
    return -turn if clockwise else turn


def nearly_whole(start: Point, end: Point, angle: float) -> bool:
    """Whether an arc goes all but a hair of a whole turn: its end lies just behind its start."""
    return TOLERANCES.length_of_nothing_mm < math.dist(start, end) <= TOLERANCES.hair_mm and abs(angle) > math.pi


def centre_from_radius(
    start: Point, end: Point, radius: float, clockwise: bool, tolerance: float = TOLERANCES.chord_mm
) -> Point | None:
    """Centre of the arc with this radius; None where it is less than half the chord or start and end coincide.

    A positive radius means the arc of at most 180 degrees, a negative one the longer arc. A radius short of half the
    chord by no more than ``tolerance`` (a half circle written with few decimals) is taken as half the chord.
    """
    dx, dy = end[0] - start[0], end[1] - start[1]
    chord = math.hypot(dx, dy)
    if chord <= TOLERANCES.length_of_nothing_mm:
        return None
    square = radius * radius - chord * chord / 4.0
    if square < 0.0:
        if chord / 2.0 - abs(radius) > tolerance:
            return None
        square = 0.0
    height = math.sqrt(square)
    # The centre lies left of the way from start to end for a short counter-clockwise arc.
    side = -1.0 if clockwise else 1.0
    if radius < 0.0:
        side = -side
    return (
        (start[0] + end[0]) / 2.0 - side * height * dy / chord,
        (start[1] + end[1]) / 2.0 + side * height * dx / chord,
    )


def chords(radius: float, angle: float, off: float) -> int:
    """How many chords stand for an arc so that none lies farther from it than ``off`` (mm); at least two."""
    radius = max(radius, off)
    step = 2.0 * math.acos(max(-1.0, 1.0 - off / radius))
    return max(2, math.ceil(abs(angle) / step))
