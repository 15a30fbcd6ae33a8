"""Canned cycles as the moves they stand for (NISTIR 6556 section 3.5.16, from memory).

Every cycle: to R along Z if it is below R, across to X Y, down to R, the hole, and back to where G98 or G99 says.

Glossary
    R      the height from which the hole is fed, programmed coordinates, mm
    Z      the hole's bottom
    back   the height it goes back to: R (G99), or the height the first block of the cycle began at if that is higher (G98)
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

_PECK_CLEAR_MM = 0.25
"""How far above the last depth a peck comes back to before it feeds on; and how far G73 lifts (common practice, no source)."""

_SMALLEST_PECK_MM = 1e-3


class Step(NamedTuple):
    """One thing a cycle does: a move along Z (``z``), a wait, or a word for the spindle. ``aside``: an X Y shift, mm."""

    kind: str
    z: float = 0.0
    seconds: float = 0.0
    word: str = ""
    aside: float = 0.0


@dataclass(slots=True)
class CycleData:
    """What a cycle keeps from block to block, programmed coordinates, mm; ``dwell`` s."""

    r: float | None = None
    z: float | None = None
    q: float | None = None
    dwell: float = 0.0
    began_at: float = 0.0


def hole(name: str, r: float, z: float, q: float | None, dwell: float, back: float, spindle: str) -> Iterator[Step]:
    """The steps of one hole, from R on. ``spindle`` is how it turns as the cycle begins."""

    def feed(to: float) -> Step:
        return Step("feed", to)

    def rapid(to: float) -> Step:
        return Step("rapid", to)

    again = "clockwise" if spindle == "clockwise" else "counter-clockwise"
    if name in ("G73", "G83") and q:
        yield from _pecks(name, r, z, max(abs(q), _SMALLEST_PECK_MM))
        yield rapid(back)
        return
    if name in ("G74", "G84"):
        # Taps: in with one direction, out at the same feed with the other.
        turn, other = ("clockwise", "counter-clockwise") if name == "G84" else ("counter-clockwise", "clockwise")
        yield Step("spindle", word=turn)
        yield feed(z)
        if dwell:
            yield Step("dwell", seconds=dwell)
        yield Step("spindle", word=other)
        yield feed(r)
        yield Step("spindle", word=turn)
        if back != r:
            yield rapid(back)
        return
    yield feed(z)
    if name in ("G82", "G86", "G88", "G89", "G76") and dwell:
        yield Step("dwell", seconds=dwell)
    if name in ("G85", "G89"):
        yield feed(r)
        if back != r:
            yield rapid(back)
        return
    if name in ("G86", "G88"):
        yield Step("spindle", word="off")
        yield rapid(back)
        yield Step("spindle", word=again)
        return
    if name == "G76":
        # The spindle stops with its edge in a known place, and the tool leaves the wall by Q before it comes out.
        yield Step("spindle", word="off")
        if q:
            yield Step("aside", aside=q)
        yield rapid(back)
        if q:
            yield Step("aside", aside=-q)
        yield Step("spindle", word=again)
        return
    yield rapid(back)


def _pecks(name: str, r: float, z: float, q: float) -> Iterator[Step]:
    depth = r
    while depth > z + 1e-9:
        deeper = max(depth - q, z)
        yield Step("feed", deeper)
        if deeper > z + 1e-9:
            if name == "G73":
                yield Step("rapid", deeper + min(_PECK_CLEAR_MM, q / 2.0))
            else:
                yield Step("rapid", r)
                yield Step("rapid", deeper + min(_PECK_CLEAR_MM, q / 2.0))
        depth = deeper
