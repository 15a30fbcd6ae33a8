"""Belief against truth: length and radius registers.

Codes: length-register-wrong, length-offset-other, radius-register-wrong.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from underglass.core.control.motions import RegisterUse
from underglass.core.finding import Finding, Severity
from underglass.core.proof.length_ways import perfect_length
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.trades.milling.name import MILLING


@rule({"length-register-wrong": Severity.FAULT, "length-offset-other": Severity.CAUTION}, MILLING)
def _lengths(context: Context) -> Iterator[Finding]:
    told: set[tuple[int, int, int]] = set()
    for use in context.motions.lengths_used:
        if (use.line, use.number, use.tool) not in told:
            told.add((use.line, use.number, use.tool))
            yield from _length(context, use)


@rule({"radius-register-wrong": Severity.FAULT}, MILLING)
def _radii(context: Context) -> Iterator[Finding]:
    for radius in context.motions.radii_used:
        yield from _radius(context, radius)


def _odd_one(context: Context, use: RegisterUse) -> tuple[str, str, int]:
    """Which of T and H is not as the rest of the program has it ("T", "H" or ""), why, and the line that calls the tool."""
    change = next(
        (e for e in reversed(context.motions.events) if e.kind == "tool-change" and e.before <= use.before), None
    )
    line = change.line if change is not None else use.line
    for number in (line, line - 1, use.line):
        said = _numbers_said(context.lines[number - 1]) if 1 <= number <= len(context.lines) else set()
        if said == {use.number}:
            return "T", f"the comment in line {number} names {use.number}", line
        if said == {use.tool}:
            return "H", f"the comment in line {number} names {use.tool}", line
    radius = next((r for r in context.motions.radii_used if r.tool == use.tool and r.before >= use.before), None)
    if radius is not None and radius.number in (use.number, use.tool):
        return ("T" if radius.number == use.number else "H"), f"its radius register is D{radius.number}", line
    others = [u for u in context.motions.lengths_used if u is not use]
    if any(u.tool == use.tool and u.number == use.tool for u in others):
        return "H", f"elsewhere tool {use.tool} runs on H{use.tool}", line
    return "", "", line


def _numbers_said(text: str) -> set[int]:
    """Tool numbers that a line's comments name, as T3 or TOOL 3."""
    remarks = re.findall(r"\(([^()]*)\)|;(.*)", text)
    return {int(n) for a, b in remarks for n in re.findall(r"\bT(?:OOL)?[ #.]{0,3}0*(\d{1,4})\b", (a or b).upper())}


def _likely_cause(context: Context, use: RegisterUse, real: float) -> str:
    """What a figure like this usually comes from, where it shows it."""
    tolerance = context.job.settings.tolerance.length
    if use.value == 0.0:
        return f" (H{use.number} is empty)"
    if use.sign < 0:
        return " (G44 takes the register off)"
    if abs(use.value + real) <= tolerance:
        return " (the sign is the wrong way round)"
    for other in context.job.bench.tools.values():
        if other.number != use.tool and abs(perfect_length(context.job, other) - use.value) <= tolerance:
            return f" (that is tool {other.number}'s length)"
    tool = context.real_tool(use.tool)
    if tool is not None and tool.kind == "ball-end" and abs(abs(use.value - real) - tool.radius) <= tolerance:
        return " (out by the ball's radius)"
    return ""


def _length(context: Context, use: RegisterUse) -> Iterator[Finding]:
    tool = context.real_tool(use.tool)
    if tool is None:
        return
    place = {"line": use.line, "column": use.column, "end_column": use.end_column, "tool": use.tool, "move": use.before}
    if use.number not in (0, use.tool):
        odd, why, called = _odd_one(context, use)
        remedy = f"check T{use.tool} in line {called} and H{use.number} here: one of them is not what is meant"
        if odd:
            meant = f"T{use.number} in line {called}" if odd == "T" else f"H{use.tool}"
            remedy = f"write {meant}: {why}; or leave it if it is meant so"
        yield Finding(
            code="length-offset-other",
            message=f"tool {use.tool}, called in line {called}, runs on length register H{use.number}, not H{use.tool}",
            remedy=remedy,
            evidence={"register": f"H{use.number}", "tool": use.tool, "odd": odd, "tool_line": called},
            **place,  # type: ignore[arg-type]
        )
    off = context.wrong_length(use)
    if off:
        way = "higher" if off > 0 else "lower"
        right = perfect_length(context.job, tool)
        other = context.job.bench.really_in_spindle(use.number) if use.number != use.tool else None
        foreign = (
            other is not None
            and abs(perfect_length(context.job, other) - use.value) <= context.job.settings.tolerance.length
        )
        cause = _likely_cause(context, use, right)
        verb = "holds" if use.sign > 0 else "puts in force"
        truth = {
            "first-tool": f"it should hold {context.length(right, sign=True)}, tool {use.tool}'s length less that of tool {context.job.z_tool}",
            "to-part": f"it should hold {context.length(right)}, tool {use.tool} measured down to the part",
            "each-tool": f"Z was touched off with tool {use.tool} itself, so it should hold nothing",
        }.get(context.job.z_by, f"tool {use.tool} is really {context.length(tool.length)} long")
        yield Finding(
            code="length-register-wrong",
            message=f"H{use.number} {verb} {context.length(use.value)}{cause}, {truth}: the tip runs {context.length(abs(off))} {way} than the control believes",
            remedy="write G43, which puts the register on"
            if use.sign < 0
            else f"the register is right for tool {use.number}: correct the T or the H, not the figure"
            if foreign
            else f"measure tool {use.tool} and set H{use.number} to its length, or call the register that holds it",
            evidence={
                "register": f"H{use.number}",
                "register_mm": use.value,
                "real_length_mm": tool.length,
                "right_mm": right if use.sign > 0 else None,
                "number_is_wrong": foreign,
                "tip_high_mm": off,
            },
            **place,  # type: ignore[arg-type]
        )


def _radius(context: Context, use: RegisterUse) -> Iterator[Finding]:
    tool = context.real_tool(use.tool)
    if tool is None or abs(use.value - tool.radius) <= context.job.settings.tolerance.radius:
        return
    tolerance = context.job.settings.tolerance.radius
    cause = ""
    if use.value == 0.0:
        cause = f" (D{use.number} is empty)"
    elif abs(use.value - tool.DC) <= tolerance:
        cause = " (that is the diameter)"
    else:
        for other in context.job.bench.tools.values():
            if other.number != use.tool and abs(other.radius - use.value) <= tolerance:
                cause = f" (that is tool {other.number}'s radius)"
    off = use.value - tool.radius
    effect = "too much material stays" if off > 0 else "too much is cut away"
    yield Finding(
        code="radius-register-wrong",
        line=use.line,
        message=f"D{use.number} is set to radius {context.length(use.value)}{cause}, but tool {use.tool} measures {context.length(tool.radius)}: {effect}, "
        f"{context.length(abs(off))} a side",
        remedy=f"measure tool {use.tool} and set D{use.number} to its radius",
        column=use.column,
        end_column=use.end_column,
        tool=use.tool,
        move=use.before,
        evidence={"register": f"D{use.number}", "register_mm": use.value, "real_radius_mm": tool.radius},
    )
