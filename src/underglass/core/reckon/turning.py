"""What a turner reckons: tapers, tip radius on a cone, limit diameters of surface speed, passes of a thread.

Each formula is common practice, no source, unless its answer says otherwise. X is a diameter.
"""

from __future__ import annotations

import math

from underglass.core.reckon.form import Answer, CannotBe, Entries, Field, Reckoner, Row, plain
from underglass.core.units import MM_PER_INCH


def _taper(e: Entries) -> Answer:
    by = e.word("by")
    if by == "ends":
        small, large, long = (
            e.positive("d", "The small diameter"),
            e.positive("big", "The large diameter"),
            e.positive("l", "The length"),
        )
        if large <= small:
            raise CannotBe("the large diameter is no larger than the small one", "big")
        slope = (large - small) / 2.0 / long
        first = f"tan a = (D \u2212 d) / (2 \u00b7 L) = ({e.show(large)} \u2212 {e.show(small)}) / (2 \u00b7 {e.show(long)})"
    elif by == "ratio":
        ratio = e.positive("ratio", "The taper")
        slope = 1.0 / ratio / 2.0
        first = f"tan a = 1 / (2 \u00b7 {plain(ratio)})"
    else:
        angle = e.number("angle")
        if not 0.0 < angle < 89.0:
            raise CannotBe("the angle of a side lies between 0 and 89 degrees", "angle")
        slope = math.tan(math.radians(angle))
        first = f"a = {plain(angle, 4)}\u00b0"
    side = math.degrees(math.atan(slope))
    rows = [
        Row("Angle a side", plain(side, 4), "\u00b0"),
        Row("Included angle", plain(2.0 * side, 4), "\u00b0"),
        Row("Taper", f"1 : {plain(1.0 / (2.0 * slope), 4)}"),
    ]
    text: tuple[str, ...] = ()
    if by != "ends":
        small, long = e.positive("d", "The small diameter"), e.positive("l", "The length")
        large = small + 2.0 * slope * long
        rows.append(Row("Large diameter", e.show(large), e.unit))
    text = (f"G1 X{e.show(large)} Z-{e.show(long)}",)
    return Answer(rows=tuple(rows), steps=(first, f"D = d + 2 \u00b7 L \u00b7 tan a = {e.show(large)}"), blocks=text)


def cone_error(radius: float, angle_rad: float) -> float:
    """How far off, square to it, a cone that rises towards the chuck stands without compensation: RE (cos a + sin a - 1)."""
    return radius * (math.cos(angle_rad) + math.sin(angle_rad) - 1.0)


def _tip(e: Entries) -> Answer:
    re, angle = e.positive("re", "The nose radius"), e.number("angle")
    if not 0.0 <= angle <= 90.0:
        raise CannotBe("the angle of a side lies between 0 and 90 degrees", "angle")
    a = math.radians(angle)
    off = cone_error(re, a)
    along = re * (1.0 - math.tan(a / 2.0))
    deep = re * (1.0 + math.sin(a) - math.cos(a))
    across = along * math.tan(a)
    return Answer(
        rows=(
            Row("Stands off on a rising cone", e.show(off), e.unit),
            Row("Too deep on a falling cone", e.show(deep), e.unit),
            Row("Shift in Z by hand", e.show(along), e.unit),
            Row("Shift in X by hand, a diameter", e.show(2.0 * across), e.unit),
        ),
        steps=(
            f"e = RE (cos a + sin a \u2212 1) = {e.show(re)} \u00b7 ({plain(math.cos(a), 5)} + {plain(math.sin(a), 5)} \u2212 1) = {e.show(off)}",
            f"dZ = RE (1 \u2212 tan(a / 2)) = {e.show(along)}",
            f"dX = 2 dZ tan a = {e.show(2.0 * across)}",
        ),
    )


def _limits(e: Entries) -> Answer:
    speed, most = e.positive("vc", "The surface speed"), e.positive("n", "The speed limit")
    factor, unit = (12.0, "ft/min") if e.unit == "inch" else (1000.0, "m/min")
    least = speed * factor / (math.pi * most)
    d = e.positive("d", "The diameter")
    turns = min(speed * factor / (math.pi * d), most)
    return Answer(
        rows=(
            Row("Limit reached below", e.show(least), f"{e.unit} diameter"),
            Row("Spindle at this diameter", plain(turns, 0), "rpm"),
            Row("Surface speed there", plain(math.pi * d * turns / factor, 1), unit),
        ),
        steps=(
            f"d = {plain(factor)} \u00b7 vc / (\u03c0 \u00b7 n) = {plain(factor)} \u00b7 {plain(speed)} / (\u03c0 \u00b7 {plain(most)}) = {e.show(least)}",
        ),
        blocks=(f"G50 S{plain(most, 0)}", f"G96 S{plain(speed, 0)} M3"),
    )


