"""Threads: pitch, tap drill, depths. ISO metric and unified inch threads share one basic profile.

Sources: ISO 68-1 (basic profile: H = sqrt(3)/2 P, D1 = D - 5/4 H), ISO 261 and ISO 262 (diameters and pitches), ISO 724
(basic dimensions), ISO 965-1 (nothing of its tolerances is used); ASME B1.1 for unified threads. All from memory.
"""

from __future__ import annotations

import math
import re

from underglass.core.reckon.form import Answer, CannotBe, Entries, Field, Reckoner, Row, plain
from underglass.core.units import MM_PER_INCH

COARSE_MM = {
    1.0: 0.25, 1.2: 0.25, 1.6: 0.35, 2.0: 0.4, 2.5: 0.45, 3.0: 0.5, 3.5: 0.6, 4.0: 0.7, 5.0: 0.8, 6.0: 1.0, 7.0: 1.0,
    8.0: 1.25, 10.0: 1.5, 12.0: 1.75, 14.0: 2.0, 16.0: 2.0, 18.0: 2.5, 20.0: 2.5, 22.0: 2.5, 24.0: 3.0, 27.0: 3.0,
    30.0: 3.5, 33.0: 3.5, 36.0: 4.0, 39.0: 4.0, 42.0: 4.5, 45.0: 4.5, 48.0: 5.0, 52.0: 5.0, 56.0: 5.5, 60.0: 5.5, 64.0: 6.0,
}  # fmt: skip
"""Coarse pitch by nominal diameter (ISO 261, from memory)."""

UNIFIED_TPI = {
    "#0": (0.06, None, 80), "#1": (0.073, 64, 72), "#2": (0.086, 56, 64), "#3": (0.099, 48, 56), "#4": (0.112, 40, 48),
    "#5": (0.125, 40, 44), "#6": (0.138, 32, 40), "#8": (0.164, 32, 36), "#10": (0.19, 24, 32), "#12": (0.216, 24, 28),
    "1/4": (0.25, 20, 28), "5/16": (0.3125, 18, 24), "3/8": (0.375, 16, 24), "7/16": (0.4375, 14, 20), "1/2": (0.5, 13, 20),
    "9/16": (0.5625, 12, 18), "5/8": (0.625, 11, 18), "3/4": (0.75, 10, 16), "7/8": (0.875, 9, 14), "1": (1.0, 8, 12),
    "1 1/8": (1.125, 7, 12), "1 1/4": (1.25, 7, 12), "1 3/8": (1.375, 6, 12), "1 1/2": (1.5, 6, 12),
}  # fmt: skip
"""Size: (diameter in inch, threads an inch coarse, fine) (ASME B1.1, from memory)."""

_METRIC = re.compile(r"M\s*(\d+(?:\.\d+)?)\s*(?:[xX\u00d7*]\s*(\d*\.?\d+))?")
_UNIFIED = re.compile(
    r"(#\s*\d+|\d+ \d/\d|\d+/\d+|\d+(?:\.\d+)?|\.\d+)\s*\"?\s*-?\s*(\d+)?\s*(UNC|UNF|UN|UNEF)?", re.IGNORECASE
)


