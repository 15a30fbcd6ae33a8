"""What every engine promises: a cursor put to any moment, by any way, is the stock as a run that ended there leaves it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from underglass.core.data import data_folder
from underglass.core.files.load import load
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.removal.keyframes import Versions

DEMOS = ("vent-bracket", "winder-bush", "ridge-gusset", "louvre-panel")


@pytest.fixture(scope="module", params=DEMOS)
def proof(request: pytest.FixtureRequest) -> Proof:
    """A demo of each trade: cells, a half section, and two sheets."""
    return prove(*load(data_folder() / "demo" / f"{request.param}.job.toml")[:2])


def test_a_cursor_comes_to_the_same_stock_by_any_way(proof: Proof) -> None:
    rng = np.random.default_rng(5)
    n = len(proof.motions)
    for history in proof.histories:
        wandering = history.cursor()
        for move, share in zip(rng.integers(0, n, 12).tolist(), rng.choice([0.0, 0.37, 1.0], 12).tolist()):
            wandering.go(move, share)
            straight = history.cursor()
            straight.go(move, share)
            assert wandering.state.volume() == pytest.approx(straight.state.volume(), rel=1e-9)
            taken = float(history.removed[:move].sum())
            if share == 0.0:
                # Pieces that came loose are gone on a lathe, and what a bar's pull brings is there anew.
                assert straight.state.volume() <= history.uncut.volume() - taken + 1e-6 * history.uncut.volume()
        wandering.go(n - 1, 1.0)
        assert wandering.state.volume() == pytest.approx(history.final.volume(), rel=1e-9)


def test_what_did_not_change_is_not_told(proof: Proof) -> None:
    for history in proof.histories:
        cursor = history.cursor()
        cursor.go(len(proof.motions) // 2, 0.0)
        again = cursor.go(len(proof.motions) // 2, 0.0)
        assert not np.any(again) if isinstance(again, np.ndarray) else len(again) <= 1  # type: ignore[arg-type]


kept = st.lists(st.tuples(st.integers(0, 4), st.integers(0, 30)), max_size=40)


@given(kept, st.integers(-1, 31), st.integers(-1, 31))
def test_versions_are_what_was_kept_last_before(told: list[tuple[int, int]], one: int, other: int) -> None:
    versions: Versions[int] = Versions()
    plain: dict[tuple[int, int], int] = {}
    for value, (part, when) in enumerate(told):
        versions.keep(part, when, value)
        plain[part, when] = value

    def at(part: int, when: int) -> int | None:
        before = [w for p, w in plain if p == part and w <= when]
        return plain[part, max(before)] if before else None

    assert versions.count == len(plain)
    assert sorted(versions.times) == sorted(w for _p, w in plain)
    for part in range(5):
        assert versions.at(part, one) == at(part, one)
        assert versions.up_to(other).at(part, one) == at(part, min(one, other))
    assert set(versions.differing(one, other)) == {p for p in range(5) if at(p, one) != at(p, other)}
    thinned = versions.up_to(31)
    thinned.thin()
    for part in range(5):
        for pair in range(16):
            assert thinned.at(part, pair) == at(part, 2 * pair)
