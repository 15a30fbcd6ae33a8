"""What stands beside the glass in Prove, above the findings: now, the whole program, the lens, stops, runs, starting here."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TypeVar

from PySide6.QtWidgets import QWidget

from underglass.app.document import Document
from underglass.app.parts.later import Later
from underglass.app.parts.side_panel import SidePanel
from underglass.app.prove.lens_page import LensPage
from underglass.app.prove.now_panel import NowPanel
from underglass.app.prove.page import ProvePage
from underglass.app.prove.runs_page import RunsPage
from underglass.app.prove.start_page import StartPage
from underglass.app.prove.stop_page import StopPage
from underglass.app.prove.whole_page import WholePage
from underglass.app.prove.why_page import WhyPage
from underglass.app.skins import STOPS
from underglass.app.style.palette import Palette
from underglass.core.proof.lens_ways import LENSES
from underglass.core.proof.proof import Proof

W = TypeVar("W", bound=QWidget)

PAGES = (
    ("now", "Now", "What is active at this moment"),
    ("whole", "Whole", "The whole program: how far it goes, tools, offsets, speeds, times"),
    ("lens", "Lens", "Radius compensation: programmed path, the control's path and the real edge"),
    ("stop", "Stops", "Measure and correct at a program stop, and go on with the cut as it is"),
    ("runs", "Runs", "Keep this run and compare what a change makes of it"),
    ("why", "Why", "The part came out wrong: which figure was it?"),
    ("start", "Restart", "Start at a line in the middle: what has to be sent first"),
)


class ProveSide(SidePanel):
    """Pages about the run; those of stops are a trade's own where it has any."""

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(PAGES, palette, parent)
        self.now = NowPanel(document, palette)
        self._document = document
        self.late_whole, self.late_lens = self._late(WholePage), self._late(LensPage)
        self.late_stop, self.late_runs = self._late(StopPage), self._late(RunsPage)
        self.late_why, self.late_start = self._late(WhyPage), self._late(StartPage)
        self._own = {trade: Later(partial(self._make_stop, make)) for trade, make in STOPS.items()}
        """Pages of stops of trades that have a bench of their own."""
        self.hold(
            {
                "now": self.now, "whole": self.late_whole, "lens": self.late_lens, "stop": self.late_stop, "runs": self.late_runs,
                "why": self.late_why, "start": self.late_start, **{f"stop {trade}": page for trade, page in self._own.items()},
            }
        )  # fmt: skip
        self.setMinimumWidth(292)
        document.job_changed.connect(self._offer)
        self.choose("now")

    def _make_stop(self, make: Callable[[Document, Palette], ProvePage]) -> ProvePage:
        return make(self._document, self._palette)

    def _late(self, make: Callable[[Document, Palette], W]) -> Later[W]:
        return Later(lambda: make(self._document, self._palette))

    @property
    def whole(self) -> WholePage:
        return self.late_whole()

    @property
    def lens(self) -> LensPage:
        return self.late_lens()

    @property
    def stop(self) -> StopPage:
        return self.late_stop()

    @property
    def runs(self) -> RunsPage:
        return self.late_runs()

    @property
    def why(self) -> WhyPage:
        return self.late_why()

    @property
    def start(self) -> StartPage:
        return self.late_start()

    @property
    def held(self) -> Proof | None:
        """The run that is held to be compared with."""
        return self.late_runs.made.held if self.late_runs.made is not None else None

    def part_of(self, name: str) -> QWidget:
        return (self.own_stop if name == "stop" else None) or super().part_of(name)

    def choose(self, name: str) -> None:
        """Show a page; one that is not offered stays away."""
        super().choose("now" if self.buttons[name].isHidden() else name)

    @property
    def own_stop(self) -> ProvePage | None:
        """The page of stops of the job's own trade; None where the one for a table is meant."""
        job = self._document.job
        own = self._own.get(job.trade.name) if job is not None else None
        return own() if own is not None else None

    def _offer(self) -> None:
        """What is made for a stock on a table is not offered for another one."""
        job = self._document.job
        away = []
        if job is not None and job.bench.more is not None:
            away += ["lens"] * (job.trade.name not in LENSES) + ["stop"] * (job.trade.name not in self._own)
        if self._row.leave_out(away):
            self.choose("now")
        else:
            self.choose(self.page)
