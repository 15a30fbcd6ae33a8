"""Setup's page of the fixtures: pieces that are put on the table, slid, turned, put where another thing is."""

from __future__ import annotations

import math
import os
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QListWidget, QMenu, QPushButton, QToolButton, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import emptied
from underglass.app.parts.number_field import NumberField
from underglass.app.setup.binding import Path_, SetupPage, at
from underglass.app.setup.outlines import Outline, outlines
from underglass.app.setup.stock_page import UP_WORDS
from underglass.app.style.palette import Palette
from underglass.core.bench.mesh import UP
from underglass.core.bench.pieces import FIGURES, WORDS, PieceKind
from underglass.core.files.job_edit import JobEdit, as_figure
from underglass.core.files.setup_edit import put_stations

_PLAIN = (("box", "block or stop"), ("cylinder", "pin or support"))
_PUT = (
    ("left", "left of the stock"), ("right", "right of the stock"), ("front", "in front of the stock"),
    ("back", "behind the stock"), ("under", "under the stock"), ("on", "on top of the stock"), ("table", "down on the table"),
    ("middle", "in the stock's middle"),
)  # fmt: skip
_KEYS = {"box": ("X", "Y", "Z"), "cylinder": ("diameter", "height")}


class FixturesPage(SetupPage):
    """What clamps and holds."""

    chosen_changed = Signal()

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        self.chosen = 1
        self.list = QListWidget()
        self.list.setAccessibleName("Fixtures")
        self.list.setFixedHeight(92)
        self.list.currentRowChanged.connect(self._on_row)
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.list, 1)
        buttons = QWidget()
        column = QHBoxLayout(buttons)
        column.setContentsMargins(0, 0, 0, 0)
        self.add = QToolButton()
        self.add.setText("Add fixture")
        self.add.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.add)
        for kind, words in (*WORDS.items(), *_PLAIN):
            menu.addAction(words[:1].upper() + words[1:], lambda k=kind: self.add_piece(k))
        menu.addAction("Shape from a file\u2026", self.ask_mesh)
        self.add.setMenu(menu)
        self.copy = QPushButton("Copy")
        self.copy.clicked.connect(self.copy_chosen)
        self.remove = QPushButton("Remove")
        self.remove.clicked.connect(self.remove_chosen)
        self.where = QToolButton()
        self.where.setText("Snap to\u2026")
        self.where.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        places = QMenu(self.where)
        for key, words in _PUT:
            places.addAction(words[:1].upper() + words[1:], lambda k=key: self.put_where(k))
        self.where.setMenu(places)
        for button in (self.add, self.where, self.copy, self.remove):
            column.addWidget(button)
        column.addStretch(1)
        self.box.addLayout(row)
        self.box.addWidget(buttons)
        self.empty = self.say("Nothing clamps the part yet. Put a vice, a clamp or a plate on the table.")
        self._grid = self.grid()
        self._made_for: tuple[int, str] = (0, "")
        self._piece_fields: list[QWidget] = []
        self.stations = QPushButton("Part zeros at the stations")
        self.stations.setToolTip("G54 at the first station, the next offsets at the others; the stock stands at each")
        self.stations.clicked.connect(self.put_at_stations)
        self.box.addWidget(self.stations, 0, Qt.AlignmentFlag.AlignLeft)
        self.box.addStretch(1)

    # -- which one -----------------------------------------------------------------------------------------------------

    def _entries(self) -> list[dict[str, Any]]:
        found = self.document.job_data.get("fixture")
        return found if isinstance(found, list) else []

    def choose(self, entry: int) -> None:
        """Choose a fixture by its entry, from 1."""
        self.chosen = entry
        self.refresh()

    def _on_row(self, row: int) -> None:
        if row >= 0 and row + 1 != self.chosen:
            self.chosen = row + 1
            self.refresh()
            self.chosen_changed.emit()

    # -- putting -------------------------------------------------------------------------------------------------------

    def _add(self, entry: dict[str, Any], what: str) -> str:
        def put(edit: JobEdit) -> None:
            self.chosen = edit.add("fixture", entry) + 1

        return self.change(put, what)

    def _fresh_name(self, words: str) -> str:
        names = {str(e.get("name", "")) for e in self._entries()}
        return words if words not in names else next(n for k in range(2, 999) if (n := f"{words} {k}") not in names)

    def add_piece(self, kind: str) -> None:
        """A piece with usual figures, standing on the table in front of the stock, or a vise around it."""
        job = self.document.table_job
        if job is None:
            return
        stock = job.bench.stocks[0]
        words = dict(_PLAIN).get(kind) or WORDS[kind]  # type: ignore[index]
        entry: dict[str, Any] = {"name": self._fresh_name(words.split(" or ")[0]), "shape": kind}
        if kind == "box":
            entry["size"] = [as_figure(v, job.units) for v in (20.0, 20.0, 40.0)]
        elif kind == "cylinder":
            entry["size"] = [as_figure(v, job.units) for v in (16.0, 40.0)]
        else:
            figures = {f.key: f.first for f in FIGURES[kind]}  # type: ignore[index]
            if kind == "vise":
                figures["opening"] = stock.extent[1]
            for f in FIGURES[kind]:  # type: ignore[index]
                entry[f.key] = int(figures[f.key]) if f.least else as_figure(figures[f.key], job.units)
        entry["place"] = [0.0, 0.0, 0.0]
        if self._add(entry, f"put a {words} on the table"):
            return
        self.put_where("grip" if kind == "vise" else "under" if kind in ("plate", "parallels") else "front", join=True)

    def ask_mesh(self) -> None:
        """Ask for a file that holds a fixture's shape."""
        name, _kind = QFileDialog.getOpenFileName(self, "A fixture's shape", "", "Shapes (*.stl *.ply *.3mf)")
        if name:
            self.add_mesh(Path(name))

    def add_mesh(self, path: Path) -> str:
        """A fixture of a file's shape; what is wrong with it, or empty."""
        job = self.document.table_job
        if job is None:
            return ""
        entry = {
            "name": self._fresh_name(path.stem),
            "shape": "mesh",
            "mesh": os.path.relpath(path, job.folder),
            "place": [0.0, 0.0, 0.0],
        }
        why = self._add(entry, f"put {path.name} on the table")
        if not why:
            self.put_where("front", join=True)
        return why

    def copy_chosen(self) -> None:
        """The same again, beside it."""
        entries = self._entries()
        if not 1 <= self.chosen <= len(entries):
            return
        entry = dict(entries[self.chosen - 1])
        shapes = self._mine()
        wide = max((s.high[0] for s in shapes), default=0.0) - min((s.low[0] for s in shapes), default=0.0)
        job = self.document.table_job
        assert job is not None
        place = list(entry.get("place") or [0.0, 0.0, 0.0])
        place[0] = round(place[0] + as_figure(wide * 1.25, job.units), 3)
        entry |= {"name": self._fresh_name(str(entry.get("name", "fixture"))), "place": place}
        self._add(entry, "copied a fixture")

    def remove_chosen(self) -> None:
        """It goes off the table."""
        if 1 <= self.chosen <= len(self._entries()):
            name = str(self._entries()[self.chosen - 1].get("name", "fixture"))
            self.do(lambda edit: edit.drop("fixture", self.chosen - 1), f"took {name} away")

    def _mine(self) -> list[Outline]:
        job = self.document.table_job
        return [o for o in outlines(job) if o.entry == self.chosen] if job is not None else []

    def put_where(self, key: str, *, join: bool = False) -> None:
        """Put the chosen one where the stock or the table is: face against face, middle to middle."""
        job, mine = self.document.table_job, self._mine()
        if job is None or not mine:
            return
        stock = next(o for o in outlines(job) if o.entry == 0)
        low = [min(s.low[k] for s in mine) for k in range(3)]
        high = [max(s.high[k] for s in mine) for k in range(3)]
        mid = [(a + b) / 2.0 for a, b in zip(low, high)]
        goal = [(a + b) / 2.0 for a, b in zip(stock.low, stock.high)]
        by = [0.0, 0.0, 0.0]
        if key in ("left", "right"):
            by[0] = stock.low[0] - high[0] if key == "left" else stock.high[0] - low[0]
            by[1] = goal[1] - mid[1]
        elif key in ("front", "back"):
            by[1] = stock.low[1] - high[1] if key == "front" else stock.high[1] - low[1]
            by[0] = goal[0] - mid[0]
        elif key in ("under", "on", "middle", "grip"):
            by[0], by[1] = goal[0] - mid[0], goal[1] - mid[1]
        if key == "on":
            by[2] = stock.high[2] - low[2]
        elif key == "under":
            by[2] = stock.low[2] - high[2]
        elif key == "table":
            by[2] = job.bench.machine.table_z - low[2]
        elif key == "grip":
            # The jaws hold the lower third of the block, as low as it can lie on the bed.
            jaw = next((s for s in mine if s.name.endswith("fixed jaw")), mine[0])
            by[2] = stock.low[2] + (stock.high[2] - stock.low[2]) / 3.0 - jaw.high[2]
        elif key == "front" and join:
            by[2] = job.bench.machine.table_z - low[2]
        self._shift(self.chosen, by, dict(_PUT).get(key, "on the table"), join=join)

    def _shift(self, entry: int, by: list[float], where: str, *, join: bool) -> None:
        job = self.document.table_job
        assert job is not None
        key = "joined" if join else ""
        if join and self.document.history.steps:
            # Putting it on the table and putting it somewhere is one step for the person.
            last = self.document.history.steps[-1]
            self.document.history.reopen(key, last)
        self.do(lambda edit: shift_fixture(edit, self.document, entry, by), f"put it {where}", key)
        self.document.history.close()

    def put_at_stations(self) -> None:
        """Each station of the plate gets its part zero."""
        job = self.document.table_job
        if job is not None:
            self.do(lambda edit: put_stations(edit, job, self.chosen - 1), "part zeros at the stations")

    # -- its fields ----------------------------------------------------------------------------------------------------

    def _path(self, *more: str | int) -> Path_ | None:
        return ("fixture", self.chosen - 1, *more) if 1 <= self.chosen <= len(self._entries()) else None

    def _make_fields(self, shape: str) -> None:
        """The fields that this kind of piece has."""
        emptied(self._grid)
        self._refreshers, self._palette_parts, self.fields = [], [], {}
        slot = 0

        def put(widget: QWidget, span: int = 1) -> None:
            nonlocal slot
            self.put(self._grid, widget, slot, span)
            slot += span

        put(self.words("Name", lambda: self._path("name")))
        turned = self.number("turned", "Rotated", lambda: self._path("turned"), kind="angle", shown=lambda: 0.0)
        put(turned)
        put(self.number("may_cut", "Allowed cut into it", lambda: self._path("may_cut"), shown=lambda: 0.0))
        if shape in FIGURES:
            kind: PieceKind = shape  # type: ignore[assignment]
            for f in FIGURES[kind]:
                put(
                    self.number(
                        f.key,
                        f.words[:1].upper() + f.words[1:],
                        lambda key=f.key: self._path(key),
                        kind="whole" if f.least else "length",
                        shown=lambda first=f.first: first,
                    )
                )
        elif shape == "mesh":
            up, self.up = self.choice(
                "Laid",
                lambda: [(UP_WORDS[u], u) for u in UP],
                lambda: str(at(self.document.job_data, self._path("up") or ("",)) or "+z"),
                lambda edit, value: edit.put(value, "fixture", self.chosen - 1, "up"),
            )
            put(up)
        else:
            for k, word in enumerate(_KEYS[shape]):
                put(self.number(f"size_{k}", word[:1].upper() + word[1:], lambda k=k: self._path("size", k)))
        slot = -(-slot // self.columns) * self.columns
        for k, word in enumerate(("Left side at X", "Front side at Y", "Underside at Z")):
            put(
                self.number(
                    f"place_{k}",
                    word,
                    lambda k=k: self._path("place", k),
                    shown=lambda: 0.0,
                    change=lambda edit, v, k=k: self._put_place(edit, k, v),
                    what="moved a fixture",
                )
            )
        put(
            self.number(
                "from_stop", "Fitted at stop no.", lambda: self._path("from_stop"), kind="whole", shown=lambda: 0.0
            )
        )
        put(
            self.number(
                "until_stop", "Removed at stop no.", lambda: self._path("until_stop"), kind="whole", shown=lambda: 0.0
            )
        )

    def _put_place(self, edit: JobEdit, k: int, value: float) -> None:
        job = self.document.table_job
        assert job is not None
        place = list(edit.get("fixture", self.chosen - 1, "place") or [0.0, 0.0, 0.0])
        place[k] = as_figure(value, job.units)
        edit.put(place, "fixture", self.chosen - 1, "place")

    def refresh(self) -> None:
        entries = self._entries()
        self.chosen = min(max(self.chosen, 1), max(len(entries), 1))
        names = [f"{e.get('name', f'fixture {k}')}" for k, e in enumerate(entries, 1)]
        if [self.list.item(k).text() for k in range(self.list.count())] != names:
            self.list.blockSignals(True)
            self.list.clear()
            self.list.addItems(names)
            self.list.blockSignals(False)
        self.list.blockSignals(True)
        self.list.setCurrentRow(self.chosen - 1 if entries else -1)
        self.list.blockSignals(False)
        self.empty.setVisible(not entries)
        self.list.setVisible(bool(entries))
        for button in (self.where, self.copy, self.remove):
            button.setEnabled(bool(entries))
        shape = str(entries[self.chosen - 1].get("shape", "box")) if entries else ""
        self.stations.setVisible(shape == "plate")
        if (self.chosen, shape) != self._made_for:
            self._made_for = (self.chosen, shape)
            if entries:
                self._make_fields(shape)
            else:
                self._refreshers = []
                emptied(self._grid)
        super().refresh()

    def field(self, key: str) -> NumberField:
        """A field by its key."""
        return self.fields[key]


def shift_fixture(edit: JobEdit, document: Document, entry: int, by: list[float]) -> None:
    """A fixture goes so far, real mm: its place counts along the axes of what it is placed from."""
    job = document.table_job
    assert job is not None
    local = by
    if edit.get("fixture", entry - 1, "from") != "machine":
        zero = job.bench.zero.get("G54") or job.bench.part_zero
        turn = zero.turn_rad
        cos, sin = math.cos(turn), math.sin(turn)
        local = [by[0] * cos + by[1] * sin, by[1] * cos - by[0] * sin, by[2]]
    place = edit.get("fixture", entry - 1, "place") or [0.0, 0.0, 0.0]
    edit.put([round(p + as_figure(d, job.units), 6) + 0.0 for p, d in zip(place, local)], "fixture", entry - 1, "place")
