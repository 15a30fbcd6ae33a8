"""Starting in the middle: the state at a line rebuilt, and what a person at the machine has to send first."""

from __future__ import annotations

import html

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from underglass.app.background import Background, Cancel
from underglass.app.document import Document
from underglass.app.prove.page import ProvePage
from underglass.app.style.palette import Palette
from underglass.app.style.theme import NUMBERS
from underglass.core.proof.proof import Proof
from underglass.core.proof.restart import Restart, restart
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
        row = QHBoxLayout()
        self.show_stock = QPushButton("Show the stock here")
        self.show_stock.setToolTip("The moment before the line, everything before it cut")
        self.show_stock.clicked.connect(self._on_show)
        self.copy = QPushButton("Copy these blocks")
        self.copy.clicked.connect(self._on_copy)
        row.addWidget(self.show_stock)
        row.addWidget(self.copy)
        self.box.addWidget(self.said)
        self.box.addLayout(row)
        self.box.addStretch(1)
        document.line_changed.connect(self.later)

    def refresh(self) -> None:
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
        places = " ".join(f"{axis}{show_length(v, unit)}" for axis, v in zip("XYZ", r.place))
        out.append(f"<p>{self.quiet(f'The tool stands then at {places}.')}</p>")
        self.said.setText("".join(out))

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
