"""The block reader: what a block does, in plain words, and what it leaves in force."""

from __future__ import annotations

import math
from dataclasses import dataclass

from underglass.core.control.cycles import COMMON_CYCLES
from underglass.core.control.motions import Kind
from underglass.core.control.words import G_GROUPS, M_GROUPS, OFFSET_NAMES, g_key
from underglass.core.language.block import Block, Word, read_block
from underglass.core.proof.outputs import outputs_of
from underglass.core.proof.proof import Proof
from underglass.core.proof.said import G_SAID, M_SAID
from underglass.core.units import Unit, show_length


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
    flow = _flow(block)
    if not flow and not [w for w in block.words if w.letter not in "NO"]:
        return Reading(name, (_nothing(block),), "")
    own = outputs_of(proof) if proof is not None else None
    if own is not None and proof is not None:
        told = [*flow, *own.says(proof, block, line, unit)]
        told += [M_SAID[int(w.value)] for w in block.words if w.letter == "M" and w.value in (0, 1, 2, 30)]
        named = any(w.letter in "XZUW" for w in block.words)
        still = _why_nothing_moves(proof, block) if named and not proof.moves_of_line(line) else ""
        told += [still] if still else []
        return Reading(name, tuple(s + "." for s in told) or ("Changes nothing.",), _leaves(proof, line))
    sentences = [*flow, *_technology(proof, block), *_states(proof, block)]
    move = _motion(proof, line, unit)
    if move:
        sentences.append(move)
    else:
        still = _why_nothing_moves(proof, block)
        if still:
            sentences.append(still)
    sentences.extend(M_SAID[int(w.value)] for w in block.words if w.letter == "M" and w.value in (0, 1, 2, 30, 60))
    return Reading(name, tuple(s + "." for s in sentences) or ("Changes nothing.",), _leaves(proof, line))


def _why_nothing_moves(proof: Proof | None, block: Block) -> str:
    """Why a block that made no move made none; empty where nobody would expect one."""
    axes = [w for w in block.words if w.letter in "XYZ"]
    keys = {g_key(w.value) for w in block.words if w.letter == "G"}
    if proof is None:
        return "Moves (not proved yet)" if axes else ""
    job, line = proof.job, block.line
    if job.switches.skips(block.skip):
        return "Nothing is done: block skip is on, and this block has a slash"
    if not proof.run.ran(line):
        return "Nothing is done: the program never comes to this block"
    if keys & {410, 420} and not axes:
        return "Nothing moves yet: compensation takes effect with the next move in the plane"
    if keys & {400} and not axes:
        how = job.control.after_g40
        ways = {
            "axis": "the tool stays beside the path; each axis goes to its programmed place when a block names it",
            "plane": "the tool stays beside the path; the first move in the plane goes to the programmed place",
            "at-once": "the next move goes from beside the contour to the programmed place",
        }
        return f"Nothing moves yet: {ways[how]}"
    wrong = next((f for f in proof.findings if f.line == line and f.code in _STOPPERS), None)
    if wrong is not None and (axes or keys & {280, 300, 530}):
        first = wrong.message.split(" ", 1)[0]
        # A word of the program, as X1., stays as it is written.
        said = wrong.message if any(c.isdigit() for c in first) else wrong.message[:1].lower() + wrong.message[1:]
        return f"Nothing moves: {said}"
    if keys & {100, 520, 920, 510, 511, 680}:
        return "No motion: the numbers in this block set values" if axes else ""
    if block.flow is not None and block.flow.kind == "if-then" and axes:
        return "Nothing moves: the condition does not hold"
    if axes:
        return "Nothing moves: the tool is already there"
    return ""


_STOPPERS = {"syntax", "word-unknown", "modal-conflict", "not-proved"}
"""Findings after which the control leaves out what the block was to do."""


