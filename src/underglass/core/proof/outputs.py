"""What a trade says of a proof in its own way: measures, part, summary, report, restart. What it does not register is the usual.

A trade registers its ``Outputs`` under its name, as rules register themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.interpret import Control
from underglass.core.control.motions import Kind
from underglass.core.language.block import Block
from underglass.core.proof.proof import Proof
from underglass.core.units import Unit, show_clock, show_length


def low_to_high(pair: Sequence[float] | None, unit: Unit | None) -> str:
    """A span of lengths in mm as a person reads it, of other figures where ``unit`` is None."""
    if pair is None:
        return "\u2013"
    low, high = (show_length(v, unit) if unit is not None else f"{v:.6g}" for v in pair)
    return low if low == high else f"{low} to {high}"


def glance(
    proof: Proof, found: Mapping[str, Any], axes: Sequence[str], more: Sequence[str], head: str = "", by: str = ""
) -> list[str]:
    """A summary for a person: what every trade's has, with the lines that are its own in the middle.

    ``head`` says how lengths are told, ``by`` of what the extents are.
    """
    unit, stops = proof.job.units, found["stops"]
    out = [
        f"{proof.job.title} ({proof.source.name}), lengths in {unit}{head}",
        f"  {found['lines']} lines, {found['moves']} moves, {show_clock(found['time_s'])}, {stops} stop{'' if stops == 1 else 's'}",
    ]
    for name, key in (("all moves", "everything"), ("cutting", "cutting")):
        if found[key] is not None:
            spans = "  ".join(f"{axis.upper()} {low_to_high(found[key][axis], unit)}" for axis in axes)
            out.append(f"  {name}{by}: {spans}")
    out.append(f"  work offsets {', '.join(found['offsets']) or 'none'}")
    out += more
    if found["unknown"]:
        out.append("  words the control lacks: " + ", ".join(f"{line}:{column}" for line, column in found["unknown"]))
    if found["never_run"]:
        out.append("  lines never run: " + ", ".join(map(str, found["never_run"])))
    return out


Triangles = tuple[NDArray[np.float64], NDArray[np.int64]]


class NowRow(NamedTuple):
    """A row of what holds now. ``belief``: the figure is what the control believes; ``wrong``: it is not as it should be."""

    name: str
    figure: str
    belief: bool = False
    wrong: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnNow:
    """``axes``: name, work, machine and way to go of each, mm as they are read. ``held`` and ``cut`` are rows of figures, in the
    job's unit; ``line``, ``next_line`` and ``kind`` as of any move."""

    line: int
    next_line: int | None
    kind: Kind
    axes: tuple[tuple[str, float, float, float], ...]
    held: tuple[NowRow, ...]
    cut: tuple[NowRow, ...]


class Outline(NamedTuple):
    """A closed ring of what is left, (n, 2) mm from the true zero; ``loose``: of a piece that has come loose."""

    ring: NDArray[np.float64]
    loose: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Outputs:
    """``report``: what the JSON report has besides. ``summary``: the program at a glance as plain values, lengths in mm, and
    ``summary_text`` as lines. ``part``: the stock as closed triangles, after a line or at the end. ``rings``: (outer, inner)
    diameters at a Z, where it turns; ``metal``: whether there is any at places in plan, and ``outlines`` of what is left a share of
    the way through a move, where it is flat. ``restart``: blocks that bring a fresh control to the state of another one. ``needs``: (group, what, words) of
    what is in force and would not be after power-on. ``now``: what holds at a moment; ``whole``: the program at a glance, by heading. ``says``: a block's sentences."""

    report: Callable[[Proof], Mapping[str, Any]]
    summary: Callable[[Proof], Mapping[str, Any]]
    summary_text: Callable[[Proof], list[str]]
    part: Callable[[Proof, int | None], Triangles]
    now: Callable[[Proof, float], OwnNow | None]
    whole: Callable[[Proof], list[tuple[str, list[tuple[str, str]]]]]
    says: Callable[[Proof, Block, int, Unit], list[str]]
    restart: Callable[[Control, Control], tuple[str, ...]]
    needs: Callable[[Control], list[tuple[str, str, str]]]
    rings: Callable[[Proof, float, int | None], list[tuple[float, float]]] | None = None
    metal: Callable[[Proof, list[tuple[float, float]], int | None], NDArray[np.bool_]] | None = None
    outlines: Callable[[Proof, int, float], list[Outline]] | None = None


OUTPUTS: dict[str, Outputs] = {}
"""By the trade's name."""


def outputs_of(proof: Proof) -> Outputs | None:
    """The trade's own; None where all is as usual."""
    return OUTPUTS.get(proof.job.trade.name)
