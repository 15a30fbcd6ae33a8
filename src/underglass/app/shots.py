"""The documentation's pictures, from the demo data."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QEventLoop, QSettings, Qt, QTimer

from underglass.app.main_window import MainWindow
from underglass.app.parts.first_page import CARD, DEMOS
from underglass.app.start import make_application
from underglass.app.style.palette import DAY, NIGHT
from underglass.core.files.demo import copy_demo
from underglass.core.files.tool_set import write_tools
from underglass.core.language.buffer import Place
from underglass.core.machine.actions import (
    Action,
    Clamp,
    CycleStart,
    Drawbar,
    Guard,
    Hold,
    Home,
    Power,
    PutIn,
    PutTool,
)


def _settle(window: MainWindow) -> None:
    loop = QEventLoop()
    window.when_still(loop.quit)
    loop.exec()


def _turned(window: MainWindow) -> None:
    """The bush with a slip: a bar that is taken out of its bore at rapid, corner first."""
    window.open(copy_demo("winder-bush-slip"))
    _settle(window)
    window.show_first(window.document.proof)  # type: ignore[arg-type]


def _lathe(window: MainWindow) -> None:
    """One offset out by what a radius is mistaken for, and the tool it belongs to."""
    window.open(copy_demo("winder-bush"))
    _settle(window)
    window.go_to_place("setup")
    edit = window.document.job_edit()
    edit.put(120.4, "registers", "geometry", "2", "x")
    window.document.change_job(edit.text, "an offset is out")
    _settle(window)
    window.own_setup.now.choose("tools")
    window.own_setup.now.choose_tool(2)


def _words(window: MainWindow) -> None:
    """A drilling cycle being written, with what it lacks and what may stand there."""
    editor = window.editor
    editor.put_caret(Place(95, len(editor.buffer.lines[95])))
    editor.insert("\nG99 G83 X60. Y12. Z-12. Q3. F360")
    window.prove(at_once=True)
    _settle(window)
    editor.type(" ")
    editor.offer_words()


def _fill_in(window: MainWindow) -> None:
    window.editor.completion.hide()
    while window.document.buffer.can_undo:
        window.editor.undo()
    window.editor.go_to(99)
    window.go_to_page("fill")
    fill = window.side.fill
    fill.choose("Pocket, rectangular")
    fill.tool.setCurrentIndex(fill.tool.findData(3))
    fill.take_tool()
    fill.form.enter({"long": "34", "wide": "24", "corner": "6", "cx": "24", "cy": "40", "deep": "5"})
    fill.with_tool.setChecked(True)
    fill.ask_write()
    window.prove(at_once=True)
    _settle(window)
    window.editor.go_to(
        next(k for k, text in enumerate(window.document.lines, 1) if text.startswith("(POCKET, REC")) + 12
    )
    _settle(window)
    fill.look(window.document.line)
    fill.open_found()
    # What it would do is tried beside the window: waited for, so that the picture has it.
    loop = QEventLoop()
    fill.trying.tried.connect(lambda tried: loop.quit() if tried is not None else None)
    QTimer.singleShot(20_000, loop.quit)
    fill.form.enter({"deep": "6"})
    loop.exec()
    _settle(window)


def _on_the_print(window: MainWindow) -> None:
    """The bracket's own outline as a drawing behind its path."""
    while window.document.buffer.can_undo:
        window.editor.undo()
    window.prove(at_once=True)
    _settle(window)
    window.editor.go_to(95)
    window.go_to_page("print")
    path = window.document.program_path
    assert path is not None
    loop = QEventLoop()
    window.side.print.loaded.connect(loop.quit)
    window.side.print.load_file(path.parent / "vent-bracket.dxf")
    loop.exec()
    view = window.side.print.view
    for x, y in ((12.0, 12.0), (12.0, 68.0), (108.0, 68.0)):
        view.picked.emit(x, y, "centre")


def _compare(window: MainWindow) -> None:
    """With a version in which the slot is longer."""
    window.go_to_page("here")
    path = window.document.program_path
    assert path is not None
    other = path.parent / "vent-bracket-long-slot.nc"
    other.write_text(window.document.text.replace("N920 X32.", "N920 X36.").replace("S6000", "S5500"))
    loop = QEventLoop()
    window.comparing.page.compared.connect(lambda _found: loop.quit())
    window.comparing.compare_with(other)
    loop.exec()


