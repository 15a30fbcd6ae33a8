"""The step function: the stand and an action, or some seconds, make the stand after it and what was to be noticed."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from underglass.core.bench.bench import Bench
from underglass.core.control.held import Held
from underglass.core.control.modal import Modal
from underglass.core.control.motions import Kind
from underglass.core.finding import Severity
from underglass.core.language.source import Source, read_text
from underglass.core.machine import planning
from underglass.core.machine.actions import (
    Action,
    BackToHeld,
    Clamp,
    Clear,
    CycleStart,
    Drawbar,
    EmergencyStop,
    Guard,
    Hold,
    Home,
    Jog,
    LetGo,
    Load,
    Mdi,
    Overrides,
    Power,
    PutIn,
    PutTool,
    SetFigure,
    Spindle,
    Step,
    StopProgram,
    Switch,
    TakeOut,
)
from underglass.core.machine.course import Halt, Plan, Trouble, Watch
from underglass.core.machine.habits import habits_of
from underglass.core.machine.interlocks import no_tool, why_not
from underglass.core.machine.left_out import left_out
from underglass.core.machine.stand import Alarm, AlarmKind, Stand, Work
from underglass.core.proof.job import Job

_INSTANT_S = 1e-7
_MOST_OVERRIDE, _MOST_SPINDLE = 1.5, 1.2
DRY_FEED = 2500.0
"""At what feeds are run dry, mm/min, where they are slower (common practice, no source)."""

RAMP_S = 0.15
"""A hold takes this long, and a start again (common practice, no source)."""


@dataclass(frozen=True, slots=True)
class Told:
    """What a person notices: ``kind`` refused, did, waits, alarm, end or feel; a sentence; a line of the program (0: none)."""

    kind: Literal["refused", "did", "waits", "alarm", "end", "feel"]
    said: str
    line: int = 0


Tolds = tuple[Told, ...]


def begin(job: Job, source: Source) -> Stand:
    """The machine in the morning: power off, guard shut, nothing in it, the axes somewhere."""
    machine = job.bench.machine
    place = tuple(
        low + (high - low) * share for low, high, share in zip(machine.travel_min, machine.travel_max, (0.55, 0.6, 0.9))
    )
    home = machine.home
    at = (place[0] if "x" in machine.axes else home[0], place[1] if "y" in machine.axes else home[1], place[2] if "z" in machine.axes else home[2])  # fmt: skip
    empty = replace(job, bench=planning.bench_with(job.bench, None), at_stops=())
    held, course = planning.first_proof(empty, source)
    held = replace(held, at=at, real=at)
    tool = 0 if habits_of(job.trade.name).tools_by_hand else job.start.tool
    return Stand(truth=job, job=empty, source=source, held=held, course=course, place=at, tool=tool)


def after(stand: Stand, what: Action | float, watch: Watch = Watch()) -> tuple[Stand, Tolds]:  # noqa: B008
    """The stand after an action or so many seconds. Raises ``Cancelled`` from a long course that is no longer wanted."""
    if isinstance(what, (int, float)):
        return _pass(stand, float(what))
    refused = why_not(stand, what)
    if refused:
        return stand, (Told("refused", refused),)
    match what:
        case Jog(axis=axis, way=way, rate=rate):
            return _set_going(_aside(stand), planning.jog(stand, axis, way, rate), watch)
        case Step(axis=axis, by=by):
            return _set_going(_aside(stand), planning.step(stand, axis, by), watch)
        case Home():
            return _set_going(stand, planning.home(stand), watch)
        case BackToHeld():
            return _set_going(stand, planning.back(stand), watch)
        case Mdi(text=text):
            return _typed(stand, text, watch)
        case CycleStart(line=line, knowing=knowing):
            return _start(stand, line, knowing, watch)
        case LetGo() | Hold():
            if not stand.moving or (isinstance(what, LetGo) and stand.course.what != "jog"):
                return stand, ()
            return replace(stand, slowing=True), ()
        case PutIn():
            return _put_in(stand, what, watch)
        case TakeOut():
            return _taken_out(stand, watch)
        case SetFigure():
            return _told_figure(stand, what, watch)
    return _plainly(stand, what)


def _plainly(stand: Stand, what: Action) -> tuple[Stand, Tolds]:
    """What needs nothing to be worked out."""
    h = stand.habits
    match what:
        case Power(on=on):
            if on:
                return replace(stand, power=True), (
                    Told("did", "The power is on. The axes do not know where they are."),
                )
            return replace(stand, power=False, homed=False, alarm=None), (Told("did", "The power is off."),)
        case EmergencyStop(pressed=True):
            off = replace(_stopped_dead(stand), stopped=True)
            return off, (Told("alarm", "Emergency stop: everything stands."),)
        case EmergencyStop():
            return replace(stand, stopped=False), (Told("did", "The emergency stop is free again."),)
        case Guard(open=opens):
            return replace(stand, guard_open=opens), ()
        case Clamp(shut=shut):
            felt: Tolds = ()
            if shut and stand.work is not None and stand.work.chip:
                felt = (Told("feel", f"The {h.work} sounds hollow when it is tapped: something lies under it."),)
            return replace(stand, clamped=shut), felt
        case Drawbar(free=free):
            return replace(stand, drawbar_free=free), ()
        case PutTool(number=number):
            return replace(stand, tool=number), ()
        case Spindle(way=way, speed=speed):
            most = stand.job.bench.machine.spindle_max
            m = replace(
                stand.held.modal, spindle=way, speed=min(speed, most) if way != "off" else stand.held.modal.speed
            )
            return replace(stand, held=_with_modal(stand, m)), ()
        case Overrides(feed=feed, rapid=rapid, spindle=spindle):
            return replace(
                stand, feed=_within(feed, 0.0, _MOST_OVERRIDE), rapid=_within(rapid, 0.0, 1.0),
                turning=_within(spindle, 0.5, _MOST_SPINDLE),
            ), ()  # fmt: skip
        case Switch(name=name, on=on):
            return replace(stand, switches=stand.switches | {name} if on else stand.switches - {name}), ()
        case StopProgram():
            return _give_up(stand), (
                Told("did", "The program is stopped. The control is as after power-on, but for its shifts."),
            )
        case Clear():
            return replace(stand, alarm=None), ()
        case Load(name=name, text=text):
            return replace(stand, source=read_text(text, name), line=0), (Told("did", f"{name} is in the control."),)
    return stand, ()


def _within(value: float, low: float, high: float) -> float:
    return min(max(value, low), high)


def _with_modal(stand: Stand, modal: Modal) -> Held:
    return replace(stand.held.copied(), modal=modal)


# -- setting out -----------------------------------------------------------------------------------------------------------


def _aside(stand: Stand) -> Stand:
    """A program that was held is set aside, so that the axes can be moved by hand."""
    if stand.mode != "program" or stand.rest is not None:
        return stand
    rest = planning.rest_of(stand)
    # By hand the spindle goes on as the program had it.
    now = stand.in_force
    modal = replace(stand.held.modal, spindle=now.spindle, speed=now.speed, tool=now.tool)
    return replace(stand, rest=rest, rest_at=stand.place, held=replace(stand.held.copied(), modal=modal))


def _set_going(stand: Stand, plan: Plan, watch: Watch) -> tuple[Stand, Tolds]:
    if not len(plan.motions):
        if plan.what == "home":
            return replace(stand, homed=True), (Told("did", "The axes are home: they know where they are."),)
        return stand, (Told("refused", "The axis is at its end there."),) if plan.what in ("jog", "step") else ()
    waiting = stand.waiting
    out = planning.planned(stand, plan, watch)
    clear = stand.alarm is not None and stand.alarm.kind == "limit"
    return replace(out, moving=True, waiting=waiting, alarm=None if clear else stand.alarm), ()


def _typed(stand: Stand, text: str, watch: Watch) -> tuple[Stand, Tolds]:
    plan = planning.typed(stand, text)
    out = planning.planned(replace(stand, mdi=(*stand.mdi, text)), plan, watch)
    out = replace(out, mode="mdi", moving=True, begun=None, line=0)
    return _settle_start(out)


def _start(stand: Stand, line: int, knowing: bool, watch: Watch) -> tuple[Stand, Tolds]:
    if stand.rest is not None:
        out = planning.planned(stand, stand.rest, watch)
        return _settle_start(replace(out, rest=None, moving=True))
    if stand.mode != "hand":
        return _go_on(stand, watch)
    if line > 1 and not knowing:
        missing = left_out(stand, line)
        if missing:
            return stand, (
                Told("refused", f"A start in line {line} leaves out: {', '.join(missing)}. Start again if that is meant.", line),
            )  # fmt: skip
    start = planning.begun(stand, line)
    plan, _held = planning.program(stand, start, watch)
    out = planning.planned(stand, plan, watch)
    out = replace(out, mode="program", begun=start, moving=True, cutting_s=0.0, line=0)
    refused = no_tool(out)
    if refused:
        return stand, (Told("refused", refused),)
    return _settle_start(out)


def _settle_start(stand: Stand) -> tuple[Stand, Tolds]:
    """A course that begins with a halt, or has no move at all, is dealt with at once."""
    return _pass(stand, 0.0)


def _go_on(stand: Stand, watch: Watch) -> tuple[Stand, Tolds]:
    """From a halt, or from a hold."""
    halt = stand.waiting
    out = replace(stand, waiting=None, slowing=False, moving=True, pace=stand.pace if stand.moving else 0.0)
    if halt is None or halt.kind != "tool-change" or not stand.habits.tools_by_hand:
        return _settle_start(out)
    n = len(stand.course.motions)
    if halt.move < n:
        expected = int(stand.course.tools[halt.move])
        if expected != stand.tool:
            rest = planning.rest_of(stand)
            tools = rest.tools.copy()
            change = next((e.before for e in rest.motions.events if e.kind == "tool-change"), len(tools))
            tools[:change] = stand.tool
            begun, mode = stand.begun, stand.mode
            out = planning.planned(stand, replace(rest, tools=tools), watch)
            return _settle_start(
                replace(out, begun=begun, mode=mode, moving=True, put_in={**stand.put_in, halt.number: stand.tool})
            )
        # The change has been made by hand: the time a changer would take is not waited for.
        out = replace(out, at_s=float(stand.course.proof.timing.start[halt.move]))
    return _settle_start(out)


def _put_in(stand: Stand, what: PutIn, watch: Watch) -> tuple[Stand, Tolds]:
    work = Work(turned=what.turned, off_stop=what.off_stop, chip=what.chip) if stand.habits.put_wrong else Work()
    used = stand.piece is not None and not what.fresh
    if used and work != stand.piece_work:
        return stand, (Told("refused", f"A {stand.habits.work} that is cut goes back as it was; take a new one to put it in otherwise."),)  # fmt: skip
    job = replace(stand.job, bench=_bench(stand, work))
    out = replace(stand, job=job, work=work, clamped=False)
    if used and stand.piece is not None:
        return replace(out, course=stand.piece[0], at_s=stand.piece[1], piece=None), ()
    return replace(planning.anew(out, watch), piece=None), ()


def _bench(stand: Stand, work: Work | None) -> Bench:
    """The bench with the work as it lies."""
    return planning.bench_with(stand.truth.bench, work)


def _taken_out(stand: Stand, watch: Watch) -> tuple[Stand, Tolds]:
    cut = any(h.removed.sum() > 0.0 for h in stand.course.proof.histories) if len(stand.course.motions) else False
    piece = (stand.course, stand.at_s) if cut else None
    job = replace(stand.job, bench=_bench(stand, None))
    out = replace(stand, job=job, work=None, clamped=False, piece=piece, piece_work=stand.work)
    return planning.anew(out, watch), ()


def _told_figure(stand: Stand, what: SetFigure, watch: Watch) -> tuple[Stand, Tolds]:
    halt = stand.waiting
    out = planning.with_figure(stand, what)
    if stand.mode != "program" or halt is None or stand.begun is None:
        return out, ()
    told = planning.at_stop(stand, what, halt.number)
    start = replace(stand.begun, at_stops=(*stand.begun.at_stops, told))
    plan, _held = planning.program(out, start, watch)
    rest = planning.behind_stop(plan, halt.number)
    if stand.rest is not None:
        return replace(out, rest=rest, begun=start), ()
    out = planning.planned(out, rest, watch)
    return replace(out, begun=start, waiting=halt), ()


# -- time ------------------------------------------------------------------------------------------------------------------


def _pass(stand: Stand, seconds: float) -> tuple[Stand, Tolds]:
    """So many seconds go by."""
    told: list[Told] = []
    left = seconds
    stand = replace(stand, clock_s=stand.clock_s + seconds)
    while stand.moving:
        stand, used, said = _onwards(stand, left)
        told += said
        left -= used
        if left <= _INSTANT_S:
            break
    return stand, tuple(told)


def _factor(stand: Stand, move: int) -> float:
    """How fast the course's clock runs on a move at full pace: the overrides, and a dry run."""
    if not stand.on_course:
        return 1.0
    motions = stand.course.motions
    kind = int(motions.kind[move])
    if kind in (Kind.RAPID, Kind.CYCLE_RAPID):
        return stand.rapid
    if kind == Kind.DWELL:
        return 1.0
    feed, most = float(motions.feed[move]), stand.job.bench.machine.feed_max
    if not feed > 0.0:
        return 1.0
    if stand.on("dry-run"):
        return max(1.0, min(DRY_FEED, most) / feed) * stand.feed
    if not motions.state_of(move).overrides:
        return 1.0
    return min(stand.feed, max(most / feed, 1.0)) if feed < most else stand.feed


