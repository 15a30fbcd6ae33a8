"""From the print: load a drawing or a picture, lay it on the part, pick places from it, write them into the program."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from underglass.app.background import Background
from underglass.app.document import Document
from underglass.app.parts.basic import foot, label, pair
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.app.write.print_view import Lie, PrintView
from underglass.core.files.contours import contour_of
from underglass.core.files.print_blocks import chain_blocks, place_blocks
from underglass.core.files.print_in import Piece, Print, placed
from underglass.core.proof.print_ways import PrintPlane, print_ways
from underglass.core.proof.standing import Standing
from underglass.core.reckon.figure import BadFigure, read_figure
from underglass.core.units import Unit, show_length, to_mm

DRAWN = (".dxf", ".png", ".jpg", ".jpeg", ".bmp", ".gif", ".svg")
"""What is taken for a drawing or a picture by its name."""
_PICTURES = "*.png *.jpg *.jpeg *.bmp *.gif *.svg"


class PrintPanel(QWidget):
    """``write_asked`` brings blocks for below the cursor; ``places_taken`` places and ``contour_taken`` a contour for the form, mm."""

    places_taken = Signal(object)
    contour_taken = Signal(object)
    write_asked = Signal(object)
    trouble = Signal(str)
    loaded = Signal()

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._palette = palette
        self._standing: Standing | None = None
        self._raw: Print | None = None
        self._reading = Background("print", self)
        self._reading.done.connect(self._on_read)
        self._reading.failed.connect(self._on_unread)
        self._pixels: list[tuple[float, float]] = []
        self.view = PrintView(document, palette)
        self.view.picked.connect(self._on_picked)
        self.view.pixel_picked.connect(self._on_pixel)
        self.view.chain_picked.connect(self._on_chain)
        self.load = QPushButton("Open a drawing or picture\u2026")
        self.load.clicked.connect(self.ask_load)
        self.clear = QPushButton("Remove")
        self.clear.clicked.connect(self.take_away)
        self.name = label(quiet=True, pixels=12)
        self.name.setWordWrap(True)
        self.fields: dict[str, QLineEdit] = {}
        self._words: dict[str, tuple[QLabel, str]] = {}
        self._place = QWidget()
        grid = QGridLayout(self._place)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        for k, (key, word, start) in enumerate(
            (
                ("dx", "Its zero at right", "0"),
                ("dy", "Its zero at up", "0"),
                ("turn", "Turned by \u00b0", "0"),
                ("scale", "Times", "1"),
            )
        ):
            field = self._field(key, word, start)
            grid.addWidget(self._named(key, word), 2 * (k // 2), k % 2)
            grid.addWidget(field, 2 * (k // 2) + 1, k % 2)
        self._two = QWidget()
        two = QGridLayout(self._two)
        two.setContentsMargins(0, 0, 0, 0)
        two.setHorizontalSpacing(8)
        self.pick_two = QPushButton("Pick two places on the picture")
        self.pick_two.setCheckable(True)
        self.pick_two.clicked.connect(self._begin_pixels)
        two.addWidget(self.pick_two, 0, 0, 1, 2)
        for k, (key, word) in enumerate(
            (("x1", "First is right"), ("y1", "First is up"), ("x2", "Second is right"), ("y2", "Second is up"))
        ):
            two.addWidget(self._named(key, word), 1 + 2 * (k // 2), k % 2)
            two.addWidget(self._field(key, word, "0" if k < 2 else "50"), 2 + 2 * (k // 2), k % 2)
        self.lay = QPushButton("Lay the picture so")
        self.lay.clicked.connect(self.lay_picture)
        two.addWidget(self.lay, 5, 0, 1, 2)
        self.grid_on = QCheckBox("Grid every")
        self.grid_on.setChecked(True)
        self.grid_on.toggled.connect(lambda _on: self._on_grid())
        self._field("grid", "Grid step", "10").setFixedWidth(70)
        grid_row = QHBoxLayout()
        grid_row.addWidget(self.grid_on)
        grid_row.addWidget(self.fields["grid"])
        grid_row.addStretch(1)
        self.list = QListWidget()
        self.list.setProperty("numbers", True)
        self.list.setAccessibleName("Picked places")
        self.list.setMinimumHeight(90)
        self.less = QPushButton("Undo last point")
        self.less.clicked.connect(self.take_back)
        self.how = QComboBox()
        self.how.setAccessibleName("How to write the places")
        for word, key in (("absolute", "absolute"), ("one from another", "incremental")):
            self.how.addItem(word, key)
        self.first_word = QComboBox()
        self.first_word.setAccessibleName("Motion word")
        for word in ("no motion word", "G0", "G1"):
            self.first_word.addItem(word)
        self.target = QComboBox()
        self.target.setAccessibleName("Where the places go")
        self.target.addItem("into the program", "program")
        self.target.addItem("into the form", "form")
        self.target.setToolTip("A double click takes a whole contour there")
        self.write = QPushButton("Insert points")
        self.write.setProperty("strong", True)
        self.write.clicked.connect(self.ask_write)
        self.said = label(pixels=12)
        self.said.setWordWrap(True)
        hint = label(
            "Click in the drawing: snaps to ends, centres, intersections, midpoints and grid. "
            "Double click takes the whole contour. Wheel zooms, right button moves.", quiet=True, pixels=12,
        )  # fmt: skip
        hint.setWordWrap(True)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 12, 8)
        box.setSpacing(6)
        box.addLayout(pair(self.load, self.clear, stretch=(1, 0)))
        for part in (self.name, self._place, self._two):
            box.addWidget(part)
        box.addLayout(grid_row)
        box.addWidget(self.said)
        box.addWidget(hint)
        box.addWidget(self.list, 1)
        box.addLayout(pair(self.how, self.first_word))
        box.addLayout(foot(self.less, self.target, right=self.write))
        document.job_changed.connect(self._on_job_changed)
        self._name_axes()
        self._show_kind()
        self._show_places()

    def _named(self, key: str, word: str) -> QLabel:
        """What stands above a field; "right" and "up" become the letters of the axes there."""
        shown = label(word, quiet=True, pixels=12)
        self._words[key] = (shown, word)
        return shown

    @property
    def plane(self) -> PrintPlane:
        """Where the drawing lies: in plan, or in the half section of a lathe."""
        job = self._document.job
        return print_ways(job).plane(job.control) if job is not None else PrintPlane()

    def _name_axes(self) -> None:
        plane = self.plane
        for key, (shown, word) in self._words.items():
            said = word.replace("right", plane.right.name).replace("up", plane.up.name)
            shown.setText(said)
            self.fields[key].setAccessibleName(said)

    def _field(self, key: str, word: str, start: str) -> QLineEdit:
        field = QLineEdit(start)
        field.setFont(number_font(13))
        field.setAccessibleName(word)
        field.textChanged.connect(lambda _t, k=key: self._on_typed(k))
        self.fields[key] = field
        return field

    # -- what lies there ---------------------------------------------------------------------------------------------

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.view.set_palette(palette)

    @property
    def unit(self) -> Unit:
        if self._standing is not None:
            return self._standing.unit
        return self._document.job.units if self._document.job is not None else "mm"

    def set_standing(self, standing: Standing | None) -> None:
        """What is in force at the cursor: the unit, and how places are written."""
        old = self._standing.before.distance if self._standing is not None else ""
        self._standing = standing
        if standing is not None and standing.before.distance != old:
            self.how.setCurrentIndex(1 if standing.before.distance == "G91" else 0)
        self._show_places()

    def _on_job_changed(self) -> None:
        self._name_axes()
        self.take_away()
        self.view.places = []
        self._show_places()

    def ask_load(self) -> None:
        path = self._document.program_path
        start = str(path.parent) if path else str(Path.home())
        name, _kind = QFileDialog.getOpenFileName(
            self, "Open a drawing or a picture", start, f"Drawings and pictures (*.dxf {_PICTURES});;Everything (*)"
        )
        if name:
            self.load_file(Path(name))

    def load_file(self, path: Path) -> bool:
        """A DXF drawing, or a picture. False, with a sentence, where it cannot be used."""
        if path.suffix.lower() == ".dxf":
            self.name.setText(f"reading {path.name}\u2026")
            self.name.show()
            from underglass.core.files.dxf_in import read_dxf  # slow to take in

            self._reading.ask(lambda cancelled: (path, read_dxf(path, cancelled)))
            return True
        else:
            self._reading.cancel()
            picture = QPixmap(str(path))
            if picture.isNull():
                self.trouble.emit(f"{path}: this is no picture that can be read")
                return False
            self._raw = None
            self.view.set_picture(picture)
            said = f"{path.name}: two places known on the part lay it down"
        self._show_loaded(said)
        return True

    def _on_read(self, answer: object) -> None:
        """A drawing was read beside the window."""
        assert isinstance(answer, tuple)
        path, self._raw = answer
        self.view.set_picture(None)
        said = path.name + ("" if self._raw.unit_said else ": no unit said, taken as mm")
        said += f"; {self._raw.left_out} texts and the like are not shown" if self._raw.left_out else ""
        self._show_loaded(said)
        self.loaded.emit()

    def _on_unread(self, why: str) -> None:
        self.name.setText("")
        self._show_kind()
        self.trouble.emit(why)

    def _show_loaded(self, said: str) -> None:
        self.name.setText(said)
        self._lay_print()
        self.view.fit()
        self._show_kind()

    def take_away(self) -> None:
        """No drawing and no picture; the grid stays."""
        self._raw = None
        self.view.set_picture(None)
        self.view.set_print(None)
        self.name.setText("")
        self._show_kind()

    def _show_kind(self) -> None:
        self._place.setVisible(self._raw is not None)
        self._two.setVisible(self.view.picture is not None)
        self.clear.setVisible(self._raw is not None or self.view.picture is not None)
        self.name.setVisible(bool(self.name.text()))

    def _read(self, key: str) -> float:
        """A field's figure, mm in the plane: an X that counts as a diameter is half as far."""
        axis = {"dx": self.plane.right, "x1": self.plane.right, "x2": self.plane.right, "grid": None}.get(
            key, self.plane.up
        )
        return to_mm(read_figure(self.fields[key].text(), self.unit), self.unit) / (axis.factor if axis else 1.0)

    def _say(self, text: str) -> None:
        self.said.setText(text)
        self.said.setVisible(bool(text))
        self.said.setStyleSheet(f"color: {self._palette.fault};")

    def _on_typed(self, key: str) -> None:
        if key == "grid":
            self._on_grid()
        elif key in ("dx", "dy", "turn", "scale"):
            self._lay_print()

    def set_grid(self, step: str) -> None:
        """The grid's step with its unit; empty: no grid."""
        self.grid_on.setChecked(bool(step))
        if step:
            self.fields["grid"].setText(step)
        self._on_grid()

    def _on_grid(self) -> None:
        try:
            step = self._read("grid")
            if step <= 0:
                raise BadFigure("the grid's step must be greater than zero")
        except BadFigure as problem:
            self._say(str(problem))
            return
        self._say("")
        self.view.grid, self.view.show_grid = step, self.grid_on.isChecked()
        self.view.update()

    def _lay_print(self) -> None:
        if self._raw is None:
            self.view.set_print(None)
            return
        try:
            scale, turn = read_figure(self.fields["scale"].text()), read_figure(self.fields["turn"].text())
            if scale <= 0:
                raise BadFigure("the scale must be greater than zero")
            self.view.set_print(self._raw.moved(scale, turn, self._read("dx"), self._read("dy")))
        except BadFigure as problem:
            self._say(str(problem))
            return
        self._say("")

    def _begin_pixels(self, on: bool) -> None:
        self._pixels = []
        self.view.picking_pixels = on
        self._say("")

    def _on_pixel(self, px: float, py: float) -> None:
        self._pixels.append((px, py))
        if len(self._pixels) == 2:
            self.pick_two.setChecked(False)
            self.view.picking_pixels = False
            self.lay_picture()

    def lay_picture(self) -> None:
        """Put the picture so that its two picked places lie where the fields say."""
        if len(self._pixels) != 2:
            self._say("pick two places on the picture first")
            return
        try:
            q1, q2 = (self._read("x1"), self._read("y1")), (self._read("x2"), self._read("y2"))
            scale, turn, dx, dy = placed(self._pixels[0], q1, self._pixels[1], q2)
        except ValueError as problem:
            self._say(str(problem))
            return
        self._say("")
        self.view.lie = Lie(scale=scale, turn=turn, dx=dx, dy=dy)
        self.view.update()

    # -- places ------------------------------------------------------------------------------------------------------

    def _on_picked(self, x: float, y: float, _meaning: str) -> None:
        self.view.places.append((x, abs(y) if self.plane.folds else y))
        self._show_places()

    def _on_chain(self, pieces: list[tuple[Piece, bool]]) -> None:
        if self.view.places:
            self.view.places.pop()  # the double click's first half picked a place
            self._show_places()
        if self.target.currentData() == "form":
            self.contour_taken.emit(contour_of(pieces))
        else:
            self.write_asked.emit(chain_blocks(pieces, self.plane, self.unit))

    def take_back(self) -> None:
        """Let go of the last place picked."""
        if self.view.places:
            self.view.places.pop()
            self._show_places()

    def _show_places(self) -> None:
        unit = self.unit
        self.list.clear()
        for k, place in enumerate(self.view.places, 1):
            words = (f"{axis.name} {show_length(mm, unit):>9}" for axis, mm in self.plane.written(*place))
            self.list.addItem(f"{k:>2}  {'  '.join(words)}")
        self.list.scrollToBottom()
        self.less.setEnabled(bool(self.view.places))
        self.write.setEnabled(bool(self.view.places) and self._document.job is not None)
        self.view.update()

    def blocks(self) -> tuple[str, ...]:
        """The picked places as they would be written."""
        start = None
        if self._standing is not None:
            letters = dict(zip("XYZ", self._standing.place_after))
            right, up = self.plane.right, self.plane.up
            start = letters[right.name] / right.factor, letters[up.name] / up.factor
        out = place_blocks(
            self.view.places, self.plane, self.unit, incremental=self.how.currentData() == "incremental", start=start
        )
        word = self.first_word.currentText() if self.first_word.currentIndex() else ""
        return tuple(f"{word} {block}" if word and k == 0 else block for k, block in enumerate(out))

    def ask_write(self) -> None:
        """Write the places into the program, or the form, and let go of them."""
        if self.target.currentData() == "form":
            self.places_taken.emit(list(self.view.places))
            self.view.places = []
            self._show_places()
            return
        blocks = self.blocks()
        if blocks:
            self.write_asked.emit(blocks)
            self.view.places = []
            self._show_places()
