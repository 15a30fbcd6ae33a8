"""What holds at this moment, to be read at arm's length."""

from __future__ import annotations

import html

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import PanelHead, figure, label, rule
from underglass.app.style.palette import Palette
from underglass.core.control.motions import Kind
from underglass.core.proof.now import Now, now_at
from underglass.core.units import from_mm, show_clock, show_length

_KIND_WORDS = {
    Kind.RAPID: "rapid",
    Kind.FEED: "feed",
    Kind.ARC_CW: "arc, cw",
    Kind.ARC_CCW: "arc, ccw",
    Kind.DWELL: "dwell",
    Kind.CYCLE_FEED: "cycle, feed",
    Kind.CYCLE_RAPID: "cycle, rapid",
}
_SPINDLE = {"off": "stopped", "clockwise": "cw", "counter-clockwise": "ccw"}


class NowPanel(QWidget):
    """Work, machine and way to go; commanded against real tip; tool, register, spindle, feed, modal words, time."""

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document = document
        self._palette = palette
        self._head = PanelHead("Now")
        self._offset = label("work", quiet=True, pixels=12)
        self._offset.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._work = [figure(pixels=20) for _ in range(3)]
        self._machine = [figure(quiet=True, pixels=12) for _ in range(3)]
        self._to_go = [figure(quiet=True, pixels=12) for _ in range(3)]
        grid = QGridLayout()
        grid.setContentsMargins(12, 5, 10, 7)
        grid.setHorizontalSpacing(5)
        grid.setVerticalSpacing(1)
        grid.addWidget(self._offset, 0, 1)
        for column, text in ((2, "machine"), (3, "to go")):
            head = label(text, quiet=True, pixels=12)
            head.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(head, 0, column)
        for k, axis in enumerate("XYZ"):
            grid.addWidget(label(axis, quiet=True, bold=True, pixels=15), k + 1, 0)
            grid.addWidget(self._work[k], k + 1, 1)
            grid.addWidget(self._machine[k], k + 1, 2)
            grid.addWidget(self._to_go[k], k + 1, 3)
        # Fixed widths, eight places each: nothing may jump or be cut while the figures run.
        for column, width in ((0, 14), (1, 97), (2, 59), (3, 59)):
            grid.setColumnMinimumWidth(column, width)
        grid.setColumnStretch(1, 1)
        self.setMinimumWidth(268)
        self._rows: dict[str, tuple[QLabel, QLabel]] = {}
        tips = self._group(
            ("commanded", "Tip, commanded"), ("real", "Tip, real"), ("tool", "Tool"), ("length", "Length / H")
        )
        cut = self._group(
            ("spindle", "Spindle"),
            ("feed", "Feed"),
            ("surface", "Surface speed"),
            ("chip", "Chip load"),
            ("force", "In force"),
            ("time", "Time"),
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self._head)
        box.addLayout(grid)
        box.addWidget(rule())
        box.addLayout(tips)
        box.addWidget(rule())
        box.addLayout(cut)
        for signal in (document.proof_changed, document.units_changed):
            signal.connect(self.refresh)
        document.moment_changed.connect(self._on_moment_changed)
        self.refresh()

    def _group(self, *rows: tuple[str, str]) -> QGridLayout:
        grid = QGridLayout()
        grid.setContentsMargins(12, 6, 12, 6)
        grid.setVerticalSpacing(3)
        for k, (key, text) in enumerate(rows):
            name, value = label(text), figure()
            value.setTextFormat(Qt.TextFormat.RichText)
            value.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            grid.addWidget(name, k, 0)
            grid.addWidget(value, k, 1)
            self._rows[key] = (name, value)
        grid.setColumnStretch(1, 1)
        return grid

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.refresh()

    def _on_moment_changed(self, _moment: float) -> None:
        self.refresh()

    def value(self, key: str) -> str:
        """The text shown beside a row's name (without its markup), for those who cannot see it and for tests."""
        return self._rows[key][1].toolTip()

    def work_text(self, axis: int) -> str:
        return self._work[axis].text()

    def _put(self, key: str, text: str, plain: str | None = None) -> None:
        value = self._rows[key][1]
        if value.text() != text:
            value.setText(text)
            value.setToolTip(plain if plain is not None else text)

    def refresh(self) -> None:
        """Show the document's moment."""
        proof = self._document.proof
        now = now_at(proof, self._document.moment) if proof is not None else None
        if now is None:
            for figures in (self._work, self._machine, self._to_go):
                for one in figures:
                    one.setText("–")
            for key in self._rows:
                self._put(key, "–")
            self._head.detail.setText("nothing moves yet")
            self._offset.setText("work")
            return
        self._places(now)
        self._tips(now)
        self._cut(now)

    def _places(self, now: Now) -> None:
        unit = self._document.units
        kind = _KIND_WORDS[now.kind] if now.kind is not None else ""
        self._head.detail.setText(f"line {now.line} · {kind}")
        self._offset.setText(f"work {now.state.offset}")
        for k in range(3):
            self._work[k].setText(show_length(now.work[k], unit))
            self._machine[k].setText(show_length(now.machine[k], unit))
            self._to_go[k].setText(show_length(now.to_go[k], unit))

    def _tips(self, now: Now) -> None:
        unit, p = self._document.units, self._palette
        proof = self._document.proof
        limit = proof.job.settings.tolerance.length if proof is not None else 0.0
        commanded, real = show_length(now.tip_commanded, unit), show_length(now.tip_real, unit)
        belief = f'<span style="color:{p.belief}">{{}}</span>'
        self._put("commanded", belief.format(commanded), commanded)
        wrong = abs(now.tip_off) > limit and now.state.h_number is not None
        shown = f'<b style="color:{p.fault}">{real}</b>' if wrong else real
        self._put("real", shown, real)
        name = now.tool.name if now.tool else "none" if not now.state.tool else "not on the bench"
        said = f"T{now.state.tool} · {name}" if now.state.tool else "spindle empty"
        self._put("tool", html.escape(said), said)
        length = show_length(now.tool.length, unit) if now.tool else "–"
        number = now.state.h_number
        register = "none" if number is None else show_length(now.state.h_value, unit)
        self._rows["length"][0].setText("Length, no H" if number is None else f"Length / H{number}")
        self._put("length", f"{length}&nbsp;/&nbsp;{belief.format(register)}", f"{length} / {register}")

    def _cut(self, now: Now) -> None:
        unit = self._document.units
        speed = f"{now.state.speed:g} rpm {_SPINDLE[now.state.spindle]}" if now.state.spindle != "off" else "stopped"
        self._put("spindle", speed)
        if now.feed is None:
            feed = "rapid"
        elif now.feed <= 0.0:
            feed = "none in force"
        else:
            feed = f"{from_mm(now.feed, unit):.4g} {unit}/min"
        self._put("feed", feed)
        surface = f"{now.surface_speed:.0f} m/min" if now.surface_speed else "–"
        tooth = f"{from_mm(now.chip_load, unit):.4f} {unit}" if now.chip_load else "–"
        self._put("surface", surface)
        self._put("chip", tooth)
        # Offset and length register have rows of their own; of the rest, what is not the everyday state.
        usual = ("G17", "G40", "G94", "G98")
        elsewhere = ("G43", "G49", "G54", "G55", "G56", "G57", "G58", "G59")
        words = [w for w in now.state.words if w not in usual and not w.startswith(elsewhere)]
        self._put("force", " ".join((now.state.motion, *words)))
        self._put("time", f"{show_clock(now.elapsed)} of {show_clock(now.total)}")
