"""A course: everything made so far and what is set out to be made, proved as one run.

Glossary
    diary    the moves really made since the work was put in, the last of them perhaps in part
    course   diary and what is to come, with its proof; the machine follows it in time
    halt     a place on a course where the machine waits for its person
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.tool import Tool
from underglass.core.control.held import Held
from underglass.core.control.joining import no_moves, one_behind_another
from underglass.core.control.motions import Kind, MotionBuilder, Motions
from underglass.core.control.run import Run
from underglass.core.control.state import InForce, Vector
from underglass.core.finding import Finding, Severity
from underglass.core.language.source import Source
from underglass.core.machine.instruments import INSTRUMENTS, PEN, PEN_LINE_MM, PEN_SPRING_MM
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import proof_of_run
from underglass.core.proof.rule import Rule

What = Literal["rest", "home", "jog", "step", "back", "mdi", "program"]
HaltKind = Literal["stop", "optional-stop", "tool-change", "first-z", "block", "end"]
Ints = NDArray[np.int32]

STOPS_THE_CONTROL = frozenset(
    {
        "arc-mismatch", "arc-centre-missing", "arc-past-quadrant", "feed-missing", "modal-conflict", "word-unknown", "syntax",
        "subprogram-missing", "loop-runaway", "turn-feed-stopped", "comp-register-missing", "comp-side-change", "comp-exit-arc",
        "comp-cycle", "comp-inside-corner", "comp-plane-change", "length-number-missing", "probe-missed", "not-text", "travel-limit",
    }
)  # fmt: skip
"""Findings at which a real control stops of itself; at other faults it runs on, and the part is wrong (common practice, no source)."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Halt:
    """Where it waits: ``time_s`` of the course, before move ``move``; ``number`` of a stop or the tool that is called; ``event`` its number among the events (-1: none)."""

    time_s: float
    kind: HaltKind
    line: int
    move: int
    number: int = 0
    event: int = -1


@dataclass(frozen=True, slots=True)
class Trouble:
    """What stops the machine, and when on the course."""

    time_s: float
    finding: Finding


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """What is set out. ``tools`` (n,) are the numbers really in the spindle; ``after`` the control's state once all is made."""

    what: What
    motions: Motions
    tools: Ints
    after: Held | None = None
    findings: tuple[Finding, ...] = ()
    text: str = ""
    passed: int = 0
    """So many of its first events have been waited at already."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Course:
    """``first``: its first move that is not of the diary. ``tools`` as in ``Plan``, of all moves."""

    what: What
    proof: Proof
    first: int
    tools: Ints
    halts: tuple[Halt, ...]
    troubles: tuple[Trouble, ...]
    after: Held | None
    text: str = ""

    @property
    def motions(self) -> Motions:
        return self.proof.motions

    @property
    def begins_s(self) -> float:
        """Where the diary ends."""
        return self.proof.timing.end_of(self.first - 1) if self.first else 0.0

    @property
    def ends_s(self) -> float:
        return self.proof.timing.total


def straight(
    state: InForce, way: list[Vector], feed: float, tool: int, what: What, *, after: Held | None = None
) -> Plan:
    """Straight moves through places of the gauge line, at a feed in mm/min (as fast as the machine can: 0)."""
    builder = MotionBuilder()
    row = builder.state_index(state)
    for a, b in itertools.pairwise(way):
        if a != b:
            builder.add(0, Kind.FEED if feed else Kind.RAPID, row, a, b, feed or float("nan"))
    motions = builder.build([], [], [])
    return Plan(what=what, motions=motions, tools=np.full(len(motions), tool, dtype=np.int32), after=after)


def real_numbers(motions: Motions, put_in: dict[int, int], now_called: int, now_in: int) -> Ints:
    """The tools really in the spindle: what is in it now until the first change, and what is put in for each number after that."""
    called = motions.tool_of()
    out: Ints = np.array([put_in.get(int(n), int(n)) for n in called], dtype=np.int32)
    change = next((e.before for e in motions.events if e.kind == "tool-change"), len(motions))
    out[:change] = now_in
    if now_called and not any(e.kind == "tool-change" for e in motions.events):
        out[:] = now_in
    return out


def set_out(job: Job, source: Source, diary: Motions, diary_tools: Ints, plan: Plan, before: Proof | None, kept: int, *, watch: Watch) -> Course:  # fmt: skip
    """Prove the diary and a plan behind it as one run.

    ``before``: the last course's proof on the same bench, of whose moves the first ``kept`` are these. Raises ``Cancelled``.
    """
    first = len(diary)
    motions = one_behind_another(diary, plan.motions) if len(plan.motions) or plan.motions.events else diary
    tools = np.concatenate([diary_tools, plan.tools]).astype(np.int32)
    findings = tuple(replace(f, move=f.move + first) for f in plan.findings)
    run = Run(motions=motions, findings=findings, ended=True, last_line=1, taken_over=kept)
    rows = None if job.bench.more is not None else _rows(tools, {**job.bench.tools, **INSTRUMENTS})
    rows_of_pen = np.flatnonzero(tools == PEN)
    felt = _as_a_pen(job, motions, rows_of_pen) if len(rows_of_pen) else None
    proof = proof_of_run(
        job,
        source,
        run,
        before,
        same=before,
        rows=rows,
        rules=_touches,
        cut_along=felt,
        progress=watch.progress,
        cancelled=watch.cancelled,
    )
    halts = _halts(proof, first, len(diary.events) + plan.passed)
    return Course(
        what=plan.what, proof=proof, first=first, tools=tools, halts=halts, troubles=_troubles(proof, first, tools), after=plan.after,
        text=plan.text,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Watch:
    """How a long course tells how far it is, and is told to stop."""

    progress: Callable[[str, float], None] = lambda _what, _share: None
    cancelled: Callable[[], bool] = lambda: False


def _touches(rule: Rule) -> bool:
    """Rules that find metal in metal or an axis at its end: what a machine feels."""
    return Severity.CRASH in rule.codes.values()


def _rows(tools: Ints, there: dict[int, Tool]) -> tuple[list[Tool], Ints]:
    """The tools that are ever in, in the order of the diary, so that what was cut before stays known; and each move's."""
    order: dict[int, int] = {}
    out = np.full(len(tools), -1, dtype=np.int32)
    every: list[Tool] = []
    for number in dict.fromkeys(tools.tolist()):
        tool = there.get(number)
        if tool is not None:
            order[number] = len(every)
            every.append(tool)
    for number, row in order.items():
        out[tools == number] = row
    return every, out


