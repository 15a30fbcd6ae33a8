"""Canned cycles, each all of what is known of it in one value: sentence, inputs, and the steps of a hole.

Every cycle: to its level along the drilling axis if it is below it, across to X Y, down to the level, the hole, and back
to where G98 or G99 says (NISTIR 6556 section 3.5.16, from memory). Which code runs which cycle, and which letter gives which
of its inputs, a control profile says. A new cycle is one more value in ``CYCLES``: reader, word list, completion, picture,
profile and proof ask for it there.

Glossary
    level    the height from which the hole is fed (R), programmed coordinates, mm
    bottom   the hole's bottom (Z)
    back     the height it goes back to: the level (G99), or where the first block of the cycle began if that is higher (G98)
    step     how deep one peck goes (Q)
    aside    how far a bored wall is left before the tool comes out (Q; across in X and Y with I and J)
    upper    where a counterbore from below is cut up to (K)
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import NamedTuple

_SMALLEST_PECK_MM = 1e-3


class Input(NamedTuple):
    """One thing that a cycle is told. ``letter``: where a profile names no other; ``length``: it is one, and may be in increments."""

    letter: str
    said: str
    length: bool = True


INPUTS: Mapping[str, Input] = {
    "bottom": Input("Z", "depth of the hole"),
    "level": Input("R", "R plane: feed starts here"),
    "step": Input("Q", "depth of a peck"),
    "dwell": Input("P", "wait at the bottom", length=False),
    "repeats": Input("L", "how often", length=False),
    "aside": Input("Q", "way aside before it comes out"),
    "aside_x": Input("I", "way aside in X"),
    "aside_y": Input("J", "way aside in Y"),
    "upper": Input("K", "height the boring goes up to"),
}
"""Every input that a cycle can have, by name."""

CYCLE_LETTERS: Mapping[str, str] = {name: one.letter for name, one in INPUTS.items()}
LENGTHS_OF_CYCLES = tuple(name for name, one in INPUTS.items() if one.length)


@dataclass(frozen=True, slots=True)
class PeckHabits:
    """How a control pecks, mm: what it lifts to break the chip, and how far above the last depth it comes back to."""

    lift: float = 0.25
    clear: float = 0.25


class Step(NamedTuple):
    """One thing a cycle does: a move along Z (``z``), a wait, or a word for the spindle. ``aside``: an X Y shift, mm."""

    kind: str
    z: float = 0.0
    seconds: float = 0.0
    word: str = ""
    aside: tuple[float, float] = (0.0, 0.0)


@dataclass(slots=True, kw_only=True)
class CycleData:
    """What a cycle keeps from block to block, programmed coordinates, mm; ``dwell`` s."""

    level: float | None = None
    bottom: float | None = None
    step: float | None = None
    dwell: float = 0.0
    aside: tuple[float, float] = (0.0, 0.0)
    upper: float | None = None
    began_at: float = 0.0

    def forget(self, height: float) -> None:
        """Another cycle begins, at this height."""
        self.level = self.bottom = self.step = self.upper = None
        self.dwell, self.aside, self.began_at = 0.0, (0.0, 0.0), height


@dataclass(frozen=True, slots=True, kw_only=True)
class Hole:
    """What the steps of one hole are made from. ``spindle`` is how it turns as the cycle begins; lengths mm, ``dwell`` s.

    ``tap_starts``: a tapping cycle turns the spindle its own way, whatever it does before.
    """

    level: float
    bottom: float
    back: float
    step: float | None = None
    dwell: float = 0.0
    aside: tuple[float, float] = (0.0, 0.0)
    upper: float | None = None
    spindle: str = "clockwise"
    habits: PeckHabits = PeckHabits()
    tap_starts: bool = False

    @property
    def wait(self) -> tuple[Step, ...]:
        return (Step("dwell", seconds=self.dwell),) if self.dwell else ()

    @property
    def home(self) -> tuple[Step, ...]:
        """From the level up to where it goes back to."""
        return (rapid(self.back),) if self.back != self.level else ()

    def beside(self, sign: float) -> tuple[Step, ...]:
        """Off the axis (1) or back onto it (-1)."""
        x, y = self.aside
        return (Step("aside", aside=(sign * x, sign * y)),) if x or y else ()

    def turn(self, way: str) -> Step:
        return Step("spindle", word=way)


Steps = Callable[[Hole], Iterator[Step]]
"""The steps of one hole, from its level on."""


def _no_steps(_hole: Hole) -> Iterator[Step]:
    yield from ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Cycle:
    """A built-in cycle. ``name`` is what a profile calls it, ``said`` what it does, a sentence without its full stop.

    ``inputs``: what it is told, in the order in which they are written. ``missed``: what comes of leaving an input out
    that it can do without but hardly ever is meant to, and what else would be written. ``tied``: its feed is tied to the
    spindle's turn. ``from_below``: it cuts upwards. ``made_with``: the kind of tool that makes it; empty where any does.

    A cycle that is no hole has no ``steps``: its trade makes its moves, by its name. ``kind`` of machine that has it; ``known``
    its inputs' letters and meaning; ``once``: it acts in its own block only.
    """

    name: str
    said: str
    steps: Steps = _no_steps
    inputs: tuple[str, ...] = ("bottom", "level")
    kind: str = "mill"
    known: Mapping[str, Input] = field(default_factory=lambda: INPUTS)
    once: bool = False
    missed: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    tied: bool = False
    from_below: bool = False
    made_with: str = ""

    def takes(self, name: str) -> bool:
        return name in self.inputs

    @property
    def lengths(self) -> tuple[str, ...]:
        """Those of its inputs that are lengths, and may be in increments."""
        return tuple(name for name in self.inputs if self.known[name].length)


@dataclass(frozen=True, slots=True, kw_only=True)
class BoundCycle:
    """A cycle under a code of a profile, with the letter of each of its inputs."""

    cycle: Cycle
    letters: Mapping[str, str] = field(default_factory=lambda: CYCLE_LETTERS)
    counts: Mapping[str, frozenset[str]] = field(default_factory=dict)
    """How an input counts where it is not as usual: diameter, incremental, hundredths ..."""
    ahead: Mapping[str, str] = field(default_factory=dict)
    """Inputs with their letters in a block of its own in front: one with the code that does not say where the cycle goes."""

    def letter(self, name: str) -> str:
        return self.letters.get(name) or self.cycle.known[name].letter

    @property
    def inputs(self) -> tuple[tuple[str, str, str], ...]:
        """(input, its letter on this control, what it is), in the order in which they are written."""
        return tuple((name, self.letter(name), self.cycle.known[name].said) for name in self.cycle.inputs)


def feed(to: float) -> Step:
    return Step("feed", to)


def rapid(to: float) -> Step:
    return Step("rapid", to)


# -- the steps of each -------------------------------------------------------------------------------------------------


def _drill(h: Hole) -> Iterator[Step]:
    yield from (feed(h.bottom), *h.wait, rapid(h.back))


def _drill_without_wait(h: Hole) -> Iterator[Step]:
    yield from (feed(h.bottom), rapid(h.back))


def _in_steps(h: Hole, after: Callable[[Hole, float, float], tuple[Step, ...]]) -> Iterator[Step]:
    """Step by step down, and ``after`` each step but the last (hole, its depth, the step)."""
    if not h.step:
        yield from _drill_without_wait(h)
        return
    step, depth = max(abs(h.step), _SMALLEST_PECK_MM), h.level
    while depth > h.bottom + 1e-9:
        deeper = max(depth - step, h.bottom)
        yield feed(deeper)
        if deeper > h.bottom + 1e-9:
            yield from after(h, deeper, step)
        depth = deeper
    yield rapid(h.back)


def _peck(h: Hole) -> Iterator[Step]:
    return _in_steps(h, lambda h, deep, step: (rapid(h.level), rapid(deep + min(h.habits.clear, step / 2.0))))


def _chip_break(h: Hole) -> Iterator[Step]:
    return _in_steps(h, lambda h, deep, step: (rapid(deep + min(h.habits.lift, step / 2.0)),))


_OTHER_WAY = {"clockwise": "counter-clockwise", "counter-clockwise": "clockwise"}


def _tap(way: str, h: Hole) -> Iterator[Step]:
    """In with one direction, out at the same feed with the other."""
    turns = way if h.tap_starts else h.spindle
    into, out = h.turn(turns), h.turn(_OTHER_WAY.get(turns, "off"))
    yield from (into, feed(h.bottom), *h.wait, out, feed(h.level), into, *h.home)


def _bore(h: Hole) -> Iterator[Step]:
    yield from (feed(h.bottom), feed(h.level), *h.home)


def _bore_and_wait(h: Hole) -> Iterator[Step]:
    yield from (feed(h.bottom), *h.wait, feed(h.level), *h.home)


def _bore_and_stop(h: Hole) -> Iterator[Step]:
    yield from (feed(h.bottom), *h.wait, h.turn("off"), rapid(h.back), h.turn(h.spindle))


def _fine_bore(h: Hole) -> Iterator[Step]:
    """The spindle stops with its edge in a known place, and the tool leaves the wall before it comes out."""
    yield from (
        feed(h.bottom),
        *h.wait,
        h.turn("off"),
        *h.beside(1.0),
        rapid(h.back),
        *h.beside(-1.0),
        h.turn(h.spindle),
    )


def _back_bore(h: Hole) -> Iterator[Step]:
    """Down through the hole beside its axis with the spindle stopped, a counterbore cut upwards, and out the same way."""
    upper = h.upper if h.upper is not None else h.bottom
    low = h.bottom if h.upper is not None else h.level
    halt, again = h.turn("off"), h.turn(h.spindle)
    yield from (halt, *h.beside(1.0), rapid(low), *h.beside(-1.0), again, feed(upper), *h.wait, feed(low))
    yield from (halt, *h.beside(1.0), rapid(h.back), *h.beside(-1.0), again)


_NO_STEP = {"step": ("the hole is drilled in one go", "or drill with G81")}
_HOLE = ("bottom", "level")

CYCLES: dict[str, Cycle] = {
    cycle.name: cycle
    for cycle in (
        Cycle(name="drill", said="Drills a hole", steps=_drill_without_wait),
        Cycle(name="drill-dwell", said="Drills a hole and waits at its bottom", steps=_drill, inputs=(*_HOLE, "dwell")),
        Cycle(
            name="peck", said="Peck drills, retracting fully after each peck", steps=_peck, inputs=(*_HOLE, "step"), missed=_NO_STEP
        ),
        Cycle(
            name="chip-break", said="Peck drills with a short back-off to break the chip", steps=_chip_break, inputs=(*_HOLE, "step"), missed=_NO_STEP
        ),
        Cycle(name="tap", said="Taps a thread", steps=partial(_tap, "clockwise"), tied=True, made_with="tap"),
        Cycle(
            name="tap-left", said="Taps a left-hand thread", steps=partial(_tap, "counter-clockwise"), tied=True, made_with="tap"
        ),
        Cycle(name="bore", said="Bores in and out at feed", steps=_bore, made_with="reamer"),
        Cycle(
            name="bore-dwell", said="Bores, waits at the bottom, and out at feed", steps=_bore_and_wait,
            inputs=(*_HOLE, "dwell"), made_with="boring-bar",
        ),
        Cycle(
            name="bore-stop", said="Bores, stops the spindle and comes out", steps=_bore_and_stop, made_with="boring-bar"
        ),
        Cycle(
            name="bore-hand", said="Bores, stops the spindle and comes out", steps=_bore_and_stop,
            inputs=(*_HOLE, "dwell"), made_with="boring-bar",
        ),
        Cycle(
            name="fine-bore", said="Fine bores: shifts off the wall before retracting", steps=_fine_bore,
            inputs=(*_HOLE, "aside"), made_with="boring-bar",
        ),
        Cycle(
            name="back-bore", said="Goes down beside the hole's axis and bores upwards from below", steps=_back_bore,
            inputs=(*_HOLE, "aside", "upper"), from_below=True, made_with="boring-bar",
        ),
    )
}  # fmt: skip
"""Every built-in cycle, by its name in a profile."""

COMMON_CYCLES: Mapping[int, BoundCycle] = {
    code: BoundCycle(cycle=CYCLES[name])
    for code, name in {
        730: "chip-break", 740: "tap-left", 760: "fine-bore", 810: "drill", 820: "drill-dwell", 830: "peck", 840: "tap",
        850: "bore", 860: "bore-stop", 870: "back-bore", 880: "bore-hand", 890: "bore-dwell",
    }.items()
}  # fmt: skip
"""Code times ten to cycle, as most mills have it (NISTIR 6556 for G81 to G89, from memory; the rest common practice, no source)."""
