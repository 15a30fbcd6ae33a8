"""Reports as pages: the pictures of a place hold what the proof says of it, and the pages what was found."""

from __future__ import annotations

import re
from functools import cache
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pytest
import shapely

from tests.conftest import START, write_job
from underglass.core.data import data_folder
from underglass.core.files.chart import hold_against
from underglass.core.files.compare_html import comparison_page
from underglass.core.files.folder import as_table, look_at, look_at_all
from underglass.core.files.load import load
from underglass.core.files.place_svg import as_svg
from underglass.core.files.report_html import job_shown, page
from underglass.core.files.tool_set import write_tools
from underglass.core.proof.compare import compare_runs
from underglass.core.proof.place_picture import COMPARED, Area, PlacePicture, looking_at
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.proof.two_runs import prove_both

SLIPS = ("vent-bracket-slip", "winder-bush-slip", "ridge-gusset-slip", "louvre-panel-slip")


def job_file(name: str) -> Path:
    return data_folder() / "demo" / f"{name}.job.toml"


@cache
def proof_of(name: str) -> Proof:
    return prove(*load(job_file(name))[:2])


def shapes(picture: PlacePicture, look: str) -> list[shapely.Geometry]:
    """The areas of a picture as shapes."""

    def shape(area: Area) -> shapely.Geometry:
        out = shapely.Polygon()
        for ring in area.rings:
            out = shapely.symmetric_difference(out, shapely.make_valid(shapely.Polygon(ring)))
        return out

    return [shape(a) for a in picture.areas if a.look == look and a.rings]


class Whole(HTMLParser):
    """Counts what is opened and closed."""

    EMPTY = frozenset({"meta", "img", "br", "circle", "rect", "path", "image", "polyline", "line"})

    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.words: list[str] = []

    def handle_starttag(self, tag: str, attrs: object) -> None:
        if tag not in self.EMPTY:
            self.open.append(tag)

    def handle_endtag(self, tag: str) -> None:
        if tag not in self.EMPTY:
            assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        self.words.append(data)


def read(text: str) -> str:
    """A page's words; it has to be whole."""
    parser = Whole()
    parser.feed(text)
    assert parser.open == []
    return " ".join(" ".join(parser.words).split())


def test_the_holder_stands_at_the_clamp_where_it_first_touches_it() -> None:
    proof = proof_of("vent-bracket-slip")
    crash = next(f for f in proof.troubles if f.line == 108)
    above, aside = looking_at(proof)(crash)
    holder, clamp = shapes(aside, "holder"), [a for a in aside.areas if a.name == "left clamp"]
    at_clamp = min(h.distance(shapely.Polygon(c.rings[0])) for h in holder for c in clamp)
    assert at_clamp < 0.05, "the moment of the first contact"
    assert max(h.intersection(shapely.Polygon(c.rings[0])).area for h in holder for c in clamp) < 1.0
    # From above the cutter is a disc of the tool's own radius about the tip that is marked.
    disc = shapes(above, "cutter")[0]
    assert disc.area == pytest.approx(np.pi * 3.0**2, rel=5e-3)
    assert above.mark is not None and disc.centroid.distance(shapely.Point(above.mark)) < 1e-6
    # The sawn stock is as high as the surface that the demo's program leaves there: the pocket's floor lies at -8.
    sawn = shapely.union_all(shapes(aside, "stock"))
    assert sawn.bounds[1] == pytest.approx(-21.0, abs=1.1) and sawn.bounds[3] <= 1.0
    assert any(w.meant for w in above.ways) and not all(w.rapid for w in above.ways)


def test_the_bar_touches_the_bore_in_the_half_section() -> None:
    proof = proof_of("winder-bush-slip")
    crash = next(f for f in proof.troubles if f.line == 33)
    (picture,) = looking_at(proof)(crash)
    metal = shapely.union_all(shapes(picture, "stock"))
    tool = shapely.union_all(shapes(picture, "cutter") + shapes(picture, "holder"))
    assert metal.distance(tool) < 0.02 and picture.axes == ("Z", "X") and picture.factors == (1.0, 2.0)
    # Turned about the axis the section is the stock at that moment. (Pappus and Guldin.)
    history = proof.histories[0]
    cursor = history.cursor()
    cursor.go(*proof.timing.locate(crash.time_s))
    parts = [p for s in shapes(picture, "stock") for p in shapely.get_parts(s)]
    turned = sum(2.0 * np.pi * p.area * p.centroid.y for p in parts)
    assert turned == pytest.approx(cursor.state.volume(), rel=1e-6)


def test_a_sheet_is_seen_as_far_as_the_window_goes() -> None:
    proof = proof_of("ridge-gusset-slip")
    found = next(f for f in proof.troubles if f.line == 28)
    (picture,) = looking_at(proof)(found)
    metal = shapely.union_all(shapes(picture, "stock"))
    assert shapely.box(*picture.window).buffer(1e-6).contains(metal)
    assert shapes(picture, "cutter")[0].centroid.distance(shapely.Point(picture.mark)) < 1.0


@pytest.mark.parametrize("name", SLIPS)
def test_every_finding_with_a_place_is_pictured_and_told(name: str) -> None:
    proof = proof_of(name)
    text = page([job_shown(proof)], "2026-01-01")
    words = read(text)
    for finding in proof.to_mend:
        assert finding.message in words
    graver = [f for f in proof.to_mend if f.severity.word != "note"]
    assert text.count("<svg") >= len([f for f in graver if f.position is not None]) > 0
    assert proof.job.title in words and f"line {graver[0].line}" in words
    assert "http" not in text.replace("http://www.w3.org/2000/svg", ""), "nothing is fetched from anywhere"
    assert text == page([job_shown(proof)], "2026-01-01")


