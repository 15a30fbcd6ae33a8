"""What turning cycles are told, and how each of it counts.

Glossary
    total     how much comes off in all                pass    how much comes off at a time, a radius (facing: along Z)
    leave     what roughing leaves for the finish      taper   the radius at the start less that at the end
"""

from __future__ import annotations

from collections.abc import Mapping

from underglass.core.control.block_words import BlockWords
from underglass.core.control.cycles import BoundCycle, Input
from underglass.core.control.desk import Desk

LATHE_INPUTS: Mapping[str, Input] = {
    "total": Input("X", "how much comes off in all"),
    "length": Input("Z", "how long the cut is"),
    "pass": Input("D", "depth of a pass"),
    "feed": Input("F", "feed", length=False),
    "x": Input("X", "diameter of the far corner"),
    "z": Input("Z", "Z of the far corner"),
    "u": Input("U", "way in X to the far corner, a diameter"),
    "w": Input("W", "way in Z to the far corner"),
    "taper": Input("R", "radius at the start less that at the end"),
    "from": Input("P", "first block of the contour", length=False),
    "to": Input("Q", "last block of the contour", length=False),
    "lift": Input("R", "lift between two passes"),
    "leave_x": Input("U", "left in X for the finish, a diameter"),
    "leave_z": Input("W", "left in Z for the finish"),
    "total_x": Input("I", "how much comes off in X in all, a diameter"),
    "total_z": Input("K", "how much comes off in Z in all"),
    "times": Input("L", "how often", length=False),
    "peck": Input("Q", "depth of a peck"),
    "step": Input("K", "step to the next groove"),
    "depth": Input("K", "depth of the thread, a radius"),
    "first": Input("D", "depth of the first pass, a radius"),
    "least": Input("R", "least depth of a pass, a radius"),
    "angle": Input("A", "angle of the infeed along the flank", length=False),
    "finish_passes": Input("L", "passes at full depth", length=False),
    "run_out": Input("E", "length of the run-out"),
    "lead": Input("F", "lead"),
}
"""Every input that a turning cycle can have. The letters hold where a profile names no other."""

DIAMETERS = frozenset({"total", "x", "u", "leave_x", "total_x"})
"""Those that are diameters unless a profile says otherwise (``length`` of a facing too)."""

Told = dict[str, float]


def read(c: Desk, b: BlockWords, made: BoundCycle, also_diameter: frozenset[str] = frozenset()) -> Told:
    """What the block tells a cycle: lengths in mm, diameters as radii; its words are used up."""
    out: Told = {}
    taken: set[str] = set()
    for name in made.cycle.inputs:
        letter = made.letter(name)
        word = b.letters.get(letter)
        if word is None or letter in taken:
            continue
        taken.add(letter)
        value = word.value
        counts = made.counts.get(name, frozenset())
        known = made.cycle.known[name]
        if "." not in word.text:
            if "hundredths" in counts:
                value = word.value / 100.0 if letter not in c.profile.hundredths else value
            elif "increment" in counts:
                value = word.value * (0.0001 if c.modal.units == "inch" else 0.001)
        if known.length:
            value = c.length(value)
            diameter = name in DIAMETERS or name in also_diameter
            if "radius" in counts or (c.profile.x_radius and "diameter" not in counts):
                diameter = False
            elif "diameter" in counts:
                diameter = True
            value *= 0.5 if diameter else 1.0
        out[name] = value
    for letter in taken - {"F"}:
        b.letters.pop(letter, None)
    return out


def signed(made: BoundCycle, name: str, value: float, usual: float) -> float:
    """A way with its sign; one that is written without, the usual way."""
    return usual * abs(value) if "unsigned" in made.counts.get(name, frozenset()) else value


def is_absolute(made: BoundCycle, name: str) -> bool:
    return "absolute" in made.counts.get(name, frozenset())