def _onwards(stand: Stand, left: float) -> tuple[Stand, float, list[Told]]:
    """On by no more than ``left`` seconds, to the next place where something changes. (stand, seconds used, what was told)."""
    course = stand.course
    halt = _next_halt(stand)
    trouble = next((t for t in course.troubles if t.time_s >= stand.at_s - _INSTANT_S), None)
    if trouble is not None and trouble.time_s <= stand.at_s + _INSTANT_S:
        return _alarmed(stand, trouble)
    if halt is not None and halt[1].time_s <= stand.at_s + _INSTANT_S:
        return _waits(stand, *halt)
    if stand.at_s >= course.ends_s - _INSTANT_S:
        return _finished(stand)
    stop = min(course.ends_s, halt[1].time_s if halt else course.ends_s, trouble.time_s if trouble else course.ends_s)
    move, edge = _under_way(stand)
    factor = _factor(stand, move) if move >= 0 else 1.0
    edge = min(edge, stop)
    if _plain(stand) and left > 0.0:
        # Nothing slows or quickens it: straight on to where something happens.
        there = min(stop, stand.at_s + left)
        return _at(stand, there, there - stand.at_s), there - stand.at_s, []
    target = 0.0 if stand.slowing else 1.0
    slope = (target - stand.pace) / RAMP_S if stand.pace != target else 0.0
    slope = (1.0 if slope > 0 else -1.0) / RAMP_S if slope else 0.0
    span = min(left, abs(target - stand.pace) * RAMP_S) if slope else left
    if span <= 0.0 and left <= 0.0:
        return stand, 0.0, []
    if slope == 0.0 and target == 0.0:
        return _stood(stand)
    there, used = _reach(stand.at_s, stand.pace, slope, span, factor, edge)
    pace = min(max(stand.pace + slope * used, 0.0), 1.0)
    if abs(pace - target) < 1e-9:
        pace = target
    out = replace(_at(stand, there, used), pace=pace)
    if pace == 0.0 and stand.slowing:
        out, _none, said = _stood(out)
        return out, used, said
    if factor == 0.0:
        return out, max(left, used), []
    return out, used, []


