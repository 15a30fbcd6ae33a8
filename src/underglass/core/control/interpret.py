"""The simulated control: blocks in, moves and findings out.

Works through a block in the order of NISTIR 6556 table 8 (from memory), never stops at an error, and holds its place
in machine coordinates, so that a change of work offset or length register moves nothing by itself.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from underglass.core.bench.machine import Machine
from underglass.core.control import motion, settings
from underglass.core.control.block_words import LENGTH_LETTERS, BlockWords
from underglass.core.control.compensate import Compensator, Element
from underglass.core.control.cycles import CycleData
from underglass.core.control.flow import ARGUMENTS, Flow, FlowStop, Library
from underglass.core.control.modal import Modal
from underglass.core.control.motions import Event, Kind, LengthUse, MotionBuilder, Motions, OffsetUse, RadiusUse
from underglass.core.control.profile import ControlProfile
from underglass.core.control.state import Registers, Start, Switches, Vector
from underglass.core.control.transform import Mapping, Transform
from underglass.core.control.words import CYCLES, g_name
from underglass.core.errors import Cancelled
from underglass.core.finding import Evidence, Finding
from underglass.core.language.block import Block, Word
from underglass.core.language.expression import ExpressionProblem
from underglass.core.tolerances import TOLERANCES
from underglass.core.units import MM_PER_INCH, show_length

_CHECK_EVERY = 2000
_CALLS = {("M", 98.0), ("M", 99.0), ("G", 65.0)}
_CALL_NUMBERS = {98.0, 99.0, 65.0}
_NOWHERE = (math.nan, math.nan, math.nan)


@dataclass(frozen=True, slots=True)
class Run:
    """What the control made of a program: moves, findings of its own, and whether the program came to its end."""

    motions: Motions
    findings: tuple[Finding, ...]
    ended: bool
    last_line: int


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
    ) -> None:
        self.profile = profile
        self.machine = machine
        self.work = dict(registers.work)
        self.length_registers = dict(registers.length)
        self.radius_registers = dict(registers.radius)
        self.modal = Modal(profile)
        self.at: Vector = machine.home
        self.cycle = CycleData()
        self.moves = MotionBuilder()
        self.findings: list[Finding] = []
        self.events: list[Event] = []
        self._switches = switches or Switches()
        self._library = library
        self._flow = Flow("", (), library, profile.limits)
        self._told: set[tuple[str, int, int, str]] = set()
        self._lengths: list[LengthUse] = []
        self._offsets: list[OffsetUse] = []
        self.radii: list[RadiusUse] = []
        self.comp: Compensator | None = None
        self._comp_line = 0
        self._real: Vector = machine.home
        self._state = -1
        self._z_judged = True
        self._offset_judged = False
        self._feed_missing_told = False
        self._cycle_line = 0
        self._points = False
        self._pointless: tuple[Block, Word, int, float] | None = None
        self._ended = False
        self._left_over: Transform | None = None
        self._take_over(start or Start())
        self.use_offset(self.modal.offset)

    def _take_over(self, start: Start) -> None:
        """The state that the last job left."""
        m = self.modal
        m.units = start.units or m.units
        m.absolute = m.absolute if start.distance is None else start.distance == "G90"
        m.offset = start.offset or m.offset
        if start.rotation or start.shift != (0.0, 0.0, 0.0):
            self._left_over = Transform(angle=start.rotation, preset=start.shift)
            m.mapping = Mapping(self._left_over)

    def _judge_left_over(self, block: Block) -> None:
        """Tell, once, that a move is made under a shift or rotation that the program did not ask for."""
        left = self._left_over
        self._left_over = None
        if left is None:
            return
        transform = self.modal.mapping.transform
        parts = []
        if left.preset != (0.0, 0.0, 0.0) and transform.preset == left.preset:
            said = ", ".join(f"{a} {show_length(v, 'mm', sign=True)} mm" for a, v in zip("XYZ", left.preset) if v)
            parts.append(f"a shift of {said} (cancel it with G92.1)")
        if left.angle and transform.angle == left.angle and transform.pivot == left.pivot:
            parts.append(f"a rotation by {math.degrees(left.angle):g} degrees (cancel it with G69)")
        if parts:
            self.find(
                "shift-left-over",
                block,
                f"this move is made under {' and '.join(parts)} that the job before left in the control",
                "cancel it in the program's safe line, or on the control",
                (block.words[0].start, block.words[0].end) if block.words else (0, 1),
                {
                    "x_mm": left.preset[0],
                    "y_mm": left.preset[1],
                    "z_mm": left.preset[2],
                    "degrees": math.degrees(left.angle),
                },
            )

    # -- the run -------------------------------------------------------------------------------------------------------

    def run(self, lines: Iterable[str], cancelled: Callable[[], bool] = lambda: False, name: str = "") -> Run:
        """Work through a program's lines. Raises ``Cancelled`` when told to stop."""
        text = lines if isinstance(lines, (tuple, list)) else tuple(lines)
        self._flow = flow = Flow(name, text, self._library, self.profile.limits)
        count = 0
        while not self._ended:
            block = flow.step()
            if block is None:
                break
            count += 1
            if count % _CHECK_EVERY == 0 and cancelled():
                raise Cancelled
            self.do(block)
        self.end_compensation()
        self._tell_mixed_numbers()
        return Run(
            self.moves.build(self.events, self._lengths, self._offsets, self.radii),
            tuple(self.findings),
            self._ended,
            max(flow.main_line, 1),
        )

    def do(self, block: Block) -> None:
        """Carry out one block."""
        for problem in block.problems:
            self.find("syntax", block, problem.message, problem.remedy, (problem.start, problem.end))
        if block.skip and self._switches.block_skip:
            return
        if block.arithmetic:
            worked_out = self._work_out(block)
            if worked_out is None:
                return
            block = worked_out
        if not block.words:
            return
        for word in block.words:
            if word.value in _CALL_NUMBERS and (word.letter, word.value) in _CALLS:
                self._call(block, word)
                return
        words = BlockWords(
            block, lambda code, word, message, remedy: self.find_word(code, block, word, message, remedy)
        )
        self._technology(words)
        if words.g and not (len(words.g) == 1 and "motion" in words.g):
            settings.set_modes(self, words)
        if "H" in words.letters or "length compensation" in words.g:
            settings.set_length(self, words)
        if "non-modal" not in words.g or not settings.non_modal(self, words):
            motion.move(self, words)
        if words.m:
            self._end_of_block(words)
        if self.comp is not None:
            self.comp.idle_block(block)

    # -- variables, jumps, subprograms -------------------------------------------------------------------------------

    def _work_out(self, block: Block) -> Block | None:
        """The block with its values worked out and its variables set; None where nothing of it is left to run."""
        flow = self._flow
        try:
            if block.flow is not None and not flow.decide(block):
                return None
            words = tuple(w if w.node is None else w._replace(value=flow.value(w.node), node=None) for w in block.words)
            flow.assign(block)
        except ExpressionProblem as problem:
            self.find(
                "syntax", block, problem.message, "check the variables in this block", (problem.start, problem.end)
            )
            return None
        except FlowStop as stop:
            span = (block.flow.start, block.flow.end) if block.flow else (0, 1)
            self._stop_here(block, stop, span)
            return None
        return replace(block, words=words, assignments=(), flow=None, arithmetic=False)

    def _call(self, block: Block, call: Word) -> None:
        """M98, M99 and G65. What else stands in an M98 or M99 block is carried out first."""
        flow = self._flow
        letters = {w.letter: w for w in block.words}
        number, times = letters.get("P"), letters.get("L")
        try:
            if call.value == 99.0:
                self._rest(block, call, "PN")
                if not flow.come_back(int(number.value) if number else None):
                    self._end(block, call)
                return
            if number is None or number.value != int(number.value) or number.value < 0:
                message = f"{call.text.upper()} needs P and the subprogram's number"
                self.find_word("syntax", block, number or call, message, "write P and a whole number")
                return
            repeats = int(times.value) if times is not None else 1
            if call.letter == "G":
                given = {ARGUMENTS[w.letter]: w.value for w in block.words if w.letter in ARGUMENTS}
                flow.call(int(number.value), repeats, given)
                return
            self._rest(block, call, "PLN")
            flow.call(int(number.value), repeats)
        except FlowStop as stop:
            word = number or call
            self._stop_here(block, stop, (word.start, word.end))

    def _rest(self, block: Block, call: Word, without: str) -> None:
        rest = tuple(w for w in block.words if w is not call and w.letter not in without)
        if rest:
            self.do(replace(block, words=rest, problems=()))

    def _stop_here(self, block: Block, stop: FlowStop, span: tuple[int, int]) -> None:
        self.find(stop.code, block, stop.message, stop.remedy, span)
        if stop.code == "loop-runaway":
            # It has been said; that the end was not reached is no second cause.
            self._ended = True

    def line(self, block: Block) -> int:
        """The main program's line that a block belongs to."""
        return self._flow.main_line or block.line

    # -- technology ----------------------------------------------------------------------------------------------------

    def length(self, value: float) -> float:
        """A programmed length in mm."""
        return value * MM_PER_INCH if self.modal.units == "inch" else value

    def changed(self) -> None:
        """Something in force is not what it was."""
        self._state = -1

    def _technology(self, b: BlockWords) -> None:
        """Units, feed mode, F, S, T, tool change, spindle, coolant: in that order, before anything moves."""
        m = self.modal
        if b.g:
            if "units" in b.g:
                m.units = "inch" if b.g["units"][0] == 200 else "mm"
                self._state = -1
            if "feed mode" in b.g:
                m.feed_mode = g_name(b.g["feed mode"][0])
                m.feed = 0.0
                self._state = -1
        if self.profile.increment is not None:
            self._count_increments(b, self.profile.increment[m.units])
        letters = b.letters
        if "F" in letters:
            self._set_feed(b, letters["F"])
        elif m.feed_mode == "G93":
            # Inverse time is given anew with every move (NISTIR 6556 section 3.5.19, from memory).
            m.feed = 0.0
        if "S" in letters:
            self._set_speed(b, letters["S"])
        if "T" in letters:
            tool = letters["T"]
            if 0 <= tool.value < 1e6 and tool.value == int(tool.value):
                m.next_tool = int(tool.value)
            else:
                self.find_word(
                    "syntax",
                    b.block,
                    tool,
                    f"{tool.text} is no tool number",
                    "a tool number is a whole number, as in T3",
                )
        if not b.m:
            return
        if "tool change" in b.m:
            self._change_tool(b)
        spindle = b.m.get("spindle")
        if spindle is not None and (spindle[0] not in (5, 19) or self.profile.stop_words == "block-start"):
            self.set_spindle("clockwise" if spindle[0] == 3 else "counter-clockwise" if spindle[0] == 4 else "off")
        coolant = b.m.get("coolant")
        if coolant is not None and (coolant[0] != 9 or self.profile.stop_words == "block-start"):
            m.coolant = coolant[0] != 9
            self._state = -1

    def _count_increments(self, b: BlockWords, increment: float) -> None:
        """Numbers without a point, on a control that counts them in increments; mixing both is found at the end."""
        self._points = self._points or any("." in w.text for x, w in b.letters.items() if x in LENGTH_LETTERS)
        word = b.count_increments(increment)
        if word is not None and self._pointless is None:
            self._pointless = (b.block, word, self.line(b.block), increment)

    def _tell_mixed_numbers(self) -> None:
        if not self._points or self._pointless is None:
            return
        _block, word, line, increment = self._pointless
        self.find_at(
            "number-no-decimal",
            line,
            f"{word.text.upper()} has no decimal point: this control takes it as {word.value * increment:g} {self.modal.units}, "
            "while other numbers of the program are written with one",
            "write the point, as in X10., or make sure that increments are meant",
            (word.start, word.end),
            {"counts_as": word.value * increment},
        )

    def _set_feed(self, b: BlockWords, word: Word) -> None:
        m = self.modal
        m.feed = abs(word.value) if m.feed_mode == "G93" else self.length(abs(word.value))
        self._feed_missing_told = False
        if m.feed_mode == "G94" and m.feed > self.machine.feed_max + 1e-6:
            self.find_word(
                "over-feed",
                b.block,
                word,
                f"{word.text.upper()} is more than the machine's highest feed, {self.machine.feed_max:g} mm/min",
                "give a feed that the machine has",
                {"feed_mm_min": m.feed, "highest_mm_min": self.machine.feed_max},
            )

    def _set_speed(self, b: BlockWords, word: Word) -> None:
        self.modal.speed = abs(word.value)
        self._state = -1
        if self.modal.speed > self.machine.spindle_max + 1e-6:
            self.find_word(
                "over-speed",
                b.block,
                word,
                f"{word.text.upper()} is more than the spindle's highest speed, {self.machine.spindle_max:g} rpm",
                "give a speed that the spindle has",
                {"speed_rpm": self.modal.speed, "highest_rpm": self.machine.spindle_max},
            )

    def set_spindle(self, way: str) -> None:
        self.modal.spindle = "clockwise" if way == "clockwise" else "off" if way == "off" else "counter-clockwise"
        self._state = -1

    def _change_tool(self, b: BlockWords) -> None:
        m = self.modal
        word = b.m["tool change"][1]
        if m.next_tool is None:
            self.find_word(
                "tool-unknown",
                b.block,
                word,
                "M6 changes to no tool: no T word has been given",
                "write the tool's number before or beside M6, as in T1 M6",
            )
            return
        self._left_on(b.block, word, "this tool change")
        self.end_compensation()
        lift = self.machine.tool_change_lift_z
        if lift is not None and self.at[2] < lift:
            self.go(Kind.RAPID, b.block, (self.at[0], self.at[1], lift), math.nan, machine=True)
        column = b.letters.get("T", word)
        line = self.line(b.block)
        self.events.append(Event("tool-change", line, len(self.moves), m.next_tool, column.start + 1, column.end + 1))
        # A tool change stops the spindle on every machine that does it by itself; common practice, no source.
        m.spindle = "off"
        m.tool = m.next_tool
        self._z_judged = False
        if m.h_number is not None:
            m.h_word = (line, word.start + 1, word.end + 1)
        self._state = -1

    def _left_on(self, block: Block, word: Word, where: str) -> None:
        """What should have been switched off before a tool change or the end."""
        m = self.modal
        if m.motion in CYCLES.values():
            self.find_word(
                "cycle-left-on",
                block,
                word,
                f"{m.motion} is still in force at {where}",
                "write G80 after the cycle's last hole",
                {"cycle": m.motion, "switched_on_line": self._cycle_line},
            )
        self.compensation_left_on(block, word, where)
        left = m.mapping.transform.left_on
        if left:
            self.find_word(
                "rotation-left-on",
                block,
                word,
                f"{' and '.join(left)} {'is' if len(left) == 1 else 'are'} still in force at {where}",
                "cancel it with G69, G50, G50.1 or G52 X0 Y0 Z0 where it is no longer wanted",
            )

    # -- what places are measured from -----------------------------------------------------------------------------------

    def use_offset(self, name: str) -> None:
        m = self.modal
        m.offset = name
        m.shift = self.work.get(name, (0.0, 0.0, 0.0))
        self._offset_judged = False
        self._state = -1

    def length_changed(self) -> None:
        """Another length register is in force: the next Z move is judged under it."""
        self._z_judged = False
        self._state = -1

    def cycle_begins(self, block: Block) -> None:
        self._cycle_line = self.line(block)

    def judge_z(self, b: BlockWords) -> None:
        """Remember, once for each tool and register, under which length register Z first moves."""
        m = self.modal
        if self._z_judged or not m.tool:
            return
        self._z_judged = True
        if m.h_number is None:
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
        self._lengths.append(LengthUse(line, column, end_column, m.h_number, m.h_value, m.tool, len(self.moves)))

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
        if m.feed > 0.0 or self._feed_missing_told:
            return
        self._feed_missing_told = True
        word = b.letters.get("F") or b.g_word("motion")
        why = "F is zero" if "F" in b.letters else "no F has been given"
        if m.feed_mode == "G93":
            why = "with G93 every block needs its own F"
            self._feed_missing_told = False
        self.find_span(
            "feed-missing",
            b,
            word,
            f"{m.motion} cuts with no feed: {why}",
            "write F and the feed a minute in this block or before it",
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
        # With compensation just ended the machine may stand beside the place where the program believes it to be.
        waiting = self.comp is None and math.dist(self._real, end) > TOLERANCES.length_of_nothing_mm
        if sweep == 0.0 and not waiting and math.dist(start, end) <= TOLERANCES.length_of_nothing_mm:
            return
        if self._left_over is not None and not machine:
            self._judge_left_over(block)
        line = self._flow.main_line or block.line
        self.at = end
        if self.comp is not None:
            self._go_compensated(self.comp, kind, block, start, end, feed, centre, sweep)
            return
        real, self._real = self._real, end
        move = self.moves.add(line, kind, self.in_force(), real, end, feed, centre, sweep, self.modal.plane)
        if not self._offset_judged and not machine:
            self._offset_judged = True
            self._offsets.append(OffsetUse(line, self.modal.offset, self.modal.shift, move))

    def wait(self, block: Block, seconds: float) -> None:
        """A dwell."""
        if seconds <= 0.0:
            return
        line, state = self._flow.main_line or block.line, self.in_force()

        def happens() -> None:
            self.moves.add(line, Kind.DWELL, state, self._real, self._real, math.nan, dwell=seconds)

        if self.comp is not None:
            self.comp.aside(happens, counts=True)
        else:
            happens()

    # -- radius compensation -----------------------------------------------------------------------------------------------

    def begin_compensation(self, block: Block, side: float, radius: float) -> None:
        """From the next move in the plane on, the centre runs beside the programmed path."""
        self.end_compensation()
        self._comp_line = self.line(block)
        if radius < 0.0:
            side, radius = -side, -radius
        self.comp = Compensator(
            side,
            radius,
            self.profile.corner,
            self.profile.lookahead,
            self.profile.entry_at_least_radius,
            self._emit_compensated,
            self._complain_compensated,
            (self._real[0], self._real[1]),
        )

    def end_compensation(self) -> None:
        """Make what is still waiting, and run on the programmed path from the next move on."""
        if self.comp is not None:
            self.comp.finish()
            self.comp = None
            self.modal.comp = "off"
            self.changed()

    def compensation_left_on(self, block: Block, word: Word, where: str) -> None:
        if self.comp is None:
            return
        self.find_word(
            "comp-left-on",
            block,
            word,
            f"radius compensation is still on at {where}",
            "write G40 with a move away from the contour before this",
            {"switched_on_line": self._comp_line},
        )

    def _go_compensated(
        self,
        comp: Compensator,
        kind: Kind,
        block: Block,
        start: Vector,
        end: Vector,
        feed: float,
        centre: Vector,
        sweep: float,
    ) -> None:
        state, at = self.in_force(), self.line(block)
        block = replace(block, line=at) if at != block.line else block
        if sweep == 0.0 and math.dist(start[:2], end[:2]) <= TOLERANCES.length_of_nothing_mm:

            def happens() -> None:
                self._emit_compensated(kind, block, comp.where(), end[2], feed, state, (math.nan, math.nan), 0.0)

            comp.aside(happens, counts=True)
            return
        comp.element(Element(kind, block, start[:2], end[:2], start[2], end[2], feed, state, centre[:2], sweep))

    def _emit_compensated(
        self,
        kind: Kind,
        block: Block,
        end: tuple[float, float],
        z: float,
        feed: float,
        state: int,
        centre: tuple[float, float],
        sweep: float,
    ) -> None:
        to = (end[0], end[1], z)
        if sweep == 0.0 and math.dist(self._real, to) <= TOLERANCES.length_of_nothing_mm:
            return
        if kind in (Kind.ARC_CW, Kind.ARC_CCW) and sweep == 0.0:
            kind = Kind.FEED
        start, self._real = self._real, to
        move = self.moves.add(block.line, kind, state, start, to, feed, (*centre, math.nan), sweep)
        if not self._offset_judged:
            self._offset_judged = True
            self._offsets.append(OffsetUse(block.line, self.modal.offset, self.modal.shift, move))

    def _complain_compensated(
        self, code: str, block: Block, message: str, remedy: str, evidence: dict[str, float | int | str | bool | None]
    ) -> None:
        words = [w for w in block.words if w.letter in "GXYIJR"] or list(block.words)
        span = (words[0].start, words[0].end) if words else (0, 1)
        self.find_at(code, block.line, message, remedy, span, evidence)

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
        at = (self.line(b.block), len(self.moves), self.modal.tool, word.start + 1, word.end + 1)
        if code in (0, 60):
            self._event(Event("stop", *at))
        elif code == 1:
            if self._switches.optional_stop:
                self._event(Event("optional-stop", *at))
        else:
            self._end(b.block, word)

    def _event(self, event: Event) -> None:
        """Something that happens after the moves made so far; with compensation on, after the one that still waits."""
        if self.comp is None:
            self.events.append(event)
        else:
            self.comp.aside(lambda: self.events.append(event._replace(before=len(self.moves))), counts=True)

    def _end(self, block: Block, word: Word) -> None:
        self._left_on(block, word, "the program's end")
        self.end_compensation()
        line = self.line(block)
        self.events.append(Event("end", line, len(self.moves), self.modal.tool, word.start + 1, word.end + 1))
        self._ended = True

    # -- findings ----------------------------------------------------------------------------------------------------------

    def find(
        self,
        code: str,
        block: Block,
        message: str,
        remedy: str,
        span: tuple[int, int],
        evidence: Evidence | None = None,
    ) -> None:
        """Note a finding; the same one at the same place, met again in a loop, is no second one."""
        self.find_at(code, self.line(block), message, remedy, span, evidence)

    def find_at(
        self, code: str, line: int, message: str, remedy: str, span: tuple[int, int], evidence: Evidence | None = None
    ) -> None:
        """A finding at a line of the main program."""
        inside = self._flow.inside
        key = (code, line, span[0], message if inside or code == "syntax" else "")
        if key in self._told:
            return
        self._told.add(key)
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
            )
        )

    def find_word(
        self, code: str, block: Block, word: Word, message: str, remedy: str, evidence: Evidence | None = None
    ) -> None:
        """A finding at a word."""
        self.find(code, block, message, remedy, (word.start, word.end), evidence)

    def find_span(
        self, code: str, b: BlockWords, word: Word | None, message: str, remedy: str, evidence: Evidence | None = None
    ) -> None:
        """A finding at a word, or at the block's first word where it has none."""
        first = word or b.block.words[0]
        self.find(code, b.block, message, remedy, (first.start, first.end), evidence)
