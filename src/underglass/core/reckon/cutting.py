"""Spindle speed and feed, both ways.

Source: definitions of cutting speed, feed per tooth and feed speed as in ISO 3002-1 and ISO 3002-3 (from memory):
n = 1000 vc / (pi D), vf = n fz z in mm; n = 12 vc / (pi D) with feet and inches.
"""

from __future__ import annotations

import math

from underglass.core.reckon.form import Answer, CannotBe, Entries, Field, Reckoner, Row, plain
from underglass.core.units import Unit


def spindle_speed(surface: float, diameter: float, unit: Unit) -> float:
    """rpm from surface speed (m/min, or ft/min in inch) and diameter (mm or inch)."""
    return surface * (12.0 if unit == "inch" else 1000.0) / (math.pi * diameter)


def surface_speed(rpm: float, diameter: float, unit: Unit) -> float:
    """m/min (ft/min in inch) from rpm and diameter."""
    return rpm * math.pi * diameter / (12.0 if unit == "inch" else 1000.0)


def _milling(e: Entries) -> Answer:
    d, teeth = e.positive("d", "The diameter"), e.count("z")
    speed_unit, places = ("ft/min", 4) if e.unit == "inch" else ("m/min", 3)
    factor = "12" if e.unit == "inch" else "1000"
    if e.word("from") == "surface":
        vc, fz = e.positive("vc", "The surface speed"), e.positive("fz", "The chip load")
        n = spindle_speed(vc, d, e.unit)
        vf = n * fz * teeth
        steps = (
            f"n = {factor} \u00b7 vc / (\u03c0 \u00b7 D) = {factor} \u00b7 {plain(vc)} / (\u03c0 \u00b7 {e.show(d)}) = {plain(n, 0)} rpm",
            f"vf = n \u00b7 fz \u00b7 z = {plain(n, 0)} \u00b7 {plain(fz, 4)} \u00b7 {teeth} = {plain(vf, places - 2)}",
        )
    else:
        n, vf = e.positive("n", "The spindle speed"), e.positive("vf", "The feed")
        vc, fz = surface_speed(n, d, e.unit), vf / n / teeth
        steps = (
            f"vc = \u03c0 \u00b7 D \u00b7 n / {factor} = \u03c0 \u00b7 {e.show(d)} \u00b7 {plain(n)} / {factor} = {plain(vc, 1)} {speed_unit}",
            f"fz = vf / (n \u00b7 z) = {plain(vf)} / ({plain(n)} \u00b7 {teeth}) = {plain(fz, 4)}",
        )
    if n < 1.0:
        raise CannotBe("this is less than one turn a minute", "vc")
    return Answer(
        (
            Row("Spindle", f"S{plain(n, 0)}", "rpm"),
            Row("Feed", f"F{plain(vf, places - 2)}", "in/min" if e.unit == "inch" else "mm/min"),
            Row("Surface speed", plain(vc, 1), speed_unit),
            Row("Chip load", plain(fz, 4), "a tooth"),
        ),
        steps,
        (f"S{plain(n, 0)} F{plain(vf, places - 2)}",),
        by_turn=(f"S{plain(n, 0)} F{plain(vf / n, places + 1)}",),
    )


def _tapping(e: Entries) -> Answer:
    n, pitch = e.positive("n", "The spindle speed"), e.positive("p", "The pitch")
    vf = n * pitch
    return Answer(
        (Row("Feed", f"F{plain(vf, 3)}"), Row("Feed a turn, G95", f"F{plain(pitch, 5)}")),
        (f"vf = n \u00b7 P = {plain(n)} \u00b7 {plain(pitch, 4)} = {plain(vf, 3)}",),
        (f"S{plain(n, 0)} F{plain(vf, 3)}",),
        by_turn=(f"S{plain(n, 0)} F{plain(pitch, 5)}",),
    )


RECKONERS = (
    Reckoner(
        "Speed and feed",
        "Cutting",
        (
            Field("from", "From", "choice", "surface", choices=(("surface", "surface speed and chip load"), ("spindle", "spindle and feed"))),
            Field("d", "Tool diameter", start="10", start_inch="0.5"),
            Field("z", "Teeth", "count", "3"),
            Field("vc", "Surface speed", "speed", "120", "400", shown=lambda v: v.get("from", "surface") == "surface"),
            Field("fz", "Chip load", "tooth", "0.05", "0.002", shown=lambda v: v.get("from", "surface") == "surface"),
            Field("n", "Spindle", "number", "4000", shown=lambda v: v.get("from") == "spindle"),
            Field("vf", "Feed", "feed", "600", "24", shown=lambda v: v.get("from") == "spindle"),
        ),
        _milling,
        "Definitions of ISO 3002-1 and ISO 3002-3 (from memory)",
    ),
    Reckoner(
        "Feed for tapping",
        "Cutting",
        (Field("n", "Spindle", "number", "400"), Field("p", "Pitch", "length", "1.25", "0.05")),
        _tapping,
        "Feed a turn is the pitch: common practice, no source",
    ),
)  # fmt: skip