def _under_way(stand: Stand) -> tuple[int, float]:
    """The move under way, or -1 where it waits between two; and when that is over."""
    timing = stand.course.proof.timing
    move = int(np.searchsorted(timing.start, stand.at_s + _INSTANT_S, side="right")) - 1
    if move >= 0 and stand.at_s < timing.end_of(move) - _INSTANT_S:
        return move, timing.end_of(move)
    return -1, float(timing.start[move + 1]) if move + 1 < len(timing.start) else stand.course.ends_s


def _plain(stand: Stand) -> bool:
    """Whether the course's clock is the real one."""
    return (
        stand.pace == 1.0
        and not stand.slowing
        and (not stand.on_course or (stand.feed == 1.0 and stand.rapid == 1.0 and not stand.on("dry-run")))
    )


def _reach(here: float, pace: float, slope: float, span: float, factor: float, edge: float) -> tuple[float, float]:
    """(course time, seconds used) after at most ``span`` seconds, not past ``edge``. Way = factor (pace t + slope t^2 / 2)."""
    there = here + factor * (pace * span + 0.5 * slope * span * span)
    if there <= edge or factor <= 0.0:
        return min(there, edge), span
    need = (edge - here) / factor
    if abs(slope) < 1e-12:
        return edge, min(need / pace, span) if pace > 0.0 else span
    root = pace * pace + 2.0 * slope * need
    used = (-pace + max(root, 0.0) ** 0.5) / slope
    return edge, min(max(used, 0.0), span)


