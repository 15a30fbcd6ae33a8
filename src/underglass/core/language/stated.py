"""What a posted program states in its comments: stock, where the zero is, tools. Hints, not facts: a person confirms them.

Glossary
    stated   said in a comment, by the person or the CAM system that wrote the program
    side     where on the stock the zero is: left, middle or right; front, middle or back; top, middle or bottom
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from underglass.core.language.stated_tool import NUMBER, figure_mm, size_of
from underglass.core.units import Unit

_LONGEST = 400
"""What is read of a line's comments: nobody says a tool or a stock in more letters."""

_COMMENT = re.compile(r"\(((?:[^()]|\([^()]*\))*)\)|;(.*)$")
"""With brackets in the brackets, as people write them: ``(13/64 DRILL (10-24))``."""
_UNIT = r"\s*(MM\b|IN(?:CH(?:ES)?)?\b|\"|'')?"
_LENGTH = rf"({NUMBER}){_UNIT}"
_STOCK = re.compile(
    rf"\b(?:STOCK|BLANK|BILLET|BLOCK|RAW(?: PART)?)\b[^0-9.]{{0,24}}?[XYZ=: ]*{_LENGTH}\s*[X*,\u00d7]\s*[XYZ=: ]*{_LENGTH}\s*[X*,\u00d7]\s*[XYZ=: ]*{_LENGTH}"
)
_STOCK_BY_AXES = re.compile(
    rf"\b(?:STOCK|BLANK|BILLET|BLOCK|RAW(?: PART)?)(?:\s?(?:SIZE|IS|DIMENSIONS?|DIMS?\.?))?[\s:=]{{0,4}}X[\s=]?{_LENGTH}[\s,]{{1,3}}Y[\s=]?{_LENGTH}[\s,]{{1,3}}Z[\s=]?{_LENGTH}"
)
_ROUND_STOCK = re.compile(
    rf"\b(?:STOCK|BLANK|BILLET|BAR|ROUND)\b[^0-9.]{{0,16}}?(?:DIA\.?|DIAMETER|\u00d8)\s*[=:]?\s*{_LENGTH}\s*[X*,\u00d7]\s*{_LENGTH}"
)
_ZERO = re.compile(r"\b(?:ZERO|DATUM|ORIGIN|G5[4-9]|X0\.?\s*Y0\.?)\b(.*)")
_KINDS = (
    (
        "face-mill",
        r"FAC(?:E|ING)\s*(?:MILL|HEAD|CUTTER)|SHELL\s*MILL|FLY[\s-]*CUTTER|INDEX(?:ABLE|ED)(?:\s*(?:MILL|CUTTER))?",
    ),
    ("ball-end", r"\bBALL(?:[\s-]{0,3}NOSE)?(?:\s{0,3}(?:END)?\s{0,3}MILL)?\b"),
    ("bull-nose", r"BULL[\s-]*NOSE(?:\s*(?:END)?\s*MILL)?|\bBULL\b"),
    ("slot-drill", r"SLOT\s*DRILL"),
    ("taper-mill", r"TAPER(?:ED)?\s*(?:END\s*)?MILL"),
    ("chamfer-mill", r"CHAMFER(?:\s*(?:MILL|TOOL|CUTTER))?|COUNTERSINK|C'?SINK\b|\bCSK\b"),
    ("spot-drill", r"SPOT(?:TING)?\s*DRILL|SPOT\b"),
    ("centre-drill", r"CENT(?:RE|ER)\s*DRILL"),
    ("reamer", r"REAM(?:ER)?\b"),
    ("boring-bar", r"BORING\s*(?:BAR|HEAD)"),
    ("engraver", r"ENGRAV(?:ER|ING)(?:\s*(?:TOOL|CUTTER))?|\bV[\s-]?(?:BIT|CUTTER|TOOL)\b"),
    # What is cut with them is an end mill's: a thread mill and a counterbore as wide as they are.
    (
        "end-mill",
        r"THREAD\s*MILL(?:ING\s*CUTTER)?|COUNTERBORE|\bC'BORE\b|ROUGHER\b|ROUGHING\s*(?:MILL|CUTTER)|\bROUTER\b(?:\s*BIT)?|RIPPER\b",
    ),
    ("probe", r"PROBE\b|EDGE\s*FINDER"),
    ("tap", r"\bTAP(?:PING)?\b"),
    ("end-mill", r"(?:FLAT\s*)?END\s*MILL|ENDMILL|\bE\.?M\.?\b"),
    ("drill", r"\b(?:TWIST\s*)?DRILL\b|\bDRL\b"),
)
_UNDERCUTS = re.compile(
    r"(?:T[\s-]?SLOT|KEY\s?SEAT|WOODRUFF|DOVETAIL|UNDERCUTTING|SIDE\s*AND\s*FACE)\s*(?:CUTTER|MILL|TOOL)\b|SLITTING\s*SAW|\bSAW\s*(?:BLADE|\d)|LOLLIPOP"
)
_A_CUTTER = re.compile(r"(?<=[\dMNH\"])\s?(?:\w{1,12}\s+)?MILL\b|\bCUTTER\b|\bCARBIDE\b|\b\d\s?FL(?:UTES?|T)?\b")
"""Words for a cutter of any kind, where its size stands with them."""
_A_DRILL = re.compile(r"\bDRI?LL?\b")
_D_NUMBER = re.compile(r"\bD0?(\d{1,2})\b(?![.=])")
_D_APART = (0, 20, 30, 50)
"""How far radius registers are usually numbered from the tools (common practice, no source)."""
_T = re.compile(r"(?<!CHAMFER )(?<!ENGRAVING )\bT(?:OOL)?\s*#?\s*0*(\d{1,4})\b")


