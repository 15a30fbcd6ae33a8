"""The place Machine: the stand-in for the real one, with the same control, bench and cut as the proof."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QEvent, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from underglass.app.commands import Command
from underglass.app.document import Document
from underglass.app.glass.widget import Glass
from underglass.app.machine.before_panel import BeforePanel
from underglass.app.machine.kept import KeptRehearsal
from underglass.app.machine.mdi_page import MdiPage
from underglass.app.machine.move_page import MovePage
from underglass.app.machine.programs import fill_menu
from underglass.app.machine.readout import Readout
from underglass.app.machine.run_bar import RunBar
from underglass.app.machine.session import Session
from underglass.app.machine.touch_page import TouchPage
from underglass.app.parts.basic import label, rule
from underglass.app.parts.page_row import PageRow
from underglass.app.style.palette import Palette
from underglass.core.errors import UnderGlassError
from underglass.core.files.machine_figures import keep_figures
from underglass.core.machine.actions import CycleStart, EmergencyStop, Hold, Jog, LetGo, Rate
from underglass.core.machine.gaps import Gap, gaps
from underglass.core.machine.interlocks import why_not

PAGES = (
    ("move", "Move", "Jog, step and hand wheel; how near the tool is"),
    ("touch", "Touch off", "Set a zero or a length from where the tool touches"),
    ("mdi", "Type a line", "MDI: one line, typed and run"),
)
_KEYS = {
    Qt.Key.Key_Left: ("x", -1), Qt.Key.Key_Right: ("x", 1), Qt.Key.Key_Down: ("y", -1), Qt.Key.Key_Up: ("y", 1),
    Qt.Key.Key_PageDown: ("z", -1), Qt.Key.Key_PageUp: ("z", 1),
}  # fmt: skip
_NEAR_SPAN_MM = 36.0
_HALF_ABOVE_MS = 8.0
"""Here a hand waits for its answer: quick before fine. A still picture is as fine as anywhere."""


class MachinePlace(QWidget):
    """``trouble`` brings a sentence; ``line_chosen`` a line of the program."""

    trouble = Signal(str)
    line_chosen = Signal(int)
    go_on_offered = Signal(object)
    """The rehearsal that ended in the middle."""

    def __init__(self, document: Document, palette: Palette, folder: Path) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAccessibleName("Machine: keys jog the axes")
        self._document, self._palette, self._folder = document, palette, folder
        self.session = Session(document, self)
        self.glass = Glass(self.session.view, palette)
        self.glass.prepared = self.session.ready_made
        self.glass.half_above_ms = _HALF_ABOVE_MS
        self.glass.setMinimumHeight(220)
        self.glass.show_with(lines=False)
        self.before = BeforePanel(self.session, palette)
        self.readout = Readout(palette)
        self.move_page = MovePage(self.session, palette)
        self.touch = TouchPage(self.session, palette)
        self.mdi = MdiPage(self.session)
        self.run = RunBar(self.session, palette)
        self.row = PageRow(PAGES)
        self.pages = QStackedWidget()
        self._widgets: dict[str, QWidget] = {"move": self.move_page, "touch": self.touch, "mdi": self.mdi}
        for name, _word, _tip in PAGES:
            area = QScrollArea()
            area.setWidgetResizable(True)
            area.setFrameShape(QScrollArea.Shape.NoFrame)
            area.setWidget(self._widgets[name])
            self.pages.addWidget(area)
        self._near = False
        self._empty = True
        self.near = QPushButton("Close to the tool")
        self.near.setCheckable(True)
        self.near.setToolTip("Look close to the tool and go along with it")
        self.near.toggled.connect(self._on_near)
        self.path = QPushButton("Path")
        self.path.setCheckable(True)
        self.path.setToolTip("Draw the way of what is set out: a graphic check before the start")
        self.path.toggled.connect(lambda on: self.glass.show_with(lines=on))
        self.anew = QPushButton("New morning")
        self.anew.setToolTip("Power off, nothing in the machine: begin again with the job as it is set up now")
        self.anew.clicked.connect(self.session.begin)
        self.stale = label("Setup has changed since this morning: a new morning takes it up.", pixels=12)
        self._lay_out()
        self.kept = KeptRehearsal(self.session, document, folder / "rehearsals", self)
        self.kept.trouble.connect(self.trouble)
        self.run.menu.aboutToShow.connect(
            lambda: fill_menu(self.run.menu, self.session, document, folder, self.trouble.emit)
        )
        self.touch.keep_asked.connect(self.keep_figures)
        self.touch.trouble.connect(self.trouble)
        self._gaps_later = QTimer(self)
        self._gaps_later.setSingleShot(True)
        self._gaps_later.setInterval(60)
        self._gaps_later.timeout.connect(self._look_at_gaps)
        self.row.chosen.connect(self.choose)
        self.row.buttons["move"].setChecked(True)
        s = self.session
        s.changed.connect(self._on_changed)
        s.begun.connect(self._on_begun)
        s.failed.connect(self.trouble)
        self.readout.jog.connect(self.jog)
        self.readout.let_go.connect(self.let_go)
        self.readout.axis_chosen.connect(self._on_axis)
        self.run.from_line_asked.connect(self._from_line)
        document.units_changed.connect(self._on_units)
        document.job_changed.connect(self._on_job)
        document.setup_changed.connect(lambda: self.stale.setVisible(s.stale))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        for button in self.findChildren(QPushButton):
            # A click leaves the keys with the place: arrows go on jogging. Tab still reaches every button.
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._keys_down: set[int] = set()

    def _lay_out(self) -> None:
        bar = QHBoxLayout()
        bar.setContentsMargins(8, 4, 8, 4)
        bar.setSpacing(6)
        for button in (self.near, self.path):
            bar.addWidget(button)
        bar.addWidget(self.stale, 1)
        bar.addStretch(1)
        bar.addWidget(self.anew)
        middle = QVBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addLayout(bar)
        middle.addWidget(self.glass, 1)
        right = QWidget()
        right.setFixedWidth(366)
        box = QVBoxLayout(right)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.readout)
        box.addWidget(rule())
        box.addWidget(self.row)
        box.addWidget(self.pages, 1)
        self.before.setFixedWidth(282)
        upper = QHBoxLayout()
        upper.setContentsMargins(0, 0, 0, 0)
        upper.setSpacing(1)
        upper.addWidget(self.before)
        upper.addLayout(middle, 1)
        upper.addWidget(right)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(upper, 1)
        whole.addWidget(self.run)

    # -- coming and going ----------------------------------------------------------------------------------------------

    def show_place(self) -> None:
        """The place is come to: a morning begins with the first look, else it goes on where it was left."""
        if self.session.stand is None:
            self.session.begin()
            found = self.kept.left()
            if found is not None:
                self.go_on_offered.emit(found)
        self.kept.begin()
        self.stale.setVisible(self.session.stale)
        self.session.resume()
        self.setFocus()

    def leave(self) -> None:
        """What runs is held, and what was done is kept."""
        self.session.rest()
        self.kept.end()

    def keep_figures(self) -> None:
        """What the control has been told here, written into the job: one step of Setup that can be taken back."""
        stand = self.session.stand
        if stand is None or self._document.job is None:
            return
        try:
            edit = self._document.job_edit()
            if keep_figures(edit, stand):
                self._document.change_job(edit.text, "figures set at the machine")
        except UnderGlassError as error:
            self.trouble.emit(str(error))
            return
        self.session.same_setup(self._document.job)
        self.stale.setVisible(False)

    def _on_job(self) -> None:
        """Another job: another morning, when the place is next looked at."""
        self.session.stop()
        self.session.stand = None
        if self.isVisible():
            self.show_place()

    def _on_begun(self) -> None:
        self.stale.setVisible(False)
        self.glass.refit()
        self._on_units()
        self._on_axis(self.readout.axis)

    def _on_units(self) -> None:
        unit = self._document.units
        self.move_page.set_unit(unit)
        self.touch.set_unit(unit)
        self._on_changed()

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        for part in (self.glass, self.before, self.readout, self.move_page, self.touch, self.run):
            part.set_palette(palette)
        self.stale.setStyleSheet(f"color: {palette.caution};")

    def choose(self, name: str) -> None:
        """One of the pages beside the glass."""
        self.row.buttons[name].setChecked(True)
        self.pages.setCurrentIndex([n for n, _w, _t in PAGES].index(name))
        if name == "mdi":
            self.mdi.line.setFocus()

    # -- following -----------------------------------------------------------------------------------------------------

    def _on_changed(self) -> None:
        stand = self.session.stand
        if stand is None:
            return
        rate = self.rate
        self.readout.show_stand(stand, self._document.units, lambda a, w: why_not(stand, Jog(a, w, rate)))
        if (stand.work is None) != self._empty:
            self._empty = stand.work is None
            self.glass.refit()
        stands = (stand.tool_there, stand.place) if stand.job.bench.more is None else None
        if stands != self.glass.stage.stands:
            self.glass.stage.stands = stands
            self.glass.restless()
        if self._near:
            self._follow()
        if not self._gaps_later.isActive():
            self._gaps_later.start()

    def _look_at_gaps(self) -> None:
        stand = self.session.stand
        if stand is None:
            return
        stage = self.glass.stage
        heights = tuple(cursor.field.h for cursor in stage.cursors) if stage.proof is not None else ()
        found: tuple[Gap, ...] = gaps(stand, heights)
        self.move_page.show_gaps(found)
        self.touch.show_gaps(found)

    def _on_near(self, on: bool) -> None:
        self._near = on
        if on:
            self.glass.camera = replace(self.glass.camera, span=_NEAR_SPAN_MM, elevation_deg=18.0)
            self._follow()
        else:
            self.glass.view("corner")

    def _follow(self) -> None:
        tip = self.glass.stage.tip()
        if tip is not None:
            self.glass.camera = replace(self.glass.camera, target=(float(tip[0]), float(tip[1]), float(tip[2])))
            self.glass.restless()

    # -- hands ---------------------------------------------------------------------------------------------------------

    @property
    def rate(self) -> Rate:
        """How fast the jog buttons go."""
        name = self.move_page.how.name
        return name if name in ("slow", "fast", "rapid") else "slow"  # type: ignore[return-value]

    def jog(self, axis: str, way: int) -> None:
        """A jog button is held, or a step is made."""
        step = self.move_page.step
        if step:
            self.session.step_by(axis, way * step)
        else:
            self.session.do(Jog(axis, way, self.rate))

    def let_go(self) -> None:
        stand = self.session.stand
        if stand is not None and stand.moving and stand.course.what == "jog":
            self.session.do(LetGo())

    def _on_axis(self, axis: str) -> None:
        self.move_page.choose_axis(axis)
        self.touch.choose_axis(axis)

    def _from_line(self) -> None:
        """At the cursor's line; asked a second time, knowing what that leaves out."""
        line = self._document.line
        last = self.session.last
        knowing = last is not None and last.kind == "refused" and last.line == line and "leaves out" in last.said
        self.session.do(CycleStart(line=line, knowing=knowing))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if event.isAutoRepeat() and key in _KEYS:
            return
        if key in _KEYS and event.modifiers() == Qt.KeyboardModifier.NoModifier:
            self._keys_down.add(event.key())
            self.jog(*_KEYS[key])
        elif key == Qt.Key.Key_Space:
            self.session.do(Hold())
        elif key == Qt.Key.Key_Escape and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.session.do(EmergencyStop())
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat() and event.key() in self._keys_down:
            self._keys_down.discard(event.key())
            self.let_go()
        else:
            super().keyReleaseEvent(event)

    def focusOutEvent(self, event: QEvent) -> None:  # type: ignore[override]
        # A key that was down is let go where the window is left.
        if self._keys_down:
            self._keys_down.clear()
            self.let_go()


def machine_commands(place: Callable[[], MachinePlace], go: Callable[[], object]) -> list[Command]:
    """What is done there from anywhere; ``go`` brings the place to the front."""

    def there(what: Callable[[MachinePlace], object]) -> Callable[[], object]:
        return lambda: (go(), what(place()))

    return [
        Command("Machine: start, or go on", there(lambda m: m.session.do(CycleStart())), ("F9",)),
        Command("Machine: hold", there(lambda m: m.session.do(Hold()))),
        Command("Machine: emergency stop", there(lambda m: m.session.do(EmergencyStop())), ("Shift+Esc",)),
        Command("Machine: type a line (MDI)", there(lambda m: m.choose("mdi"))),
        Command("Machine: touch off", there(lambda m: m.choose("touch"))),
        Command("Machine: jog, step and hand wheel", there(lambda m: m.choose("move"))),
        Command("Save the rehearsal\u2026", there(lambda m: m.kept.save_as())),
        Command("Do a rehearsal again\u2026", there(lambda m: m.kept.ask_again())),
        Command("Machine: new morning", there(lambda m: m.session.begin())),
    ]
