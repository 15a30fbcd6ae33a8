"""The block reader: what a block does, in plain words, and what it leaves in force."""

from __future__ import annotations

import math
from dataclasses import dataclass

from underglass.core.control.motions import Kind
from underglass.core.control.words import G_GROUPS, M_GROUPS, OFFSET_NAMES, g_key
from underglass.core.language.block import Block, Word, read_block
from underglass.core.proof.proof import Proof
from underglass.core.units import Unit, show_length

_G_WORDS = {
    170: "Works in the X Y plane",
    200: "Lengths are inches from here on",
    210: "Lengths are millimetres from here on",
    400: "Radius compensation is off",
    490: "Length offset is off",
    690: "Rotation is off",
    800: "Ends any drilling cycle",
    900: "Places are absolute from here on",
    910: "Places are steps from the last place from here on",
    940: "Feeds are per minute",
    980: "Cycles return to the height they began at",
    990: "Cycles return to their R height",
}
_M_WORDS = {
    0: "Stops the program until the operator goes on",
    1: "Stops here if optional stop is on",
    2: "Ends the program",
    30: "Ends the program and goes back to its start",
    7: "Mist on",
    8: "Coolant on",
    9: "Coolant off at the end of the block",
}


@dataclass(frozen=True, slots=True)
class Reading:
    """``sentences`` in the order in which things happen; ``leaves`` is what stays in force."""

    name: str
    sentences: tuple[str, ...]
    leaves: str


def read_out(proof: Proof | None, text: str, line: int, unit: Unit = "mm") -> Reading:
    """A block in words; without a proof only what the words themselves say."""
    block = read_block(text, line)
    number = block.word("N")
    name = number.text.upper() if number else f"Line {line}"
    if block.problems:
        first = block.problems[0]
        said = (
            f"Column {first.start + 1} cannot be read: {first.message}. {first.remedy[:1].upper()}{first.remedy[1:]}."
        )
        return Reading(name, (said,), "")
    if not [w for w in block.words if w.letter not in "NO"]:
        return Reading(name, (_nothing(block),), "")
    sentences = [*_technology(proof, block), *_states(block)]
    move = _motion(proof, line, unit)
    if move:
        sentences.append(move)
    elif any(w.letter in "XYZ" for w in block.words):
        sentences.append("Nothing moves: the tool is already there" if proof else "Moves (not proved yet)")
    sentences.extend(_M_WORDS[int(w.value)] for w in block.words if w.letter == "M" and w.value in (0, 1, 2, 30))
    return Reading(name, tuple(s + "." for s in sentences) or ("Changes nothing.",), _leaves(proof, line))


def _nothing(block: Block) -> str:
    if block.tape_mark:
        return "Start or end of the tape: the control reads what is between the two % signs."
    program = block.word("O")
    if program is not None:
        return f"Names the program: O{int(program.value)}."
    if block.remarks:
        return "A comment: the machine does nothing."
    return "An empty line: the machine does nothing."


def _technology(proof: Proof | None, block: Block) -> list[str]:
    out = []
    letters: dict[str, Word] = {w.letter: w for w in block.words}
    codes = [int(w.value) for w in block.words if w.letter == "M" and w.value in M_GROUPS]
    tool = letters.get("T")
    if 6 in codes:
        kind = ""
        if tool is not None and proof is not None:
            real = proof.job.bench.really_in_spindle(int(tool.value))
            kind = f" ({real.name})" if real else " (not on the bench)"
        lift = proof is not None and proof.job.bench.machine.tool_change_lift_z is not None
        out.append(
            f"{'Lifts Z to the top and changes' if lift else 'Changes'} to tool {int(tool.value) if tool else '?'}{kind}"
        )
    elif tool is not None:
        out.append(f"Gets tool {int(tool.value)} ready for the next change")
    speed = letters.get("S")
    at = f" at {speed.value:g} rpm" if speed else ""
    if 3 in codes:
        out.append(f"Starts the spindle clockwise{at}")
    elif 4 in codes:
        out.append(f"Starts the spindle counter-clockwise{at}")
    elif speed is not None:
        out.append(f"Sets the spindle speed to {speed.value:g} rpm")
    if 5 in codes:
        out.append("Stops the spindle at the end of the block")
    out.extend(_M_WORDS[c] for c in codes if c in (7, 8, 9))
    return out


def _states(block: Block) -> list[str]:
    out = []
    for word in block.words:
        key = g_key(word.value) if word.letter == "G" else None
        if key is None or key not in G_GROUPS:
            continue
        if key in OFFSET_NAMES:
            out.append(f"Places count from work offset {OFFSET_NAMES[key]}")
        elif key == 430:
            h = block.word("H")
            out.append(f"Turns on the length offset with register H{int(h.value) if h else '?'}")
        elif key in _G_WORDS:
            out.append(_G_WORDS[key])
    return out


def _motion(proof: Proof | None, line: int, unit: Unit) -> str:
    """The block's own moves: the last of them, for a lift before a tool change needs no more words."""
    moves = proof.moves_of_line(line) if proof is not None else None
    if moves is None or proof is None:
        return ""
    motions = proof.motions
    m = moves[1]
    kind = Kind(int(motions.kind[m]))
    state = motions.state_of(m)
    start, end = state.work(motions.at(m, 0.0)), state.work(motions.at(m, 1.0))
    changed = [k for k in range(3) if abs(end[k] - start[k]) > 1e-6]
    where = " ".join(f"{'XYZ'[k]} {show_length(end[k], unit)}" for k in changed)
    length = f"{show_length(float(motions.lengths()[m]), unit)} {unit}"
    if proof.run.motions.events and any(e.line == line and e.kind == "tool-change" for e in motions.events):
        return ""
    if kind == Kind.RAPID:
        way = "up " if changed == [2] and end[2] > start[2] else "down " if changed == [2] else ""
        return f"Moves {way}at rapid to {where}, {length}"
    feed = show_length(float(motions.feed[m]), unit).rstrip("0").rstrip(".")
    rate = f"at {feed} {unit}/min" if motions.feed[m] > 0 else "with no feed in force"
    if kind == Kind.FEED:
        way = "straight down " if changed == [2] and end[2] < start[2] else "straight up " if changed == [2] else ""
        return f"Feeds {way}to {where} {rate}, {length}"
    turn = math.degrees(abs(float(motions.sweep[m])))
    name = (
        "a full circle"
        if turn > 359.99
        else "a half circle"
        if abs(turn - 180) < 0.01
        else "a quarter circle"
        if abs(turn - 90) < 0.01
        else f"an arc of {turn:.1f} degrees"
    )
    side = "clockwise" if kind == Kind.ARC_CW else "counter-clockwise"
    radius = show_length(float(motions.radius()[m]), unit)
    middle = state.work((float(motions.centre[m, 0]), float(motions.centre[m, 1]), float(motions.centre[m, 2])))
    about = " ".join(f"{'XYZ'[k]} {show_length(v, unit)}" for k, v in enumerate(middle) if v == v)
    to = f" to {where}" if where and turn <= 359.99 else f" down to {where}" if where and end[2] < start[2] else ""
    return f"Cuts {name} {side}{to}, radius {radius} about {about}, {rate}"


def _leaves(proof: Proof | None, line: int) -> str:
    moves = proof.moves_of_line(line) if proof is not None else None
    if proof is None or moves is None:
        return ""
    state = proof.motions.state_of(moves[1])
    return " ".join((state.motion, *state.words))
