"""What the machine refuses, and why, in one line each: the same sentences for the window and for the step function.

Common practice, no source: which interlocks there are differs from machine to machine; these are the ones a person meets everywhere.
"""

from __future__ import annotations

import math

from underglass.core.control.motions import Kind
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
from underglass.core.machine.instruments import INSTRUMENTS
from underglass.core.machine.stand import Stand

NEAR_MM = 0.005
"""How near to where it was held the tool has to be brought back."""


def why_not(stand: Stand, action: Action) -> str:
    """Why an action is refused now; empty where it may be done."""
    match action:
        case Power(on=True):
            return "The power is on already." if stand.power else ""
        case Power():
            return "Stop what moves first." if stand.moving else ""
        case EmergencyStop() | Switch() | Overrides() | LetGo():
            return ""
    if not stand.power:
        return "The power is off."
    match action:
        case Hold():
            return "" if stand.moving else "Nothing moves."
        case Clear():
            return "" if stand.alarm is not None else "There is no alarm."
    if stand.stopped:
        return "The emergency stop is pressed: turn it free first."
    match action:
        case Guard(open=shut):
            return _guard(stand, shut)
        case Jog(axis=axis, way=way, rate=rate):
            return _jog(stand, axis, way, rate)
        case Step(axis=axis, by=by):
            return _jog(stand, axis, 1 if by > 0.0 else -1, "slow")
        case PutIn() | TakeOut() | Clamp() | Drawbar() | PutTool():
            return _by_hand(stand, action)
        case Load():
            return _moves(stand) or _ran(stand)
        case StopProgram():
            return "No program runs." if stand.mode == "hand" else _moves(stand)
    if stand.alarm is not None:
        return f"There is an alarm: {stand.alarm.said}. Clear it first."
    match action:
        case SetFigure():
            return _figure(stand)
        case Home():
            return _moves(stand) or _ran(stand) or _shut(stand)
        case Spindle(way=turn):
            return _spindle(stand, turn)
        case Mdi(text=text):
            return _mdi(stand, text)
        case BackToHeld():
            if stand.rest is None:
                return "No program is set aside."
            return _moves(stand) or _shut(stand)
        case CycleStart():
            return start_refused(stand)
    return ""


def _moves(stand: Stand) -> str:
    return "Something moves: hold it first." if stand.moving else ""


def _ran(stand: Stand) -> str:
    return "A program is under way: finish it or stop it first." if stand.mode != "hand" else ""


def _shut(stand: Stand) -> str:
    return "The guard is open." if stand.guard_open else ""


def _guard(stand: Stand, opens: bool) -> str:
    if opens == stand.guard_open:
        return f"The guard is {'open' if opens else 'shut'} already."
    if opens and stand.moving:
        return "The guard is locked while an axis moves."
    if opens and stand.spindle_on:
        return "The guard is locked while the spindle turns."
    return ""


def _jog(stand: Stand, axis: str, way: int, rate: str) -> str:
    if len(axis) != 1 or axis not in stand.job.bench.machine.axes:
        return f"This machine has no {axis.upper()}."
    if stand.moving:
        return "Something moves already."
    if stand.mode == "mdi":
        return "A typed line is under way: finish it or stop it first."
    if stand.waiting is not None and stand.waiting.kind == "tool-change":
        return f"The program waits for T{stand.waiting.number}: put it in and start."
    alarm = stand.alarm
    if alarm is not None and not (alarm.kind == "limit" and alarm.axis == axis and alarm.way == -way):
        if alarm.kind == "limit":
            return f"{alarm.axis.upper()} stands at its limit: jog {alarm.axis.upper()}{'−' if alarm.way > 0 else '+'} to get off it."
        return f"There is an alarm: {alarm.said}. Clear it first."
    if rate != "slow" and not stand.homed:
        return "Before home the axes only go slowly."
    if rate != "slow" and stand.guard_open:
        return "With the guard open the axes only go slowly."
    return ""


