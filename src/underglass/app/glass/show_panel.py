"""What the glass shows: colours, section, and what is hidden. A panel over the glass that stays open while one looks."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QFrame, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from underglass.app.glass.colouring import COLOURINGS
from underglass.app.glass.widget import Glass
from underglass.app.parts.basic import emptied, label
from underglass.app.parts.number_field import NumberField
from underglass.app.style.palette import Palette

_WIDE = 256
_FLAGS = (
    ("rapids", "Rapids"),
    ("tool", "The tool"),
    ("fixtures", "Fixtures"),
    ("ghost", "The stock as clamped"),
    ("legend", "What the colours mean"),
    ("lift", "Loose pieces lifted, slugs fall"),
    ("order", "Order of the cuts"),
)
_OF_SHEETS = ("lift", "order")


class ShowPanel(QFrame):
    """Each change is seen at once; nothing needs to be confirmed."""

    def __init__(self, glass: Glass, palette: Palette) -> None:
        super().__init__(glass)
        self._glass = glass
        self._palette = palette
        self.setObjectName("floating")
        self._known: object = None
        self._where = (12, 46, 400)
        self.colouring = QComboBox()
        self.colouring.setAccessibleName("What the colours of cut faces say")
        for name, word in COLOURINGS:
            self.colouring.addItem(word, name)
        self.colouring.activated.connect(lambda _k: glass.show_with(colouring=self.colouring.currentData()))
        self.flags: dict[str, QCheckBox] = {}
        inner = QWidget()
        inner.setObjectName("panel")
        box = QVBoxLayout(inner)
        box.setContentsMargins(12, 10, 12, 10)
        box.setSpacing(6)
        box.addWidget(label("Cut faces coloured by", quiet=True, pixels=12))
        box.addWidget(self.colouring)
        box.addWidget(label("Section across", quiet=True, pixels=12))
        box.addLayout(self._section_row())
        self.at = NumberField("at")
        self.at.typed.connect(glass.sawing.put)
        box.addWidget(self.at)
        box.addWidget(label("Shown", quiet=True, pixels=12))
        for name, word in _FLAGS:
            flag = QCheckBox(word)
            flag.toggled.connect(lambda on, n=name: glass.show_with(**{n: on}))
            self.flags[name] = flag
            box.addWidget(flag)
        self._paths = QVBoxLayout()
        self._paths.setSpacing(4)
        box.addLayout(self._paths)
        box.addStretch(1)
        self._inner = inner
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(1, 1, 1, 1)
        whole.addWidget(area)
        self.hide()
        glass.look_changed.connect(self.refresh)

    def _section_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.axes: list[QPushButton] = []
        for axis, word in ((None, "Off"), (0, "X"), (1, "Y"), (2, "Z")):
            button = QPushButton(word)
            button.setCheckable(True)
            button.setProperty("side", True)
            button.setToolTip(
                "No section" if axis is None else f"Cut square to {word}; drag its grip in the glass  (X)"
            )
            button.clicked.connect(lambda _on=False, a=axis: self._glass.sawing.choose(a))
            self.axes.append(button)
            row.addWidget(button, 1)
        self.flip = QPushButton("Flip")
        self.flip.setProperty("side", True)
        self.flip.setToolTip("Take the other side away")
        self.flip.clicked.connect(lambda: self._glass.sawing.flip())
        row.addWidget(self.flip, 1)
        return row

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.at.set_palette(palette)

    def fit(self, x: int, y: int, room: int) -> None:
        """As high as there is room for."""
        self._where = (x, y, room)
        self._inner.layout().activate()
        self.setGeometry(x, y, _WIDE, max(80, min(self._inner.sizeHint().height() + 4, room)))

    def refresh(self) -> None:
        """Show what is shown."""
        if not self.isVisible():
            return
        showing = self._glass.showing
        skin = self._glass.stage.skin
        for k in range(self.colouring.count()):
            there = skin is None or self.colouring.itemData(k) in skin.colourings
            self.colouring.model().item(k).setEnabled(there)  # type: ignore[attr-defined]
        for k, button in enumerate(self.axes[1:]):
            button.setText("XYZ"[k] if skin is None else skin.axes[k] or "Y")
        self.colouring.setCurrentIndex(self.colouring.findData(showing.colouring))
        for name, flag in self.flags.items():
            flag.setVisible(name not in _OF_SHEETS or (skin is not None and "heat" in skin.colourings))
            flag.blockSignals(True)
            flag.setChecked(bool(getattr(showing, name)))
            flag.blockSignals(False)
        section = showing.section
        for k, button in enumerate(self.axes):
            button.setChecked(k == (0 if section is None else section.axis + 1))
        self.flip.setEnabled(section is not None)
        self.at.setVisible(section is not None)
        if section is not None:
            self.at.show_value(section.at, self._glass.units)
        self._list_paths()
        self.fit(*self._where)

    def _list_paths(self) -> None:
        """A box for every tool and, where they are more than the tools, every operation: its path shown or hidden."""
        stage = self._glass.stage
        proof = stage.proof
        tools = tuple(proof.tool_order) if proof is not None else ()
        titles = tuple(o.title for o in stage.operations)
        showing = self._glass.showing
        known = (tools, titles, showing.hidden_tools, showing.hidden_operations)
        if known == self._known:
            return
        self._known = known
        emptied(self._paths)
        if tools:
            self._paths.addWidget(label("Path of", quiet=True, pixels=12))
        for number in tools:
            box = QCheckBox(f"T{number}")
            box.setChecked(number not in showing.hidden_tools)
            box.toggled.connect(lambda on, n=number: self._put("hidden_tools", n, on))
            self._paths.addWidget(box)
        if len(titles) > len(tools):
            self._paths.addWidget(label("Path of the operation", quiet=True, pixels=12))
            for k, title in enumerate(titles[:60]):
                box = QCheckBox(self.fontMetrics().elidedText(title, Qt.TextElideMode.ElideRight, _WIDE - 60))
                box.setToolTip(title)
                box.setChecked(k not in showing.hidden_operations)
                box.toggled.connect(lambda on, n=k: self._put("hidden_operations", n, on))
                self._paths.addWidget(box)

    def _put(self, name: str, number: int, on: bool) -> None:
        old: frozenset[int] = getattr(self._glass.showing, name)
        new = old - {number} if on else old | {number}
        tools, titles, *_rest = self._known  # type: ignore[misc]
        showing = self._glass.showing
        hidden = {"hidden_tools": showing.hidden_tools, "hidden_operations": showing.hidden_operations, name: new}
        # The boxes stand as they were clicked: nothing is listed anew.
        self._known = (tools, titles, hidden["hidden_tools"], hidden["hidden_operations"])
        self._glass.show_with(**{name: new})
