"""The control's memory while a program runs. Changed in place; frozen into an ``InForce`` for the moves."""

from __future__ import annotations

from underglass.core.control.profile import ControlProfile
from underglass.core.control.state import InForce, Spindle, Vector
from underglass.core.control.transform import Mapping, Transform
from underglass.core.control.words import OFFSET_NAMES
from underglass.core.units import Unit


class Modal:
    """Everything that stays in force from block to block. Lengths mm."""

    __slots__ = (
        "absolute", "centres_absolute", "comp", "coolant", "d_number", "d_value", "exact", "feed", "feed_mode", "h_number", "h_sign", "h_value", "h_word", "mapping",
        "motion", "motion_before", "next_tool", "offset", "overrides", "plane", "return_to", "shift", "speed", "spindle", "thread_pitch", "tool", "units",
    )  # fmt: skip

    def __init__(self, profile: ControlProfile) -> None:
        words = set(profile.power_on)
        self.units: Unit = "inch" if "G20" in words else "mm"
        self.absolute = "G91" not in words
        self.centres_absolute = "G90.1" in words
        self.return_to = "G99" if "G99" in words else "G98"
        self.plane = next((p for p in (18, 19) if f"G{p}" in words), 17)
        self.feed_mode = next((f for f in ("G93", "G95") if f in words), "G94")
        self.exact = "G61" in words
        self.offset = next((w for w in OFFSET_NAMES.values() if w in words), "G54")
        self.shift: Vector = (0.0, 0.0, 0.0)
        self.mapping = Mapping(Transform())
        self.feed = 0.0
        self.next_tool: int | None = None
        self.tool = 0
        self.h_number: int | None = None
        self.h_value = 0.0
        self.h_sign = 1
        self.h_word: tuple[int, int, int] = (0, 1, 2)
        self.spindle: Spindle = "off"
        self.speed = 0.0
        self.coolant = False
        self.motion = self.motion_before = "G80"
        self.comp = "off"
        self.d_number: int | None = None
        self.d_value = 0.0
        self.overrides = True
        self.thread_pitch = 0.0

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
        )
