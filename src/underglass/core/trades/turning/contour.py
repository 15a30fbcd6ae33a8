"""The contour of a roughing or finishing cycle: the blocks from one N number to another, run without a machine.

Glossary
    way     a contour as places (n, 2): X as a radius and Z, machine coordinates, mm; arcs as chords
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.control import compensated
from underglass.core.control.arcs import chords
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.motions import MotionBuilder
from underglass.core.control.plain_way import PLAIN
from underglass.core.control.words import g_key
from underglass.core.language.block import Block, read_block
from underglass.core.tolerances import TOLERANCES

Floats = NDArray[np.float64]

_MOST = 5000
"""Blocks of a contour."""

_SIDES = (41.0, 42.0, 40.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Contour:
    """``way`` (n, 2); ``blocks`` as they are to be run for the finish; ``last`` the line that the program goes on behind."""

    way: Floats
    blocks: tuple[Block, ...]
    first: int
    last: int


def read(c: Desk, b: BlockWords, first: int, last: int) -> Contour | None:
    """The contour between two block numbers, from where the tool stands; None after the finding that says why there is none."""
    found = c.flow.stretch(first, last)
    word = b.g_word("motion")
    if found is None or len(found) > _MOST:
        c.find_span(
            "subprogram-missing", b, word, f"the contour N{first} to N{last} is not in this program",
            "number its first and last block so", {"from": first, "to": last},
        )  # fmt: skip
        return None
    blocks = tuple(read_block(text, line) for line, text in found)
    if any(block.arithmetic for block in blocks):
        c.find_span(
            "not-proved", b, word, "a contour with variables in it is not held here", "write its figures out",
        )  # fmt: skip
        return None
    within = next((block for block in blocks if _reads_blocks(c, block)), None)
    if within is not None:
        c.find_span(
            "syntax", b, word, f"the contour N{first} to N{last} has a cycle of its own in it, in line {within.line}",
            "write the contour's moves alone between these blocks",
        )  # fmt: skip
        return None
    way = _way(c, blocks)
    if len(way) < 2:
        c.find_span(
            "syntax", b, word, f"the contour N{first} to N{last} goes nowhere", "write its moves between these blocks"
        )
        return None
    if len(c.reached) > found[-1][0] and not c.flow.inside:
        c.reached[found[0][0] : found[-1][0] + 1] = True
    return Contour(way=way, blocks=blocks, first=found[0][0], last=found[-1][0])


def _reads_blocks(c: Desk, block: Block) -> bool:
    """Whether a block is a cycle that works through other blocks: within a contour it could only come back to itself."""
    keys = (g_key(w.value) for w in block.words if w.letter == "G")
    return any(key in c.profile.cycles and c.profile.cycles[key].cycle.takes("from") for key in keys if key is not None)


def _way(c: Desk, blocks: tuple[Block, ...]) -> Floats:
    """Run the blocks on the desk, keep the places, and put the desk back as it was."""
    held, moves = c.copied(), c.moves
    lists = (c.findings, c.keys, c.events, c.lengths, c.offsets, c.radii, c.stretches)
    kept = [list(one) for one in lists]
    told, begin, way = set(c.told), c.at, c.path
    # What waits under compensation goes on waiting: the contour itself is looked at without.
    c.path = PLAIN
    c.skipped = {}
    c.moves = MotionBuilder()
    c.changed()
    for block in blocks:
        words = tuple(w for w in block.words if not (w.letter == "G" and w.value in _SIDES) and w.letter not in "MT")
        if words:
            c.carry_out(Block(line=block.line, words=words, remarks=(), problems=()))
    compensated.end(c)
    made = c.moves.build([], [], [])
    c.moves = moves
    for one, old in zip(lists, kept):
        one[:] = old  # type: ignore[index]
    c.told, c.path = told, way
    c.put(held)
    c.changed()
    places: list[tuple[float, float]] = [(begin[0], begin[2])]
    for k in range(len(made)):
        n = 1
        if made.sweep[k]:
            radius = float(np.hypot(made.start[k, 0] - made.centre[k, 0], made.start[k, 2] - made.centre[k, 2]))
            n = chords(radius, float(made.sweep[k]), TOLERANCES.chord_mm)
        for step in range(1, n + 1):
            x, _y, z = made.at(k, step / n)
            places.append((x, z))
    return np.array(places, dtype=np.float64)


def along(contour: Contour) -> Floats:
    """The contour alone, without the way to its first place."""
    return contour.way[1:] if len(contour.way) > 2 else contour.way


def run_finish(c: Desk, contour: Contour) -> None:
    """Carry out the contour's blocks as they stand; their rows carry their own lines."""
    for block in contour.blocks:
        c.flow.as_if = block.line
        words = tuple(w for w in block.words if w.letter != "N")
        if words and not c.ended:
            c.carry_out(Block(line=block.line, words=words, remarks=block.remarks, problems=block.problems))
    c.flow.as_if = 0