def _setup(window: MainWindow) -> None:
    """The clean demo with two registers out: one by wear, one because another tool's length was typed in."""
    window.open(copy_demo("vent-bracket"))
    _settle(window)
    window.setting_up.go_to("fixtures")
    edit = window.document.job_edit()
    edit.put(104.12, "registers", "length", "H2")
    edit.put(121.4, "registers", "length", "H3")
    window.document.change_job(edit.text, "two registers are out")
    _settle(window)
    window.setup.table.choose("length", "H3")
    loop = QEventLoop()
    window.setup.what_if.ranged.connect(loop.quit)
    if window.setup.what_if.busy:
        loop.exec()


def _pocket(window: MainWindow) -> None:
    window.open(copy_demo("vent-bracket"))
    _settle(window)
    window.editor.go_to(66)
    window.document.select_line(66)


def _sheet(window: MainWindow) -> None:
    """Six gussets out of a sheet, of which one was cut free before its holes."""
    window.go_to_place("prove")
    window.open(copy_demo("ridge-gusset-slip"))
    _settle(window)
    window.show_first(window.document.proof)  # type: ignore[arg-type]


def _press(window: MainWindow) -> None:
    """A hit under a clamp: the clamps were not moved along before it."""
    window.open(copy_demo("louvre-panel-slip"))
    _settle(window)
    window.show_first(window.document.proof)  # type: ignore[arg-type]


def _section(window: MainWindow) -> None:
    """Sawn through the pocket's boss, faces by how hard they were cut."""
    window.glass.view("corner")
    window.document.set_moment(178.0)
    window.glass.show_with(colouring="load", tool=False)
    window.glass.sawing.choose(1)
    window.beside.choose("whole")


def _lens(window: MainWindow) -> None:
    """What a retreat with compensation on leaves, close up."""
    window.glass.sawing.choose(None)
    window.glass.show_with(colouring="tool", tool=True)
    window.open(copy_demo("winder-cover"))
    _settle(window)
    finding = next(f for f in window.document.proof.troubles if f.code == "comp-exit-remains")  # type: ignore[union-attr]
    window.document.select_finding(finding)
    window.beside.choose("lens")
    view = window.beside.lens.view
    loop = QEventLoop()
    window.beside.lens.looked.connect(loop.quit)
    if window.beside.lens.lens is None:
        loop.exec()
    view.look_at((60.0, 3.0), 9.0)


def _hand_over(window: MainWindow) -> None:
    page = window.file_page
    window.go_to_place("hand-over")
    page.control.setCurrentIndex(1)
    page.name.setText("vent-bracket.nc.txt")
    page.look()
    page.send_it()


def _sheets(window: MainWindow) -> None:
    """The page of sheets, with a chart that has changed since."""
    page, job = window.handing.sheets, window.document.job
    window.handing.choose("sheets")
    page.shop.setText("Fernhill Glasshouse Works")
    if job is not None:
        tools = dict(job.bench.tools)
        tools[2] = replace(tools[2], DC=15.0)
        del tools[3]
        with tempfile.TemporaryDirectory() as folder:
            chart = Path(folder) / "tool-chart.csv"
            write_tools(chart, tools)
            loop = QEventLoop()
            page.done.connect(loop.quit)
            page.show_chart(chart)
            loop.exec()


def _at_machine(window: MainWindow, *what: Action | float) -> None:
    """Hands at the stand-in machine, one after another."""
    session = window.machine.session
    for one in what:
        if isinstance(one, float):
            session.advance(one)
            continue
        session.do(one)
        while session.busy:
            loop = QEventLoop()
            QTimer.singleShot(20, loop.quit)
            loop.exec()


def _machine(window: MainWindow) -> None:
    """The bracket at the machine: the outline under way, the next tool still to come."""
    window.open(copy_demo("vent-bracket"))
    _settle(window)
    window.go_to_place("machine")
    window.machine.session.stop()
    first, second = ((Guard(True), Drawbar(True), PutTool(n), Drawbar(False), Guard(False)) for n in (1, 2))
    _at_machine(
        window,
        Power(),
        Home(),
        300.0,
        Guard(True),
        PutIn(),
        Clamp(True),
        Guard(False),
        CycleStart(),
        *first,
        CycleStart(),
        600.0,
    )
    _at_machine(window, *second, CycleStart(), 24.0, Hold(), 1.0)


