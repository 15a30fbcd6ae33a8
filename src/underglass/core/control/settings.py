"""Words that move nothing by themselves: modes, offsets, dwell, and the words that act in their own block only."""

from __future__ import annotations

import math

from underglass.core.control import compensated, motion, moving, places, placing, registers
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Kind
from underglass.core.control.state import Vector
from underglass.core.control.words import OFFSET_NAMES, g_name
from underglass.core.units import show_clock

_AXES = "XYZ"
_TIMES = {"s": "seconds", "ms": "milliseconds"}

LONG_DWELL_S = 60.0
"""Nobody lets a mill wait for longer in the middle of a program (common practice, no source)."""


def set_plane(c: Desk, b: BlockWords) -> None:
    key, word = b.g["plane"]
    plane = key // 10
    if plane != c.modal.plane and c.path.compensated:
        c.find_span(
            "comp-plane-change", b, word, f"G{plane} changes the plane with radius compensation on", "write G40 and a move first"
        )  # fmt: skip
        compensated.end(c)
    c.modal.plane = plane
    c.changed()


def set_path_control(c: Desk, b: BlockWords) -> None:
    c.modal.exact = b.g["path control"][0] != 640
    c.changed()


def set_distance(c: Desk, b: BlockWords) -> None:
    c.modal.absolute = b.g["distance"][0] == 900
    c.changed()


def set_arc_centres(c: Desk, b: BlockWords) -> None:
    c.modal.centres_absolute = b.g["arc centres"][0] == 901


def set_cycle_return(c: Desk, b: BlockWords) -> None:
    c.modal.return_to = g_name(b.g["cycle return"][0])
    c.changed()


def set_work_offset(c: Desk, b: BlockWords) -> None:
    key, word = b.g["work offset"]
    if key != 541:
        c.use_offset(OFFSET_NAMES[key])
        return
    number = b.letters.pop("P", None)
    if number is None or number.value != int(number.value) or not 1 <= number.value <= 48:
        c.find_span("syntax", b, number or word, "G54.1 needs P1 to P48", "write the offset's number, as in G54.1 P3")
        return
    c.use_offset(f"G54.1P{int(number.value)}")


# -- words that act in their own block only ------------------------------------------------------------------------------


def non_modal(c: Desk, b: BlockWords) -> bool:
    """Carry out G4, G10, G28, G30, G52, G53, G92. True where the block's X Y Z belong to it and nothing else moves."""
    key = b.g["non-modal"][0]
    if key == 40:
        _dwell(c, b)
        return False
    if key == 530:
        _compensation_must_be_off(c, b)
        _machine_move(c, b)
    elif key == 100:
        registers.write_data(c, b)
    elif key in (280, 300):
        _compensation_must_be_off(c, b)
        _reference(c, b, c.machine.home if key == 280 else c.machine.second_home)
    elif key == 520:
        placing.shift_locally(c, b)
    elif key == 921:
        placing.end_preset(c)
    else:
        placing.preset(c, b)
    return True


def _compensation_must_be_off(c: Desk, b: BlockWords) -> None:
    word = b.g_word("non-modal")
    if word is not None:
        compensated.left_on(c, b.block, word, word.text.upper())
    compensated.end(c)


def _dwell(c: Desk, b: BlockWords) -> None:
    letter = next((x for x in c.profile.dwells if x in b.letters), c.profile.dwell_letter)
    word = b.letters.pop(letter, None)
    if word is None or word.value < 0:
        c.find_span(
            "syntax",
            b,
            word or b.g_word("non-modal"),
            f"G4 needs {' or '.join(c.profile.dwells)} and how long to wait",
            f"write {letter} and the time",
        )
        # What was written for the time under another letter is no place to go to.
        placing.take(c, b, _AXES)
        return
    seconds = c.profile.dwell_seconds(word.value, letter)
    if seconds >= LONG_DWELL_S:
        c.find_word(
            "dwell-long", b.block, word, f"the machine waits {show_clock(seconds)} minutes here: {word.text.upper()} counts in {_TIMES[c.profile.dwells[letter]]}",
            "check the figure and its decimal point", {"seconds": seconds},
        )  # fmt: skip
    moving.wait(c, b.block, seconds)


def _machine_move(c: Desk, b: BlockWords) -> None:
    """G53: this block's X Y Z are machine coordinates, absolute, no length offset."""
    m = c.modal
    found = b.g.get("motion")
    if found is not None and found[0] in (0, 10):
        m.motion = g_name(found[0])
        c.changed()
    word = b.g_word("non-modal")
    if m.motion not in ("G0", "G1"):
        c.find_span("syntax", b, word, f"G53 moves straight, but {m.motion} is in force", "write G0 or G1 beside G53")
        return
    end = list(c.at)
    for axis, letter in enumerate(_AXES):
        if letter in b.letters:
            end[axis] = c.length(b.letters[letter].value)
    motion.straight(c, b, (end[0], end[1], end[2]), machine=True)


def _reference(c: Desk, b: BlockWords, point: Vector) -> None:
    """G28, G30: through the programmed place, then home with the axes named; the others stay."""
    named = [axis for axis, letter in enumerate(_AXES) if letter in b.letters]
    if not named:
        word = b.g_word("non-modal")
        c.find_span(
            "syntax",
            b,
            word,
            f"{word.text.upper() if word else 'G28'} names no axis: nothing goes home",
            "name the axes, as in G91 G28 Z0",
        )
        return
    moving.go(c, Kind.RAPID, b.block, places.target(c, b.letters), math.nan, machine=True)
    end = list(c.at)
    for axis in named:
        end[axis] = point[axis]
    moving.go(c, Kind.RAPID, b.block, (end[0], end[1], end[2]), math.nan, machine=True)
