"""Every tolerance of the core in one place, each with its reason."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Tolerances:
    """Lengths in mm, angles in radians."""

    touch_mm: float = 0.01
    """A contact is an overlap of more than this along Z: below it nothing on a machine is certain."""

    touch_side_mm: float = 0.02
    """And of more than this sideways, decided on finer cells where those of the stock are coarser."""

    doubt_cells: float = 0.75
    """Within so many cells of a wall the field may show no contact that is there: half a cell's diagonal and a little."""

    length_of_nothing_mm: float = 1e-7
    """A move shorter than this goes nowhere; a tenth of a nanometre is rounding, not motion."""

    angle_of_nothing_rad: float = 1e-9
    """Arc angles below this are rounding: 1e-9 rad on a 1 m radius is a nanometre."""

    farthest_mm: float = 1e6
    """No machine is a kilometre long: what is sent farther is no place, and what is cut is cut nearer than that."""

    chord_mm: float = 0.001
    """Largest gap between an arc and the chords that stand for it, where a kernel or a picture needs chords."""

    hair_mm: float = 0.01
    """An arc whose ends lie no farther apart is meant for a hair of one or for a whole turn, not for all but a hair."""

    register_default_mm: float = 0.05
    """Within it a register is worn or rounded, beyond it wrong; a job may say otherwise."""

    same_register_mm: float = 0.0005
    """Two figures that are the same as shown, to the micrometre, are the same."""


TOLERANCES = Tolerances()
