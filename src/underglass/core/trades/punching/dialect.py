"""The dialect of a turret punch: every block with X or Y goes there at rapid and strikes, unless hitting is off or the block has G0.

A hit is a short wait where it strikes; how long it takes the clock knows.
"""

from __future__ import annotations

import math

from underglass.core.control import ending, moving, settings, technology, unused
from underglass.core.control.block_words import BlockWords
from underglass.core.control.cycles import BoundCycle
from underglass.core.control.desk import Desk
from underglass.core.control.dialect import Dialect, Step
from underglass.core.control.motions import Event, Kind
from underglass.core.control.places import target
from underglass.core.control.state import Station
from underglass.core.control.words import g_name
from underglass.core.trades.punching.patterns import PLACES, nibbles

HIT_S = 0.001
"""What a hit is written as; the clock gives it its time."""


def _begins(c: Desk) -> None:
    c.stated |= {"plane"}
    c.modal.station = Station(flat=True)
    c.modal.motion = "G0"
    c.set_spindle("clockwise")


def _station(c: Desk, b: BlockWords) -> None:
    """T brings a station under the ram, where the sheet stands."""
    word = b.letters["T"]
    if not 0 <= word.value < 1e6 or word.value != int(word.value):
        c.find_word("syntax", b.block, word, f"{word.text} is no station", "a station is a whole number, as in T12")
        return
    c.modal.next_tool = number = int(word.value)
    if number and number != c.modal.tool:
        ending.left_on(c, b.block, word, "this station")
        c.events.append(Event("tool-change", c.line(b.block), len(c.moves), number, word.start + 1, word.end + 1))
        c.modal.tool = number
        c.modal.station = (c.modal.station or Station(flat=True))._replace(turn=0.0)
        c.changed()


def _turn(c: Desk, b: BlockWords) -> None:
    """The letter that turns an indexed punch; it stays so until the next station."""
    letter = c.profile.turn_letter
    if not letter or letter not in b.letters or _pattern(c, b) is not None:
        return
    word = b.letters.pop(letter)
    c.modal.station = (c.modal.station or Station(flat=True))._replace(turn=math.radians(word.value))
    c.changed()


def _punching(c: Desk, b: BlockWords) -> None:
    c.set_spindle("clockwise" if b.m["punching"][0] == 20 else "off")


def _pattern(c: Desk, b: BlockWords) -> tuple[str, BoundCycle] | None:
    found = b.g.get("motion")
    if found is None:
        return None
    name = g_name(found[0])
    made = c.profile.cycle_by_name.get(name)
    return (name, made) if made is not None else None


def _hit(c: Desk, b: BlockWords) -> None:
    moving.wait(c, b.block, HIT_S)


def _go(c: Desk, b: BlockWords, x: float, y: float) -> None:
    moving.go(c, Kind.RAPID, b.block, (x, y, c.at[2]), math.nan)


def _move(c: Desk, b: BlockWords) -> None:
    b.letters.pop("Z", None)
    if "non-modal" in b.g and settings.non_modal(c, b):
        return
    found = _pattern(c, b)
    quiet = "own place" in b.g
    strikes = c.modal.spindle != "off" and not quiet
    if found is not None:
        _run(c, b, *found, strikes=strikes)
        return
    if not b.has("XY"):
        return
    end = target(c, b.letters)
    _go(c, b, end[0], end[1])
    if strikes:
        _hit(c, b)


_COUNTS = ("count", "count_x", "count_y")


def _told(c: Desk, b: BlockWords, made: BoundCycle) -> dict[str, float]:
    """What the block tells the pattern, lengths in mm; its words are used up."""
    out: dict[str, float] = {}
    taken: set[str] = set()
    for name in made.cycle.inputs:
        letter = made.letter(name)
        word = b.letters.get(letter)
        if word is None or letter in taken:
            continue
        taken.add(letter)
        value = word.value
        if name in _COUNTS and (value < 1.0 or value != int(value)):
            c.find_word(
                "cycle-incomplete", b.block, word, f"{word.text.upper()} is no number of hits", "give how many there are to be, from 1"
            )  # fmt: skip
            value = max(int(value), 1)
        if "." not in word.text and "hundredths" in made.counts.get(name, frozenset()):
            value /= 100.0
        out[name] = c.length(value) if made.cycle.known[name].length else value
        if name in ("radius", "punch") and "diameter" in made.counts.get(name, frozenset()) and name == "radius":
            out[name] /= 2.0
    for letter in taken:
        b.letters.pop(letter, None)
    return out


def _run(c: Desk, b: BlockWords, name: str, made: BoundCycle, *, strikes: bool) -> None:
    """A pattern acts in its own block only."""
    told = _told(c, b, made)
    x, y, _z = target(c, b.letters) if b.has("XY") else c.at
    found = PLACES[made.cycle.name](told)
    if found.missing:
        c.find_span(
            "cycle-incomplete", b, b.g_word("motion"), f"{name} needs {found.missing}",
            "give " + " and ".join(letter for _n, letter, _s in made.inputs[:3]),
        )  # fmt: skip
    if made.cycle.name == "reposition":
        _reposition(c, told.get("distance", 0.0))
        return
    before, c.modal.motion = c.modal.motion, name
    c.modal.station = (c.modal.station or Station(flat=True))._replace(
        nibbled=nibbles(made.cycle.name), pitch=found.pitch
    )
    c.changed()
    for dx, dy in found.places[: c.profile.limits.pecks]:
        if not c.work(b.block):
            break
        _go(c, b, x + dx, y + dy)
        if strikes:
            _hit(c, b)
    if len(found.places) > c.profile.limits.pecks:
        c.find_span(
            "loop-runaway",
            b,
            b.g_word("motion"),
            f"this pattern comes to more than {c.profile.limits.pecks} hits",
            "check its pitch",
        )
    c.modal.motion = before
    c.modal.station = c.modal.station._replace(nibbled=False, pitch=0.0)
    c.changed()
    if found.ends is not None and made.cycle.name != "nibble-rectangle":
        # From a circle's middle the next block's places count; nothing goes there and nothing is struck.
        c.at = c.real = (x + found.ends[0], y + found.ends[1], c.at[2])


def _reposition(c: Desk, distance: float) -> None:
    """The clamps let go, move along the sheet and take it again: from here on the machine stands elsewhere for every place."""
    on = c.modal.station or Station(flat=True)
    c.modal.station = on._replace(x=on.x - distance)
    at = c.at
    c.use_offset(c.modal.offset)
    c.at = c.real = (at[0] - distance, at[1], at[2])
    c.changed()


PUNCH_DIALECT = Dialect(
    name="punch",
    begins=_begins,
    steps=(
        Step(name="stated", do=technology.note_stated, g=("distance", "work offset")),
        Step(name="units", do=technology.set_units, g=("units",)),
        Step(name="increments", do=technology.read_increments, always=True),
        Step(name="feed", do=technology.set_feed, letters="F"),
        Step(name="speed", do=technology.set_speed, letters="S"),
        Step(name="station", do=_station, letters="T"),
        Step(name="punching", do=_punching, m=("punching",)),
        Step(name="coolant", do=technology.start_coolant, m=("coolant",)),
        Step(name="work offset", do=settings.set_work_offset, g=("work offset",)),
        Step(name="distance", do=settings.set_distance, g=("distance",)),
        Step(name="turn", do=_turn, always=True),
        Step(name="move", do=_move, always=True),
        Step(name="unused words", do=unused.tell, always=True),
        Step(name="end of the block", do=ending.end_of_block, m=("stop", "coolant")),
    ),
)  # fmt: skip