def _flow(block: Block) -> list[str]:
    """Variables set, and what decides which block comes next."""
    out = (
        [f"Sets {'a variable' if len(block.assignments) == 1 else f'{len(block.assignments)} variables'}"]
        if block.assignments
        else []
    )
    flow = block.flow
    if flow is not None:
        out.append(
            {
                "goto": "Goes on at the block named",
                "if-goto": "Goes on at the block named, if the condition holds",
                "if-then": "Does the rest of the block only if the condition holds",
                "while": f"Repeats the blocks down to END {flow.number} as long as the condition holds",
                "end": f"Goes back to the WHILE of loop {flow.number}",
            }[flow.kind]
        )
    return out


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
    call, number = (
        next((w for w in block.words if (w.letter, w.value) in (("M", 98.0), ("G", 65.0))), None),
        letters.get("P"),
    )
    if call is not None and number is not None:
        times = letters.get("L")
        again = f", {times.value:g} times" if times is not None and call.letter == "M" else ""
        out.append(f"Runs subprogram {number.value:g}{again}")
    elif any(w.letter == "M" and w.value == 99.0 for w in block.words):
        out.append("Goes back to where this subprogram was called")
    tool = letters.get("T")
    if 6 in codes:
        kind = ""
        if tool is not None and proof is not None:
            real = proof.job.bench.really_in_spindle(int(tool.value))
            kind = f" ({real.name})" if real else " (not on the bench)"
        lift = proof is not None and proof.job.bench.machine.tool_change_lift_z is not None
        out.append(
            f"{'Retracts Z to the tool change height and changes' if lift else 'Changes'} to tool {int(tool.value) if tool else '?'}{kind}"
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
    out.extend(M_SAID[c] for c in codes if c in (7, 8, 9, 48, 49))
    if proof is not None:
        own = proof.job.control.no_effect
        out.extend(
            own[int(w.value)][:1].upper() + own[int(w.value)][1:]
            for w in block.words
            if w.letter == "M" and w.value in own
        )
    return out


def _cutting_way(proof: Proof | None, line: int, side: str) -> str:
    """Inside or outside of a closed contour, and climb or conventional.

    With the spindle clockwise a cutter left of its way climbs (common practice, no source).
    """
    stretch = next((s for s in proof.run.stretches if s.switched_on_line == line), None) if proof is not None else None
    if proof is None or stretch is None or not len(stretch):
        return ""
    out = f", {stretch.where} of the contour" if stretch.where else ""
    cuts = int(stretch.last[0]) - 1
    spindle = proof.motions.state_of(cuts).spindle if 0 <= cuts < len(proof.motions) else "off"
    if spindle == "off":
        return out
    return out + (", climb milling" if (side == "left") == (spindle == "clockwise") else ", conventional milling")


def _states(proof: Proof | None, block: Block) -> list[str]:
    out = []
    cycles = proof.job.control.cycles if proof is not None else COMMON_CYCLES
    for word in block.words:
        key = g_key(word.value) if word.letter == "G" else None
        if key is None:
            continue
        cycle = cycles.get(key)
        if cycle is not None:
            out.append(cycle.cycle.said)
            continue
        if key not in G_GROUPS:
            continue
        if key in OFFSET_NAMES:
            out.append(f"Positions are measured from work offset {OFFSET_NAMES[key]}")
        elif key in (410, 420):
            d = block.word("D")
            said = f" by register D{int(d.value)}" if d and d.value == d.value else ""
            side = "left" if key == 410 else "right"
            out.append(
                f"Puts the cutter {side} of its way{said}{_cutting_way(proof, block.line, side)}; the lead-in is worked out once the next move is known"
            )
        elif key == 430:
            h = block.word("H")
            out.append(f"Turns on the length offset with register H{int(h.value) if h else '?'}")
        elif key in G_SAID:
            out.append(G_SAID[key])
    return out


def _motion(proof: Proof | None, line: int, unit: Unit) -> str:
    """The block's own moves: the last of them, for a lift before a tool change needs no more words."""
    moves = proof.moves_of_line(line) if proof is not None else None
    if moves is None or proof is None:
        return ""
    motions = proof.motions
    m = moves[1]
    kind = Kind(int(motions.kind[m]))
    if kind in (Kind.CYCLE_FEED, Kind.CYCLE_RAPID):
        return _hole(proof, moves, unit)
    state = motions.state_of(m)
    start, end = state.work(motions.at(m, 0.0)), state.work(motions.at(m, 1.0))
    changed = [k for k in range(3) if abs(end[k] - start[k]) > 1e-6]
    where = " ".join(f"{'XYZ'[k]}{show_length(end[k], unit)}" for k in changed)
    length = f"{show_length(motions.length_of(m), unit)} {unit}"
    if proof.run.motions.events and any(e.line == line and e.kind == "tool-change" for e in motions.events):
        return ""
    if kind == Kind.RAPID:
        way = "up " if changed == [2] and end[2] > start[2] else "down " if changed == [2] else ""
        return f"Rapids {way}{length} to {where}"
    feed = show_length(float(motions.feed[m]), unit).rstrip("0").rstrip(".")
    rate = f"at {feed} {unit}/min" if motions.feed[m] > 0 else "with no feed set"
    if kind == Kind.FEED:
        way = "straight down " if changed == [2] and end[2] < start[2] else "straight up " if changed == [2] else ""
        if state.comp != "off" and changed != [2]:
            return f"Feeds {length} with the centre {state.comp} of the contour, to {where} {rate}"
        return f"Feeds {way}{length} to {where} {rate}"
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


def _hole(proof: Proof, moves: tuple[int, int], unit: Unit) -> str:
    """What a block makes under a cycle: where the first hole is, how deep, in how many steps, and where the tool ends."""
    motions = proof.motions
    places = [(m, motions.state_of(m).work(motions.at(m, 1.0))) for m in range(moves[0], moves[1] + 1)]
    fed = [m for m, _at in places if motions.kind[m] == Kind.CYCLE_FEED]
    if not fed:
        return ""
    holes = list(dict.fromkeys((round(at[0], 4), round(at[1], 4)) for m, at in places if m in set(fed)))
    lowest = min(at[2] for _m, at in places)
    x, y = holes[0]
    steps = sum(1 for m in fed if motions.end[m, 2] < motions.start[m, 2])
    in_steps = f" in {steps} steps" if steps > len(holes) else ""
    more = f" and {len(holes) - 1} more places" if len(holes) > 1 else ""
    feed = show_length(float(motions.feed[fed[0]]), unit).rstrip("0").rstrip(".")
    return (
        f"At X {show_length(x, unit)} Y {show_length(y, unit)}{more}: down to Z {show_length(lowest, unit)}{in_steps} "
        f"at {feed} {unit}/min, and back to Z {show_length(places[-1][1][2], unit)}"
    )


def _leaves(proof: Proof | None, line: int) -> str:
    moves = proof.moves_of_line(line) if proof is not None else None
    if proof is None or moves is None:
        return ""
    state = proof.motions.state_of(moves[1])
    made = proof.job.control.cycle_by_name.get(state.motion)
    # A cycle that acts in its own block only is over with it.
    return " ".join(state.words if made is not None and made.cycle.once else (state.motion, *state.words))
