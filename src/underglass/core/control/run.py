"""What the control made of a program, and the checkpoints from which a changed program is taken up again.

Glossary
    checkpoint   the control's whole state before a line of the main program, and how much it had made by then
    memory       a run's text and checkpoints
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.held import Held
from underglass.core.control.motions import Motions
from underglass.core.control.stretch import Stretch
from underglass.core.finding import Finding

FindingKey = tuple[str, int, int, str]
"""(code, line, column from 0, message where that matters): a finding met again in a loop is no second one."""


class Counts(NamedTuple):
    """How much had been made."""

    moves: int
    findings: int
    events: int
    lengths: int
    offsets: int
    radii: int
    stretches: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Checkpoint:
    """Before line ``at + 1``. ``highest`` is the highest line read by then, ``lowest`` the lowest one since the last.

    ``held`` is the control's state, ``shared`` and ``own`` the program's variables.
    """

    at: int
    highest: int
    lowest: int
    jumps: int
    main_line: int
    held: Held
    shared: Mapping[int, float]
    own: Mapping[int, float]
    counts: Counts


@dataclass(frozen=True, slots=True, kw_only=True)
class Memory:
    """``outside``: what was found beside the program, by number. ``jumps``: how often the whole run jumped.

    ``first_mark``: the first line, from 0, with a tape mark; -1 where there is none.
    """

    lines: tuple[str, ...]
    checkpoints: tuple[Checkpoint, ...]
    keys: tuple[FindingKey, ...]
    jumps: int
    lowest_at_end: int
    outside: Mapping[int, tuple[str, Sequence[str]] | None]
    first_mark: int = -1


@dataclass(frozen=True, slots=True, kw_only=True)
class Run:
    """What the control made of a program: moves, findings of its own, and whether the program came to its end.

    ``inherited`` are the modal groups that its moves rely on and that it had not stated by then.
    ``taken_over``: how many of its first moves are an earlier run's. ``reached`` (lines + 1,) says which lines of the main program were ever run, from 1.
    """

    motions: Motions
    findings: tuple[Finding, ...]
    ended: bool
    last_line: int
    units_stated: bool = True
    inherited: frozenset[str] = frozenset()
    stretches: tuple[Stretch, ...] = ()
    reached: NDArray[np.bool_] = field(default_factory=lambda: np.zeros(1, dtype=np.bool_))
    memory: Memory | None = None
    taken_over: int = 0

    def ran(self, line: int) -> bool:
        """Whether the control ever came to a line of the main program."""
        return 0 <= line < len(self.reached) and bool(self.reached[line])
