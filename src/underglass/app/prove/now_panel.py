"""What is active at this moment, to be read at arm's length."""

from __future__ import annotations

import html

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import column, figure, label, rule
from underglass.app.style.palette import Palette
from underglass.core.control.motions import Kind
from underglass.core.proof.now import Now, now_at
from underglass.core.proof.outputs import OwnNow, outputs_of
from underglass.core.units import from_mm, show_clock, show_length, show_surface

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


_HELD = ("commanded", "real", "offset", "tool", "length", "radius")
_CUT = ("spindle", "feed", "surface", "force", "time")


class NowPanel(QWidget):
    """Work, machine and way to go; commanded against real tip; tool, register, spindle, feed, modal words, time."""

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document = document
        self._palette = palette
        self._head = label(quiet=True)
        self._block, self._next = figure(pixels=13), figure(quiet=True, pixels=12)
        for one in (self._block, self._next):
            one.setAlignment(Qt.AlignmentFlag.AlignLeft)
            one.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._work = [figure(pixels=20) for _ in range(3)]
        self._machine = [figure(quiet=True, pixels=12) for _ in range(3)]
        self._to_go = [figure(quiet=True, pixels=12) for _ in range(3)]
        grid = QGridLayout()
        grid.setContentsMargins(12, 5, 10, 7)
        grid.setHorizontalSpacing(5)
        grid.setVerticalSpacing(1)
        grid.addWidget(self._head, 0, 0, 1, 2)
        for nth, text in ((2, "machine"), (3, "to go")):
            head = label(text, quiet=True, pixels=12)
            head.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(head, 0, nth)
        self._axes = [label(axis, quiet=True, bold=True, pixels=15) for axis in "XYZ"]
        for k in range(3):
            grid.addWidget(self._axes[k], k + 1, 0)
            grid.addWidget(self._work[k], k + 1, 1)
            grid.addWidget(self._machine[k], k + 1, 2)
            grid.addWidget(self._to_go[k], k + 1, 3)
        # Fixed widths, eight places each: nothing may jump or be cut while the figures run.
        for nth, width in ((0, 14), (1, 97), (2, 59), (3, 59)):
            grid.setColumnMinimumWidth(nth, width)
        grid.setColumnStretch(1, 1)
        self.setMinimumWidth(268)
        self._rows: dict[str, tuple[QLabel, QLabel]] = {}
        self._names: dict[str, str] = {}
        tips = self._group(
            ("commanded", "Tip Z, commanded"),
            ("real", "Tip Z, actual"),
            ("offset", "Offset"),
            ("tool", "Tool"),
            ("length", "Length / H"),
            ("radius", "Radius / D"),
        )
        cut = self._group(
            ("spindle", "Spindle"),
            ("feed", "Feed"),
            ("surface", "Speed, chip load"),
            ("force", "Active"),
            ("time", "Elapsed, left"),
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addLayout(grid)
        box.addWidget(rule())
        box.addLayout(tips)
        box.addWidget(rule())
        box.addLayout(cut)
        box.addWidget(rule())
        box.addLayout(column(self._block, self._next, margins=(12, 6, 12, 6), spacing=2))
        box.addStretch(1)
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
            self._names[key] = text
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
        own = outputs_of(proof) if proof is not None else None
        if proof is not None and own is not None:
            found = own.now(proof, self._document.moment)
            if found is not None:
                self._show_own(found)
                return
        now = now_at(proof, self._document.moment) if proof is not None and own is None else None
        if now is None:
            for figures in (self._work, self._machine, self._to_go):
                for one in figures:
                    one.setText("–")
            for key in self._rows:
                self._put(key, "–")
            self._head.setText("nothing moves yet")
            self._block.setText("")
            self._next.setText("")
            return
        if self._axes[2].isHidden() or self._rows["real"][0].text() != self._names["real"]:
            self._as_usual()
        self._places(now)
        self._tips(now)
        self._cut(now)

    def _show_own(self, now: OwnNow) -> None:
        """What a trade says in its own way."""
        unit, p = self._document.units, self._palette
        self._heads(now.line, now.next_line, now.kind)
        for k, figures in enumerate(zip(self._axes, self._work, self._machine, self._to_go)):
            there = k < len(now.axes)
            for one in figures:
                one.setVisible(there)
            if there:
                name, *values = now.axes[k]
                figures[0].setText(name)
                for one, value in zip(figures[1:], values):
                    one.setText(show_length(value, unit))
        for keys, rows in ((_HELD, now.held), (_CUT, now.cut)):
            for k, key in enumerate(keys):
                there = k < len(rows)
                for one in self._rows[key]:
                    one.setVisible(there)
                if there:
                    row = rows[k]
                    colour = p.fault if row.wrong else p.belief if row.belief else ""
                    text = html.escape(row.figure).replace(" ", "&nbsp;")
                    shown = f'<span style="color:{colour}">{text}</span>' if colour else text
                    self._rows[key][0].setText(row.name)
                    self._put(key, f"<b>{shown}</b>" if row.wrong else shown, row.figure)

    def _heads(self, line: int, after: int | None, kind: Kind | None) -> None:
        """The block that is run, and the next one that moves."""
        lines = self._document.lines
        self._head.setText(f"line {line} · {_KIND_WORDS[kind] if kind is not None else ''}")
        self._block.setText(lines[line - 1].strip() if 0 < line <= len(lines) else "")
        there = after is not None and after <= len(lines)
        self._next.setText(f"next  {lines[after - 1].strip()}" if there and after is not None else "next  –")

    def _as_usual(self) -> None:
        """The rows of a mill stand again."""
        for k, axis in enumerate("XYZ"):
            self._axes[k].setText(axis)
            for one in (self._axes[k], self._work[k], self._machine[k], self._to_go[k]):
                one.setVisible(True)
        for key, (name, value) in self._rows.items():
            name.setText(self._names[key])
            name.setVisible(True)
            value.setVisible(True)

    def _places(self, now: Now) -> None:
        unit = self._document.units
        self._heads(now.line, now.next_line, now.kind)
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
        out = now.offset_out
        off = [f"{axis} {show_length(v, unit)}" for axis, v in zip("XYZ", out or ()) if abs(v) > limit]
        words = f"{now.state.offset} " + (
            "not on the bench" if out is None else f"out by {' '.join(off)}" if off else "true"
        )
        name_of, place = f'<span style="color:{p.belief}">{now.state.offset}</span>', words[len(now.state.offset) :]
        self._put(
            "offset", name_of + (f'<b style="color:{p.fault}">{place}</b>' if off or out is None else place), words
        )
        d_number = now.state.d_number if now.state.comp != "off" else None
        name, value = self._rows["radius"]
        name.setVisible(d_number is not None)
        value.setVisible(d_number is not None)
        if d_number is not None:
            real_r = show_length(now.radius_real, unit) if now.radius_real is not None else "–"
            told = show_length(now.state.d_value, unit)
            name.setText(f"Radius / D{d_number} {now.state.comp}")
            self._put("radius", f"{real_r}&nbsp;/&nbsp;{belief.format(told)}", f"{real_r} / {told}")
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
        surface = show_surface(now.surface_speed, unit) if now.surface_speed else "–"
        tooth = f"{from_mm(now.chip_load, unit):.4f} {unit}" if now.chip_load else "–"
        self._put("surface", f"{surface} · {tooth}" if now.chip_load else surface)
        # Offset and length register have rows of their own; of the rest, what is not the everyday state.
        usual = ("G17", "G40", "G94", "G98")
        elsewhere = ("G43", "G49", "G54", "G55", "G56", "G57", "G58", "G59")
        words = [w for w in now.state.words if w not in usual and not w.startswith(elsewhere)]
        self._put("force", " ".join((now.state.motion, *words)))
        self._put("time", f"{show_clock(now.elapsed)} · {show_clock(max(now.total - now.elapsed, 0.0))}")
