"""What every engine of removal gives: a stock as it was, as it is in the end, and what each move took."""

from __future__ import annotations

from typing import Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray


class State(Protocol):
    """One stock at one moment."""

    def volume(self) -> float:
        """What is there, mm3."""
        ...


S_co = TypeVar("S_co", bound=State, covariant=True)
C_co = TypeVar("C_co", covariant=True)


class Cursor(Protocol[S_co, C_co]):
    """A stock of one's own that can be put to any moment of its history. Not for use from two threads at once."""

    @property
    def state(self) -> S_co:
        """The stock as it stands; good until the next ``go``."""
        ...

    def go(self, move: int, share: float) -> C_co:
        """Put it to ``share`` (0..1) of ``move``, all moves before it done. What changed, in the engine's own parts: tiles, bands, bites."""
        ...


class History(Protocol):
    """A stock over a whole run. ``removed`` (n,) is what each move took, mm3; ``cell_mm`` how fine it is held, None: exactly."""

    @property
    def uncut(self) -> State: ...

    @property
    def final(self) -> State: ...

    @property
    def removed(self) -> NDArray[np.float64]: ...

    @property
    def cell_mm(self) -> float | None: ...

    def cursor(self) -> Cursor[State, object]: ...
