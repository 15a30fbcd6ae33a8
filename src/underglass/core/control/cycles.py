"""Canned cycles as the moves they stand for (NISTIR 6556 section 3.5.16, from memory).

Every cycle: to its level along the drilling axis if it is below it, across to X Y, down to the level, the hole, and back
to where G98 or G99 says. Which code runs which cycle, and which letter gives which of its inputs, a control profile says.

Glossary
    level    the height from which the hole is fed (R), programmed coordinates, mm
    bottom   the hole's bottom (Z)
    back     the height it goes back to: the level (G99), or where the first block of the cycle began if that is higher (G98)
    step     how deep one peck goes (Q)
    aside    how far a bored wall is left before the tool comes out (Q; across in X and Y with I and J)
    upper    where a counterbore from below is cut up to (K)
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Literal, NamedTuple, get_args

CycleKind = Literal[
    "drill", "drill-dwell", "peck", "chip-break", "tap", "tap-left", "bore", "bore-dwell", "bore-stop", "bore-hand",
    "fine-bore", "back-bore",
]  # fmt: skip
CYCLE_KINDS: tuple[CycleKind, ...] = get_args(CycleKind)
CYCLE_LETTERS: Mapping[str, str] = {
    "bottom": "Z", "level": "R", "step": "Q", "dwell": "P", "repeats": "L", "aside": "Q", "aside_x": "I", "aside_y": "J",
    "upper": "K",
}  # fmt: skip
"""The letter of each input where a profile names no other."""

LENGTHS_OF_CYCLES = ("bottom", "level", "step", "aside", "aside_x", "aside_y", "upper")
"""The inputs that are lengths."""

_SMALLEST_PECK_MM = 1e-3


@dataclass(frozen=True, slots=True)
class Cycle:
    """A built-in cycle under a code: what it does, and the letter of each of its inputs."""

    does: CycleKind
    letters: Mapping[str, str] = field(default_factory=lambda: CYCLE_LETTERS)

    def letter(self, name: str) -> str:
        return self.letters.get(name, CYCLE_LETTERS[name])


_COMMON: Mapping[int, CycleKind] = {
    730: "chip-break", 740: "tap-left", 760: "fine-bore", 810: "drill", 820: "drill-dwell", 830: "peck", 840: "tap",
    850: "bore", 860: "bore-stop", 870: "back-bore", 880: "bore-hand", 890: "bore-dwell",
}  # fmt: skip
COMMON_CYCLES: Mapping[int, Cycle] = {code: Cycle(does) for code, does in _COMMON.items()}
"""Code times ten to cycle, as most mills have it (NISTIR 6556 for G81 to G89, from memory; the rest common practice, no source)."""


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


@dataclass(slots=True)
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


def hole(
    does: CycleKind, data: CycleData, back: float, spindle: str, habits: PeckHabits, *, tap_starts: bool = False
) -> Iterator[Step]:
    """The steps of one hole, from its level on. ``spindle`` is how it turns as the cycle begins.

    ``tap_starts``: a tapping cycle turns the spindle its own way, whatever it does before.
    """
    level, bottom, dwell = data.level or 0.0, data.bottom or 0.0, data.dwell

    def feed(to: float) -> Step:
        return Step("feed", to)

    def rapid(to: float) -> Step:
        return Step("rapid", to)

    again = Step("spindle", word=spindle)
    halt = Step("spindle", word="off")
    wait = [Step("dwell", seconds=dwell)] if dwell else []
    match does:
        case "peck" | "chip-break" if data.step:
            yield from _pecks(does, level, bottom, max(abs(data.step), _SMALLEST_PECK_MM), habits)
            yield rapid(back)
        case "tap" | "tap-left":
            # In with one direction, out at the same feed with the other.
            way = spindle if not tap_starts else "clockwise" if does == "tap" else "counter-clockwise"
            back_way = {"clockwise": "counter-clockwise", "counter-clockwise": "clockwise"}.get(way, "off")
            turn, other = Step("spindle", word=way), Step("spindle", word=back_way)
            yield from (turn, feed(bottom), *wait, other, feed(level), turn)
            if back != level:
                yield rapid(back)
        case "bore" | "bore-dwell":
            yield from (feed(bottom), *(wait if does == "bore-dwell" else ()), feed(level))
            if back != level:
                yield rapid(back)
        case "bore-stop" | "bore-hand":
            yield from (feed(bottom), *wait, halt, rapid(back), again)
        case "fine-bore":
            # The spindle stops with its edge in a known place, and the tool leaves the wall before it comes out.
            yield from (feed(bottom), *wait, halt, *_aside(data, 1.0), rapid(back), *_aside(data, -1.0), again)
        case "back-bore":
            # Down through the hole beside its axis with the spindle stopped, a counterbore cut upwards, and out the same way.
            upper = data.upper if data.upper is not None else bottom
            low = bottom if data.upper is not None else level
            yield from (halt, *_aside(data, 1.0), rapid(low), *_aside(data, -1.0), again, feed(upper), *wait, feed(low))
            yield from (halt, *_aside(data, 1.0), rapid(back), *_aside(data, -1.0), again)
        case "drill-dwell":
            yield from (feed(bottom), *wait, rapid(back))
        case _:
            yield from (feed(bottom), rapid(back))


def _aside(data: CycleData, sign: float) -> list[Step]:
    x, y = data.aside
    return [Step("aside", aside=(sign * x, sign * y))] if x or y else []


def _pecks(does: str, level: float, bottom: float, step: float, habits: PeckHabits) -> Iterator[Step]:
    depth = level
    while depth > bottom + 1e-9:
        deeper = max(depth - step, bottom)
        yield Step("feed", deeper)
        if deeper > bottom + 1e-9:
            if does == "chip-break":
                yield Step("rapid", deeper + min(habits.lift, step / 2.0))
            else:
                yield Step("rapid", level)
                yield Step("rapid", deeper + min(habits.clear, step / 2.0))
        depth = deeper
