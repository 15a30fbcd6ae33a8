"""What the comments of a turning program state of its bar and its tools. Hints, not facts: a person confirms them.

Designations of inserts are those of ISO 1832 (from memory), metric or by eighths and sixty-fourths of an inch.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from underglass.core.language.stated_tool import NUMBER, figure_mm, size_of
from underglass.core.units import MM_PER_INCH, Unit

READ = 3000
"""So many lines are read."""
ASIDE = re.compile(r"\([^()]*\)|;.*")
_COMMENT = re.compile(r"\(([^()]*)\)|;(.*)$")
_TOOL = re.compile(r"(?<![A-Z])T(\d{3,4})(?!\d)")

_UNIT = r"\s*(MM\b|IN(?:CH(?:ES)?)?\b|\"|'')?"
_BAR = re.compile(
    rf"\b(?:STOCK|BLANK|BILLET|BAR|ROUND)\b[^0-9.]{{0,20}}({NUMBER}){_UNIT}(?:\s*(?:DIA\.?|DIAMETER))?(?:\s*(?:[X*,×]|LONG)\s*({NUMBER}){_UNIT})?"
)
_NUMBERED = re.compile(r"\bT(?:OOL)?\s*#?\s*0*(\d{1,4})\b")
_KINDS = (
    ("threading", r"THREAD|THRD|SCREW\s?CUT"),
    ("parting", r"PART(?:ING)?[\s-]?(?:OFF|BLADE|TOOL)?\b(?!\s*(?:NO|NUMBER|#|\d))|CUT[\s-]?OFF"),
    ("grooving", r"GROOV|RECESS|UNDERCUT|RELIEF"),
    ("centre-drill", r"CENT(?:RE|ER)\s*DRILL"),
    ("spot-drill", r"SPOT"),
    ("reamer", r"REAM"),
    ("tap", r"\bTAP(?:PING)?\b"),
    ("boring", r"\bBOR(?:E|ING)\b|\bI\.?D\.?\b"),
    ("drill", r"DRILL|\bDRL\b"),
    ("turning", r"TURN|FAC(?:E|ING)|ROUGH|FINISH|\bO\.?D\.?\b|PROFILE"),
)
_WIDTH = re.compile(rf"({NUMBER}){_UNIT}")
_INSERT = re.compile(
    r"\b([CDVTSWR])[NBCPE][MGU][GMTAWRX](?:\s?-?(?:\d{2}\s?(?:\d{2}|T\d)\s?(\d{2})|\d\d(?:\.5)?(\d))(?!\d))?(?![A-Z])"
)
"""Shape, clearance, tolerance and type; edge, thickness and nose in two figures each, or in one each."""
_CORNERS = (
    (re.compile(r"\b80\s?(?:DEG|\u00b0)"), "C"),
    (re.compile(r"\b55\s?(?:DEG|\u00b0)"), "D"),
    (re.compile(r"\b35\s?(?:DEG|\u00b0)"), "V"),
)
_NOSE = re.compile(
    rf"\b(?:RE|TNR|NOSE(?:\s?R(?:AD(?:IUS)?\.?)?)?|R(?:AD(?:IUS)?\.?)?)\s?[=:]?\s?({NUMBER}){_UNIT}|({NUMBER}){_UNIT}\s?(?:TNR|NOSE|RAD(?:IUS)?)\b"
)
_LARGEST_NOSE_MM = 3.2


@dataclass(frozen=True, slots=True, kw_only=True)
class Said:
    """A tool as a comment states it: sizes in mm, 0 where none is said; ``kind`` and the insert's letter "" where they are not."""

    kind: str
    size: float = 0.0
    pitch: float = 0.0
    insert: str = ""
    nose: float = 0.0


