"""A lathe tool's entry in a job or a tool set."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from underglass.core.bench.lathe import BLADES, INSERT_ANGLES, LATHE_WORDS, ON_AXIS, Bar, LatheTool, Shank
from underglass.core.entries.checked import Table

_POINTS = {"drill": 118.0, "spot-drill": 90.0, "centre-drill": 60.0}
"""Common practice, no source: point angles where the job does not say, degrees."""

_THREAD_EDGE_MM = 3.0
"""How high a threading insert's flanks are where L does not say (common practice, no source)."""

_THREAD_REACH_MM = 12.0
"""How far behind the tip the holder of a threading insert begins, where the job does not say."""


def highest_number(machine: Mapping[str, float]) -> float:
    """The highest number that a tool of this machine may have: several sit at one station."""
    return 4.0 * machine["stations"] if machine.get("stations") else math.inf


def read_lathe_tool(entry: Table, scale: float, machine: Mapping[str, float]) -> LatheTool:
    """One ``[[tool]]``. Raises ``BadEntry``."""
    number = entry.whole("number", least=1)
    if number is None:
        raise entry.bad("number", "a tool needs the number of its station")
    if number > highest_number(machine):
        stations = int(machine["stations"])
        raise entry.bad("number", f"this turret has {stations} stations; tool {number} is none of them")
    kind = entry.choice("kind", list(LATHE_WORDS))
    gauge = entry.table("gauge")
    if gauge is None:
        raise entry.bad("gauge", "a tool needs its real gauge, as in gauge = { x = 120.0, z = 60.0 }")
    at = (gauge.number("x", 0.0) * scale / 2.0, gauge.need_number("z") * scale)
    gauge.done()
    turns = entry.choice("turns", ["cw", "ccw", "either"], "cw")
    substrate = entry.choice("substrate", ["carbide", "hss"], "carbide")
    common: dict[str, Any] = {"number": number, "kind": kind, "gauge": at, "turns": turns, "substrate": substrate}
    if kind in ON_AXIS:
        made = _on_axis(entry, kind, scale, common)
    else:
        made = _off_axis(entry, kind, scale, common)
    entry.done()
    return made


def _on_axis(entry: Table, kind: str, scale: float, common: dict[str, Any]) -> LatheTool:
    diameter = entry.need_number("DC", above=0.0) * scale
    point = math.radians(entry.number("SIG", _POINTS.get(kind, 180.0), above=0.0, most=180.0))
    flutes = entry.number("APMX", 5.0 * diameter / scale, above=0.0) * scale
    corner = entry.number("RE", 0.0, least=0.0) * scale
    if corner > diameter / 2.0 + 1e-9:
        raise entry.bad("RE", "a corner radius is no larger than half the diameter")
    pitch = entry.number("TP", 0.0, least=0.0) * scale
    stickout = entry.number("stickout", (flutes + 10.0) / scale, above=0.0) * scale
    holder = _bar(entry, scale)
    return LatheTool(
        **common, DC=diameter, SIG=point, APMX=flutes, RE=corner, TP=pitch, stickout=stickout, holder=holder, orientation=7
    )  # fmt: skip


def _bar(entry: Table, scale: float) -> Bar | None:
    table = entry.table("holder")
    if table is None:
        return None
    out = Bar(
        diameter=table.need_number("diameter", above=0.0) * scale, length=table.need_number("length", above=0.0) * scale
    )  # fmt: skip
    table.done()
    return out


def _off_axis(entry: Table, kind: str, scale: float, common: dict[str, Any]) -> LatheTool:
    usual = {"boring": 2, "threading": 8}.get(kind, 3)
    side = entry.whole("orientation", usual, least=1) or usual
    if side > 9:
        raise entry.bad("orientation", "orientations are 1 to 9: where the tip lies, seen from the nose's centre")
    nose = entry.number("RE", 0.0, least=0.0) * scale
    more: dict[str, Any] = {"orientation": side, "RE": nose}
    length = 0.0
    if kind in BLADES:
        more["width"] = entry.need_number("width", above=0.0) * scale
        more["depth"] = entry.need_number("depth", above=0.0) * scale
        if 2.0 * nose > more["width"] + 1e-9:
            raise entry.bad("RE", "the corners of a blade are no larger than half its width")
    elif kind == "threading":
        more["SIG"] = math.radians(entry.number("SIG", 60.0, above=0.0, most=179.0))
        pair = entry.numbers("pitch", 2, above=0.0)
        more["pitch"] = tuple(p * scale for p in pair) if pair is not None else (0.0, 0.0)
        length = entry.number("L", _THREAD_EDGE_MM / scale, above=0.0) * scale
    else:
        length = _insert(entry, scale, nose, more)
    more["L"] = length
    holder, from_tip = _holder(entry, scale, length, _THREAD_REACH_MM if kind == "threading" else None)
    return LatheTool(**common, **more, holder=holder, from_tip=from_tip)


def _insert(entry: Table, scale: float, nose: float, more: dict[str, Any]) -> float:
    """ISO 1832's shape with its edge length and cutting edge angle, or an outline of one's own."""
    raw = entry.raw("outline")
    if raw is not None:
        if not isinstance(raw, list) or len(raw) < 3 or not all(isinstance(p, list) and len(p) == 2 for p in raw):
            raise entry.bad("outline", "an outline is a list of [x, z] places from the tip, at least three")
        more["outline"] = tuple(
            (entry.checked_number("outline", x) * scale, entry.checked_number("outline", z) * scale) for x, z in raw
        )
        return entry.number("L", 0.0, least=0.0) * scale
    shape = entry.choice("insert", list(INSERT_ANGLES))
    more["insert"] = shape
    if shape == "R":
        if nose <= 0.0:
            raise entry.bad("RE", "a round insert needs its radius")
        entry.number("KAPR", None)
        return entry.number("L", 2.0 * nose / scale, least=0.0) * scale
    length = entry.need_number("L", above=0.0) * scale
    angle = entry.need_number("KAPR", above=0.0, most=180.0)
    other = 180.0 - angle - INSERT_ANGLES[shape]
    if other < -30.0:
        raise entry.bad(
            "KAPR", f"an insert of {INSERT_ANGLES[shape]:g} degrees at {angle:g} leaves no room for its other edge"
        )  # fmt: skip
    more["KAPR"] = math.radians(angle)
    if nose / math.tan(math.radians(INSERT_ANGLES[shape]) / 2.0) > length:
        raise entry.bad("RE", f"a nose of {nose / scale:g} does not fit on an edge of {length / scale:g}")
    return length


def _holder(
    entry: Table, scale: float, length: float, reach: float | None = None
) -> tuple[Shank | Bar | None, tuple[float, float]]:
    table = entry.table("holder")
    if table is None:
        return None, (0.0, 0.0)
    tip = table.table("from_tip")
    far = table.need_number("length", above=0.0) * scale
    if "diameter" in table:
        holder: Shank | Bar = Bar(diameter=table.need_number("diameter", above=0.0) * scale, length=far)
        usual = (0.3, 0.5 * length)
    else:
        holder = Shank(width=table.need_number("width", above=0.0) * scale, length=far)
        usual = (0.7 * length if reach is None else reach, 0.1 * length)
    if tip is not None:
        usual = (tip.number("x", usual[0] / scale) * scale, tip.number("z", usual[1] / scale) * scale)
        tip.done()
    table.done()
    return holder, usual