def _at(stand: Stand, time_s: float, used: float) -> Stand:
    """The stand at a moment of its course."""
    course = stand.course
    move, share = course.proof.timing.locate(time_s)
    if course.first and time_s <= course.begins_s + _INSTANT_S:
        move, share = course.first - 1, 1.0
    place = course.motions.at(move, share) if len(course.motions) else stand.place
    if time_s <= course.begins_s and not course.first:
        place = stand.place
    runs = stand.on_course and len(course.motions) > 0 and move >= course.first
    line = int(course.motions.line[move]) if runs and stand.mode == "program" else stand.line
    tool = stand.tool
    if runs and not stand.habits.tools_by_hand:
        tool = int(course.tools[move])
    cutting = stand.cutting_s + (used if stand.on_course and stand.mode == "program" else 0.0)
    return replace(stand, at_s=time_s, place=place, line=line, tool=tool, cutting_s=cutting)


def _next_halt(stand: Stand) -> tuple[int, Halt] | None:
    """The next place at which it waits, with its number."""
    if not stand.on_course:
        return None
    for k in range(stand.passed, len(stand.course.halts)):
        halt = stand.course.halts[k]
        if halt.kind == "stop" or (halt.kind == "optional-stop" and stand.on("optional-stop")):
            return k, halt
        if halt.kind == "tool-change" and stand.habits.tools_by_hand:
            return k, halt
        if halt.kind == "first-z" and stand.on("hold-first-z"):
            return k, halt
        if halt.kind == "block" and stand.on("single-block") and halt.time_s >= stand.at_s - _INSTANT_S:
            return k, halt
    return None


