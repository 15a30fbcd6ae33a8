"""What goes with the program: setup sheet, report of the proof, comparison with a kept run, a tool chart held against it, all of it at once."""

from __future__ import annotations

import datetime
import html
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Protocol

from PySide6.QtCore import QSettings, Qt, Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLayout,
    QLineEdit,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from underglass.app.document import Document
from underglass.app.handover.making import Making, Pictures, key_of
from underglass.app.parts.basic import label, rule, scrolled
from underglass.app.style.palette import Palette
from underglass.core.errors import UnderGlassError
from underglass.core.files.chart import ChartRow, hold_against
from underglass.core.files.checksums import checksums
from underglass.core.files.compare_html import comparison_page
from underglass.core.files.report import as_json, proof_as_dict
from underglass.core.files.report_html import Photographs, job_shown, page
from underglass.core.files.sarif import as_sarif
from underglass.core.files.setup_sheet import SetupSheet, setup_sheet
from underglass.core.language.handover import Made
from underglass.core.proof.proof import Proof
from underglass.core.proof.two_runs import compare_proofs
from underglass.core.saving import write_whole

_PAGES = (".html", ".htm")
_KINDS = "Page with pictures (*.html);;JSON (*.json);;SARIF (*.sarif)"


class Sources(Protocol):
    """What the page takes from the rest of the window."""

    def photographs(self) -> Photographs:
        """Pictures of findings as the glass shows them."""
        ...

    def held(self) -> Proof | None:
        """The run that is held to compare with."""
        ...

    def made(self) -> Made | None:
        """The program's file as the control wants it."""
        ...

    def picture(self, path: Path) -> None:
        """Write the glass as it is seen. Raises ``OSError``."""
        ...

    def animation(self, path: Path, progress: Callable[[float], None], done: Callable[[str], None]) -> None:
        """Write the run as an animation, beside the window."""
        ...

    def leave(self) -> None:
        """Stop the animation that is being made."""
        ...