def read_thread(text: str) -> tuple[float, float, str]:
    """(diameter mm, pitch mm, full name) of M8, M8x1, 1/4-20, #10-32 UNF, 3/8 UNC. Raises ``CannotBe``."""
    wanted = text.strip().replace(",", ".")
    metric = _METRIC.fullmatch(wanted.upper())
    if metric is not None:
        d = float(metric[1])
        pitch = float(metric[2]) if metric[2] else COARSE_MM.get(d)
        if pitch is None:
            raise CannotBe(f"M{plain(d)} has no coarse pitch in the table: give it, as in M{plain(d)}x1", "thread")
        if not 0.0 < pitch < d / 1.5:
            raise CannotBe("this pitch does not go with this diameter", "thread")
        return d, pitch, f"M{plain(d)}" + ("" if COARSE_MM.get(d) == pitch else f"\u00d7{plain(pitch)}")
    unified = _UNIFIED.fullmatch(wanted)
    if unified is not None:
        size, tpi, series = (
            unified[1].replace(" ", "", 1) if unified[1].startswith("#") else unified[1],
            unified[2],
            unified[3],
        )
        known = UNIFIED_TPI.get(size)
        d_in = known[0] if known else None
        if d_in is None:
            try:
                d_in = float(size)
            except ValueError:
                raise CannotBe(f"{size} is no size of the table", "thread") from None
        count = (
            int(tpi)
            if tpi
            else (known[2] if known and (series or "").upper() == "UNF" else known[1] if known else None)
        )
        if count is None or not 1 <= count <= 200:
            raise CannotBe("give the threads an inch, as in 1/4-20", "thread")
        kind = "" if known is None else " UNC" if count == known[1] else " UNF" if count == known[2] else ""
        return d_in * MM_PER_INCH, MM_PER_INCH / count, f"{size}-{count}{kind}"
    raise CannotBe("a thread was expected, as M8, M8x1, 1/4-20 or #10-32", "thread")


def basic(d: float, pitch: float) -> tuple[float, float, float]:
    """(pitch diameter d2, minor diameter of the nut D1, core of the bolt d3) (ISO 724 and ISO 68-1).

    H = P sqrt(3)/2; d2 = d - 3/4 H; D1 = d - 5/4 H; d3 = d - 17/12 H.
    """
    h = pitch * math.sqrt(3.0) / 2.0
    return d - 0.75 * h, d - 1.25 * h, d - 17.0 / 12.0 * h


def _thread(e: Entries) -> Answer:
    d, pitch, name = read_thread(e.word("thread"))
    share = e.number("share")
    if not 40.0 <= share <= 100.0:
        raise CannotBe("the share of the thread's depth goes from 40 to 100 per cent", "share")
    d2, d1, d3 = basic(d, pitch)
    # Handbooks count the share from a full thread of 3/4 H on each side: drill = D - share * 1.299 P.
    full = 1.5 * pitch * math.sqrt(3.0) / 2.0
    drill_share = d - share / 100.0 * full
    k, unit = (1.0 / MM_PER_INCH, "in") if e.unit == "inch" else (1.0, "mm")
    places = 4 if e.unit == "inch" else 3

    def s(value: float) -> str:
        return plain(value * k, places)

    return Answer(
        rows=(
            Row("Thread", name),
            Row("Pitch", s(pitch), unit),
            Row("Tap drill, common", s(d - pitch), f"D - P, {unit}"),
            Row(f"Drill for {plain(share)} %", s(drill_share), unit),
            Row("Minor diameter D1", s(d1), "nut"),
            Row("Pitch diameter d2", s(d2)),
            Row("Core d3", s(d3), "bolt"),
            Row("Depth, outside h3", s((d - d3) / 2), "bolt, to its rounded root"),
            Row("Depth, inside H1", s((d - d1) / 2), "nut"),
        ),
        steps=(
            f"H = P \u00b7 \u221a3/2 = {s(pitch)} \u00b7 0.866 = {s(pitch * math.sqrt(3) / 2)}",
            f"D1 = D - 5/4 H = {s(d)} - {s(1.25 * pitch * math.sqrt(3) / 2)} = {s(d1)}",
            f"drill = D - {plain(share)} % \u00b7 2 \u00b7 3/4 H = {s(d)} - {plain(share / 100)} \u00b7 {s(full)} = {s(drill_share)}",
            f"h3 = 17/24 H = 0.61343 P = {s((d - d3) / 2)}",
        ),
    )


RECKONERS = (
    Reckoner(
        name="Thread and tap drill",
        group="Threads and fits",
        fields=(
            Field(
                key="thread",
                word="Thread",
                kind="text",
                start="M8",
                start_inch="1/4-20",
                tip="M8, M8x1, 1/4-20, #10-32, 3/8 UNF",
            ),
            Field(key="share", word="Thread engagement, %", kind="number", start="75"),
        ),
        work=_thread,
        source="ISO 68-1, ISO 261, ISO 724; ASME B1.1 (all from memory); D - P and the share by 3/4 H: common practice, no source",
    ),
)
