"""Sheets, reports, charts and folders in Hand over."""

from __future__ import annotations

import hashlib
import json
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from underglass.app.handover.sheets_page import SheetsPage
from underglass.app.main_window import MainWindow
from underglass.core.data import data_folder
from underglass.core.files.tool_set import write_tools


def made(qtbot: QtBot, page: SheetsPage, what: Callable[[], object]) -> bool:
    """Whether what was asked for is written, waited for."""
    with qtbot.waitSignal(page.done, timeout=120_000) as done:
        what()
    assert not page.making.busy and page.making.bar.isHidden() and page.making.stop.isHidden()
    return bool(done.args[0])


def test_the_setup_sheet_is_saved_with_the_shops_own_head(slip: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    page = slip.handing.sheets
    qtbot.keyClicks(page.shop, "Fernhill Glasshouse Works")
    qtbot.keyClick(page.shop, Qt.Key.Key_Return)
    assert slip.settings.value("shop") == "Fernhill Glasshouse Works"
    assert made(qtbot, page, lambda: page.save_sheet(tmp_path / "sheet.pdf")) and (
        tmp_path / "sheet.pdf"
    ).read_bytes().startswith(b"%PDF")
    assert made(qtbot, page, lambda: page.save_sheet(tmp_path / "sheet.html"))
    text = (tmp_path / "sheet.html").read_text()
    assert "Crash" in text and "Fernhill Glasshouse Works" in text
    assert "sheet.html" in page.making.said.text()
    assert not made(qtbot, page, lambda: page.save_sheet(tmp_path / "sheet.doc")) and ".pdf" in page.making.said.text()
    (tmp_path / "own.html").write_text("<h1>{{ sheet.title }} at {{ sheet.shop }}</h1>")
    page.template.setText(str(tmp_path / "own.html"))
    assert made(qtbot, page, lambda: page.save_sheet(tmp_path / "mine.html"))
    assert (tmp_path / "mine.html").read_text() == "<h1>Vent-winder bracket, one slip at Fernhill Glasshouse Works</h1>"


@pytest.mark.drawn
def test_the_report_has_the_glass_in_it_and_other_forms_go_by_the_ending(
    slip: MainWindow, tmp_path: Path, qtbot: QtBot
) -> None:
    page = slip.handing.sheets
    assert made(qtbot, page, lambda: page.save_report(tmp_path / "r.html"))
    text = (tmp_path / "r.html").read_text()
    assert "In the glass" in text and "line 108" in text and "Cut through at Y 40.00" in text
    assert (
        made(qtbot, page, lambda: page.save_report(tmp_path / "r.json"))
        and json.loads((tmp_path / "r.json").read_text())["outcome"] == "crash"
    )
    assert made(qtbot, page, lambda: page.save_report(tmp_path / "r.sarif"))
    assert json.loads((tmp_path / "r.sarif").read_text())["version"] == "2.1.0"
    assert not made(qtbot, page, lambda: page.save_report(tmp_path / "r.doc")) and ".sarif" in page.making.said.text()


def test_a_held_run_is_compared_on_paper(slip: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    page = slip.handing.sheets
    assert (
        not made(qtbot, page, lambda: page.save_compare(tmp_path / "c.html"))
        and "no run is kept" in page.making.said.text()
    )
    slip.looking.hold_run()
    with qtbot.waitSignal(slip.prover.proved, timeout=60_000):
        slip.document.set_text("\n".join(slip.document.lines).replace("X-8. F450", "X8. F450"))
    assert made(qtbot, page, lambda: page.save_compare(tmp_path / "c.html"))
    text = (tmp_path / "c.html").read_text()
    assert "Not the same part" in text and "line 108 of A, line 108 of B" in text


def test_a_chart_is_held_against_the_program(slip: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    page = slip.handing.sheets
    assert slip.document.job is not None
    tools = dict(slip.document.job.bench.tools)
    write_tools(tmp_path / "tools.csv", tools)
    assert made(qtbot, page, lambda: page.show_chart(tmp_path / "tools.csv")) and "agrees" in page.making.said.text()
    del tools[4]
    write_tools(tmp_path / "tools.csv", tools)
    assert (
        made(qtbot, page, lambda: page.show_chart(tmp_path / "tools.csv"))
        and "1 tool to look at" in page.making.said.text()
    )
    with qtbot.waitSignal(page.line_chosen) as chosen:
        page.making.said.linkActivated.emit("79")
    assert chosen.args == [79] and slip.place == "write"
    (tmp_path / "tools.csv").write_text("nothing")
    assert (
        not made(qtbot, page, lambda: page.show_chart(tmp_path / "tools.csv")) and "columns" in page.making.said.text()
    )


@pytest.mark.drawn
def test_all_of_it_goes_into_one_folder(slip: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    page, out = slip.handing.sheets, tmp_path / "out"
    assert made(qtbot, page, lambda: page.save_all(out))
    names = {p.name for p in out.iterdir()}
    stem = "vent-bracket-slip"
    assert {f"{stem}-setup.pdf", f"{stem}-report.html", f"{stem}-report.json", f"{stem}.png", f"{stem}.gif"} <= names
    for line in (out / "checksums.txt").read_text().splitlines():
        digest, name = line.split("  ")
        assert hashlib.sha256((out / name).read_bytes()).hexdigest() == digest
    assert len((out / "checksums.txt").read_text().splitlines()) == len(names) - 1


def test_what_is_being_made_can_be_stopped(slip: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    page, out = slip.handing.sheets, tmp_path / "out"
    page.save_all(out)
    assert page.making.busy and page.making.bar.isVisibleTo(page) and page.making.stop.isVisibleTo(page)
    assert not made(qtbot, page, page.making.cancel) and page.making.said.text() == "Stopped."
    # What comes after goes its own way, and to its end.
    assert made(qtbot, page, lambda: page.save_sheet(tmp_path / "s.html"))
    assert not (out / "checksums.txt").exists()
    (tmp_path / "file").write_text("")
    assert not made(qtbot, page, lambda: page.save_all(tmp_path / "file"))


def test_a_folder_is_proved_beside_the_window(window: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    page = window.handing.folder
    # What helps are processes of their own; here all is done in this one, for the machine's sake.
    page.cores = 1
    folder = tmp_path / "jobs"
    for name in ("ridge-gusset", "louvre-panel-slip"):
        (folder / name).mkdir(parents=True)
        for file in (data_folder() / "demo").glob(f"{name}.*"):
            shutil.copy(file, folder / name)
    (folder / "bad.job.toml").write_text("nonsense")
    with qtbot.waitSignal(page._work.done, timeout=120_000):
        page.look_into(folder)
    rows = {page.table.item(k, 0).text(): page.table.item(k, 1).text() for k in range(page.table.rowCount())}
    assert sorted(rows.values()) == ["cannot be used", "clean", "crash"]
    assert page.said.text() == "3 jobs: 1 crash, 1 clean, 1 cannot be used."
    assert page.save_to(tmp_path / "all.html") and "clamp-zone" in (tmp_path / "all.html").read_text()
    assert page.save_to(tmp_path / "all.csv") and "cannot be used" in (tmp_path / "all.csv").read_text()
    crashed = next(k for k in range(3) if page.table.item(k, 1).text() == "crash")
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        page.table.cellActivated.emit(crashed, 0)
    assert window.place == "prove" and window.document.job is not None
    assert window.document.job.title.startswith("Louvre panel")


def test_a_folder_can_be_left_and_an_empty_one_says_so(window: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    page = window.handing.folder
    page.cores = 1
    page.look_into(tmp_path)
    assert "no job" in page.said.text() and not page.busy
    page.look_into(data_folder() / "demo")
    assert page.busy and page.stop.isVisibleTo(page)
    page.cancel()
    assert not page.busy and page.said.text().startswith("Stopped after")
    told = [page.table.item(k, 1).text() for k in range(page.table.rowCount())]
    assert "waits" not in told and told.count("not proved") == len(page.jobs) - len(page.came)


@pytest.mark.parametrize("name", ["file", "sheets", "folder"])
def test_every_page_is_reached_by_its_tab_and_by_words(slip: MainWindow, qtbot: QtBot, name: str) -> None:
    slip.go_to_place("hand-over")
    qtbot.mouseClick(slip.handing.buttons[name], Qt.MouseButton.LeftButton)
    assert slip.handing.page == name and slip.handing._parts[name].isVisible()
    slip.go_to_place("write")
    slip.go_to_place("hand-over")
    assert slip.handing.page == name
