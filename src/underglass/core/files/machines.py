"""Machine profiles of the kinds that are no mill. X of a lathe stands as a diameter in the file, and as a radius from here on."""

from __future__ import annotations

import itertools
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
        name=name, title=title, travel_min=(x[0] / 2.0, -1.0, z[0]), travel_max=(x[1] / 2.0, 1.0, z[1]), home=at, table_z=0.0, rapid=(rapid[0], 1e4, rapid[1]), feed_max=feed, spindle_max=speed, nose_diameter=0.0,
        acceleration=(accel, accel, accel), tool_change_s=seconds, tool_change_lift_z=None, second_home=at, spindle_kw=power, kind="lathe", axes="xz", x_factor=2.0, more=more,
    )  # fmt: skip


def _flat_travel(top: Table) -> tuple[tuple[float, float], tuple[float, float], tuple[float, float, float]]:
    travel = _part(top, "travel")
    x, y = _range(travel, "x"), _range(travel, "y")
    travel.done()
    home = _part(top, "home")
    at = (home.need_number("x"), home.need_number("y"), 0.0)
    home.done()
    return x, y, at


def read_sheet(top: Table, name: str, title: str) -> Machine:
    """A sheet cutter. Raises ``BadEntry``."""
    x, y, at = _flat_travel(top)
    rates = _part(top, "rates")
    rapid, feed = rates.need_number("rapid", above=0.0), rates.need_number("feed_max", above=0.0)
    accel = rates.need_number("acceleration", above=0.0)
    rates.done()
    more: dict[str, float] = {}
    slats, head = top.table("slats"), top.table("head")
    if slats is not None:
        more |= {
            "slat_pitch": slats.number("pitch", 0.0, least=0.0),
            "slat_thickness": slats.number("thickness", 0.0, least=0.0),
        }
        slats.done()
    if head is not None:
        more |= {
            "head_diameter": head.number("diameter", 0.0, least=0.0),
            "head_lifts": float(head.flag("lifts", True)),
        }
        head.done()
    top.done()
    return Machine(
        name=name, title=title, travel_min=(x[0], y[0], -1.0), travel_max=(x[1], y[1], 1.0), home=at, table_z=0.0, rapid=(rapid, rapid, rapid), feed_max=feed, spindle_max=1e9, nose_diameter=0.0, acceleration=(accel, accel, accel), tool_change_s=0.0, tool_change_lift_z=None,
        second_home=at, spindle_kw=None, kind="sheet", axes="xy", x_factor=1.0, more=more,
    )  # fmt: skip


def _rates(part: Table) -> dict[str, float]:
    """``rate = [[pitch, hits a minute], ...]``, rising in pitch, as figures by key."""
    raw = part.raw("rate")
    if not isinstance(raw, list) or not raw or not all(isinstance(r, list) and len(r) == 2 for r in raw):
        raise part.bad("rate", "this must be pairs of a pitch and hits a minute, as in [[25.0, 280.0]]")
    pairs = [(part.checked_number("rate", a), part.checked_number("rate", b)) for a, b in raw]
    if any(a < 0.0 or b <= 0.0 for a, b in pairs) or any(p[0] >= q[0] for p, q in itertools.pairwise(pairs)):
        raise part.bad("rate", "the pitches rise, and the hits a minute are above 0")
    return {f"{k}": v for n, pair in enumerate(pairs) for k, v in ((f"pitch_{n}", pair[0]), (f"hits_{n}", pair[1]))}


def read_punch(top: Table, name: str, title: str) -> Machine:
    """A turret punch. Raises ``BadEntry``."""
    x, y, at = _flat_travel(top)
    rates = _part(top, "rates")
    rapid, accel = rates.need_number("rapid", above=0.0), rates.need_number("acceleration", above=0.0)
    rates.done()
    turret = _part(top, "turret")
    seconds = turret.number("seconds", 1.0, least=0.0)
    more = {
        "station_diameter": turret.number("station_diameter", 0.0, least=0.0),
        "stations": float(turret.whole("stations", 24, least=1) or 24),
    }
    turret.done()
    for key, label in (("punching", "punch"), ("nibbling", "nibble")):
        part = _part(top, key)
        if key == "nibbling":
            more |= {
                "smallest_pitch": part.number("smallest_pitch", 0.0, least=0.0),
                "largest_pitch": part.number("largest_pitch", 1e9, least=0.0),
            }
        more |= {f"{label}_{k}": v for k, v in _rates(part).items()}
        part.done()
    top.done()
    return Machine(
        name=name, title=title, travel_min=(x[0], y[0], -1.0), travel_max=(x[1], y[1], 1.0), home=at, table_z=0.0, rapid=(rapid, rapid, rapid), feed_max=1e9, spindle_max=1e9, nose_diameter=0.0, acceleration=(accel, accel, accel), tool_change_s=seconds, tool_change_lift_z=None,
        second_home=at, spindle_kw=None, kind="punch", axes="xy", x_factor=1.0, more=more,
    )  # fmt: skip


READERS: Mapping[str, Callable[[Table, str, str], Machine]] = {
    "lathe": read_lathe,
    "sheet": read_sheet,
    "punch": read_punch,
}
"""By kind."""
