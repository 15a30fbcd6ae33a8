"""The control's memory while a program runs. Changed in place; frozen into an ``InForce`` for the moves."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field

from underglass.core.control.state import InForce, Spindle, Station, Vector
from underglass.core.control.transform import Mapping, Transform
from underglass.core.control.words import OFFSET_NAMES
from underglass.core.units import Unit


@dataclass(slots=True, kw_only=True)
class Modal:
    """Everything that stays in force from block to block. Lengths mm.

    ``h_word``: the line, column and end column of what put the length register in force.
    """

    units: Unit = "mm"
    absolute: bool = True
    centres_absolute: bool = False
    return_to: str = "G98"
    plane: int = 17
    feed_mode: str = "G94"
    exact: bool = False
    offset: str = "G54"
    shift: Vector = (0.0, 0.0, 0.0)
    mapping: Mapping = field(default_factory=lambda: Mapping(Transform()))
    feed: float = 0.0
    next_tool: int | None = None
    tool: int = 0
    h_number: int | None = None
    h_value: float = 0.0
    h_sign: int = 1
    h_word: tuple[int, int, int] = (0, 1, 2)
    spindle: Spindle = "off"
    speed: float = 0.0
    coolant: bool = False
    motion: str = "G80"
    motion_before: str = "G80"
    comp: str = "off"
    d_number: int | None = None
    d_value: float = 0.0
    overrides: bool = True
    thread_pitch: float = 0.0
    station: Station | None = None

    @classmethod
    def at_power_on(cls, words: Collection[str]) -> Modal:
        """What these G-words put in force."""
        return cls(
            units="inch" if "G20" in words else "mm",
            absolute="G91" not in words,
            centres_absolute="G90.1" in words,
            return_to="G99" if "G99" in words else "G98",
            plane=next((p for p in (18, 19) if f"G{p}" in words), 17),
            feed_mode=next((f for f in ("G93", "G95") if f in words), "G94"),
            exact="G61" in words,
            offset=next((w for w in OFFSET_NAMES.values() if w in words), "G54"),
        )

    @property
    def turning(self) -> bool:
        return self.spindle != "off" and self.speed > 0.0

    def freeze(self) -> InForce:
        transform = self.mapping.transform
        turned = []
        if transform.angle:
            turned.append("G68")
        if transform.scale != (1.0, 1.0, 1.0):
            turned.append("G51")
        if transform.mirror != (1.0, 1.0, 1.0):
            turned.append("G51.1")
        return InForce(
            self.tool,
            self.offset,
            self.shift,
            self.h_number,
            self.h_value,
            self.spindle,
            self.speed,
            self.coolant,
            self.motion,
            "G90" if self.absolute else "G91",
            self.units,
            self.return_to,
            self.plane,
            self.feed_mode,
            self.exact,
            transform.shift,
            tuple(turned),
            self.comp,
            self.d_number,
            self.d_value,
            transform.angle,
            self.overrides,
            self.h_sign,
            self.station,
        )