def _thread(e: Entries) -> Answer:
    pitch, first, least = e.positive("p", "The pitch"), e.positive("first", "The first pass"), e.number("least")
    d = e.positive("d", "The diameter")
    depth = 0.61343 * pitch
    if first > depth:
        raise CannotBe("the first pass is deeper than the thread", "first")
    deep, n, cuts = 0.0, 0, []
    while deep < depth - 1e-9 and n < 200:
        n += 1
        deep = min(max(first * math.sqrt(n), deep + least), depth)
        cuts.append(deep)
    root = d - 2.0 * depth
    return Answer(
        rows=(
            Row("Depth on the radius", e.show(depth), e.unit),
            Row("Root diameter", e.show(root), e.unit),
            Row("Passes", str(len(cuts))),
            Row(
                "They stand at",
                ", ".join(e.show(d - 2.0 * c) for c in cuts[:14]) + (" \u2026" if len(cuts) > 14 else ""),
            ),
        ),
        steps=(
            "h = 0.61343 \u00b7 P (ISO 68-1, from memory)",
            "depth of pass n = first \u00b7 \u221an, not below the least (equal area)",
        ),
    )


def _parting(e: Entries) -> Answer:
    d, feed, speed = e.positive("d", "The diameter"), e.positive("f", "The feed"), e.positive("vc", "The surface speed")
    most, bore, width = e.positive("n", "The speed limit"), e.maybe("bore") or 0.0, e.positive("w", "The blade")
    if bore >= d:
        raise CannotBe("the bore is no smaller than the bar", "bore")
    factor = 12.0 if e.unit == "inch" else 1000.0
    limit = min(max(speed * factor / (math.pi * most), bore), d)
    # dt = dr / (f n), n = factor vc / (pi x) above the limit's diameter and the limit below.
    above = math.pi * (d * d - limit * limit) / (4.0 * factor * speed * feed)
    below = (limit - bore) / 2.0 / (feed * most)
    deep = (d - bore) / 2.0
    return Answer(
        rows=(
            Row("Blade reaches", e.show(deep), e.unit),
            Row(
                "Reach over width",
                plain(deep / width, 1),
                "8 and more chatters" if deep / width >= 8.0 else "steady enough",
            ),
            Row("Speed limit below", e.show(limit), f"{e.unit} diameter"),
            Row("Time", plain((above + below) * 60.0, 1), "s"),
            Row(
                "Feed for the last 2 mm" if e.unit == "mm" else "Feed for the last 0.08", plain(feed / 2.0, 4), "a turn"
            ),
        ),
        steps=(
            f"t = \u03c0 (D\u00b2 \u2212 d\u00b2) / (4 \u00b7 {plain(factor)} \u00b7 vc \u00b7 f) + (d \u2212 bore) / (2 \u00b7 f \u00b7 n) = {plain(above * 60.0, 2)} + {plain(below * 60.0, 2)} s",
            f"d = {plain(factor)} \u00b7 vc / (\u03c0 \u00b7 n) = {e.show(limit)}",
        ),
        blocks=(
            f"G50 S{plain(most, 0)}",
            f"G96 S{plain(speed, 0)} M3",
            f"G1 X{e.show(bore) if bore else '-0.2' if e.unit == 'mm' else '-0.008'} F{plain(feed, 4)}",
        ),
    )


def _chip(e: Entries) -> Answer:
    scale = MM_PER_INCH if e.unit == "inch" else 1.0
    deep, feed = e.positive("a", "The depth of cut"), e.positive("f", "The feed")
    d0, d1, f0, f1 = (v / scale for v in _WINDOWS[e.word("m")])

    def said(value: float, low: float, high: float) -> str:
        return "too little" if value < low - 1e-9 else "too much" if value > high + 1e-9 else "in the window"

    return Answer(
        rows=(
            Row("Depth from, to", f"{e.show(d0)}  {e.show(d1)}", said(deep, d0, d1)),
            Row("Feed a turn from, to", f"{plain(f0, 4)}  {plain(f1, 4)}", said(feed, f0, f1)),
            Row(
                "Depth over feed",
                plain(deep / feed, 1),
                "a long thin chip" if deep / feed > 20.0 else "a chip that curls",
            ),
        ),
        steps=("the chip breaks where depth and feed both lie in the material's window",),
    )


