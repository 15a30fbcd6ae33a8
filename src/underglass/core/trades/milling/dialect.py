"""The dialect of a mill: the order of a block, after NISTIR 6556 table 8, from memory."""

from __future__ import annotations

from underglass.core.control import ending, lengths, motion, placing, settings, sides, technology, unused
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.dialect import Dialect, Step


def _d_alone(c: Desk, b: BlockWords) -> None:
    if "radius compensation" not in b.g:
        sides.set_radius_number(c, b)


def _move(c: Desk, b: BlockWords) -> None:
    """What acts in its own block only comes before a motion, and may take its places."""
    if "non-modal" not in b.g or not settings.non_modal(c, b):
        motion.move(c, b)


def _as_written(_c: Desk) -> float:
    return 1.0


MILL = Dialect(
    name="mill",
    places_alone=_as_written,
    steps=(
        Step(name="stated", do=technology.note_stated, g=("distance", "work offset", "plane")),
        Step(name="units", do=technology.set_units, g=("units",)),
        Step(name="feed mode", do=technology.set_feed_mode, g=("feed mode",)),
        Step(name="spindle mode", do=technology.no_surface_speed, g=("spindle mode",)),
        Step(name="increments", do=technology.read_increments, always=True),
        Step(name="inverse time", do=technology.forget_inverse_time, always=True),
        Step(name="feed", do=technology.set_feed, letters="F"),
        Step(name="speed", do=technology.set_speed, letters="S"),
        Step(name="tool", do=technology.select_tool, letters="T"),
        Step(name="tool change", do=technology.carry_out_change, m=("tool change",)),
        Step(name="overrides", do=technology.set_overrides, m=("overrides",)),
        Step(name="spindle", do=technology.start_spindle, m=("spindle",)),
        Step(name="coolant", do=technology.start_coolant, m=("coolant",)),
        Step(name="plane", do=settings.set_plane, g=("plane",)),
        Step(name="work offset", do=settings.set_work_offset, g=("work offset",)),
        Step(name="radius compensation", do=sides.set_side, g=("radius compensation",)),
        Step(name="path control", do=settings.set_path_control, g=("path control",)),
        Step(name="distance", do=settings.set_distance, g=("distance",)),
        Step(name="arc centres", do=settings.set_arc_centres, g=("arc centres",)),
        Step(name="cycle return", do=settings.set_cycle_return, g=("cycle return",)),
        Step(name="rotation", do=placing.rotate, g=("rotation",)),
        Step(name="scaling", do=placing.scale, g=("scaling",)),
        Step(name="mirror", do=placing.mirror, g=("mirror",)),
        Step(name="radius register", do=_d_alone, letters="D"),
        Step(name="length", do=lengths.set_length, g=("length compensation",), letters="H"),
        Step(name="move", do=_move, always=True),
        Step(name="unused words", do=unused.tell, always=True),
        Step(
            name="end of the block", do=ending.end_of_block,
            m=("stop", "spindle", "coolant", "tool change", "overrides"),
        ),
    ),
)  # fmt: skip
