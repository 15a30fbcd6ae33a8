"""The reckoners beside the text: choose one, fill it in, write what comes of it into the program."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.form_view import FormView
from underglass.app.style.palette import Palette
from underglass.core.proof.standing import Standing
from underglass.core.reckon.all import RECKONERS
from underglass.core.reckon.form import Reckoner, plain, point_blocks
from underglass.core.units import from_mm


class ReckonPanel(QWidget):
    """``write_asked`` brings the blocks that are to go into the program."""

    write_asked = Signal(object)

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._standing: Standing | None = None
        self.choice = QComboBox()
        self.choice.setAccessibleName("Reckoner")
        self.choice.setMaxVisibleItems(24)
        group = ""
        for reckoner in RECKONERS:
            if group and reckoner.group != group:
                self.choice.insertSeparator(self.choice.count())
            group = reckoner.group
            self.choice.addItem(reckoner.name, reckoner.name)
        self.form = FormView(palette)
        self.form.answered.connect(self._on_answered)
        self.here = QPushButton("Start where the tool is")
        self.here.setToolTip("Take the start from where the tool stands before the line with the cursor")
        self.here.clicked.connect(self.take_place)
        self.which = QComboBox()
        self.which.setAccessibleName("What to write")
        self.write = QPushButton("Insert")
        self.write.setProperty("strong", True)
        self.write.setToolTip("Write it into the program under the line with the cursor; it can be undone")
        self.write.clicked.connect(self.ask_write)
        top = QHBoxLayout()
        top.setContentsMargins(12, 8, 12, 8)
        top.addWidget(self.choice, 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 8, 12, 8)
        foot.setSpacing(6)
        foot.addWidget(self.which, 1)
        foot.addWidget(self.write)
        place = QHBoxLayout()
        place.setContentsMargins(12, 0, 12, 8)
        place.addWidget(self.here, 0, Qt.AlignmentFlag.AlignLeft)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addLayout(top)
        box.addLayout(place)
        box.addWidget(self.form, 1)
        box.addLayout(foot)
        self._by_name = {r.name: r for r in RECKONERS}
        self.choice.currentIndexChanged.connect(lambda _i: self._on_chosen())
        self._on_chosen()

    @property
    def reckoner(self) -> Reckoner:
        return self._by_name[str(self.choice.currentData())]

    def choose(self, name: str) -> None:
        """Show a reckoner by name."""
        self.choice.setCurrentIndex(self.choice.findData(name))

    def set_palette(self, palette: Palette) -> None:
        self.form.set_palette(palette)

    def set_standing(self, standing: Standing | None) -> None:
        """What is in force at the cursor: the unit of what is typed and written, and where the tool stands."""
        self._standing = standing
        if standing is not None:
            self.form.set_unit(standing.unit)
        elif self._document.job is not None:
            self.form.set_unit(self._document.job.units)
        self.here.setEnabled(standing is not None)
        self._on_answered()

    def _on_chosen(self) -> None:
        self.form.show_form(self.reckoner, self.form.unit)
        self.here.setVisible(any(f.key == "x0" for f in self.reckoner.fields))

    def take_place(self) -> None:
        """The start is where the tool stands before the line with the cursor."""
        if self._standing is not None:
            x, y, _z = self._standing.place
            unit = self._standing.unit
            self.form.enter({"x0": plain(from_mm(x, unit), 4), "y0": plain(from_mm(y, unit), 4)})

    def _on_answered(self) -> None:
        answer = self.form.answer
        kept = self.which.currentIndex()
        self.which.clear()
        if answer is not None:
            if answer.points:
                incremental = self._standing is not None and self._standing.before.distance == "G91"
                ways = ["points, absolute", "points, incremental"]
                for name in reversed(ways) if incremental else ways:
                    self.which.addItem(name, name)
            elif answer.alternatives:
                for block in answer.blocks:
                    self.which.addItem(block, (block,))
            elif answer.blocks:
                # What is written goes below the cursor: the feed mode is the one that holds after its line.
                by_turn = self._standing is not None and self._standing.after.feed_mode == "G95"
                blocks = answer.by_turn if by_turn and answer.by_turn else answer.blocks
                self.which.addItem(blocks[0] if len(blocks) == 1 else f"{len(blocks)} blocks", blocks)
        self.which.setCurrentIndex(min(max(kept, 0), self.which.count() - 1))
        self.which.setVisible(self.which.count() > 0)
        self.write.setVisible(self.which.count() > 0)
        self.write.setEnabled(self._document.job is not None)

    def blocks(self) -> tuple[str, ...]:
        """What would be written."""
        answer, what = self.form.answer, self.which.currentData()
        if answer is None or what is None:
            return ()
        if answer.points:
            start = None
            if self._standing is not None:
                x, y, _z = self._standing.place_after
                start = (from_mm(x, self.form.unit), from_mm(y, self.form.unit))
            return point_blocks(answer.points, self.form.unit, incremental=what != "points, absolute", start=start)
        return tuple(what)

    def ask_write(self) -> None:
        """Write it into the program."""
        blocks = self.blocks()
        if blocks:
            self.write_asked.emit(blocks)
