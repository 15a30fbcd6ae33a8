"""What a stage needs of a proof and can be worked out in any thread."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.app.glass.scene import PathLines, path_lines
from underglass.app.glass.skin import Skin
from underglass.app.skins import skin_of
from underglass.core.bench.frame import Frame
from underglass.core.proof.operations import Operation, operations
from underglass.core.proof.proof import Proof
from underglass.core.removal.history import StockCursor

Matrix = NDArray[np.float64]


def frame_matrix(frame: Frame, world: Frame) -> Matrix:
    """A frame's coordinates as world coordinates. ``(4, 4)``."""
    ends = world.into(frame.out(np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]])))
    out = np.eye(4)
    out[:3, 3] = ends[0]
    for axis in range(3):
        out[:3, axis] = ends[axis + 1] - ends[0]
    return out


@dataclass(frozen=True, slots=True, kw_only=True)
class Prepared:
    """What a stage needs of a proof and can be worked out in any thread: the path, and each stock at a moment."""

    proof: Proof
    lines: PathLines
    cursors: tuple[StockCursor, ...]
    operations: tuple[Operation, ...]
    skin: Skin | None = None
    """What is drawn where the stock is no field of heights."""


def prepare(proof: Proof, moment: float | None = None) -> Prepared:
    """Work it out; with the stocks put to a moment where one is given."""
    cursors = tuple(history.cursor() for history in proof.stocks)
    if moment is not None and len(proof.motions):
        for cursor in cursors:
            cursor.go(*proof.timing.locate(min(moment, proof.timing.total)))
    skin = skin_of(proof)
    lines = path_lines(proof) if skin is None else skin.lines()
    return Prepared(proof=proof, lines=lines, cursors=cursors, operations=operations(proof), skin=skin)
