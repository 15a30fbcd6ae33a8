"""What if a register, or the real thing, were different: from where to where the program survives, and what happens at any figure."""

from __future__ import annotations

import html

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from underglass.app.background import Background
from underglass.app.document import Document
from underglass.app.parts.basic import rich
from underglass.app.setup.rows_view import shown
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.proof.belief import Row
from underglass.core.proof.bench_rows import SideOf
from underglass.core.proof.margins import Range, Trouble, in_short, nearest, quick, survival, with_value
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.units import show_length

_ROOM = 1.3
_STEP_MM = 0.05


class Slider(QWidget):
    """The figure's range: where the program survives is a green band, how it stands a brass mark, the trial a blue one."""

    tried = Signal(float)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.low, self.high = 0.0, 1.0
        self.band: tuple[float, float] | None = None
        self.stands: float | None = None
        self.trial: float | None = None
        self.shown = str
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFixedHeight(40)
        self.setAccessibleName("Try another figure")

    def sizeHint(self) -> QSize:
        return QSize(400, 40)

    def _x(self, value: float) -> float:
        return 12.0 + (value - self.low) / max(self.high - self.low, 1e-9) * (self.width() - 24.0)

    def _value(self, x: float) -> float:
        share = min(max((x - 12.0) / max(self.width() - 24.0, 1.0), 0.0), 1.0)
        return self.low + share * (self.high - self.low)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        p = self.palette_
        y = 13.0
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(p.rule))
        painter.drawRoundedRect(QRectF(12, y - 2, self.width() - 24, 4), 2, 2)
        painter.setFont(number_font(11))
        if self.band is not None:
            a, b = (min(max(self._x(v), 12.0), self.width() - 12.0) for v in self.band)
            painter.setBrush(QColor(p.note))
            painter.drawRoundedRect(QRectF(a, y - 3, max(b - a, 2.0), 6), 2, 2)
        if self.stands is not None:
            x = self._x(self.stands)
            painter.setBrush(QColor(p.belief))
            painter.drawRect(QRectF(x - 2, y - 9, 4, 18))
        if self.trial is not None:
            x = self._x(self.trial)
            painter.setBrush(QColor(p.active))
            painter.drawEllipse(QPointF(x, y), 7.0, 7.0)
            text = self.shown(self.trial)
            wide = painter.fontMetrics().horizontalAdvance(text)
            painter.setPen(QColor(p.active))
            painter.drawText(QPointF(min(max(x - wide / 2, 2.0), self.width() - wide - 2.0), y + 23), text)
        if self.hasFocus():
            painter.setPen(QPen(QColor(p.active), 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        painter.end()

    def try_value(self, value: float) -> None:
        """Try a figure, mm as the row shows it."""
        self.trial = value
        self.update()
        self.tried.emit(value)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.try_value(self._value(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.try_value(self._value(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        way = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Right: 1.0, Qt.Key.Key_PageDown: -20.0, Qt.Key.Key_PageUp: 20.0}.get(
            Qt.Key(event.key())
        )
        start = self.trial if self.trial is not None else self.stands
        if way is None or start is None:
            super().keyPressEvent(event)
            return
        self.try_value(min(max(start + way * _STEP_MM, self.low), self.high))


class WhatIf(QWidget):
    """Under the comparison: about the row with the cursor. ``set_asked`` brings (row, side, mm)."""

    set_asked = Signal(object, str, float)
    line_chosen = Signal(int)
    ranged = Signal()
    judged = Signal()

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__()
        self._document = document
        self.palette_ = palette
        self.row: Row | None = None
        self.side: SideOf = "belief"
        self.range: Range | None = None
        self.trial: Proof | None = None
        self._asked_for: tuple[object, ...] = ()
        self.setObjectName("sunk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.sentence = rich()
        self.sentence.linkActivated.connect(lambda link: self.line_chosen.emit(int(link)))
        self.slider = Slider(palette)
        self.slider.tried.connect(self._on_tried)
        self.ends = rich(12)
        self.ends.linkActivated.connect(lambda link: self.line_chosen.emit(int(link)))
        self.control = QPushButton("in the control")
        self.bench = QPushButton("on the bench")
        self.set_it = QPushButton("Use this value")
        self.set_it.setToolTip("Take the figure that is tried")
        self.set_it.clicked.connect(self._on_set)
        self.back = QPushButton("Reset")
        self.back.clicked.connect(self._on_back)
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(self.sentence, 1)
        for button, side in ((self.control, "belief"), (self.bench, "truth")):
            button.setCheckable(True)
            button.setProperty("page", True)
            button.clicked.connect(lambda _c=False, s=side: self.choose_side(s))
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
        under = QHBoxLayout()
        under.setSpacing(4)
        under.addWidget(self.ends, 1)
        under.addWidget(self.back, 0, Qt.AlignmentFlag.AlignTop)
        under.addWidget(self.set_it, 0, Qt.AlignmentFlag.AlignTop)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 8, 12, 8)
        box.setSpacing(2)
        box.addLayout(row)
        box.addWidget(self.slider)
        box.addLayout(under)
        self._ranges = Background("what if, range", self)
        self._ranges.done.connect(self._on_range)
        self._ranges.failed.connect(lambda _why: self._tell())
        self._trials = Background("what if, trial", self)
        self._trials.done.connect(self._on_trial)
        document.job_changed.connect(self.stop)

    # -- asking --------------------------------------------------------------------------------------------------------

    def stop(self) -> None:
        """Let go of what is being worked out."""
        self._ranges.cancel()
        self._trials.cancel()
        self.row, self.range, self.trial, self._asked_for = None, None, None, ()
        self._tell()

    @property
    def busy(self) -> bool:
        return self._ranges.busy or self._trials.busy

    def show_row(self, row: Row | None) -> None:
        """Ask about another row; the same one again only where the job or the program has changed."""
        if self.row is None or row is None or (row.group, row.key, row.axis, row.tool) != (
            self.row.group, self.row.key, self.row.axis, self.row.tool
        ):  # fmt: skip
            self.trial, self.slider.trial = None, None
        self.row = row
        if row is not None and row.truth is None and self.side == "truth":
            self.side = "belief"
        self._ask()

    def choose_side(self, side: SideOf) -> None:
        """Vary what the control holds, or what is really there."""
        self.side = side
        self.trial, self.slider.trial = None, None
        self._ask()

    def _askable(self) -> bool:
        row = self.row
        if row is None or row.truth is None or row.belief is None or row.key == "rotation":
            return False
        if row.group == "left" and self.side == "truth":
            return False
        return self.side == "belief" or row.group == "work" or bool(row.real)

    def _ask(self) -> None:
        document, row, side = self._document, self.row, self.side
        job, proof = document.job, document.proof
        if not self._askable() or job is None or proof is None or row is None:
            self._ranges.cancel()
            self.range, self._asked_for = None, ()
            self._tell()
            return
        asked = (job, proof.source, row.group, row.key, row.axis, row.tool, side)
        if (
            self._asked_for
            and all(a is b or a == b for a, b in zip(asked[2:], self._asked_for[2:]))
            and (asked[0] is self._asked_for[0] and asked[1] is self._asked_for[1])
        ):
            self._tell()
            return
        self._asked_for = asked
        self.range = None
        source = proof.source
        self._ranges.ask(lambda cancelled: survival(job, source, row, side, cancelled))
        self._tell()

    def _on_range(self, answer: object) -> None:
        if isinstance(answer, Range):
            self.range = answer
            self._tell()
            self.ranged.emit()

    def _on_tried(self, value: float) -> None:
        document, row, side = self._document, self.row, self.side
        job, proof = document.job, document.proof
        if not self._askable() or job is None or proof is None or row is None:
            return
        trial, source = quick(with_value(job, row, value, side)), proof.source
        self._trials.ask(lambda cancelled: prove(trial, source, cancelled=cancelled))
        self._tell()

    def _on_trial(self, answer: object) -> None:
        if isinstance(answer, Proof):
            self.trial = answer
            self._tell()
            self.judged.emit()

    def _on_set(self) -> None:
        if self.row is not None and self.slider.trial is not None:
            value = self.slider.trial
            self.trial, self.slider.trial = None, None
            self.set_asked.emit(self.row, self.side, round(value, 4))

    def _on_back(self) -> None:
        self._trials.cancel()
        self.trial, self.slider.trial = None, None
        self._tell()

    # -- telling -------------------------------------------------------------------------------------------------------

    def _link(self, trouble: Trouble) -> str:
        p = self.palette_
        # An axis stays a capital: X leaves the machine's travel.
        begin = trouble.said[:1].lower() if trouble.said[1:2].islower() else trouble.said[:1]
        said = html.escape(begin + trouble.said[1:])
        return (
            f'<span style="color:{p.severity(trouble.severity)}">{said}</span> at '
            f'<a style="color:{p.active}" href="{trouble.line}">line {trouble.line}</a>'
        )

    def _tell(self) -> None:
        p, unit, row = self.palette_, self._document.units, self.row
        self.control.setChecked(self.side == "belief")
        self.bench.setChecked(self.side == "truth")
        can = self._askable()
        for part in (self.slider, self.control, self.bench):
            part.setVisible(can or (row is not None and row.belief is not None and part is not self.slider))
        if row is None or not can:
            words = "Click a row to see how far its value may be out before the program crashes." if row is None else (
                "A rotation is not tried here." if row.key == "rotation" else
                "This has only one side: there is nothing to compare it with."
            )  # fmt: skip
            self.sentence.setText(f'<span style="color:{p.quiet}">{words}</span>')
            self.ends.setText("")
            self.slider.hide()
            for button in (self.set_it, self.back, self.control, self.bench):
                button.hide()
            return
        stands = row.belief if self.side == "belief" else row.truth
        assert stands is not None
        name = row.key + (f" {row.axis.upper()}" if row.axis else "")
        if row.group == "touched":
            name = f"Z touched off with {row.key}"
        if self.side == "truth":
            of = {
                "length": f"gauge {row.axis.upper()}" if row.axis else "length",
                "touched": "Z",
                "radius": "radius",
            }.get(row.group, "")
            name = f"the real {of} of T{row.real}" if of else f"the real {row.what}"

        def figure(value: float) -> str:
            colour = p.belief if self.side == "belief" else p.text
            return f"<span style=\"font-family:'JetBrains Mono'; color:{colour}\">{shown(row, value, unit)}</span>"

        found = self.range
        if found is None:
            self.sentence.setText(
                f"What if <b>{name}</b> were different? It stands at {figure(stands)}. "
                f'<span style="color:{p.quiet}">Working out how far it may go\u2026</span>'
            )
            self.ends.setText("")
            low, high = stands - 10.0, stands + 10.0
            self.slider.band = None
        else:
            low_said = figure(found.low.value) if found.low.beyond else f"below {figure(found.low.value)}"
            high_said = figure(found.high.value) if found.high.beyond else f"above {figure(found.high.value)}"
            verdict = "" if found.survives else f' <b style="color:{p.fault}">\u25a0 outside</b>'
            if found.survives and row.wrong and row.off is not None:
                verdict = f' <b style="color:{p.fault}">\u25a0 no crash, but the part is wrong by that amount</b>'
            self.sentence.setText(
                f"What if <b>{name}</b> were different? Safe from {low_said} to {high_said}. "
                f"Now {figure(found.stands)}.{verdict}"
            )
            said = [
                f"{word}: {self._link(end.beyond)}."
                for word, end in (("Below", found.low), ("Above", found.high))
                if end.beyond
            ]
            self.ends.setText(" ".join(said) or "Nothing goes wrong within 50 mm either way.")
            self.slider.band = (found.low.value, found.high.value)
            ends = [e.value if e.beyond else stands + way * 20.0 for e, way in ((found.low, -1.0), (found.high, 1.0))]
            middle = (min(*ends, stands) + max(*ends, stands)) / 2.0
            half = max((max(*ends, stands) - min(*ends, stands)) / 2.0 * _ROOM, 0.5)
            low, high = middle - half, middle + half
        self.slider.shown = lambda value: shown(row, value, unit)  # type: ignore[assignment]
        self.slider.low, self.slider.high, self.slider.stands = low, high, stands
        self.slider.update()
        trying = self.slider.trial is not None
        self.set_it.setVisible(trying)
        self.back.setVisible(trying)
        if trying:
            self.ends.setText(self._trial_said())

    def _trial_said(self) -> str:
        proof, unit, p = self.trial, self._document.units, self.palette_
        assert self.slider.trial is not None and self.row is not None
        at = f"At <span style=\"font-family:'JetBrains Mono'\">{shown(self.row, self.slider.trial, unit)}</span>: "
        if self._trials.busy or proof is None:
            return at + f'<span style="color:{p.quiet}">working\u2026</span>'
        grave = [f for f in proof.to_mend if f.severity.word in ("crash", "fault")]
        said = f"{len(grave)} found, {self._link(in_short(grave[0]))}" if grave else "no crash, no fault"
        close = nearest(proof)
        if close is not None:
            said += (
                f"; closest {show_length(close.distance_mm, unit)} from {close.part} to {close.to}, "
                f'<a style="color:{p.active}" href="{close.line}">line {close.line}</a>'
            )
        return at + said + "."

    def set_palette(self, palette: Palette) -> None:
        self.palette_ = self.slider.palette_ = palette
        self._tell()
