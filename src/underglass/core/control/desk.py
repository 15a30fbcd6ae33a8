"""The control's desk: what it holds from block to block, what it has made so far, and the services that every part of it uses.

The modules that know a word or a cycle import this one and work on a ``Desk``; the loop that reads blocks (``interpret``)
imports them. A desk holds its place in machine coordinates, so that a change of work offset or length register moves nothing
by itself.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import numpy as np

from underglass.core.bench.machine import Machine
from underglass.core.control.block_words import BlockWords
from underglass.core.control.flow import Flow, Library
from underglass.core.control.held import Held
from underglass.core.control.modal import Modal
from underglass.core.control.motions import Event, MotionBuilder, OffsetUse, RegisterUse
from underglass.core.control.profile import ControlProfile
from underglass.core.control.run import Checkpoint, FindingKey
from underglass.core.control.state import AtStop, LengthWay, Registers, Station, Switches, Vector
from underglass.core.control.stretch import Stretch
from underglass.core.control.way import Way
from underglass.core.errors import Cancelled
from underglass.core.finding import Evidence, Finding, Severity
from underglass.core.language import writing
from underglass.core.language.block import Block, Word
from underglass.core.units import MM_PER_INCH, show_length

_NO_STATION = Station()

CHECK_EVERY = 500
"""Blocks or moves between two looks at whether the run is still wanted."""

Touch = Callable[[Vector, Vector, int], float | None]
"""(start, end, tool): the share of a move, gauge line in machine coordinates, at which the tool first touches, or None."""


class Desk(Held):
    """A control with its registers, standing at machine home, in the profile's power-on state."""

    def __init__(
        self,
        profile: ControlProfile,
        machine: Machine,
        registers: Registers,
        switches: Switches | None = None,
        library: Library = lambda _number: None,
        touch: Touch = lambda _start, _end, _tool: None,
        at_stops: Iterable[AtStop] = (),
        way: LengthWay = LengthWay(),  # noqa: B008
    ) -> None:
        super().__init__(
            modal=Modal.at_power_on(profile.power_on),
            at=machine.home,
            real=machine.home,
            work_offsets=dict(registers.work),
            length_registers=dict(registers.length),
            radius_registers=dict(registers.radius),
            length_wear=dict(registers.length_wear),
            radius_wear=dict(registers.radius_wear),
            geometry=dict(registers.geometry),
            noses=dict(registers.noses),
        )
        self.profile = profile
        self.machine = machine
        self.switches = switches or Switches()
        self.library = library
        self.touch = touch
        self.at_stops = tuple(at_stops)
        self.way = way
        self.cancelled: Callable[[], bool] = lambda: False
        self.watch: Callable[[Block], None] | None = None
        """Is told each block before it is carried out, its values worked out and its calls gone into."""
        self.flow = Flow("", (), library, profile.limits)
        self.ended = False
        self.carry_out: Callable[[Block], None] = lambda _block: None
        self.path: Way[Desk]
        """From programmed moves to the machine's. There is no checkpoint while it is a compensated one; ``comp_line``: where that began."""
        self.comp_line = 0
        # What has been made so far.
        self.moves = MotionBuilder()
        self.findings: list[Finding] = []
        self.keys: list[FindingKey] = []
        self.told: set[FindingKey] = set()
        self.events: list[Event] = []
        self.lengths: list[RegisterUse] = []
        self.offsets: list[OffsetUse] = []
        self.radii: list[RegisterUse] = []
        self.stretches: list[Stretch] = []
        self.reached = np.zeros(1, dtype=np.bool_)
        self.checkpoints: list[Checkpoint] = []
        self._state = -1

    def line(self, block: Block) -> int:
        """The main program's line that a block belongs to."""
        return self.flow.main_line or block.line

    def length(self, value: float) -> float:
        """A programmed length in mm."""
        return value * MM_PER_INCH if self.modal.units == "inch" else value

    def rate(self, feed: float) -> str:
        """A feed, mm/min, in the program's own unit."""
        return writing.feed_in_words(feed, self.modal.units)

    def said(self, value: float, *, sign: bool = False) -> str:
        """A length, mm, in the program's own unit."""
        return f"{show_length(value, self.modal.units, sign=sign)} {self.modal.units}"

    def feed_of(self, length: float) -> float:
        """The feed in force as mm/min, for a move of this length."""
        m = self.modal
        if m.feed_mode == "G95":
            return m.feed * self.turns(self.at[0] - m.shift[0])
        return m.feed * length if m.feed_mode == "G93" else m.feed

    def turns(self, radius: float) -> float:
        """The spindle's speed with the tool at so much from the axis, rpm (surface speed: n = 1000 v / (pi d))."""
        m, on = self.modal, self.modal.station
        if on is None or not on.surface:
            return m.speed
        most = min(on.limit or self.machine.spindle_max, self.machine.spindle_max)
        return min(1000.0 * m.speed / (math.tau * max(abs(radius), 1e-9)), most)

    def changed(self) -> None:
        """Something in force is not what it was."""
        self._state = -1

    def set_spindle(self, way: str) -> None:
        self.modal.spindle = "clockwise" if way == "clockwise" else "off" if way == "off" else "counter-clockwise"
        self._state = -1

    def use_offset(self, name: str) -> None:
        m = self.modal
        m.offset = name
        x, y, z = self.work_offsets.get(name, (0.0, 0.0, 0.0))
        on = m.station or _NO_STATION
        m.shift = (x + on.x, y, z + on.z + self.way.touched.get(m.tool, 0.0))
        self.offset_judged = False
        self._state = -1

    @property
    def work_shift(self) -> Vector:
        """The work offset alone."""
        on, (x, y, z) = self.modal.station or _NO_STATION, self.modal.shift
        return (x - on.x, y, z - on.z)

    def length_changed(self) -> None:
        """Another length register is in force: the next Z move is judged under it."""
        self.z_judged = False
        self._state = -1

    def in_force(self) -> int:
        if self._state < 0:
            self._state = self.moves.state_index(self.modal.freeze())
        return self._state

    # -- limits -----------------------------------------------------------------------------------------------------------

    def work(self, block: Block, pecks: int = 0) -> bool:
        """One more block or move that the text does not spell out: of a loop, a call, a cycle's pecks and repeats.

        False, and the run ended with a finding, where that has become more than the profile allows; ``pecks`` is how many
        this hole has had. Raises ``Cancelled``.
        """
        limits = self.profile.limits
        self.work_done += 1
        if self.work_done % CHECK_EVERY == 0 and self.cancelled():
            raise Cancelled
        if self.work_done <= limits.work and pecks <= limits.pecks:
            return True
        if self.ended:
            return False
        if pecks > limits.pecks:
            said = f"this hole comes to more than {limits.pecks} pecks"
            remedy = "check the hole's depth and the step of a peck"
        else:
            said = f"loops, calls and cycles have come to more than {limits.work} blocks and moves"
            remedy = "check what should end the repeats, or raise `work` in the control's limits"
        span = (block.words[0].start, block.words[0].end) if block.words else (0, 1)
        self.find("loop-runaway", block, f"{said}: the proof stops here", remedy, span, {"work": self.work_done})
        self.ended = True
        return False

    def too_many_moves(self, block: Block) -> None:
        """More moves than are held: the rest of the program is not proved, and that is said."""
        most = self.profile.limits.moves
        span = (block.words[0].start, block.words[0].end) if block.words else (0, 1)
        self.find(
            "not-proved", block, f"more than {most:,} moves are not held: the proof stops here", "prove the program in parts", span, {"moves": most}
        )  # fmt: skip
        self.ended = True

    # -- findings ---------------------------------------------------------------------------------------------------------

    def find(
        self,
        code: str,
        block: Block,
        message: str,
        remedy: str,
        span: tuple[int, int],
        evidence: Evidence | None = None,
        *,
        raised: Severity | None = None,
    ) -> None:
        """Note a finding; the same one at the same place, met again in a loop, is no second one."""
        self.find_at(code, self.line(block), message, remedy, span, evidence, raised=raised)

    def find_at(
        self,
        code: str,
        line: int,
        message: str,
        remedy: str,
        span: tuple[int, int],
        evidence: Evidence | None = None,
        *,
        raised: Severity | None = None,
    ) -> None:
        """A finding at a line of the main program."""
        inside = self.flow.inside
        key = (code, line, span[0], message if inside or code == "syntax" else "")
        if key in self.told:
            return
        self.told.add(key)
        self.keys.append(key)
        if inside:
            message, span = f"{message} (in {inside})", (0, 1)
        self.findings.append(
            Finding(
                code=code,
                line=line,
                message=message,
                remedy=remedy,
                column=span[0] + 1,
                end_column=span[1] + 1,
                tool=self.modal.tool or None,
                evidence=evidence or {},
                move=len(self.moves),
                raised=raised,
            )
        )

    def find_word(
        self,
        code: str,
        block: Block,
        word: Word,
        message: str,
        remedy: str,
        evidence: Evidence | None = None,
        *,
        raised: Severity | None = None,
    ) -> None:
        """A finding at a word."""
        self.find(code, block, message, remedy, (word.start, word.end), evidence, raised=raised)

    def find_span(
        self, code: str, b: BlockWords, word: Word | None, message: str, remedy: str, evidence: Evidence | None = None
    ) -> None:
        """A finding at a word, or at the block's first word where it has none."""
        first = word or b.block.words[0]
        self.find(code, b.block, message, remedy, (first.start, first.end), evidence)
