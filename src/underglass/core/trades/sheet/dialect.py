"""The dialect of a sheet cutter: the mill's order of a block without all that is about Z. M3 and M5 switch the cutter.

A word Z is read and moves nothing; a profile may let the cutter be on below a height.
"""

from __future__ import annotations

from underglass.core.control import ending, motion, settings, sides, technology, unused
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.dialect import Dialect, Step
from underglass.core.control.motions import Event
from underglass.core.control.state import Station
from underglass.core.language.block import Word


def _d_alone(c: Desk, b: BlockWords) -> None:
    if "radius compensation" not in b.g:
        sides.set_radius_number(c, b)


def _on(c: Desk, b: BlockWords, word: Word) -> None:
    """The cutter goes on; in a dry trace it stays off."""
    if c.switches.dry_trace or c.modal.spindle != "off":
        return
    c.set_spindle("clockwise")
    c.events.append(Event("cutter-on", c.line(b.block), len(c.moves), c.modal.tool, word.start + 1, word.end + 1))


def _cutter(c: Desk, b: BlockWords) -> None:
    key, word = b.m["spindle"]
    if key == 3:
        _on(c, b, word)
    elif c.profile.stop_words == "block-start":
        c.set_spindle("off")


def _left_on(c: Desk, b: BlockWords) -> None:
    """The cutter at a stop, a tool change and the end. What the block itself switches off is off."""
    if c.modal.spindle == "off" or b.m.get("spindle", (0,))[0] == 5:
        return
    if "tool change" in b.m:
        _pause(c, b, b.m["tool change"][1], "the tool change")
        return
    code, word = b.m["stop"]
    if code in (2, 30):
        c.find_word(
            "beam-left-on", b.block, word, "the program ends with the cutter on", "write M5 before the end",
        )  # fmt: skip
    elif code == 0 or c.switches.optional_stop:
        _pause(c, b, word, "this stop")


def _left_on_at_a_stop(c: Desk, b: BlockWords) -> None:
    if "tool change" not in b.m:
        _left_on(c, b)


def _pause(c: Desk, b: BlockWords, word: Word, where: str) -> None:
    c.find_word(
        "beam-on-pause", b.block, word, f"the cutter is on at {where}: it burns where it stands", "write M5 before it, and M3 after it"
    )  # fmt: skip


def _height(c: Desk, b: BlockWords) -> None:
    """Z moves nothing here. Where the profile says so, the cutter is on below a height."""
    word = b.letters.pop("Z")
    below = c.profile.cutter_below
    if below is not None:
        if c.length(word.value) < below:
            _on(c, b, word)
        else:
            c.set_spindle("off")


def _move(c: Desk, b: BlockWords) -> None:
    if "non-modal" not in b.g or not settings.non_modal(c, b):
        motion.move(c, b)


def _begins(c: Desk) -> None:
    """There is one plane."""
    c.stated |= {"plane"}
    c.modal.station = Station(flat=True)


SHEET_DIALECT = Dialect(
    name="sheet",
    begins=_begins,
    steps=(
        Step(name="stated", do=technology.note_stated, g=("distance", "work offset", "plane")),
        Step(name="units", do=technology.set_units, g=("units",)),
        Step(name="feed mode", do=technology.set_feed_mode, g=("feed mode",)),
        Step(name="increments", do=technology.read_increments, always=True),
        Step(name="feed", do=technology.set_feed, letters="F"),
        Step(name="speed", do=technology.set_speed, letters="S"),
        Step(name="tool", do=technology.select_tool, letters="T"),
        Step(name="left on", do=_left_on, m=("tool change",)),
        Step(name="tool change", do=technology.carry_out_change, m=("tool change",)),
        Step(name="cutter", do=_cutter, m=("spindle",)),
        Step(name="coolant", do=technology.start_coolant, m=("coolant",)),
        Step(name="plane", do=settings.set_plane, g=("plane",)),
        Step(name="work offset", do=settings.set_work_offset, g=("work offset",)),
        Step(name="radius compensation", do=sides.set_side, g=("radius compensation",)),
        Step(name="distance", do=settings.set_distance, g=("distance",)),
        Step(name="radius register", do=_d_alone, letters="D"),
        Step(name="height", do=_height, letters="Z"),
        Step(name="move", do=_move, always=True),
        Step(name="unused words", do=unused.tell, always=True),
        Step(name="left on at a stop", do=_left_on_at_a_stop, m=("stop",)),
        Step(name="end of the block", do=ending.end_of_block, m=("stop", "spindle", "coolant", "tool change")),
    ),
)  # fmt: skip
