"""What was seen at the machine, asked of one run after another: something touched, a cut in the air, a ridge, a corner that is round."""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.finding import Severity
from underglass.core.proof.measure import Surface
from underglass.core.proof.proof import Proof
from underglass.core.proof.question import Seen
from underglass.core.removal.section.history import SectionHistory
from underglass.core.removal.sheet.history import SheetHistory

_LINES = 1
"""Lines that a person may be out by."""

_ABOUT_MM = 3.0
"""How far from the place that is told a ridge or a corner is looked for."""

_SEEN_MM = 0.02
"""What a finger nail feels."""

_WHOLE = 0.7
"""A face that stands higher in most of what is looked at is no ridge."""


def is_seen(proof: Proof, base: Proof, seen: Seen) -> bool:
    """Whether this run has it, too. ``base``: the job as it stands, of which a ridge is a ridge."""
    if seen.what == "air":
        return _in_air(proof, seen.line)
    if seen.what == "touched":
        return _touched(proof, seen)
    more, less = _changed(proof, base, seen.at)
    if seen.what == "ridge":
        return 0.0 < more < _WHOLE
    return 0.0 < more + less < _WHOLE


def _touched(proof: Proof, seen: Seen) -> bool:
    """Whether metal meets metal there."""
    return any(
        f.severity == Severity.CRASH
        and (not seen.line or abs(f.line - seen.line) <= _LINES)
        and (not seen.thing or seen.thing.lower() in str(f.evidence.get("with") or f.message).lower())
        for f in proof.findings
    )


def _in_air(proof: Proof, line: int) -> bool:
    """Whether the feeds of a line take nothing away (line 0: those of any whole tool)."""
    if not line:
        return any(f.code == "cuts-air" for f in proof.findings)
    motions = proof.motions
    mine = (motions.line == line) & ~motions.rapid() & (motions.lengths() > 0.0)
    removed = sum((h.removed for h in proof.histories), np.zeros(len(motions)))
    return bool(mine.any()) and float(removed[mine].sum()) <= 1e-6


def _changed(proof: Proof, base: Proof, at: tuple[float, float]) -> tuple[float, float]:
    """Shares of what lies about a place where this run leaves more than the other, and less. Of a lathe the place is a diameter and Z."""
    if proof.stocks:
        step = np.arange(-_ABOUT_MM, _ABOUT_MM + 1e-9, 0.25)
        x, y = np.meshgrid(step, step)
        inside = np.hypot(x, y) <= _ABOUT_MM
        places = np.column_stack([at[0] + x[inside], at[1] + y[inside]])
        off = np.nan_to_num(_heights(proof, places)) - np.nan_to_num(_heights(base, places))
        return float((off > _SEEN_MM).mean()), float((off < -_SEEN_MM).mean())
    lathe = any(isinstance(h, SectionHistory) for h in proof.histories)
    about = shapely.Point((at[0] / 2.0, at[1]) if lathe else at).buffer(_ABOUT_MM)
    now, then = _shape(proof), _shape(base)
    if now is None or then is None:
        return 0.0, 0.0
    # What is thinner than a nail feels is no change.
    more, less = (
        float(shapely.area(shapely.intersection(shapely.buffer(shapely.difference(a, b), -_SEEN_MM / 2.0), about)))
        for a, b in ((now, then), (then, now))
    )
    whole = math.pi * _ABOUT_MM**2
    return more / whole, less / whole


def _heights(proof: Proof, places: NDArray[np.float64]) -> NDArray[np.float64]:
    return Surface(proof).heights(places)


def _shape(proof: Proof) -> shapely.Geometry | None:
    for history in proof.histories:
        if isinstance(history, SectionHistory):
            return history.with_pieces()
        if isinstance(history, SheetHistory):
            return history.final.region
    return None
