"""What is shown in the glass and from where: the buttons in its upper left corner, and the strips they open."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLineEdit, QMenu, QPushButton, QWidget

from underglass.app.glass.camera import VIEW_KEYS
from underglass.app.glass.measuring import MODES
from underglass.app.glass.show_panel import ShowPanel
from underglass.app.glass.widget import Glass
from underglass.app.style.palette import Palette

VIEW_WORDS = (
    ("corner", "Corner"), ("top", "Top"), ("front", "Front"), ("back", "Back"), ("left", "Left"), ("right", "Right"),
)  # fmt: skip


class _Wrapped(QGridLayout):
    """Parts side by side, in as many rows of equally many as the width asks for; then ``last`` has a row of its own."""

    def __init__(self, within: QWidget, spacing: int) -> None:
        super().__init__(within)
        self.setContentsMargins(0, 0, 0, 0)
        self.setSpacing(spacing)
        self.parts: list[QWidget] = []
        self.last: QWidget | None = None
        self._now = (0, False)

    def fit(self, width: int) -> None:
        # Nothing follows the last of a row.
        width += self.spacing()
        sizes = [p.sizeHint().width() + self.spacing() for p in self.parts]
        rows = next((n for n in range(1, len(sizes)) if self._widest(sizes, n) <= width), len(sizes))
        in_row = math.ceil(len(sizes) / rows)
        beside = self.last is not None and rows == 1 and sum(sizes) + self.last.minimumWidth() <= width
        if (in_row, beside) == self._now:
            return
        self._now = (in_row, beside)
        for k, part in enumerate(self.parts):
            self.addWidget(part, k // in_row, k % in_row)
        if self.last is not None:
            self.addWidget(self.last, *((0, in_row, 1, 1) if beside else (rows, 0, 1, in_row)))

    @staticmethod
    def _widest(sizes: list[int], rows: int) -> int:
        """The columns' widths in so many rows: each as wide as its widest part."""
        in_row = math.ceil(len(sizes) / rows)
        return sum(max(sizes[k::in_row]) for k in range(in_row))


