"""Many places one after another as blocks, written in one go: what a writer says block by block, where there are thousands."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from underglass.core.reckon.form import write
from underglass.core.units import Unit

Floats = NDArray[np.float64]
Indices = NDArray[np.intp]
Length = float | Floats
_AT_A_TIE = 1e-4
"""So near to a half of the last decimal it is left to the written text which way a figure goes; in parts of that decimal."""
_BITS = np.array([1, 2, 4])
_DECIMALS = 4
_BLOCK = tuple(" ".join(f"{axis}%.{_DECIMALS}f" for k, axis in enumerate("XYZ") if code & 1 << k) for code in range(8))
"""The words of a block, by a bit for each axis that moves."""


def run_of(x: Length, y: Length, z: Floats) -> Floats:
    """Places, (n, 3), of which one axis or two may stand still."""
    out = np.empty((len(z), 3))
    out[:, 0], out[:, 1], out[:, 2] = x, y, z
    return out


def rounded(lengths: Floats, unit: Unit) -> Floats:
    """Lengths in the program's unit, of any shape, as ``write`` rounds them."""
    parts = 1e4 if unit == "inch" else 1e3
    scaled = lengths * parts
    # An added nought makes -0 a nought.
    whole: Floats = np.rint(scaled) + 0.0
    out: Floats = whole / parts
    off = np.abs(scaled - whole)
    if off.max(initial=0.0) > 0.5 - _AT_A_TIE:
        ties = np.flatnonzero(off > 0.5 - _AT_A_TIE)
        out.flat[ties] = [float(write(value, unit)) for value in lengths.flat[ties].tolist()]
    return out


def blocks_of(places: Floats, begins: Indices) -> tuple[list[str], Floats, Indices]:
    """The blocks of several runs of rounded places, (n, 3): a word stands only where it changes.

    ``begins`` are the numbers of the first places; none leads to them. A block in which nothing would stand is left out with its
    place: what is left of the places comes after the blocks, and where each run begins among them and where the last ends.
    """
    changed = np.zeros(places.shape, dtype=np.bool_)
    changed[1:] = places[1:] != places[:-1]
    changed[begins] = False
    codes = changed @ _BITS
    kept = codes > 0
    text = "\n".join([_BLOCK[code] for code in codes[kept].tolist()]) % tuple(places[changed].tolist()) + "\n"
    for _ in range(_DECIMALS):
        text = text.replace("0 ", " ").replace("0\n", "\n")
    kept[begins] = True
    counts = np.concatenate([[0], np.cumsum(kept)])
    return text.split("\n")[:-1], places[kept], counts[np.append(begins, len(places))]
