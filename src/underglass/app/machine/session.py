"""The stand-in machine in the window: its clock, what is done at it, and the glass's view of it.

The stand itself is the core's value; here it is only kept, moved on by the clock, and shown.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from time import monotonic

from PySide6.QtCore import QObject, QTimer, Signal

from underglass.app.background import Background
from underglass.app.document import Document
from underglass.app.glass.prepared import Prepared, prepare
from underglass.core.errors import UnderGlassError
from underglass.core.files.load import read_program
from underglass.core.files.rehearsal import checksum
from underglass.core.finding import Finding
from underglass.core.language.source import Source
from underglass.core.machine.actions import (
    Action,
    CycleStart,
    Hold,
    Home,
    Load,
    Mdi,
    PutIn,
    SetFigure,
    Step,
    TakeOut,
)
from underglass.core.machine.course import Course, Watch
from underglass.core.machine.interlocks import why_not
from underglass.core.machine.passing import Told, Tolds
from underglass.core.machine.rehearsal import TICK_S, Done, Rehearsal, do_again
from underglass.core.machine.stand import Stand
from underglass.core.machine.step import after, begin
from underglass.core.proof.job import Job

SPEEDS = (1.0, 4.0, 16.0, 64.0)
_LONG = (CycleStart, Mdi, PutIn, TakeOut, Home)
"""What may take longer than a blink: worked out beside the window."""


def _work_is_as_it_was(stand: Stand) -> bool:
    """Whether the picture of the work may stay: a move by hand over a stock on a table, that has only begun or cuts nothing."""
    course = stand.course
    if stand.job.bench.more is not None or course.what not in ("jog", "step", "home", "back"):
        return False
    return stand.at_s <= course.begins_s or not any(h.removed[course.first :].any() for h in course.proof.histories)


class Session(QObject):
    """``changed`` comes with every look at the clock, ``told`` with what a person notices, ``busy`` while something is worked out."""

    changed = Signal()
    told = Signal(object)
    begun = Signal()
    busy_changed = Signal(str, float)
    failed = Signal(str)
    _stepped = Signal(str, float)

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.document = document
        self.stand: Stand | None = None
        self.view = Document(self)
        """What the machine's glass shows: the course so far, at this moment."""
        self.speed = 1.0
        self.chosen = ""
        """The file that was taken into the control by hand; empty: what stands in the editor runs."""
        self.last: Told | None = None
        self._done: list[Done] = []
        self._ticks = 0
        self._owed = 0.0
        self._steps: tuple[str, float] | None = None
        self._seen: Course | None = None
        self._met: Finding | None = None
        self._prepared: Prepared | None = None
        self._job: object = None
        self._clock = monotonic()
        self._timer = QTimer(self)
        self._timer.setInterval(round(TICK_S * 1000.0))
        self._timer.timeout.connect(self._on_tick)
        self._background = Background("machine", self)
        self._background.done.connect(self._on_done)
        self._background.failed.connect(self._on_failed)
        self._stepped.connect(self.busy_changed)
        self.view.set_units(document.units)
        document.units_changed.connect(lambda: self.view.set_units(document.units))

    # -- a morning -----------------------------------------------------------------------------------------------------

    @property
    def busy(self) -> bool:
        """Whether something is being worked out: the machine's clock stands meanwhile."""
        return self._background.busy

    @property
    def stale(self) -> bool:
        """Whether the setup is not the one that this morning began with."""
        return self.stand is not None and self._job is not self.document.job

    def program(self) -> Source:
        """The program as it stands in the window."""
        return self.document.program()

    def begin(self) -> None:
        """A new morning with the job that is open: power off, nothing in it. Raises nothing; ``failed`` says why there is none."""
        job = self.document.job
        self.stop()
        if job is None:
            self.stand = None
            return
        try:
            self.stand = begin(job, self.program())
        except UnderGlassError as error:
            self.failed.emit(str(error))
            return
        self._job = job
        self._done, self._ticks, self._owed, self._steps = [], 0, 0.0, None
        self.last, self._seen, self._met = None, None, None
        self.chosen = ""
        self.view.job = job
        self.view.proof = None
        self.view.set_units(self.document.units)
        self._show()
        self.begun.emit()
        self.changed.emit()

    def stop(self) -> None:
        """The clock stands; nothing that is worked out is wanted any more."""
        self._timer.stop()
        self._background.cancel()
        self.busy_changed.emit("", 0.0)

    def resume(self) -> None:
        """The clock goes on."""
        if self.stand is not None and not self._timer.isActive():
            self._clock = monotonic()
            self._timer.start()

    def rest(self) -> None:
        """The place is left: what runs is held, and the clock stands."""
        if self.stand is not None and self.stand.moving:
            self.do(Hold())
            for _ in range(10):
                self._tick()
            self._show()
            self.changed.emit()
        self._timer.stop()

    # -- doing ---------------------------------------------------------------------------------------------------------

    def why_not(self, action: Action) -> str:
        """Why an action cannot be done now; empty where it can."""
        if self.stand is None:
            return "Open a job first."
        return "One moment: the program is being read." if self.busy else why_not(self.stand, action)

    def do(self, action: Action) -> None:
        """Do it; what comes of it is told by the signals."""
        if self.stand is None or self.busy:
            return
        if isinstance(action, CycleStart):
            self._take_program()
        stand = self.stand
        refused = why_not(stand, action)
        if refused:
            self._tell((Told("refused", refused),))
            self.changed.emit()
            return
        self._done.append(Done(self._ticks, action))
        self.last = None
        at_stop = isinstance(action, SetFigure) and stand.mode == "program"
        if not isinstance(action, _LONG) and not at_stop:
            self._take(*after(stand, action))
            return

        def work(cancelled: object) -> object:
            watch = Watch(progress=self._stepped.emit, cancelled=cancelled)  # type: ignore[arg-type]
            new, told = after(stand, action, watch)
            ready = prepare(new.course.proof, new.at_s) if new.course is not stand.course else None
            return new, told, ready

        self._background.ask(work)
        self.busy_changed.emit("reading the program", 0.0)
        self.changed.emit()

    def step_by(self, axis: str, by: float) -> None:
        """A step of the hand wheel; clicks that come while the axis still moves are put together."""
        stand = self.stand
        if stand is None:
            return
        if stand.moving and stand.course.what == "step":
            before = self._steps[1] if self._steps is not None and self._steps[0] == axis else 0.0
            self._steps = (axis, before + by)
            return
        self.do(Step(axis, by))

    def load_file(self, path: Path) -> bool:
        """Take a file's program into the control. False, with a sentence, where that cannot be."""
        try:
            source = read_program(path)
        except UnderGlassError as error:
            self.failed.emit(str(error))
            return False
        self.do(Load(path.name, source.text))
        if self.last is None or self.last.kind != "refused":
            self.chosen = path.name
        return bool(self.chosen)

    def load_open(self) -> None:
        """What stands in the editor is to run."""
        self.chosen = ""
        source = self.program()
        self.do(Load(source.name, "\n".join(source.lines)))

    def same_setup(self, job: Job) -> None:
        """The job has been changed by what was set here: the morning goes on."""
        self._job = job

    def _take_program(self) -> None:
        """What stands in the editor is what runs, where nothing runs yet."""
        source = self.program()
        if self.chosen or self.stand is None or self.stand.mode != "hand" or source.lines == self.stand.source.lines:
            return
        load = Load(source.name, "\n".join(source.lines))
        self._done.append(Done(self._ticks, load))
        self.stand, _ = after(self.stand, load)

    def _on_done(self, answer: object) -> None:
        new, told, ready = answer  # type: ignore[misc]
        self._prepared = ready
        self.busy_changed.emit("", 0.0)
        self._clock = monotonic()
        self._take(new, told)

    def _on_failed(self, why: str) -> None:
        self.busy_changed.emit("", 0.0)
        self.failed.emit(why)

    def _take(self, stand: Stand, told: Tolds) -> None:
        self.stand = stand
        self._tell(told)
        self._show()
        self.changed.emit()

    def _tell(self, told: Tolds) -> None:
        for one in told:
            self.last = one
            self.told.emit(one)

    # -- the clock -----------------------------------------------------------------------------------------------------

    def _on_tick(self) -> None:
        now = monotonic()
        spent = min(now - self._clock, 0.25)
        self._clock = now
        if self.busy or self.stand is None:
            return
        self._owed += spent * self.speed
        count = int(self._owed / TICK_S)
        self._owed -= count * TICK_S
        if not count:
            return
        moved = self.stand.moving
        for _ in range(count):
            if self._tick():
                break
        if moved or (self.stand is not None and self.stand.moving):
            self._show()
            self.changed.emit()

    def _tick(self) -> bool:
        """One look at the clock; True where a person is asked or told something."""
        assert self.stand is not None
        self.stand, told = after(self.stand, TICK_S)
        self._ticks += 1
        self._tell(told)
        if not self.stand.moving and self._steps is not None:
            (axis, by), self._steps = self._steps, None
            self.do(Step(axis, by))
        return bool(told)

    def advance(self, seconds: float) -> None:
        """So much of the machine's time at once, as if it had been waited for."""
        for _ in range(max(round(seconds / TICK_S), 1)):
            if self.stand is None or self._tick():
                break
        self._show()
        self.changed.emit()

    # -- what the glass shows ------------------------------------------------------------------------------------------

    def _show(self) -> None:
        stand = self.stand
        if stand is None:
            return
        course = stand.course
        met = self._met_now()
        if met is None and self._seen is not None and course is not self._seen and _work_is_as_it_was(stand):
            return  # the tool is drawn where it stands
        if course is not self._seen or met is not self._met:
            self._seen, self._met = course, met
            # What is still to come is not told beforehand.
            shown = replace(course.proof, findings=(met,) if met is not None else ())
            ready = self._prepared
            self._prepared = replace(ready, proof=shown) if ready is not None and ready.proof is course.proof else None
            self.view.moment = min(stand.at_s, course.proof.timing.total)
            self.view.by_line = False
            self.view.set_proof(shown)
            if met is not None:
                self.view.finding = met
                self.view.finding_changed.emit()
            self._prepared = None
        self.view.set_moment(stand.at_s, follow=False)

    def _met_now(self) -> Finding | None:
        """The contact at which it stands, to be shown at its place."""
        stand = self.stand
        if stand is None or stand.alarm is None or stand.alarm.kind != "contact":
            return None
        return next((t.finding for t in stand.course.troubles if t.finding.code == stand.alarm.code), None)

    def ready_made(self) -> object:
        """What was worked out for the glass beside the window."""
        return self._prepared

    # -- kept ----------------------------------------------------------------------------------------------------------

    def rehearsal(self) -> Rehearsal:
        """Everything done since the morning."""
        source = self.stand.source if self.stand is not None else self.program()
        return Rehearsal(checksum=checksum(source), ticks=self._ticks, done=tuple(self._done))

    @property
    def worth_keeping(self) -> bool:
        """Whether anything has been done yet."""
        return len(self._done) > 1

    def replay(self, rehearsal: Rehearsal) -> None:
        """Come to where a rehearsal ended, from a new morning."""
        job = self.document.job
        if job is None:
            return
        self.begin()
        source = self.program()

        def work(cancelled: object) -> object:
            stand = do_again(job, source, rehearsal, Watch(progress=self._stepped.emit, cancelled=cancelled))  # type: ignore[arg-type]
            return stand, (Told("did", "The rehearsal stands where it ended."),), None

        self._done, self._ticks = list(rehearsal.done), rehearsal.ticks
        self._background.ask(work)
        self.busy_changed.emit("doing it again", 0.0)
