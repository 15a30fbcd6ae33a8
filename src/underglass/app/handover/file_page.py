"""Hand over: the program's file as the control wants it, what stands in its way, and the stick that takes it there."""

from __future__ import annotations

import html
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from underglass.app.document import Document
from underglass.app.parts.basic import PanelHead, label, rich, rule, scrolled
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.app.write.text_view import TextView
from underglass.core.control.profile import ControlProfile
from underglass.core.data import data_folder
from underglass.core.errors import UnderGlassError
from underglass.core.files.profiles import read_control, shipped
from underglass.core.files.stick import listing, plug_in, send
from underglass.core.language.buffer import Buffer, Place
from underglass.core.language.handover import FileHabits, Made, make_file
from underglass.core.saving import write_whole

_ENDS = {"crlf": "CR LF", "lf": "LF", "cr": "CR"}
_NUMBERS = {"keep": "as they are", "all": "on every block", "none": "none"}


def wanted(habits: FileHabits) -> tuple[tuple[str, str], ...]:
    """What a control wants of a file, in words."""
    return (
        ("Extension", habits.extension or "none"),
        ("Line ends", _ENDS[habits.line_ends]),
        ("% before and after", "yes" if habits.percent else "no"),
        ("Block numbers", _NUMBERS[habits.numbers]),
        ("Letters", "upper case" if habits.letters == "upper" else "either case"),
        ("Longest line", f"{habits.longest_line} characters" if habits.longest_line else "no limit"),
        ("Longest name", f"{habits.longest_name} letters" if habits.longest_name else "no limit"),
    )


def _wrapped(words: str) -> QLabel:
    out = label(words, quiet=True, pixels=12)
    out.setWordWrap(True)
    return out


