"""Pieces are made of solids that stand where the figures say, turn as one, and are collided with."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import trimesh

from tests.conftest import PLAIN_JOB, START, codes, write_job
from underglass.core.bench.mesh import UP, Mesh, laid
from underglass.core.bench.pieces import FIGURES, parts, stations
from underglass.core.files.job import read_job
from underglass.core.proof.proof import Proof


def test_a_vise_opens_between_its_jaws() -> None:
    figures = {f.key: f.first for f in FIGURES["vise"]} | {"opening": 75.0}
    made = {p.name: p for p in parts("vise", figures)}
    moving, fixed = made["moving jaw"], made["fixed jaw"]
    assert fixed.at[1] - (moving.at[1] + moving.size[1]) == 75.0
    assert made["bed"].size[1] == 75.0 + 2 * figures["jaw_thickness"] and fixed.at[2] == figures["bed"]


@pytest.mark.parametrize("kind", list(FIGURES))
def test_every_piece_stands_in_the_corner_of_its_box(kind: str) -> None:
    made = parts(kind, {f.key: f.first for f in FIGURES[kind]})  # type: ignore[index,arg-type]
    low = np.min([p.at for p in made], axis=0)
    assert low.tolist() == [0.0, 0.0, 0.0] and all(min(p.size) > 0.0 for p in made)


def test_a_clamp_without_heel_and_stud_is_its_strap() -> None:
    figures = {f.key: f.first for f in FIGURES["clamp"]} | {"heel": 0.0, "stud": 0.0}
    assert [p.name for p in parts("clamp", figures)] == ["strap"]


def test_stations_go_along_x_first() -> None:
    figures = {f.key: f.first for f in FIGURES["plate"]} | {"stations": 2.0, "rows": 2.0}
    assert stations(figures) == ((20.0, 20.0, 25.0), (160.0, 20.0, 25.0), (20.0, 120.0, 25.0), (160.0, 120.0, 25.0))


CLAMP = '\n[[fixture]]\nname = "strap"\nshape = "clamp"\nheel = 10.0\nstud_above = 30.0\nplace = [20.0, 20.0, -10.0]\n'


def test_a_stud_is_run_into_by_the_part_that_meets_it(prove_text: Callable[..., Proof]) -> None:
    """The strap's top is 14 above its heel, at Z14; the stud ends 30 higher, at X52 Y32."""
    over = START + "G0 Z20.\nG0 X{x} Y32.\nG0 Z50.\nM30\n"
    found = prove_text(over.format(x="52."), PLAIN_JOB + CLAMP)
    hit = [f for f in found.findings if f.code == "tool-into-fixture"]
    assert hit and "strap, stud" in hit[0].message
    assert codes(prove_text(START + "G0 Z60.\nG0 X52. Y32.\nM30\n", PLAIN_JOB + CLAMP)) == []


def test_a_turned_piece_is_where_it_is_turned_to(prove_text: Callable[..., Proof]) -> None:
    """Turned by 90 degrees about its corner at X20 Y20, the strap lies over X-4 to X20."""
    turned = PLAIN_JOB + CLAMP + "turned = 90.0\n"
    down = START + "G0 X{x} Y60.\nG0 Z2.\nG0 Z50.\nM30\n"
    assert "tool-into-fixture" in codes(prove_text(down.format(x="8."), turned))
    assert "tool-into-fixture" not in codes(prove_text(down.format(x="60."), turned))


@pytest.mark.parametrize("up", UP)
def test_a_mesh_is_laid_on_any_side(up: str) -> None:
    """Against trimesh: the same volume, and the axis that is named points up."""
    box = trimesh.creation.box(extents=(10.0, 20.0, 30.0))
    cone = trimesh.creation.cone(radius=3.0, height=8.0)
    for solid in (box, cone):
        mesh = Mesh("x", np.array(solid.triangles))
        turned = laid(mesh, up)
        assert turned.volume == pytest.approx(mesh.volume)
        k = "xyz".index(up[1])
        assert (turned.high - turned.low)[2] == pytest.approx((mesh.high - mesh.low)[k])
        tip = turned.high[2] if up[0] == "+" else -turned.low[2]
        assert tip == pytest.approx(mesh.high[k])


def test_stock_turned_about_its_corner(tmp_path: Path) -> None:
    text = PLAIN_JOB.replace("place = [0.0, 0.0, -20.0]", "place = [0.0, 0.0, -20.0]\nturned = 30.0", 1)
    job = read_job(write_job(tmp_path, "M30\n", text))
    assert math.degrees(job.bench.stocks[0].frame.turn_rad) == pytest.approx(30.0)
    text = text.replace("z = -200.0 }", "z = -200.0, turned = 10.0 }")
    job = read_job(write_job(tmp_path, "M30\n", text))
    assert math.degrees(job.bench.stocks[0].frame.turn_rad) == pytest.approx(40.0)
