"""The page Why in a real window: sizes typed and taken from the glass, causes chosen, the run beside the true one, and how safe it is."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tests.conftest import PLAIN_JOB, SAFE
from underglass.app.main_window import MainWindow
from underglass.core.proof.features import Feature

PROGRAM = SAFE + "T1 M6\nG0 G54 X20. Y30. S3000 M3\nG43 H1 Z25.\nG0 Z2.\nG1 Z-4. F200.\nX80. F400.\nG0 Z25. M5\nM30\n"
JOB = PLAIN_JOB.replace("cell = 0.25", "cell = 0.5").replace(
    "place = [-25.0, 20.0, -5.0]", "place = [-25.0, -60.0, -5.0]"
)


def test_a_size_that_is_off_leads_to_its_register(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(PROGRAM, JOB)
    window.go_to_place("prove")
    window.beside.choose("why")
    page = window.beside.why
    assert not page.ask.isEnabled()
    # From the glass: a point of the slot's floor.
    measuring = window.glass.measuring
    window.document.set_moment(window.document.proof.timing.total)  # type: ignore[union-attr]
    QTest.mouseClick(page.take, Qt.MouseButton.LeftButton)
    assert "Measure it in the glass first" in window.trouble and measuring.mode == "across"
    measuring.choose("point")
    measuring.click(np.array([50.0, 30.0, 100.0]), np.array([0.0, 0.0, -1.0]))
    QTest.mouseClick(page.take, Qt.MouseButton.LeftButton)
    assert page.what.currentData() == "height" and page.wanted.text == "-4.000"
    page.add.click()
    assert page.value.bad
    page.value.enter("-3.82")
    page.add.click()
    page.take_feature(Feature(what="width", at=(50.0, 30.0), z=-2.0, way_deg=90.0), 10.0)
    page.value.enter("10")
    page.add.click()
    assert page.list.count() == 2 and "-3.820 for -4.000" in page.list.item(0).text()
    with qtbot.waitSignal(page._came, timeout=60_000) as came, qtbot.waitSignal(page._work.done, timeout=60_000):
        QTest.mouseClick(page.ask, Qt.MouseButton.LeftButton)
        assert page.ask.text() == "Stop looking" and page.bar.isVisibleTo(page)
    # Causes are listed as they are found, by how much they explain.
    assert came.args[0].explains > 0.0 and page.bar.isHidden()
    shares = [page.causes.item(k).data(Qt.ItemDataRole.UserRole).explains for k in range(page.causes.count())]
    assert shares == sorted(shares, reverse=True)
    cause = page.chosen()
    assert cause is not None and cause.explains > 0.97
    words = [page.causes.item(k).text() for k in range(page.causes.count())]
    assert any("The control held H1 75.180, +0.180 out" in w for w in words)
    # Its run is drawn beside the true one, and let go with the next job.
    assert window.glass.stage.held is cause.proof
    assert "would be" in page.said.text() and "-3.820" in page.said.text()
    page.list.setCurrentRow(0)
    page.drop.click()
    assert page.list.count() == 1
    window.open_demo("vent-bracket")
    assert page.list.count() == 0 and window.glass.stage.held is None


def test_how_safe_the_setup_is_is_said_and_can_be_stopped(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(PROGRAM, JOB)
    window.go_to_place("prove")
    window.beside.choose("why")
    page = window.beside.why
    page.safe.click()
    assert page.safe.text() == "Stop trying"
    page.safe.click()
    assert page.safe.text() == "How safe is it?"
    with qtbot.waitSignal(page._safe_work.done, timeout=60_000):
        page.safe.click()
    assert page.safety is not None and page.safety.proofs > 5
    assert "runs tried" in page.safety_said.text()


def test_which_of_many_changes_did_it_and_the_fewest_lines_that_show_it(
    plain: Callable[..., MainWindow], qtbot: QtBot, tmp_path: Path
) -> None:
    window = plain(PROGRAM, JOB)
    runs = window.beside.runs
    window.go_to_place("prove")
    window.beside.choose("runs")
    window.looking.hold_run()
    changed = (
        PROGRAM.replace("S3000", "S3100")
        .replace("G0 Z2.", "G0 Z-2.")
        .replace("F400.", "F420.")
        .replace("Z25. M5", "Z30. M5")
    )
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.document.set_text(changed)
    assert runs.code == "rapid-into-stock" and runs.which.isEnabled()
    with qtbot.waitSignal(runs._lines.done, timeout=60_000):
        QTest.mouseClick(runs.which, Qt.MouseButton.LeftButton)
        assert runs.which.text() == "Stop"
    said = runs.which_said.text()
    assert "This change alone" in said and "line 5" in said and "G0 Z2. \u2192 G0 Z-2." in said and "S3100" not in said
    window.next_finding()
    assert window.document.finding is not None and window.document.finding.code == "rapid-into-stock"
    with qtbot.waitSignal(runs._lines.done, timeout=60_000):
        runs.save_fewest(tmp_path / "short.nc")
    short = (tmp_path / "short.nc").read_text().splitlines()
    assert "G0 Z-2." in short and len(short) < len(PROGRAM.splitlines()) and "short.nc" in runs.which_said.text()
    # A setup that has changed is no line's doing.
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.document.set_text(PROGRAM)
    assert runs.code is None and not runs.which.isEnabled()


def test_what_is_asked_for_shows_the_fields_that_it_needs(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(PROGRAM, JOB)
    window.go_to_place("prove")
    window.beside.choose("why")
    page = window.beside.why
    fields = {
        "x": page.x,
        "y": page.y,
        "z": page.z,
        "along": page.along,
        "to x": page.to_x,
        "to y": page.to_y,
        "line": page.line,
        "value": page.value,
    }
    wanted = {
        "height": {"x", "y", "value"}, "step": {"x", "y", "to x", "to y", "value"}, "width": {"x", "y", "z", "along", "value"},
        "distance": {"x", "y", "z", "to x", "to y", "value"}, "angle": {"x", "y", "z", "along", "to x", "to y", "value"},
        "taper": {"x", "y", "z", "along", "to x", "value"}, "turned": {"z", "value"}, "face": {"x", "z", "value"},
        "touched": {"line"}, "ridge": {"x", "y"}, "aside": {"x", "y"},
    }  # fmt: skip
    for what, shown in wanted.items():
        page.what.setCurrentIndex(page.what.findData(what))
        assert {name for name, field in fields.items() if not field.isHidden()} == shown, what
    # All of it 0.3 to the left: a zero, a shift or the part's place, which nothing tells apart.
    page.x.enter("-0.3")
    page.add.click()
    assert page.list.item(0).text() == "All of it aside by -0.3, +0"
    with qtbot.waitSignal(page._work.done, timeout=60_000):
        QTest.mouseClick(page.ask, Qt.MouseButton.LeftButton)
    words = [page.causes.item(k).text() for k in range(page.causes.count())]
    assert words[0].startswith("100%  The control held G54 X -300.300, -0.300 out")
    assert any(w.startswith("or 100%") and "The part lay +0.300 along X" in w for w in words)
    assert "Middle of all that is cut, X" in page.said.text() or "middle of all that is cut, X" in page.said.text()
