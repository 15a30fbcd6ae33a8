"""Setup's page of the part zeros: where on the block, where in the machine, and whether several of them make sense."""

from __future__ import annotations

import math

from PySide6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QPushButton, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.parts.figure_view import FigureView
from underglass.app.parts.number_field import NumberField
from underglass.app.setup.binding import SetupPage
from underglass.app.style.palette import Palette
from underglass.app.style.theme import share_of
from underglass.core.control.words import OFFSETS_IN_ORDER
from underglass.core.files.job_edit import JobEdit
from underglass.core.files.setup_edit import main_zero, move_zero, put_zero, turn_zero, zero_move_to, zero_on_stock
from underglass.core.proof.belief import offsets_apart
from underglass.core.proof.length_pictures import WAY_SAID, WAY_WORDS, length_picture
from underglass.core.reckon.touching import predicted_z
from underglass.core.units import show_length

_SIDES = (("left", "middle", "right"), ("front", "middle", "back"), ("bottom", "middle", "top"))
_NEAR = 0.0005


class ZeroPage(SetupPage):
    """The zero."""

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        self.box.setSpacing(6)
        self.sentence = self.say()
        grid = self.grid()
        words = (("left", "Zero from the left"), ("front", "from the front"), ("top", "from the top"))
        for k, (key, word) in enumerate(words):
            field = self.number(
                key,
                word,
                shown=lambda k=k: zero_on_stock(document.table_job)[k] if document.table_job else None,
                change=lambda edit, v, k=k: self._put_on_stock(edit, k, v),
                what="moved the zero",
            )
            self.put(grid, field, k)
        self.sides: list[QButtonGroup] = []
        for k, names in enumerate(_SIDES):
            holder = QWidget()
            row = QHBoxLayout(holder)
            row.setContentsMargins(0, 0, 0, 0)
            row.setSpacing(3)
            group = QButtonGroup(self)
            for at, name in enumerate(names):
                button = QPushButton(name)
                button.setCheckable(True)
                button.setProperty("side", True)
                button.setAccessibleName(f"Zero at the {name}")
                button.clicked.connect(lambda _c=False, k=k, at=at: self.snap(k, at / 2.0))
                group.addButton(button, at)
                row.addWidget(button, share_of(name))
            self.sides.append(group)
            self.put(grid, holder, 3 + k)
        more = self.grid()
        for k, axis in enumerate("xyz"):
            field = self.number(
                f"machine_{axis}",
                f"In the machine: {axis.upper()}",
                shown=lambda k=k: self._machine(k),
                change=lambda edit, v, k=k: self._put_machine(edit, k, v),
                what="moved the part on the table",
            )
            self.put(more, field, k)
        turned = self.number(
            "turned",
            "Part skew",
            kind="angle",
            shown=lambda: math.degrees(document.table_job.bench.part_zero.turn_rad) if document.table_job else None,
            change=lambda edit, v: turn_zero(edit, document.table_job, v) if document.table_job else None,
            what="turned the part",
        )
        self.put(more, turned, 3)
        holder, self.way = self.choice(
            "Z knows the tool by",
            lambda: [(words, way) for way, words in WAY_WORDS.items()],
            lambda: document.table_job.z_by if document.table_job is not None else "length-registers",
            lambda edit, value: edit.put(value, "zero", "z_by"),
        )
        more.addWidget(holder, 1, 1, 1, 2)
        self.picture = FigureView(palette)
        self.picture.setFixedHeight(128)
        self.picture.setAccessibleName("How Z knows the tool, drawn")
        self._palette_parts.append(self.picture.set_palette)
        self.box.addWidget(self.picture)
        self.way_said = label(quiet=True, pixels=12)
        self.way_said.setWordWrap(True)
        self.box.addWidget(self.way_said)
        self.under = self.say()
        others = QHBoxLayout()
        self.add = QPushButton("Add a part zero")
        self.add.setToolTip("The same part again, beside the last one: its own offset, its own block")
        self.add.clicked.connect(self.add_zero)
        self.remove = QPushButton("Remove the last")
        self.remove.clicked.connect(self.remove_zero)
        others.addWidget(self.add)
        others.addWidget(self.remove)
        others.addStretch(1)
        self.box.addLayout(others)
        self._sane = QWidget()
        sane_box = QGridLayout(self._sane)
        sane_box.setContentsMargins(0, 0, 0, 0)
        self.pitch = NumberField("Pitch in X that is meant")
        self.within = NumberField("Differences up to")
        for field, value in ((self.pitch, None), (self.within, 0.05)):
            field.set_palette(palette)
            field.show_value(value)
            field.typed.connect(lambda _v: self.refresh_sanity())
            self._palette_parts.append(field.set_palette)
        sane_box.addWidget(label("Do the offsets fit together?", bold=True), 0, 0, 1, 3)
        sane_box.addWidget(self.pitch, 1, 0)
        sane_box.addWidget(self.within, 1, 1)
        sane_box.setColumnStretch(2, 1)
        self.box.addWidget(self._sane)
        self.sanity = self.say()
        self.box.addStretch(1)

    # -- on the block --------------------------------------------------------------------------------------------------

    def _put_on_stock(self, edit: JobEdit, k: int, value: float) -> None:
        job = self.document.table_job
        assert job is not None
        want: list[float | None] = [None, None, None]
        want[k] = value
        move_zero(edit, job, zero_move_to(job, (want[0], want[1], want[2])))

    def snap(self, axis: int, share: float) -> None:
        """The zero goes to a side or the middle of the block on one axis: 0 left, front, bottom; 1 right, back, top."""
        shares: list[float | None] = [None, None, None]
        shares[axis] = share
        self.snap_to(*shares)

    def snap_to(self, x: float | None, y: float | None, z: float | None) -> None:
        """The zero goes to a corner, an edge's middle or a face's centre; None leaves an axis."""
        job = self.document.table_job
        if job is None:
            return
        size = job.bench.stocks[0].extent
        want = [None if s is None else s * e for s, e in zip((x, y, z), size)]
        if want[2] is not None:
            want[2] -= size[2]
        by = zero_move_to(job, (want[0], want[1], want[2]))
        self.do(lambda edit: move_zero(edit, job, by), "moved the zero")

    # -- in the machine ------------------------------------------------------------------------------------------------

    def _machine(self, k: int) -> float | None:
        job = self.document.table_job
        if job is None:
            return None
        zero = job.bench.part_zero
        return (zero.x, zero.y, zero.z)[k]

    def _put_machine(self, edit: JobEdit, k: int, value: float) -> None:
        job = self.document.table_job
        assert job is not None
        name = main_zero(edit)
        zero = job.bench.zero[name]
        at = [zero.x, zero.y, zero.z]
        at[k] = value
        put_zero(edit, job, name, (at[0], at[1], at[2]))

    def add_zero(self) -> None:
        """The next offset, with the same part beside the last."""
        job = self.document.table_job
        if job is None:
            return
        free = next((n for n in OFFSETS_IN_ORDER[:6] if n not in job.bench.zero), None)
        if free is None:
            return
        last = list(job.bench.zero)[-1]
        zero = job.bench.zero[last]
        step = max(job.bench.stocks[0].extent[0] * 1.25, 10.0)

        def put(edit: JobEdit) -> None:
            put_zero(edit, job, free, (zero.x + round(step), zero.y, zero.z), math.degrees(zero.turn_rad))
            names = edit.get("stock", "repeat_at") or [main_zero(edit)]
            edit.put([*names, free], "stock", "repeat_at")

        self.do(put, f"added {free}")

    def remove_zero(self) -> None:
        """The last part zero and its block go."""
        job = self.document.table_job
        if job is None or len(job.bench.zero) < 2:
            return
        last = list(job.bench.zero)[-1]

        def put(edit: JobEdit) -> None:
            edit.drop("zero", last)
            names = [n for n in edit.get("stock", "repeat_at") or [] if n != last]
            if len(names) > 1:
                edit.put(names, "stock", "repeat_at")
            else:
                edit.drop("stock", "repeat_at")

        self.do(put, f"took {last} away")

    # -- what it says --------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        super().refresh()
        job = self.document.table_job
        if job is None:
            return
        self.picture.show_strokes(length_picture(job.z_by))
        self.way_said.setText(WAY_SAID[job.z_by])
        unit, p = self.document.units, self.palette_
        size = job.bench.stocks[0].extent
        at = zero_on_stock(job)
        shares = (at[0], at[1], at[2] + size[2])
        for group, value, whole in zip(self.sides, shares, size):
            group.setExclusive(False)
            for k in range(3):
                group.button(k).setChecked(abs(value - whole * k / 2.0) < _NEAR)
            group.setExclusive(True)
        zero = job.bench.part_zero
        name = next((n for n, z in job.bench.zero.items() if z is zero), "G54")
        told = job.registers.work.get(name)
        if told is None:
            ring = f'<span style="color:{p.belief}">The control has no {name}.</span>'
        else:
            apart = [t - r for t, r in zip(told, (zero.x, zero.y, zero.z))]
            said = ", ".join(
                f"{axis} {show_length(v, unit, sign=True)}" for axis, v in zip("XYZ", apart) if abs(v) > _NEAR
            )
            ring = (
                f'The dashed ring is where the control thinks {name} is: <span style="color:{p.belief}">out by {said}</span>.'
                if said
                else "The dashed ring is where the control thinks zero is: here they agree."
            )
        self.sentence.setText(
            f"<b>You are moving the zero, not the block.</b> Drag the blue point, click a marked place, or type. {ring}"
        )
        self.remove.setEnabled(len(job.bench.zero) > 1)
        stock = job.bench.stocks[0]
        table = job.bench.machine.table_z
        under = stock.frame.z - table
        expected = predicted_z(table, under, size[2], -at[2], unit)
        self.under.setText(
            f'<span style="color:{p.quiet}">Z of {name} from heights alone: {expected.said}'
            f"{'' if under > 0.0 else '. The block would stand below the table'}.</span>"
        )
        self.pitch.show_value(self.pitch.value, unit)
        self.within.show_value(self.within.value, unit)
        self.refresh_sanity()

    def refresh_sanity(self) -> None:
        """Neighbouring offsets of the control against each other."""
        job = self.document.table_job
        if job is None:
            return
        names = [
            n for n in OFFSETS_IN_ORDER if n in job.registers.work and (n in job.bench.zero or n in job.set_registers)
        ]
        self._sane.setVisible(len(names) > 1)
        self.sanity.setVisible(len(names) > 1)
        if len(names) < 2:
            return
        p, unit = self.palette_, self.document.units
        within = self.within.value if self.within.value is not None else 0.05
        out = ['<table cellspacing="0" cellpadding="2"><tr><td></td>']
        out += [
            f'<td align="right" style="color:{p.quiet}">{word}&nbsp;&nbsp;</td>'
            for word in ("X apart", "out by", "Y", "Z")
        ]
        out.append("</tr>")
        pairs = offsets_apart([(n, job.registers.work[n]) for n in names], self.pitch.value)
        for pair in pairs:
            cells = [show_length(pair.apart[0], unit, sign=True)]
            cells.append("" if self.pitch.value is None else show_length(pair.off[0], unit, sign=True))
            cells += [show_length(v, unit, sign=True) for v in pair.off[1:]]
            bad = [False, self.pitch.value is not None and abs(pair.off[0]) > within]
            bad += [abs(v) > within for v in pair.off[1:]]
            out.append(f"<tr><td>{pair.one} to {pair.two}&nbsp;&nbsp;</td>")
            for text, wrong in zip(cells, bad):
                colour = p.fault if wrong else p.text
                mark = "\u25a0 " if wrong else ""
                out.append(
                    f'<td align="right" style="font-family:\'JetBrains Mono\'; color:{colour}">{mark}{text}&nbsp;&nbsp;</td>'
                )
            out.append("</tr>")
        out.append("</table>")
        self.sanity.setText("".join(out))
