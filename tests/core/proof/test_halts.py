"""Places to hold at, and a stretch cut by itself: against looking at every move, one by one."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from tests.conftest import START
from underglass.core.control.motions import Kind
from underglass.core.proof.alone import AloneCursor, cut_alone
from underglass.core.proof.halts import HALTS, halts, said
from underglass.core.proof.operations import operations
from underglass.core.proof.proof import Proof

Prove = Callable[..., Proof]
TEXT = (
    START
    + "(ONE)\nX50. Y-8.\nZ2.\nG1 Z-2. F300\nY68.\nG1 Z-4.\nY-8.\nG2 X40. Y-18. I0. J-10.\nG0 Z50.\nM1\n(TWO)\nX10. Y-8.\nZ1.\nG1 Z-2.\n"
    + "Y68.\nG0 Z50.\nM0\nM5\nT2 M6\nG0 G54 X80. Y30. S2000 M3\nG43 H2 Z5.\nG81 Z-6. R2. F100\nX90.\nG80\nG0 Z50.\nM5\nM30\n"
)


@pytest.fixture(scope="module")
def proof(tmp_path_factory: pytest.TempPathFactory) -> Proof:
    from tests.conftest import write_job
    from underglass.core.files.job import read_job
    from underglass.core.language.source import read_text
    from underglass.core.proof.prove import prove

    folder = tmp_path_factory.mktemp("halts")
    return prove(read_job(write_job(folder, TEXT)), read_text(TEXT, "plain.nc"))


def tip(proof: Proof, moment: float) -> np.ndarray:  # type: ignore[type-arg]
    """The real tip's place at a moment, part zero, found without the halts' own sums."""
    move, share = proof.timing.locate(moment)
    tool = proof.tool_at(move)
    x, y, z = proof.motions.at(move, share)
    return proof.job.bench.part_zero.into(np.array([[x, y, z - (tool.length if tool else 0.0)]]))[0]


@given(st.floats(-7.0, 40.0))
@example(-6.0)  # the bottom of the hole
@settings(max_examples=40)
def test_a_depth_is_come_to_just_where_the_tip_is_there(proof: Proof, depth: float) -> None:
    times = halts(proof, {"depth"}, depth=depth).times
    fine = np.linspace(0.0, proof.timing.total, 40_000)
    heights = np.array([tip(proof, float(m))[2] for m in fine[::8]])
    falls = np.count_nonzero((heights[:-1] > depth + 0.02) & (heights[1:] < depth - 0.02))
    assert len(times) >= falls  # (a fall within one step of the sampling may be missed by it, never by the halts)
    for moment in times.tolist():
        before, at, after = (float(tip(proof, moment + d)[2]) for d in (-1e-4, 0.0, 1e-4))
        assert at == pytest.approx(depth, abs=1e-3) and before >= at - 1e-6
        # Down through it, or down to it where a move ends: from a hole's bottom the tip may go up faster than it came.
        assert after <= before + 1e-6 or proof.timing.locate(moment)[1] > 1.0 - 1e-9


def test_every_kind_is_where_it_says(proof: Proof) -> None:
    motions, timing = proof.motions, proof.timing
    blocks = halts(proof, {"block"}).times
    ends = [
        timing.end_of(k) for k in range(len(motions)) if k + 1 == len(motions) or motions.line[k] != motions.line[k + 1]
    ]
    assert np.allclose(blocks, sorted(ends))
    for moment in halts(proof, {"pass"}).times.tolist():
        move, share = timing.locate(moment)
        assert share == 1.0 and not motions.rapid()[move] and motions.rapid()[move + 1]
    heights = []
    for moment in halts(proof, {"level"}).times.tolist():
        move, _share = timing.locate(moment + 1e-6)
        assert motions.kind[move] in (Kind.FEED, Kind.ARC_CW, Kind.ARC_CCW)
        heights.append(round(float(tip(proof, moment)[2]), 3))
    assert heights == [-2.0, -4.0, -2.0]
    assert len(halts(proof, {"optional"}).times) == len(halts(proof, {"stop"}).times) == 1
    assert all("line" in said(proof, float(t), kind, "mm", 0.0) for kind in ("stop", "optional", "tool") for t in halts(proof, {kind}).times)  # fmt: skip


@given(st.sets(st.sampled_from([name for name, _words in HALTS]), min_size=1), st.data())
@settings(max_examples=60)
def test_the_next_halt_is_the_nearest_one_either_way(proof: Proof, kinds: set[str], data: st.DataObject) -> None:
    found = halts(proof, kinds, line=7, depth=-1.0)
    here = data.draw(st.floats(0.0, proof.timing.total))
    total = proof.timing.total
    after = [t for t in found.times.tolist() if t > here + 1e-6]
    before = [t for t in found.times.tolist() if t < here - 1e-6]
    onwards, back = found.between(here, total), found.between(here, 0.0)
    assert (onwards[0] if onwards else None) == (min(after) if after else None)
    assert (back[0] if back else None) == (max(before) if before else None)
    assert found.between(here, here) is None
    assert (np.diff(found.times) >= 0.0).all()


@settings(max_examples=30, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(st.floats(0.0, 1.0), min_size=1, max_size=8), st.integers(0, 2))
def test_a_stretch_alone_is_the_same_from_wherever_one_comes(proof: Proof, shares: list[float], which: int) -> None:
    operation = operations(proof)[min(which + 1, len(operations(proof)) - 1)]
    history = proof.stocks[0]
    cursor = AloneCursor(history, operation.first, operation.last)
    shown = cursor.field.h.copy()
    for share in shares:
        moment = share * proof.timing.total
        changed = cursor.go(*proof.timing.locate(moment))
        straight = AloneCursor(history, operation.first, operation.last)
        straight.go(*proof.timing.locate(moment))
        assert np.array_equal(cursor.field.h, straight.field.h)
        # What is not marked as changed is as it was shown before.
        tiles = np.kron(changed, np.ones((32, 32), dtype=np.uint8))[: shown.shape[0], : shown.shape[1]]
        assert np.array_equal(np.where(tiles > 0, cursor.field.h, shown), cursor.field.h)
        shown = cursor.field.h.copy()
    cursor.go(len(proof.motions), 0.0)
    assert np.array_equal(cursor.field.h, cut_alone(history, operation.first, operation.last).h)
