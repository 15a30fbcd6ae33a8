"""Sentences that every trade on a flat sheet shares."""

from __future__ import annotations

import math

from underglass.core.control.motions import Kind, Motions
from underglass.core.control.words import OFFSET_NAMES, g_key
from underglass.core.language.block import Block
from underglass.core.proof.proof import Proof
from underglass.core.units import Unit, show_length


def modes(block: Block) -> list[str]:
    """What the block's plain words change."""
    keys = {key for w in block.words if w.letter == "G" and (key := g_key(w.value)) is not None}
    codes = {int(w.value) for w in block.words if w.letter == "M"}
    out = []
    for key, words in (
        (200, "Lengths are in inches"),
        (210, "Lengths are in millimetres"),
        (900, "Places count from the zero"),
        (910, "Places count from where it is"),
    ):
        if key in keys:
            out.append(words)
    out += [f"Places count from {OFFSET_NAMES[k]}" for k in sorted(k for k in keys if k in OFFSET_NAMES)]
    if 98 in codes:
        number = next((w.value for w in block.words if w.letter == "P"), 0.0)
        out.append(f"Runs subprogram {number:g}")
    if 99 in codes:
        out.append("Goes back to where this subprogram was called")
    if 0 in codes:
        out.append("Stops until the start button is pressed")
    if 1 in codes:
        out.append("Stops here where the optional stop is on")
    if codes & {2, 30}:
        out.append("Ends the program")
    return out


def _own_move(motions: Motions, first: int, last: int) -> int:
    """The move that the block itself asks for: after it compensation may put an arc round the corner, or a connecting line."""
    wanted = motions.state_of(last).motion in ("G2", "G3")
    return next((k for k in range(last, first - 1, -1) if bool(motions.sweep[k]) == wanted), last)


def travel(proof: Proof, line: int, unit: Unit, cuts: str) -> str:
    """Where the block's moves go; ``cuts`` is the verb of a feed, empty where it goes without doing anything."""
    moves = proof.moves_of_line(line)
    if moves is None:
        return ""
    motions = proof.motions
    last = _own_move(motions, *moves)
    state = motions.state_of(last)
    end = state.work(tuple(float(v) for v in motions.end[last]))  # type: ignore[arg-type]
    place = f"X {show_length(end[0], unit)} Y {show_length(end[1], unit)}"
    kind = Kind(int(motions.kind[last]))
    if kind in (Kind.RAPID, Kind.CYCLE_RAPID):
        return f"Rapids to {place}"
    if kind == Kind.DWELL:
        return ""
    feed = show_length(float(motions.feed[last]), unit).rstrip("0").rstrip(".")
    rate = f" at {feed} {unit}/min"
    if motions.sweep[last]:
        turn = "counter-clockwise" if motions.sweep[last] > 0.0 else "clockwise"
        radius = show_length(float(motions.radius()[last]), unit)
        angle = math.degrees(abs(float(motions.sweep[last])))
        return f"{cuts or 'Goes along'} an arc of {angle:.1f} degrees {turn}, radius {radius}, to {place}{rate}"
    beside = f", the kerf {state.comp} of the contour," if cuts and state.comp != "off" else ""
    return f"{cuts or 'Goes'} straight{beside} to {place}{rate}"
