"""From an action to a course: what is set out, from where the machine stands, in the state the control is in."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from underglass.core.bench.bench import Bench
from underglass.core.bench.solid import Solid
from underglass.core.control.held import Held
from underglass.core.control.interpret import Control
from underglass.core.control.joining import cut_in_two, no_moves, part_of
from underglass.core.control.motions import Motions
from underglass.core.control.state import AtStop, Registers, Start, Vector
from underglass.core.language.source import Source, read_lines
from underglass.core.machine.actions import SetFigure
from underglass.core.machine.course import (
    Course,
    Ints,
    Plan,
    Watch,
    What,
    left_of,
    nothing,
    real_numbers,
    set_out,
    straight,
)
from underglass.core.machine.instruments import INSTRUMENTS
from underglass.core.machine.stand import Begun, Stand, Work
from underglass.core.proof.job import Job
from underglass.core.proof.prove import control_for
from underglass.core.proof.touch import first_touch

JOG_FEED = {"slow": 150.0, "fast": 1500.0}
"""mm/min (common practice, no source)."""

HOME_FEED = 3000.0
STEP_FEED = 600.0

_INSTANT_S = 1e-7


def bench_with(bench: Bench, work: Work | None) -> Bench:
    """The bench as the work really lies on it. Benches that a trade keeps in its own way stay as they are."""
    if bench.more is not None or (work is not None and work.right):
        return bench
    if work is None:
        return replace(bench, stocks=())
    return replace(bench, stocks=tuple(_laid(stock, work) for stock in bench.stocks))


def _laid(stock: Solid, work: Work) -> Solid:
    """A stock turned about its middle, moved along X off its stop, and lifted."""
    x, y, _z = stock.extent
    middle = stock.frame.out(np.array([[x / 2.0, y / 2.0, 0.0]]))[0]
    turned = replace(stock.frame, turn_rad=stock.frame.turn_rad + math.radians(work.turned))
    now = turned.out(np.array([[x / 2.0, y / 2.0, 0.0]]))[0]
    frame = replace(
        turned,
        x=turned.x + float(middle[0] - now[0]) + work.off_stop,
        y=turned.y + float(middle[1] - now[1]),
        z=turned.z + work.chip,
    )
    return replace(stock, frame=frame)


def control_in(job: Job, held: Held, at_stops: tuple[AtStop, ...] = ()) -> Control:
    """The job's control in a state. What is corrected at stops is what the person at the machine corrects, not what the job file says."""
    control = control_for(replace(job, at_stops=at_stops, start=Start()))
    control.put(held)
    return control


def _feels(stand: Stand, control: Control) -> Control:
    """A probing move touches with what is really in the spindle."""
    bench = replace(stand.job.bench, tools={**stand.job.bench.tools, **INSTRUMENTS}, loaded={})
    control.touch = lambda start, end, _called: first_touch(bench, start, end, stand.tool)
    return control


def made(stand: Stand) -> tuple[Motions, Ints, int]:
    """The diary as it is now, its tools, and how many of its moves are the course's own."""
    course = stand.course
    if not len(course.motions):
        return course.motions, course.tools, 0
    if stand.at_s >= course.ends_s - _INSTANT_S:
        return course.motions, course.tools, len(course.motions)
    if stand.at_s <= course.begins_s:
        head = part_of(course.motions, 0, course.first)
        return head, course.tools[: course.first], course.first
    move, share = stand.located()
    head, _tail = cut_in_two(course.motions, move, share)
    return head, course.tools[: len(head)], move if share < 1.0 else move + 1


def planned(stand: Stand, plan: Plan, watch: Watch) -> Stand:
    """The stand with a course set out; nothing moves yet. Raises ``Cancelled``."""
    diary, tools, kept = made(stand)
    job = stand.job
    before = stand.course.proof if stand.course.proof.job.bench == job.bench else None
    course = set_out(job, stand.source, diary, tools, plan, before, kept, watch=watch)
    return replace(stand, course=course, at_s=course.begins_s, passed=0, waiting=None, pace=0.0, slowing=False)


def anew(stand: Stand, watch: Watch) -> Stand:
    """The stand with work that nothing has been done to, on the bench as it is now."""
    course = set_out(
        stand.job, stand.source, no_moves(), np.zeros(0, dtype=np.int32), nothing(), None, 0, watch=watch
    )  # fmt: skip
    return replace(stand, course=course, at_s=0.0, passed=0, waiting=None)


def ends_of(stand: Stand) -> tuple[Vector, Vector]:
    """How far the gauge line may go, machine coordinates."""
    machine = stand.job.bench.machine
    return machine.travel_min, machine.travel_max


