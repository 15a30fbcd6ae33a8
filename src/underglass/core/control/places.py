"""Between what a program says and where the machine stands: one place, both ways."""

from __future__ import annotations

from underglass.core.control.desk import Desk
from underglass.core.control.state import Vector
from underglass.core.language.block import Word


def programmed(c: Desk) -> Vector:
    """Where the machine is, as the program would say it."""
    m = c.modal
    x, y, z = c.at
    s = m.shift
    return m.mapping.back((x - s[0], y - s[1], z - s[2] - m.h_value))


def machine_of(c: Desk, place: Vector) -> Vector:
    """A programmed place in machine coordinates."""
    m = c.modal
    x, y, z = m.mapping.forward(place)
    s = m.shift
    return (x + s[0], y + s[1], z + s[2] + m.h_value)


def target(c: Desk, letters: dict[str, Word]) -> Vector:
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


def programmed_end(c: Desk, end: Vector) -> Vector:
    """A place in machine coordinates as the program would say it."""
    m = c.modal
    s = m.shift
    return m.mapping.back((end[0] - s[0], end[1] - s[1], end[2] - s[2] - m.h_value))


def axis_by_axis(start: Vector, end: Vector, rates: Vector) -> list[Vector]:
    """The corners of a rapid on which every axis runs at its own rate until it is there: the last is ``end``."""
    times = [abs(b - a) / rate for a, b, rate in zip(start, end, rates)]
    out: list[Vector] = []
    for moment in sorted(set(times) - {0.0}):
        x, y, z = (b if t <= moment else a + (b - a) * moment / t for a, b, t in zip(start, end, times))
        out.append((x, y, z))
    return out or [end]
