"""The compensation lens: what it shows in words, and the sliders for D, the real cutter and the overrun."""

from __future__ import annotations

import html

from PySide6.QtCore import QSignalBlocker, Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSlider, QWidget

from underglass.app.background import Background, Cancel
from underglass.app.document import Document
from underglass.app.parts.basic import rich
from underglass.app.parts.number_field import NumberField
from underglass.app.prove.lens_view import LensView
from underglass.app.prove.page import ProvePage
from underglass.app.style.palette import Palette
from underglass.core.control.motions import PLANE_AXES
from underglass.core.proof.lens import Lens, Place, cut_by_others, look, place_of
from underglass.core.proof.lens_ways import NAMES, PLAN, lens_ways, stretches_of
from underglass.core.proof.level_runs import Region
from underglass.core.proof.proof import Proof
from underglass.core.units import Unit, show_length

_STEPS = 400


class Try(QWidget):
    """A figure with a slider under it; ``value`` is None while it is left as it holds."""

    def __init__(self, word: str, changed: object) -> None:
        super().__init__()
        self.field = NumberField(word)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _STEPS)
        self.slider.setAccessibleName(word)
        self.slider.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.value: float | None = None
        self._low, self._high = 0.0, 1.0
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.field, 4)
        row.addWidget(self.slider, 5, Qt.AlignmentFlag.AlignBottom)
        self._changed = changed
        self.field.typed.connect(self._on_typed)
        self.slider.valueChanged.connect(self._on_slid)

    def show_value(self, value: float, low: float, high: float, unit: object) -> None:
        self._low, self._high = low, high
        with QSignalBlocker(self.slider):
            self.slider.setValue(round((value - low) / max(high - low, 1e-9) * _STEPS))
        self.field.show_value(value, unit)  # type: ignore[arg-type]

    def _on_typed(self, value: float) -> None:
        self.value = value
        self._changed()  # type: ignore[operator]

    def _on_slid(self, step: int) -> None:
        self.value = self._low + (self._high - self._low) * step / _STEPS
        self._changed()  # type: ignore[operator]


def _place_said(lens: Lens, at: tuple[float, float], unit: Unit) -> str:
    return " ".join(f"{axis.name} {show_length(axis.factor * v, unit)}" for axis, v in zip(lens.axes, at))


