"""A lathe's block in words: what a turner at the machine would say aloud."""

from __future__ import annotations

import math

from underglass.core.control.motions import Kind
from underglass.core.control.words import OFFSET_NAMES, g_key
from underglass.core.language.block import Block, Word
from underglass.core.proof.proof import Proof
from underglass.core.proof.said import M_SAID
from underglass.core.trades.turning.clock import speed_at
from underglass.core.units import Unit, show_length

_G_SAID = {
    200: "Lengths are inches", 210: "Lengths are millimetres", 180: "Arcs lie in the plane of Z and X",
    970: "S counts in turns a minute", 980: "Feeds by the minute", 990: "Feeds by the turn", 400: "Ends tip radius compensation",
    280: "Goes home with the axes named", 530: "Places are machine coordinates in this block",
}  # fmt: skip


def says(proof: Proof, block: Block, line: int, unit: Unit) -> list[str]:
    """The block's sentences, in the order in which things happen."""
    out = [*_words(proof, block), *_cycle(proof, block)]
    moved = _motion(proof, line, unit)
    if moved:
        out.append(moved)
    return out


def _words(proof: Proof, block: Block) -> list[str]:
    letters: dict[str, Word] = {w.letter: w for w in block.words}
    codes = {int(w.value) for w in block.words if w.letter == "M"}
    keys = {g_key(w.value) for w in block.words if w.letter == "G"}
    out = []
    call, number = (next((w for w in block.words if (w.letter, w.value) == ("M", 98.0)), None), letters.get("P"))
    if call is not None and number is not None:
        times = letters.get("L")
        out.append(f"Runs subprogram {number.value:g}{f', {times.value:g} times' if times is not None else ''}")
    elif 99 in codes:
        out.append("Goes back to where this subprogram was called")
    tool = letters.get("T")
    if tool is not None and tool.value >= 0:
        station, offset = divmod(int(tool.value), 100)
        if proof.job.control.tool_word != "T-station-offset":
            station = offset = int(tool.value)
        name = proof.job.bench.tool_names.get(station)
        what = (
            f"Turns station {station} to work ({name or 'not on the turret'})"
            if station
            else "Leaves the turret as it stands"
        )
        out.append(f"{what}, {f'with offset {offset}' if offset else 'and takes the offset off'}")
    speed = letters.get("S")
    said = f"{speed.value:g}" if speed is not None else ""
    if 500 in keys and speed is not None:
        out.append(f"Limits the spindle to {said} rpm")
    else:
        unit = "feet" if proof.job.units == "inch" else "metres"
        if 960 in keys:
            out.append(
                f"Holds the surface speed{f' at {said} {unit} a minute' if said else ''}: the spindle follows the diameter"
            )
        turn = "clockwise" if 3 in codes else "counter-clockwise" if 4 in codes else ""
        at = f" at {said} rpm" if said and 960 not in keys else ""
        if turn:
            out.append(f"Starts the spindle {turn}{at}")
        elif at:
            out.append(f"Sets S to {said}")
    if 5 in codes:
        out.append("Stops the spindle at the end of the block")
    out += [M_SAID[c] for c in sorted(codes) if c in (7, 8, 9)]
    for key in sorted(k for k in keys if k is not None):
        if key in OFFSET_NAMES:
            out.append(f"Positions are measured from work offset {OFFSET_NAMES[key]}")
        elif key in (410, 420):
            side = "left" if key == 410 else "right"
            out.append(f"Runs the nose {side} of the contour from here on, by the register of the offset that is on")
        elif key in _G_SAID:
            out.append(_G_SAID[key])
    for letter, word in ((",C", "Breaks the corner by {}"), (",R", "Rounds the corner with a radius of {}")):
        if letter in letters:
            out.append(word.format(f"{letters[letter].value:g}"))
    return out


def _cycle(proof: Proof, block: Block) -> list[str]:
    cycles = proof.job.control.cycles
    keys = [g_key(w.value) for w in block.words if w.letter == "G"]
    return [cycles[key].cycle.said for key in keys if key is not None and key in cycles][:1]


def _place(end: tuple[float, float, float], changed: list[int], unit: Unit) -> str:
    figures = {0: f"diameter {show_length(2.0 * end[0], unit)}", 2: f"Z {show_length(end[2], unit)}"}
    return ", ".join(figures[k] for k in changed)


def _motion(proof: Proof, line: int, unit: Unit) -> str:
    moves = proof.moves_of_line(line)
    if moves is None:
        return ""
    motions = proof.motions
    first, last = moves
    m = max(range(first, last + 1), key=lambda k: motions.length_of(k) + float(motions.dwell[k]) * 1e6)
    kind = Kind(int(motions.kind[m]))
    state = motions.state_of(m)
    if kind in (Kind.CYCLE_FEED, Kind.CYCLE_RAPID) or last - first > 3:
        cuts = sum(1 for k in range(first, last + 1) if not motions.rapid()[k])
        low = min(float(motions.end[k, 0]) - motions.state_of(k).shift[0] for k in range(first, last + 1))
        far = min(float(motions.end[k, 2]) - motions.state_of(k).shift[2] for k in range(first, last + 1))
        return f"Makes {cuts} cuts, down to diameter {show_length(2.0 * low, unit)} and Z {show_length(far, unit)}"
    start, end = state.work(motions.at(m, 0.0)), state.work(motions.at(m, 1.0))
    changed = [k for k in (0, 2) if abs(end[k] - start[k]) > 1e-6]
    if kind == Kind.DWELL:
        return f"Waits {float(motions.dwell[m]):g} s"
    where = _place(end, changed, unit)
    if kind == Kind.RAPID:
        return f"Rapids to {where}"
    per_turn = state.feed_mode == "G95" or (state.station is not None and state.station.lead > 0.0)
    rate = ""
    if per_turn and state.station is not None and state.station.lead > 0.0:
        rate = f" at a lead of {show_length(state.station.lead, unit)}"
    elif per_turn and motions.feed[m] > 0.0:
        begin = speed_at(motions, proof.job.bench.machine, m, float(motions.start[m, 0]))
        rate = (
            f" at {show_length(float(motions.feed[m]) / begin, unit).rstrip('0').rstrip('.')} {unit} a turn"
            if begin
            else ""
        )
    elif motions.feed[m] > 0.0:
        rate = f" at {show_length(float(motions.feed[m]), unit).rstrip('0').rstrip('.')} {unit}/min"
    if kind == Kind.FEED:
        verb = (
            "Cuts the thread"
            if " lead " in rate
            else "Turns"
            if changed == [2]
            else "Faces"
            if changed == [0]
            else "Turns the taper"
        )
        beside = f", the nose {state.comp} of the contour" if state.comp != "off" else ""
        return f"{verb} to {where}{rate}{beside}"
    radius = show_length(float(motions.radius()[m]), unit)
    side = "clockwise" if kind == Kind.ARC_CW else "counter-clockwise"
    turn = math.degrees(abs(float(motions.sweep[m])))
    return f"Cuts an arc of {turn:.1f} degrees {side} to {where}, radius {radius}{rate}"
