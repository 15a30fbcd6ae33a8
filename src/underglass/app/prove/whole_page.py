"""The whole program at a glance: extents, margins, tools, offsets, speeds and feeds, times, closest approaches."""

from __future__ import annotations

import html

from PySide6.QtWidgets import QWidget

from underglass.app.background import Background, Cancel
from underglass.app.document import Document
from underglass.app.prove.page import ProvePage
from underglass.app.style.palette import Palette
from underglass.core.proof.outputs import outputs_of
from underglass.core.proof.proof import Proof
from underglass.core.proof.summary import Extents, Range, Summary, summarise
from underglass.core.units import Unit, from_mm, show_clock, show_length

_MARGINS = (("left", "left"), ("right", "right"), ("front", "front"), ("back", "back"), ("bottom", "below"))
_APPROACHES = 12


class WholePage(ProvePage):
    """Worked out beside the window; links go to lines."""

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(document, palette, parent)
        self.summary: Summary | list[tuple[str, list[tuple[str, str]]]] | None = None
        self._of: Proof | None = None
        self._work = Background("summary", self)
        self._work.done.connect(self._on_summary)
        self.said.linkActivated.connect(lambda link: document.select_line(int(link)))
        self.box.addWidget(self.said)
        self.box.addStretch(1)

    def refresh(self) -> None:
        proof = self.document.proof
        if proof is None:
            self.summary, self._of = None, None
            self.said.setText("The whole program stands here when it has been proved.")
        elif proof is not self._of:
            self._of = proof

            def work(_cancelled: Cancel, asked: Proof = proof) -> object:
                own = outputs_of(asked)
                return asked, own.whole(asked) if own is not None else summarise(asked)

            self._work.ask(work)
        elif self.summary is not None:
            self._show(proof, self.summary)

    def _on_summary(self, answer: object) -> None:
        assert isinstance(answer, tuple)
        proof, summary = answer
        if proof is self.document.proof:
            self.summary = summary
            self._show(proof, summary)

    def _show(self, proof: Proof, s: Summary | list[tuple[str, list[tuple[str, str]]]]) -> None:
        if isinstance(s, list):
            shown = [part for title, rows in s for part in (self.head(title), self.table(rows))]
            self.said.setText("".join(shown))
            return
        unit = self.document.units
        margin = _APPROACHES

        def said(mm: float) -> str:
            return show_length(mm, unit)

        out = [self.head("Time"), self.table(self._times(proof, s))]
        if s.cutting is not None:
            out += [self.head(f"The cutting tip goes, {unit}"), self.table(self._extents(s.cutting, unit))]
        if s.margins is not None:
            rows = []
            for name, word in _MARGINS:
                value = float(getattr(s.margins, name))
                past = f'<span style="color:{self.palette_.belief}">past it by {said(-value)}</span>'
                rows.append((word, said(value) if value >= 0.0 else past))
            out += [self.head(f"Room to the stock's sides, {unit}"), self.table(rows)]
        out.append(self.head("Tools"))
        for t in s.tools:
            registers = " ".join([f"H{n}" for n in t.lengths] + [f"D{n}" for n in t.radii])
            low = f"Z {said(t.lowest)}" if t.lowest is not None else "cuts nothing"
            title = f'<a href="{t.first_line}" style="color:{self.palette_.active}">T{t.number}</a> {html.escape(t.name)} {from_mm(t.diameter, unit):.4g}'
            out.append(
                self.table([
                    (title, show_clock(t.time_s)),
                    (f"{registers} · lowest", low),
                    ("S · F", f"{_range(t.speeds)} · {_range(t.feeds, unit)}"),
                ])
            )  # fmt: skip
        control = [("offsets", " ".join(s.offsets)), ("S", _range(s.speeds)), ("F", _range(s.feeds, unit))]
        control += [("stops", str(s.stops)), ("lines · moves", f"{s.lines:,} · {s.moves:,}")]
        out += [self.head("Control"), self.table(control)]
        if s.never_run:
            where = ", ".join(f'<a href="{n}" style="color:{self.palette_.active}">{n}</a>' for n in s.never_run[:8])
            out.append(f"<p>Never run: line {where}{' …' if len(s.never_run) > 8 else ''}</p>")
        near = sorted(proof.closest, key=lambda c: c.distance_mm)[:margin]
        if near:
            rows = [
                (
                    f'{c.part} T{c.tool} to {html.escape(c.to)}, <a href="{c.line}" style="color:{self.palette_.active}">line {c.line}</a>',
                    said(c.distance_mm),
                )
                for c in near
            ]
            out += [self.head(f"Closest approaches, {unit}"), self.table(rows)]
        self.said.setText("".join(out))

    def _times(self, proof: Proof, s: Summary) -> list[tuple[str, ...]]:
        rapid = proof.motions.rapid()
        feed_s, rapid_s = (float(proof.timing.duration[m].sum()) for m in (~rapid, rapid))
        rest = max(s.time_s - feed_s - rapid_s, 0.0)
        return [
            ("in all", show_clock(s.time_s)),
            ("at feed", show_clock(feed_s)),
            ("at rapid", show_clock(rapid_s)),
            ("tool changes and waiting", show_clock(rest)),
        ]

    def _extents(self, e: Extents, unit: Unit) -> list[tuple[str, ...]]:
        return [(axis, show_length(e.low[k], unit), "to", show_length(e.high[k], unit)) for k, axis in enumerate("XYZ")]


def _range(values: Range | None, unit: Unit | None = None) -> str:
    if values is None:
        return "–"
    low, high = (from_mm(v, unit) if unit is not None else v for v in values)
    return f"{low:.5g}" if abs(high - low) < 1e-9 else f"{low:.5g}–{high:.5g}"