@dataclass(frozen=True, slots=True)
class StatedStock:
    """Size in mm: x y z, or diameter and height of a round one; ``line`` is where it is said."""

    size: tuple[float, ...]
    line: int


@dataclass(frozen=True, slots=True, kw_only=True)
class StatedZero:
    """Where on the stock the zero is; None where it is not said. ``finished``: of the finished part, not the raw block."""

    x: str | None
    y: str | None
    z: str | None
    finished: bool
    line: int


@dataclass(frozen=True, slots=True, kw_only=True)
class StatedTool:
    """A tool by number; ``kind`` as the job file names it, "" where only a cutter is spoken of. mm, the angle of its whole point in rad; 0: not said."""

    number: int
    kind: str
    diameter: float
    corner: float
    pitch: float
    angle: float
    line: int
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Stated:
    """Everything that was found; the first that is said of a thing counts."""

    stock: StatedStock | None = None
    zero: StatedZero | None = None
    tools: tuple[StatedTool, ...] = ()
    loose: StatedTool | None = None
    """The first tool that is named without a number, and not at a call of one."""
    undercuts: Mapping[int, tuple[int, str]] = field(default_factory=dict)
    """Tools by number that cut under what is above them, as T-slot cutters do: (line, words)."""

    def tool(self, number: int) -> StatedTool | None:
        return next((t for t in self.tools if t.number == number), None)


def _comments(text: str) -> str:
    return " ".join((a or b).strip() for a, b in _COMMENT.findall(text[:_LONGEST])).upper()[:_LONGEST]


def _zero(said: str, line: int) -> StatedZero | None:
    found = _ZERO.search(said)
    if found is None:
        return None
    rest = said[found.start() :]

    def side(*choices: tuple[str, str]) -> str | None:
        return next((name for name, pattern in choices if re.search(rf"\b(?:{pattern})\b", rest)), None)

    x = side(("left", "LEFT|LH"), ("right", "RIGHT|RH"))
    y = side(("front", "FRONT|LOWER|NEAR"), ("back", "BACK|REAR|UPPER|FAR"))
    z = side(("top", "TOP"), ("bottom", "BOTTOM|TABLE|BASE|PARALLELS"))
    if re.search(r"\b(?:CENT(?:RE|ER)|MIDDLE|MID)\b", rest):
        x, y = x or "middle", y or "middle"
    if x is None and y is None and z is None:
        return None
    return StatedZero(x=x, y=y, z=z, finished="FINISH" in rest, line=line)


def _kind(said: str) -> tuple[str, int, int] | None:
    """(kind, start, end) of the first tool word."""
    for kind, pattern in _KINDS:
        found = re.search(pattern, said)
        if found is not None and not (kind == "tap" and _drills_for_it(said, found)):
            return kind, found.start(), found.end()
    return None


