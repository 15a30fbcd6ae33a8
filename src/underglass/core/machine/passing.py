"""Time at the machine: the stand some seconds later, along its course, to the next place where something changes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from underglass.core.control.motions import Kind
from underglass.core.finding import Severity
from underglass.core.machine import planning
from underglass.core.machine.course import Halt, Trouble
from underglass.core.machine.stand import Alarm, AlarmKind, Stand

_INSTANT_S = 1e-7
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


def passed_time(stand: Stand, seconds: float) -> tuple[Stand, Tolds]:
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
        given_up(out) if stand.mode != "hand" else _hand_placed(out), alarm=alarm, moving=False, pace=0.0, slowing=False
    )
    return out, 0.0, [Told("alarm", alarm.said, line)]


def given_up(stand: Stand) -> Stand:
    """No program any more."""
    held = planning.given_up(stand)
    return replace(
        stand, mode="hand", held=held, begun=None, rest=None, waiting=None, moving=False, pace=0.0, slowing=False
    )


def stopped_dead(stand: Stand) -> Stand:
    out = replace(stand, moving=False, pace=0.0, slowing=False)
    if stand.mode != "hand":
        return given_up(out)
    modal = replace(stand.held.modal, spindle="off")
    return replace(out, held=replace(stand.held.copied(), at=stand.place, real=stand.place, modal=modal))
