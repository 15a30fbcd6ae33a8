"""How hard a move cuts, against figures worked out on paper."""

from __future__ import annotations

import math
from collections.abc import Callable

import pytest

from tests.conftest import PLAIN_JOB, START
from underglass.core.data import data_folder
from underglass.core.entries.materials import find_material, read_materials, shipped_materials
from underglass.core.errors import BadEntry
from underglass.core.proof.now import now_at
from underglass.core.proof.proof import Proof

Prove = Callable[..., Proof]
STEEL = PLAIN_JOB.replace("[[fixture]]", 'material = "Mild steel"\n[[fixture]]', 1).replace(
    "APMX = 22.0", "APMX = 22.0\nNOF = 4", 1
)


def test_a_side_cut_of_known_width_and_depth(prove_text: Prove) -> None:
    """A 10 mm cutter takes 3 mm of width at 4 mm depth: fz = F / (S z), Q = ap ae F, hm = fz sqrt(ae / D), P = Q kc / 60e6."""
    proof = prove_text(START + "X-20. Y-2.\nZ-4.\nG1 X120. F600\nG0 Z50.\nM5\nM30\n", STEEL)
    load = proof.loads()
    move = proof.moves_of_line(7)[0]  # type: ignore[index]
    ap, ae, feed, speed, teeth = 4.0, 3.0, 600.0, 3000.0, 4
    fz = feed / (speed * teeth)
    # The cutter is over the plate for 100 mm (and its own run in) of the way of 140 mm.
    share = (100.0 * ae * ap) / (140.0 * ap)
    assert load.ap[move] == pytest.approx(ap) and load.fz[move] == pytest.approx(fz)
    assert load.ae[move] == pytest.approx(share, rel=0.05)
    assert load.surface_speed[move] == pytest.approx(math.pi * 10.0 * speed / 1000.0)
    assert load.hm[move] == pytest.approx(fz * math.sqrt(load.ae[move] / 10.0))
    duration = float(proof.timing.duration[move])
    removed = float(proof.stocks[0].removed[move])
    assert removed == pytest.approx(100 * ae * ap, rel=0.03)
    assert load.rate[move] == pytest.approx(removed / duration * 60.0)
    assert load.power[move] == pytest.approx(load.rate[move] * 1500.0 * load.hm[move] ** -0.25 / 60e6)


def test_rapids_and_air_have_no_load(prove_text: Prove) -> None:
    proof = prove_text(START + "G1 Y-30. F600\nM5\nM30\n", STEEL)
    load = proof.loads()
    assert not load.rate.any() and not load.power.any() and not load.fz.any()


def test_the_shipped_table_is_in_order() -> None:
    table = shipped_materials()
    assert {"aluminium", "steel", "stainless steel", "brass", "wood"} <= set(table)
    for material in table.values():
        assert material.vc["carbide"] > material.vc["hss"] > 0.0 and material.highest_feed(10.0) > 0.0
        assert material.force(0.1) > material.force(0.2) > material.force(1.0) == pytest.approx(material.kc)
    assert find_material(" ALUMINUM ") is table["aluminium"] and find_material("cheese") is None


def test_a_wrong_table_is_told_with_its_key(tmp_path) -> None:  # type: ignore[no-untyped-def]
    text = (data_folder() / "materials.toml").read_text().replace("kc = 700.0", "kc = -1.0", 1)
    (tmp_path / "mine.toml").write_text(text)
    with pytest.raises(BadEntry) as caught:
        read_materials(tmp_path / "mine.toml")
    assert caught.value.key == "aluminium.kc"


def test_power_beyond_the_machines(prove_text: Prove, tmp_path) -> None:  # type: ignore[no-untyped-def]
    machine = (data_folder() / "profiles" / "machine" / "mill-3axis.toml").read_text()
    (tmp_path / "small.toml").write_text(machine.replace("# power_kw    = 7.5", "power_kw    = 0.1"))
    job = STEEL.replace("format = 1", 'format = 1\nmachine = "small.toml"', 1)
    proof = prove_text(START + "X-20. Y10.\nZ-4.\nG1 X120. F900\nG0 Z50.\nM5\nM30\n", job)
    (finding,) = [f for f in proof.findings if f.code == "load-high"]
    assert finding.evidence["what"] == "power" and finding.evidence["value"] > 0.1  # type: ignore[operator]


def test_flutes_that_nobody_has_said_are_not_made_up(prove_text: Prove) -> None:
    """No chip load, and none judged, for a mill whose flutes are not in the job; surface speed is still told."""
    job = STEEL.replace("\nNOF = 4", "")
    proof = prove_text(START + "X-20. Y10.\nZ-4.\nG1 X120. F9000\nG0 Z50.\nM5\nM30\n", job)
    load = proof.loads()
    assert not load.fz.any() and not load.power.any() and load.rate.any() and load.surface_speed.any()
    assert "load-high" not in [f.code for f in proof.findings]
    now = now_at(proof, proof.timing.total / 2)
    assert now is not None and now.chip_load is None and now.surface_speed == pytest.approx(math.pi * 10 * 3)