def _by_hand(stand: Stand, action: PutIn | TakeOut | Clamp | Drawbar | PutTool) -> str:
    h = stand.habits
    if stand.moving:
        return "Nothing is reached for while an axis moves."
    if stand.spindle_on:
        what = (
            f"The {h.holder} stays shut" if isinstance(action, Clamp) and not action.shut else "Nothing is reached for"
        )
        return f"{what} while the spindle turns."
    if isinstance(action, (Clamp, PutIn, TakeOut)) and stand.mode != "hand":
        return "A program is under way: finish it or stop it first."
    if not stand.guard_open:
        return "The guard is shut: open it first."
    match action:
        case PutIn():
            return f"The {h.holder} is shut: open it first." if h.holder and stand.clamped else ""
        case TakeOut():
            if stand.work is None:
                return f"There is no {h.work} in."
            return f"The {h.holder} is shut: open it first." if h.holder and stand.clamped else ""
        case Clamp(shut=shut):
            if not h.holder:
                return f"A {h.work} lies by its weight here."
            if shut == stand.clamped:
                return f"The {h.holder} is {'shut' if shut else 'open'} already."
            return f"There is no {h.work} in the {h.holder}." if shut and stand.work is None else ""
        case Drawbar(free=free):
            if not h.tools_by_hand:
                return "There is no drawbar here."
            return f"The drawbar is {'free' if free else 'drawn up'} already." if free == stand.drawbar_free else ""
        case PutTool(number=number):
            if not h.tools_by_hand:
                return f"The tools stay in the {h.tool_in} here: the program calls them."
            if number and number not in stand.job.bench.tools and number not in INSTRUMENTS:
                return f"There is no T{number} on the bench."
            return "" if stand.drawbar_free else "The drawbar is drawn up: free it first."
    return ""


def _figure(stand: Stand) -> str:
    if stand.moving:
        return "The control takes no figure while an axis moves."
    if stand.mode == "mdi" or (
        stand.mode == "program" and (stand.waiting is None or stand.waiting.kind not in ("stop", "optional-stop"))
    ):
        return "In the middle of a program the control takes figures only at a stop (M0, M1)."
    return ""


def _spindle(stand: Stand, way: str) -> str:
    if not stand.habits.turns:
        return "There is no spindle here."
    if stand.moving or stand.mode != "hand":
        return "The program has the spindle."
    if way == "off":
        return "" if stand.spindle_on else "The spindle stands already."
    return _shut(stand) or _held_fast(stand)


def _held_fast(stand: Stand) -> str:
    """What lets go where the spindle turns."""
    h = stand.habits
    if h.tools_by_hand and stand.drawbar_free:
        return "The drawbar is free: draw it up first."
    if h.holder and stand.work is not None and not stand.clamped:
        return f"The {h.holder} is open."
    return ""


def _ready(stand: Stand) -> str:
    if not stand.homed:
        return "The axes have not been home yet."
    return _shut(stand) or _held_fast(stand)


def _mdi(stand: Stand, text: str) -> str:
    if not text.strip():
        return "Nothing is typed."
    return _moves(stand) or _ran(stand) or _ready(stand)


def start_refused(stand: Stand) -> str:
    """Why cycle start does nothing."""
    if stand.moving and not stand.slowing:
        return "It runs already."
    refused = _ready(stand)
    if refused:
        return refused
    h = stand.habits
    if stand.work is None:
        return f"There is no {h.work} in{f' the {h.holder}' if h.holder else ''}."
    if stand.rest is not None:
        gap = math.dist(stand.place, stand.rest_at)
        return (
            f"The tool stands {gap:.3f} mm from where the program was held: bring it back first."
            if gap > NEAR_MM
            else ""
        )
    if stand.waiting is not None and stand.waiting.kind == "tool-change" and stand.tool == 0 and h.tools_by_hand:
        return f"There is no tool in the {h.tool_in}: the program calls T{stand.waiting.number}."
    return ""


def no_tool(stand: Stand) -> str:
    """Why a program that is set out does not start: it feeds before it has asked for any tool, and there is none."""
    if stand.tool or not stand.habits.tools_by_hand:
        return ""
    motions, first = stand.course.motions, stand.course.first
    change = next((e.before for e in motions.events if e.before >= first and e.kind == "tool-change"), len(motions))
    fed = [k for k in motions.kind[first:change] if int(k) in (Kind.FEED, Kind.ARC_CW, Kind.ARC_CCW)]
    return f"There is no tool in the {stand.habits.tool_in}." if fed else ""
