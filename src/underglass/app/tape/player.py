"""Playing the tape: moves the document's moment along with the clock, and holds where it is told to."""

from __future__ import annotations

import math

from PySide6.QtCore import QElapsedTimer, QObject, QTimer, Signal

from underglass.app.commands import Command
from underglass.app.document import Document
from underglass.core.proof.halts import Halts, halts, said
from underglass.core.proof.operations import Operation

SPEEDS = (0.25, 0.5, 1.0, 2.0, 4.0, 8.0, 16.0, 32.0, 64.0)
BLOCK_A_PRESS, FASTEST = 0.0, math.inf
_TICK_MS = 33
_FASTEST_TICKS = 150
"""At its fastest a whole program, however long, is played in so many pictures."""


class Player(QObject):
    """Forwards or backwards at a speed; stops at either end, or goes round in a loop."""

    changed = Signal()
    held = Signal(str)
    """Why it stopped where it did, in words."""

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.direction = 0
        self.speed = 8.0
        self.loop: tuple[float, float] | None = None
        """The stretch that is played over and over, s."""
        self.alone: Operation | None = None
        """The operation that is cut by itself, on fresh stock."""
        self.halts: frozenset[str] = frozenset()
        self.depth = 0.0
        """Real tip's height for the halt at a depth, mm."""
        self._halt_line = 0
        self._halts: Halts | None = None
        self._halts_for: tuple[object, ...] = ()
        self._clock = QElapsedTimer()
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)
        document.job_changed.connect(self._on_job_changed)

    def _on_job_changed(self) -> None:
        self.stop()
        self.loop, self.alone = None, None
        self.changed.emit()

    @property
    def playing(self) -> bool:
        return self.direction != 0

    @property
    def bounds(self) -> tuple[float, float]:
        """From where to where it plays, s."""
        if self.loop is not None:
            return self.loop
        if self.alone is not None:
            return (self.alone.start_s, self.alone.end_s)
        proof = self._document.proof
        return (0.0, proof.timing.total if proof is not None else 0.0)

    def play(self, direction: int = 1) -> None:
        """Start, or turn round. From the end it starts anew."""
        proof = self._document.proof
        if proof is None or proof.timing.total <= 0.0:
            return
        if self.speed == BLOCK_A_PRESS:
            self.step_block(direction)
            return
        begin, end = self.bounds
        moment = self._document.moment
        if direction > 0 and not begin - 1e-9 <= moment < end - 1e-9:
            self._document.set_moment(begin)
        elif direction < 0 and not begin + 1e-9 < moment <= end + 1e-9:
            self._document.set_moment(end)
        self.direction = direction
        self._clock.restart()
        self._timer.start()
        self.changed.emit()

    def stop(self) -> None:
        if self.direction:
            self.direction = 0
            self._timer.stop()
            self.changed.emit()

    def toggle(self) -> None:
        if self.playing:
            self.stop()
        else:
            self.play()

    def set_speed(self, speed: float) -> None:
        """Times real time, from the list of speeds; or a block a press, or the fastest."""
        if speed != self.speed:
            self.speed = speed
            if speed == BLOCK_A_PRESS:
                self.stop()
            self.changed.emit()

    def set_loop(self, loop: tuple[float, float] | None) -> None:
        """Play this stretch over and over; None: no longer."""
        self.loop = loop if loop is None or loop[1] > loop[0] else None
        self.changed.emit()

    def set_halt(self, kind: str, on: bool) -> None:
        """Hold at this kind of place, or no longer."""
        self.halts = self.halts | {kind} if on else self.halts - {kind}
        self.changed.emit()

    def shuttle(self, direction: int) -> None:
        """Play that way; already playing that way: twice as fast, and in the end as fast as can be."""
        if self.speed == BLOCK_A_PRESS:
            self.step_block(direction)
        elif self.direction == direction:
            faster = [s for s in SPEEDS if s > self.speed]
            self.set_speed(faster[0] if faster else FASTEST)
        else:
            self.play(direction)

    def _halts_now(self) -> Halts:
        """Worked out once for each proof and choice. The line is the one chosen last by hand: playing does not move it."""
        proof = self._document.proof
        assert proof is not None
        asked = (proof, self.halts, self._halt_line, self.depth)
        known = self._halts_for
        if self._halts is None or known[0] is not proof or known[1:] != asked[1:]:
            self._halts = halts(proof, self.halts, self._halt_line, self.depth)
            self._halts_for = asked
        return self._halts

    def mark_line(self, line: int) -> None:
        """The line at which to hold, where that is asked for."""
        self._halt_line = line

    def _tick(self) -> None:
        proof = self._document.proof
        if proof is None:
            self.stop()
            return
        # A slow picture must not make the tape jump by seconds at once.
        spent = min(self._clock.restart(), 250) / 1000.0
        if self.speed == FASTEST:
            step = max(proof.timing.total / _FASTEST_TICKS, 64.0 * spent)
        else:
            step = self.speed * spent
        self.advance(self.direction * step)

    def advance(self, by: float) -> None:
        """Go on by so many seconds of the run, unless there is something to hold at before."""
        proof = self._document.proof
        if proof is None:
            return
        here = self._document.moment
        begin, end = self.bounds
        there = min(max(here + by, begin), end)
        halt = self._halts_now().between(here, there) if self.halts else None
        if halt is not None:
            self.stop()
            self._document.set_moment(halt[0])
            self.held.emit(said(proof, halt[0], halt[1], self._document.units, self.depth))
            return
        self._document.set_moment(there)
        if (by > 0 and there >= end) or (by < 0 and there <= begin):
            if self.loop is not None:
                self._document.set_moment(begin if by > 0 else end)
            else:
                self.stop()

    # -- steps -----------------------------------------------------------------------------------------------------

    def step_block(self, direction: int) -> None:
        """To the end of the block being run, or back to its start."""
        proof = self._document.proof
        if proof is None or not len(proof.motions):
            return
        self.stop()
        lines, timing = proof.motions.line, proof.timing
        here = self._document.moment
        move, share = timing.locate(here)
        tiny = 1e-9
        if direction > 0:
            if share >= 1.0 and move + 1 < len(lines):
                move += 1
            while move + 1 < len(lines) and lines[move + 1] == lines[move]:
                move += 1
            self._document.set_moment(timing.end_of(move))
        else:
            if share <= tiny and move > 0:
                move -= 1
            while move > 0 and lines[move - 1] == lines[move]:
                move -= 1
            before = timing.end_of(move - 1) if move > 0 else 0.0
            self._document.set_moment(before)

    def step_event(self, direction: int) -> None:
        """To the next (or last) tool change, stop or end of the program."""
        proof = self._document.proof
        if proof is None:
            return
        self.stop()
        moments = sorted({0.0, proof.timing.total, *proof.timing.events.tolist(), *(s.start_s for s in proof.segments)})
        here = self._document.moment
        if direction > 0:
            target = next((m for m in moments if m > here + 1e-6), proof.timing.total)
        else:
            target = next((m for m in reversed(moments) if m < here - 1e-6), 0.0)
        self._document.set_moment(target)

    def step_halt(self, direction: int) -> None:
        """To the next (or last) place of the kinds that it holds at, without playing the way there."""
        proof = self._document.proof
        if proof is None or not self.halts:
            return
        self.stop()
        begin, end = self.bounds
        here = self._document.moment
        halt = self._halts_now().between(here, end if direction > 0 else begin)
        if halt is None:
            self.held.emit("No more stops in this direction.")
            return
        self._document.set_moment(halt[0])
        self.held.emit(said(proof, halt[0], halt[1], self._document.units, self.depth))

    def commands(self) -> list[Command]:
        return [
            Command("Play or pause", self.toggle, ("Ctrl+Space",)),
            Command("Play backwards, again for faster", lambda: self.shuttle(-1), ("Ctrl+J",)),
            Command("Play forwards, again for faster", lambda: self.shuttle(1), ("Ctrl+L",)),
            Command("On one block", lambda: self.step_block(1), ("Alt+Right",)),
            Command("Back one block", lambda: self.step_block(-1), ("Alt+Left",)),
            Command("On to the next place to hold at", lambda: self.step_halt(1), ("Alt+PgDown",)),
            Command("Back to the last place to hold at", lambda: self.step_halt(-1), ("Alt+PgUp",)),
            Command("On to the next tool change or stop", lambda: self.step_event(1), ("Alt+Shift+Right",)),
            Command("Back to the last tool change or stop", lambda: self.step_event(-1), ("Alt+Shift+Left",)),
        ]
