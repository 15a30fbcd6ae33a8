"""A bare program of a turret punch as a job: what tells that it is one, and the sheet and punches that would make it right."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from underglass.core.control.motions import Motions
from underglass.core.language.block import read_block
from underglass.core.language.stated_tool import NUMBER, figure_mm
from underglass.core.proof.flat_guess import (
    ASIDE,
    READ,
    XY,
    Floats,
    bare_job,
    code,
    comments,
    figure,
    places,
    stated_sheet,
    trial,
)
from underglass.core.proof.job import Bare, BareAsk
from underglass.core.trades.punching.dialect import PUNCH_DIALECT
from underglass.core.trades.punching.entries import highest_number
from underglass.core.units import MM_PER_INCH, Unit, show_length

_NONE_OF = re.compile(r"(?<![A-Z])(?:Z\s?[-+.\d#\[]|G0?[123](?![\d.])|F\s?\d|S\s?\d|M0?[346](?!\d))")
_STATION = re.compile(r"(?<![A-Z])T\s?0*(\d{1,3})(?!\d)")
_TWO = rf"({NUMBER})\s*(MM\b|IN\b|\")?(?:\s*[X*\u00d7]\s*({NUMBER})\s*(MM\b|IN\b|\")?)?"
_SHAPES = (
    ("obround", r"OBROUND|\bOB\b|\bSLOTS?\b", 2),
    ("rectangle", r"RECTANGLE|RECTANGULAR|\bRECT?\b|\bRE\b", 2),
    ("square", r"SQUARE|\bSQ\b", 1),
    ("hexagon", r"HEXAGON|\bHEX\b", 1),
    ("round", r"ROUND|\bRD\b|\bRO\b|\bHOLES?\b|\bDIA\b|\u00d8", 1),
)
_AFTER = tuple((name, re.compile(rf"(?:{words})\s*[=:]?\s*{_TWO}"), need) for name, words, need in _SHAPES)
_BEFORE = tuple((name, re.compile(rf"{_TWO}\s*(?:{words})"), need) for name, words, need in _SHAPES)
_THICK_MM = 1.5
_LARGEST_MM, _SMALLEST_MM = 10.0, 3.0
"""Between these lies a punch of which nothing is said."""
_NIBBLED_MM = 4.0
"""Hits no farther apart than this are nibbled."""


@dataclass(frozen=True, slots=True, kw_only=True)
class _Said:
    shape: str
    size: tuple[float, ...]


def recognises(lines: Sequence[str]) -> bool:
    """Whether a program is a turret punch's: stations and places, and nothing of feeds, speeds, heights or ways between."""
    axes: set[str] = set()
    stations = hits = 0
    for words in code(lines):
        if _NONE_OF.search(words):
            return False
        here = set(XY.findall(words))
        axes |= here
        hits += bool(here) and stations > 0
        stations += _STATION.search(words) is not None
    return axes == {"X", "Y"} and stations > 0 and hits > 1


def _stated(lines: Sequence[str], unit: Unit) -> dict[int, _Said]:
    """Punches by station, as comments state them beside the call, in the line before or in a list (``T5 ROUND 12``)."""
    out: dict[int, _Said] = {}
    before = ""
    for text in lines[:READ]:
        said = comments(text) if "(" in text or ";" in text else ""
        called = _STATION.search(ASIDE.sub("", text).upper())
        listed = _STATION.search(said) if called is None else None
        number = called or listed
        if number is not None:
            words = said or before if called is not None else said[number.end() :]
            made = _punch(words, unit)
            if made is not None:
                out.setdefault(int(number[1]), made)
        before = said if called is None else ""
    return out


def _punch(said: str, unit: Unit) -> _Said | None:
    for patterns in (_AFTER, _BEFORE):
        for shape, pattern, need in patterns:
            found = pattern.search(said)
            if found is None or (need == 2 and not found[3]):
                continue
            last = found[4] or found[2]
            size = [figure_mm(found[1], found[2] or last, unit)]
            if need == 2:
                size.append(figure_mm(found[3], last, unit))
            if shape == "obround":
                size.sort(reverse=True)
            if all(0.5 <= v <= 300.0 for v in size):
                return _Said(shape=shape, size=tuple(size))
    return None