def _halts(proof: Proof, first: int, passed: int) -> tuple[Halt, ...]:
    out = []
    motions, timing = proof.motions, proof.timing
    for k, event in enumerate(motions.events):
        if k < passed or event.before < first or event.kind == "cutter-on":
            continue
        number = event.tool if event.kind == "tool-change" else event.number
        out.append(
            Halt(
                time_s=float(timing.events[k]),
                kind=event.kind,
                line=event.line,
                move=event.before,
                number=number,
                event=k,
            )
        )
        if event.kind == "tool-change":
            down = _first_down(motions, event.before)
            if down >= 0:
                at = timing.end_of(down)
                out.append(
                    Halt(time_s=at, kind="first-z", line=int(motions.line[down]), move=down + 1, number=event.tool)
                )
    line = motions.line
    ends = [k for k in range(first, len(line)) if k + 1 == len(line) or line[k + 1] != line[k]]
    out += [Halt(time_s=timing.end_of(k), kind="block", line=int(line[k]), move=k + 1) for k in ends]
    return tuple(sorted(out, key=lambda h: (h.time_s, h.kind == "block", h.event)))


def _first_down(motions: Motions, since: int) -> int:
    """The first move after a tool change that brings the tool down on its Z alone or mostly; -1 where none does."""
    z = motions.end[since:, 2] - motions.start[since:, 2]
    down = np.flatnonzero(z < -1e-6)
    return int(down[0]) + since if len(down) else -1


def _as_a_pen(job: Job, motions: Motions, rows: NDArray[np.intp]) -> Motions:
    """The moves as the work feels them: a pen on its spring draws on the raw top, and goes no deeper until the spring is at its end."""
    top = max((s.top for s in job.bench.stocks), default=0.0) + INSTRUMENTS[PEN].length
    columns = {}
    for name in ("start", "end"):
        made = getattr(motions, name).copy()
        z = made[rows, 2]
        made[rows, 2] = np.where((z < top - PEN_LINE_MM) & (z > top - PEN_SPRING_MM), top - PEN_LINE_MM, z)
        made.setflags(write=False)
        columns[name] = made
    return replace(motions, **columns, _kept={}, earlier=None)


def _troubles(proof: Proof, first: int, tools: Ints) -> tuple[Trouble, ...]:
    """What stops the machine on the part that is to come."""
    out = []
    motions, timing = proof.motions, proof.timing
    n = len(motions)
    for f in proof.findings:
        if f.move < first or not (f.severity == Severity.CRASH or f.code in STOPS_THE_CONTROL):
            continue
        if f.move < n and tools[f.move] == PEN and float(f.evidence.get("depth_mm") or 0.0) <= 2.0 * PEN_LINE_MM:
            continue  # it draws
        by_control = f.code in STOPS_THE_CONTROL
        at = (float(timing.start[f.move]) if f.move < n else timing.total) if by_control else f.time_s
        out.append(Trouble(at, f))
    return tuple(sorted(out, key=lambda t: t.time_s))


def nothing() -> Plan:
    """Nothing to come."""
    motions = no_moves()
    return Plan(what="rest", motions=motions, tools=np.zeros(0, dtype=np.int32))


def left_of(course: Course, move: int, tail: Motions) -> Plan:
    """The rest of a course as a plan: ``tail`` are its moves behind ``move``'s made part."""
    count = len(tail)
    return Plan(
        what=course.what, motions=tail, tools=course.tools[len(course.tools) - count :], after=course.after, text=course.text,
        findings=tuple(
            replace(t.finding, move=max(t.finding.move - (len(course.tools) - count), 0))
            for t in course.troubles
            if t.finding.code in STOPS_THE_CONTROL and t.finding.code != "travel-limit" and t.finding.move >= move
        ),
    )  # fmt: skip
