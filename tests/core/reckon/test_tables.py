"""Threads, fits, speeds against tables. Every value from memory of the standard named beside it."""

from __future__ import annotations

import math

import pytest

from underglass.core.reckon.all import RECKONERS
from underglass.core.reckon.cutting import spindle_speed, surface_speed
from underglass.core.reckon.fits import limits
from underglass.core.reckon.form import CannotBe
from underglass.core.reckon.threads import basic, read_thread

ALL = {r.name: r for r in RECKONERS}


# ISO 724, basic dimensions (from memory): d2, D1 and, of DIN 13-1 (from memory), d3.
@pytest.mark.parametrize(
    ("name", "pitch", "d2", "d1", "d3"),
    [
        ("M3", 0.5, 2.675, 2.459, 2.387),
        ("M6", 1.0, 5.350, 4.917, 4.773),
        ("M8", 1.25, 7.188, 6.647, 6.466),
        ("M10", 1.5, 9.026, 8.376, 8.160),
        ("M12", 1.75, 10.863, 10.106, 9.853),
        ("M20", 2.5, 18.376, 17.294, 16.933),
        ("M8x1", 1.0, 7.350, 6.917, 6.773),
    ],
)
def test_metric_threads(name: str, pitch: float, d2: float, d1: float, d3: float) -> None:
    d, p, _full = read_thread(name)
    assert p == pitch
    assert basic(d, p) == pytest.approx((d2, d1, d3), abs=6e-4)


# ASME B1.1 (from memory): pitch and minor diameter of the nut, inch.
@pytest.mark.parametrize(
    ("name", "full", "d2", "d1"),
    [
        ("1/4-20", "1/4-20 UNC", 0.2175, 0.1959),
        ("3/8 UNF", "3/8-24 UNF", 0.3479, 0.3299),
        ("#10-32", "#10-32 UNF", 0.1697, 0.1562),
        ("1/2 UNC", "1/2-13 UNC", 0.4500, 0.4167),
    ],
)
def test_unified_threads(name: str, full: str, d2: float, d1: float) -> None:
    d, p, said = read_thread(name)
    assert said == full
    found = basic(d, p)
    assert (found[0] / 25.4, found[1] / 25.4) == pytest.approx((d2, d1), abs=1e-4)


# Tap drills, common practice, no source: M8 6.8, M10 8.5, 1/4-20 No. 7 (0.201 in).
@pytest.mark.parametrize(
    ("name", "unit", "drill", "slack"),
    [("M8", "mm", 6.8, 0.03), ("M10", "mm", 8.5, 0.05), ("1/4-20", "inch", 0.201, 0.0005)],
)
def test_tap_drills_at_three_quarters_of_the_thread(name: str, unit: str, drill: float, slack: float) -> None:
    rows = {r.word: r.shown for r in ALL["Thread and tap drill"].answer({"thread": name}, unit).rows}  # type: ignore[arg-type]
    assert abs(float(rows["Drill for 75 %"]) - drill) <= slack


@pytest.mark.parametrize("name", ["", "M", "Mx1", "M8x9", "M8.3", "1/4", "7/13", "G1/4", "#99", "8"])
def test_threads_that_are_none(name: str) -> None:
    if name == "1/4":
        assert read_thread(name)[2] == "1/4-20 UNC"
        return
    with pytest.raises(CannotBe):
        read_thread(name)


# ISO 286-2 (from memory): upper and lower deviation in micrometres.
@pytest.mark.parametrize(
    ("size", "name", "upper", "lower"),
    [
        (20, "H7", 21, 0),
        (20, "g6", -7, -20),
        (20, "f7", -20, -41),
        (20, "h6", 0, -13),
        (20, "k6", 15, 2),
        (25, "p6", 35, 22),
        (20, "K7", 6, -15),
        (20, "M7", 0, -21),
        (20, "N7", -7, -28),
        (20, "P7", -14, -35),
        (50, "H8", 39, 0),
        (50, "e8", -50, -89),
        (40, "n6", 33, 17),
        (60, "r6", 60, 41),
        (70, "s6", 78, 59),
        (10, "H11", 90, 0),
        (8, "d9", -40, -76),
        (3, "K6", 0, -6),
        (100, "js6", 11, -11),
        (20, "JS7", 10, -10),
        (20, "js6", 6.5, -6.5),
        (300, "M6", -9, -41),
        (6, "N9", 0, -30),
        (500, "H7", 63, 0),
    ],
)
def test_limits(size: float, name: str, upper: float, lower: float) -> None:
    assert limits(size, name) == (upper, lower)


def test_a_fit_is_shown_as_a_drawing_says_it() -> None:
    answer = ALL["Fit and limits"].answer({"fit": "20H7"}, "mm")
    assert answer.rows[0].shown == "+0.021 / 0" and answer.rows[1].shown == "20.000  20.021"
    rows = {r.word: (r.shown, r.note) for r in ALL["Fit and limits"].answer({"fit": "20H7/g6"}, "mm").rows}
    assert rows["Between them"] == ("+0.007 to +0.041", "clearance fit")
    rows = {r.word: (r.shown, r.note) for r in ALL["Fit and limits"].answer({"fit": "25H7/p6"}, "mm").rows}
    assert rows["Between them"] == ("-0.035 to -0.001", "interference fit")


@pytest.mark.parametrize("wanted", ["20", "20Q7", "20H3", "600H7", "20H7/H6", "K9", "20K9"])
def test_fits_that_are_none(wanted: str) -> None:
    with pytest.raises(CannotBe):
        ALL["Fit and limits"].answer({"fit": wanted}, "mm")


def test_speeds_and_feeds_both_ways() -> None:
    # By hand: 100 m/min on 10 mm is 100000 / 31.416 = 3183 rpm; 100 ft/min on half an inch is 1200 / 1.5708 = 764.
    assert spindle_speed(100, 10, "mm") == pytest.approx(3183.1, abs=0.05)
    assert spindle_speed(100, 0.5, "inch") == pytest.approx(763.9, abs=0.05)
    assert math.isclose(surface_speed(spindle_speed(87, 12, "mm"), 12, "mm"), 87)
    answer = ALL["Speed and feed"].answer({"from": "spindle", "n": "3000", "vf": "900", "z": "2", "d": "8"}, "mm")
    rows = {r.word: r.shown for r in answer.rows}
    assert rows["Chip load"] == "0.15" and rows["Surface speed"] == "75.4"
