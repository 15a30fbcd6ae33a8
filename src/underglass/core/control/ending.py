"""What a block ends with: stops and the end; and what should have been switched off by then."""

from __future__ import annotations

from underglass.core.control import compensated, moving, registers, stations
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Event
from underglass.core.language.block import Block, Word


def left_on(c: Desk, block: Block, word: Word, where: str) -> None:
    """What should have been switched off before a tool change or the end."""
    m = c.modal
    # What the block itself ends is ended, though the tool change comes first in the order of a block.
    ends = {w.value for w in block.words if w.letter == "G"}
    if m.motion in c.profile.cycle_by_name and not ends & {0.0, 1.0, 2.0, 3.0, 80.0}:
        c.find_word(
            "cycle-left-on",
            block,
            word,
            f"{m.motion} is still in force at {where}",
            "write G80 after the cycle's last hole",
            {"cycle": m.motion, "switched_on_line": c.cycle_line},
        )
    if 40.0 not in ends:
        compensated.left_on(c, block, word, where)
    left = m.mapping.transform.left_on
    if left and not ends & {69.0, 50.0, 50.1}:
        c.find_word(
            "rotation-left-on",
            block,
            word,
            f"{' and '.join(left)} {'is' if len(left) == 1 else 'are'} still in force at {where}",
            "cancel it with G69, G50, G50.1 or G52 X0 Y0 Z0 where it is no longer wanted",
            {"write": " ".join(m.mapping.transform.cancelled_by)},
        )


def end_of_block(c: Desk, b: BlockWords) -> None:
    if c.profile.stop_words == "block-end":
        if b.m.get("spindle", (0,))[0] in (5, 19):
            c.set_spindle("off")
        if b.m.get("coolant", (0,))[0] == 9:
            c.modal.coolant = False
            c.changed()
    if "stop" not in b.m:
        return
    code, word = b.m["stop"]
    if code in (0, 1, 60):
        c.stops_met += 1
        if code != 1 or c.switches.optional_stop:
            for told in c.at_stops:
                if told.stop == c.stops_met:
                    registers.correct(c, told)
                    stations.correct(c, told)
    at = (c.line(b.block), len(c.moves), c.modal.tool, word.start + 1, word.end + 1)
    if code in (0, 60):
        moving.event(c, Event("stop", *at, c.stops_met))
    elif code == 1:
        if c.switches.optional_stop:
            moving.event(c, Event("optional-stop", *at, c.stops_met))
    else:
        finish(c, b.block, word)


def finish(c: Desk, block: Block, word: Word) -> None:
    left_on(c, block, word, "the program's end")
    wanted = c.profile.end_words
    if word.letter == "M" and word.value in (2.0, 30.0) and word.value not in wanted:
        said = " or ".join(f"M{code}" for code in wanted)
        c.find_word(
            "end-missing", block, word, f"this control wants a program to end with {said}, not with {word.text.upper()}",
            f"write {said} as the last block",
        )  # fmt: skip
    compensated.end(c)
    line = c.line(block)
    c.events.append(Event("end", line, len(c.moves), c.modal.tool, word.start + 1, word.end + 1))
    c.ended = True
