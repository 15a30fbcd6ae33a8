"""Starting in the middle: the state at a line rebuilt, and what a person at the machine has to send first."""

from __future__ import annotations

import html
from bisect import bisect_right
from pathlib import Path

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QPushButton, QVBoxLayout, QWidget

from underglass.app.background import Background, Cancel
from underglass.app.document import Document
from underglass.app.parts.basic import rich
from underglass.app.parts.number_field import NumberField
from underglass.app.prove.page import ProvePage
from underglass.app.style.palette import Palette
from underglass.app.style.theme import NUMBERS
from underglass.core.errors import UnderGlassError
from underglass.core.proof.outputs import outputs_of
from underglass.core.proof.proof import Proof
from underglass.core.proof.rest import contours, rest_from
from underglass.core.proof.restart import Restart, restart
from underglass.core.saving import write_whole
from underglass.core.units import show_length


class StartPage(ProvePage):
    """About the line with the cursor."""

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(document, palette, parent)
        self.restart: Restart | None = None
        self._of: tuple[Proof, int] | None = None
        self._work = Background("restart", self)
        self._work.done.connect(self._on_known)
        self._work.failed.connect(self.said.setText)
        self.said.linkActivated.connect(self._on_link)
        self.show_stock = QPushButton("Show the stock here")
        self.show_stock.setToolTip("The moment before the line, everything before it cut")
        self.show_stock.clicked.connect(self._on_show)
        self.copy = QPushButton("Copy these blocks")
        self.copy.clicked.connect(self._on_copy)
        self.box.addWidget(self.said)
        self.box.addWidget(self.show_stock)
        self.box.addWidget(self.copy)
        self.box.addWidget(self._make_rest())
        self.box.addStretch(1)
        document.line_changed.connect(self.later)
        document.moment_changed.connect(self.later)

    # -- the rest of a nest ------------------------------------------------------------------------------------------------

    def _make_rest(self) -> QWidget:
        """Of a run with contours: from which one on the rest is to be written."""
        self.rest = QWidget()
        box = QVBoxLayout(self.rest)
        box.setContentsMargins(0, 10, 0, 0)
        self.contour = NumberField("Contour", "whole")
        self.contour.done.connect(self._on_contour)
        self.save_rest = QPushButton("Save the rest as a program\u2026")
        self.save_rest.clicked.connect(self.ask_rest)
        self.rest_said = rich(13)
        for part in (self.rest_said, self.contour, self.save_rest):
            box.addWidget(part)
        return self.rest

    def _on_contour(self) -> None:
        proof = self.document.proof
        begins = contours(proof) if proof is not None else []
        k = int(self.contour.value or 0)
        if proof is None or not 1 <= k <= len(begins):
            self.contour.say(f"from 1 to {len(begins)}")
            return
        self.contour.say("")
        # The glass and the text show where it begins.
        self.document.set_moment(float(proof.timing.start[min(begins[k - 1], len(proof.motions) - 1)]))

    def _show_rest(self, proof: Proof | None) -> None:
        begins = contours(proof) if proof is not None else []
        self.rest.setVisible(bool(begins))
        if proof is None or not begins:
            return
        if not self.contour.bad:
            move, share = proof.timing.locate(self.document.moment)
            self.contour.show_value(float(max(bisect_right(begins, move + (share >= 1.0 - 1e-9)), 1)))
        self.rest_said.setText(
            f"<b>Go on with one of {len(begins)} contours</b><br>" + self.quiet("Loops and calls are written out from there on, with what has to be sent first.")
        )  # fmt: skip

    def ask_rest(self) -> None:
        """Ask where to, and save what is left from the contour on."""
        path = self.document.program_path
        base = path.with_name(f"{path.stem}-from-{int(self.contour.value or 1)}{path.suffix}") if path else Path.home()
        name, _kind = QFileDialog.getSaveFileName(
            self, "Save the rest as a program", str(base), "Programs (*.nc);;Everything (*)"
        )
        if name:
            self.write_rest(Path(name))

    def write_rest(self, path: Path) -> None:
        """What is left into a file; what went wrong, or what is in it, is said beside the field."""
        proof = self.document.proof
        if proof is None:
            return
        try:
            rest = rest_from(proof, int(self.contour.value or 0))
            if not rest.why:
                write_whole(path, ("\n".join(rest.lines) + "\n").encode())
        except (ValueError, UnderGlassError) as problem:
            self.contour.say(str(problem))
            return
        self.contour.say(rest.why)
        if not rest.why:
            self.rest_said.setText(f"<b>{html.escape(path.name)}</b><br>Contour {rest.contour} of {rest.of} and what comes after it, {len(rest.lines)} blocks.")  # fmt: skip

    def refresh(self) -> None:
        self._show_rest(self.document.proof)
        proof, line = self.document.proof, self.document.line
        for button in (self.show_stock, self.copy):
            button.setEnabled(False)
        if proof is None:
            self.restart, self._of = None, None
            self.said.setText("Choose a line: here stands what a start from it needs.")
        elif self._of is None or self._of[0] is not proof or self._of[1] != line:
            self._of = (proof, line)

            def work(_cancelled: Cancel, asked: tuple[Proof, int] = self._of) -> object:
                return asked, restart(*asked)

            self._work.ask(work)
        elif self.restart is not None:
            self._show(self.restart)

    def _on_known(self, answer: object) -> None:
        assert isinstance(answer, tuple)
        asked, found = answer
        if asked is self._of:
            self.restart = found
            self._show(found)

    def _show(self, r: Restart) -> None:
        p, unit = self.palette_, self.document.units
        out = [f'<p style="margin:0 0 6px 0"><b>Start at line {r.line}</b></p>']
        if not r.reached:
            out.append("The program never comes to this line.")
            self.said.setText("".join(out))
            return
        self.show_stock.setEnabled(True)
        self.copy.setEnabled(bool(r.blocks))
        if r.instead is not None:
            link = f'<a href="{r.instead}" style="color:{p.active}">line {r.instead}</a>'
            out.append(
                f'<p style="color:{p.caution}">{html.escape(r.why[:1].upper() + r.why[1:])}: start at {link} instead.</p>'
            )
        elif r.why:
            out.append(f'<p style="color:{p.caution}">{html.escape(r.why[:1].upper() + r.why[1:])}.</p>')
        missing = r.missing
        if missing:
            out.append(f'<p style="color:{p.caution}">Started here, the machine would be missing:</p>')
            out.append(self.table([(html.escape(n.what), html.escape(n.words)) for n in missing]))
        else:
            out.append("<p>The program states all it needs from here on.</p>")
        given = [n for n in r.needs if n.given]
        if given:
            out.append(
                f"<p>{self.quiet('Stated by the program itself: ' + html.escape(', '.join(n.what for n in given)))}</p>"
            )
        if r.blocks:
            blocks = "<br>".join(html.escape(b) for b in r.blocks)
            out.append(self.head("Run these first"))
            out.append(f'<p style="font-family:{NUMBERS}">{blocks}</p>')
        places = " ".join(f"{axis}{show_length(v, unit)}" for axis, v in zip(self._axes(), r.place))
        out.append(f"<p>{self.quiet(f'The tool stands then at {places}.')}</p>")
        self.said.setText("".join(out))

    def _axes(self) -> str:
        """A machine for sheet has no Z."""
        own = outputs_of(self.document.proof) if self.document.proof is not None else None
        return "XY" if own is not None and own.outlines is not None else "XYZ"

    def _on_link(self, link: str) -> None:
        self.document.select_line(int(link))

    def _on_show(self) -> None:
        proof, line = self.document.proof, self.document.line
        found = proof.moves_of_line(line) if proof is not None else None
        if proof is not None:
            at = float(proof.timing.start[found[0]]) if found is not None else proof.moment_of_line(line)
            if at is not None:
                self.document.set_moment(at, follow=False)

    def _on_copy(self) -> None:
        if self.restart is not None:
            QGuiApplication.clipboard().setText("\n".join(self.restart.blocks) + "\n")