class LensPage(ProvePage):
    """About the stretch at the cursor, or the one that is run at this moment. ``looked``: the picture is there."""

    looked = Signal()

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(document, palette, parent)
        self.view = LensView(palette)
        self.view.line_picked.connect(document.select_line)
        self.lens: Lens | None = None
        self._place: Place | None = None
        self._unit = document.units
        self._by = 2.0
        self._others: tuple[tuple[Proof, Place], Region] | None = None
        self._work = Background("lens", self)
        self._work.done.connect(self._on_seen)
        self._work.failed.connect(lambda why: self.said.setText(html.escape(why)))
        self._proof: object = self  # nothing has been looked at yet
        self.told = Try("D (diameter)", self._on_tried)
        self.real = Try("Real diameter", self._on_tried)
        self.over = Try("Overrun", self._on_tried)
        self.back = QPushButton("Reset")
        self.back.setToolTip("Put D, diameter and overrun back to what the job says")
        self.back.clicked.connect(self.put_back)
        self.said.linkActivated.connect(lambda link: document.select_line(int(link)))
        self.head = rich(13)
        for part in (self.head, self.told, self.real, self.over, self.back, self.said):
            self.box.addWidget(part)
        self.box.addStretch(1)
        self._tried = QTimer(self)
        self._tried.setSingleShot(True)
        self._tried.setInterval(15)
        self._tried.timeout.connect(self._look_anew)
        document.line_changed.connect(self.later)
        document.moment_changed.connect(self._on_moment)

    def put_back(self) -> None:
        """As the job has it."""
        for one in (self.told, self.real, self.over):
            one.value = None
        self._look_anew()

    def _look_anew(self) -> None:
        if self.document.proof is self._proof:
            self._look()
        else:
            self.refresh()

    def set_palette(self, palette: Palette) -> None:
        super().set_palette(palette)
        self.view.set_palette(palette)
        for one in (self.told, self.real, self.over):
            one.field.set_palette(palette)

    def _on_tried(self) -> None:
        self._tried.start()

    def _on_moment(self, _moment: float) -> None:
        if self.isVisible() and self.lens is not None:
            self.view.tip = self._tip()
            self.view.update()

    def refresh(self) -> None:
        proof, line = self.document.proof, self.document.line
        place = place_of(proof, line) if proof is not None else None
        unit_changed, self._unit = self.document.units != self._unit, self.document.units
        if place != self._place or proof is not self._proof or unit_changed:
            if place != self._place:
                for one in (self.told, self.real, self.over):
                    one.value = None
            self._place, self._proof = place, proof
            self._look()
        elif self.lens is not None:
            self._show(self.lens)

    def _look(self) -> None:
        proof = self.document.proof
        for one in (self.head, self.told, self.real, self.over, self.back):
            one.setVisible(proof is not None and self._place is not None)
        if proof is None or self._place is None:
            self._work.cancel()
            self.lens = None
            empty = (
                "No radius compensation from here on: nothing for the lens."
                if proof is not None
                else "The lens shows compensated contours of a proved program."
            )
            self.said.setText(empty)
            self.view.show_lens(None, 0, self.document.units, None, empty)
            return
        halves = [one.value / self._by if one.value is not None else None for one in (self.told, self.real)]
        halves = [h if h is None or h > 0.0 else 0.0 for h in halves]
        over = max(self.over.value or 0.0, 0.0)
        asked, known, unit = (proof, self._place), self._others, self.document.units

        def work(_cancelled: Cancel) -> object:
            # What other passes cut is the same whatever is tried.
            others = (
                known[1]
                if known is not None and known[0][0] is asked[0] and known[0][1] == asked[1]
                else cut_by_others(*asked)
            )
            return asked, others, look(*asked, halves[0], halves[1], over, others, unit)

        if self.lens is None:
            self.head.setText("Working it out…")
            self.said.setText("")
            for one in (self.told, self.real, self.over, self.back):
                one.setVisible(False)
        self._work.ask(work)

    def _on_seen(self, answer: object) -> None:
        assert isinstance(answer, tuple)
        asked, others, lens = answer
        if asked[0] is self.document.proof and asked[1] == self._place:
            self._others, self.lens = (asked, others), lens
            self._show(lens)
            self.looked.emit()

    def _tip(self) -> tuple[float, float] | None:
        """The cutter's centre now, in the plane's axes under the stretch's offset; None while another stretch runs."""
        proof = self.document.proof
        if proof is None or proof is not self._proof or self._place is None or not len(proof.motions):
            return None
        stretch = stretches_of(proof)[self._place.stretch]
        move, share = proof.timing.locate(self.document.moment)
        if not int(stretch.first[0]) <= move <= stretch.end_move:
            return None
        at = proof.motions.at(move, share)
        u, v, _w = PLANE_AXES[stretch.plane]
        off = self.lens.tip_off if self.lens is not None else (0.0, 0.0)
        return (at[u] - stretch.shift[u] + off[0], at[v] - stretch.shift[v] + off[1])

    def _show(self, lens: Lens) -> None:
        unit, p, document = self.document.units, self.palette_, self.document
        if not self.isVisible():
            return
        self._by = 2.0 if lens.axes == PLAN else 1.0
        ways = lens_ways(document.proof) if document.proof is not None else None
        for one, name in zip((self.told, self.real), ways.names if ways is not None else NAMES):
            one.field.set_word(name)
        d, real = lens.told * self._by, lens.real * self._by
        span = max(1.0, 0.2 * max(d, real))
        self.told.show_value(d, max(0.0, real - span), real + span, unit)
        self.real.show_value(real, max(0.1, d - span), d + span, unit)
        self.over.show_value(lens.overrun, 0.0, max(d, 4.0), unit)
        for one in (self.told, self.real, self.back):
            one.setVisible(True)
        # Where nothing is compensated there is no figure of the control's to try.
        self.told.setVisible(lens.told > 0.0 or self.told.value is not None)
        self.over.setVisible(lens.closed)
        tried = any(one.value is not None for one in (self.told, self.real, self.over))
        self.back.setEnabled(tried)
        span_of = f"<b>Lines {lens.lines[0]} to {lens.lines[1]}</b>"
        self.head.setText(span_of + (self.quiet(" · tried, not in the job") if tried else ""))
        out = []
        for what, colour, none in (
            ("bitten", p.fault, "Nothing is cut beyond the contour."),
            ("left", p.caution, "Nothing is left beside it."),
        ):
            patches = [q for q in lens.patches if q.what == what]
            if not patches:
                out.append(f"<p>{self.quiet(none)}</p>")
                continue
            rows = [
                (
                    f'<a href="{q.line}" style="color:{p.active}">line {q.line}</a> {_place_said(lens, q.at, unit)}',
                    f'<b style="color:{colour}">{show_length(q.size, unit)}</b>',
                )
                for q in patches[:6]
            ]
            word = "Gouged" if what == "bitten" else "Left standing"
            out.append(f'<p style="color:{colour}"><b>{word}, {unit}</b></p>' + self.table(rows))
        out += [f"<p>{html.escape(words)}</p>" for words in lens.words]
        out += [f'<p style="color:{p.fault}">{html.escape(t[:1].upper() + t[1:])}.</p>' for t in lens.troubles]
        here = [c for c in lens.corners if c.line == document.line] or list(lens.corners[:4])
        for corner in here:
            out.append(
                f'<p><a href="{corner.line}" style="color:{p.active}">Before line {corner.line}</a>: {html.escape(corner.words)}.</p>'
            )
        self.said.setText("".join(out))
        self.view.show_lens(lens, document.line, unit, self._tip())
