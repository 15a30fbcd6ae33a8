"""The pages of a lathe's Setup: bar, chuck and tools."""

from __future__ import annotations

import os
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton

from underglass.app.document import Document
from underglass.app.setup.binding import at
from underglass.app.setup.own_place import OwnPage
from underglass.app.setup.own_tools import OwnTools
from underglass.app.setup.station_page import StationPage
from underglass.app.style.palette import Palette
from underglass.app.trades.lathe_profile import Place, ProfileTable
from underglass.core.bench.lathe import INSERT_ANGLES, LATHE_WORDS, ON_AXIS
from underglass.core.entries.materials import shipped_materials
from underglass.core.files.job_edit import JobEdit
from underglass.core.trades.turning.tool_entry import read_lathe_tool
from underglass.core.units import MM_PER_INCH


class StockPage(OwnPage):
    """Bar, tube or profile with its figures and material. ``places_shown`` brings the profile's places, mm (X a diameter)."""

    places_shown = Signal(object)

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        self.profile = ProfileTable()
        self.guessed = self.guesses(lambda: ("stock", "zero", "machine"), "bar, chuck, zero and machine")
        self.said = self.say()
        grid = self.grid()
        holder, _combo = self.choice(
            "Shape", lambda: [("bar", "bar"), ("tube", "tube"), ("profile", "profile")],
            self._shape, self._put_shape,
        )  # fmt: skip
        self.put(grid, holder, 0)
        self.outer = self.number(
            "outer",
            "Diameter",
            shown=lambda: self._size(0),
            change=lambda e, v: self._put_size(e, 0, v),
            what="diameter",
        )
        self.inner = self.number(
            "inner", "Bore", shown=lambda: self._size(1), change=lambda e, v: self._put_size(e, 1, v), what="bore"
        )
        self.length = self.number(
            "length",
            "Length",
            shown=lambda: self._size(-1),
            change=lambda e, v: self._put_size(e, -1, v),
            what="length",
        )
        self.front = self.number("place", "Z of its front face", ("stock", "place"), what="front face")
        self.stock_grid = grid
        material, _c = self.choice(
            "Material", lambda: [("not said", ""), *((n, n) for n in sorted({m.name for m in shipped_materials().values()}))],
            lambda: str(at(document.job_data, ("stock", "material")) or ""), lambda edit, value: edit.put(value, "stock", "material"),
        )  # fmt: skip
        self.in_order = (self.outer, self.inner, self.length, self.front, material)
        for k, widget in enumerate(self.in_order, 1):
            self.put(grid, widget, k)
        self.box.addWidget(self.profile)
        self.profile.entered.connect(self._on_entered)
        self.profile.added.connect(self._on_added)
        self.profile.dropped.connect(self.drop_place)
        self.profile.drawing_asked.connect(self._on_drawing)
        self.box.addStretch(1)

    # -- a profile ---------------------------------------------------------------------------------------------------------

    def places(self) -> list[Place]:
        """The typed profile, mm, X a diameter; empty where there is none, or it is a drawing."""
        raw = at(self.document.job_data, ("stock", "profile"))
        job = self.job
        if not isinstance(raw, list) or job is None or self._shape() != "profile":
            return []
        scale = MM_PER_INCH if job.units == "inch" else 1.0
        return [(float(x) * scale, float(z) * scale) for x, z in raw]

    def _put_places(self, places: list[Place], what: str, key: str = "") -> str:
        rows = [[self.figure(x), self.figure(z)] for x, z in places]
        return self.change(lambda edit: edit.put(rows, "stock", "profile"), what, key)

    def _tell(self, why: str) -> None:
        if why:
            self.trouble.emit(f"{why[:1].upper()}{why[1:]}.")
            self.refresh()

    def _on_entered(self, row: int, column: int, value: float) -> None:
        places = self.places()
        if not 0 <= row < len(places):
            self._tell("type a figure, as 25 or 12.5")
            return
        x, z = places[row]
        places[row] = (value, z) if column == 0 else (x, value)
        self._tell(self._put_places(places, "moved a place of the profile"))

    def move_place(self, k: int, x: float, z: float) -> None:
        """A place is dragged: steps of one drag are one step back."""
        places = self.places()
        if 0 <= k < len(places):
            places[k] = (max(round(x, 2), 0.0), round(z, 2))
            self._put_places(places, "moved a place of the profile", "drag")

    def add_place(self, k: int, x: float, z: float) -> None:
        """Another place behind the one of this number."""
        places = self.places()
        places.insert(k + 1, (max(round(x, 2), 0.0), round(z, 2)))
        self._tell(self._put_places(places, "added a place to the profile"))

    def _on_added(self, k: int) -> None:
        places = self.places()
        if places:
            (x0, z0), (x1, z1) = places[k], places[(k + 1) % len(places)]
            self.add_place(k, (x0 + x1) / 2.0, (z0 + z1) / 2.0)

    def drop_place(self, k: int) -> None:
        """Take a place out."""
        places = self.places()
        if 0 <= k < len(places) and len(places) > 3:
            del places[k]
            self._tell(self._put_places(places, "took a place out of the profile"))

    def _on_drawing(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(
            self, "The profile's drawing", str(self._folder()), "Drawings (*.dxf)"
        )
        if name:
            self.take_drawing(Path(name))

    def _folder(self) -> Path:
        path = self.document.job_path
        return path.parent if path is not None else Path.home()

    def take_drawing(self, path: Path) -> None:
        """The profile is what a drawing shows: its X is Z of the lathe, its Y the radius."""
        name = os.path.relpath(path, self._folder())
        self._tell(self.do(lambda edit: edit.put(name, "stock", "profile"), f"took the profile from {path.name}"))

    # -- bar and tube ------------------------------------------------------------------------------------------------------

    def _shape(self) -> str:
        return str(at(self.document.job_data, ("stock", "shape")) or "")

    def _size(self, k: int) -> float | None:
        size = at(self.document.job_data, ("stock", "size"))
        job = self.job
        if not isinstance(size, list) or job is None or (k == 1 and len(size) < 3):
            return None
        scale = MM_PER_INCH if job.units == "inch" else 1.0
        return float(size[k]) * scale

    def _put_size(self, edit: JobEdit, k: int, value: float) -> None:
        size = [float(v) for v in edit.get("stock", "size") or []]
        if size and not (k == 1 and len(size) < 3):
            size[k] = self.figure(value)
            edit.put(size, "stock", "size")

    def _put_shape(self, edit: JobEdit, shape: str) -> None:
        size = [float(v) for v in edit.get("stock", "size") or [40.0, 80.0]]
        if shape == "tube" and len(size) == 2:
            size = [size[0], round(size[0] / 2.0, 3), size[1]]
        elif shape == "bar" and len(size) == 3:
            size = [size[0], size[2]]
        edit.put(shape, "stock", "shape")
        if shape == "profile":
            inner = size[1] if len(size) == 3 else 0.0
            outer, length = size[0], size[-1]
            edit.put([[inner, 0.0], [outer, 0.0], [outer, -length], [inner, -length]], "stock", "profile")
            if edit.get("stock", "size") is not None:
                edit.drop("stock", "size")
            return
        places = edit.get("stock", "profile")
        if isinstance(places, list):
            # As large as the profile was.
            outer, low = max(float(x) for x, _z in places), min(float(z) for _x, z in places)
            size = [outer, -low] if shape == "bar" else [outer, round(outer / 2.0, 3), -low]
        edit.put(size, "stock", "size")
        if places is not None:
            edit.drop("stock", "profile")

    def refresh(self) -> None:
        super().refresh()
        raw = at(self.document.job_data, ("stock",)) or {}
        said = ""
        if "from" in raw:
            said = f"What {raw['from']} leaves is clamped here{', turned round' if raw.get('turned_round') else ''}."
        elif isinstance(raw.get("profile"), str):
            said = f"The profile is what {raw['profile']} shows."
        places = self.places()
        self.profile.setVisible(raw.get("shape") == "profile" and "from" not in raw)
        self.profile.show_places(places, self.document.units)
        self.places_shown.emit(places)
        self.said.setText(said)
        self.said.setVisible(bool(said))
        for field in (self.outer, self.length):
            field.setVisible("size" in raw)
        self.inner.setVisible(raw.get("shape") == "tube")
        for k, widget in enumerate((w for w in self.in_order if not w.isHidden()), 1):
            self.put(self.stock_grid, widget, k)


class ChuckPage(OwnPage):
    """What holds: jaws outside or inside, a collet, nothing; and the tailstock."""

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        grid = self.grid()
        holder, _combo = self.choice(
            "Held by", lambda: [("jaws outside", "jaws"), ("jaws inside", "inside"), ("collet", "collet"), ("nothing", "none")],
            lambda: str(at(document.job_data, ("chuck", "kind")) or "none"), self._put_kind,
        )  # fmt: skip
        self.put(grid, holder, 0)
        for k, (key, word, path) in enumerate(
            (
                ("face", "Z of the front end", ("chuck", "face")),
                ("diameter", "Body diameter", ("chuck", "diameter")),
                ("jaw_length", "Jaw length", ("chuck", "jaws", "length")),
                ("jaw_height", "Jaw height", ("chuck", "jaws", "height")),
                ("soft", "Soft jaws: may be cut", ("chuck", "jaws", "may_cut")),
                ("grip", "Deepest cut it holds", ("chuck", "grip_limit")),
            ),
            1,
        ):
            self.put(grid, self.number(key, word, path, what=word.lower()), k)
        self.tail = self.flag("Tailstock", lambda: at(document.job_data, ("tailstock",)) is not None, self._put_tail)
        self.box.addWidget(self.tail)
        more = self.grid()
        for k, (key, word, path) in enumerate(
            (
                ("tail_z", "Z of its point", ("tailstock", "z")),
                ("tail_d", "Centre diameter", ("tailstock", "diameter")),
                ("quill", "Quill diameter", ("tailstock", "body")),
            )
        ):
            self.put(more, self.number(key, word, path, what=word.lower()), k)
        self.box.addStretch(1)

    def _put_kind(self, edit: JobEdit, kind: str) -> None:
        if edit.get("chuck") is None:
            edit.put({"kind": kind, "face": self.figure(-60.0), "diameter": self.figure(160.0)}, "chuck")
        edit.put(kind, "chuck", "kind")
        if kind in ("jaws", "inside") and edit.get("chuck", "jaws") is None:
            edit.put({"length": self.figure(25.0), "height": self.figure(25.0)}, "chuck", "jaws")

    def _put_tail(self, edit: JobEdit, on: bool) -> None:
        if on:
            edit.put({"z": self.figure(20.0)}, "tailstock")
        else:
            edit.drop("tailstock")

    def refresh(self) -> None:
        super().refresh()
        kind = str(at(self.document.job_data, ("chuck", "kind")) or "none")
        for key in ("face", "diameter", "grip"):
            self.fields[key].setEnabled(kind != "none")
        for key in ("jaw_length", "jaw_height", "soft"):
            self.fields[key].setVisible(kind in ("jaws", "inside"))
        for key in ("tail_z", "tail_d", "quill"):
            self.fields[key].setVisible(self.tail.isChecked())


_ORIENTATIONS = (
    ("1  +X +Z", "1"), ("2  +X \u2212Z", "2"), ("3  \u2212X \u2212Z", "3"), ("4  \u2212X +Z", "4"), ("5  +Z", "5"), ("6  +X", "6"), ("7  \u2212Z", "7"),
    ("8  \u2212X", "8"), ("9  the centre", "9"),
)  # fmt: skip


class ToolsPage(StationPage):
    """The tools of the turret: a list, and the chosen one's figures. ``shown`` says which."""

    def __init__(self, document: Document, folder: Path, palette: Palette) -> None:
        super().__init__(document, palette)
        self.number_chosen = 0
        self.guessed = self.guesses(lambda: (f"T{self.number_chosen}",), "this tool")
        grid = self.tool_grid = self.grid()
        holder, self.list = self.station_list()
        self.put(grid, holder, 0, span=2)
        kind, _k = self.choice(
            "Kind",
            lambda: [(w, k) for k, w in LATHE_WORDS.items()],
            lambda: str(self._get("kind") or ""),
            self._put_kind,
        )
        self.put(grid, kind, 2)
        self.insert, _i = self.choice(
            "Insert, ISO 1832", lambda: [(f"{k}  {a:g}\u00b0" if a else f"{k}  round", k) for k, a in INSERT_ANGLES.items()],
            lambda: str(self._get("insert") or ""), lambda e, v: self._put(e, "insert", v),
        )  # fmt: skip
        self._length_fields = ("RE", "L", "DC", "APMX", "width", "depth", "gauge_x", "gauge_z")
        words = {
            "RE": ("Nose radius RE", ("RE",)), "L": ("Edge length L", ("L",)), "DC": ("Diameter DC", ("DC",)), "APMX": ("Flutes APMX", ("APMX",)),
            "width": ("Width", ("width",)), "depth": ("Depth", ("depth",)), "gauge_x": ("Gauge X, a diameter", ("gauge", "x")),
            "gauge_z": ("Gauge Z", ("gauge", "z")),
        }  # fmt: skip
        for key in self._length_fields:
            word, path = words[key]
            self.number(key, word, lambda p=path: self._path(*p), what=word.lower())  # type: ignore[misc]
        self.number("KAPR", "Edge angle KAPR", lambda: self._path("KAPR"), kind="plain", what="edge angle")
        self.orientation, _o = self.choice(
            "Tip orientation",
            lambda: list(_ORIENTATIONS),
            lambda: str(self._get("orientation") or "3"),
            lambda e, v: self._put(e, "orientation", int(v)),
        )
        self.turns, _t = self.choice(
            "Spindle", lambda: [("M3, clockwise", "cw"), ("M4, counter-clockwise", "ccw"), ("either way", "either")],
            lambda: str(self._get("turns") or "cw"), lambda e, v: self._put(e, "turns", v),
        )  # fmt: skip
        f = self.fields
        self.in_order = (
            self.insert, f["KAPR"], f["DC"], f["APMX"], f["width"], f["depth"], f["RE"], f["L"], f["gauge_x"], f["gauge_z"],
            self.orientation, self.turns,
        )  # fmt: skip
        for k, widget in enumerate(self.in_order, 3):
            self.put(grid, widget, k)
        buttons = QHBoxLayout()
        self.add = QPushButton("Add a tool")
        self.add.clicked.connect(self.add_tool)
        self.remove = QPushButton("Take it off the turret")
        self.remove.clicked.connect(self.take_off)
        self.kept = OwnTools(
            self,
            folder / "lathe-tools.toml",
            lambda entry, scale: read_lathe_tool(entry, scale, {}),
            self.take,
            self._chosen,
        )
        for button in (self.add, self.remove, self.kept):
            buttons.addWidget(button)
        buttons.addStretch(1)
        self.box.addLayout(buttons)
        self.box.addStretch(1)

    def _put(self, edit: JobEdit, key: str, value: object) -> None:
        k = self._entry()
        if k is not None:
            edit.put(value, "tool", k, key)

    def _put_kind(self, edit: JobEdit, kind: str) -> None:
        """Another kind of tool at the same station: with figures that such a one needs."""
        k = self._entry()
        if k is None:
            return
        gauge = self._entries()[k].get("gauge")
        edit.put(self._fresh(kind, self.number_chosen, gauge), "tool", k)

    def _fresh(self, kind: str, number: int, gauge: object = None) -> dict[str, object]:
        out: dict[str, object] = {"number": number, "kind": kind}
        f = self.figure
        if kind in ON_AXIS:
            out |= {"DC": f(10.0), "APMX": f(50.0)}
            usual = {"x": 0.0, "z": f(100.0)}
        elif kind in ("grooving", "parting"):
            out |= {"width": f(3.0), "depth": f(20.0 if kind == "parting" else 10.0), "orientation": 3}
            usual = {"x": f(120.0), "z": f(60.0)}
        elif kind == "threading":
            out |= {"SIG": 60.0, "RE": f(0.1), "orientation": 8}
            usual = {"x": f(120.0), "z": f(60.0)}
        else:
            bore = kind == "boring"
            out |= {
                "insert": "C",
                "RE": f(0.4 if bore else 0.8),
                "L": f(6.0 if bore else 12.0),
                "KAPR": 95.0,
                "orientation": 2 if bore else 3,
            }
            usual = {"x": f(10.0 if bore else 120.0), "z": f(120.0 if bore else 60.0)}
        out["gauge"] = gauge if isinstance(gauge, dict) else usual
        return out

    def add_tool(self) -> None:
        """A turning tool at the next free station."""
        free = self._free()
        if free is not None:
            self.add_entry(self._fresh("turning", free), f"added tool {free}")

    def take_off(self) -> None:
        k = self._entry()
        if k is not None:
            number = self.number_chosen
            self.do(lambda edit: edit.drop("tool", k), f"took tool {number} off the turret")

    def refresh(self) -> None:
        job = self.job
        if job is not None and self.number_chosen not in job.bench.tool_names:
            self.number_chosen = min(job.bench.tool_names, default=0)
        super().refresh()
        kind = str(self._get("kind") or "")
        drawn = self._get("outline") is not None
        axis, blade, thread = kind in ON_AXIS, kind in ("grooving", "parting"), kind == "threading"
        seen = {
            "RE": not axis or kind in ("end-mill", "reamer"), "L": not axis and not blade, "DC": axis, "APMX": axis, "width": blade, "depth": blade,
            "KAPR": not axis and not blade and not thread and not drawn and self._get("insert") != "R",
        }  # fmt: skip
        for key, there in seen.items():
            self.fields[key].setVisible(bool(there) and bool(kind))
        self.insert.setVisible(kind in ("turning", "boring") and not drawn)
        self.orientation.setVisible(bool(kind) and not axis)
        # One after the other, with no gaps where this kind has no such figure.
        for k, widget in enumerate((w for w in self.in_order if not w.isHidden()), 3):
            self.put(self.tool_grid, widget, k)
        self.remove.setEnabled(bool(kind))
