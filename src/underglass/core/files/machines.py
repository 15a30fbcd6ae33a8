"""Machine profiles of the kinds that are no mill. X of a lathe stands as a diameter in the file, and as a radius from here on."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from underglass.core.bench.machine import Machine
from underglass.core.entries.checked import Table


def _part(top: Table, name: str) -> Table:
    part = top.table(name)
    if part is None:
        raise top.bad(name, "this table is missing")
    return part


def _range(part: Table, axis: str) -> tuple[float, float]:
    pair = part.numbers(axis, 2)
    if pair is None or pair[0] >= pair[1]:
        raise part.bad(axis, "this must be the two ends of the axis, the smaller first")
    return (pair[0], pair[1])


def read_lathe(top: Table, name: str, title: str) -> Machine:
    """A two-axis lathe. Raises ``BadEntry``."""
    travel = _part(top, "travel")
    x, z = _range(travel, "x"), _range(travel, "z")
    travel.done()
    home = _part(top, "home")
    at = (home.need_number("x") / 2.0, 0.0, home.need_number("z"))
    home.done()
    rates = _part(top, "rates")
    rapid = (rates.need_number("rapid_x", above=0.0), rates.need_number("rapid_z", above=0.0))
    feed, accel = rates.need_number("feed_max", above=0.0), rates.need_number("acceleration", above=0.0)
    rates.done()
    spindle = _part(top, "spindle")
    speed, nose = spindle.need_number("max", above=0.0), spindle.need_number("nose_z")
    power = spindle.number("power_kw", None, above=0.0)
    spindle.done()
    turret = _part(top, "turret")
    more = {
        "nose_z": nose,
        "stations": float(turret.whole("stations", 8, least=1) or 8),
        "turret_axis": turret.number("axis", 120.0),
        "turret_swing": turret.number("swing", 180.0, least=0.0),
    }
    seconds = turret.number("seconds", 1.0, least=0.0)
    turret.done()
    top.done()
    return Machine(
        name, title, (x[0] / 2.0, -1.0, z[0]), (x[1] / 2.0, 1.0, z[1]), at, 0.0, (rapid[0], 1e4, rapid[1]), feed, speed, 0.0,
        (accel, accel, accel), seconds, None, at, power, "lathe", "xz", 2.0, more,
    )  # fmt: skip


READERS: Mapping[str, Callable[[Table, str, str], Machine]] = {"lathe": read_lathe}
"""By kind."""
