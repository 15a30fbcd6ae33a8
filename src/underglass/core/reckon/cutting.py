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
        rows=(
            Row("Spindle", f"S{plain(n, 0)}", "rpm"),
            Row("Feed", f"F{plain(vf, places - 2)}", "in/min" if e.unit == "inch" else "mm/min"),
            Row("Surface speed", plain(vc, 1), speed_unit),
            Row("Chip load", plain(fz, 4), "a tooth"),
        ),
        steps=steps,
        blocks=(f"S{plain(n, 0)} F{plain(vf, places - 2)}",),
        by_turn=(f"S{plain(n, 0)} F{plain(vf / n, places + 1)}",),
    )


def _tapping(e: Entries) -> Answer:
    n, pitch = e.positive("n", "The spindle speed"), e.positive("p", "The pitch")
    vf = n * pitch
    return Answer(
        rows=(Row("Feed", f"F{plain(vf, 3)}"), Row("Feed a turn, G95", f"F{plain(pitch, 5)}")),
        steps=(f"vf = n \u00b7 P = {plain(n)} \u00b7 {plain(pitch, 4)} = {plain(vf, 3)}",),
        blocks=(f"S{plain(n, 0)} F{plain(vf, 3)}",),
        by_turn=(f"S{plain(n, 0)} F{plain(pitch, 5)}",),
    )


RECKONERS = (
    Reckoner(
        name="Speed and feed",
        group="Cutting",
        fields=(
            Field(key="from", word="From", kind="choice", start="surface", choices=(("surface", "surface speed and chip load"), ("spindle", "spindle and feed"))),
            Field(key="d", word="Tool diameter", start="10", start_inch="0.5"),
            Field(key="z", word="Teeth", kind="count", start="3"),
            Field(key="vc", word="Surface speed", kind="speed", start="120", start_inch="400", shown=lambda v: v.get("from", "surface") == "surface"),
            Field(key="fz", word="Chip load", kind="tooth", start="0.05", start_inch="0.002", shown=lambda v: v.get("from", "surface") == "surface"),
            Field(key="n", word="Spindle", kind="number", start="4000", shown=lambda v: v.get("from") == "spindle"),
            Field(key="vf", word="Feed", kind="feed", start="600", start_inch="24", shown=lambda v: v.get("from") == "spindle"),
        ),
        work=_milling,
        source="Definitions of ISO 3002-1 and ISO 3002-3 (from memory)",
    ),
    Reckoner(
        name="Feed for tapping",
        group="Cutting",
        fields=(Field(key="n", word="Spindle", kind="number", start="400"), Field(key="p", word="Pitch", kind="length", start="1.25", start_inch="0.05")),
        work=_tapping,
        source="Feed a turn is the pitch: common practice, no source",
    ),
)  # fmt: skip
