"""The dialect of a two-axis lathe: the order of a block (common practice, no source).

Glossary
    places   X and Z of a block; X is a diameter as written and a radius from here on
    limit    the highest speed of the spindle, G50 S
"""

from __future__ import annotations

from underglass.core.control import ending, motion, settings, stations, technology, unused
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.dialect import Dialect, Step
from underglass.core.control.places import programmed
from underglass.core.control.state import Station, Vector
from underglass.core.control.words import g_name
from underglass.core.language.block import Word
from underglass.core.trades.turning import corners, cycles, station, threads

_FEED_MODES = {980: "G94", 990: "G95"}


def _feed_mode(c: Desk, b: BlockWords) -> None:
    mode = _FEED_MODES[b.g["feed mode"][0]]
    if mode != c.modal.feed_mode:
        c.modal.feed_mode, c.modal.feed = mode, 0.0
        c.changed()


def _limit(c: Desk, b: BlockWords) -> bool:
    """G50 S: the limit of the speed. True where the S of this block is that, and nothing else."""
    if b.g.get("non-modal", (0,))[0] != 500:
        return False
    word = b.letters.pop("S", None)
    if word is None or word.value <= 0.0:
        c.find_span(
            "syntax", b, word or b.g_word("non-modal"), "G50 needs S, the highest speed of the spindle",
            "write the limit, as in G50 S2500",
        )  # fmt: skip
        return True
    stations.put(c, stations.on(c)._replace(limit=abs(word.value)))
    return True


def _spindle_mode(c: Desk, b: BlockWords) -> None:
    """G96 holds the surface speed, G97 the speed. G97 without S keeps the last speed."""
    key, _word = b.g["spindle mode"]
    now, m = stations.on(c), c.modal
    if key == 970 and now.surface:
        m.speed = c.turns(c.at[0] - m.shift[0])
    stations.put(c, now._replace(surface=key == 960))


def _speed(c: Desk, b: BlockWords) -> None:
    if _limit(c, b) or "S" not in b.letters:
        return
    word = b.letters["S"]
    if not stations.on(c).surface:
        technology.set_speed(c, b)
        return
    c.modal.speed = abs(word.value) * (0.3048 if c.modal.units == "inch" else 1.0)
    c.changed()
    if word.value < 0.0:
        c.find_word(
            "syntax", b.block, word, f"{word.text.upper()} is a speed below nothing; the figure without its sign is taken here",
            "write it without the minus",
        )  # fmt: skip


def _increments(c: Desk, b: BlockWords) -> None:
    """Numbers without a decimal point, where the control counts them in increments or hundredths."""
    if c.profile.hundredths:
        for letter in c.profile.hundredths:
            word = b.letters.get(letter)
            if word is not None and "." not in word.text and word.node is None:
                b.letters[letter] = word._replace(value=word.value / 100.0)
        return
    technology.read_increments(c, b)


def _feed(c: Desk, b: BlockWords) -> None:
    if not threads.takes_feed(c, b):
        technology.set_feed(c, b)


def _places(c: Desk, b: BlockWords) -> None:
    """X as a radius; U and W as the X and Z that they lead to."""
    bound = c.profile.cycle_by_name.get(g_name(b.g["motion"][0]) if "motion" in b.g else c.modal.motion)
    if bound is not None:
        return
    half = 1.0 if c.profile.x_radius else 0.5
    x = b.letters.get("X")
    dwell = b.g.get("non-modal", (0,))[0] == 40
    if dwell:
        return
    if x is not None:
        b.letters["X"] = x._replace(value=x.value * half)
    here: Vector | None = None
    for letter, axis in c.profile.incremental.items():
        word = b.letters.pop(letter, None)
        if word is None:
            continue
        if axis in b.letters:
            c.find_word(
                "modal-conflict", b.block, word, f"{letter} and {axis} both say where {axis} goes", "keep the one that is meant"
            )  # fmt: skip
            continue
        if here is None:
            x0, y0, z0 = programmed(c)
            here = (x0 + c.corner[0], y0, z0 + c.corner[2])
        k = "XYZ".index(axis)
        by = word.value * (half if axis == "X" else 1.0)
        b.letters[axis] = Word(axis, here[k] / c.length(1.0) + by, word.start, word.end, word.text)
    if b.has("XZ"):
        c.corner = (0.0, 0.0, 0.0)


