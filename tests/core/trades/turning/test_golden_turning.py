"""Every golden turning program is found out in exactly what it says; a clean one in nothing above a note."""

from __future__ import annotations

from pathlib import Path

import pytest
import shapely
import shapely.affinity
from tests.core.proof.test_golden import expected, job_text
from tests.core.trades.turning.lathe import LATHE_JOB, prove_turning

from underglass.core.proof.place_picture import looking_at

GOLDEN = Path(__file__).parents[3] / "golden" / "turning"
FILES = sorted(GOLDEN.glob("*.nc"))


def job_of(text: str) -> str:
    return job_text(text, LATHE_JOB)


@pytest.mark.parametrize("path", FILES, ids=lambda p: p.stem)
def test_golden_turning(path: Path, tmp_path: Path) -> None:
    text = path.read_text()
    proof = prove_turning(tmp_path, text, job_of(text))
    wanted = expected(text)
    found = [(f.code, f.line, f.message) for f in proof.findings if f.severity.word != "note"]
    assert sorted((code, line) for code, line, _m in found) == sorted((c, n) for c, n, _col, _w in wanted), found
    for code, line, _column, words in wanted:
        said = next(m for c, n, m in found if (c, n) == (code, line))
        assert words.lower() in said.lower()
    assert path.stem.startswith("clean-") == (not wanted)
    assert all(f.remedy and 0.0 <= f.time_s <= proof.timing.total + 1e-9 for f in proof.findings)


CONTACTS = ("bore-too-small", "holder-into-stock", "rapid-into-stock", "stopped-tool-into-stock", "tool-into-fixture")


@pytest.mark.parametrize("name", CONTACTS)
def test_a_contact_is_marked_where_the_tool_then_touches(name: str, tmp_path: Path) -> None:
    """The place and the moment belong together: at that moment the tool is drawn at the mark, on the skin of what it met."""
    text = (GOLDEN / f"{name}.nc").read_text()
    proof = prove_turning(tmp_path, text, job_of(text))
    crash = next(f for f in proof.findings if f.code == name)
    (picture,) = looking_at(proof)(crash)
    mark = shapely.Point(picture.mark)
    drawn = {
        look: shapely.union_all([shapely.make_valid(shapely.Polygon(r)) for a in picture.areas if a.look in look for r in a.rings])
        for look in (("cutter", "holder"), ("stock", "fixture"))
    }  # fmt: skip
    tool, met = drawn.values()
    # A bar reaches beyond the axis: the work turns, so its back meets the bore on the half that is drawn.
    tool = tool.union(shapely.affinity.scale(tool, 1.0, -1.0, origin=(0.0, 0.0)))
    assert tool.distance(mark) < 0.02
    assert met.boundary.distance(mark) < 0.1
    assert met.distance(tool) < 0.02 and met.intersection(tool).area < 0.05
