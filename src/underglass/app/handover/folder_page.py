"""A folder of jobs, proved on every core beside the window: a table of what each came to, a way into each, a report of all."""

from __future__ import annotations

import csv
import datetime
import html
import io
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSettings, Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QProgressBar,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from underglass.app.background import Background
from underglass.app.parts.basic import label
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.errors import Cancelled, UnderGlassError
from underglass.core.files.folder import Came, as_report, jobs_in, look_at_all, short_names
from underglass.core.finding import Severity
from underglass.core.saving import write_whole
from underglass.core.units import show_clock

_HEADS = ("Job", "Outcome", "Crashes", "Faults", "Cautions", "Time", "The gravest")
_FIGURES = (2, 3, 4, 5)


class FolderPage(QWidget):
    """``open_asked`` brings the job that somebody wants to see."""

    open_asked = Signal(object)
    _came = Signal(object)

    def __init__(self, settings: QSettings, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._settings, self._palette = settings, palette
        self.cores: int | None = None
        """So many processes help; None: as many as there are cores. One alone is this process itself."""
        self.jobs: list[Path] = []
        self.came: dict[Path, Came] = {}
        self.folder: Path | None = None
        self._work = Background("folder", self)
        self._work.done.connect(self._on_done)
        self._work.failed.connect(self._on_failed)
        self._came.connect(self._on_came)
        self.choose = QPushButton("Choose a folder\u2026")
        self.choose.clicked.connect(lambda _c=False: self.ask_folder())
        self.again = QPushButton("Prove again")
        self.again.clicked.connect(lambda _c=False: self.run())
        self.stop = QPushButton("Stop")
        self.stop.clicked.connect(lambda _c=False: self.cancel())
        self.save = QPushButton("Save the report\u2026")
        self.save.setToolTip("A page with every finding and its pictures, or the table as CSV")
        self.save.clicked.connect(lambda _c=False: self.ask_save())
        self.where = label(quiet=True)
        self.said = label()
        self.bar = QProgressBar()
        self.bar.setAccessibleName("Jobs done")
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(6)
        self.table = QTableWidget(0, len(_HEADS))
        self.table.setHorizontalHeaderLabels(_HEADS)
        self.table.setAccessibleName("Jobs and what they came to")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        self.table.setFrameShape(QTableWidget.Shape.NoFrame)
        heads = self.table.horizontalHeader()
        heads.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        heads.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        heads.setSectionResizeMode(len(_HEADS) - 1, QHeaderView.ResizeMode.Stretch)
        self.table.cellActivated.connect(lambda row, _c: self.open_row(row))
        for column in _FIGURES:
            self.table.horizontalHeaderItem(column).setTextAlignment(
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            )
        self.hint = label(quiet=True, pixels=12)
        self.hint.setWordWrap(True)
        self.hint.setText(
            "Every job (*.job.toml) in the folder and in the folders in it is proved, on all cores, while you go on working. "
            "The same without a window: underglass check FOLDER."
        )
        top = QHBoxLayout()
        top.setSpacing(8)
        for part in (self.choose, self.where):
            top.addWidget(part)
        top.addStretch(1)
        for part in (self.stop, self.again, self.save):
            top.addWidget(part)
        box = QVBoxLayout(self)
        box.setContentsMargins(20, 14, 20, 14)
        box.setSpacing(8)
        box.addLayout(top)
        box.addWidget(self.hint)
        box.addWidget(self.bar)
        box.addWidget(self.table, 1)
        box.addWidget(self.said)
        self._show_state()

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        for row, path in enumerate(self.jobs):
            if path in self.came:
                self._fill(row, self.came[path])

    @property
    def busy(self) -> bool:
        return self._work.busy

    # -- running -----------------------------------------------------------------------------------------------------

    def ask_folder(self) -> None:
        """Which folder."""
        kept = str(self._settings.value("jobs_folder") or Path.home())
        name = QFileDialog.getExistingDirectory(self, "A folder of jobs", kept)
        if name:
            self.look_into(Path(name))

    def look_into(self, folder: Path) -> None:
        """Prove every job of a folder."""
        self.folder = folder
        self._settings.setValue("jobs_folder", str(folder))
        self.jobs = jobs_in(folder)
        self.where.setText(str(folder))
        self.run()

    def run(self) -> None:
        """Prove them, all of them anew."""
        self.came = {}
        self.table.setRowCount(len(self.jobs))
        names = short_names(self.jobs) if self.jobs else []
        for row, name in enumerate(names):
            self._put(row, 0, name.removesuffix(".job.toml"))
            self._put(row, 1, "waits", self._palette.quiet)
            for column in range(2, len(_HEADS)):
                self._put(row, column, "")
        self.bar.setRange(0, max(len(self.jobs), 1))
        self.bar.setValue(0)
        if not self.jobs:
            self.said.setText("There is no job (*.job.toml) in this folder.")
            self._show_state()
            return
        jobs, most = tuple(self.jobs), self.cores

        def work(cancelled: Callable[[], bool]) -> int:
            for one in look_at_all(jobs, ("html",), most_cores=most, apart=True, cancelled=cancelled):
                if cancelled():
                    raise Cancelled
                self._came.emit(one)
            return len(jobs)

        self.said.setText(f"0 of {len(jobs)} jobs")
        self._work.ask(work)
        self._show_state()

    def cancel(self) -> None:
        """Leave it; what is done stays."""
        self._work.cancel()
        for row, path in enumerate(self.jobs):
            if path not in self.came:
                self._put(row, 1, "not proved", self._palette.quiet)
        self.said.setText(f"Stopped after {len(self.came)} of {len(self.jobs)} jobs.")
        self._show_state()

    def _on_came(self, one: Came) -> None:
        if one.path not in self.jobs or not self._work.busy:
            return
        self.came[one.path] = one
        self._fill(self.jobs.index(one.path), one)
        self.bar.setValue(len(self.came))
        self.said.setText(f"{len(self.came)} of {len(self.jobs)} jobs")

    def _on_done(self, _count: int) -> None:
        counts = {w: sum((c.outcome or "cannot be used") == w for c in self.came.values()) for w in (
            "crash", "fault", "caution", "clean", "cannot be used")}  # fmt: skip
        self.said.setText(f"{len(self.jobs)} jobs: " + ", ".join(f"{n} {w}" for w, n in counts.items() if n) + ".")
        self._show_state()

    def _on_failed(self, why: str) -> None:
        self.said.setText(why)
        self._show_state()

    def _show_state(self) -> None:
        busy = self._work.busy
        self.stop.setVisible(busy)
        self.bar.setVisible(busy)
        self.again.setVisible(not busy and bool(self.jobs))
        self.save.setEnabled(not busy and bool(self.came))
        self.table.setVisible(bool(self.jobs))

    # -- showing -----------------------------------------------------------------------------------------------------

    def _put(self, row: int, column: int, words: str, colour: str = "") -> None:
        item = QTableWidgetItem(words)
        if column in _FIGURES:
            item.setFont(number_font(12))
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if colour:
            item.setForeground(QColor(colour))
        item.setToolTip(words if column == len(_HEADS) - 1 else "")
        self.table.setItem(row, column, item)

    def _fill(self, row: int, one: Came) -> None:
        p = self._palette
        if one.why:
            self._put(row, 1, "cannot be used", p.fault)
            self._put(row, 6, one.why)
            return
        ink = p.severity(Severity[one.outcome.upper()]) if one.outcome != "clean" else p.note
        self._put(row, 1, one.outcome, ink)
        for column, count in zip((2, 3, 4), one.counts):
            self._put(row, column, str(count or ""))
        self._put(row, 5, show_clock(one.time_s))
        self._put(row, 6, one.gravest)

    def open_row(self, row: int) -> None:
        """Look at a job."""
        if 0 <= row < len(self.jobs):
            self.open_asked.emit(self.jobs[row])

    # -- the report --------------------------------------------------------------------------------------------------

    def ask_save(self) -> None:
        """Where the report goes."""
        name = f"{self.folder.name if self.folder else 'jobs'}-report.html"
        path, _kind = QFileDialog.getSaveFileName(
            self, "Save the report", name, "Page with pictures (*.html);;Table (*.csv)"
        )
        if path:
            self.save_to(Path(path))

    def save_to(self, path: Path) -> bool:
        """Write the report of what is done: a page, or a table by the ending .csv. False where it cannot be, and why is said."""
        came = [self.came[p] for p in self.jobs if p in self.came]
        try:
            if path.suffix.lower() == ".csv":
                write_whole(path, self._as_csv(came).encode())
            else:
                write_whole(path, as_report(came, "html", alone=False).encode("utf-8", "replace"))
        except UnderGlassError as problem:
            self.said.setText(str(problem))
            return False
        self.said.setText(f"The report is {html.escape(path.name)}, {datetime.date.today().isoformat()}.")
        return True

    def _as_csv(self, came: list[Came]) -> str:
        out = io.StringIO()
        rows = csv.writer(out, lineterminator="\n")
        rows.writerow(["job", "outcome", "crashes", "faults", "cautions", "time_s", "gravest"])
        for name, c in zip(short_names([c.path for c in came]), came):
            rows.writerow(
                [
                    name,
                    c.outcome or "cannot be used",
                    *(c.counts if not c.why else ("", "", "")),
                    "" if c.why else round(c.time_s, 1),
                    c.gravest or c.why,
                ]
            )
        return out.getvalue()
