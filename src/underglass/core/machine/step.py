"""The step function: the stand and an action, or some seconds, make the stand after it and what was to be noticed."""

from __future__ import annotations

from dataclasses import replace

from underglass.core.bench.bench import Bench
from underglass.core.control.held import Held
from underglass.core.control.modal import Modal
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
from underglass.core.machine.course import Plan, Watch
from underglass.core.machine.habits import habits_of
from underglass.core.machine.interlocks import no_tool, why_not
from underglass.core.machine.left_out import left_out
from underglass.core.machine.passing import Told, Tolds, given_up, passed_time, stopped_dead
from underglass.core.machine.stand import Stand, Work
from underglass.core.proof.job import Job

_MOST_OVERRIDE, _MOST_SPINDLE = 1.5, 1.2


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
        return passed_time(stand, float(what))
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
            off = replace(stopped_dead(stand), stopped=True)
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
            return given_up(stand), (
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
    return passed_time(stand, 0.0)


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
