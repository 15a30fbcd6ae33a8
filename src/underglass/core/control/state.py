"""What is in force in the control.

Glossary
    belief    what the control has been told: registers, work offsets
    in force  the modal words and registers a move is made under
    shift     what is added to a programmed place to get machine coordinates (work offset and length register)
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from underglass.core.units import Unit

Vector = tuple[float, float, float]
LENGTH_WAYS = ("length-registers", "first-tool", "each-tool", "tool-table", "to-part")
"""How Z comes to know the tool."""

Spindle = Literal["off", "clockwise", "counter-clockwise"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Registers:
    """BELIEF, mm: work offsets by name, length registers by H number, radius registers by D number. Wear is added in.

    ``length_wear`` and ``radius_wear`` are what of the sums is wear: G10 sets the two apart.
    """

    work: Mapping[str, Vector] = field(default_factory=dict)
    length: Mapping[int, float] = field(default_factory=dict)
    radius: Mapping[int, float] = field(default_factory=dict)
    length_wear: Mapping[int, float] = field(default_factory=dict)
    radius_wear: Mapping[int, float] = field(default_factory=dict)
    geometry: Mapping[int, Vector] = field(default_factory=dict)
    """A lathe's tool offsets by number, wear with them: X as a radius, and Z."""
    noses: Mapping[int, tuple[float, int]] = field(default_factory=dict)
    """A lathe's nose registers: radius and orientation."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LengthWay:
    """How Z comes to know the tool, as the control sees it.

    ``automatic``: the control puts the register of the tool's own number in force at each tool change. ``without`` are
    tools that need no length offset, ``all_without`` where none does. ``touched`` by tool: Z is touched off anew at its
    change, which adds so much to Z of every work offset, mm.
    """

    automatic: bool = False
    without: frozenset[int] = frozenset()
    all_without: bool = False
    touched: Mapping[int, float] = field(default_factory=dict)

    def needs_offset(self, tool: int) -> bool:
        """Whether a Z move of this tool wants a length offset in force."""
        return not self.all_without and tool not in self.without


@dataclass(frozen=True, slots=True, kw_only=True)
class AtStop:
    """What the operator corrects at the ``stop``-th stop (M0 or M1, from 1) that the run meets: added to what is there.

    mm; radii for D; ``note`` is why. As after G10, a length in force follows at once, a radius with the next G41 or G42.
    """

    stop: int
    length: Mapping[int, float] = field(default_factory=dict)
    radius: Mapping[int, float] = field(default_factory=dict)
    work: Mapping[str, Vector] = field(default_factory=dict)
    note: str = ""
    wear: Mapping[int, Vector] = field(default_factory=dict)
    """A lathe's tool offsets by number, X as a radius."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Switches:
    """The panel's switches. ``skip_levels``: which levels of block skip are on; empty: all. Overrides are shares of 1.

    ``dry_trace``: a cutter stays off all through.
    """

    block_skip: bool = False
    optional_stop: bool = True
    skip_levels: frozenset[int] = frozenset()
    feed_override: float = 1.0
    rapid_override: float = 1.0
    dry_trace: bool = False

    def skips(self, level: int) -> bool:
        """Whether a block with a slash of this level (0: none) is left out."""
        return level > 0 and self.block_skip and (not self.skip_levels or level in self.skip_levels)


@dataclass(frozen=True, slots=True, kw_only=True)
class Start:
    """What the control remembers from the job before. None: the profile's power-on state. mm, rad.

    ``compensation`` G41 or G42, with the D register ``d`` (None: one that holds nothing). ``tool`` stands in the spindle.
    """

    offset: str | None = None
    units: Unit | None = None
    distance: str | None = None
    shift: Vector = (0.0, 0.0, 0.0)
    rotation: float = 0.0
    compensation: str | None = None
    d: int | None = None
    tool: int = 0


class Station(NamedTuple):
    """What a lathe's control holds beside the rest: the offset that is on and its figures (X as a radius, Z), the limit of the
    spindle's speed (rpm, 0: none), whether the speed follows the diameter (``surface``: S is m/min), the lead of a thread being
    cut (mm, 0: none), and which way the nose's centre lies from the tip under compensation (1 to 9)."""

    offset: int = 0
    x: float = 0.0
    z: float = 0.0
    limit: float = 0.0
    surface: bool = False
    lead: float = 0.0
    orientation: int = 0
    per_turn: bool = True
    turn: float = 0.0
    """How far an indexed punch has been turned, rad."""
    nibbled: bool = False
    """Whether a press runs on from hit to hit."""
    pitch: float = 0.0
    """From hit to hit of the pattern being run, mm along its line (0: none, or one hit)."""
    flat: bool = False
    """Whether it is a sheet machine's: no spindle, no offset, no Z."""


class InForce(NamedTuple):
    """Everything a move is made under. Lengths mm; ``tool`` is the number called into the spindle (0: none).

    ``shift`` is the work offset alone; ``extra`` is G52 and G92 together; ``turned`` the words of rotation, scaling and
    mirror; ``h_sign`` -1 under G44; ``exact`` whether the control stops at each corner (G61); ``comp`` off, left or right, with ``d_value`` the
    radius that the control reckons with; ``rotation`` the angle of G68, rad; ``overrides`` whether the operator's
    overrides act (M48, M49).
    """

    tool: int
    offset: str
    shift: Vector
    h_number: int | None
    h_value: float
    spindle: Spindle
    speed: float
    coolant: bool
    motion: str
    distance: str
    units: Unit
    cycle_return: str
    plane: int = 17
    feed_mode: str = "G94"
    exact: bool = False
    extra: Vector = (0.0, 0.0, 0.0)
    turned: tuple[str, ...] = ()
    comp: str = "off"
    d_number: int | None = None
    d_value: float = 0.0
    rotation: float = 0.0
    overrides: bool = True
    h_sign: int = 1
    station: Station | None = None

    def work(self, machine: Vector) -> Vector:
        """Machine coordinates of the gauge line as the work coordinates the control shows."""
        return (
            machine[0] - self.shift[0],
            machine[1] - self.shift[1],
            machine[2] - self.shift[2] - self.h_value,
        )

    def shown(self, machine: Vector) -> Vector:
        """The position as the control shows it: work coordinates less G52 and G92."""
        x, y, z = self.work(machine)
        return (x - self.extra[0], y - self.extra[1], z - self.extra[2])

    @property
    def length_word(self) -> str:
        """The word that put the length register in force."""
        return "G44" if self.h_sign < 0 else "G43"

    @property
    def words(self) -> tuple[str, ...]:
        """The modal words, in the order a person reads them."""
        length = f"{self.length_word} H{self.h_number}" if self.h_number is not None else "G49"
        units = "G21" if self.units == "mm" else "G20"
        if self.station is not None and self.station.flat:
            side = {"left": f"G41 D{self.d_number}", "right": f"G42 D{self.d_number}"}.get(self.comp, "G40")
            return (self.distance, units, side, self.offset, *((f"T{self.tool}",) if self.tool else ()))
        if self.station is not None:
            return (
                units,
                {"left": "G41", "right": "G42"}.get(self.comp, "G40"),
                self.offset,
                "G96" if self.station.surface else "G97",
                "G99" if self.feed_mode == "G95" else "G98",
                f"T{self.tool:02d}{self.station.offset:02d}",
            )
        plane = f"G{self.plane}"
        return (
            self.distance,
            plane,
            units,
            {"left": f"G41 D{self.d_number}", "right": f"G42 D{self.d_number}"}.get(self.comp, "G40"),
            length,
            self.offset,
            self.feed_mode,
            self.cycle_return,
            *self.turned,
        )
