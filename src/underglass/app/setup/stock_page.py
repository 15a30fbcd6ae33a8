"""Setup's page of the stock: shape, size, where the block stands seen from the zero, what it is made of."""

from __future__ import annotations

import html
import os
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QWidget

from underglass.app.document import Document
from underglass.app.setup.binding import SetupPage
from underglass.app.style.palette import Palette
from underglass.core.bench.mesh import UP
from underglass.core.control.state import Vector
from underglass.core.entries.materials import shipped_materials
from underglass.core.files.guess import stated_stock
from underglass.core.files.job_edit import JobEdit, as_figure
from underglass.core.units import show_length

UP_WORDS = {
    "+z": "as it is in the file", "-z": "upside down", "+x": "its X up", "-x": "its X down", "+y": "its Y up",
    "-y": "its Y down",
}  # fmt: skip


def put_mesh(edit: JobEdit, path: Path, folder: Path, *where: str | int) -> None:
    """A mesh file named in the job: by its own name beside the job, else by the way from there."""
    name = os.path.relpath(path, folder)
    edit.put("mesh", *where, "shape")
    edit.put(name, *where, "mesh")
    edit.drop(*where, "size")


class StockPage(SetupPage):
    """The block."""

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        self.offer = self.say()
        self.offer.linkActivated.connect(self._on_offer)
        grid = self.grid()
        shape, self.shape = self.choice(
            "Shape",
            lambda: [("box", "box"), ("cylinder, upright", "cylinder"), ("shape from a file", "mesh")],
            lambda: self._shape(),
            self._put_shape,
        )
        material, self.material = self.choice(
            "Material",
            self._materials,
            lambda: document.table_job.bench.material if document.table_job else "",
            self._put_material,
        )
        self.put(grid, shape, 0)
        self.put(grid, material, 1)
        turned = self.number("turned", "Rotated", ("stock", "turned"), kind="angle", shown=lambda: 0.0)
        self.put(grid, turned, 2)
        self._sizes = []
        for k, (key, word) in enumerate((("size_x", "Length in X"), ("size_y", "Width in Y"), ("size_z", "Height"))):
            field = self.number(
                key,
                word,
                shown=lambda k=k: self._size(k),
                change=lambda edit, v, k=k: self._put_size(edit, k, v),
                what=f"stock {word.lower()}",
            )
            self._sizes.append(field)
            self.put(grid, field, 3 + k)
        for k, (key, word) in enumerate(
            (
                ("place_x", "Left face at X"),
                ("place_y", "Front face at Y"),
                ("place_z", "Underside at Z"),
            )
        ):
            field = self.number(
                key,
                word,
                shown=lambda k=k: self._place(k),
                change=lambda edit, v, k=k: self._put_place(edit, k, v),
                what="moved the block",
            )
            self.put(grid, field, 6 + k)
        self.file_row = QWidget()
        row = QHBoxLayout(self.file_row)
        row.setContentsMargins(0, 0, 0, 0)
        self.choose_file = QPushButton("Choose the file…")
        self.choose_file.clicked.connect(self.ask_mesh)
        row.addWidget(self.choose_file)
        up, self.up = self.choice(
            "Laid",
            lambda: [(UP_WORDS[u], u) for u in UP],
            lambda: str((document.job_data.get("stock") or {}).get("up", "+z")),
            lambda edit, value: edit.put(value, "stock", "up"),
        )
        row.addWidget(up, 1)
        self.box.addWidget(self.file_row)
        self.sentence = self.say(
            "<b>You are moving the block; the zero stays.</b> Drag it in the picture, use the arrow keys there, or type."
        )
        self.box.addStretch(1)

    # -- what stands there ---------------------------------------------------------------------------------------------

    def _shape(self) -> str:
        job = self.document.table_job
        return job.bench.stocks[0].shape if job is not None else "box"

    def _size(self, k: int) -> float | None:
        job = self.document.table_job
        if job is None:
            return None
        size = job.bench.stocks[0].size
        if self._shape() == "cylinder":
            return (size[0], None, size[1])[k]
        return size[k]

    def _put_size(self, edit: JobEdit, k: int, value: float) -> None:
        job = self.document.table_job
        assert job is not None
        stock = job.bench.stocks[0]
        size = list(stock.size)
        size[min(k, len(size) - 1)] = value
        edit.put([as_figure(v, job.units) for v in size], "stock", "size")

    def _place(self, k: int) -> float | None:
        job = self.document.table_job
        if job is None:
            return None
        place = (self.document.job_data.get("stock") or {}).get("place") or (0.0, 0.0, 0.0)
        return float(place[k]) * (25.4 if job.units == "inch" else 1.0)

    def _put_place(self, edit: JobEdit, k: int, value: float) -> None:
        job = self.document.table_job
        assert job is not None
        place = list(edit.get("stock", "place") or [0.0, 0.0, 0.0])
        place[k] = as_figure(value, job.units)
        edit.put(place, "stock", "place")

    def _put_shape(self, edit: JobEdit, shape: str) -> None:
        job = self.document.table_job
        assert job is not None
        x, y, z = job.bench.stocks[0].extent
        if shape == "mesh":
            self.ask_mesh()
            return
        edit.put(shape, "stock", "shape")
        edit.drop("stock", "mesh")
        edit.drop("stock", "up")
        size = (min(x, y), z) if shape == "cylinder" else (x, y, z)
        edit.put([as_figure(v, job.units) for v in size], "stock", "size")

    def ask_mesh(self) -> None:
        """Ask for a file that holds the stock's shape."""
        name, _kind = QFileDialog.getOpenFileName(self, "The stock's shape", "", "Shapes (*.stl *.ply *.3mf)")
        if name:
            self.use_mesh(Path(name))
        self.refresh()

    def use_mesh(self, path: Path) -> str:
        """The stock is this file's shape; what is wrong with it, or empty."""
        job = self.document.table_job
        if job is None:
            return ""
        return self.change(lambda edit: put_mesh(edit, path, Path(job.folder), "stock"), f"stock from {path.name}")

    def _materials(self) -> list[tuple[str, str]]:
        job = self.document.table_job
        names = sorted({m.name for m in shipped_materials().values()})
        out = [("not said", ""), *((name, name) for name in names)]
        if job is not None and job.bench.material and job.bench.material not in names:
            out.append((job.bench.material, job.bench.material))
        return out

    def _put_material(self, edit: JobEdit, name: str) -> None:
        if name:
            edit.put(name, "stock", "material")
        else:
            edit.drop("stock", "material")

    # -- what the program states ---------------------------------------------------------------------------------------

    def _told(self) -> tuple[tuple[float, ...], Vector, int] | None:
        """(size, corner from zero, line) as the program's comments say."""
        job, proof = self.document.table_job, self.document.proof
        said = self.document.stated
        if job is None or said.stock is None:
            return None
        low, high = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
        if proof is not None and len(proof.motions):
            fed = ~proof.motions.rapid()
            if fed.any():
                shift = proof.motions.shifts()[fed]
                lows, highs = proof.motions.boxes()
                low, high = (tuple(map(float, v)) for v in ((lows[fed] - shift).min(0), (highs[fed] - shift).max(0)))  # type: ignore[assignment]
        found = stated_stock(said, low, high)
        return None if found is None else (found[0], found[1], said.stock.line)

    def _on_offer(self, link: str) -> None:
        job = self.document.table_job
        told = self._told()
        if job is None:
            return
        if link == "confirm":
            self.do(lambda edit: confirm(edit, "stock", "zero"), "confirmed the stock")
        elif link == "take" and told is not None:
            size, corner, _line = told

            def put(edit: JobEdit) -> None:
                edit.put("box" if len(size) == 3 else "cylinder", "stock", "shape")
                edit.drop("stock", "mesh")
                edit.put([as_figure(v, job.units) for v in size], "stock", "size")
                edit.put([as_figure(v, job.units) for v in corner], "stock", "place")
                confirm(edit, "stock", "zero")

            self.do(put, "took the stock that the program states")

    def refresh(self) -> None:
        super().refresh()
        job = self.document.table_job
        if job is None:
            return
        shape = self._shape()
        self._sizes[1].setVisible(shape == "box")
        self._sizes[0].word = "Diameter" if shape == "cylinder" else "Length in X"
        self._sizes[0].show_value(self._size(0), self.document.units)
        for field in self._sizes:
            field.edit.setReadOnly(shape == "mesh")
        self.file_row.setVisible(shape == "mesh")
        said = []
        p = self.palette_
        if job.unconfirmed & {"stock", "zero"} or job.guessed:
            said.append(
                f'<span style="color:{p.caution}">\u25b3 Guessed, not confirmed.</span> <a style="color:{p.active}" href="confirm">Confirm</a>'
            )
        told = self._told()
        if told is not None:
            size, _corner, line = told
            stock = job.bench.stocks[0]
            same = len(size) == len(stock.size) and all(abs(a - b) < 0.01 for a, b in zip(size, stock.size))
            figures = " \u00d7 ".join(show_length(v, self.document.units) for v in size)
            if not same:
                said.append(
                    f"Line {line} states a stock of {html.escape(figures)}. "
                    f'<a style="color:{p.active}" href="take">Take it</a>'
                )
            elif job.unconfirmed & {"stock"} or job.guessed:
                said.append(f"As line {line} states.")
        self.offer.setText("<br>".join(said))
        self.offer.setVisible(bool(said))


def confirm(edit: JobEdit, *names: str) -> None:
    """What was guessed is so."""
    left = [n for n in edit.get("guessed") or [] if n not in names]
    if left:
        edit.put(left, "guessed")
    else:
        edit.drop("guessed")