def test_a_picture_says_its_scale_in_the_jobs_unit_and_keeps_words_as_words() -> None:
    proof = proof_of("vent-bracket-slip")
    _above, aside = looking_at(proof)(proof.troubles[0])
    assert ">10 mm<" in as_svg(aside, "mm") and re.search(r">0?\.?\d+ in<", as_svg(aside, "inch"))
    named = PlacePicture(
        title="a < b", window=(0, 0, 30, 20), areas=(Area((np.array([(0, 0), (30, 0), (30, 20), (0, 20)]),), "fixture", "<x>"),)
    )  # fmt: skip
    text = as_svg(named, "mm")
    assert "&lt;x&gt;" in text and "a &lt; b" in text
    read(text)


def test_two_runs_on_one_page_show_what_each_has_alone() -> None:
    (a, source_a, _x), (b, source_b, _y) = load(job_file("vent-bracket")), load(job_file("vent-bracket-slip"))
    one, two = prove_both(a, source_a, b, source_b)
    found = compare_runs(one, two)
    text = comparison_page(one, two, found, "2026-01-01")
    words = read(text)
    assert "Not the same part" in words and f"{found.apart_mm3:.1f} mm3 differ" in words and "line 108 of A" in words
    (picture,) = COMPARED[one.job.trade.name](one, two)
    assert picture.relief is not None and picture.relief.apart
    over = picture.relief.heights[np.isfinite(picture.relief.heights)]
    assert over.max() == pytest.approx(found.a_left.depth_mm if found.a_left else 0.0) and over.min() == 0.0


@pytest.mark.parametrize("name", ["winder-bush", "ridge-gusset"])
def test_a_part_against_itself_has_nothing_alone(name: str) -> None:
    proof = proof_of(name)
    (picture,) = COMPARED[proof.job.trade.name](proof, proof)
    assert sum(s.area for s in shapes(picture, "more") + shapes(picture, "less")) < 1e-9
    assert sum(s.area for s in shapes(picture, "stock")) > 1.0


def test_a_folder_is_a_table_and_one_bad_job_stops_none(tmp_path: Path) -> None:
    good, air = tmp_path / "good", tmp_path / "air"
    for folder, more in ((good, "M5\nM30\n"), (air, "G0 X50. Y30.\nZ-5.\nM30\n")):
        folder.mkdir()
        write_job(folder, START + more)
    (tmp_path / "bad.job.toml").write_text("format = 2\n")
    paths = sorted(tmp_path.rglob("*.job.toml"))
    came = sorted(look_at_all(paths, ("html",), most_cores=1), key=lambda c: c.path)
    assert [bool(c.why) for c in came] == [False, True, False] and came[0].outcome == "crash"
    table = as_table(came)
    assert "3 jobs: 1 clean, 1 crash, 1 cannot be used" in table and "bad.job.toml" in table
    told = [c.path.name for c in came if c.why]
    text = page([c.made["html"] for c in came if not c.why], "2026-01-01", dict.fromkeys(told, "this must be 1"))
    assert "3 jobs, 2 with something to mend" in read(text)
    assert look_at(paths[0], ("json",)).made["json"]["outcome"] == "crash"


@pytest.mark.parametrize(
    ("change", "trouble"),
    [
        (lambda t: t, {}),
        (lambda t: {k: v for k, v in t.items() if k != 4}, {4: "not-in-chart"}),
        (lambda t: {**t, 9: t[3]}, {9: "not-called"}),
        (lambda t: {**t, 3: t[4], 4: t[3]}, {3: "swapped", 4: "swapped"}),
        (lambda t: {**t, 2: t[5]}, {2: "changed"}),
    ],
)
def test_a_chart_against_the_program(tmp_path: Path, change: object, trouble: dict[int, str]) -> None:
    from dataclasses import replace

    proof = proof_of("vent-bracket")
    tools = {n: replace(t, number=n) for n, t in change(dict(proof.job.bench.tools)).items()}  # type: ignore[operator]
    for name in ("tools.csv", "tools.toml"):
        write_tools(tmp_path / name, tools)
        rows = hold_against(proof, tmp_path / name)
        assert {r.number: r.trouble for r in rows if r.trouble} == trouble, name


def test_a_lathes_chart_is_read_as_its_job_is(tmp_path: Path) -> None:
    proof = proof_of("winder-bush")
    every = re.split(r"\n(?=\[)", job_file("winder-bush").read_text())
    entries = "\n".join(part for part in every if part.startswith("[[tool]]"))
    (tmp_path / "chart.toml").write_text(f'format = 1\nunits = "mm"\n{entries}\n')
    assert [r for r in hold_against(proof, tmp_path / "chart.toml") if r.trouble] == []
    (tmp_path / "chart.toml").write_text(f'format = 1\nunits = "mm"\n{re.sub(r"RE *= *0.8", "RE = 0.4", entries)}\n')
    changed = [r for r in hold_against(proof, tmp_path / "chart.toml") if r.trouble]
    assert changed and all(r.trouble == "changed" and "RE 0.400, on the bench 0.800" in r.why for r in changed)
