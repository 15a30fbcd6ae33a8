"""Playing the tape: moves the document's moment along with the clock."""

from __future__ import annotations

from PySide6.QtCore import QElapsedTimer, QObject, QTimer, Signal

from underglass.app.document import Document

SPEEDS = (0.25, 0.5, 1.0, 2.0, 4.0, 8.0, 16.0, 32.0, 64.0)
_TICK_MS = 33


class Player(QObject):
    """Forwards or backwards at a speed; stops at either end."""

    changed = Signal()

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.direction = 0
        self.speed = 8.0
        self.loop: tuple[float, float] | None = None
        """The stretch that is played over and over, s."""
        self._clock = QElapsedTimer()
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)
        document.job_changed.connect(self.stop)

    @property
    def playing(self) -> bool:
        return self.direction != 0

    def play(self, direction: int = 1) -> None:
        """Start, or turn round. From the end it starts anew."""
        proof = self._document.proof
        if proof is None or proof.timing.total <= 0.0:
            return
        if direction > 0 and self._document.moment >= proof.timing.total:
            self._document.set_moment(0.0)
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
        """Times real time, from the list of speeds."""
        if speed != self.speed:
            self.speed = speed
            self.changed.emit()

    def shuttle(self, direction: int) -> None:
        """Play that way; already playing that way: twice as fast."""
        if self.direction == direction:
            k = SPEEDS.index(self.speed)
            self.set_speed(SPEEDS[min(k + 1, len(SPEEDS) - 1)])
        else:
            self.play(direction)

    def _tick(self) -> None:
        proof = self._document.proof
        if proof is None:
            self.stop()
            return
        # A slow picture must not make the tape jump by seconds at once.
        spent = min(self._clock.restart(), 250) / 1000.0
        moment = self._document.moment + self.direction * self.speed * spent
        self._document.set_moment(moment)
        if moment >= proof.timing.total or moment <= 0.0:
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