def _apart(at: Floats) -> float:
    """The shortest way between two of the places, mm; infinite for one."""
    at = np.unique(np.round(at, 4), axis=0)
    if len(at) < 2:
        return np.inf
    points = shapely.points(at)
    tree = shapely.STRtree(points)
    _i, away = tree.query_nearest(points, exclusive=True, return_distance=True, all_matches=False)
    return float(away.min())


def _told(motions: Motions, lines: Sequence[str], ask: BareAsk) -> tuple[dict[int, float], float]:
    """What patterns reckon with: the punch's size by station, and the sheet's thickness, mm; 0 where none says."""
    sizes: dict[int, float] = {}
    thickness = 0.0
    for line, state in dict.fromkeys(zip(motions.line.tolist(), motions.state.tolist())):
        force = motions.in_force[state]
        made = ask.control.cycle_by_name.get(force.motion)
        if made is None or not 1 <= line <= len(lines):
            continue
        scale = MM_PER_INCH if force.units == "inch" else 1.0
        words = {w.letter: abs(w.value) * scale for w in read_block(lines[line - 1], line).words}
        if made.cycle.takes("punch") and words.get(made.letter("punch")):
            sizes.setdefault(force.tool, words[made.letter("punch")])
        if made.cycle.takes("thickness"):
            thickness = thickness or words.get(made.letter("thickness"), 0.0)
    return sizes, thickness


def _unsaid(at: Floats, told: float) -> _Said:
    """A round punch: as a pattern reckons with it, else one that leaves metal between its hits, or none at all where it nibbles."""
    apart = _apart(at)
    size = 2.5 * apart if apart <= _NIBBLED_MM else float(np.clip(0.5 * apart, _SMALLEST_MM, _LARGEST_MM))
    return _Said(shape="round", size=(told or size,))


def guess(ask: BareAsk, lines: Sequence[str], unit: Unit, cancelled: Callable[[], bool]) -> Bare:
    """A job's text around a bare punching program, and what was guessed. Raises ``Cancelled``."""
    motions = trial(ask, PUNCH_DIALECT, lines, cancelled, 0)
    said, known = stated_sheet(lines, unit), _stated(lines, unit)
    told_sizes, told_thick = _told(motions, lines, ask)
    low, high = places(motions)
    named = (low.min(axis=0), high.max(axis=0)) if len(motions) else None
    # Where the clamps have moved along, the sheet lies elsewhere under the same place.
    along = np.array([s.station.x if s.station is not None else 0.0 for s in motions.in_force] or [0.0])[motions.state]
    at = low - np.column_stack([along, np.zeros(len(along))])
    hits, called = motions.dwell > 0.0, motions.tool_of()
    highest = highest_number(int(ask.machine.more.get("stations", 0.0)))
    numbers = list(dict.fromkeys(int(n) for n in called.tolist() if 0 < n <= highest))
    punches = {n: known.get(n) or _unsaid(at[hits & (called == n)], told_sizes.get(n, 0.0)) for n in numbers}
    within = (at[hits].min(axis=0), at[hits].max(axis=0)) if hits.any() else (np.zeros(2), np.full(2, 100.0))
    tools = {
        n: ['kind = "punch"', f'shape = "{p.shape}"', f"size = [{', '.join(figure(v, unit) for v in p.size)}]"]
        for n, p in punches.items()
    }
    told = [
        f"tool {n}: a {p.shape} punch {' x '.join(show_length(v, unit) for v in p.size)} {unit}"
        for n, p in punches.items()
    ]
    return bare_job(
        ask, unit, said, motions=motions, works=hits, reach=within, named=named or within, thickness=told_thick or _THICK_MM, tools=tools, told=told,
        stated=frozenset(f"T{n}" for n in numbers if n in known),
    )  # fmt: skip