class SheetsPage(QWidget):
    """Each thing is a heading, a sentence and a button; what became of it is said at the right. ``done``: whether it is written."""

    line_chosen = Signal(int)
    done = Signal(bool)

    def __init__(
        self, document: Document, settings: QSettings, sources: Sources, palette: Palette, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document, self._settings, self._sources, self._palette = document, settings, sources, palette
        self.shop = self._kept("shop", "its name stands over the sheet")
        self.logo = self._kept("logo", "a picture file")
        self.template = self._kept("sheet_template", "an HTML file of your own; empty: the usual one")
        self.sheet = self._button("Save the setup sheet\u2026", self.ask_sheet, "As PDF, or as HTML")
        self.report = self._button(
            "Save the report\u2026", self.ask_report, "A page with pictures, JSON, or SARIF for review tools"
        )
        self.compare = self._button("Save the comparison\u2026", self.ask_compare, "Keep a run first (Ctrl+Shift+H)")
        self.chart = self._button(
            "Open a tool chart\u2026", self.ask_chart, "CSV with ISO 13399 symbols as headings, or TOML as in a job"
        )
        self.all = self._button(
            "Save all of it in a folder\u2026", self.ask_all, "Program, sheet, report, picture, animation, checksums"
        )
        self.all.setProperty("strong", True)
        self.making = Making(lambda: document.proof, sources.leave, palette)
        self.making.line_chosen.connect(self.line_chosen)
        self.making.done.connect(self.done)
        left = QWidget()
        left.setObjectName("panel")
        box = QVBoxLayout(left)
        box.setContentsMargins(20, 16, 20, 16)
        box.setSpacing(8)
        for one in self._things():
            box.addWidget(one) if isinstance(one, QWidget) else box.addLayout(one)
        box.addStretch(1)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.setHandleWidth(1)
        split.addWidget(scrolled(left))
        split.addWidget(scrolled(self.making))
        split.setSizes([600, 600])
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(split)
        document.job_changed.connect(self._on_job_changed)
        self.making.tell("Nothing has been saved yet.")

    def _things(self) -> Iterator[QWidget | QLayout]:
        yield label("Setup sheet", bold=True)
        yield _words("Stock and how it is held, zeros, tools with their registers, times, stops, what the proof found.")
        form = QGridLayout()
        form.setHorizontalSpacing(10)
        form.setVerticalSpacing(8)
        for k, (words, field, ask) in enumerate(
            (
                ("Shop", self.shop, None),
                ("Logo", self.logo, self._ask_logo),
                ("Template", self.template, self._ask_template),
            )
        ):
            form.addWidget(label(words, quiet=True), k, 0)
            form.addWidget(field, k, 1, 1, 1 if ask else 2)
            if ask is not None:
                choose = QPushButton("Choose\u2026")
                choose.setAccessibleName(f"Choose: {words}")
                choose.clicked.connect(ask)
                form.addWidget(choose, k, 2)
        yield form
        yield from self._row(self.sheet)
        yield label("Report of the proof", bold=True)
        yield _words(
            "Every finding with its lines and pictures of its place, what is accepted and why, closest passes, tools, times."
        )
        yield from self._row(self.report)
        yield label("Comparison with the kept run", bold=True)
        yield _words("Same part or not, where they differ, path and time.")
        yield from self._row(self.compare)
        yield label("Tool chart against program", bold=True)
        yield _words(
            "A list of tools held against what the program calls and what is on the bench: missing, swapped, changed since."
        )
        yield from self._row(self.chart)
        yield label("All of it", bold=True)
        yield _words(
            "For a hand-in or the job's folder: program, setup sheet, report, picture, animation, and their checksums."
        )
        yield from self._row(self.all, last=True)

    def _row(self, button: QPushButton, *, last: bool = False) -> Iterator[QWidget | QLayout]:
        row = QHBoxLayout()
        row.addWidget(button)
        row.addStretch(1)
        yield row
        if not last:
            yield rule()

    def _button(self, words: str, what: Callable[[], None], tip: str) -> QPushButton:
        out = QPushButton(words)
        out.setToolTip(tip)
        out.clicked.connect(lambda _c=False: what())
        return out

    def _kept(self, key: str, words: str) -> QLineEdit:
        """A field whose words are a setting; ``words`` stand in it while it is empty."""
        out = QLineEdit(str(self._settings.value(key) or ""))
        out.setPlaceholderText(words)
        out.setAccessibleName({"shop": "Shop", "logo": "Logo"}.get(key, "Template"))
        out.setMaxLength(400)
        out.editingFinished.connect(lambda: self._settings.setValue(key, out.text().strip()))
        return out

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.making.set_palette(palette)

    def _on_job_changed(self) -> None:
        self.making.tell("Nothing has been saved yet.")

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self.compare.setEnabled(self._sources.held() is not None)

    # -- the setup sheet ---------------------------------------------------------------------------------------------

    def _ask_logo(self) -> None:
        self._ask_file(self.logo, "logo", "Pictures (*.png *.jpg *.jpeg *.svg)")

    def _ask_template(self) -> None:
        self._ask_file(self.template, "sheet_template", "Templates (*.html *.htm)")

    def _ask_file(self, field: QLineEdit, key: str, kinds: str) -> None:
        name, _kind = QFileDialog.getOpenFileName(self, field.accessibleName(), "", kinds)
        if name:
            field.setText(name)
            self._settings.setValue(key, name)

    def ask_sheet(self) -> None:
        """Where the setup sheet goes."""
        self._ask("Save the setup sheet", f"{self._stem()}-setup.pdf", "PDF (*.pdf);;HTML (*.html)", self.save_sheet)

    def save_sheet(self, path: Path) -> None:
        """Write the setup sheet of the run that is shown; what became of it is said."""
        target = path if path.suffix else path.with_suffix(".pdf")
        shop, logo, template = (field.text().strip() for field in (self.shop, self.logo, self.template))

        def make(proof: Proof) -> str:
            from underglass.core.files.setup_pdf import write_sheet  # slow to take in

            sheet = _sheet_of(proof, shop, logo)
            write_whole(target, write_sheet(sheet, target, Path(template) if template else None))
            return f"The setup sheet is {_named(target)}."

        self.making.do(make)

    # -- reports -----------------------------------------------------------------------------------------------------

    def ask_report(self) -> None:
        """Where the report goes."""
        self._ask("Save the report", f"{self._stem()}-report.html", _KINDS, self.save_report)

    def save_report(self, path: Path) -> None:
        """Write the report by its file's ending: .html, .json or .sarif; what became of it is said."""
        target = path if path.suffix else path.with_suffix(".html")

        def make(proof: Proof, pictures: Pictures) -> str:
            write_whole(target, _report(proof, target.suffix.lower(), pictures))
            return f"The report is {_named(target)}."

        self.making.pictured(make, self._sources.photographs) if target.suffix.lower() in _PAGES else self.making.do(
            lambda proof: make(proof, {})
        )

    def ask_compare(self) -> None:
        """Where the comparison with the held run goes."""
        self._ask("Save the comparison", f"{self._stem()}-comparison.html", "Page (*.html)", self.save_compare)

    def save_compare(self, path: Path) -> None:
        """Write how the run that is kept (A) and this one (B) compare."""
        held = self._sources.held()
        target = path if path.suffix else path.with_suffix(".html")

        def make(proof: Proof) -> str:
            if held is None:
                raise ValueError("no run is kept to compare with: keep one with Ctrl+Shift+H, then change something")
            found = compare_proofs(held, proof)
            text = comparison_page(held, proof, found, datetime.date.today().isoformat())
            write_whole(target, text.encode("utf-8", "replace"))
            return f"The comparison is {_named(target)}: {'the same part' if found.same_part else 'not the same part'}."

        self.making.do(make)

    # -- the chart ---------------------------------------------------------------------------------------------------

    def ask_chart(self) -> None:
        """Which chart."""
        name, _kind = QFileDialog.getOpenFileName(self, "Open a tool chart", "", "Tool charts (*.csv *.toml)")
        if name:
            self.show_chart(Path(name))

    def show_chart(self, path: Path) -> None:
        """Hold a chart against the program, and say what does not agree."""
        self.making.do(lambda proof: self._chart_said(path, hold_against(proof, path)))

    def _chart_said(self, path: Path, rows: tuple[ChartRow, ...]) -> str:
        p = self._palette
        bad = sum(bool(r.trouble) and r.trouble != "not-called" for r in rows)
        head = (
            f"{_named(path)} agrees." if not bad else f"{_named(path)}: {bad} tool{'' if bad == 1 else 's'} to look at."
        )
        out = [f"<p>{head}</p><table cellpadding='3'>"]
        for r in rows:
            ink = p.quiet if not r.trouble or r.trouble == "not-called" else p.fault
            number = f'<a href="{r.called}" style="color:{p.active}">T{r.number}</a>' if r.called else f"T{r.number}"
            said = html.escape(r.why) if r.why else "as on the bench"
            out.append(
                f"<tr><td>{number}&nbsp;</td><td>{html.escape(r.chart or 'nothing')}&nbsp;&nbsp;</td><td style='color:{ink}'>{said}</td></tr>"
            )
        return "".join([*out, "</table>"])

    # -- all of it ---------------------------------------------------------------------------------------------------

    def ask_all(self) -> None:
        """Which folder."""
        name = QFileDialog.getExistingDirectory(self, "A folder for all of it")
        if name:
            self.save_all(Path(name))

    def save_all(self, folder: Path) -> None:
        """Everything that goes with the program, into one folder; the animation comes last, and the checksums with it."""
        stem = self._stem()
        shop, logo = self.shop.text().strip(), self.logo.text().strip()
        written: list[Path] = []
        program = self._sources.made()

        def make(proof: Proof, pictures: Pictures) -> str:
            from underglass.core.files.setup_pdf import write_sheet  # slow to take in

            folder.mkdir(parents=True, exist_ok=True)
            if program is not None:
                written.append(folder / program.name)
                write_whole(written[-1], program.data)
            sheet = folder / f"{stem}-setup.pdf"
            write_whole(sheet, write_sheet(_sheet_of(proof, shop, logo), sheet))
            written.append(sheet)
            for suffix in (".html", ".json"):
                written.append(folder / f"{stem}-report{suffix}")
                write_whole(written[-1], _report(proof, suffix, pictures))
            return f"Written to {html.escape(str(folder))}: {', '.join(_named(w) for w in written)}. Picture and animation follow."

        self.making.pictured(make, self._sources.photographs, then=lambda: self._film(folder, stem, written))

    def _film(self, folder: Path, stem: str, written: list[Path]) -> None:
        """The picture and the animation, in the GUI thread; then the checksums over everything."""
        film, going = folder / f"{stem}.gif", self.making.going

        def done(words: str) -> None:
            if going != self.making.going:
                return
            if film.exists():
                written.append(film)
            try:
                write_whole(folder / "checksums.txt", checksums(written))
            except (UnderGlassError, OSError) as problem:
                self.making.fail(str(problem))
                return
            self.making.end(
                f"In {html.escape(str(folder))}: {', '.join(_named(w) for w in written)}, and checksums.txt over them. {html.escape(words)}"
            )

        try:
            self._sources.picture(folder / f"{stem}.png")
            written.append(folder / f"{stem}.png")
        except (UnderGlassError, OSError) as problem:
            self.making.fail(str(problem))
            return
        self.making.bar.setRange(0, 100)
        self._sources.animation(film, lambda share: self.making.bar.setValue(round(100 * share)), done)

    # -- making --------------------------------------------------------------------------------------------------------

    def _stem(self) -> str:
        return Path(self._document.source.name).stem or "program"

    def _ask(self, title: str, name: str, kinds: str, save: Callable[[Path], None]) -> None:
        path, _kind = QFileDialog.getSaveFileName(self, title, name, kinds)
        if path:
            save(Path(path))


def _sheet_of(proof: Proof, shop: str, logo: str) -> SetupSheet:
    return setup_sheet(proof, datetime.date.today().isoformat(), shop=shop, logo=logo)


def _report(proof: Proof, suffix: str, pictures: Pictures) -> bytes:
    """A report by its file's ending. Raises ``ValueError`` for one that there is not."""
    if suffix in _PAGES:
        shown = job_shown(proof, photographs=lambda finding: pictures.get(key_of(finding)))
        return page([shown], datetime.date.today().isoformat()).encode("utf-8", "replace")
    if suffix == ".json":
        return as_json(proof_as_dict(proof))
    if suffix == ".sarif":
        return as_json(as_sarif([proof]))
    raise ValueError("a report ends in .html, .json or .sarif")


def _words(text: str) -> QWidget:
    out = label(text, quiet=True, pixels=12)
    out.setWordWrap(True)
    return out


def _named(path: Path) -> str:
    return f"<b>{html.escape(path.name)}</b>"
