"""Units, feed mode, F, S, T, tool change, spindle and coolant: what a block does before anything moves; its comments."""

from __future__ import annotations

import math

from underglass.core.control import compensated, ending, lengths, moving
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Event, Kind
from underglass.core.control.takeover import RELIED_ON
from underglass.core.control.words import g_name
from underglass.core.language import writing
from underglass.core.language.block import Block, Word
from underglass.core.units import Unit

_RELIED_ON = RELIED_ON | {"plane"}


def note_stated(c: Desk, b: BlockWords) -> None:
    """Which of the modal groups that moves rely on the program has stated by now."""
    c.stated |= _RELIED_ON.intersection(b.g)


def set_units(c: Desk, b: BlockWords) -> None:
    c.units_stated = True
    key, word = b.g["units"]
    units: Unit = "inch" if key == 200 else "mm"
    if c.path.compensated and units != c.modal.units:
        c.find_word(
            "comp-units-change", b.block, word, f"{word.text.upper()} changes the units with radius compensation on",
            "write G40 and a move first",
        )  # fmt: skip
    c.modal.units = units
    c.changed()


def set_feed_mode(c: Desk, b: BlockWords) -> None:
    m, mode = c.modal, g_name(b.g["feed mode"][0])
    if mode != m.feed_mode:
        m.feed_mode, m.feed = mode, 0.0
        c.changed()


def no_surface_speed(c: Desk, b: BlockWords) -> None:
    """G96 on a mill."""
    key, word = b.g["spindle mode"]
    if key == 960:
        c.find_word(
            "not-proved", b.block, word, "G96 holds the surface speed, which needs a diameter that a mill does not have: S is taken as rpm",
            "write G97 and S in rpm",
        )  # fmt: skip


def read_increments(c: Desk, b: BlockWords) -> None:
    """Numbers without a decimal point, on a control that counts them in increments."""
    if c.profile.increment is not None:
        count_increments(c, b, c.profile.increment[c.modal.units])
    elif c.profile.peck_increment is not None:
        _count_pecks(c, b)


def forget_inverse_time(c: Desk, b: BlockWords) -> None:
    """Inverse time is given anew with every move (NISTIR 6556 section 3.5.19, from memory)."""
    if c.modal.feed_mode == "G93" and "F" not in b.letters:
        c.modal.feed = 0.0


def set_feed(c: Desk, b: BlockWords) -> None:
    _put_feed(c, b, b.letters["F"])


def set_speed(c: Desk, b: BlockWords) -> None:
    _put_speed(c, b, b.letters["S"])


def select_tool(c: Desk, b: BlockWords) -> None:
    """T gets a tool ready; on some controls it changes to it."""
    tool = b.letters["T"]
    if 0 <= tool.value < 1e6 and tool.value == int(tool.value):
        c.modal.next_tool = int(tool.value)
    else:
        c.find_word(
            "syntax", b.block, tool, f"{tool.text} is no tool number", "a tool number is a whole number, as in T3"
        )
    if c.profile.t_alone == "change" and "tool change" not in b.m:
        change_tool(c, b, tool)


def carry_out_change(c: Desk, b: BlockWords) -> None:
    """M6, and the T behind it that gets the tool after the next one ready."""
    change_tool(c, b, b.m["tool change"][1])
    if b.preselect is not None and b.preselect.value == int(b.preselect.value):
        c.modal.next_tool = int(b.preselect.value)


def set_overrides(c: Desk, b: BlockWords) -> None:
    c.modal.overrides = b.m["overrides"][0] == 48
    c.changed()


def start_spindle(c: Desk, b: BlockWords) -> None:
    """M3 and M4; M5 where the profile has it stop at the block's start."""
    key = b.m["spindle"][0]
    if key not in (5, 19) or c.profile.stop_words == "block-start":
        c.set_spindle("clockwise" if key == 3 else "counter-clockwise" if key == 4 else "off")


def start_coolant(c: Desk, b: BlockWords) -> None:
    """M7 and M8; M9 where the profile has it stop at the block's start."""
    key = b.m["coolant"][0]
    if key != 9 or c.profile.stop_words == "block-start":
        c.modal.coolant = key != 9
        c.changed()


def _count_pecks(c: Desk, b: BlockWords) -> None:
    """A peck's step without a point, on a control that reads that one letter in increments."""
    increment = c.profile.peck_increment
    name = g_name(b.g["motion"][0]) if "motion" in b.g else c.modal.motion
    cycle = c.profile.cycle_by_name.get(name)
    if increment is not None and cycle is not None:
        b.count_increments(increment[c.modal.units], cycle.letter("step"))


