"""The simulated control: blocks in, moves and findings out.

Works through a block in the order of NISTIR 6556 table 8 (from memory), never stops at an error, and holds its place
in machine coordinates, so that a change of work offset or length register moves nothing by itself.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import numpy as np

from underglass.core.bench.machine import Machine
from underglass.core.control import again, calls, compensated, motion, settings, takeover, technology, threading, unused
from underglass.core.control.block_words import BlockWords, in_other_words
from underglass.core.control.compensate import Compensator
from underglass.core.control.cycles import CycleData
from underglass.core.control.flow import Flow, Library
from underglass.core.control.modal import Modal
from underglass.core.control.motions import Event, Kind, MotionBuilder, OffsetUse, RegisterUse
from underglass.core.control.places import axis_by_axis
from underglass.core.control.profile import ControlProfile
from underglass.core.control.run import Checkpoint, FindingKey, Memory, Run
from underglass.core.control.state import AtStop, LengthWay, Registers, Start, Switches, Vector
from underglass.core.control.stretch import Stretch
from underglass.core.control.transform import Transform
from underglass.core.errors import Cancelled
from underglass.core.finding import Evidence, Finding, Severity
from underglass.core.language import writing
from underglass.core.language.block import Block, Word
from underglass.core.tolerances import TOLERANCES
from underglass.core.units import MM_PER_INCH, show_length

_CHECK_EVERY = 500
_CALLS = {("M", 98.0), ("M", 99.0), ("G", 65.0)}
_CALL_NUMBERS = {98.0, 99.0, 65.0}
_NOWHERE = (math.nan, math.nan, math.nan)


class Control:
    """A control with its registers, standing at machine home, in the profile's power-on state.

    The modules ``motion`` and ``settings`` work on it: ``modal`` is its memory, ``at`` its place in machine coordinates.
    """

    def __init__(
        self,
        profile: ControlProfile,
        machine: Machine,
        registers: Registers,
        switches: Switches | None = None,
        library: Library = lambda _number: None,
        start: Start | None = None,
        touch: threading.Touch = lambda _start, _end, _tool: None,
        at_stops: Iterable[AtStop] = (),
        way: LengthWay = LengthWay(),  # noqa: B008
    ) -> None:
        self.profile = profile
        self.machine = machine
        self.work_offsets = dict(registers.work)
        self.length_registers = dict(registers.length)
        self.radius_registers = dict(registers.radius)
        self.length_wear = dict(registers.length_wear)
        self.radius_wear = dict(registers.radius_wear)
        self.way = way
        self.modal = Modal(profile)
        self.at: Vector = machine.home
        self.cycle = CycleData()
        self.moves = MotionBuilder()
        self.findings: list[Finding] = []
        self.events: list[Event] = []
        self._switches = switches or Switches()
        self._library = library
        self._at_stops = tuple(at_stops)
        self.stops_met = 0
        self.touch = touch
        self.flow = Flow("", (), library, profile.limits)
        self.keys: list[FindingKey] = []
        self.told: set[FindingKey] = set()
        self.reached = np.zeros(1, dtype=np.bool_)
        self.checkpoints: list[Checkpoint] = []
        self.lengths: list[RegisterUse] = []
        self.offsets: list[OffsetUse] = []
        self.radii: list[RegisterUse] = []
        self.comp: Compensator | None = None
        self.comp_line = 0
        self.comp_plane = 17
        self.stretches: list[Stretch] = []
        self.real: Vector = machine.home
        self._state = -1
        self.z_judged = True
        self.offset_judged = False
        self.feed_missing_told = False
        self.cycle_line = 0
        self.units_stated = False
        self.stated: frozenset[str] = frozenset()
        self.inherited: frozenset[str] | None = None
        self.points = False
        self.pointless: tuple[Word, int, float] | None = None
        self.ended = False
        self.work_done = 0
        self.fast_told = (0.0, 0.0)
        self._cancelled: Callable[[], bool] = lambda: False
        self.left_over: Transform | None = None
        takeover.take_over(self, start or Start())

    # -- the run -------------------------------------------------------------------------------------------------------

    def run(
        self,
        lines: Iterable[str],
        cancelled: Callable[[], bool] = lambda: False,
        name: str = "",
        old: Run | None = None,
    ) -> Run:
        """Work through a program's lines. Raises ``Cancelled`` when told to stop.

        ``old``: a run of the program as it was before an edit, by a control that began in the same state: only what the
        edit changes is done again.
        """
        text = tuple(lines)
        self._cancelled = cancelled
        plan = again.plan(old, text, self._library)
        self.flow = flow = Flow(name, text, self._library, self.profile.limits)
        self.reached = np.zeros(len(text) + 1, dtype=np.bool_)
        if plan is not None:
            again.begin(self, flow, plan)
        end: Checkpoint | None = None
        count, due = 0, 0
        while not self.ended:
            if plan is not None and flow.at in plan.ends:
                end = again.meets(self, flow, plan)
                if end is not None:
                    break
            if count >= due and self.comp is None and flow.at_top and flow.at < len(text):
                self.checkpoints.append(again.take(self, flow))
                due = count + again.KEEP_EVERY
            block = flow.step()
            if block is None:
                break
            self.reached[flow.main_line] = True
            count += 1
            if count % _CHECK_EVERY == 0 and cancelled():
                raise Cancelled
            self.do(block)
            if flow.jumps or not flow.at_top:
                self.work(block)
            if len(self.moves) > self.profile.limits.moves:
                self.too_many_moves(block)
        if end is None:
            compensated.end(self)
            self._tell_mixed_numbers()
            lowest, jumps, last = flow.lowest, flow.jumps, max(flow.main_line, 1)
        else:
            assert plan is not None
            again.take_over(self, flow, plan, end)
            memory = plan.memory
            lowest, jumps, last = memory.lowest_at_end + plan.delta, memory.jumps, plan.old.last_line + plan.delta
            if end.at >= len(memory.lines):
                last = max(flow.main_line, 1)
            self.ended, self.units_stated, self.inherited = plan.old.ended, plan.old.units_stated, plan.old.inherited
        motions = (
            self.moves.build(self.events, self.lengths, self.offsets, self.radii)
            if plan is None
            else again.join(self, plan, end)
        )
        self.reached.setflags(write=False)
        outside = {**flow.outside, **(plan.memory.outside if plan is not None else {})}
        return Run(
            motions,
            tuple(self.findings),
            self.ended,
            last,
            self.units_stated,
            self.inherited or frozenset(),
            tuple(self.stretches),
            self.reached,
            Memory(
                text,
                tuple(self.checkpoints),
                tuple(self.keys),
                jumps,
                lowest,
                outside,
                plan.memory.first_mark if plan is not None else next((k for k, t in enumerate(text) if "%" in t), -1),
            ),
        )

    def stand_before(self, lines: Iterable[str], line: int, name: str = "", old: Run | None = None) -> bool:
        """Work up to where a line would be run for the first time; False where the program never comes to it.

        ``old``: a run of the same lines from the same beginning, from whose checkpoints the way is shorter.
        """
        text = tuple(lines)
        plan = again.plan(old, text, self._library)
        self.flow = flow = Flow(name, text, self._library, self.profile.limits)
        self.reached = np.zeros(len(text) + 1, dtype=np.bool_)
        if plan is not None:
            plan = again.only_before(plan, line)
            again.begin(self, flow, plan)
        while not self.ended and not flow.comes_to(line):
            block = flow.step()
            if block is None:
                return False
            self.do(block)
        return not self.ended

    def work(self, block: Block, pecks: int = 0) -> bool:
        """One more block or move that the text does not spell out: of a loop, a call, a cycle's pecks and repeats.

        False, and the run ended with a finding, where that has become more than the profile allows; ``pecks`` is how many
        this hole has had. Raises ``Cancelled``.
        """
        limits = self.profile.limits
        self.work_done += 1
        if self.work_done % _CHECK_EVERY == 0 and self._cancelled():
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

    def do(self, block: Block) -> None:
        """Carry out one block."""
        for problem in block.problems:
            self.find("syntax", block, problem.message, problem.remedy, (problem.start, problem.end))
        if block.remarks:
            technology.judge_remarks(self, block)
        if block.skip and self._switches.skips(block.skip):
            return
        if block.arithmetic:
            worked_out = calls.work_out(self, block)
            if worked_out is None:
                return
            block = worked_out
        if not block.words:
            return
        if self.profile.same_as:
            block = in_other_words(block, self.profile.same_as)
        for word in block.words:
            if (word.value in _CALL_NUMBERS and (word.letter, word.value) in _CALLS) or (
                word.letter == "M" and word.value == self.profile.local_call
            ):
                calls.call(self, block, word)
                return
        words = BlockWords(
            block, self.profile, lambda code, word, message, remedy: self.find_word(code, block, word, message, remedy)
        )
        comp, elements = self.comp, self.comp.elements if self.comp is not None else 0
        technology.set_technology(self, words)
        if words.g and not (len(words.g) == 1 and "motion" in words.g):
            settings.set_modes(self, words)
        if "D" in words.letters and "radius compensation" not in words.g:
            settings.set_radius_number(self, words)
        if "H" in words.letters or "length compensation" in words.g:
            settings.set_length(self, words)
        if "non-modal" not in words.g or not settings.non_modal(self, words):
            motion.move(self, words)
        unused.tell(self, words)
        if words.m:
            self._end_of_block(words)
        if comp is None or self.comp is not comp or comp.elements != elements:
            return
        if any(w.letter not in "NO" for w in block.words):
            comp.idle_block(block)

    def line(self, block: Block) -> int:
        """The main program's line that a block belongs to."""
        return self.flow.main_line or block.line

    # -- technology ----------------------------------------------------------------------------------------------------

    def length(self, value: float) -> float:
        """A programmed length in mm."""
        return value * MM_PER_INCH if self.modal.units == "inch" else value

    def rate(self, feed: float) -> str:
        """A feed, mm/min, in the program's own unit."""
        return writing.feed_in_words(feed, self.modal.units)

    def said(self, value: float, *, sign: bool = False) -> str:
        """A length, mm, in the program's own unit."""
        return f"{show_length(value, self.modal.units, sign=sign)} {self.modal.units}"

    def changed(self) -> None:
        """Something in force is not what it was."""
        self._state = -1

    def _tell_mixed_numbers(self) -> None:
        if not self.points or self.pointless is None:
            return
        word, line, increment = self.pointless
        self.find_at(
            "number-no-decimal",
            line,
            f"{word.text.upper()} has no decimal point: this control takes it as {word.value * increment:g} {self.modal.units}, "
            "while other numbers of the program are written with one",
            "write the point, as in X10., or make sure that increments are meant",
            (word.start, word.end),
            {"counts_as": word.value * increment},
        )

    def set_spindle(self, way: str) -> None:
        self.modal.spindle = "clockwise" if way == "clockwise" else "off" if way == "off" else "counter-clockwise"
        self._state = -1

    def left_on(self, block: Block, word: Word, where: str) -> None:
        """What should have been switched off before a tool change or the end."""
        m = self.modal
        # What the block itself ends is ended, though the tool change comes first in the order of a block.
        ends = {w.value for w in block.words if w.letter == "G"}
        if m.motion in self.profile.cycle_by_name and not ends & {0.0, 1.0, 2.0, 3.0, 80.0}:
            self.find_word(
                "cycle-left-on",
                block,
                word,
                f"{m.motion} is still in force at {where}",
                "write G80 after the cycle's last hole",
                {"cycle": m.motion, "switched_on_line": self.cycle_line},
            )
        if 40.0 not in ends:
            compensated.left_on(self, block, word, where)
        left = m.mapping.transform.left_on
        if left and not ends & {69.0, 50.0, 50.1}:
            self.find_word(
                "rotation-left-on",
                block,
                word,
                f"{' and '.join(left)} {'is' if len(left) == 1 else 'are'} still in force at {where}",
                "cancel it with G69, G50, G50.1 or G52 X0 Y0 Z0 where it is no longer wanted",
                {"write": " ".join(m.mapping.transform.cancelled_by)},
            )

    # -- what places are measured from -----------------------------------------------------------------------------------

    def use_offset(self, name: str) -> None:
        m = self.modal
        m.offset = name
        x, y, z = self.work_offsets.get(name, (0.0, 0.0, 0.0))
        m.shift = (x, y, z + self.way.touched.get(m.tool, 0.0))
        self.offset_judged = False
        self._state = -1

    def length_changed(self) -> None:
        """Another length register is in force: the next Z move is judged under it."""
        self.z_judged = False
        self._state = -1

    def cycle_begins(self, block: Block) -> None:
        self.cycle_line = self.line(block)

    def judge_z(self, b: BlockWords) -> None:
        """Remember, once for each tool and register, under which length register Z first moves."""
        m = self.modal
        if self.z_judged or not m.tool:
            return
        self.z_judged = True
        if m.h_number is None:
            if not self.way.needs_offset(m.tool):
                return
            self.find_span(
                "length-offset-missing",
                b,
                b.letters.get("Z"),
                f"Z moves with tool {m.tool} and no length offset in force",
                f"write G43 H{m.tool} with the first Z move after the tool change",
                {"tool": m.tool},
            )
            return
        line, column, end_column = m.h_word
        self.lengths.append(
            RegisterUse(line, column, end_column, m.h_number, m.h_value, m.tool, len(self.moves), m.h_sign)
        )

    def check_feed(self, b: BlockWords) -> None:
        """Complain, once until F comes, about a cutting move without a feed."""
        m = self.modal
        if m.feed_mode == "G95" and m.feed > 0.0 and not m.turning:
            self.find_span(
                "turn-feed-stopped",
                b,
                b.g_word("motion"),
                "G95 feeds by the turn, but the spindle stands: the machine would wait for ever",
                "start the spindle with S and M3, or feed by the minute with G94",
            )
        if m.feed_mode == "G95" and m.feed * m.speed > self.machine.feed_max + 1e-6:
            self._tell_fast(b, m.feed * m.speed, f"F at S{m.speed:g} comes to")
        if m.feed > 0.0 or self.feed_missing_told:
            return
        self.feed_missing_told = True
        word = b.letters.get("F") or b.g_word("motion")
        why = "F is zero" if "F" in b.letters else "no F has been given"
        if m.feed_mode == "G93":
            why = "with G93 every block needs its own F"
            self.feed_missing_told = False
        self.find_span(
            "feed-missing",
            b,
            word,
            f"{m.motion} cuts with no feed: {why}",
            "write F and the feed a minute in this block or before it",
        )

    def _tell_fast(self, b: BlockWords, feed: float, said: str) -> None:
        """Once for each feed and speed: a feed by the turn that the machine cannot make."""
        m = self.modal
        if self.fast_told == (m.feed, m.speed):
            return
        self.fast_told = (m.feed, m.speed)
        self.find_span(
            "over-feed",
            b,
            b.letters.get("F") or b.g_word("motion"),
            f"{said} {self.rate(feed)}, more than the machine's highest feed, {self.rate(self.machine.feed_max)}",
            "lower F or S",
            {
                "feed_mm_min": feed,
                "highest_mm_min": self.machine.feed_max,
                "write": writing.feed_word(self.machine.feed_max, m.units, m.feed_mode, m.speed, down=True),
            },
        )

    def feed_of(self, length: float) -> float:
        """The feed in force as mm/min, for a move of this length."""
        m = self.modal
        if m.feed_mode == "G95":
            return m.feed * m.speed
        return m.feed * length if m.feed_mode == "G93" else m.feed

    # -- moves -----------------------------------------------------------------------------------------------------------

    def in_force(self) -> int:
        if self._state < 0:
            self._state = self.moves.state_index(self.modal.freeze())
        return self._state

    def go(
        self,
        kind: Kind,
        block: Block,
        end: Vector,
        feed: float,
        centre: Vector = _NOWHERE,
        sweep: float = 0.0,
        machine: bool = False,
    ) -> None:
        """Make a move to a place in machine coordinates. ``machine``: it was given in machine coordinates."""
        start = self.at
        real_end = end
        if self.comp is None and self.real != start:
            # With compensation just ended the machine stands beside the place where the program believes it to be.
            real_end = compensated.with_offset_left(self, block, start, end)
        nothing = TOLERANCES.length_of_nothing_mm
        if sweep == 0.0 and math.dist(start, end) <= nothing and math.dist(self.real, real_end) <= nothing:
            return
        if not machine:
            if self.left_over is not None:
                takeover.judge(self, block)
            if self.inherited is None:
                self.inherited = takeover.RELIED_ON - self.stated
        line = self.flow.main_line or block.line
        self.at = end
        if self.comp is not None:
            compensated.go(self, self.comp, kind, block, start, end, feed, centre, sweep)
            return
        real, self.real = self.real, real_end
        if sweep == 0.0 and math.dist(real, real_end) <= nothing:
            return
        move = len(self.moves)
        if kind in (Kind.RAPID, Kind.CYCLE_RAPID) and self.profile.rapids == "axes":
            for place in axis_by_axis(real, real_end, self.machine.rapid):
                self.moves.add(line, kind, self.in_force(), real, place, feed, plane=self.modal.plane)
                real = place
        else:
            self.moves.add(line, kind, self.in_force(), real, real_end, feed, centre, sweep, self.modal.plane)
        if not self.offset_judged and not machine:
            self.offset_judged = True
            self.offsets.append(OffsetUse(line, self.modal.offset, self.modal.shift, move))

    def wait(self, block: Block, seconds: float) -> None:
        """A dwell."""
        if seconds <= 0.0:
            return
        line, state = self.flow.main_line or block.line, self.in_force()

        def happens() -> None:
            self.moves.add(line, Kind.DWELL, state, self.real, self.real, math.nan, dwell=seconds)

        if self.comp is not None:
            self.comp.aside(happens)
        else:
            happens()

    # -- end of the block --------------------------------------------------------------------------------------------------

    def _end_of_block(self, b: BlockWords) -> None:
        if self.profile.stop_words == "block-end":
            if b.m.get("spindle", (0,))[0] in (5, 19):
                self.set_spindle("off")
            if b.m.get("coolant", (0,))[0] == 9:
                self.modal.coolant = False
                self._state = -1
        if "stop" not in b.m:
            return
        code, word = b.m["stop"]
        if code in (0, 1, 60):
            self.stops_met += 1
            if code != 1 or self._switches.optional_stop:
                for told in self._at_stops:
                    if told.stop == self.stops_met:
                        settings.correct(self, told)
        at = (self.line(b.block), len(self.moves), self.modal.tool, word.start + 1, word.end + 1)
        if code in (0, 60):
            self._event(Event("stop", *at, self.stops_met))
        elif code == 1:
            if self._switches.optional_stop:
                self._event(Event("optional-stop", *at, self.stops_met))
        else:
            self.finish(b.block, word)

    def _event(self, event: Event) -> None:
        """Something that happens after the moves made so far; with compensation on, after the one that still waits."""
        if self.comp is None:
            self.events.append(event)
        else:
            self.comp.aside(lambda: self.events.append(event._replace(before=len(self.moves))))

    def finish(self, block: Block, word: Word) -> None:
        self.left_on(block, word, "the program's end")
        wanted = self.profile.end_words
        if word.letter == "M" and word.value in (2.0, 30.0) and word.value not in wanted:
            said = " or ".join(f"M{code}" for code in wanted)
            self.find_word(
                "end-missing", block, word, f"this control wants a program to end with {said}, not with {word.text.upper()}",
                f"write {said} as the last block",
            )  # fmt: skip
        compensated.end(self)
        line = self.line(block)
        self.events.append(Event("end", line, len(self.moves), self.modal.tool, word.start + 1, word.end + 1))
        self.ended = True

    # -- findings ----------------------------------------------------------------------------------------------------------

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
                code,
                line,
                message,
                remedy,
                span[0] + 1,
                span[1] + 1,
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