def _move(c: Desk, b: BlockWords) -> None:
    if "non-modal" in b.g and _own_block(c, b):
        return
    name = g_name(b.g["motion"][0]) if "motion" in b.g else c.modal.motion
    bound = c.profile.cycle_by_name.get(name)
    if bound is not None:
        cycles.run(c, b, name, bound)
        return
    if name == "G32":
        threads.thread(c, b)
        return
    if corners.wanted(b):
        corners.cut(c, b)
        return
    motion.move(c, b)


def _own_block(c: Desk, b: BlockWords) -> bool:
    """Words that act in their own block only. True where its places belong to them."""
    key = b.g["non-modal"][0]
    if key == 500:
        if not any(letter in b.letters for letter in "XZ"):
            return True
        c.find_span(
            "not-proved", b, b.g_word("non-modal"), "G50 with X or Z names the place where the tool stands: that is not held here, and left out",
            "set the zero by G54 and the tool offsets", {},
        )  # fmt: skip
        return True
    return settings.non_modal(c, b)


def _plane(c: Desk, b: BlockWords) -> None:
    c.modal.plane = 18


def _thread_ends(c: Desk, b: BlockWords) -> None:
    bound = c.profile.cycle_by_name.get(c.modal.motion)
    if c.modal.motion != "G32" and not (bound is not None and bound.cycle.tied):
        threads.forget(c)


def _begins(c: Desk) -> None:
    """There is one plane, places count from the zero, and no offset is on."""
    m = c.modal
    m.station, m.plane, m.absolute = Station(surface="G96" in c.profile.power_on), 18, True
    m.feed_mode = "G95" if "G99" in c.profile.power_on else "G94"
    c.stated |= {"distance", "plane"}


def _places_alone(c: Desk) -> float:
    """X as a diameter or a radius, where no figure is counted in its own way and nothing waits for the next place."""
    if c.profile.hundredths or c.modal.thread_pitch or c.corner != (0.0, 0.0, 0.0):
        return 0.0
    return 1.0 if c.profile.x_radius else 0.5


LATHE = Dialect(
    name="lathe",
    places_alone=_places_alone,
    begins=_begins,
    steps=(
        Step(name="stated", do=technology.note_stated, g=("work offset", "plane")),
        Step(name="units", do=technology.set_units, g=("units",)),
        Step(name="feed mode", do=_feed_mode, g=("feed mode",)),
        Step(name="increments", do=_increments, always=True),
        Step(name="spindle mode", do=_spindle_mode, g=("spindle mode",)),
        Step(name="speed", do=_speed, letters="S", g=("non-modal",)),
        Step(name="feed", do=_feed, letters="F"),
        Step(name="tool", do=station.call, letters="T"),
        Step(name="tool change", do=station.change, m=("tool change",)),
        Step(name="spindle", do=technology.start_spindle, m=("spindle",)),
        Step(name="coolant", do=technology.start_coolant, m=("coolant",)),
        Step(name="plane", do=_plane, g=("plane",)),
        Step(name="work offset", do=settings.set_work_offset, g=("work offset",)),
        Step(name="radius compensation", do=station.side, g=("radius compensation",)),
        Step(name="places", do=_places, always=True),
        Step(name="move", do=_move, always=True),
        Step(name="after a thread", do=_thread_ends, g=("motion",)),
        Step(name="unused words", do=unused.tell, always=True),
        Step(name="end of the block", do=ending.end_of_block, m=("stop", "spindle", "coolant", "tool change")),
    ),
)  # fmt: skip