_WINDOWS: dict[str, tuple[float, float, float, float]] = {
    "aluminium": (0.5, 5.0, 0.1, 0.5),
    "steel": (0.5, 5.0, 0.12, 0.5),
    "alloy steel": (0.4, 4.0, 0.12, 0.4),
    "stainless steel": (0.5, 4.0, 0.12, 0.4),
}
"""Depth of cut from and to, mm, and feed a turn from and to, mm, between which the chip breaks; others break by themselves (common practice, no source)."""

RECKONERS = (
    Reckoner(
        name="Taper",
        group="Turning",
        fields=(
            Field(key="by", word="From", kind="choice", start="ends", choices=(("ends", "both diameters"), ("ratio", "taper 1 : n"), ("angle", "angle a side"))),
            Field(key="d", word="Small diameter", start="20", start_inch="0.75"),
            Field(key="big", word="Large diameter", start="24", start_inch="0.9", shown=lambda v: v.get("by", "ends") == "ends"),
            Field(key="l", word="Length", start="20", start_inch="0.75"),
            Field(key="ratio", word="Taper 1 :", kind="number", start="10", shown=lambda v: v.get("by") == "ratio"),
            Field(key="angle", word="Angle a side", kind="angle", start="5", shown=lambda v: v.get("by") == "angle"),
        ),
        work=_taper,
        source="Trigonometry; common practice, no source",
    ),
    Reckoner(
        name="Tip radius on a cone",
        group="Turning",
        fields=(Field(key="re", word="Nose radius RE", start="0.8", start_inch="0.0315"), Field(key="angle", word="Angle a side", kind="angle", start="20")),
        work=_tip,
        source="Geometry of a round nose between its tangents; common practice, no source",
    ),
    Reckoner(
        name="Surface speed and its limit",
        group="Turning",
        fields=(Field(key="vc", word="Surface speed", kind="speed", start="180", start_inch="600"), Field(key="n", word="Speed limit", kind="number", start="2500"), Field(key="d", word="Diameter", start="40", start_inch="1.5")),
        work=_limits,
        source="Definition of cutting speed, ISO 3002-1 (from memory)",
    ),
    Reckoner(
        name="Thread passes",
        group="Turning",
        fields=(
            Field(key="d", word="Thread diameter", start="24", start_inch="1"), Field(key="p", word="Pitch", start="1.5", start_inch="0.0625"),
            Field(key="first", word="First pass", start="0.25", start_inch="0.01"), Field(key="least", word="Least pass", start="0.05", start_inch="0.002"),
        ),
        work=_thread,
        source="ISO 68-1 (from memory); equal area: common practice, no source",
    ),
    Reckoner(
        name="Parting off",
        group="Turning",
        fields=(
            Field(key="d", word="Diameter", start="40", start_inch="1.5"), Field(key="bore", word="Bore", blank=True, tip="Left out: solid"),
            Field(key="w", word="Blade width", start="3", start_inch="0.125"), Field(key="f", word="Feed a turn", kind="tooth", start="0.06", start_inch="0.0025"),
            Field(key="vc", word="Surface speed", kind="speed", start="100", start_inch="330"), Field(key="n", word="Speed limit", kind="number", start="2500"),
        ),
        work=_parting,
        source="Integral of the way over the feed that the diameter gives; reach and feed near the axis: common practice, no source",
    ),
    Reckoner(
        name="Where the chip breaks",
        group="Turning",
        fields=(
            Field(key="m", word="Material", kind="choice", start=next(iter(_WINDOWS)), choices=tuple((n, n) for n in _WINDOWS)),
            Field(key="a", word="Depth of cut", start="2", start_inch="0.08"), Field(key="f", word="Feed a turn", kind="tooth", start="0.2", start_inch="0.008"),
        ),
        work=_chip,
        source="The material's own window; common practice, no source",
    ),
)  # fmt: skip