def stated_tools(lines: Sequence[str], unit: Unit) -> dict[int, Said]:
    """By station: what stands in the comment beside a T word, in the two lines before it or the one after, or in a list of tools."""
    out: dict[int, Said] = {}
    texts = [text.upper() for text in lines[:READ]]
    for k, text in enumerate(texts):
        word = _TOOL.search(ASIDE.sub("", text))
        if word is None or int(word[1]) // 100 in out or not int(word[1]) // 100:
            continue
        near = [text, *(t for t in texts[max(0, k - 2) : k][::-1] if _TOOL.search(ASIDE.sub("", t)) is None)]
        near += [t for t in texts[k + 1 : k + 2] if not ASIDE.sub("", t).strip()]
        for line in near:
            made = _kind_of(_comments(line), unit)
            if made is not None:
                out[int(word[1]) // 100] = made
                break
    for text in texts:
        number = _NUMBERED.search(said := _comments(text)) if "(" in text or ";" in text else None
        if number is None or _TOOL.search(ASIDE.sub("", text)) is not None:
            continue
        # T1 and T0101 are one station.
        station = int(number[1]) // 100 or int(number[1])
        made = _kind_of(said, unit) if station not in out else None
        if made is not None:
            out[station] = made
    return out


def _comments(line: str) -> str:
    return " ".join(m[1] or m[2] or "" for m in _COMMENT.finditer(line))[:200]


def _insert(said: str, unit: Unit) -> tuple[str, float]:
    """(letter of its shape, radius of its nose in mm) of an insert; "" and 0 where they are not said."""
    letter, nose = "", 0.0
    named = _INSERT.search(said)
    if named is not None:
        letter, tenths, parts = named.groups()
        nose = int(tenths) / 10.0 if tenths else int(parts) / 64.0 * MM_PER_INCH if parts else 0.0
        said = said[: named.start()] + said[named.end() :]
    else:
        letter = next((shape for pattern, shape in _CORNERS if pattern.search(said)), "")
    told = _NOSE.search(said) if not nose else None
    if told is not None:
        figure, by = told[1] or told[3], told[2] or told[4]
        nose = figure_mm(figure, by, unit)
        if nose > _LARGEST_NOSE_MM:
            # As it stands on the box, in an inch program too.
            nose = figure_mm(figure, "MM", unit)
    return letter, nose if 0.0 < nose <= _LARGEST_NOSE_MM else 0.0


def _kind_of(said: str, unit: Unit) -> Said | None:
    said = _NUMBERED.sub(" ", said)
    # What is named first is the tool: THREAD in "finish thread land" is none.
    for at, kind in sorted(
        ((m, k) for k, p in _KINDS for m in [re.search(p, said)] if m), key=lambda found: found[0].start()
    ):
        pitch, size = 0.0, 0.0
        if kind in ("drill", "centre-drill", "spot-drill", "reamer", "tap"):
            found = size_of(said, kind, at.span(), unit)
            size, pitch = found.diameter, found.pitch
        elif kind in ("grooving", "parting"):
            width = _WIDTH.search(said[at.end() :]) or _WIDTH.search(said[: at.start()])
            size = figure_mm(width[1], width[2], unit) if width is not None else 0.0
            size = size if 0.5 <= size <= 12.0 else 0.0
        letter, nose = _insert(said, unit) if kind in ("turning", "boring") else ("", 0.0)
        return Said(kind=kind, size=size, pitch=pitch, insert=letter, nose=nose)
    letter, nose = _insert(said, unit)
    return Said(kind="", insert=letter, nose=nose) if letter else None


def stated_bar(lines: Sequence[str], unit: Unit) -> tuple[float, float, int]:
    """(diameter, length, line) of the bar that a comment states, mm; 0 where it does not."""
    for k, text in enumerate(lines[:READ], 1):
        for comment in _COMMENT.finditer(text.upper()):
            found = _BAR.search((comment[1] or comment[2] or "")[:200])
            if found is not None:
                diameter = figure_mm(found[1], found[2], unit)
                length = figure_mm(found[3], found[4] or found[2], unit) if found[3] else 0.0
                if 2.0 <= diameter <= 500.0:
                    return diameter, length, k
    return 0.0, 0.0, 0