def _waits(stand: Stand, number: int, halt: Halt) -> tuple[Stand, float, list[Told]]:
    """It stands at a halt."""
    passed = number + 1
    halts = stand.course.halts
    if (
        halt.kind == "block"
        and halt.move >= len(stand.course.motions)
        and not any(h.event >= 0 for h in halts[passed:])
    ):
        # The last block is done: there is nothing to wait for.
        return replace(stand, passed=passed), 0.0, []
    out = replace(_at(stand, halt.time_s, 0.0), moving=False, pace=0.0, slowing=False, waiting=halt, passed=passed)
    said = {
        "stop": f"The program stops in line {halt.line}: look, measure, correct, then start.",
        "optional-stop": f"Optional stop in line {halt.line}: start to go on.",
        "tool-change": f"Put in {stand.tool_words(halt.number)}, then start.",
        "first-z": f"First Z of {stand.tool_words(halt.number)}, line {halt.line}: look at the gap, then start.",
        "block": f"Line {halt.line} is done." if halt.line else "The line is done.",
    }[halt.kind]
    return out, 0.0, [Told("waits", said, halt.line)]


def _finished(stand: Stand) -> tuple[Stand, float, list[Told]]:
    """All of the course is made."""
    out = replace(
        _at(stand, stand.course.ends_s, 0.0), moving=False, pace=0.0, slowing=False, passed=len(stand.course.halts)
    )
    what = stand.course.what
    if what in ("program", "mdi") and stand.rest is None:
        held = stand.course.after or stand.held
        held = replace(held.copied(), at=out.place, real=out.place)
        ended = what == "program"
        if not out.habits.tools_by_hand:
            # A turret turns by itself, also where nothing moves after it.
            out = replace(out, tool=held.modal.tool)
        out = replace(out, mode="hand", held=held, begun=None, waiting=None, parts=stand.parts + ended)
        return out, 0.0, [Told("end", "The program is at its end.")] if ended else []
    out = _hand_placed(out)
    if what == "home":
        return replace(out, homed=True), 0.0, [Told("did", "The axes are home: they know where they are.")]
    if what == "jog":
        return _limit(out)
    return out, 0.0, []