def jog(stand: Stand, axis: str, way: int, rate: str) -> Plan:
    """As far as the axis goes."""
    k = "xyz".index(axis)
    low, high = ends_of(stand)
    to = list(stand.place)
    to[k] = high[k] if way > 0 else low[k]
    return _by_hand(stand, [stand.place, (to[0], to[1], to[2])], _feed(stand, k, rate), "jog")


def _feed(stand: Stand, k: int, rate: str) -> float:
    most = stand.job.bench.machine.rapid[k]
    return min(JOG_FEED[rate], most) if rate in JOG_FEED else most


def step(stand: Stand, axis: str, by: float) -> Plan:
    """So far, and no farther than the axis goes."""
    k = "xyz".index(axis)
    low, high = ends_of(stand)
    to = list(stand.place)
    to[k] = min(max(to[k] + by, low[k]), high[k])
    return _by_hand(stand, [stand.place, (to[0], to[1], to[2])], STEP_FEED, "step")


def _by_hand(stand: Stand, way: list[Vector], feed: float, what: What) -> Plan:
    state = stand.in_force if stand.spindle_on else stand.held.modal.freeze()._replace(spindle="off")
    return straight(state, way, feed, stand.tool, what)


def home(stand: Stand) -> Plan:
    """Along the tool first, then across."""
    to = stand.job.bench.machine.home
    x, y, z = stand.place
    over = (x, y, to[2]) if "z" in stand.job.bench.machine.axes else (x, y, z)
    if stand.job.bench.machine.kind == "lathe":
        over = (to[0], y, z)
    state = stand.held.modal.freeze()._replace(spindle="off")
    return straight(state, [stand.place, over, to], HOME_FEED, stand.tool, "home")


def back(stand: Stand) -> Plan:
    """To where the program was held: up or away first where that is higher, then across, then along the tool."""
    (x, y, z), (a, b, c) = stand.place, stand.rest_at
    high = max(z, c)
    return _by_hand(stand, [(x, y, z), (x, y, high), (a, b, high), (a, b, c)], JOG_FEED["fast"], "back")


def typed(stand: Stand, text: str) -> Plan:
    """What a typed line comes to."""
    control = _feels(stand, control_in(stand.job, replace(stand.held.copied(), stops_met=0)))
    run = control.run((text,), name="MDI")
    motions = replace(run.motions, line=np.zeros(len(run.motions), dtype=np.int32))
    motions = replace(motions, events=tuple(e._replace(line=0) for e in motions.events if e.kind != "end"))
    tools = real_numbers(motions, dict(stand.put_in), stand.held.modal.tool, stand.tool)
    return Plan(what="mdi", motions=motions, tools=tools, after=control.copied(), findings=run.findings, text=text)


def from_line(source: Source, line: int) -> Source:
    """A program whose lines before this one are not run."""
    if line <= 1:
        return source
    return read_lines([*("" for _ in range(line - 1)), *source.lines[line - 1 :]], source.name)


def begun(stand: Stand, line: int) -> Begun:
    """How the program begins now."""
    held = replace(stand.held.copied(), stops_met=0)
    return Begun(held=held, source=from_line(stand.source, line), line=line)


def program(stand: Stand, start: Begun, watch: Watch) -> tuple[Plan, Held]:
    """The whole program from how it was begun. Raises ``Cancelled``."""
    watch.progress("reading the program", 0.0)
    job = replace(
        stand.job,
        switches=replace(stand.job.switches, block_skip=stand.on("block-skip"), optional_stop=True, feed_override=1.0, rapid_override=1.0),
    )  # fmt: skip
    control = _feels(stand, control_in(job, start.held.copied(), start.at_stops))
    run = control.run(start.source.lines, watch.cancelled, stand.source.name)
    after = control.copied()
    tools = real_numbers(run.motions, dict(stand.put_in), start.held.modal.tool, stand.tool)
    plan = Plan(what="program", motions=run.motions, tools=tools, after=after, findings=run.findings)
    return plan, after


def rest_of(stand: Stand) -> Plan:
    """What is left of the program at this moment, the halts that are over left out."""
    course = stand.course
    move, share = stand.located()
    if stand.at_s <= course.begins_s:
        move, share = (course.first - 1, 1.0) if course.first else (0, 0.0)
    _head, tail = cut_in_two(course.motions, move, share)
    done = {h.event for h in course.halts[: stand.passed] if h.event >= 0}
    events = [e for k, e in enumerate(course.motions.events) if k not in done and k >= _first_event(course)]
    count = len(course.motions) - len(tail)
    tail = replace(tail, events=tuple(e._replace(before=max(e.before - count, 0)) for e in events if e.before >= count))
    return left_of(course, move, tail)


