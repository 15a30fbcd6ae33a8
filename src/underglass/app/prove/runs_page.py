"""Two runs: one is held as it is, the other follows every change; what differs is told and drawn."""

from __future__ import annotations

import html
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QWidget

from underglass.app.background import Background, Cancel
from underglass.app.document import Document
from underglass.app.parts.basic import label, rich, rule
from underglass.app.prove.page import ProvePage
from underglass.app.style.palette import Palette
from underglass.core.errors import UnderGlassError
from underglass.core.proof.compare import Comparison, Worst
from underglass.core.proof.proof import Proof
from underglass.core.proof.two_runs import compare_proofs
from underglass.core.proof.which_line import Hunk, Least, Short, hunks_between, least_change, shortest
from underglass.core.saving import write_whole
from underglass.core.units import show_clock, show_length


class RunsPage(ProvePage):
    """``held_changed`` brings the run that is held, or None."""

    held_changed = Signal(object)
    colour_asked = Signal(str)

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(document, palette, parent)
        self.held: Proof | None = None
        self.comparison: Comparison | None = None
        self._of: tuple[Proof, Proof] | None = None
        self._work = Background("runs", self)
        self._work.done.connect(self._on_compared)
        self._work.failed.connect(self._on_failed)
        self.said.linkActivated.connect(lambda link: document.select_line(int(link)))
        self.hold = QPushButton("Keep this run")
        self.hold.setToolTip("Keep it as it is; then change the program or the setup")
        self.hold.clicked.connect(self.hold_now)
        self.let_go = QPushButton("Drop it")
        self.let_go.clicked.connect(lambda: self._hold(None))
        self.colour = QPushButton("Colour what differs")
        self.colour.setCheckable(True)
        self.colour.clicked.connect(lambda on: self.colour_asked.emit("held" if on else "tool"))
        row = QHBoxLayout()
        row.addWidget(self.hold)
        row.addWidget(self.let_go)
        self.box.addLayout(row)
        self.box.addWidget(self.said)
        self.box.addWidget(self.colour)
        self.box.addWidget(rule())
        self.box.addWidget(label("Which line did it?", bold=True))
        self.which = QPushButton("Which change did it?")
        self.which.setToolTip("Of all changes since the run that is kept, the fewest that make the finding come or go")
        self.which.clicked.connect(lambda _c=False: self.ask_which())
        self.fewest = QPushButton("Save the fewest lines\u2026")
        self.fewest.setToolTip("The shortest program that still shows the finding that is chosen: to send to somebody")
        self.fewest.clicked.connect(lambda _c=False: self.ask_fewest())
        self.box.addWidget(self.which)
        self.box.addWidget(self.fewest)
        self.which_said = rich(13)
        self.which_said.linkActivated.connect(lambda link: document.select_line(int(link)))
        self.box.addWidget(self.which_said)
        self._lines = Background("which line", self)
        self._lines.done.connect(self._on_lines)
        self._lines.failed.connect(lambda why: self.which_said.setText(html.escape(f"{why[:1].upper()}{why[1:]}.")))
        self.box.addStretch(1)
        document.finding_changed.connect(lambda *_a: self.refresh())
        document.job_changed.connect(lambda: self._hold(None))
        self.refresh()

    def hold_now(self) -> None:
        """Hold the run that is shown."""
        if self.document.proof is not None:
            self._hold(self.document.proof)

    def _hold(self, proof: Proof | None) -> None:
        if proof is self.held:
            return
        self.held, self.comparison, self._of = proof, None, None
        if proof is None and self.colour.isChecked():
            self.colour.click()
        self.held_changed.emit(proof)
        self.refresh()

    def refresh(self) -> None:
        proof, held = self.document.proof, self.held
        self.hold.setEnabled(proof is not None and proof is not held)
        self.which.setEnabled(self.code is not None or self._lines.busy)
        self.fewest.setEnabled(self.document.finding is not None and proof is not None)
        self.let_go.setEnabled(held is not None)
        self.colour.setEnabled(held is not None and proof is not held)
        self.colour.setVisible(proof is None or bool(proof.stocks))
        if held is None:
            self.said.setText("Keep a run, then change something: path, stock and time of both stand side by side.")
        elif proof is None or proof is held:
            self.said.setText(
                f"This run is held: {show_clock(held.timing.total)}, {len(held.motions):,} moves. Change the program or the setup now."
            )
        elif self._of is None or self._of[0] is not held or self._of[1] is not proof:
            self._of = (held, proof)

            def work(_cancelled: Cancel, asked: tuple[Proof, Proof] = self._of) -> object:
                return asked, compare_proofs(*asked)

            self._work.ask(work)
        elif self.comparison is not None:
            self._show(self.comparison)

    # -- which line ----------------------------------------------------------------------------------------------------

    @property
    def code(self) -> str | None:
        """The gravest finding that one of the two runs has and the other has not."""
        proof, held = self.document.proof, self.held
        if proof is None or held is None or proof is held:
            return None
        one, two = ({f.code for f in p.to_mend} for p in (held, proof))
        apart = [f for p in (held, proof) for f in p.to_mend if f.code in one ^ two]
        return max(apart, key=lambda f: f.severity).code if apart else None

    def ask_which(self) -> None:
        """Look for the fewest changes that make it; pressed again, leave it."""
        proof, held, code = self.document.proof, self.held, self.code
        if self._lines.busy:
            self._lines.cancel()
            self.which_said.setText("Stopped.")
            self.which.setText("Which change did it?")
            return
        if proof is None or held is None or code is None:
            return
        self.which_said.setText(f"Looking for what makes <b>{code}</b> come or go\u2026")
        self.which.setText("Stop")
        job, old, new = proof.job, held.source, proof.source
        self._lines.ask(lambda cancelled: (code, least_change(job, old, new, code, cancelled)))

    def ask_fewest(self) -> None:
        """Where the shortest program goes."""
        stem = Path(self.document.source.name).stem or "program"
        name, _kind = QFileDialog.getSaveFileName(self, "Save the fewest lines", f"{stem}-short.nc", "Programs (*.nc)")
        if name:
            self.save_fewest(Path(name))

    def save_fewest(self, path: Path) -> None:
        """Write the shortest program that still shows the chosen finding; what came of it is said when it is done."""
        proof, finding = self.document.proof, self.document.finding
        if proof is None or finding is None or self._lines.busy:
            return
        self.which_said.setText(f"Leaving out lines as long as <b>{finding.code}</b> stays\u2026")
        self.which.setText("Stop")
        self.which.setEnabled(True)
        job, source = proof.job, proof.source
        self._lines.ask(lambda cancelled: (path, shortest(job, source, finding, cancelled)))

    def _on_lines(self, answer: object) -> None:
        self.which.setText("Which change did it?")
        assert isinstance(answer, tuple)
        what, found = answer
        if isinstance(found, Least):
            p = self.palette_
            rows = [
                f'<a href="{self._now(h)}" style="color:{p.active}">line {self._now(h)}</a>: '
                f"{html.escape(' / '.join(h.old) or 'nothing')} \u2192 {html.escape(' / '.join(h.new) or 'nothing')}"
                for h in found.hunks
            ]
            one = "This change alone makes" if len(rows) == 1 else "These changes together, and no fewer, make"
            self.which_said.setText(
                f"<p>{one} <b>{what}</b> come or go:</p><p>{'<br>'.join(rows)}</p><p>{found.proofs} runs.</p>"
            )
        elif isinstance(found, Short):
            try:
                write_whole(what, found.source.text.encode("utf-8", "surrogateescape"))
            except UnderGlassError as problem:
                self.which_said.setText(html.escape(str(problem)))
                return
            self.which_said.setText(
                f"{html.escape(what.name)}: {len(found.lines)} of {len(self.document.lines)} lines still show it. {found.proofs} runs."
            )
        else:
            self.which_said.setText(
                "With the setup as it is now both programs have it, or neither: the program's text is not what makes it."
            )
        self.refresh()

    def _now(self, hunk: Hunk) -> int:
        """The line of the program as it is now where a change stands."""
        held, proof = self.held, self.document.proof
        if held is None or proof is None:
            return hunk.first + 1
        before = [h for h in hunks_between(held.source.lines, proof.source.lines) if h.first < hunk.first]
        return hunk.first + 1 + sum(len(h.new) - (h.last - h.first) for h in before)

    def _on_failed(self, why: str) -> None:
        self.comparison = None
        self.said.setText(f"{why[:1].upper()}{why[1:]}.")

    def _on_compared(self, answer: object) -> None:
        assert isinstance(answer, tuple)
        if answer[0] is self._of:
            self.comparison = answer[1]
            self._show(answer[1])

    def _show(self, c: Comparison) -> None:
        unit, p = self.document.units, self.palette_
        apart = c.time_b_s - c.time_a_s
        out = [self.head("The part")]
        if c.same_part:
            out.append(f"<p>The same, within a cell of {show_length(c.cell_mm, unit)} {unit}.</p>")
        else:
            out.append(
                self.table(
                    [
                        ("differs by", f"{c.apart_mm3 / 1000.0:.3f} cm³"),
                        *self._worst("left standing at most", c.a_lacks),
                        *self._worst("cut away more, at most", c.a_left),
                    ]
                )
            )
        out.append(self.head("The path"))
        if c.same_path:
            out.append("<p>The same, move by move.</p>")
        elif c.first_difference is not None:
            a, b = c.first_difference
            out.append(
                f'<p>Leads elsewhere first in line {a} of the run held, <a href="{b}" style="color:{p.active}">line {b}</a> now.</p>'
            )
        rows = [("", "held", "now"), ("moves", f"{c.moves_a:,}", f"{c.moves_b:,}")]
        rows += [("at feed, " + unit, show_length(c.feed_a_mm, unit), show_length(c.feed_b_mm, unit))]
        rows += [("time", show_clock(c.time_a_s), show_clock(c.time_b_s))]
        out += [self.table(rows), self.head("The time")]
        word = "as long" if abs(apart) < 0.05 else f"{abs(apart):.1f} s {'longer' if apart > 0 else 'shorter'}"
        out.append(f"<p>{word[:1].upper()}{word[1:]}.</p>")
        self.said.setText("".join(out))

    def _worst(self, words: str, worst: Worst | None) -> list[tuple[str, ...]]:
        if worst is None:
            return []
        unit = self.document.units
        x, y, _z = worst.place
        where = f"at X {show_length(x, unit)} Y {show_length(y, unit)}"
        return [(words, show_length(worst.depth_mm, unit)), (where, f"{worst.volume_mm3 / 1000.0:.3f} cm³")]
