"""The window: rail, header, program, glass, now and findings, tape. One document, shown everywhere."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import QByteArray, QSettings, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QKeyEvent
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QMessageBox,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from underglass.app.actions import make_actions
from underglass.app.document import Document
from underglass.app.glass.widget import Glass
from underglass.app.parts.basic import PanelHead, label
from underglass.app.parts.command_palette import CommandPalette
from underglass.app.parts.first_page import FirstPage
from underglass.app.parts.header import Header
from underglass.app.parts.rail import Rail
from underglass.app.prove.findings_panel import FindingsPanel
from underglass.app.prove.now_panel import NowPanel
from underglass.app.prove.reader_panel import ReaderPanel
from underglass.app.prover import Prover
from underglass.app.style.palette import DAY, NIGHT, Palette
from underglass.app.style.theme import apply_theme
from underglass.app.tape.player import Player
from underglass.app.tape.tape import Tape, transport_key
from underglass.app.tape.transport import Transport
from underglass.app.write.find_bar import FindBar
from underglass.app.write.program_editor import ProgramEditor
from underglass.core.errors import UnderGlassError
from underglass.core.files.demo import copy_demo
from underglass.core.files.load import load
from underglass.core.files.save import write_whole
from underglass.core.finding import Finding, worst
from underglass.core.proof.proof import Proof

_NAME = "Under Glass"


class MainWindow(QMainWindow):
    """Put together here; every part looks after itself."""

    def __init__(self, settings: QSettings | None = None) -> None:
        super().__init__()
        self.settings = settings if settings is not None else QSettings("underglass", "underglass")
        self.colours: Palette = NIGHT if self.settings.value("theme") == "night" else DAY
        self._place = ""
        self._sizes: dict[str, list[int]] = {"write": [560, 400, 256], "prove": [330, 626, 260]}
        self.document = Document(self)
        self.player = Player(self.document, self)
        self.prover = Prover(self)
        p = self.colours
        self.rail = Rail(p)
        self.header = Header(self.document, p)
        self.editor = ProgramEditor(self.document, p)
        self.find_bar = FindBar(self.editor)
        self.reader = ReaderPanel(self.document, p)
        self.glass = Glass(self.document, p)
        self.now = NowPanel(self.document, p)
        self.findings = FindingsPanel(self.document, p)
        self.tape = Tape(self.document, self.player, p)
        self.transport = Transport(self.player, p)
        self.first_page = FirstPage()
        self._trouble = label(pixels=13)
        self._trouble.setWordWrap(True)
        self._trouble.setMargin(8)
        self._trouble.hide()
        self._lay_out()
        self._connect()
        make_actions(self)
        self.setWindowTitle(_NAME)
        self.resize(1280, 800)
        self.setMinimumSize(900, 600)
        geometry = self.settings.value("geometry")
        if isinstance(geometry, QByteArray):
            self.restoreGeometry(geometry)
        self.set_colours(self.colours)
        self.go_to_place("prove")
        self.stack.setCurrentWidget(self.first_page)

    # -- put together ----------------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        self._program_head = PanelHead("Program")
        left = QWidget()
        left_box = QVBoxLayout(left)
        left_box.setContentsMargins(0, 0, 0, 0)
        left_box.setSpacing(0)
        left_split = QSplitter(Qt.Orientation.Vertical)
        left_split.setHandleWidth(1)
        left_split.addWidget(self.editor)
        left_split.addWidget(self.reader)
        left_split.setSizes([440, 190])
        left_split.setStretchFactor(0, 1)
        left_split.setCollapsible(0, False)
        left_box.addWidget(self._program_head)
        left_box.addWidget(self.find_bar)
        left_box.addWidget(left_split, 1)
        middle = QWidget()
        middle_box = QVBoxLayout(middle)
        middle_box.setContentsMargins(0, 0, 0, 0)
        middle_box.setSpacing(0)
        middle_box.addWidget(self.glass)
        self._glass_buttons()
        right = QSplitter(Qt.Orientation.Vertical)
        right.setHandleWidth(1)
        right.addWidget(self.now)
        right.addWidget(self.findings)
        right.setStretchFactor(1, 1)
        right.setCollapsible(0, False)
        right.setCollapsible(1, False)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setHandleWidth(1)
        for part in (left, middle, right):
            self.split.addWidget(part)
        self.split.setStretchFactor(1, 1)
        self.split.setCollapsible(1, False)
        strip = QWidget()
        strip.setObjectName("tape")
        strip.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        strip.setFixedHeight(84)
        strip_row = QHBoxLayout(strip)
        strip_row.setContentsMargins(0, 1, 0, 0)
        strip_row.setSpacing(0)
        strip_row.addWidget(self.transport)
        strip_row.addWidget(self.tape, 1)
        work = QWidget()
        work_box = QVBoxLayout(work)
        work_box.setContentsMargins(0, 0, 0, 0)
        work_box.setSpacing(0)
        work_box.addWidget(self.split, 1)
        work_box.addWidget(strip)
        self.stack = QStackedWidget()
        self.stack.addWidget(work)
        self.stack.addWidget(self.first_page)
        self._work = work
        body = QWidget()
        body.setObjectName("body")
        row = QHBoxLayout(body)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.rail)
        main = QVBoxLayout()
        main.setSpacing(0)
        main.addWidget(self.header)
        main.addWidget(self._trouble)
        main.addWidget(self.stack, 1)
        row.addLayout(main, 1)
        self.setCentralWidget(body)

    def _glass_buttons(self) -> None:
        """What is shown in the glass and from where, in its upper left corner."""
        self._glass_bar = QWidget(self.glass)
        self._glass_bar.setObjectName("glassBar")
        self._glass_bar.move(12, 10)
        row = QHBoxLayout(self._glass_bar)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.show_solid = self._glass_button("Solid", "Show the stock  (S)", checkable=True)
        self.show_lines = self._glass_button("Path", "Show the path  (P)", checkable=True)
        self.show_solid.clicked.connect(lambda on: self.glass.set_shown(solid=on))
        self.show_lines.clicked.connect(lambda on: self.glass.set_shown(lines=on))
        row.addWidget(self.show_solid)
        row.addWidget(self.show_lines)
        row.addSpacing(8)
        self._views: list[QPushButton] = []
        for name, word in (("corner", "Corner"), ("top", "Top"), ("front", "Front"), ("right", "Right")):
            button = self._glass_button(word, f"Look from the {word.lower()}")
            button.clicked.connect(lambda _checked=False, n=name: self.glass.view(n))
            row.addWidget(button)
            self._views.append(button)
        self.parallel = self._glass_button("Parallel", "Without perspective", checkable=True)
        self.parallel.clicked.connect(self.glass.set_parallel)
        row.addWidget(self.parallel)
        self._views.append(self.parallel)
        self.glass.resized.connect(self._place_glass_bar)
        self._on_look_changed()

    def _place_glass_bar(self) -> None:
        """As many of the buttons as there is room for; the others are in the command palette."""
        room = self.glass.width() - 24
        for button in self._views:
            button.setVisible(True)
        for button in reversed(self._views):
            if self._glass_bar.sizeHint().width() <= room:
                break
            button.setVisible(False)
        self._glass_bar.setFixedSize(self._glass_bar.sizeHint())
        self._glass_bar.raise_()

    @staticmethod
    def _glass_button(word: str, tip: str, *, checkable: bool = False) -> QPushButton:
        button = QPushButton(word)
        button.setToolTip(tip)
        button.setCheckable(checkable)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return button

    def _connect(self) -> None:
        document = self.document
        self.rail.chosen.connect(self.go_to_place)
        self.reader.fix_asked.connect(self.editor.make_fix)
        self.header.search_asked.connect(self.show_commands)
        self.header.outcome_clicked.connect(self.next_finding)
        self.first_page.demo_asked.connect(self.open_demo)
        self.first_page.open_asked.connect(self.ask_open)
        self.glass.line_picked.connect(self._on_line_picked)
        self.glass.finding_picked.connect(document.select_finding)
        self.glass.look_changed.connect(self._on_look_changed)
        self.editor.finding_clicked.connect(document.select_finding)
        document.text_changed.connect(self.prove)
        document.proof_changed.connect(self._on_proof_changed)
        document.line_changed.connect(self._on_line_changed)
        document.modified_changed.connect(self._on_modified_changed)
        self.prover.proved.connect(self._on_proved)
        self.prover.progressed.connect(document.set_proving)
        self.prover.failed.connect(self.say_trouble)

    def change_text(self, edit: Callable[[Sequence[str]], tuple[str, ...]], whole: bool) -> None:
        """Change the program's text as a whole, or the lines that are selected; can be undone."""
        if self.document.job is not None and not self.editor.change_lines(edit, whole):
            self.say_trouble("Nothing to change: the text is so already.", calm=True)

    # -- opening and saving ------------------------------------------------------------------------------------------

    def open(self, path: Path) -> bool:
        """Open a job or a bare program. False, with a sentence in the window, where that cannot be done."""
        if not self._may_let_go():
            return False
        try:
            job, source, program = load(path)
        except UnderGlassError as error:
            self.say_trouble(str(error))
            return False
        self.say_trouble("")
        self.player.stop()
        self.prover.cancel()
        self.stack.setCurrentWidget(self._work)
        self.document.open(job, source, program)
        if job.guessed:
            self.say_trouble(
                "A program without a job is proved with guesses. " + "; ".join(job.guessed) + ".", calm=True
            )
        self.setWindowTitle(f"{job.title}[*] · {_NAME}")
        return True

    def open_demo(self, name: str) -> None:
        self.open(copy_demo(name))

    def ask_open(self) -> None:
        start = str(self.document.program_path.parent) if self.document.program_path else str(Path.home())
        kinds = "Jobs and programs (*.job.toml *.nc *.ngc *.tap *.cnc *.txt);;Everything (*)"
        name, _kind = QFileDialog.getOpenFileName(self, "Open a job or a program", start, kinds)
        if name:
            self.open(Path(name))

    def save(self) -> bool:
        """Write the program where it came from; nothing else in the file changes."""
        document = self.document
        if document.job is None or document.program_path is None:
            return False
        return self._save_to(document.program_path)

    def _save_to(self, path: Path) -> bool:
        document = self.document
        data = document.filed()
        try:
            write_whole(path, data)
        except UnderGlassError as error:
            self.say_trouble(str(error))
            return False
        self.say_trouble("")
        document.saved(data, path)
        return True

    def ask_save_as(self) -> None:
        document = self.document
        if document.job is None or document.program_path is None:
            return
        name, _kind = QFileDialog.getSaveFileName(self, "Save the program as", str(document.program_path))
        if name:
            self._save_to(Path(name))

    def _may_let_go(self) -> bool:
        """Whether what is open may be closed: saved, or given up knowingly."""
        if not self.document.modified:
            return True
        box = QMessageBox(self)
        box.setWindowTitle(_NAME)
        box.setText(f"{self.document.source.name} has changes that are not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Do not save", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Keep working", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is save:
            return self.save()
        return box.clickedButton() is drop

    def say_trouble(self, text: str, *, calm: bool = False) -> None:
        """One sentence under the header, until the next thing is done."""
        p = self.colours
        colour = p.belief if calm else p.fault
        self._trouble.setText(text)
        self._trouble.setStyleSheet(f"color: {colour}; background: {p.ground}; border-bottom: 1px solid {colour};")
        self._trouble.setVisible(bool(text))
        self.first_page.trouble.setText("")

    @property
    def trouble(self) -> str:
        return self._trouble.text()

    # -- proving -----------------------------------------------------------------------------------------------------

    def prove(self, *, at_once: bool = False) -> None:
        document = self.document
        if document.job is None:
            return
        document.set_proving("proving", 0.0)
        self.prover.ask(document.job, document.program(), at_once=at_once or document.proof is None)

    def stop_proof(self) -> None:
        self.prover.cancel()
        self.document.set_proving("", 0.0)

    def _on_proved(self, proof: Proof) -> None:
        first = self.document.proof is None
        self.document.set_proof(proof)
        if first:
            self.show_first(proof)

    def show_first(self, proof: Proof) -> None:
        """What a fresh proof opens on: its first crash or fault, or else the finished part."""
        grave = [f for f in proof.troubles if f.severity.word in ("crash", "fault")]
        if grave:
            self.document.select_finding(grave[0])
        else:
            self.document.set_moment(proof.timing.total)

    def next_finding(self, way: int = 1) -> None:
        """To the next finding (or the one before), round and round."""
        proof = self.document.proof
        if proof is None or not proof.troubles:
            return
        chosen = self.document.finding
        k = proof.troubles.index(chosen) + way if chosen in proof.troubles else (0 if way > 0 else -1)
        self.document.select_finding(proof.troubles[k % len(proof.troubles)])

    def _on_proof_changed(self) -> None:
        proof = self.document.proof
        found: tuple[Finding, ...] = proof.troubles if proof is not None else ()
        count = sum(f.severity.word != "note" for f in found)
        self.rail.set_count("prove", count, self.colours.severity(worst(found)))

    def _on_line_changed(self, line: int) -> None:
        lines = self.document.lines
        total = len(lines) - (not lines[-1])
        self._program_head.detail.setText(f"line {line} of {max(total, 1)}")

    def _on_line_picked(self, line: int) -> None:
        """A click in the glass: the line is chosen, the moment stays."""
        self.document.select_line(line, move_moment=False)

    def _on_look_changed(self) -> None:
        self.show_solid.setChecked(self.glass.show_solid)
        self.show_lines.setChecked(self.glass.show_lines)
        self.parallel.setChecked(self.glass.camera.parallel)

    def _on_modified_changed(self, modified: bool) -> None:
        self.setWindowModified(modified)

    # -- places, colours, commands -------------------------------------------------------------------------------------

    def go_to_place(self, name: str) -> None:
        """Write gives the text most room, Prove the glass. Document, selection and moment stay."""
        if self._place:
            self._sizes[self._place] = self.split.sizes()
        self._place = name
        self.rail.choose(name)
        self.split.setSizes(self._sizes[name])
        if name == "write":
            self.editor.setFocus()
        else:
            self.tape.setFocus()

    @property
    def place(self) -> str:
        return self._place

    def set_colours(self, palette: Palette) -> None:
        """Day or night, at once, everywhere."""
        self.colours = palette
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_theme(app, palette)
        for part in (
            self.rail,
            self.header,
            self.editor,
            self.reader,
            self.glass,
            self.now,
            self.findings,
            self.tape,
            self.transport,
        ):
            part.set_palette(palette)
        self._on_proof_changed()
        self._place_glass_bar()
        self.say_trouble(self._trouble.text(), calm=bool(self.document.job and self.document.job.guessed))
        self.settings.setValue("theme", palette.name)

    def other_colours(self) -> None:
        self.set_colours(NIGHT if self.colours is DAY else DAY)

    def show_commands(self) -> None:
        palette = CommandPalette(self.actions(), self.editor.go_to, self)
        at = self.header.search.mapToGlobal(self.header.search.rect().bottomRight())
        palette.move(at.x() - palette.width(), at.y() + 4)
        palette.show()
        self.command_palette = palette

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not transport_key(self.player, event):
            super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._may_let_go():
            event.ignore()
            return
        self.settings.setValue("geometry", self.saveGeometry())
        self.player.stop()
        self.prover.close()
        event.accept()

    def when_still(self, then: Callable[[], None]) -> None:
        """Call ``then`` once nothing is being proved or drawn any more."""

        def look() -> None:
            if not self.prover.busy and (self.glass.still or self.glass.why_dark or self.document.proof is None):
                then()
            else:
                QTimer.singleShot(30, look)

        QTimer.singleShot(60, look)