def count_increments(c: Desk, b: BlockWords, increment: float) -> None:
    """Numbers without a point, on a control that counts them in increments; mixing both is found at the end."""
    c.points = c.points or any("." in w.text for x, w in b.letters.items() if x in c.profile.length_letters)
    word = b.count_increments(increment, c.profile.length_letters)
    if word is not None and c.pointless is None:
        c.pointless = (word, c.line(b.block), increment)


def _put_feed(c: Desk, b: BlockWords, word: Word) -> None:
    m = c.modal
    m.feed = abs(word.value) if m.feed_mode == "G93" else c.length(abs(word.value))
    c.feed_missing_told = False
    if word.value < 0.0:
        _below_nothing(c, b, word, "feed")
    if m.feed_mode == "G94" and m.feed > c.machine.feed_max + 1e-6:
        c.find_word(
            "over-feed",
            b.block,
            word,
            f"{word.text.upper()} is more than the machine's highest feed, {c.rate(c.machine.feed_max)}",
            "give a feed that the machine has",
            {
                "feed_mm_min": m.feed,
                "highest_mm_min": c.machine.feed_max,
                "write": writing.feed_word(c.machine.feed_max, m.units, m.feed_mode, m.speed, down=True),
            },
        )


def _below_nothing(c: Desk, b: BlockWords, word: Word, what: str) -> None:
    c.find_word(
        "syntax",
        b.block,
        word,
        f"{word.text.upper()} is a {what} below nothing; the figure without its sign is taken here",
        "write it without the minus" + (", and the way the spindle turns with M3 or M4" if what == "speed" else ""),
    )


def _put_speed(c: Desk, b: BlockWords, word: Word) -> None:
    c.modal.speed = abs(word.value)
    c.changed()
    if word.value < 0.0:
        _below_nothing(c, b, word, "speed")
    if c.modal.speed > c.machine.spindle_max + 1e-6:
        c.find_word(
            "over-speed",
            b.block,
            word,
            f"{word.text.upper()} is more than the spindle's highest speed, {c.machine.spindle_max:g} rpm",
            "give a speed that the spindle has",
            {"speed_rpm": c.modal.speed, "highest_rpm": c.machine.spindle_max},
        )


def change_tool(c: Desk, b: BlockWords, word: Word) -> None:
    """The tool got ready comes into the spindle. ``word`` asks for it: M6, or T where the profile has it so."""
    m = c.modal
    if m.next_tool is None:
        c.find_word(
            "tool-unknown",
            b.block,
            word,
            "M6 has no tool to change to: no T word yet",
            "write the tool's number before or beside M6, as in T1 M6",
        )
        return
    ending.left_on(c, b.block, word, "this tool change")
    compensated.end(c)
    lift = c.machine.tool_change_lift_z
    if lift is not None and c.at[2] < lift:
        moving.go(c, Kind.RAPID, b.block, (c.at[0], c.at[1], lift), math.nan, machine=True)
    column = b.letters.get("T", word)
    line = c.line(b.block)
    c.events.append(Event("tool-change", line, len(c.moves), m.next_tool, column.start + 1, column.end + 1))
    # A tool change stops the spindle on every machine that does it by itself; common practice, no source.
    m.spindle = "off"
    m.tool = m.next_tool
    c.z_judged = False
    if c.way.automatic:
        lengths.put_length(c, m.tool, 1, (line, column.start + 1, column.end + 1))
    elif m.h_number is not None:
        m.h_word = (line, word.start + 1, word.end + 1)
    if c.way.touched:
        # Z is touched off anew with this tool: what every work offset holds in Z is another.
        c.use_offset(m.offset)
    c.changed()


def judge_remarks(c: Desk, block: Block) -> None:
    """A comment in a form that this control does not read."""
    for remark in block.remarks:
        form = "()" if remark.text.startswith("(") else ";"
        if form not in c.profile.comments:
            c.find(
                "syntax",
                block,
                f"this control does not read comments {'between brackets' if form == '()' else 'after a semicolon'}",
                f"write the comment {'after a semicolon' if form == '()' else 'between brackets'}",
                (remark.start, remark.end),
            )


def tell_mixed_numbers(c: Desk) -> None:
    """At the end: a length without a decimal point among others with one, on a control that counts increments."""
    if not c.points or c.pointless is None:
        return
    word, line, increment = c.pointless
    c.find_at(
        "number-no-decimal",
        line,
        f"{word.text.upper()} has no decimal point: this control takes it as {word.value * increment:g} {c.modal.units}, "
        "while other numbers of the program are written with one",
        "write the point, as in X10., or make sure that increments are meant",
        (word.start, word.end),
        {"counts_as": word.value * increment},
    )
