"""What single words do, said plainly. G-words by their number times ten."""

from __future__ import annotations

from collections.abc import Mapping

from underglass.core.control.cycles import CycleKind

G_SAID: Mapping[int, str] = {
    40: "Waits",
    100: "Sets a register or an offset",
    170: "Works in the X Y plane",
    180: "Works in the Z X plane",
    190: "Works in the Y Z plane",
    280: "Goes home through the place named, with the axes named",
    300: "Goes to the second home through the place named, with the axes named",
    500: "Scaling is off",
    501: "Mirror is off",
    510: "Scales what follows",
    511: "Mirrors what follows about the place named",
    520: "Shifts the zero by these figures",
    530: "Goes by machine coordinates, in this block alone",
    330: "Cuts a thread: so much way a turn of the spindle",
    382: "Probes: at feed until the probe touches",
    610: "Stops exactly at each corner",
    640: "Keeps its speed round corners",
    680: "Turns what follows about a point",
    901: "Arc centres are absolute",
    911: "Arc centres count from the arc's start",
    920: "Calls the place it stands at by these figures",
    921: "Takes the figures of G92 back",
    930: "Feeds are given as one over the time of each move",
    950: "Feeds are per turn of the spindle",
    200: "Lengths are inches from here on",
    210: "Lengths are millimetres from here on",
    400: "Radius compensation ends",
    490: "Length offset is off",
    690: "Rotation is off",
    800: "Ends any drilling cycle",
    900: "Places are absolute from here on",
    910: "Places are steps from the last place from here on",
    940: "Feeds are per minute",
    980: "Cycles return to the height they began at",
    990: "Cycles return to their R height",
}
M_SAID: Mapping[int, str] = {
    0: "Stops the program until the operator goes on",
    1: "Stops here if optional stop is on",
    2: "Ends the program",
    30: "Ends the program and goes back to its start",
    7: "Mist on",
    8: "Coolant on",
    9: "Coolant off at the end of the block",
    48: "The operator's overrides act again",
    49: "The operator's overrides are locked out",
    60: "Stops the program until the operator goes on",
}

CYCLE_SAID: Mapping[CycleKind, str] = {
    "drill": "Drills a hole",
    "drill-dwell": "Drills a hole and waits at its bottom",
    "peck": "Drills in steps, coming out each time",
    "chip-break": "Drills in steps, breaking the chip",
    "tap": "Taps a thread",
    "tap-left": "Taps a left-hand thread",
    "bore": "Bores in and out at feed",
    "bore-dwell": "Bores, waits at the bottom, and out at feed",
    "bore-stop": "Bores, stops the spindle and comes out",
    "bore-hand": "Bores, stops the spindle and comes out",
    "fine-bore": "Bores, and leaves the wall before it comes out",
    "back-bore": "Goes down beside the hole's axis and bores upwards from below",
}
