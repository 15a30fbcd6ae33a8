"""Why did it come out so? Sizes as they were measured go in; causes come out, each a run to look at beside the true one."""

from __future__ import annotations

import html

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QWidget,
)

from underglass.app.background import Background, Cancel
from underglass.app.document import Document
from underglass.app.parts.basic import label, rich, rule
from underglass.app.parts.number_field import NumberField
from underglass.app.prove.page import ProvePage
from underglass.app.style.palette import Palette
from underglass.core.proof.features import TURNED, TWO_PLACES, WHATS, Feature, What, measured_in
from underglass.core.proof.question import SIGHTS, Measured, Question, Seen
from underglass.core.proof.safe import KEPT_MM, Safety, how_safe
from underglass.core.proof.why import Answer, Cause, why
from underglass.core.removal.section.history import SectionHistory
from underglass.core.units import show_length

_ROLE = Qt.ItemDataRole.UserRole
_KEEPS = (
    ("length", "Lengths"), ("work", "Zeros"), ("radius", "Radii"), ("stock", "Block"), ("clamp", "Clamps"), ("geometry", "Offsets"),
)  # fmt: skip
_ASK = "Measure the part at the machine, add each size here, then ask. What was touched, and at which line, counts as well."


class WhyPage(ProvePage):
    """``take_asked``: the size measured last in the glass is to be taken; ``run_chosen`` brings a cause's run, or None."""

    take_asked = Signal()
    run_chosen = Signal(object)
    _far = Signal(float)
    _came = Signal(object)

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(document, palette, parent)
        self.measured: list[Measured] = []
        self.seen: list[Seen] = []
        self.answer: Answer | None = None
        self._share = 0.0
        self._work = Background("why", self)
        self._work.done.connect(self._on_answer)
        self._work.failed.connect(self._on_failed)
        self._far.connect(self._on_far)
        self._came.connect(self._on_came)
        self.bar = QProgressBar()
        self.bar.setAccessibleName("How much has been tried")
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(6)
        self.bar.hide()
        self.safety: Safety | None = None
        self._safe_work = Background("safe", self)
        self._safe_work.done.connect(self._on_safe)
        self._safe_work.failed.connect(lambda words: self._say_safe(html.escape(words)))
        self.what = QComboBox()
        self.what.setAccessibleName("What was measured")
        for name, words in WHATS.items():
            self.what.addItem(words, name)
        for sight, words in SIGHTS.items():
            self.what.addItem(words, sight)
        self.what.currentIndexChanged.connect(lambda _i: self._offer())
        self.x, self.y, self.z = NumberField("X"), NumberField("Y"), NumberField("Z")
        self.along = NumberField("Along", "angle")
        self.to_x, self.to_y = NumberField("To X"), NumberField("To Y")
        self.line = NumberField("Line", "whole")
        self.value, self.wanted = NumberField("Measured"), NumberField("Wanted")
        for field in (self.x, self.y, self.z, self.along, self.to_x, self.to_y, self.line):
            field.show_value(0.0)
        self.take = QPushButton("From the glass")
        self.take.setToolTip("What was measured last in the glass: its place, and what the proof has there")
        self.take.clicked.connect(self.take_asked)
        self.add = QPushButton("Add")
        self.add.clicked.connect(self.add_now)
        self.list = QListWidget()
        self.list.setAccessibleName("What is known of the part")
        self.list.setMinimumHeight(64)
        self.list.setMaximumHeight(110)
        self.drop = QPushButton("Take out")
        self.drop.clicked.connect(self._drop)
        self.ask = QPushButton("Ask why")
        self.ask.setProperty("strong", True)
        self.ask.clicked.connect(self.ask_now)
        self.causes = QListWidget()
        self.causes.setAccessibleName("Causes, the best first")
        self.causes.setMinimumHeight(150)
        self.causes.currentItemChanged.connect(lambda _a, _b: self._on_cause())
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        for k, field in enumerate((self.x, self.y, self.z, self.along)):
            grid.addWidget(field, 0, k)
        grid.addWidget(self.line, 0, 0)
        grid.addWidget(self.to_x, 1, 0, 1, 2)
        grid.addWidget(self.to_y, 1, 2, 1, 2)
        grid.addWidget(self.value, 2, 0, 1, 2)
        grid.addWidget(self.wanted, 2, 2, 1, 2)
        for column in range(4):
            grid.setColumnStretch(column, 1)
        for field in (self.x, self.y, self.z, self.along, self.to_x, self.to_y, self.line, self.value, self.wanted):
            # The panel is narrow: four fields share its width.
            field.edit.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.what.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.what.setMinimumContentsLength(10)
        for listed in (self.list, self.causes):
            listed.setWordWrap(True)
            listed.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        row = QHBoxLayout()
        row.addWidget(self.take, 1)
        row.addWidget(self.add, 1)
        last = QHBoxLayout()
        last.addWidget(self.drop)
        last.addWidget(self.ask, 1)
        self.box.addWidget(self.what)
        self.box.addLayout(grid)
        self.box.addLayout(row)
        self.box.addWidget(self.list)
        self.box.addLayout(last)
        self.box.addWidget(self.bar)
        self.box.addWidget(rule())
        self.box.addWidget(self.causes, 1)
        self.safe = QPushButton("How safe is it?")
        self.safe.setToolTip("Every figure of the setup out at once, within what people keep: what goes wrong first?")
        self.safe.clicked.connect(self.ask_safe)
        self.box.addWidget(self.said)
        self.note = label(quiet=True, pixels=12)
        self.note.setWordWrap(True)
        self.box.addWidget(self.note)
        self.box.addWidget(rule())
        self.box.addWidget(label("What is kept, either way", quiet=True, pixels=12))
        kept = QGridLayout()
        kept.setHorizontalSpacing(6)
        kept.setVerticalSpacing(4)
        self.keeps: dict[str, NumberField] = {}
        for k, (kind, words) in enumerate(_KEEPS):
            field = self.keeps[kind] = NumberField(words)
            field.show_value(KEPT_MM[kind], document.units)
            field.edit.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            kept.addWidget(field, k // 3, k % 3)
        self.box.addLayout(kept)
        self.box.addWidget(self.safe)
        self.safety_said = rich(13)
        self.box.addWidget(self.safety_said)
        document.job_changed.connect(self._forget)
        document.units_changed.connect(self._units)
        document.proof_changed.connect(self._offer)
        self._offer()
        self._fill()
        self.said.setText(self.quiet(_ASK))

    # -- what is known -----------------------------------------------------------------------------------------------------

    def _offer(self) -> None:
        """The fields that this sort of size needs."""
        what = self.what.currentData()
        seen, turned = what in SIGHTS, self._turned()
        place = (
            what in ("ridge", "rounded", "aside") if seen else what not in TURNED and not (what == "taper" and turned)
        )
        words = {
            self.x: {"aside": "Aside X", "face": "On diameter"}.get(what, "Diameter" if turned else "X"),
            self.y: {"aside": "Aside Z" if turned else "Aside Y"}.get(what, "Z" if turned else "Y"),
            self.to_x: "And at Z" if what == "taper" else "To X",
        }
        for field in (self.value, self.wanted):
            field.kind = "angle" if what == "angle" else "length"
        for field in (self.x, self.y, self.to_x, self.value, self.wanted):
            field.set_word(words.get(field, field.word))
            field.show_value(field.value, self.document.units)
        self.x.setVisible((place and not (what == "aside" and turned)) or what == "face")
        self.y.setVisible(place)
        self.z.setVisible(not seen and what not in ("height", "step"))
        self.along.setVisible(what in ("width", "place", "angle") or (what == "taper" and not turned))
        self.to_x.setVisible(what in TWO_PLACES or what == "taper")
        self.to_y.setVisible(what in TWO_PLACES)
        self.line.setVisible(what in ("touched", "air"))
        self.value.setVisible(not seen)
        self.wanted.setVisible(not seen)

    def _turned(self) -> bool:
        """Whether what is asked about is a lathe's part."""
        proof = self.document.proof
        return proof is not None and any(isinstance(h, SectionHistory) for h in proof.histories)

    def _units(self) -> None:
        unit = self.document.units
        for field in (self.x, self.y, self.z, self.to_x, self.to_y, self.value, self.wanted, *self.keeps.values()):
            field.show_value(field.value, unit)
        self._fill()

    def _forget(self) -> None:
        self._work.cancel()
        self._safe_work.cancel()
        self.safety = None
        self._say_safe("")
        self.measured, self.seen, self.answer = [], [], None
        self.run_chosen.emit(None)
        self._fill()
        self.causes.clear()
        self.said.setText(self.quiet(_ASK))

    def take_feature(self, feature: Feature, value: float | None) -> None:
        """A place measured in the glass: it is what is wanted, and the micrometer's figure is still to be typed."""
        unit = self.document.units
        self.what.setCurrentIndex(self.what.findData(feature.what))
        places = (
            (self.x, feature.at[0]),
            (self.y, feature.at[1]),
            (self.z, feature.z),
            (self.to_x, feature.to[0]),
            (self.to_y, feature.to[1]),
        )
        for field, figure in places:
            field.show_value(figure, unit)
        self.along.show_value(feature.way_deg)
        self.wanted.show_value(value, unit)
        self.value.show_value(None, unit)
        self.value.edit.setFocus()

    def feature(self) -> Feature:
        """What the fields say."""
        what: What = self.what.currentData()
        return Feature(
            what=what,
            at=(self.x.value or 0.0, self.y.value or 0.0),
            z=self.z.value or 0.0,
            way_deg=180.0 if what == "face" else self.along.value or 0.0,
            to=(self.to_x.value or 0.0, self.to_y.value or 0.0),
        )

    def add_now(self) -> None:
        """Add what the fields say to what is known."""
        what = self.what.currentData()
        if what in SIGHTS:
            at = (self.x.value or 0.0, self.y.value or 0.0)
            self.seen.append(Seen(what=what, line=int(self.line.value or 0), at=at))
        elif self.value.value is None:
            self.value.say("type what was measured")
            return
        else:
            self.measured.append(Measured(feature=self.feature(), value=self.value.value, wanted=self.wanted.value))
        self._fill()

    def _fill(self) -> None:
        unit = self.document.units
        self.list.clear()
        for one in self.measured:
            words = f"{one.feature.words}: {show_length(one.value, unit)}"
            if one.wanted is not None:
                words += f" for {show_length(one.wanted, unit)}"
            self.list.addItem(words[:1].upper() + words[1:])
        for sight in self.seen:
            self.list.addItem(sight.words[:1].upper() + sight.words[1:])
        self.ask.setEnabled(bool(self.measured or self.seen))
        self.drop.setEnabled(bool(self.measured or self.seen))

    def _drop(self) -> None:
        k = self.list.currentRow()
        k = k if k >= 0 else self.list.count() - 1
        if k < len(self.measured):
            del self.measured[k]
        elif k - len(self.measured) < len(self.seen):
            del self.seen[k - len(self.measured)]
        self._fill()

    # -- asking ------------------------------------------------------------------------------------------------------------

    @property
    def busy(self) -> bool:
        return self._work.busy

    def ask_now(self) -> None:
        """Look for causes beside the window; asked while it looks, it stops."""
        if self.busy:
            self._work.cancel()
            self.bar.hide()
            self.ask.setText("Ask why")
            self.said.setText(self.quiet("Stopped."))
            return
        job, source = self.document.job, self.document.program()
        if job is None:
            return
        question = Question(measured=tuple(self.measured), seen=tuple(self.seen))
        self.causes.clear()
        self.bar.setValue(0)
        self.bar.show()

        def work(cancelled: Cancel) -> Answer:
            # What is no longer wanted tells nothing either.
            return why(
                job, source, question, cancelled,
                lambda share: None if cancelled() else self._far.emit(share), lambda cause: None if cancelled() else self._came.emit(cause),
            )  # fmt: skip

        self._work.ask(work)
        self.ask.setText("Stop looking")
        self.said.setText(self.quiet("Trying one thing after another: each is a proof of its own…"))

    def ask_safe(self) -> None:
        """Try the corners of the whole setup beside the window; asked while it tries, it stops."""
        if self._safe_work.busy:
            self._safe_work.cancel()
            self._say_safe("")
            return
        job, source = self.document.job, self.document.program()
        if job is None:
            return
        kept = {kind: abs(field.value or 0.0) for kind, field in self.keeps.items()}
        self._safe_work.ask(lambda cancelled: how_safe(job, source, kept, cancelled))
        self._say_safe(self.quiet("Trying the corners of the setup…"))
        self.safe.setText("Stop trying")

    def _say_safe(self, words: str) -> None:
        self.safe.setText("How safe is it?")
        self.safety_said.setText(words)

    def _on_safe(self, found: object) -> None:
        assert isinstance(found, Safety)
        self.safety = found
        words = html.escape(found.words(self.document.units))
        alone = f"<p>By itself out of its tolerance: {html.escape(', '.join(found.alone))}.</p>" if found.alone else ""
        more = self.quiet(f"{found.figures} figures, {found.proofs} runs tried. ")
        more += self.quiet("The run that fails is drawn with this one.") if found.first is not None else ""
        self._say_safe(f"<p>{words}</p>{alone}<p>{more}</p>")
        if found.first is not None:
            self.run_chosen.emit(found.first.proof)

    def _on_far(self, share: float) -> None:
        if self.busy:
            self.bar.setValue(round(100 * share))

    def _on_came(self, cause: object) -> None:
        """A cause as it is found, where it belongs among the others; the order is settled when all have been tried."""
        assert isinstance(cause, Cause)
        if not self.busy:
            return
        row = next(
            (k for k in range(self.causes.count()) if self.causes.item(k).data(_ROLE).explains < cause.explains),
            self.causes.count(),
        )
        self.causes.insertItem(row, self._item(cause))

    def _item(self, cause: Cause, *, like: bool = False) -> QListWidgetItem:
        """``like``: nothing that is known tells it from the one above."""
        item = QListWidgetItem(f"{'or ' if like else ''}{cause.explains:.0%}  {cause.words}")
        item.setData(_ROLE, cause)
        item.setToolTip("\n".join([cause.check, *(f"Or, for one of the two: {words}" for words in cause.also)]))
        return item

    def _on_failed(self, words: str) -> None:
        self.bar.hide()
        self.ask.setText("Ask why")
        self.said.setText(html.escape(f"{words[:1].upper()}{words[1:]}."))

    def _on_answer(self, answer: object) -> None:
        assert isinstance(answer, Answer)
        self.answer = answer
        self.bar.hide()
        self.ask.setText("Ask why")
        self.causes.clear()
        last = 0
        for cause in answer.causes:
            self.causes.addItem(self._item(cause, like=cause.answer == last))
            last = cause.answer
        if answer.causes:
            self.causes.setCurrentRow(0)
            # The panel is short: what was asked makes room for the answer.
            QTimer.singleShot(0, self, lambda: self.verticalScrollBar().setValue(self.ask.geometry().top() - 6))
        else:
            self.said.setText("Nothing that was tried explains this. Add a size, or look at what holds the part.")
        self.note.setText(
            f"{answer.apart}  ({answer.proofs} runs tried)" if answer.apart else f"{answer.proofs} runs tried"
        )

    def chosen(self) -> Cause | None:
        """The cause that is looked at."""
        item = self.causes.currentItem()
        found = item.data(_ROLE) if item is not None else None
        return found if isinstance(found, Cause) else None

    def _on_cause(self) -> None:
        cause, answer = self.chosen(), self.answer
        if cause is None or answer is None:
            return
        unit = self.document.units

        def said(value: float | None) -> str:
            return "–" if value is None else show_length(value, unit)

        rows: list[tuple[str, ...]] = [("", "measured", "proved", "would be")]
        for one, proved, would in zip(answer.question.measured, answer.as_proved, cause.sizes):
            rows.append((html.escape(one.feature.words), said(one.value), said(proved), said(would)))
        for sight, proved_so, so in zip(answer.question.seen, answer.as_seen, cause.seen):
            rows.append((html.escape(sight.words), "yes", "yes" if proved_so else "no", "yes" if so else "no"))
        self.said.setText(self.table(rows) + f"<p>{html.escape(cause.check)}</p>")
        self.run_chosen.emit(cause.proof)

    def proved(self, feature: Feature) -> float | None:
        """What the proof that is shown has there."""
        return measured_in(self.document.proof, feature) if self.document.proof is not None else None
