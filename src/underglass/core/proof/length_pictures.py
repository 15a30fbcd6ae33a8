"""A small drawing of each way in which Z comes to know the tool: a block, two tools, and what each figure measures."""

from __future__ import annotations

from underglass.core.reckon.form import Stroke

WAY_WORDS: dict[str, str] = {
    "length-registers": "each tool's length in H",
    "first-tool": "touched with one tool, the others' H against it",
    "each-tool": "touched off with each tool, no registers",
    "tool-table": "the tool's own H, by itself at the change",
    "to-part": "H measured down to the part",
}

WAY_SAID: dict[str, str] = {
    "length-registers": "The offset holds the part's zero, each H its tool's real length; G43 H puts it in force.",
    "first-tool": "Z of the offset was touched with one tool, which needs no H; each other H holds how much longer its tool is.",
    "each-tool": "Z of the offset is touched off anew with each tool at its change. No length register is used.",
    "tool-table": "The control puts the register of the tool in the spindle in force by itself at each change.",
    "to-part": "Z of the offset is nothing; each H holds the way from the tool's tip at the top down to the part, and is negative.",
}

_GAUGE, _TOP, _FLOOR = 62.0, 0.0, -16.0


def _tool(x: float, gauge: float, length: float, name: str) -> list[Stroke]:
    """A tool in its holder, hanging from the gauge line."""
    half, out = 4.0, 0.45 * length
    tip, shoulder = gauge - length, gauge - length + out
    return [
        Stroke("line", (x - 9.0, gauge, x + 9.0, gauge), "part", name),
        Stroke("line", (x - 9.0, gauge, x - 9.0, shoulder)),
        Stroke("line", (x + 9.0, gauge, x + 9.0, shoulder)),
        Stroke("line", (x - 9.0, shoulder, x + 9.0, shoulder)),
        Stroke("line", (x - half, shoulder, x - half, tip)),
        Stroke("line", (x + half, shoulder, x + half, tip)),
        Stroke("line", (x - half, tip, x + half, tip)),
    ]


def _span(x: float, low: float, high: float, words: str) -> list[Stroke]:
    """A measure upright between two heights."""
    return [
        Stroke("measure", (x, low, x, high), "measure", words),
        Stroke("line", (x - 2.5, low, x + 2.5, low), "measure"),
        Stroke("line", (x - 2.5, high, x + 2.5, high), "measure"),
    ]


def length_picture(way: str) -> tuple[Stroke, ...]:
    """The drawing of one way; heights are not to any scale."""
    out = [
        Stroke("line", (0.0, _TOP, 120.0, _TOP), "part", "Z0"),
        Stroke("line", (0.0, _TOP, 0.0, _FLOOR)),
        Stroke("line", (120.0, _TOP, 120.0, _FLOOR)),
    ]
    short, long = 34.0, 50.0
    if way == "first-tool":
        out += _tool(36.0, short, short, "T1") + _tool(92.0, short, long, "T2")[:1] + _tool(92.0, _GAUGE, long, "T2")
        out += _span(6.0, _TOP, short, "G54 Z") + _span(112.0, _GAUGE - long, _GAUGE - short, "H2")
        out.append(Stroke("line", (84.0, _GAUGE - short, 114.0, _GAUGE - short), "help"))
        return tuple(s for s in out if not (s.text == "T2" and s.at[1] == short))
    if way == "each-tool":
        out += _tool(36.0, short, short, "T1") + _tool(92.0, long, long, "T2")
        return (*out, *_span(6.0, _TOP, short, "Z with T1"), *_span(112.0, _TOP, long, "Z with T2"))
    if way == "to-part":
        out += _tool(36.0, _GAUGE, short, "T1") + _tool(92.0, _GAUGE, long, "T2")
        return (*out, *_span(36.0, _TOP, _GAUGE - short, "H1"), *_span(92.0, _TOP, _GAUGE - long, "H2"))
    one, two = ("H1 by T1", "H2 by T2") if way == "tool-table" else ("H1", "H2")
    out += _tool(36.0, _GAUGE, short, "T1") + _tool(92.0, _GAUGE, long, "T2")
    out += _span(6.0, _GAUGE - short, _GAUGE, one) + _span(112.0, _GAUGE - long, _GAUGE, two)
    return tuple(out)
