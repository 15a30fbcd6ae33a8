"""What the control holds from block to block: one value, that can be copied and compared.

A checkpoint is a copy of it. What a later edit moves are the line numbers in it, and this module alone knows which they are.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, fields, replace

from underglass.core.control.cycles import CycleData
from underglass.core.control.modal import Modal
from underglass.core.control.state import Vector
from underglass.core.control.transform import Transform
from underglass.core.language.block import Word

_CHANGED = -1
"""The number of a line that was changed: like no other."""


@dataclass(slots=True, kw_only=True)
class Held:
    """Places in machine coordinates, registers and figures in mm.

    ``at``: where the program believes the machine to be, ``real``: where it is (beside it under radius compensation).
    ``z_judged`` and ``offset_judged``: the length and the work offset in force have been judged by a move already.
    ``stated``, ``inherited``: modal groups that the program has stated, and those its moves relied on before it had.
    ``points``, ``pointless``: a length with a decimal point was read; the first without one, its line and what it counts in.
    ``left_over``: what the job before left in the control, as long as nothing has moved under it. ``fast_told``: the feed
    and speed last complained about together. The tables of registers are never changed in place: ``geometry``, a lathe's
    tool offsets with their wear by number (X as a radius), and ``noses`` (radius, orientation) among them. ``corner``: from where the last
    block's corner was broken to that corner; ``inputs``: what a turning cycle that stays in force was told, mm;
    ``ahead``: what a cycle's block in front told it, by its code; ``skipped``: contours that a cycle has run and that are not run
    where they stand, last line by first; ``axes_told``: axes that are not simulated, as told: whether one stays at nought or moves.
    """

    modal: Modal
    at: Vector
    real: Vector
    cycle: CycleData = field(default_factory=CycleData)
    cycle_line: int = 0
    work_offsets: Mapping[str, Vector] = field(default_factory=dict)
    length_registers: Mapping[int, float] = field(default_factory=dict)
    radius_registers: Mapping[int, float] = field(default_factory=dict)
    length_wear: Mapping[int, float] = field(default_factory=dict)
    radius_wear: Mapping[int, float] = field(default_factory=dict)
    geometry: Mapping[int, Vector] = field(default_factory=dict)
    noses: Mapping[int, tuple[float, int]] = field(default_factory=dict)
    corner: Vector = (0.0, 0.0, 0.0)
    inputs: Mapping[str, float] = field(default_factory=dict)
    ahead: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    skipped: Mapping[int, int] = field(default_factory=dict)
    z_judged: bool = True
    offset_judged: bool = False
    feed_missing_told: bool = False
    units_stated: bool = False
    stated: frozenset[str] = frozenset()
    inherited: frozenset[str] | None = None
    points: bool = False
    pointless: tuple[Word, int, float] | None = None
    left_over: Transform | None = None
    comp_plane: int = 17
    stops_met: int = 0
    work_done: int = 0
    fast_told: tuple[float, float] = (0.0, 0.0)
    axes_told: frozenset[tuple[str, bool]] = frozenset()

    def copied(self) -> Held:
        """As it is now, for good."""
        out = Held(**{name: getattr(self, name) for name in _FIELDS})
        out.modal, out.cycle = replace(self.modal), replace(self.cycle)
        return out

    def put(self, other: Held) -> None:
        """Be as another one was."""
        for name in _FIELDS:
            setattr(self, name, getattr(other, name))
        self.modal, self.cycle = replace(other.modal), replace(other.cycle)

    def moved(self, line: Callable[[int], int | None]) -> Held:
        """The same in a program whose lines have other numbers; ``line`` gives None for one that was changed."""

        def new(old: int) -> int:
            found = line(old)
            return _CHANGED if found is None else found

        word, pointless = self.modal.h_word, self.pointless
        h_word = (new(word[0]), *word[1:])
        cycle_line = new(self.cycle_line)
        point = None if pointless is None else (pointless[0], new(pointless[1]), pointless[2])
        skipped = {new(first): new(last) for first, last in self.skipped.items()}
        if (h_word, cycle_line, point, skipped) == (word, self.cycle_line, pointless, self.skipped):
            return self
        modal = replace(self.modal, h_word=h_word)
        return replace(self, modal=modal, cycle_line=cycle_line, pointless=point, skipped=skipped)


_FIELDS = tuple(f.name for f in fields(Held))
