"""The stand-in for the machine at one moment: a value.

Glossary
    stand       the machine, its control and what is in it, at one moment
    in hand     nothing runs: one jogs, steps, puts things in
    waiting     a program stands at a halt and goes on with cycle start
    set aside   a program held in the middle, while its person moves the axes by hand
    pace        share of full speed: a hold brings it down to nothing, a start up again
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from underglass.core.bench.tool import Tool
from underglass.core.control.held import Held
from underglass.core.control.motions import Kind
from underglass.core.control.state import AtStop, InForce, Vector
from underglass.core.language.source import Source
from underglass.core.machine.course import Course, Halt, Plan
from underglass.core.machine.habits import Habits, Measured, habits_of
from underglass.core.machine.instruments import INSTRUMENT_WORDS, INSTRUMENTS
from underglass.core.proof.job import Job

AlarmKind = Literal["contact", "limit", "control"]
Mode = Literal["hand", "mdi", "program"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Alarm:
    """Why the machine stands. ``axis`` and ``way`` of a limit; ``back`` are the steps of the way back, in order."""

    kind: AlarmKind
    said: str
    line: int = 0
    code: str = ""
    axis: str = ""
    way: int = 0
    back: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """How the work lies: ``turned`` degrees from how it should, so many mm beside the stop and above its seat."""

    turned: int = 0
    off_stop: float = 0.0
    chip: float = 0.0

    @property
    def right(self) -> bool:
        return self == Work()


@dataclass(frozen=True, slots=True, kw_only=True)
class Begun:
    """How the program that runs was begun: the control's state, the place, and the line it began at (0: the first)."""

    held: Held
    source: Source
    line: int = 0
    at_stops: tuple[AtStop, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Stand:
    """The whole of it. Lengths mm, times s.

    ``truth`` is the job as it was read; ``job`` the same with bench and registers as they are now. ``held`` is the control's state while
    nothing runs, ``place`` where the gauge line is, in machine coordinates. ``at_s`` is where it is on its course, ``pace`` how much of
    full speed it has (a hold ramps it down), ``clock_s`` the time since it was begun, ``cutting_s`` that of the program. The course's first
    ``passed`` halts are over. ``rest`` is a program set aside, ``rest_at`` where it was held. ``line`` is the one run last.
    """

    truth: Job
    job: Job
    source: Source
    held: Held
    course: Course
    place: Vector
    mode: Mode = "hand"
    at_s: float = 0.0
    clock_s: float = 0.0
    cutting_s: float = 0.0
    power: bool = False
    stopped: bool = False
    homed: bool = False
    guard_open: bool = False
    work: Work | None = None
    clamped: bool = False
    drawbar_free: bool = False
    tool: int = 0
    put_in: Mapping[int, int] = field(default_factory=dict)
    alarm: Alarm | None = None
    switches: frozenset[str] = frozenset({"optional-stop"})
    feed: float = 1.0
    rapid: float = 1.0
    turning: float = 1.0
    moving: bool = False
    slowing: bool = False
    pace: float = 0.0
    waiting: Halt | None = None
    begun: Begun | None = None
    rest: Plan | None = None
    rest_at: Vector = (0.0, 0.0, 0.0)
    passed: int = 0
    parts: int = 0
    mdi: tuple[str, ...] = ()
    line: int = 0
    piece: tuple[Course, float] | None = None
    """Work that was taken out after it was cut, with its course; ``piece_work`` is how it lay."""
    piece_work: Work | None = None

    @property
    def habits(self) -> Habits:
        return habits_of(self.job.trade.name)

    def located(self) -> tuple[int, float]:
        """(move, share) of the course."""
        return self.course.proof.timing.locate(self.at_s)

    @property
    def on_course(self) -> bool:
        """Whether a program or a typed line is under way and not set aside."""
        return self.mode != "hand" and self.rest is None

    @property
    def in_force(self) -> InForce:
        """What holds at this moment."""
        if self.on_course and len(self.course.motions) > self.course.first:
            move, _share = self.located()
            return self.course.motions.state_of(max(move, self.course.first))
        return self.held.modal.freeze()

    @property
    def to_go(self) -> Vector:
        """What is left of the move under way."""
        if not (self.moving or self.on_course) or not len(self.course.motions):
            return (0.0, 0.0, 0.0)
        end, here = self.course.motions.at(self.located()[0], 1.0), self.place
        return (end[0] - here[0], end[1] - here[1], end[2] - here[2])

    @property
    def spindle_on(self) -> bool:
        """Whether the spindle really turns."""
        if not self.power or self.stopped or self.alarm is not None or not self.habits.turns:
            return False
        if self.on_course and self.waiting is not None and self.waiting.kind in ("tool-change", "end"):
            return False
        now = self.in_force
        return now.spindle != "off" and now.speed > 0.0

    @property
    def rapid_now(self) -> bool:
        """Whether the move under way is one at rapid."""
        if not self.moving or not len(self.course.motions):
            return False
        return int(self.course.motions.kind[self.located()[0]]) in (Kind.RAPID, Kind.CYCLE_RAPID)

    @property
    def tool_there(self) -> Tool | None:
        """What is really in the spindle."""
        return self.job.bench.tools.get(self.tool) or INSTRUMENTS.get(self.tool)

    def tool_words(self, number: int) -> str:
        """A tool or instrument by number, in plain words."""
        if number == 0:
            return "nothing"
        if number in INSTRUMENT_WORDS:
            return INSTRUMENT_WORDS[number]
        name = self.job.bench.tool_names.get(number)
        return f"T{number}, {name}" if name else f"T{number}"

    @property
    def work_place(self) -> Vector:
        """The position as the control shows it."""
        return self.in_force.shown(self.place)

    def measured(self) -> Measured | None:
        """What a hand tool measures on the work beside the tool's tip."""
        if self.moving or self.work is None:
            return None
        move, share = self.located()
        return self.habits.micrometer(self.course.proof, move, share, self.place, self.tool)

    def on(self, switch: str) -> bool:
        return switch in self.switches
