"""Moves as drawings and findings as SARIF, read back by other libraries."""

from __future__ import annotations

import io
import json
import xml.etree.ElementTree as ET
from collections.abc import Callable

import ezdxf
import pytest

from tests.conftest import START
from underglass.core.files.drawn import path_as_dxf, path_as_svg
from underglass.core.files.report import PATH_HEADER, path_as_csv, path_as_json
from underglass.core.files.sarif import as_sarif
from underglass.core.proof.proof import Proof

Prove = Callable[..., Proof]
TEXT = (
    START
    + "X10. Y10.\nG1 Z-1. F200\nX30.\nG2 X40. Y20. I10. J0\nG3 I-5. J0\nG2 X30. Y10. Z-2. I-10. J0\nG0 Z50.\nM5\nM30\n"
)


def test_dxf_holds_lines_arcs_and_circles(prove_text: Prove) -> None:
    proof = prove_text(TEXT.replace("I10. J0", "I0 J10."))
    drawing = ezdxf.read(io.StringIO(path_as_dxf(proof)))
    assert not drawing.audit().errors
    kinds: dict[str, int] = {}
    for entity in drawing.modelspace():
        kinds[entity.dxftype()] = kinds.get(entity.dxftype(), 0) + 1
    motions = proof.motions
    assert kinds["LINE"] == int((motions.sweep == 0.0).sum())
    assert kinds["CIRCLE"] == 1 and kinds.get("ARC", 0) + kinds.get("POLYLINE", 0) + 1 == int(
        (motions.sweep != 0.0).sum()
    )
    circle = next(e for e in drawing.modelspace() if e.dxftype() == "CIRCLE")
    assert circle.dxf.radius == pytest.approx(5.0) and circle.dxf.layer == "T1_FEED"
    feeds = sum(
        (e.dxf.end - e.dxf.start).magnitude
        for e in drawing.modelspace()
        if e.dxftype() == "LINE" and e.dxf.layer == "T1_FEED"
    )
    straight = (motions.sweep == 0.0) & ~motions.rapid()
    assert feeds == pytest.approx(float(motions.lengths()[straight].sum()))


def test_arcs_run_the_right_way(prove_text: Prove) -> None:
    """A clockwise quarter from (10, 0) to (0, -10) about the origin: DXF counts counter-clockwise, from 270 to 360."""
    proof = prove_text(START + "X10. Y0\nG1 Z1. F200\nG2 X0 Y-10. I-10. J0\nM30\n")
    (arc,) = [e for e in ezdxf.read(io.StringIO(path_as_dxf(proof))).modelspace() if e.dxftype() == "ARC"]
    assert (arc.dxf.start_angle % 360, arc.dxf.end_angle % 360) == (pytest.approx(270.0), pytest.approx(0.0, abs=1e-9))


def test_svg_is_well_formed_and_names_lines(prove_text: Prove) -> None:
    proof = prove_text(TEXT)
    root = ET.fromstring(path_as_svg(proof))
    drawn = [e for e in root if e.get("data-line")]
    assert {e.get("class") for e in drawn} == {"feed", "rapid", "plunge"}
    assert {int(e.get("data-line") or 0) for e in drawn} <= set(proof.motions.line.tolist())
    assert ET.fromstring(path_as_svg(prove_text("M30\n"))).tag.endswith("svg")


def test_json_says_what_the_table_says(prove_text: Prove) -> None:
    proof = prove_text(TEXT)
    rows = json.loads(path_as_json(proof))["moves"]
    table = path_as_csv(proof).splitlines()
    assert len(rows) == len(table) - 1 and list(rows[0]) == PATH_HEADER.split(",")
    assert rows[0]["feed"] is None and rows[0]["cx"] is None and rows[-1]["kind"] == "rapid"
    assert float(table[1].split(",")[6]) == rows[0]["x1"]


def test_sarif(prove_text: Prove) -> None:
    """Names and required members of SARIF 2.1.0, from memory."""
    proof = prove_text(START + "G0 X50. Y30. Z-2.\nX4. Y\nM30\n")
    log = as_sarif([proof])
    assert log["version"] == "2.1.0" and len(log["runs"]) == 1
    run = log["runs"][0]
    rules = [r["id"] for r in run["tool"]["driver"]["rules"]]
    assert len(run["results"]) == len(proof.findings)
    for result, finding in zip(run["results"], proof.findings):
        region = result["locations"][0]["physicalLocation"]["region"]
        assert rules[result["ruleIndex"]] == result["ruleId"] == finding.code
        assert (region["startLine"], region["startColumn"]) == (finding.line, finding.column)
        assert region["endColumn"] > region["startColumn"] >= 1
        assert result["level"] in ("error", "warning", "note") and result["message"]["text"]
    json.dumps(log)
