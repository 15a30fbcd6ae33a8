"""Setup's page of the machine and its control: travels, rates, what the control remembers; profiles of one's own."""

from __future__ import annotations

import html
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPlainTextEdit, QPushButton

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.setup.binding import SetupPage
from underglass.app.setup.outlines import outlines
from underglass.app.setup.stock_page import confirm
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.control.words import OFFSETS_IN_ORDER
from underglass.core.data import data_folder
from underglass.core.errors import UnderGlassError
from underglass.core.files import profiles
from underglass.core.files.job_edit import JobEdit
from underglass.core.saving import write_whole
from underglass.core.units import show_length


class MachinePage(SetupPage):
    """Machine and control."""

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        self._editing: tuple[str, Path] | None = None
        self.facts = self.say()
        self.offer = label(pixels=12)
        self.offer.setWordWrap(True)
        self.offer.linkActivated.connect(
            lambda _link: self.do(lambda edit: confirm(edit, "machine"), "confirmed the machine")
        )
        self.box.addWidget(self.offer)
        grid = self.grid()
        for k, kind in enumerate(("machine", "control")):
            holder, _combo = self.choice(
                kind[:1].upper() + kind[1:],
                lambda kind=kind: self._profiles(kind),  # type: ignore[misc]
                lambda kind=kind: str(document.job_data.get(kind, self._first(kind))),  # type: ignore[misc]
                lambda edit, value, kind=kind: edit.put(value, kind),  # type: ignore[misc]
            )
            self.put(grid, holder, k)
        buttons = QHBoxLayout()
        self.copies: dict[str, QPushButton] = {}
        for kind in ("machine", "control"):
            button = QPushButton("")
            button.setToolTip(f"A {kind} of your own, copied beside the job, to be changed")
            button.clicked.connect(lambda _c=False, k=kind: self.edit_own(k))
            self.copies[kind] = button
            buttons.addWidget(button)
        buttons.addStretch(1)
        self.box.addLayout(buttons)
        self.text = QPlainTextEdit()
        self.text.setFont(number_font(12))
        self.text.setObjectName("points")
        self.text.setAccessibleName("Profile")
        self.text.setMinimumHeight(190)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.text.hide()
        self.box.addWidget(self.text)
        self.why = label(pixels=12)
        self.why.setWordWrap(True)
        self.why.hide()
        self.box.addWidget(self.why)
        done = QHBoxLayout()
        self.use = QPushButton("Use my changes")
        self.use.setProperty("strong", True)
        self.use.clicked.connect(self.use_own)
        self.close_text = QPushButton("Close without changes")
        self.close_text.clicked.connect(self._close)
        for button in (self.use, self.close_text):
            button.hide()
            done.addWidget(button)
        done.addStretch(1)
        self.box.addLayout(done)
        self.box.addWidget(label("What the control remembers from before", bold=True), 0, Qt.AlignmentFlag.AlignLeft)
        start = self.grid()
        for k, (key, word, choices) in enumerate(
            (
                ("offset", "Active offset", [(n, n) for n in OFFSETS_IN_ORDER]),
                ("units", "Units", [("mm, G21", "mm"), ("inch, G20", "inch")]),
                ("distance", "Places", [("absolute, G90", "G90"), ("incremental, G91", "G91")]),
                ("compensation", "Compensation", [("off, G40", "G40"), ("left, G41", "G41"), ("right, G42", "G42")]),
            )
        ):
            holder, _combo = self.choice(
                word,
                lambda choices=choices: [("power-on default", ""), *choices],  # type: ignore[misc]
                lambda key=key: str((document.job_data.get("start") or {}).get(key, "")),  # type: ignore[misc]
                lambda edit, value, key=key: self._put_start(edit, key, value),  # type: ignore[misc]
            )
            self.put(start, holder, k)
        self.put(
            start,
            self.flag(
                "Block skip is on",
                lambda: bool(document.table_job.switches.block_skip) if document.table_job else False,
                lambda edit, on: edit.put(on, "switches", "block_skip"),
            ),
            4,
        )
        self.put(
            start,
            self.flag(
                "Optional stop is on",
                lambda: bool(document.table_job.switches.optional_stop) if document.table_job else True,
                lambda edit, on: edit.put(on, "switches", "optional_stop"),
            ),
            5,
        )
        self.box.addStretch(1)

    def _first(self, kind: str) -> str:
        return "mill-3axis" if kind == "machine" else "word-address-mill"

    def _put_start(self, edit: JobEdit, key: str, value: str) -> None:
        if value:
            edit.put(value, "start", key)
        else:
            edit.drop("start", key)

    # -- profiles ------------------------------------------------------------------------------------------------------

    def _profiles(self, kind: str) -> list[tuple[str, str]]:
        """Shipped profiles, those that lie beside the job, and the one that the job names."""
        job = self.document.table_job
        out = [(f"{name}, shipped", name) for name in profiles.shipped(kind)]
        read = profiles.read_machine if kind == "machine" else profiles.read_control
        for path in sorted(Path(job.folder).glob("*.toml")) if job is not None else []:
            if path.name.endswith(".job.toml"):
                continue
            try:
                read(path)
            except UnderGlassError:
                continue
            out.append((f"{path.name}, your own", path.name))
        named = str(self.document.job_data.get(kind, self._first(kind)))
        if named not in [v for _w, v in out]:
            out.append((named, named))
        return out

    def _named(self, kind: str) -> Path | None:
        """The file of the profile in use."""
        job = self.document.table_job
        if job is None:
            return None
        name = str(self.document.job_data.get(kind, self._first(kind)))
        if name in profiles.shipped(kind):
            return data_folder() / "profiles" / kind / f"{name}.toml"
        return Path(job.folder) / name

    def edit_own(self, kind: str) -> None:
        """Open the profile in use as text; a shipped one as a copy that is to lie beside the job."""
        job, path = self.document.table_job, self._named(kind)
        if job is None or path is None:
            return
        try:
            text = path.read_text(encoding="utf-8")
        except OSError as error:
            self.trouble.emit(f"{path}: {error.strerror}")
            return
        own = path if path.parent == Path(job.folder) else Path(job.folder) / f"own-{path.name}"
        self._editing = (kind, own)
        self.text.setPlainText(text)
        for part in (self.text, self.use, self.close_text):
            part.show()
        self.text.setFocus()

    def use_own(self) -> None:
        """Check the text, write it beside the job and use it; what is wrong is said beside it and it stays open."""
        if self._editing is None:
            return
        kind, path = self._editing
        job = self.document.table_job
        if job is None:
            return
        data = self.text.toPlainText().encode("utf-8")
        trial = path.with_name(f".{path.name}.trial")
        try:
            write_whole(trial, data)
            try:
                (profiles.read_machine if kind == "machine" else profiles.read_control)(trial)
            finally:
                trial.unlink(missing_ok=True)
            write_whole(path, data)
        except UnderGlassError as error:
            self.why.setStyleSheet(f"color: {self.palette_.fault};")
            self.why.setText(str(error).replace(str(trial), path.name))
            self.why.show()
            return
        self._close()
        if str(self.document.job_data.get(kind)) == path.name:
            # The same name with other contents: the job is read anew.
            self.do(lambda edit: edit.put(f"./{path.name}", kind), f"{kind} from {path.name}")
        else:
            self.do(lambda edit: edit.put(path.name, kind), f"{kind} from {path.name}")

    def _close(self) -> None:
        self._editing = None
        for part in (self.text, self.use, self.close_text, self.why):
            part.hide()

    # -- showing -------------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        super().refresh()
        job = self.document.table_job
        if job is None:
            return
        unit, p = self.document.units, self.palette_
        guessed = "machine" in job.unconfirmed
        self.offer.setText(
            f'<span style="color:{p.caution}">\u25b3 Guessed, not confirmed.</span> <a style="color:{p.active}" href="confirm">It is this machine</a>'
            if guessed
            else ""
        )
        self.offer.setVisible(guessed)
        m = job.bench.machine
        rate = "in/min" if unit == "inch" else "mm/min"

        def figure(value: float) -> str:
            return show_length(value, unit)

        rows = [("Machine", html.escape(m.title))]
        for k, axis in enumerate("XYZ"):
            rows.append((f"Travel {axis}", f"{figure(m.travel_min[k])} to {figure(m.travel_max[k])}"))
        rows += [
            ("Table", f"Z {figure(m.table_z)}"),
            ("Rapid, feed up to", f"{m.rapid[0] / (25.4 if unit == 'inch' else 1):g}, {m.feed_max / (25.4 if unit == 'inch' else 1):g} {rate}"),
            ("Spindle up to", f"{m.spindle_max:g} rpm, nose {figure(m.nose_diameter)}"),
            ("Tool change", f"{m.tool_change_s:g} s" + ("" if m.tool_change_lift_z is None else f", lifts Z to {figure(m.tool_change_lift_z)} first, then where it is")),
        ]  # fmt: skip
        for shape in outlines(job):
            if shape.entry == 0:
                rooms = [min(shape.low[k] - m.travel_min[k], m.travel_max[k] - shape.high[k]) for k in range(2)]
                said = f"X {figure(rooms[0])}, Y {figure(rooms[1])} to the nearer end"
                if min(rooms) < 0.0:
                    said = f'<span style="color:{p.fault}">\u25a0 {said}: it reaches beyond</span>'
                rows.append((f"Room about the {shape.name}", said))
        rows.append(("Control", html.escape(job.control.title)))
        out = ['<table cellspacing="0" cellpadding="1">']
        for word, value in rows:
            out.append(
                f'<tr><td style="color:{p.quiet}">{word}&nbsp;&nbsp;&nbsp;</td>'
                f"<td style=\"font-family:'JetBrains Mono'; font-size:12px\">{value}</td></tr>"
            )
        self.facts.setText("".join(out) + "</table>")
        for kind, button in self.copies.items():
            path = self._named(kind)
            own = path is not None and path.parent.resolve() == Path(job.folder).resolve()
            button.setText(f"Your {kind}\u2026" if own else f"Copy the {kind}\u2026")
