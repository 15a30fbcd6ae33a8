"""The whole program at a glance: how far it goes, what it uses, and how much room it leaves at each edge of the stock."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.tool import KIND_WORDS
from underglass.core.control.state import Vector
from underglass.core.proof.proof import Proof
from underglass.core.removal.toolpath import tip_path

Range = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Extents:
    """Lowest and highest place of the real tool tip, seen from the part's true zero, mm."""

    low: Vector
    high: Vector


@dataclass(frozen=True, slots=True, kw_only=True)
class Margins:
    """From the cutting tips' extents to the stock's sides, mm: negative where the tip runs past the side.

    ``bottom`` is what is left between the lowest tip and the stock's underside.
    """

    left: float
    right: float
    front: float
    back: float
    bottom: float


@dataclass(frozen=True, slots=True, kw_only=True)
class ToolSummary:
    """What one called tool does. mm, mm/min, rpm, s; ``lowest`` is its real tip's lowest height while it feeds."""

    number: int
    name: str
    diameter: float
    first_line: int
    moves: int
    feed_mm: float
    rapid_mm: float
    lowest: float | None
    speeds: Range | None
    feeds: Range | None
    lengths: tuple[int, ...]
    radii: tuple[int, ...]
    time_s: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Summary:
    """``unknown``: words that the control lacks, as (line, column); ``never_run``: lines with words that it never came to."""

    lines: int
    moves: int
    time_s: float
    everything: Extents | None
    cutting: Extents | None
    margins: Margins | None
    tools: tuple[ToolSummary, ...]
    offsets: tuple[str, ...]
    lengths: tuple[int, ...]
    radii: tuple[int, ...]
    speeds: Range | None
    feeds: Range | None
    stops: int
    unknown: tuple[tuple[int, int], ...]
    never_run: tuple[int, ...]


def summarise(proof: Proof) -> Summary:
    """Put a proof's figures together."""
    motions = proof.motions
    path = tip_path(motions, proof.tool_row, proof.tool_table.tools, proof.job.bench.part_zero)
    feeds = ~motions.rapid() & (motions.dwell == 0.0)
    cutting = feeds[path.move]
    low, high = path.boxes()
    used = [motions.in_force[k] for k in np.unique(motions.state).tolist()]
    code = [
        k for k, text in enumerate(proof.source.lines, 1) if any(c.isalnum() for c in text.split("(")[0].split(";")[0])
    ]
    return Summary(
        lines=len(proof.source.lines),
        moves=len(motions),
        time_s=proof.timing.total,
        everything=_extents(low, high),
        cutting=_extents(low[cutting], high[cutting]),
        margins=_margins(proof, low[cutting], high[cutting]),
        tools=tuple(_tool(proof, number, feeds, low, path.move) for number in proof.tool_order),
        offsets=tuple(dict.fromkeys(s.offset for s in used)),
        lengths=tuple(sorted({s.h_number for s in used if s.h_number is not None})),
        radii=tuple(sorted({use.number for use in motions.radii_used})),
        speeds=_range(np.array([s.speed for s in used if s.spindle != "off"])),
        feeds=_range(motions.feed[feeds]),
        stops=sum(event.kind in ("stop", "optional-stop") for event in motions.events),
        unknown=tuple((f.line, f.column) for f in proof.findings if f.code == "word-unknown"),
        never_run=tuple(k for k in code if not proof.run.ran(k)),
    )


def _extents(lows: NDArray[np.float64], highs: NDArray[np.float64]) -> Extents | None:
    if not len(lows):
        return None
    low, high = lows.min(axis=0), highs.max(axis=0)
    return Extents((float(low[0]), float(low[1]), float(low[2])), (float(high[0]), float(high[1]), float(high[2])))


def _range(values: NDArray[np.float64]) -> Range | None:
    values = values[np.isfinite(values) & (values > 0.0)]
    return (float(values.min()), float(values.max())) if len(values) else None


def _margins(proof: Proof, lows: NDArray[np.float64], highs: NDArray[np.float64]) -> Margins | None:
    """Against the stock that stands at the part's zero: the first one."""
    bench = proof.job.bench
    if not bench.stocks or not len(lows):
        return None
    stock, zero = bench.stocks[0], bench.part_zero
    corner = zero.into(np.array([[stock.frame.x, stock.frame.y, stock.frame.z]]))[0]
    far = corner + np.array(stock.extent)
    low, high = lows.min(axis=0), highs.max(axis=0)
    room = [*(low - corner).tolist(), *(far - high).tolist()]
    return Margins(left=room[0], right=room[3], front=room[1], back=room[4], bottom=room[2])


def _tool(
    proof: Proof, number: int, feeds: NDArray[np.bool_], low: NDArray[np.float64], move: NDArray[np.int32]
) -> ToolSummary:
    motions = proof.motions
    mine = motions.tool_of() == number
    lengths = motions.lengths()
    rapid = motions.rapid()
    states = [motions.in_force[k] for k in np.unique(motions.state[mine]).tolist()]
    steps = (mine & feeds)[move]
    tool = proof.job.bench.really_in_spindle(number)
    first = next((s.line for s in proof.segments if s.tool == number), 1)
    return ToolSummary(
        number=number,
        name=KIND_WORDS[tool.kind] if tool is not None else "",
        diameter=tool.DC if tool is not None else 0.0,
        first_line=first,
        moves=int(mine.sum()),
        feed_mm=float(lengths[mine & ~rapid].sum()),
        rapid_mm=float(lengths[mine & rapid].sum()),
        lowest=float(low[steps, 2].min()) if steps.any() else None,
        speeds=_range(np.array([s.speed for s in states if s.spindle != "off"])),
        feeds=_range(motions.feed[mine & feeds]),
        lengths=tuple(sorted({use.number for use in motions.lengths_used if use.tool == number})),
        radii=tuple(sorted({use.number for use in motions.radii_used if use.tool == number})),
        time_s=float(proof.timing.duration[mine].sum()),
    )
