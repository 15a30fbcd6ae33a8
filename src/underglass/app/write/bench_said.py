"""Said beside a form whose sizes are not those of its tool on the bench; one press takes the bench's."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.parts.form_view import FormView
from underglass.app.style.palette import Palette
from underglass.core.compose.operation import Operation
from underglass.core.compose.starts import Unlike, tool_entries, unlike_bench


class BenchSaid(QWidget):
    """Looks at a form's entries and at the bench of a document."""

    def __init__(self, document: Document, form: FormView, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._form = document, form
        self._operation: Operation | None = None
        self.said = label(pixels=12)
        self.said.setWordWrap(True)
        self.take = QPushButton("Take these")
        self.take.setToolTip("Enter the sizes of the tool on the bench")
        self.take.clicked.connect(self._take)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 12, 0)
        row.setSpacing(8)
        row.addWidget(self.said, 1)
        row.addWidget(self.take)
        self.hide()

    def _unlike(self) -> tuple[Unlike, ...]:
        job = self._document.job
        if job is None or self._operation is None:
            return ()
        return unlike_bench(self._operation, job, self._form.unit, self._form.entered)

    def look(self, operation: Operation, palette: Palette) -> None:
        """Say what the bench's tool is like where the form has something else; nothing where they agree."""
        self._operation = operation
        unlike = self._unlike()
        sizes = "; ".join(f"{u.word[0].lower()}{u.word[1:]} {u.there}, not {u.here or 'blank'}" for u in unlike)
        self.said.setText(f"T{self._form.entered.get('t', '')} on the bench is different: {sizes}.")
        self.said.setStyleSheet(f"color: {palette.fault};")
        self.take.setVisible(any(u.key for u in unlike))
        self.setVisible(bool(unlike))

    def _take(self) -> None:
        """The bench's sizes; speeds and feeds stay."""
        job, operation = self._document.job, self._operation
        if job is not None and operation is not None:
            mine = tool_entries(operation, job, self._form.unit, int(self._form.entered["t"]))
            self._form.enter({u.key: mine[u.key] for u in self._unlike() if u.key})
