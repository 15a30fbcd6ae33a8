"""A bare program of a sheet cutter as a job: what tells that it is one, and the sheet and the cutter that would make it right."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

import numpy as np

from underglass.core.control.motions import Motions
from underglass.core.language.stated_tool import NUMBER, figure_mm
from underglass.core.proof.flat_guess import (
    READ,
    THIN_MM,
    XY,
    bare_job,
    code,
    comments,
    figure,
    places,
    stated_sheet,
    trial,
)
from underglass.core.proof.job import Bare, BareAsk
from underglass.core.trades.sheet.dialect import SHEET_DIALECT
from underglass.core.units import Unit, show_length

_Z = re.compile(r"(?<![A-Z])Z\s?[-+.\d#\[]")
_A_MILLS = re.compile(r"(?<![A-Z])(?:G4[34](?![\d.])|G8[1-9](?![\d.])|G7[346](?![\d.]))")
_CHANGE = re.compile(r"(?<![A-Z])M0?6(?!\d)")
_FED = re.compile(r"(?<![A-Z])G0?[123](?![\d.])")
_ON = re.compile(r"(?<![A-Z])M0?3(?!\d)")
_OFF = re.compile(r"(?<![A-Z])M0?5(?!\d)")
_SPEED = re.compile(r"(?<![A-Z])S\s?\d")
_KERF = re.compile(rf"\bKERF\b\s*[=:]?\s*({NUMBER})\s*(MM\b|IN\b|\")?")
_KINDS = (
    ("beam", r"\bLASER\b|\bBEAM\b", 0.2),
    ("jet", r"WATER\s?JET|\bJET\b", 1.0),
    ("torch", r"PLASMA|TORCH|OXY|FLAME", 1.6),
)
"""Kind, the words for it, and its usual width of cut, mm (common practice, no source)."""
_LONGEST_S = 60.0
_FASTEST = 120_000.0
"""mm/min."""
_THICK_MM = 3.0


def recognises(lines: Sequence[str]) -> bool:
    """Whether a program is a sheet cutter's: M3 and M5 stand round its cuts, and nothing is said of heights, speeds or lengths.

    One that goes up and down beside its cutter has M3 and M5 more than once, and no speed at all.
    """
    axes: set[str] = set()
    fed = on = off = speeds = heights = changes = 0
    for words in code(lines):
        if _A_MILLS.search(words):
            return False
        heights += _Z.search(words) is not None
        axes |= set(XY.findall(words))
        fed += _FED.search(words) is not None
        on, off = on + (_ON.search(words) is not None), off + (_OFF.search(words) is not None)
        changes += _CHANGE.search(words) is not None
        speeds += _SPEED.search(words) is not None
    if axes != {"X", "Y"} or not fed or not on:
        return False
    if heights:
        return on > 1 and off > 1 and not speeds and not changes
    return not speeds or (on > 1 and off > 1)


def _pierce_s(motions: Motions) -> float:
    """The shortest wait behind switching on, s; 0 where there is none."""
    waits = []
    for event in motions.events:
        if event.kind == "cutter-on" and event.before < len(motions) and motions.dwell[event.before] > 0.0:
            waits.append(float(motions.dwell[event.before]))
    return min(*waits, _LONGEST_S) if waits else 0.0


def guess(ask: BareAsk, lines: Sequence[str], unit: Unit, cancelled: Callable[[], bool]) -> Bare:
    """A job's text around a bare cutting program, and what was guessed. Raises ``Cancelled``."""
    motions = trial(ask, SHEET_DIALECT, lines, cancelled, 1)
    said = stated_sheet(lines, unit)
    texts = [comments(text) for text in lines[:READ] if "(" in text or ";" in text]
    kind, usual = next(((k, w) for k, words, w in _KINDS if any(re.search(words, t) for t in texts)), ("torch", 1.6))
    found = next((m for m in map(_KERF.search, texts) if m is not None), None)
    kerf = figure_mm(found[1], found[2], unit) if found is not None else 0.0
    stated = 0.02 <= kerf <= 12.0
    on = np.array([s.spindle != "off" for s in motions.in_force] or [False])[motions.state]
    cut = on & ~motions.rapid() & (motions.dwell == 0.0)
    if not stated:
        # Compensated, the cut has to fit into every arc.
        sided = np.array([s.comp != "off" for s in motions.in_force] or [False])[motions.state]
        bends = motions.radius()[cut & sided & (motions.sweep != 0.0)]
        # The control's own arcs about outside corners are no contour.
        kerf = min(usual, float(bends[bends > 10.0 * THIN_MM].min(initial=usual)))
    low, high = places(motions)
    within = (
        (low[cut].min(axis=0) - kerf, high[cut].max(axis=0) + kerf) if cut.any() else (np.zeros(2), np.full(2, 100.0))
    )
    named = (low.min(axis=0), high.max(axis=0)) if len(motions) else within
    # What no machine feeds is a slip of the program's, not a cutter's range.
    feeds = motions.feed[cut & (motions.feed > 0.0) & (motions.feed <= _FASTEST)]
    numbers = sorted({int(n) for n in motions.tool_of().tolist() if n > 0}) or [1]
    entry = [f'kind = "{kind}"', f"kerf = {figure(kerf, unit)}", f"pierce_s = {_pierce_s(motions)!r}"]
    if len(feeds):
        entry.append(f"feed = [{figure(float(feeds.min()) * 0.999, unit)}, {figure(float(feeds.max()) * 1.001, unit)}]")
    words = {"torch": "torch", "beam": "beam", "jet": "jet"}[kind]
    told = ["registers: all right", *(f"tool {n}: a {words}, kerf {show_length(kerf, unit)} {unit}" for n in numbers)]
    return bare_job(
        ask, unit, said, motions=motions, works=cut, reach=within, named=named, thickness=_THICK_MM, tools=dict.fromkeys(numbers, entry), told=told,
        stated=frozenset(f"T{n}" for n in numbers) if stated else frozenset(),
    )  # fmt: skip
