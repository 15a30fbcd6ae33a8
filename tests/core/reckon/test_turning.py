"""Tapers, tip radius, limits of surface speed and thread passes against tables. Values from memory of the source beside them."""

from __future__ import annotations

import math

import pytest
import shapely

from underglass.core.entries.materials import shipped_materials
from underglass.core.reckon.all import RECKONERS
from underglass.core.reckon.form import Answer, CannotBe
from underglass.core.reckon.turning import _WINDOWS, cone_error

ALL = {r.name: r for r in RECKONERS}


def ask(name: str, **entered: str) -> dict[str, str]:
    reckoner = ALL[name]
    whole = {f.key: f.first("mm") for f in reckoner.fields} | entered
    answer: Answer = reckoner.answer(whole, "mm")
    assert answer.steps
    return {row.word: row.shown for row in answer.rows}


@pytest.mark.parametrize(
    ("ratio", "included"),
    [
        ("10", 5.7248),
        ("20", 2.8642),
        ("3.428571429", 16.5943),
        ("50", 1.1459),
    ],  # ISO 1119 and 7/24 of ISO 7388-1, from memory
)
def test_tapers_by_ratio(ratio: str, included: float) -> None:
    found = ask("Taper", by="ratio", ratio=ratio)
    assert float(found["Included angle"]) == pytest.approx(included, abs=2e-4)


def test_the_three_ways_of_a_taper_agree() -> None:
    ends = ask("Taper", by="ends", d="20", big="24", l="20")
    angle = ask("Taper", by="angle", d="20", l="20", angle=ends["Angle a side"])
    assert float(angle["Large diameter"]) == pytest.approx(24.0, abs=2e-3)
    assert float(ends["Angle a side"]) == pytest.approx(math.degrees(math.atan(0.1)), abs=1e-4)
    with pytest.raises(CannotBe, match="no larger"):
        ask("Taper", by="ends", d="24", big="20", l="20")


@pytest.mark.parametrize("degrees", [5.0, 20.0, 45.0, 70.0])
def test_tip_radius_against_a_drawn_nose(degrees: float) -> None:
    """The judge draws it: a nose whose tangents square to X and Z meet on the line, and its distance from that line."""
    a, re = math.radians(degrees), 0.8
    # Coordinates X to the right, Z up; the cone rises towards the chuck, so towards -Z.
    line = shapely.LineString([(-50.0 * math.sin(a), 50.0 * math.cos(a)), (50.0 * math.sin(a), -50.0 * math.cos(a))])
    nose = shapely.Point(re, re).buffer(re, 720)
    assert nose.distance(line) == pytest.approx(cone_error(re, a), abs=1e-5)
    found = ask("Tip radius on a cone", re="0.8", angle=str(degrees))
    assert float(found["Stands off on a rising cone"]) == pytest.approx(cone_error(re, a), abs=1e-3)


def test_thread_passes_end_at_the_root() -> None:
    """M24 x 1.5: root of the bolt 22.160 (DIN 13-1, from memory)."""
    found = ask("Thread passes", d="24", p="1.5", first="0.25", least="0.05")
    assert float(found["Root diameter"]) == pytest.approx(22.160, abs=1e-3)
    stands = [float(v) for v in found["They stand at"].split(", ")]
    assert stands[0] == pytest.approx(23.5) and stands[1] == pytest.approx(24.0 - 0.5 * math.sqrt(2), abs=1e-3)
    assert stands[-1] == pytest.approx(22.160, abs=1e-3) and len(stands) == int(found["Passes"])


def test_where_surface_speed_meets_its_limit() -> None:
    found = ask("Surface speed and its limit", vc="180", n="2500", d="40")
    assert float(found["Limit reached below"]) == pytest.approx(180_000.0 / (math.pi * 2500.0), abs=1e-3)
    assert float(found["Spindle at this diameter"]) == pytest.approx(1432.0, abs=1.0)


def test_parting_takes_as_long_as_the_integral_of_its_way() -> None:
    """Against the sum over small steps of the radius; under the limit the spindle no longer runs faster."""
    answer = ask("Parting off", d="40", bore="10", w="3", f="0.06", vc="100", n="2500")
    steps = 200_000
    x = [40.0 - (k + 0.5) * 30.0 / steps for k in range(steps)]
    seconds = sum(15.0 / steps / (0.06 * min(1000.0 * 100.0 / (math.pi * d), 2500.0)) * 60.0 for d in x)
    assert float(answer["Time"]) == pytest.approx(seconds, abs=0.06)
    assert float(answer["Blade reaches"]) == 15.0
    assert float(answer["Speed limit below"]) == pytest.approx(1000.0 * 100.0 / (math.pi * 2500.0), abs=1e-3)


def test_the_chip_window_judges_depth_and_feed() -> None:
    windows = {m.name: m.chip for m in shipped_materials().values() if m.chip is not None}
    assert windows == _WINDOWS
    material = next(m for m in shipped_materials().values() if m.chip is not None)
    low, high, _f0, f1 = material.chip or (0.0, 0.0, 0.0, 0.0)
    entered = {"m": material.name, "a": f"{(low + high) / 2}", "f": f"{f1 * 2}"}
    rows = ALL["Where the chip breaks"].answer(entered, "mm").rows
    assert [row.note for row in rows[:2]] == ["in the window", "too much"]
