"""Blocks that are worked out before they run, and blocks that call: variables, jumps, M98, M99, G65."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from underglass.core.control import ending
from underglass.core.control.desk import Desk
from underglass.core.control.flow import ARGUMENTS, FlowStop
from underglass.core.language.block import Block, Word
from underglass.core.language.expression import ExpressionProblem

Do = Callable[[Block], None]
"""Carries out a block."""


def work_out(c: Desk, block: Block) -> Block | None:
    """The block with its values worked out and its variables set; None where nothing of it is left to run."""
    flow = c.flow
    try:
        if block.flow is not None and not flow.decide(block):
            return None
        words = tuple(w if w.node is None else w._replace(value=flow.value(w.node), node=None) for w in block.words)
        flow.assign(block)
    except ExpressionProblem as problem:
        c.find("syntax", block, problem.message, "check the variables in this block", (problem.start, problem.end))
        if block.flow is not None and block.flow.kind == "while":
            flow.run_once(block.flow.number)
        return None
    except FlowStop as stop:
        span = (block.flow.start, block.flow.end) if block.flow else (0, 1)
        stop_here(c, block, stop, span)
        return None
    finally:
        if flow.unheld:
            _tell_unheld(c, block)
    return replace(block, words=words, assignments=(), flow=None, arithmetic=False)


def _tell_unheld(c: Desk, block: Block) -> None:
    """A variable in which a control keeps what it knows itself, read before anything has set it."""
    for number in sorted(c.flow.unheld):
        c.find(
            "not-proved",
            block,
            f"#{number} is a variable of the control's own, which this version does not hold: it is taken as nothing",
            "set it in the program for the proof, or look at this stretch another way",
            (block.words[0].start, block.words[0].end) if block.words else (0, 1),
            {"variable": number},
        )
    c.flow.unheld.clear()


def call(c: Desk, block: Block, call: Word, do: Do) -> None:
    """M98, M99 and G65. What else stands in an M98 or M99 block is carried out first, by ``do``."""
    flow = c.flow
    letters = {w.letter: w for w in block.words}
    number, times = letters.get("P"), letters.get(c.profile.repeats if c.profile.repeats != "P" else "L")
    try:
        if call.value == 99.0:
            _rest(block, call, do, "PN")
            if not flow.come_back(int(number.value) if number else None):
                _starts_again(c, block, call)
            return
        if number is None or number.value != int(number.value) or number.value < 0:
            message = f"{call.text.upper()} needs P and the subprogram's number"
            c.find_word("syntax", block, number or call, message, "write P and a whole number")
            return
        if times is not None and (times.value < 0 or times.value != int(times.value)):
            message = f"{times.text.upper()} is no number of repeats"
            c.find_word("syntax", block, times, message, "write a whole number, as in L3")
            return
        called, repeats = int(number.value), int(times.value) if times is not None else 1
        if call.letter == "M" and call.value == c.profile.local_call:
            _rest(block, call, do, f"PLN{c.profile.repeats}")
            flow.call_label(called, repeats)
            return
        if c.profile.repeats == "P" and call.letter == "M":
            # Repeats and number share P: P51000 runs O1000 five times (common practice, no source).
            called, repeats = called % 10_000, max(called // 10_000, 1)
        if call.letter == "G":
            given = {ARGUMENTS[w.letter]: w.value for w in block.words if w.letter in ARGUMENTS}
            flow.call(called, repeats, given)
            return
        _rest(block, call, do, f"PLN{c.profile.repeats}")
        flow.call(called, repeats)
    except FlowStop as stop:
        word = number or call
        stop_here(c, block, stop, (word.start, word.end))


def _starts_again(c: Desk, block: Block, word: Word) -> None:
    """M99 in the main program: on the machine it starts over from its top, for ever. The proof ends with the first round."""
    ending.finish(c, block, word)
    c.find_word(
        "end-missing",
        block,
        word,
        "M99 in the main program starts it again from its top: it never ends by itself",
        "write M30 as the last block, or leave it if the machine is to run part after part",
    )


def _rest(block: Block, call: Word, do: Do, without: str) -> None:
    rest = tuple(w for w in block.words if w is not call and w.letter not in without)
    if rest:
        do(replace(block, words=rest, problems=()))


def stop_here(c: Desk, block: Block, stop: FlowStop, span: tuple[int, int]) -> None:
    c.find(stop.code, block, stop.message, stop.remedy, span)
    if stop.code == "loop-runaway":
        # It has been said; that the end was not reached is no second cause.
        c.ended = True