def _first_event(course: Course) -> int:
    return next((h.event for h in course.halts if h.event >= 0), len(course.motions.events))


def with_figure(stand: Stand, told: SetFigure) -> Stand:
    """The control told a figure: register and, where it is in force, what follows from it."""
    registers = _put(stand.job.registers, told)
    job = replace(stand.job, registers=registers)
    control = control_in(job, stand.held.copied())
    control.work_offsets, control.length_registers = dict(registers.work), dict(registers.length)
    control.radius_registers, control.geometry = dict(registers.radius), dict(registers.geometry)
    m = control.modal
    if told.group in ("work", "geometry"):
        control.use_offset(m.offset)
    if told.group == "length" and m.h_number == _number(told.key):
        m.h_value = m.h_sign * told.value
        control.length_changed()
    return replace(stand, job=job, held=control.copied())


def _number(key: str) -> int:
    digits = key.lstrip("HDTG")
    return int(digits) if digits.isdecimal() and len(digits) < 6 else -1


def _put(registers: Registers, told: SetFigure) -> Registers:
    k = "xyz".find(told.axis) if told.axis else -1
    if told.group == "work":
        at = list(registers.work.get(told.key, (0.0, 0.0, 0.0)))
        at[max(k, 0)] = told.value
        return replace(registers, work={**registers.work, told.key: (at[0], at[1], at[2])})
    number = _number(told.key)
    if told.group == "geometry":
        at = list(registers.geometry.get(number, (0.0, 0.0, 0.0)))
        at[max(k, 0)] = told.value
        return replace(registers, geometry={**registers.geometry, number: (at[0], at[1], at[2])})
    if told.group == "length":
        return replace(registers, length={**registers.length, number: told.value})
    return replace(registers, radius={**registers.radius, number: told.value})


def figure_of(registers: Registers, told: SetFigure) -> float:
    """What a register holds now."""
    k = max("xyz".find(told.axis), 0)
    number = _number(told.key)
    if told.group == "work":
        return registers.work.get(told.key, (0.0, 0.0, 0.0))[k]
    if told.group == "geometry":
        return registers.geometry.get(number, (0.0, 0.0, 0.0))[k]
    return (registers.length if told.group == "length" else registers.radius).get(number, 0.0)


def at_stop(stand: Stand, told: SetFigure, stop: int) -> AtStop:
    """The same as a correction at a stop: by how much it changes."""
    by = told.value - figure_of(stand.job.registers, told)
    number = _number(told.key)
    if told.group == "work":
        shift = [0.0, 0.0, 0.0]
        shift[max("xyz".find(told.axis), 0)] = by
        return AtStop(stop=stop, work={told.key: (shift[0], shift[1], shift[2])})
    if told.group == "geometry":
        shift = [0.0, 0.0, 0.0]
        shift[max("xyz".find(told.axis), 0)] = by
        return AtStop(stop=stop, wear={number: (shift[0], shift[1], shift[2])})
    return AtStop(stop=stop, length={number: by}) if told.group == "length" else AtStop(stop=stop, radius={number: by})


def behind_stop(plan: Plan, stop: int) -> Plan:
    """What of a program comes behind its ``stop``-th stop."""
    motions = plan.motions
    for k, event in enumerate(motions.events):
        if event.kind in ("stop", "optional-stop") and event.number == stop:
            rest = part_of(motions, event.before, len(motions), with_last_events=True)
            events = tuple(e._replace(before=e.before - event.before) for e in motions.events[k + 1 :])
            return replace(plan, motions=replace(rest, events=events), tools=plan.tools[event.before :])
    return plan


def given_up(stand: Stand) -> Held:
    """The control's state after a program is given up: fresh from power-on, but for shifts and a rotation that were on."""
    fresh = control_for(replace(stand.job, at_stops=(), start=Start()))
    m, start = fresh.modal, stand.begun
    if start is not None and stand.line:
        ran = control_in(stand.job, start.held.copied(), start.at_stops)
        ran.stand_before(start.source.lines, stand.line, stand.source.name)
        m.mapping = ran.modal.mapping
        m.tool = ran.modal.tool
    else:
        m.mapping, m.tool = stand.held.modal.mapping, stand.held.modal.tool
    fresh.at = fresh.real = stand.place
    return fresh.copied()


def first_proof(job: Job, source: Source) -> tuple[Held, Course]:
    """The control as the last job left it, and a course of nothing."""
    control = control_for(replace(job, at_stops=()))
    course = set_out(
        job,
        source,
        no_moves(),
        np.zeros(0, dtype=np.int32),
        nothing(),
        None,
        0,
        watch=Watch(),
    )
    return control.copied(), course
