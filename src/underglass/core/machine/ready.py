"""What stands between a person and the cut: one line a condition, met or not, with the action that meets it."""

from __future__ import annotations

from dataclasses import dataclass

from underglass.core.machine.actions import (
    Action,
    Clamp,
    Clear,
    CycleStart,
    Drawbar,
    EmergencyStop,
    Guard,
    Home,
    Power,
    PutIn,
    PutTool,
)
from underglass.core.machine.interlocks import why_not
from underglass.core.machine.stand import Stand


@dataclass(frozen=True, slots=True, kw_only=True)
class Condition:
    """``said`` as it is now; ``done``: it is met. ``words`` and ``action``: what meets it, where one action does."""

    name: str
    said: str
    done: bool
    words: str = ""
    action: Action | None = None


_ALARMS = {
    "contact": "Alarm: metal met metal",
    "limit": "Alarm: an axis at its limit",
    "control": "Alarm from the control",
}


def conditions(stand: Stand) -> tuple[Condition, ...]:
    """In the order in which a person meets them."""
    h = stand.habits
    out = [
        Condition(
            name="power",
            said="Power on" if stand.power else "Power off",
            done=stand.power,
            words="Turn it on",
            action=Power(),
        )
    ]
    if stand.stopped:
        out.append(
            Condition(
                name="stop",
                said="Emergency stop pressed",
                done=False,
                words="Turn it free",
                action=EmergencyStop(False),
            )
        )
    if stand.alarm is not None:
        action = None if stand.alarm.kind == "limit" else Clear()
        out.append(
            Condition(
                name="alarm",
                said=_ALARMS[stand.alarm.kind],
                done=False,
                words="Clear it" if action else "",
                action=action,
            )
        )
    out.append(
        Condition(
            name="home",
            said="Axes home" if stand.homed else "Axes not home",
            done=stand.homed,
            words="Go home",
            action=Home(),
        )
    )
    work = stand.work
    in_what = f"in the {h.holder}" if h.holder else "on the table"
    said = f"{h.work.capitalize()} {in_what}"
    if work is None:
        said = f"No {h.work} {in_what}"
    elif work.turned:
        said += f", turned {work.turned}°"
    out.append(Condition(name="work", said=said, done=work is not None, words="Put it in", action=PutIn()))
    if h.holder:
        out.append(
            Condition(
                name="clamp",
                said=f"{h.holder.capitalize()} {'shut' if stand.clamped else 'open'}",
                done=stand.clamped,
                words="Shut it",
                action=Clamp(True),
            )
        )
    if h.tools_by_hand:
        out += _tool(stand)
    out.append(
        Condition(
            name="guard",
            said="Guard open" if stand.guard_open else "Guard shut",
            done=not stand.guard_open,
            words="Shut it",
            action=Guard(False),
        )
    )
    return tuple(out)


def _tool(stand: Stand) -> list[Condition]:
    asked = stand.waiting.number if stand.waiting is not None and stand.waiting.kind == "tool-change" else 0
    there = stand.tool_words(stand.tool)
    if asked and stand.tool != asked:
        said = f"The program calls {stand.tool_words(asked)}; {there if stand.tool else 'nothing'} is in"
        tool = Condition(name="tool", said=said, done=False, words=f"Put in T{asked}", action=PutTool(asked))
    else:
        said = f"{there[:1].upper()}{there[1:]} in the {stand.habits.tool_in}"
        # A program that begins with a change asks for its tool.
        tool = Condition(
            name="tool", said=said if stand.tool else f"No tool in the {stand.habits.tool_in}", done=bool(stand.tool)
        )
    free = stand.drawbar_free
    bar = Condition(
        name="drawbar",
        said="Drawbar free" if free else "Drawbar drawn up",
        done=not free,
        words="Draw it up",
        action=Drawbar(False),
    )
    return [tool, bar]


def next_thing(stand: Stand) -> str:
    """What to do next, in one sentence."""
    if stand.moving:
        return "It moves. Hold stops it."
    if stand.alarm is not None:
        return " ".join(stand.alarm.back)
    if stand.waiting is not None and stand.waiting.kind == "tool-change" and stand.tool != stand.waiting.number:
        steps = []
        if not stand.guard_open:
            steps.append("open the guard")
        if not stand.drawbar_free:
            steps.append("free the drawbar")
        steps.append(f"put in {stand.tool_words(stand.waiting.number)}")
        text = ", ".join(steps)
        return f"{text[:1].upper()}{text[1:]}."
    for one in conditions(stand):
        if not one.done and one.words:
            refused = why_not(stand, one.action) if one.action is not None else ""
            if refused and one.name in ("work", "clamp", "tool", "drawbar") and not stand.guard_open:
                return f"{one.said}: open the guard."
            return f"{one.said}: {one.words[:1].lower()}{one.words[1:]}."
    if stand.rest is not None:
        refused = why_not(stand, CycleStart())
        return refused or "The tool is back where the program was held: start goes on."
    if stand.mode == "program":
        return "Start goes on with the program."
    return "Ready: touch off, or start the program."