def _drills_for_it(said: str, tap: re.Match[str]) -> bool:
    """Whether a tap is only what a drill is for: ``6.8 DRILL FOR M8 TAP``, ``TAP DRILL``."""
    drill = _A_DRILL.search(said)
    return drill is not None and (drill.start() < tap.start() or not said[tap.end() : drill.start()].strip())


def _tool(said: str, number: int, line: int, unit: Unit) -> StatedTool | None:
    # The tool's number is no part of a mixed fraction: "T5 3/8 END MILL".
    kind = _kind(bare := _T.sub(" - ", said))
    if kind is None:
        cutter = None if _UNDERCUTS.search(bare) else _A_CUTTER.search(bare)
        if cutter is None:
            return None
        kind = "", *cutter.span()
    name, *at = kind
    size = size_of(bare, name, (at[0], at[1]), unit)
    by_d = _D_NUMBER.search(bare)
    if not size.diameter and by_d is not None and int(by_d[1]) - number not in _D_APART:
        # No register of its own, and nothing else that could be its size.
        size = size._replace(diameter=figure_mm(by_d[1], None, unit, name))
    if not size.diameter and not name:
        return None
    return StatedTool(
        number=number,
        kind=name,
        diameter=size.diameter,
        corner=size.corner,
        pitch=size.pitch,
        angle=size.angle,
        line=line,
        words=said.strip(),
    )


_T_WORD = re.compile(r"(?<![A-Z])T\s*0*(\d{1,4})")
_CODE = re.compile(_COMMENT.pattern)


def cuts_under(said: str) -> bool:
    """Whether words name a tool that cuts under what is above it, and none that does not."""
    return _UNDERCUTS.search(said) is not None and _kind(said) is None


def stated(lines: Sequence[str], unit: Unit) -> Stated:
    """What the comments of a program state; lengths without a unit are in the program's.

    A tool is what a comment names beside its number, as ``(T3 10 END MILL)``, or, without a number, in the comment on the
    block that calls it or just before.
    """
    stock: StatedStock | None = None
    zero: StatedZero | None = None
    tools: dict[int, StatedTool] = {}
    waiting: tuple[str, int] | None = None
    loose: StatedTool | None = None
    undercuts: dict[int, tuple[int, str]] = {}
    for line, text in enumerate(lines, 1):
        if "(" not in text and ";" not in text and "T" not in text and "t" not in text:
            continue
        said = _comments(text)
        called = _T_WORD.search(_CODE.sub("", text[:_LONGEST]).upper())
        if said:
            if stock is None:
                found = _STOCK.search(said) or _STOCK_BY_AXES.search(said)
                if found is not None:
                    sizes = [(found[k], found[k + 1]) for k in (1, 3, 5)]
                    # One unit at the end is meant for all three.
                    last = next((u for _n, u in reversed(sizes) if u), None)
                    stock = StatedStock(tuple(figure_mm(n, u or last, unit) for n, u in sizes), line)
                elif (found := _ROUND_STOCK.search(said)) is not None:
                    last = found[4] or found[2]
                    stock = StatedStock(
                        (figure_mm(found[1], found[2] or last, unit), figure_mm(found[3], last, unit)), line
                    )
            zero = zero or _zero(said, line)
            number = _T.search(said)
            if number is not None and called is None:
                tool = _tool(said, int(number[1]), line, unit)
                if tool is not None:
                    tools.setdefault(tool.number, tool)
                elif cuts_under(said):
                    undercuts.setdefault(int(number[1]), (line, said))
            elif _kind(said) is not None:
                waiting = (said, line)
                loose = loose or _tool(said, 1, line, unit)
        if called is not None:
            for words, at in ((said, line), waiting or ("", 0)):
                tool = _tool(words, int(called[1]), at, unit) if words and line - at <= 4 else None
                if tool is not None:
                    tools.setdefault(tool.number, tool)
                    break
            if cuts_under(said):
                undercuts.setdefault(int(called[1]), (line, said))
            waiting = None
    if stock is not None and not all(0.0 < s < 10_000.0 for s in stock.size):
        stock = None
    return Stated(stock=stock, zero=zero, tools=tuple(tools.values()), loose=loose, undercuts=undercuts)
