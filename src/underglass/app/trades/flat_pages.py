"""The pages of a sheet machine's Setup: sheet, zero, cutter, clamps, turret."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QPushButton

from underglass.app.document import Document
from underglass.app.setup.binding import at
from underglass.app.setup.own_place import OwnPage
from underglass.app.setup.own_tools import OwnTools
from underglass.app.setup.station_page import StationPage
from underglass.app.style.palette import Palette
from underglass.core.bench.sheet import CUTTER_WORDS, PUNCH_SHAPES, Sheet
from underglass.core.entries.materials import shipped_materials
from underglass.core.files.job_edit import JobEdit
from underglass.core.trades.punching.entries import read_punch_tool
from underglass.core.units import MM_PER_INCH, show_length

_SHEET_MATERIALS = ("mild steel", "copper", "acrylic")


class FlatPage(OwnPage):
    """A page about a sheet machine's job."""

    @property
    def sheet(self) -> Sheet | None:
        job = self.job
        more = job.bench.more if job is not None else None
        return more if isinstance(more, Sheet) else None


class SheetPage(FlatPage):
    """The sheet: its size or its drawn outline, where it lies, its material; and where everything would fit."""

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        self.guessed = self.guesses(lambda: ("stock", "zero", "machine"), "sheet, zero and machine")
        self.said = self.say()
        grid = self.sheet_grid = self.grid()
        words = (("x", "Along X", 0), ("y", "Along Y", 1), ("t", "Thickness", 2))
        for key, word, k in words:
            self.number(
                key, word, shown=lambda k=k: self._size(k), change=lambda e, v, k=k: self._put_size(e, k, v), what=word.lower()  # type: ignore[misc]
            )  # fmt: skip
        for key, word, k in (("px", "Left edge from zero", 0), ("py", "Lower edge from zero", 1)):
            self.number(
                key, word, shown=lambda k=k: self.pair(("stock", "place"), k) or 0.0,  # type: ignore[misc]
                change=lambda e, v, k=k: self.put_pair(e, ("stock", "place"), k, v, [0.0, 0.0]), what=word.lower(),  # type: ignore[misc]
            )  # fmt: skip
        names = sorted({m.name for m in shipped_materials().values()} | set(_SHEET_MATERIALS))
        material, _c = self.choice(
            "Material", lambda: [("not said", ""), *((n, n) for n in names)], lambda: str(at(document.job_data, ("stock", "material")) or ""),
            lambda edit, value: edit.put(value, "stock", "material"),
        )  # fmt: skip
        for k, widget in enumerate((*(self.fields[n] for n in ("x", "y", "t", "px", "py")), material)):
            self.put(grid, widget, k)
        row = QHBoxLayout()
        self.drawing, self.whole, self.fit = (
            QPushButton("Remnant from a drawing\u2026"),
            QPushButton("A whole sheet"),
            QPushButton("Put the zero where all fits"),
        )
        self.drawing.clicked.connect(self._on_drawing)
        self.whole.clicked.connect(self.make_whole)
        self.fit.clicked.connect(self.put_where_it_fits)
        for button in (self.drawing, self.whole):
            row.addWidget(button)
        row.addStretch(1)
        self.box.addLayout(row)
        self.box.addWidget(self.fit, 0, Qt.AlignmentFlag.AlignLeft)
        self.at_each = self.flag(
            "The same sheet lies at each zero", lambda: len(self._lies_at()) > 1, self._put_at_each
        )
        self.box.addWidget(self.at_each)
        self.box.addStretch(1)

    def _zeros(self) -> list[str]:
        job = self.job
        return list(job.bench.zero) if job is not None else []

    def _lies_at(self) -> list[str]:
        found = at(self.document.job_data, ("stock", "repeat_at"))
        return [str(name) for name in found] if isinstance(found, list) else []

    def _put_at_each(self, edit: JobEdit, on: bool) -> None:
        if on:
            edit.put(self._zeros(), "stock", "repeat_at")
        else:
            edit.drop("stock", "repeat_at")

    def _size(self, k: int) -> float | None:
        if at(self.document.job_data, ("stock", "outline")) is not None:
            job = self.job
            raw = at(self.document.job_data, ("stock", "thickness"))
            scale = MM_PER_INCH if job is not None and job.units == "inch" else 1.0
            return float(raw) * scale if k == 2 and raw is not None else None
        return self.pair(("stock", "size"), k)

    def _put_size(self, edit: JobEdit, k: int, value: float) -> None:
        if edit.get("stock", "outline") is not None:
            if k == 2:
                edit.put(self.figure(value), "stock", "thickness")
            return
        self.put_pair(edit, ("stock", "size"), k, value, [600.0, 400.0, 3.0])

    def _folder(self) -> Path:
        path = self.document.job_path
        return path.parent if path is not None else Path.home()

    def _on_drawing(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(
            self, "The remnant's outline", str(self._folder()), "Drawings (*.dxf)"
        )
        if name:
            self.take_drawing(Path(name))

    def take_drawing(self, path: Path) -> None:
        """The sheet is what is left of another one: the largest closed outline of a drawing, with the holes in it."""
        sheet = self.sheet
        if sheet is None:
            return
        name = os.path.relpath(path, self._folder())

        def put(edit: JobEdit) -> None:
            edit.put(name, "stock", "outline")
            edit.put(self.figure(sheet.thickness), "stock", "thickness")
            edit.drop("stock", "size")

        self.do(put, f"took the sheet's outline from {path.name}")

    def make_whole(self) -> None:
        """A rectangle again, as large as the outline was."""
        sheet = self.sheet
        if sheet is None or at(self.document.job_data, ("stock", "outline")) is None:
            return
        x0, y0, x1, y1 = sheet.region().bounds

        def put(edit: JobEdit) -> None:
            edit.put("sheet", "stock", "shape")
            edit.put([self.figure(x1 - x0), self.figure(y1 - y0), self.figure(sheet.thickness)], "stock", "size")
            for key in ("outline", "thickness"):
                edit.drop("stock", key)

        self.do(put, "made it a whole sheet")

    def _fitting(self) -> tuple[float, float] | None:
        proof = self.document.proof
        found = next((f for f in proof.findings if f.code == "off-sheet"), None) if proof is not None else None
        if found is None or found.evidence.get("turned_deg") != 0:
            return None
        return (float(found.evidence["shift_x_mm"] or 0.0), float(found.evidence["shift_y_mm"] or 0.0))

    def put_where_it_fits(self) -> None:
        """The zero goes to the nearest place at which all of the cut lies on the sheet; sheet and clamps stay where they are."""
        by = self._fitting()
        if by is not None:
            self.do(lambda edit: move_zero(edit, self, *by), "put the zero where all fits")

    def refresh(self) -> None:
        super().refresh()
        drawn = at(self.document.job_data, ("stock", "outline"))
        for key in ("x", "y"):
            self.fields[key].setEnabled(drawn is None)
        self.whole.setEnabled(drawn is not None)
        self.at_each.setVisible(len(self._zeros()) > 1)
        by, unit = self._fitting(), self.document.units
        self.fit.setEnabled(by is not None)
        words = f"The sheet is what {drawn} shows. " if drawn is not None else ""
        words += (
            f"All fits with the zero moved by X {show_length(by[0], unit)} Y {show_length(by[1], unit)}."
            if by is not None
            else "Drag the zero or the sheet in the picture."
        )
        self.said.setText(f'<span style="color:{self.palette_.quiet}">{words}</span>')


def move_zero(edit: JobEdit, page: FlatPage, dx: float, dy: float, start: dict[str, Any] | None = None) -> None:
    """The true zero goes elsewhere; sheet and clamps stay where they lie. ``start``: the job's entries it is counted from."""
    data = start if start is not None else page.document.job_data
    job = page.job
    scale = MM_PER_INCH if job is not None and job.units == "inch" else 1.0
    zeros = data.get("zero") or {}
    first = "G54" if "G54" in zeros or not zeros else next(iter(zeros))
    # Where the same sheet lies at several, each stays where it lies only if all the zeros go along.
    at_each = (data.get("stock") or {}).get("repeat_at") or [first]
    for name in {first, *(n for n in at_each if n in zeros)}:
        zero = zeros.get(name) or {"x": 0.0, "y": 0.0}
        moved = {"x": round(float(zero["x"]) + dx / scale, 6), "y": round(float(zero["y"]) + dy / scale, 6)}
        edit.put({**zero, **moved}, "zero", name)
    place = (data.get("stock") or {}).get("place") or [0.0, 0.0]
    edit.put([round(float(place[0]) - dx / scale, 6), round(float(place[1]) - dy / scale, 6)], "stock", "place")
    for k, entry in enumerate(data.get("fixture") or []):
        at_ = entry.get("place") or [0.0, 0.0]
        edit.put([round(float(at_[0]) - dx / scale, 6), round(float(at_[1]) - dy / scale, 6)], "fixture", k, "place")


class CutterPage(FlatPage):
    """Torch, beam or jet with its figures for this sheet."""

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        self.guessed = self.guesses(
            lambda: tuple(f"T{n}" for n in self.job.bench.tool_names) if self.job else (), "the cutter"
        )
        grid = self.grid()
        kind, _k = self.choice(
            "Cutter", lambda: [(w, k) for k, w in CUTTER_WORDS.items()], lambda: str(at(document.job_data, ("tool", 0, "kind")) or "torch"),
            lambda edit, value: edit.put(value, "tool", 0, "kind"),
        )  # fmt: skip
        self.put(grid, kind, 0)
        for k, (key, word) in enumerate((("kerf", "Kerf"), ("pierce_diameter", "Pierce takes a disc of")), 1):
            self.put(grid, self.number(key, word, ("tool", 0, key), what=word.lower()), k)
        self.put(
            grid,
            self.number("pierce_s", "Goes through in, s", ("tool", 0, "pierce_s"), kind="plain", what="pierce time"),
            3,
        )
        for k, word in enumerate(("Slowest feed", "Fastest feed")):
            field = self.number(
                f"feed{k}", word, shown=lambda k=k: self.pair(("tool", 0, "feed"), k),  # type: ignore[misc]
                change=lambda e, v, k=k: self.put_pair(e, ("tool", 0, "feed"), k, v, [1000.0, 3000.0]), what=word.lower(),  # type: ignore[misc]
            )  # fmt: skip
            self.put(grid, field, 4 + k)
        self.dry = self.flag(
            "Dry trace: the cutter stays off", lambda: at(document.job_data, ("switches", "dry_trace")) is True, self._put_dry
        )  # fmt: skip
        self.bridges = self.flag(
            "Bridges are meant: contours may stay open", lambda: at(document.job_data, ("proof", "bridges")) is True, self._put_bridges
        )  # fmt: skip
        self.box.addWidget(self.dry)
        self.box.addWidget(self.bridges)
        self.box.addStretch(1)

    def _put_dry(self, edit: JobEdit, on: bool) -> None:
        if on:
            edit.put(True, "switches", "dry_trace")
        else:
            edit.drop("switches", "dry_trace")

    def _put_bridges(self, edit: JobEdit, on: bool) -> None:
        if on:
            edit.put(True, "proof", "bridges")
        else:
            edit.drop("proof", "bridges")


class ClampsPage(FlatPage):
    """What lies on the table or holds the sheet: rectangles with their places."""

    def __init__(self, document: Document, palette: Palette, shape: str) -> None:
        super().__init__(document, palette)
        self.chosen, self._shape = 0, shape
        grid = self.grid()
        holder, self.list = self.choice("Piece", self._names, lambda: str(self.chosen), lambda _e, _v: None)
        self.list.activated.disconnect()
        self.list.activated.connect(lambda _k: self.choose(int(self.list.currentData() or 0)))
        self.put(grid, holder, 0)
        for slot, (key, word, path, k) in enumerate((
            ("w", "Along X", "size", 0), ("h", "Along Y", "size", 1), ("x", "Left edge from zero", "place", 0), ("y", "Lower edge from zero", "place", 1),
        ), 1):  # fmt: skip
            field = self.number(
                key, word, shown=lambda p=path, k=k: self.pair(("fixture", self.chosen, p), k),  # type: ignore[misc]
                change=lambda e, v, p=path, k=k: self.put_pair(e, ("fixture", self.chosen, p), k, v, [50.0, 40.0]), what=word.lower(),  # type: ignore[misc]
            )  # fmt: skip
            self.put(grid, field, slot)
        row = QHBoxLayout()
        self.add, self.drop = QPushButton("Add one"), QPushButton("Take it away")
        self.add.clicked.connect(self.add_one)
        self.drop.clicked.connect(self.take_away)
        for button in (self.add, self.drop):
            row.addWidget(button)
        row.addStretch(1)
        self.box.addLayout(row)
        self.box.addStretch(1)

    def _entries(self) -> list[dict[str, Any]]:
        found = at(self.document.job_data, ("fixture",))
        return found if isinstance(found, list) else []

    def _names(self) -> list[tuple[str, str]]:
        return [(str(e.get("name") or f"fixture {k + 1}"), str(k)) for k, e in enumerate(self._entries())]

    def choose(self, k: int) -> None:
        self.chosen = k
        self.refresh()

    def add_one(self) -> None:
        """One more beside the last."""
        n = len(self._entries())
        word = "clamp" if self._shape == "clamp-zone" else "stop"
        entry = {
            "name": f"{word} {n + 1}", "shape": self._shape, "size": [self.figure(90.0), self.figure(40.0)],
            "place": [self.figure(120.0 + 250.0 * n), self.figure(-10.0)],
        }  # fmt: skip
        if not self.do(lambda edit: edit.add("fixture", entry), f"added {entry['name']}"):
            self.choose(n)

    def take_away(self) -> None:
        k = self.chosen
        if k < len(self._entries()):
            self.do(lambda edit: edit.drop("fixture", k), "took a clamp away")

    def refresh(self) -> None:
        self.chosen = min(self.chosen, max(len(self._entries()) - 1, 0))
        super().refresh()
        for field in self.fields.values():
            field.setEnabled(bool(self._entries()))
        self.drop.setEnabled(bool(self._entries()))


class TurretPage(StationPage):
    """The stations of the turret: a list, and the chosen one's shape, size and angle. ``shown`` says which."""

    list: QComboBox

    def __init__(self, document: Document, folder: Path, palette: Palette) -> None:
        super().__init__(document, palette)
        self.number_chosen = 0
        self.guessed = self.guesses(lambda: (f"T{self.number_chosen}",), "this punch")
        grid = self.tool_grid = self.grid()
        holder, self.list = self.station_list()
        self.put(grid, holder, 0, span=2)
        shape, _s = self.choice(
            "Shape", lambda: [(s, s) for s in (*PUNCH_SHAPES, *(["outline"] if self._get("outline") is not None else []))],
            lambda: "outline" if self._get("outline") is not None else str(self._get("shape") or ""), self._put_shape,
        )  # fmt: skip
        self.put(grid, shape, 2)
        for k, word in enumerate(("Size", "Second size")):
            self.number(
                f"size{k}", word, shown=lambda k=k: self._size(k), change=lambda e, v, k=k: self._put_size(e, k, v), what=word.lower()  # type: ignore[misc]
            )  # fmt: skip
        self.number("angle", "Angle", lambda: self._path("angle"), kind="angle", what="angle")
        self.number("height", "Raises metal by", lambda: self._path("height"), what="height")
        for k, key in enumerate(("size0", "size1", "angle", "height"), 3):
            self.put(grid, self.fields[key], k)
        self.index = self.flag(
            "The program can turn it", lambda: self._get("index") is True, lambda e, on: self._put_flag(e, "index", on)
        )
        self.forming = self.flag(
            "Forming tool: takes no metal away",
            lambda: self._get("forming") is True,
            lambda e, on: self._put_flag(e, "forming", on),
        )
        self.box.addWidget(self.index)
        self.box.addWidget(self.forming)
        row = QHBoxLayout()
        self.add, self.remove = QPushButton("Add a station"), QPushButton("Take it out")
        self.add.clicked.connect(self.add_tool)
        self.remove.clicked.connect(self.take_out)
        self.kept = OwnTools(self, folder / "punches.toml", read_punch_tool, self.take, self._chosen)
        for button in (self.add, self.remove, self.kept):
            row.addWidget(button)
        row.addStretch(1)
        self.box.addLayout(row)
        self.box.addStretch(1)

    def _size(self, n: int) -> float | None:
        path = self._path("size")
        return self.pair(path, n) if path is not None else None

    def _put_size(self, edit: JobEdit, n: int, value: float) -> None:
        path = self._path("size")
        if path is not None:
            self.put_pair(edit, path, n, value, [10.0, 10.0])

    def _put_flag(self, edit: JobEdit, key: str, on: bool) -> None:
        k = self._entry()
        if k is not None and on:
            edit.put(True, "tool", k, key)
        elif k is not None:
            edit.drop("tool", k, key)

    def _put_shape(self, edit: JobEdit, shape: str) -> None:
        k = self._entry()
        if k is None or shape == "outline":
            return
        size = self._size(0) or 10.0
        two = {"rectangle": size * 0.6, "obround": size * 0.4, "single-D": size * 0.85}.get(shape)
        edit.put(shape, "tool", k, "shape")
        edit.put([self.figure(size), *([self.figure(two)] if two is not None else [])], "tool", k, "size")
        if edit.get("tool", k, "outline") is not None:
            edit.drop("tool", k, "outline")

    def add_tool(self) -> None:
        """A round punch at the next free station."""
        free = self._free()
        if free is not None:
            entry = {"number": free, "kind": "punch", "shape": "round", "size": [self.figure(10.0)]}
            self.add_entry(entry, f"added station {free}")

    def take_out(self) -> None:
        k, number = self._entry(), self.number_chosen
        if k is not None:
            self.do(lambda edit: edit.drop("tool", k), f"took station {number} out")

    def refresh(self) -> None:
        job = self.job
        if job is not None and self.number_chosen not in job.bench.tool_names:
            self.number_chosen = min(job.bench.tool_names, default=0)
        super().refresh()
        shape = str(self._get("shape") or "")
        two = {"rectangle": "Along Y", "obround": "Width", "single-D": "Height over the flat"}.get(shape)
        first = {
            "round": "Diameter",
            "square": "Side",
            "rectangle": "Along X",
            "obround": "Overall length",
            "single-D": "Diameter",
            "hexagon": "Across flats",
        }
        self.fields["size0"].set_word(first.get(shape, "Size"))
        self.fields["size1"].set_word(two or "Second size")
        self.fields["size0"].setVisible(self._get("outline") is None)
        self.fields["size1"].setVisible(two is not None and self._get("outline") is None)
        self.fields["height"].setVisible(self._get("forming") is True)
        for k, key in enumerate((n for n in ("size0", "size1", "angle", "height") if not self.fields[n].isHidden()), 3):
            self.put(self.tool_grid, self.fields[key], k)
        self.remove.setEnabled(bool(shape) or self._get("outline") is not None)
