"""The setup sheet: what stands on it is what the job and the proof say, in both units, as HTML and as PDF."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable
from html.parser import HTMLParser
from pathlib import Path
from xml.etree import ElementTree

import pytest

from tests.conftest import PLAIN_JOB, START
from underglass.core.data import data_folder
from underglass.core.errors import UnusableFile
from underglass.core.files.load import load
from underglass.core.files.setup_pdf import write_sheet
from underglass.core.files.setup_pictures import as_svg, scale_of
from underglass.core.files.setup_sheet import SetupSheet, as_html, both, setup_sheet
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove

DEMO = data_folder() / "demo"
JOBS = ("vent-bracket", "winder-bush", "ridge-gusset", "louvre-panel")


def sheet_of(name: str) -> tuple[SetupSheet, Proof]:
    job, source, path = load(DEMO / f"{name}.job.toml")
    proof = prove(job, source)
    return setup_sheet(proof, "2026-01-02", shop="Fernhill Glasshouse Works", program=path), proof


def table(sheet: SetupSheet, title: str) -> list[tuple[str, ...]]:
    return list(next(t.rows for t in sheet.tables if t.title.startswith(title)))


def test_a_milled_job_says_what_is_clamped_and_where_the_zero_is() -> None:
    sheet, proof = sheet_of("vent-bracket")
    assert dict(sheet.facts)["Time"] == "3:42" and sheet.outcome == "Clean"
    held = dict(sheet.held)
    assert (
        held["stock"] == "164.000 x 84.000 x 21.000 mm (6.4567 x 3.3071 x 0.8268 in)"
        and held["material"] == "aluminium"
    )
    assert {"left clamp", "right clamp", "fixed jaw"} <= set(held)
    assert sheet.touch[2] == "Z0 lies 1.000 mm (0.0394 in) below the stock's top."
    figures = hashlib.sha256((DEMO / "vent-bracket.nc").read_bytes()).hexdigest()[:16].upper()
    assert sheet.checksum.replace(" ", "") == figures
    tools = table(sheet, "Tools")
    assert (
        [row[0] for row in tools] == ["T1", "T2", "T3", "T4", "T5"]
        and tools[0][2] == "92.400 / 3.6378"
        and tools[0][-2:] == ("25.000 / 0.9843", "24.000 / 0.9449")
    )
    assert table(sheet, "Tool length")[1] == ("H2", "T2 end mill 16", "104.150 / 4.1004", "104.150 / 4.1004")
    assert len(table(sheet, "Operations")) == 5 and proof.timing.total == pytest.approx(221.83, abs=0.01)


def test_each_trade_has_its_own_words_and_no_empty_columns() -> None:
    sheet, _proof = sheet_of("winder-bush")
    assert dict(sheet.held)["held by"] == "jaws, outside" and "X0 is the axis." in sheet.touch
    assert table(sheet, "Stops")[0][1] == "41" and len(table(sheet, "Tip radius")) == 6
    sheet, _proof = sheet_of("ridge-gusset")
    assert dict(sheet.held)["sheet"].startswith("600.000 x 400.000 x 4.000 mm")
    assert sheet.touch[0] == "X0 lies 15.000 mm (0.5906 in) inside the sheet's left edge."
    for name in JOBS:
        for one in sheet_of(name)[0].tables:
            assert all(len(row) == len(one.heads) for row in one.rows), one.title


class _Balanced(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.text = ""

    def handle_starttag(self, tag: str, attrs: object) -> None:
        if tag not in ("meta", "img", "br", "circle", "line"):
            self.open.append(tag)

    def handle_endtag(self, tag: str) -> None:
        if tag not in ("circle", "line"):
            assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        self.text += data


@pytest.mark.parametrize("name", JOBS)
def test_html_and_pdf_hold_the_sheet(name: str) -> None:
    sheet, _proof = sheet_of(name)
    read = _Balanced()
    read.feed(as_html(sheet))
    assert read.open == [] and sheet.checksum in read.text and "Fernhill Glasshouse Works" in read.text
    for one in sheet.tables:
        assert one.title in read.text
    for picture in sheet.pictures:
        ElementTree.fromstring(as_svg(picture, sheet.unit))
        k, dx, dy = scale_of(picture)
        assert all(
            -1.0 <= v * k + (dx if n % 2 == 0 else dy) <= 341.0 for s in picture.strokes for n, v in enumerate(s.at)
        )
    raw = write_sheet(sheet, Path("x.pdf"))
    assert raw.startswith(b"%PDF") and raw.rstrip().endswith(b"%%EOF")
    # Two pages at most for a plain job.
    assert 1 <= len(re.findall(rb"/Type /Page\b", raw)) <= 2


def test_an_accepted_finding_stands_with_its_reason_and_a_guess_is_told(prove_text: Callable[..., Proof]) -> None:
    text = START + "X50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\n(MEASURE THE SLOT)\nM0\nG0 Z50.\nM5\nM30\n"
    proof = prove_text(text, PLAIN_JOB)
    sheet = setup_sheet(proof, "2026-01-02")
    assert table(sheet, "Stops")[0][-1] == "Measure the slot"
    found = next((f for f in proof.troubles), None)
    if found is not None:
        block = proof.source.lines[found.line - 1]
        meant = PLAIN_JOB + f'\n[[accepted]]\ncode = "{found.code}"\nblock = "{block}"\nreason = "it is meant"\n'
        assert table(setup_sheet(prove_text(text, meant), "2026-01-02"), "Accepted")[0][-1] == "it is meant"


def test_both_units_and_files_that_cannot_be(tmp_path: Path) -> None:
    assert both(25.4, "mm") == "25.400 mm (1.0000 in)" and both(25.4, "inch") == "1.0000 in (25.400 mm)"
    sheet, _proof = sheet_of("winder-bush")
    with pytest.raises(UnusableFile, match=r"\.html or \.pdf"):
        write_sheet(sheet, tmp_path / "x.doc")
    (tmp_path / "own.html").write_text("<p>{{ sheet.title }}, {{ sheet.shop }}</p>")
    assert as_html(sheet, tmp_path / "own.html") == "<p>Winder bush, Fernhill Glasshouse Works</p>"
    (tmp_path / "bad.html").write_text("{% if %}")
    with pytest.raises(UnusableFile, match="cannot be filled"):
        as_html(sheet, tmp_path / "bad.html")
    with pytest.raises(UnusableFile):
        as_html(sheet, tmp_path / "none.html")
