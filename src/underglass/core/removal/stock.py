"""What every engine of removal gives: a stock as it was, as it is in the end, and what each move took."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray


class State(Protocol):
    """One stock at one moment."""

    def volume(self) -> float:
        """What is there, mm3."""
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
