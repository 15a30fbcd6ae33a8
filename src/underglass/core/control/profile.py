"""What differs between controls, as data. A control profile is a commented TOML file; this is what it says."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from underglass.core.control.cycles import COMMON_CYCLES, BoundCycle, PeckHabits
from underglass.core.control.flow import Limits
from underglass.core.control.words import MILL_WORDS, Vocabulary, g_name
from underglass.core.language.handover import FileHabits
from underglass.core.units import Unit


@dataclass(frozen=True, slots=True, kw_only=True)
class ControlProfile:
    """One control. Lengths in mm.

    ``arc_tolerance`` is the largest difference of an arc's start and end radius that is let through, for a program in
    mm and in inch. ``increment``: what a length without a decimal point counts in, in the program's unit; None: such a
    number is plain; ``peck_increment`` the same for a peck's step alone. ``same_as``: words that stand for others, as
    G70 for G20 or M13 for M3 M8. ``longest_arc``: whether an arc may run past a quadrant. ``power_on`` lists the G-words
    in force before the first block. ``cycles``: code times ten to built-in cycle. ``no_effect``: M-words of the machine
    that move nothing, with what they do. ``end_words``: with which a program is to end. ``comments``: the forms it
    reads. ``rapids``: in a straight line, or each axis at its own rate until it is there. ``t_alone``: what T without M6
    does. ``repeats``: the letter of a subprogram's repeats, or "P" where they stand before the last four digits of P.
    ``thread_letter``: G33's pitch. ``file``: how it wants a program's file. ``after_g40``: how the offset is taken off
    where G40 stands without a move in the plane (see ``compensated.with_offset_left``). ``side_change``: what G41 straight
    to G42 does. ``arc_by_r``: an arc with R and I J goes by R. ``tap_starts``: a tapping cycle starts the spindle itself.
    ``dwells``: G4's letters and the unit of each, the first the usual one. ``no_effect_g``: as ``no_effect``, for G-words,
    code times ten. ``local_call``: the M-word that calls an N number of the same program, or None. ``most_m``: M-words in a
    block. ``length_by``: how Z knows the tool where the job does not say. ``h_default``: what G43 without H does. ``after_g80``: whether the
    motion word that held before a cycle holds after it again. ``words``: what it knows at all. On a lathe, ``x_radius``: X counts
    as a radius; ``hundredths``: letters that count in hundredths where no point stands; ``incremental``: letters that count from
    where the tool is, with the axis of each; ``tool_word``: its form; ``thread_infeed``: how the passes of a thread are shared.
    """

    name: str
    title: str
    d_register: Literal["radius", "diameter"]
    arc_tolerance: Mapping[Unit, float]
    stop_words: Literal["block-end", "block-start"]
    power_on: tuple[str, ...]
    limits: Limits = field(default_factory=Limits)
    increment: Mapping[Unit, float] | None = None
    same_as: Mapping[tuple[str, float], tuple[tuple[str, float], ...]] = field(default_factory=dict)
    longest_arc: Literal["full", "quadrant"] = "full"
    corner: Literal["rolled", "extended"] = "rolled"
    lookahead: int = 2
    entry_at_least_radius: bool = True
    d_default: Literal["tool", "alarm"] = "alarm"
    dwells: Mapping[str, str] = field(default_factory=lambda: {"P": "s"})
    after_g40: Literal["axis", "plane", "at-once"] = "axis"
    side_change: Literal["alarm", "go-on"] = "alarm"
    arc_by_r: bool = False
    tap_starts: bool = False
    no_effect_g: Mapping[int, str] = field(default_factory=dict)
    local_call: int | None = None
    most_m: int = 3
    length_by: str = "length-registers"
    h_default: Literal["tool", "alarm"] = "alarm"
    after_g80: Literal["no-motion", "as-before"] = "no-motion"
    peck_increment: Mapping[Unit, float] | None = None
    cycles: Mapping[int, BoundCycle] = field(default_factory=lambda: COMMON_CYCLES)
    pecks: PeckHabits = field(default_factory=PeckHabits)
    no_effect: Mapping[int, str] = field(default_factory=dict)
    end_words: tuple[int, ...] = (2, 30)
    comments: tuple[str, ...] = ("()", ";")
    rapids: Literal["straight", "axes"] = "straight"
    t_alone: Literal["preselect", "change"] = "preselect"
    repeats: Literal["L", "K", "P"] = "L"
    thread_letter: Literal["K", "F"] = "K"
    file: FileHabits = field(default_factory=FileHabits)
    kind: str = "mill"
    words: Vocabulary = field(default=MILL_WORDS, compare=False)
    x_radius: bool = False
    hundredths: str = ""
    incremental: Mapping[str, str] = field(default_factory=dict)
    tool_word: str = "T-M6"
    thread_infeed: Literal["area", "depth"] = "area"
    returns: tuple[int, ...] = (99,)
    cutter_below: float | None = None
    """Of a sheet cutter: below this height of a word Z, mm, it is on."""
    turn_letter: str = ""
    """Of a punch: the letter that turns an indexed station."""
    g_groups: Mapping[int, str] = field(init=False, default_factory=dict, compare=False)
    m_groups: Mapping[int, str] = field(init=False, default_factory=dict, compare=False)
    unread: Mapping[str, str] = field(init=False, default_factory=dict, compare=False)
    not_held: str = field(init=False, default="", compare=False)
    length_letters: str = field(init=False, default="", compare=False)
    cycle_by_name: Mapping[str, BoundCycle] = field(init=False, default_factory=dict, compare=False)

    def __post_init__(self) -> None:
        # Worked out once: every block asks for them.
        own_g = {code: g_name(code) for code in self.no_effect_g}
        object.__setattr__(self, "g_groups", {**self.words.g, **own_g, **dict.fromkeys(self.cycles, "motion")})
        object.__setattr__(self, "m_groups", {**self.words.m, **{code: f"M{code}" for code in self.no_effect}})
        own = {letter for cycle in self.cycles.values() for letter in cycle.letters.values()}
        lengths = {cycle.letter(name) for cycle in self.cycles.values() for name in cycle.cycle.lengths}
        object.__setattr__(self, "unread", {x: why for x, why in self.words.unread.items() if x not in own})
        object.__setattr__(self, "not_held", "".join(x for x in self.words.not_held if x not in own))
        object.__setattr__(self, "length_letters", "".join(sorted({*self.words.lengths, *lengths})))
        object.__setattr__(self, "cycle_by_name", {g_name(code): cycle for code, cycle in self.cycles.items()})

    @property
    def dwell_letter(self) -> str:
        """The usual letter of G4's time."""
        return next(iter(self.dwells))

    def dwell_seconds(self, value: float, letter: str = "") -> float:
        """A dwell as written under a letter (empty: the usual one), in seconds."""
        unit = self.dwells.get(letter or self.dwell_letter, self.dwells[self.dwell_letter])
        return value / 1000.0 if unit == "ms" else value
