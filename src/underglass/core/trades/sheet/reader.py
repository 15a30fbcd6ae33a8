"""A block of cutting sheet in words."""

from __future__ import annotations

from underglass.core.control.stretch import Stretch
from underglass.core.control.words import g_key
from underglass.core.language.block import Block
from underglass.core.proof.flat_reader import modes, travel
from underglass.core.proof.proof import Proof
from underglass.core.units import Unit, show_length


def says(proof: Proof, block: Block, line: int, unit: Unit) -> list[str]:
    """The block's sentences, in the order in which things happen."""
    keys = {g_key(w.value) for w in block.words if w.letter == "G"}
    codes = {int(w.value) for w in block.words if w.letter == "M"}
    out = modes(block)
    if 3 in codes:
        out.append("Switches the cutter on")
    for key, side in ((410, "left"), (420, "right")):
        if key in keys:
            out.append(f"From the next move on the cut runs {side} of the contour by half the kerf")
    if 400 in keys:
        out.append("Takes the kerf compensation off")
    if 40 in keys:
        seconds = next((w.value for w in block.words if w.letter in proof.job.control.dwells), 0.0)
        out.append(f"Waits {proof.job.control.dwell_seconds(seconds):g} s")
    moves = proof.moves_of_line(line)
    on = moves is not None and proof.motions.state_of(moves[1]).spindle != "off"
    moved = travel(proof, line, unit, "Cuts" if on else "")
    if moved:
        out.append(moved)
    if 5 in codes:
        out.append("Switches the cutter off")
    return out


def lens_words(proof: Proof, stretch: Stretch, told: float, real: float, unit: Unit) -> list[str]:
    """What the lens says of a compensated contour."""
    side = "left" if stretch.side > 0.0 else "right"
    where = f", {stretch.where} the contour" if stretch.where else ""
    out = [f"The cut runs {side} of its way{where}; the control reckons with half a kerf of {show_length(told, unit)}."]
    apart = real - told
    if abs(apart) > 0.0005:
        small = "smaller" if apart > 0.0 else "larger"
        out.append(
            f"Half the real kerf is {show_length(real, unit)}: what is cut round comes out {show_length(2.0 * abs(apart), unit)} {small}."
        )
    if proof.job.control.lookahead:
        out.append(f"The control looks {proof.job.control.lookahead} blocks ahead for the next corner.")
    return out