def _practice(window: MainWindow) -> None:
    """A practice job under way, with a hint taken and checked once."""
    guiding = window.guiding
    guiding.show_list()
    guiding.page.choose("mill-decimal-point")
    guiding.start(next(p for p in guiding.practising.all()[0] if p.name == "mill-decimal-point"))
    _settle(window)
    guiding.practising.hint()
    loop = QEventLoop()
    guiding.practising.checked.connect(loop.quit)
    guiding.practising.check()
    loop.exec()
    window.show_first(window.document.proof)  # type: ignore[arg-type]


def _views(window: MainWindow) -> Iterator[tuple[str, Callable[[], object]]]:
    """(file name, what to do before the picture) of each view."""
    yield "first-page", lambda: None
    yield "prove-crash", lambda: window.open(copy_demo("vent-bracket-slip"))
    yield "prove-section", lambda: (_pocket(window), _settle(window), _section(window))
    yield "prove-lens", lambda: (window.set_colours(NIGHT), _lens(window))
    yield "prove-turned", lambda: (window.set_colours(DAY), window.beside.choose("now"), _turned(window))
    yield "setup-lathe", lambda: _lathe(window)
    yield (
        "write",
        lambda: (
            window.document.undo_setup(),  # or the window asks whether to save it
            window.go_to_place("write"),
            window.open(copy_demo("vent-bracket")),
            _settle(window),
            window.glass.view("corner"),
            window.go_to_page("here"),
            window.editor.go_to(95),
        ),
    )
    yield "write-words", lambda: _words(window)
    yield "write-fill-in", lambda: _fill_in(window)
    yield "write-print", lambda: _on_the_print(window)
    yield "write-compare", lambda: _compare(window)
    yield "setup", lambda: _setup(window)
    yield "setup-tools", lambda: window.setup.choose("tools")
    yield "hand-over", lambda: (window.document.undo_setup(), window.set_colours(DAY), _hand_over(window))
    yield "hand-over-sheets", lambda: _sheets(window)
    yield "prove-sheet", lambda: _sheet(window)
    yield "prove-punch", lambda: _press(window)
    yield "machine", lambda: _machine(window)
    yield "practice", lambda: _practice(window)


def take_cards(folder: Path) -> list[Path]:
    """Write the pictures of the demos that the first page shows: the glass at the moment of the mistake."""
    make_application()
    folder.mkdir(parents=True, exist_ok=True)
    out = []
    with tempfile.TemporaryDirectory() as scratch:
        window = MainWindow(QSettings(str(Path(scratch) / "settings.ini"), QSettings.Format.IniFormat))
        window.resize(1280, 800)
        window.show()
        for name, _said in DEMOS:
            window.open_demo(name)
            _settle(window)
            window.go_to_place("prove")
            _settle(window)
            seen = window.glass.grab().toImage()
            wide = min(seen.width(), int(seen.height() * CARD.width() / CARD.height()))
            high = int(wide * CARD.height() / CARD.width())
            cut = seen.copy((seen.width() - wide) // 2, (seen.height() - high) // 2, wide, high)
            card = cut.scaled(
                CARD * 2, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            path = folder / f"{name}.png"
            card.save(str(path))
            out.append(path)
        window.close()
    return out


def take_shots(folder: Path) -> list[Path]:
    """Write every picture at 1280 x 800; the paths written."""
    make_application()
    folder.mkdir(parents=True, exist_ok=True)
    out = []
    with tempfile.TemporaryDirectory() as scratch:
        settings = QSettings(str(Path(scratch) / "settings.ini"), QSettings.Format.IniFormat)
        window = MainWindow(settings)
        window.resize(1280, 800)
        window.show()
        window.file_page.set_stick(Path(scratch) / "stick", "the application's folder / stick")
        for name, prepare in _views(window):
            prepare()
            _settle(window)
            path = folder / f"{name}.png"
            window.grab().save(str(path))
            out.append(path)
        window.set_colours(DAY)
        window.close()
    return out