class GlassBar(QWidget):
    """Stock and path, where one looks from, what is shown, measuring, pictures. All are in the command palette, too."""

    def __init__(self, glass: Glass, palette: Palette, save_as: Callable[[str], None]) -> None:
        """``save_as`` is told what to save: "png", "stl", "dxf" or "gif"."""
        super().__init__(glass)
        self._glass = glass
        self._palette = palette
        self.setObjectName("glassBar")
        self.move(12, 10)
        self._row = _Wrapped(self, 6)
        self.show_solid = self._button("Solid", "Show the stock  (S)", checkable=True)
        self.show_lines = self._button("Path", "Show the path  (P)", checkable=True)
        self.show_solid.clicked.connect(lambda on: glass.set_shown(solid=on))
        self.show_lines.clicked.connect(lambda on: glass.set_shown(lines=on))
        self.view = self._button("View", "Choose a view; parallel or perspective")
        self.view.setMenu(self._view_menu())
        self.show_more = self._button("Show", "Colours, section, what is hidden", checkable=True)
        self.measure = self._button("Measure", "Measure the stock as it stands  (M)", checkable=True)
        self.picture = self._button("Export", "The picture, the stock as STL, a short animation")
        menu = QMenu(self)
        for kind, words in (("png", "This picture…"), ("stl", "The stock as STL…"), ("gif", "A short animation…")):
            menu.addAction(words, lambda k=kind: save_as(k))
        outlines = menu.addAction("What is left of the sheet as DXF…", lambda: save_as("dxf"))
        menu.aboutToShow.connect(
            lambda: outlines.setVisible(glass.stage.skin is not None and glass.stage.skin.has_outlines)
        )
        self.picture.setMenu(menu)
        self._row.parts += [self.show_solid, self.show_lines, self.view, self.show_more, self.measure, self.picture]
        self.panel = ShowPanel(glass, palette)
        self.show_more.clicked.connect(self._on_show_more)
        self.strip = self._measure_strip()
        self.measure.clicked.connect(lambda on: glass.measuring.choose("distance" if on else ""))
        glass.resized.connect(self.place)
        glass.look_changed.connect(self._on_look_changed)
        self._on_look_changed()

    def _view_menu(self) -> QMenu:
        menu = QMenu(self)
        for name, word in VIEW_WORDS:
            key = next(k for k, view in VIEW_KEYS.items() if view == name)
            menu.addAction(f"From the {word.lower()}\t{key}", lambda n=name: self._glass.view(n))
        menu.addSeparator()
        self.plane = menu.addAction("On the drawing plane, with figures", self._glass.on_the_plane)
        menu.aboutToShow.connect(lambda: self.plane.setVisible(self._glass.stage.skin is not None))
        menu.addAction("Everything\tF", self._glass.fit)
        self.parallel = menu.addAction("Parallel, without perspective")
        self.parallel.setCheckable(True)
        self.parallel.triggered.connect(self._glass.set_parallel)
        return menu

    def _measure_strip(self) -> QWidget:
        strip = QWidget(self._glass)
        strip.setObjectName("glassBar")
        self._measures = _Wrapped(strip, 4)
        self.modes: dict[str, QPushButton] = {}
        for name, word, tip in MODES:
            button = self._button(word, tip, checkable=True)
            button.clicked.connect(lambda _on=False, n=name: self._glass.measuring.choose(n))
            self._measures.parts.append(button)
            self.modes[name] = button
        self.wanted = QLineEdit()
        self.wanted.setPlaceholderText("wanted, as 13 H7")
        self.wanted.setToolTip(
            "What it should be: 13 H7, 25 ±0.02, 25 +0.1 -0.05. Each measurement then says in or out"
        )
        self.wanted.setAccessibleName("Wanted size")
        self.wanted.setFixedWidth(138)
        self.wanted.textEdited.connect(self._on_wanted)
        self._measures.last = self.wanted
        strip.hide()
        return strip

    @staticmethod
    def _button(word: str, tip: str, *, checkable: bool = False) -> QPushButton:
        button = QPushButton(word)
        button.setToolTip(tip)
        button.setCheckable(checkable)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return button

    def _on_wanted(self, text: str) -> None:
        why = self._glass.measuring.want(text)
        self.wanted.setToolTip(why[:1].upper() + why[1:] if why else "Each measurement says whether it is in or out")
        self.wanted.setStyleSheet(f"color: {self._palette.fault};" if why else "")

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.panel.set_palette(palette)
        self.place()

    def _on_show_more(self, on: bool) -> None:
        self.panel.setVisible(on)
        if on:
            self.panel.refresh()
        self.place()

    def open_panel(self) -> None:
        """Show what can be shown and hidden."""
        self.show_more.setChecked(True)
        self._on_show_more(True)
        self.panel.colouring.setFocus()

    def place(self) -> None:
        """Where everything lies in a glass of this size."""
        for row in (self._row, self._measures):
            row.fit(self._glass.width() - 18)
        self.setFixedSize(self.sizeHint())
        self.strip.adjustSize()
        self.strip.move(12, 14 + self.height())
        under = 18 + self.height() + (self.strip.height() + 4 if self.strip.isVisibleTo(self._glass) else 0)
        self.panel.fit(12, under, self._glass.height() - under - 12)
        for part in (self.panel, self.strip, self):
            part.raise_()

    def _on_look_changed(self) -> None:
        self.show_solid.setChecked(self._glass.show_solid)
        self.show_lines.setChecked(self._glass.show_lines)
        self.parallel.setChecked(self._glass.camera.parallel)
        mode = self._glass.measuring.mode
        self.measure.setChecked(bool(mode))
        self.strip.setVisible(bool(mode))
        for name, button in self.modes.items():
            button.setChecked(name == mode)
        self.place()