def _hand_placed(stand: Stand) -> Stand:
    return replace(stand, held=replace(stand.held.copied(), at=stand.place, real=stand.place))


def _limit(stand: Stand) -> tuple[Stand, float, list[Told]]:
    """A jog that was not let go came to the end of its axis."""
    motions = stand.course.motions
    way = motions.end[-1] - motions.start[-1]
    k = int(abs(way).argmax())
    axis, sign = "xyz"[k], 1 if way[k] > 0.0 else -1
    off = f"{axis.upper()}{'−' if sign > 0 else '+'}"
    said = f"{axis.upper()} is at its limit: jog {off} to get off it"
    alarm = Alarm(kind="limit", said=said, axis=axis, way=sign, back=(f"Jog {off}.",))
    return replace(stand, alarm=alarm), 0.0, [Told("alarm", said)]


def _stood(stand: Stand) -> tuple[Stand, float, list[Told]]:
    """A hold has come to rest."""
    out = replace(stand, moving=False, slowing=False, pace=0.0)
    if not stand.on_course:
        return _hand_placed(out), 0.0, []
    pause = stand.habits.pause
    return out, 0.0, [Told("waits", f"Held in line {stand.line}.{f' {pause}' if pause else ''}", stand.line)]


def _alarmed(stand: Stand, trouble: Trouble) -> tuple[Stand, float, list[Told]]:
    """Metal in metal, the end of an axis, or a block that the control cannot run."""
    f = trouble.finding
    out = _at(stand, trouble.time_s, 0.0)
    line = f.line if stand.on_course and stand.mode == "program" else 0
    where = f"Line {line}: " if line else ""
    message = f.message[:1].upper() + f.message[1:]
    kind: AlarmKind = "contact"
    steps: tuple[str, ...]
    if f.code == "travel-limit" or f.severity != Severity.CRASH:
        kind, steps = "control", ("Clear the alarm.", "The program is stopped: mend the line and start again.")
    else:
        away = "Jog up, along the tool" if "z" in stand.job.bench.machine.axes else "Jog away"
        steps = (
            "Clear the alarm.", f"{away}, the way it came.", "Look at tool and work, and home the axes.",
            "Check the offset and the length that were in force, and the line that did it.",
        )  # fmt: skip
    alarm = Alarm(kind=kind, said=f"{where}{message}", line=line, code=f.code, back=steps)
    out = replace(
        _give_up(out) if stand.mode != "hand" else _hand_placed(out), alarm=alarm, moving=False, pace=0.0, slowing=False
    )
    return out, 0.0, [Told("alarm", alarm.said, line)]


def _give_up(stand: Stand) -> Stand:
    """No program any more."""
    held = planning.given_up(stand)
    return replace(
        stand, mode="hand", held=held, begun=None, rest=None, waiting=None, moving=False, pace=0.0, slowing=False
    )


def _stopped_dead(stand: Stand) -> Stand:
    out = replace(stand, moving=False, pace=0.0, slowing=False)
    if stand.mode != "hand":
        return _give_up(out)
    modal = replace(stand.held.modal, spindle="off")
    return replace(out, held=replace(stand.held.copied(), at=stand.place, real=stand.place, modal=modal))
