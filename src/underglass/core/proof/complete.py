"""What may stand where a word is being written: what the control knows, what is on the bench, what is in force.

Nothing is offered inside a comment. Figures for S and F come from the tool and the material table.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from underglass.core.bench.material import Material
from underglass.core.bench.tool import Tool
from underglass.core.control.cycles import BoundCycle
from underglass.core.control.words import OFFSETS_IN_ORDER, g_key, g_name
from underglass.core.language.block import read_block
from underglass.core.language.outline import sections
from underglass.core.proof.job import Job
from underglass.core.proof.said import G_SAID, M_SAID
from underglass.core.proof.standing import Standing
from underglass.core.units import Unit, from_mm, show_length, show_surface

_BEGUN = re.compile(r"(?<![A-Za-z#\[])([A-Za-z])\s*(-?\d*+\.?\d*+)$")
_MOTIONS = {
    0: "Rapids",
    10: "Cuts straight at feed",
    20: "Cuts an arc clockwise",
    30: "Cuts an arc anticlockwise",
}
_SIDES = {
    410: "Compensation on, the tool left of its way", 420: "Compensation on, the tool right of its way",
    430: "Length offset on, from register H",
}  # fmt: skip
_STARTS = {3: "Spindle on, clockwise", 4: "Spindle on, anticlockwise", 5: "Spindle off", 6: "Changes the tool",
           19: "Spindle stops in one direction", 98: "Calls a subprogram", 99: "Returns from a subprogram"}  # fmt: skip


class Suggestion(NamedTuple):
    """``text`` stands in place of what is begun; ``said`` is what it does; ``now``: it is in force already."""

    text: str
    said: str
    now: bool = False


def begun(text: str, column: int) -> tuple[int, str, str] | None:
    """(column where it begins, letter, figures so far) of the word being written before a column; None in a comment."""
    block = read_block(text[:column], 1)
    if any(r.end > column - 1 for r in block.remarks if r.text.startswith(";")) or text[:column].rfind("(") > text[
        :column
    ].rfind(")"):
        return None
    found = _BEGUN.search(text[:column])
    return (found.start(), found[1].upper(), found[2]) if found is not None else None


def suggestions(
    job: Job,
    text: str,
    column: int,
    stand: Standing | None,
    lines: Sequence[str] = (),
    material: Material | None = None,
) -> list[Suggestion]:
    """What the word that is begun before ``column`` may be. An empty list where nothing is known."""
    at = begun(text, column)
    if at is None:
        return _missing(job, text, stand) if not text[:column].strip() or text[:column].endswith(" ") else []
    _start, letter, so_far = at
    if letter == "G":
        found = _g(job, stand)
    elif letter == "M":
        found = _m(job)
    elif letter == "T":
        found = [Suggestion(f"T{t.number}", t.name) for t in job.bench.tools.values()]
    elif letter == "H":
        found = _registers("H", job.registers.length, stand, job)
    elif letter == "D":
        found = _registers("D", job.registers.radius, stand, job)
    elif letter == "S":
        found = _speeds(job, stand)
    elif letter == "F":
        found = _feeds(job, text, stand)
    elif letter == "P" and re.search(r"M0*98|G0*65", text, re.IGNORECASE):
        found = [Suggestion(f"P{s.number}", s.title or "subprogram") for s in sections(lines) if s.kind == "program"]
    else:
        found = []
    wanted = (letter + so_far).upper()
    return [s for s in found if s.text.startswith(wanted) and s.text != wanted]


def _g(job: Job, stand: Standing | None) -> list[Suggestion]:
    now = set()
    if stand is not None:
        now = {*stand.before.words, stand.before.motion} | {w.split()[0] for w in stand.before.words if w}
    out = []
    for key in sorted(job.control.g_groups):
        name = g_name(key)
        cycle = job.control.cycles.get(key)
        if cycle is not None:
            said = cycle.cycle.said
        elif name in OFFSETS_IN_ORDER:
            zero = job.registers.work.get(name)
            said = "Work offset" + (": " + _place(zero, job.units) if zero is not None else ", not set")
        else:
            said = _MOTIONS.get(key) or _SIDES.get(key) or G_SAID.get(key, job.control.g_groups[key])
        out.append(Suggestion(name, said, name in now))
    return out


def _place(zero: Sequence[float], unit: Unit) -> str:
    return " ".join(f"{axis}{show_length(v, unit)}" for axis, v in zip("XYZ", zero))


def _m(job: Job) -> list[Suggestion]:
    said = {**M_SAID, **_STARTS, **job.control.no_effect}
    return [Suggestion(f"M{code}", text) for code, text in sorted(said.items())]


def _registers(letter: str, values: Mapping[int, float], stand: Standing | None, job: Job) -> list[Suggestion]:
    tool = stand.before.tool if stand is not None else 0
    names = {t.number: t.name for t in job.bench.tools.values()}
    order = sorted(values, key=lambda n: (n != tool, n))
    return [
        Suggestion(f"{letter}{n}", f"{show_length(values[n], job.units)} {job.units}" + (f" · T{n} {names[n]}" if n in names else ""))
        for n in order
    ]  # fmt: skip


def _tool(job: Job, stand: Standing | None) -> Tool | None:
    number = stand.before.tool if stand is not None else 0
    return job.bench.tools.get(number)


def advised(tool: Tool, material: Material | None, speed_limit: float = math.inf) -> tuple[float, float, float] | None:
    """(rpm, feed mm/min, chip load mm) to begin with: half of the table's highest speed, a third of its highest chip load.

    None without a table row. The shares are common practice, no source: a start that is safe for clamping and reach not
    known here.
    """
    if material is None or tool.DC <= 0.0:
        return None
    vc = material.vc.get(tool.substrate)
    if vc is None:
        return None
    rpm = min(vc * 0.5 * 1000.0 / (math.pi * tool.DC), speed_limit)
    fz = material.highest_feed(tool.DC) / 3.0
    teeth = tool.NOF or 2
    rpm = float(round(rpm, -2) if rpm >= 1000 else round(rpm, -1)) or 10.0
    return rpm, rpm * fz * teeth, fz


def _speeds(job: Job, stand: Standing | None) -> list[Suggestion]:
    tool = _tool(job, stand)
    good = advised(tool, job.bench.cuts_like, job.bench.machine.spindle_max) if tool is not None else None
    if tool is None or good is None:
        return []
    vc = show_surface(tool.surface_speed(good[0]), _unit(job, stand))
    return [Suggestion(f"S{good[0]:.0f}", f"{vc} for {tool.name}: half of the table's highest")]


def _feeds(job: Job, text: str, stand: Standing | None) -> list[Suggestion]:
    tool = _tool(job, stand)
    spoken = next((w.value for w in read_block(text, 1).words if w.letter == "S"), None)
    good = advised(tool, job.bench.cuts_like, job.bench.machine.spindle_max) if tool is not None else None
    if tool is None or good is None:
        return []
    rpm = spoken or (stand.before.speed if stand is not None and stand.before.speed else good[0])
    unit = _unit(job, stand)
    tooth = from_mm(good[2], unit)
    turn = tooth * (tool.NOF or 2)
    by_the_turn = stand is not None and stand.before.feed_mode == "G95"
    feed = turn if by_the_turn else rpm * turn
    places = (4 if unit == "inch" else 3) if by_the_turn else 1 if unit == "inch" else -1 if feed >= 100 else 0
    why = f"{tooth:.{4 if unit == 'inch' else 3}f} {unit} a tooth at S{rpm:.0f} for {tool.name}"
    return [Suggestion(f"F{round(feed, places):g}", why)]


def _unit(job: Job, stand: Standing | None) -> Unit:
    return stand.unit if stand is not None else job.units


def cycle_of(job: Job, text: str, stand: Standing | None) -> tuple[int, BoundCycle] | None:
    """The cycle (code times ten, cycle) that a block starts, or that is in force where it has words of a hole."""
    for word in read_block(text, 1).words:
        key = g_key(word.value) if word.letter == "G" else None
        if key is not None and key in job.control.cycles:
            return key, job.control.cycles[key]
        if key in (0, 10, 20, 30, 800):
            return None
    if stand is not None and stand.before.motion in job.control.cycle_by_name:
        cycle = job.control.cycle_by_name[stand.before.motion]
        return next(key for key, c in job.control.cycles.items() if c is cycle), cycle
    return None


def _missing(job: Job, text: str, stand: Standing | None) -> list[Suggestion]:
    """The letters that a cycle's block does not have yet."""
    found = cycle_of(job, text, None)
    if found is None:
        return []
    have = {w.letter for w in read_block(text, 1).words}
    return [Suggestion(letter, said) for _name, letter, said in found[1].inputs if letter not in have]