class FilePage(QWidget):
    """``line_chosen`` brings the line of the program that a trouble is in."""

    line_chosen = Signal(int)

    def __init__(self, document: Document, stick: Path, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document = document
        self._palette = palette
        self._stick = stick
        self._where_said = ""
        self.made: Made | None = None
        self.control = QComboBox()
        self.control.setAccessibleName("Control")
        self.control.currentIndexChanged.connect(lambda _i: self.look())
        self._controls: list[ControlProfile] = []
        self.text = TextView(Buffer(), palette)
        self.text.read_only = True
        self.text.setAccessibleName("The file as it goes out")
        self._head = PanelHead("The file")
        self.name = QLineEdit()
        self.name.setFont(number_font(13))
        self.name.setAccessibleName("Name of the file")
        self.name.textEdited.connect(lambda _t: self.look())
        self._wants = rich()
        self._found = rich()
        self._found.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._found.setAccessibleName("What was found")
        self._found.linkActivated.connect(lambda link: self.line_chosen.emit(int(link)))
        area = scrolled(self._found)
        self.save = QPushButton("Save it as\u2026")
        self.save.clicked.connect(self.ask_save)
        self.send = QPushButton("Send it to the stick")
        self.send.setProperty("strong", True)
        self.send.clicked.connect(self.send_it)
        self.arrived = rich()
        self.arrived.setAccessibleName("What arrived")
        self.list = QListWidget()
        self.list.setProperty("numbers", True)
        self.list.setAccessibleName("What the control sees on the stick")
        self.drop = QPushButton("Take it off the stick")
        self.drop.clicked.connect(self.take_off)
        left = QWidget()
        left_box = QVBoxLayout(left)
        left_box.setContentsMargins(0, 0, 0, 0)
        left_box.setSpacing(0)
        left_box.addWidget(self._head)
        left_box.addWidget(self.text, 1)
        middle = QWidget()
        middle_box = QVBoxLayout(middle)
        middle_box.setContentsMargins(16, 12, 16, 12)
        middle_box.setSpacing(8)
        for word, part in (("For the control", self.control), ("Name", self.name)):
            middle_box.addWidget(label(word, quiet=True, pixels=12))
            middle_box.addWidget(part)
        middle_box.addWidget(self._wants)
        middle_box.addWidget(rule())
        middle_box.addWidget(area, 1)
        row = QHBoxLayout()
        row.addWidget(self.save)
        row.addStretch(1)
        row.addWidget(self.send)
        middle_box.addLayout(row)
        right = QWidget()
        right.setObjectName("sunk")
        right.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        right_box = QVBoxLayout(right)
        right_box.setContentsMargins(16, 12, 16, 12)
        right_box.setSpacing(8)
        right_box.addWidget(label("Memory stick, simulated", bold=True))
        self._where = label(quiet=True, pixels=12)
        self._where.setWordWrap(True)
        right_box.addWidget(self._where)
        right_box.addWidget(label("As the control lists it", quiet=True, pixels=12))
        right_box.addWidget(self.list, 1)
        right_box.addWidget(self.drop, 0, Qt.AlignmentFlag.AlignLeft)
        right_box.addWidget(self.arrived)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.setHandleWidth(1)
        for part in (left, middle, right):
            split.addWidget(part)
        split.setSizes([420, 440, 340])
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(split)
        document.job_changed.connect(self._on_job_changed)
        document.text_changed.connect(self._on_text_changed)
        self._on_job_changed()

    # -- what there is -----------------------------------------------------------------------------------------------

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.text.colours = palette
        self.text.forget_layouts()
        if self.isVisible():
            self.look()

    def _on_job_changed(self) -> None:
        job = self._document.job
        self.control.blockSignals(True)
        self.control.clear()
        self._controls = [job.control] if job is not None else []
        folder = data_folder() / "profiles" / "control"
        every = (read_control(folder / f"{name}.toml") for name in shipped("control"))
        self._controls += [c for c in every if job is None or c.name != job.control.name]
        for k, control in enumerate(self._controls):
            self.control.addItem(control.title + (", this job's" if k == 0 and job is not None else ""))
        self.control.blockSignals(False)
        self.name.setText(self._document.source.name)
        self.arrived.setText("")
        if self.isVisible():
            self.look()

    def _on_text_changed(self) -> None:
        if self.isVisible():
            self.look()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self.look()

    def set_stick(self, folder: Path, said: str = "") -> None:
        """Plug another stick in; ``said`` names its place where the path means nothing to the reader."""
        self._stick, self._where_said = folder, said

    @property
    def habits(self) -> FileHabits:
        at = self.control.currentIndex()
        return self._controls[at].file if 0 <= at < len(self._controls) else FileHabits()

    def look(self) -> None:
        """Make the file anew and say what was found."""
        if self._document.job is None:
            return
        self.made = made = make_file(self._document.lines, self.name.text().strip() or "PROGRAM", self.habits)
        self.text.buffer.load("\n".join(made.lines))
        self.text.caret = self.text.anchor = Place(0, 0)
        self.text._place_bars()
        self.text.viewport().update()
        self._head.detail.setText(made.name)
        self._head.right.setText(f"{len(made.lines)} lines, {len(made.data)} bytes, {_ENDS[self.habits.line_ends]}")
        p = self._palette
        rows = "".join(
            f'<tr><td style="color:{p.quiet}">{word}&nbsp;&nbsp;&nbsp;</td><td>{html.escape(what)}</td></tr>'
            for word, what in wanted(self.habits)
        )
        self._wants.setText(f"<table cellpadding='1'>{rows}</table>")
        out = []
        if made.name != self.name.text().strip():
            out.append(f"<p>It goes out as <b style=\"font-family:'JetBrains Mono'\">{html.escape(made.name)}</b>.</p>")
        if not made.troubles:
            out.append(f'<p style="color:{p.note}">Ready to send.</p>')
        for trouble in made.troubles[:200]:
            colour = p.quiet if trouble.mended else p.fault
            where = (
                f'<a href="{trouble.line}" style="color:{p.active}">line {trouble.line}</a>: ' if trouble.line else ""
            )
            said = html.escape(trouble.message[:1].upper() + trouble.message[1:] if not where else trouble.message)
            out.append(f'<p>{where}{said}; <span style="color:{colour}">{html.escape(trouble.remedy)}</span>.</p>')
        self._found.setText("".join(out))
        self.send.setText("Send anyway" if made.open_troubles else "Send it to the stick")
        self._list_stick()

    # -- the stick ---------------------------------------------------------------------------------------------------

    def _list_stick(self) -> None:
        self.list.clear()
        try:
            folder = plug_in(self._stick)
            items = listing(folder, self.habits)
        except UnderGlassError as problem:
            self._where.setText(str(problem))
            return
        self._where.setText(self._where_said or f"a folder: {folder}")
        for item in items:
            text = f"{item.name:<22}{item.size:>9}" + (f"\n  not seen: {item.why}" if not item.seen else "")
            row = QListWidgetItem(text)
            row.setData(Qt.ItemDataRole.UserRole, item.name)
            if not item.seen:
                row.setForeground(self._palette.colour("fault"))
            self.list.addItem(row)
        self.drop.setEnabled(bool(items))

    def send_it(self) -> None:
        """Write the file to the stick and read back what arrived."""
        if self.made is None:
            return
        p = self._palette
        try:
            back = send(plug_in(self._stick), self.made, self.habits)
        except UnderGlassError as problem:
            self.arrived.setText(f'<span style="color:{p.fault}">{html.escape(str(problem))}</span>')
            return
        good = back.same and back.seen
        said = "byte for byte what was sent" if back.same else "not what was sent"
        listed = "and the control lists it" if back.seen else "but the control does not list it"
        self.arrived.setText(
            f'<span style="color:{p.note if good else p.fault}"><b>{html.escape(back.path.name)}</b> read back: '
            f"{back.lines} lines, {back.size} bytes, {said}, {listed}.</span>"
        )
        self._list_stick()
        for k in range(self.list.count()):
            if self.list.item(k).data(Qt.ItemDataRole.UserRole) == back.path.name:
                self.list.setCurrentRow(k)

    def take_off(self) -> None:
        """Delete the file that is marked from the stick."""
        item = self.list.currentItem()
        if item is not None:
            (self._stick / str(item.data(Qt.ItemDataRole.UserRole))).unlink(missing_ok=True)
            self._list_stick()

    def ask_save(self) -> None:
        path = self._document.program_path
        if self.made is None:
            return
        start = str((path.parent if path else Path.home()) / self.made.name)
        name, _kind = QFileDialog.getSaveFileName(self, "Save the file as the control wants it", start)
        if name:
            self.save_to(Path(name))

    def save_to(self, path: Path) -> bool:
        """Write the file elsewhere. False, with a sentence, where that cannot be done."""
        if self.made is None:
            return False
        p = self._palette
        try:
            write_whole(path, self.made.data)
        except UnderGlassError as problem:
            self.arrived.setText(f'<span style="color:{p.fault}">{html.escape(str(problem))}</span>')
            return False
        self.arrived.setText(f'<span style="color:{p.note}">Saved as {html.escape(str(path))}.</span>')
        return True
