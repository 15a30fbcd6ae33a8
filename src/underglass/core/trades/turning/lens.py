"""The lens on a lathe: the nose beside the programmed contour, compensated or not. The plane's axes are Z and X, X a radius."""

from __future__ import annotations

import numpy as np

from underglass.core.bench.lathe import TIP_FROM_CENTRE, LatheTool
from underglass.core.control.motions import Kind, Motions
from underglass.core.control.stretch import Stretch
from underglass.core.frozen import freeze
from underglass.core.proof.lens_ways import LENSES, Axis, LensWays, RealCutter, Way
from underglass.core.proof.proof import Proof
from underglass.core.trades.turning.lathe import really_there
from underglass.core.trades.turning.name import TURNING
from underglass.core.units import Unit, show_length

_SHAPES = (Kind.FEED, Kind.ARC_CW, Kind.ARC_CCW)
_CUTS = ("turning", "boring")
_MOST = 4000
"""Elements of one contour; more is no contour that anybody looks at as a whole."""


def _way(orientation: int) -> Way:
    """Where the imaginary tip lies from the nose's centre, in radii along Z and X."""
    x, z = TIP_FROM_CENTRE.get(orientation, (0.0, 0.0))
    return (z, x)


def _bare(proof: Proof) -> tuple[Stretch, ...]:
    """Feeds of one insert in a row without compensation, threads and roughing cycles left out."""
    motions = proof.motions
    if not len(motions):
        return ()
    plain = np.array([s.comp == "off" and not (s.station and s.station.lead) for s in motions.in_force])[motions.state]
    rows = np.flatnonzero(plain & np.isin(motions.kind, [int(k) for k in _SHAPES]) & (motions.dwell == 0.0))
    called = motions.tool_of()
    out = []
    for part in np.split(rows, np.flatnonzero((np.diff(rows) > 1) | (np.diff(called[rows]) != 0)) + 1):
        tool = really_there(proof.job.bench, int(called[part[0]])) if len(part) else None
        if tool is None or tool.kind not in _CUTS or tool.RE <= 0.0 or len(part) > _MOST:
            continue
        out.append(_stretch(motions, part, tool))
    return tuple(out)


def _stretch(motions: Motions, rows: np.ndarray, tool: LatheTool) -> Stretch:
    start, end = motions.start[rows][:, [2, 0]], motions.end[rows][:, [2, 0]]
    way = end - start
    # The nose's centre lies on the side away from the tip.
    away = -np.array(_way(tool.orientation))
    across = way[:, 0] * away[1] - way[:, 1] * away[0]
    n = len(rows)
    shift = motions.shifts()[rows[0]]
    return freeze(
        Stretch(
            side=1.0 if float(across.sum()) >= 0.0 else -1.0, radius=0.0, plane=18, tool=int(motions.tool_of()[rows[0]]), switched_on_line=0,
            shift=(float(shift[0]), float(shift[1]), float(shift[2])), line=motions.line[rows].astype(np.int64), entry=np.zeros(n, dtype=np.bool_),
            rapid=np.zeros(n, dtype=np.bool_), first=rows.astype(np.int64), last=rows.astype(np.int64) + 1, start=start, end=end, centre=motions.centre[rows][:, [2, 0]],
            height=np.zeros((n, 2)), sweep=motions.sweep[rows], end_move=int(rows[-1]) + 1,
        )
    )  # fmt: skip


def _real(proof: Proof, stretch: Stretch) -> RealCutter | None:
    tool = really_there(proof.job.bench, stretch.tool)
    if tool is None or tool.RE <= 0.0:
        return None
    told = tool.orientation
    if stretch.radius:
        station = proof.motions.state_of(min(int(stretch.first[0]), len(proof.motions) - 1)).station
        told = station.orientation if station is not None else 0
    return RealCutter(tool.RE, _way(told), _way(tool.orientation))


def _words(proof: Proof, stretch: Stretch, told: float, real: float, unit: Unit) -> list[str]:
    def said(mm: float) -> str:
        return show_length(mm, unit)

    if not stretch.radius:
        return [
            f"No compensation: the control takes the imaginary tip along the contour, and the nose of {said(real)} rounds what it cannot reach.",
            "Cylinders and faces come out as programmed; cones and arcs do not: see what is left and what is bitten.",
        ]
    state = proof.motions.state_of(int(stretch.first[0]))
    tool = really_there(proof.job.bench, stretch.tool)
    side = "left" if stretch.side > 0.0 else "right"
    out = [
        f"{'G42' if state.comp == 'right' else 'G41'}: the nose runs {side} of its way; the control reckons with a radius of {said(told)}."
    ]
    held = state.station.orientation if state.station is not None else 0
    if tool is not None and held != tool.orientation:
        out.append(
            f"The control takes the tip to lie in orientation {held}; the insert stands in {tool.orientation}: the whole contour is moved."
        )
    if abs(real - told) > 1e-6:
        out.append(f"The insert's nose is {said(real)}: cones and arcs come out wrong, cylinders and faces do not.")
    if proof.job.control.lookahead:
        out.append(f"The control looks {proof.job.control.lookahead} blocks ahead for the next corner.")
    return out


LENSES[TURNING] = LensWays(
    bare=_bare, real=_real, words=_words, axes=(Axis("Z"), Axis("X", 2.0)), names=("Nose, told", "Nose, real")
)
