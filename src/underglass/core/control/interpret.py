"""The simulated control: blocks in, moves and findings out.

Works through a block in the order of NISTIR 6556 table 8 (from memory), never stops at an error, and holds its place
in machine coordinates, so that a change of work offset or length register moves nothing by itself.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from underglass.core.bench.machine import Machine
from underglass.core.control import arcs
from underglass.core.control.flow import ARGUMENTS, Flow, FlowStop, Library, Limits
from underglass.core.control.motions import (
    Event,
    Kind,
    LengthUse,
    MotionBuilder,
    Motions,
    OffsetUse,
)
from underglass.core.control.profile import ControlProfile
from underglass.core.control.state import InForce, Registers, Spindle, Switches, Vector
from underglass.core.control.words import (
    G_GROUPS,
    M_GROUPS,
    OFFSET_NAMES,
    SINGLE_LETTERS,
    UNREAD_LETTERS,
    g_key,
    g_name,
)
from underglass.core.errors import Cancelled
from underglass.core.finding import Finding
from underglass.core.language.block import Block, Word
from underglass.core.language.expression import ExpressionProblem
from underglass.core.tolerances import TOLERANCES
from underglass.core.units import MM_PER_INCH, Unit, show_length

_AXES = "XYZ"
_ARC_LETTERS = "IJKR"
_CHECK_EVERY = 2000


@dataclass(frozen=True, slots=True)
class Run:
    """What the control made of a program: moves, findings of its own, and whether the program came to its end."""

    motions: Motions
    findings: tuple[Finding, ...]
    ended: bool
    last_line: int


class _Block:
    """One block's words, sorted by what they are for."""

    __slots__ = ("block", "g", "letters", "m", "unknown")

    def __init__(self, block: Block) -> None:
        self.block = block
        self.g: dict[str, tuple[int, Word]] = {}
        self.m: dict[str, tuple[int, Word]] = {}
        self.letters: dict[str, Word] = {}
        self.unknown = False

    def value(self, letter: str) -> float | None:
        word = self.letters.get(letter)
        return None if word is None else word.value

    @property
    def line(self) -> int:
        return self.block.line


class Control:
    """A control with its registers, standing at machine home, in the profile's power-on state."""

    def __init__(
        self,
        profile: ControlProfile,
        machine: Machine,
        registers: Registers,
        switches: Switches | None = None,
        library: Library = lambda _number: None,
    ) -> None:
        self._library = library
        self._flow = Flow("", (), library, Limits())
        self._told: set[tuple[str, int, int, str]] = set()
        self._profile = profile
        self._machine = machine
        self._registers = registers
        self._switches = switches or Switches()
        self._moves = MotionBuilder()
        self._findings: list[Finding] = []
        self._events: list[Event] = []
        self._lengths: list[LengthUse] = []
        self._offsets: list[OffsetUse] = []
        self._at: Vector = machine.home
        self._feed = 0.0
        self._feed_missing_told = False
        self._next_tool: int | None = None
        self._tool = 0
        self._offset = "G54"
        self._shift: Vector = (0.0, 0.0, 0.0)
        self._h_number: int | None = None
        self._h_value = 0.0
        self._h_word: tuple[int, int, int] = (0, 1, 2)
        self._z_judged = True
        self._offset_judged = False
        self._spindle: Spindle = "off"
        self._speed = 0.0
        self._coolant = False
        self._motion = "G80"
        self._absolute = True
        self._units: Unit = "mm"
        self._return = "G98"
        self._state = -1
        self._ended = False
        self._power_on()

    def _power_on(self) -> None:
        words = set(self._profile.power_on)
        self._units = "inch" if "G20" in words else "mm"
        self._absolute = "G91" not in words
        self._return = "G99" if "G99" in words else "G98"
        self._use_offset(next((w for w in OFFSET_NAMES.values() if w in words), "G54"))

    # -- the run -----------------------------------------------------------------------------------------------

    def run(self, lines: Iterable[str], cancelled: Callable[[], bool] = lambda: False, name: str = "") -> Run:
        """Work through a program's lines. Raises ``Cancelled`` when told to stop."""
        text = lines if isinstance(lines, (tuple, list)) else tuple(lines)
        self._flow = flow = Flow(name, text, self._library, self._profile.limits)
        count = 0
        while not self._ended:
            block = flow.step()
            if block is None:
                break
            count += 1
            if count % _CHECK_EVERY == 0 and cancelled():
                raise Cancelled
            self.do(block)
        return Run(
            self._moves.build(self._events, self._lengths, self._offsets),
            tuple(self._findings),
            self._ended,
            max(flow.main_line, 1),
        )

    def do(self, block: Block) -> None:
        """Carry out one block."""
        for problem in block.problems:
            self._find("syntax", block, problem.message, problem.remedy, (problem.start, problem.end))
        if block.skip and self._switches.block_skip:
            return
        if block.assignments or block.flow is not None or any(w.node is not None for w in block.words):
            worked_out = self._work_out(block)
            if worked_out is None:
                return
            block = worked_out
        if not block.words:
            return
        if any(
            (w.letter == "M" and w.value in (98.0, 99.0)) or (w.letter == "G" and w.value == 65.0) for w in block.words
        ):
            self._call(block)
            return
        sorted_words = self._sort(block)
        self._set_units(sorted_words)
        self._set_technology(sorted_words)
        self._set_geometry(sorted_words)
        self._move(sorted_words)
        self._stop(sorted_words)

    # -- variables, jumps, subprograms -------------------------------------------------------------------------

    def _work_out(self, block: Block) -> Block | None:
        """The block with its values worked out and its variables set; None where nothing of it is left to run."""
        flow = self._flow
        try:
            if block.flow is not None and not flow.decide(block):
                return None
            words = tuple(w if w.node is None else w._replace(value=flow.value(w.node), node=None) for w in block.words)
            flow.assign(block)
        except ExpressionProblem as problem:
            self._find(
                "syntax", block, problem.message, "check the variables in this block", (problem.start, problem.end)
            )
            return None
        except FlowStop as stop:
            span = (block.flow.start, block.flow.end) if block.flow else (0, 1)
            self._stop_here(block, stop, span)
            return None
        return replace(block, words=words, assignments=(), flow=None)

    def _call(self, block: Block) -> None:
        """M98, M99 and G65. What else stands in an M98 or M99 block is carried out first."""
        flow = self._flow
        call = next(
            w
            for w in block.words
            if (w.letter == "M" and w.value in (98.0, 99.0)) or (w.letter == "G" and w.value == 65.0)
        )
        letters = {w.letter: w for w in block.words}
        number, times = letters.get("P"), letters.get("L")
        try:
            if call.value == 99.0:
                rest = tuple(w for w in block.words if w is not call and w.letter not in "PN")
                if rest:
                    self.do(replace(block, words=rest, problems=()))
                if not flow.come_back(int(number.value) if number else None):
                    self._ended = True
                    self._events.append(
                        Event("end", self._line(block), len(self._moves), self._tool, call.start + 1, call.end + 1)
                    )
                return
            if number is None or number.value != int(number.value) or number.value < 0:
                self._find_word(
                    "syntax",
                    block,
                    number or call,
                    f"{call.text.upper()} needs P and the subprogram's number",
                    "write P and a whole number",
                )
                return
            repeats = int(times.value) if times is not None else 1
            if call.letter == "G":
                given = {ARGUMENTS[w.letter]: w.value for w in block.words if w.letter in ARGUMENTS}
                flow.call(int(number.value), repeats, given)
                return
            rest = tuple(w for w in block.words if w is not call and w.letter not in "PLN")
            if rest:
                self.do(replace(block, words=rest, problems=()))
            flow.call(int(number.value), repeats)
        except FlowStop as stop:
            word = number or call
            self._stop_here(block, stop, (word.start, word.end))

    def _stop_here(self, block: Block, stop: FlowStop, span: tuple[int, int]) -> None:
        self._find(stop.code, block, stop.message, stop.remedy, span)
        if stop.code == "loop-runaway":
            # It has been said; that the end was not reached is no second cause.
            self._ended = True

    def _line(self, block: Block) -> int:
        """The main program's line that a block belongs to."""
        return self._flow.main_line or block.line

    # -- words of a block --------------------------------------------------------------------------------------

    def _sort(self, block: Block) -> _Block:
        out = _Block(block)
        for word in block.words:
            if word.letter == "G":
                self._take(out, out.g, g_key(word.value), word, G_GROUPS)
            elif word.letter == "M":
                whole = int(word.value) if word.value == int(word.value) else None
                self._take(out, out.m, whole, word, M_GROUPS)
            elif word.letter in UNREAD_LETTERS:
                self._find_word(
                    "word-unknown",
                    block,
                    word,
                    f"{word.text} is not read: {UNREAD_LETTERS[word.letter]}",
                    "take the word away, or check the program for another machine's words",
                )
            elif word.letter in out.letters and word.letter in SINGLE_LETTERS | {"F"}:
                self._find_word(
                    "modal-conflict",
                    block,
                    word,
                    f"{word.letter} stands twice in this block; the control takes one",
                    f"keep one {word.letter} word",
                )
            else:
                out.letters[word.letter] = word
        return out

    def _take(
        self,
        out: _Block,
        into: dict[str, tuple[int, Word]],
        key: int | None,
        word: Word,
        groups: object,
    ) -> None:
        assert isinstance(groups, dict)
        group = groups.get(key) if key is not None else None
        if group is None or key is None:
            out.unknown = True
            self._find_word(
                "word-unknown",
                out.block,
                word,
                f"the control does not know {word.text.upper()}",
                "look the word up in the control's list; the rest of the block is carried out without it",
            )
            return
        if group in into:
            other = into[group][1]
            self._find_word(
                "modal-conflict",
                out.block,
                word,
                f"{other.text.upper()} and {word.text.upper()} are of one group ({group}) and stand in one block",
                "keep the one that is meant; the first is taken here",
            )
            return
        into[group] = (key, word)

    # -- states ------------------------------------------------------------------------------------------------

    def _set_units(self, b: _Block) -> None:
        if "units" in b.g:
            self._units = "inch" if b.g["units"][0] == 200 else "mm"
            self._state = -1

    def _length(self, value: float) -> float:
        return value * MM_PER_INCH if self._units == "inch" else value

    def _set_technology(self, b: _Block) -> None:
        """F, S, T, tool change, spindle, coolant: in that order, before anything moves."""
        if (feed := b.value("F")) is not None:
            self._feed = self._length(feed)
            self._feed_missing_told = False
        if (speed := b.value("S")) is not None:
            self._speed = abs(speed)
            self._state = -1
        if (tool := b.letters.get("T")) is not None:
            if tool.value == int(tool.value) and tool.value >= 0:
                self._next_tool = int(tool.value)
            else:
                self._find_word(
                    "syntax",
                    b.block,
                    tool,
                    f"{tool.text} is no tool number",
                    "a tool number is a whole number, as in T3",
                )
        if "tool change" in b.m:
            self._change_tool(b)
        if "spindle" in b.m and (b.m["spindle"][0] != 5 or self._profile.stop_words == "block-start"):
            self._set_spindle(b.m["spindle"][0])
        if "coolant" in b.m and (b.m["coolant"][0] != 9 or self._profile.stop_words == "block-start"):
            self._coolant = b.m["coolant"][0] != 9
            self._state = -1

    def _set_spindle(self, word: int) -> None:
        self._spindle = "clockwise" if word == 3 else "counter-clockwise" if word == 4 else "off"
        self._state = -1

    def _change_tool(self, b: _Block) -> None:
        word = b.m["tool change"][1]
        if self._next_tool is None:
            self._find_word(
                "tool-unknown",
                b.block,
                word,
                "M6 changes to no tool: no T word has been given",
                "write the tool's number before or beside M6, as in T1 M6",
            )
            return
        lift = self._machine.tool_change_lift_z
        if lift is not None and self._at[2] < lift:
            self._go(Kind.RAPID, self._line(b.block), (self._at[0], self._at[1], lift), math.nan)
        column = b.letters.get("T", word)
        self._events.append(
            Event(
                "tool-change", self._line(b.block), len(self._moves), self._next_tool, column.start + 1, column.end + 1
            )
        )
        # A tool change stops the spindle on every machine that does it by itself; common practice, no source.
        self._spindle = "off"
        self._tool = self._next_tool
        self._z_judged = False
        if self._h_number is not None:
            self._h_word = (self._line(b.block), word.start + 1, word.end + 1)
        self._state = -1

    def _set_geometry(self, b: _Block) -> None:
        """Length offset, work offset, distance mode, cycle return: what places are measured from."""
        if "length compensation" in b.g or ("H" in b.letters and self._h_number is not None):
            self._set_length(b)
        if "work offset" in b.g:
            self._use_offset(OFFSET_NAMES[b.g["work offset"][0]])
        if "distance" in b.g:
            self._absolute = b.g["distance"][0] == 900
            self._state = -1
        if "cycle return" in b.g:
            self._return = g_name(b.g["cycle return"][0])
            self._state = -1

    def _set_length(self, b: _Block) -> None:
        key, word = b.g.get("length compensation", (430, b.letters.get("H")))
        self._state = -1
        self._z_judged = False
        if key == 490:
            self._h_number, self._h_value = None, 0.0
            return
        h = b.letters.get("H")
        if h is None or h.value != int(h.value) or h.value < 0:
            assert word is not None
            self._find_word(
                "syntax",
                b.block,
                h or word,
                "G43 needs the number of a length register",
                "write H and the register's number, as in G43 H2",
            )
            return
        self._h_number = int(h.value)
        self._h_value = self._registers.length.get(self._h_number, 0.0) if self._h_number else 0.0
        self._h_word = (self._line(b.block), h.start + 1, h.end + 1)

    def _use_offset(self, name: str) -> None:
        self._offset = name
        self._shift = self._registers.work.get(name, (0.0, 0.0, 0.0))
        self._offset_judged = False
        self._state = -1

    def _in_force(self) -> int:
        if self._state < 0:
            self._state = self._moves.state_index(
                InForce(
                    self._tool,
                    self._offset,
                    self._shift,
                    self._h_number,
                    self._h_value,
                    self._spindle,
                    self._speed,
                    self._coolant,
                    self._motion,
                    "G90" if self._absolute else "G91",
                    self._units,
                    self._return,
                )
            )
        return self._state

    # -- motion ------------------------------------------------------------------------------------------------

    def _move(self, b: _Block) -> None:
        motion = b.g.get("motion")
        if motion is not None:
            name = g_name(motion[0])
            if name != self._motion:
                self._motion = name
                self._state = -1
        letters = b.letters
        moves = any(a in letters for a in _AXES)
        if "machine coordinates" in b.g:
            self._move_in_machine(b)
            return
        if self._motion in ("G2", "G3"):
            if moves or any(a in letters for a in _ARC_LETTERS):
                self._arc(b)
            return
        if not moves:
            return
        if self._motion == "G80":
            if b.unknown:
                # The word that was to move it has been complained about already.
                return
            axis = next(letters[a] for a in _AXES if a in letters)
            self._find_word(
                "syntax",
                b.block,
                axis,
                f"{axis.text} says where to go, but no G0, G1, G2 or G3 is in force",
                "write the motion word at the start of the block",
            )
            return
        self._straight(b, self._target(letters))

    def _target(self, letters: dict[str, Word]) -> Vector:
        """Where the block's X Y Z lead, machine coordinates, mm."""
        x, y, z = self._at
        wx, wy, wz = letters.get("X"), letters.get("Y"), letters.get("Z")
        if self._absolute:
            sx, sy, sz = self._shift
            if wx is not None:
                x = self._length(wx.value) + sx
            if wy is not None:
                y = self._length(wy.value) + sy
            if wz is not None:
                z = self._length(wz.value) + sz + self._h_value
        else:
            if wx is not None:
                x += self._length(wx.value)
            if wy is not None:
                y += self._length(wy.value)
            if wz is not None:
                z += self._length(wz.value)
        return (x, y, z)

    def _straight(self, b: _Block, end: Vector) -> None:
        if "Z" in b.letters:
            self._judge_z(b)
        if self._motion == "G0":
            self._go(Kind.RAPID, self._line(b.block), end, math.nan)
        else:
            self._check_feed(b)
            self._go(Kind.FEED, self._line(b.block), end, self._feed)

    def _move_in_machine(self, b: _Block) -> None:
        """G53: this block's X Y Z are machine coordinates, absolute, no length offset."""
        word = b.g["machine coordinates"][1]
        if self._motion not in ("G0", "G1"):
            self._find_word(
                "syntax",
                b.block,
                word,
                f"G53 moves straight, but {self._motion} is in force",
                "write G0 or G1 beside G53",
            )
            return
        end = list(self._at)
        for axis, letter in enumerate(_AXES):
            if letter in b.letters:
                end[axis] = self._length(b.letters[letter].value)
        target = (end[0], end[1], end[2])
        if self._motion == "G0":
            self._go(Kind.RAPID, self._line(b.block), target, math.nan, machine=True)
        else:
            self._check_feed(b)
            self._go(Kind.FEED, self._line(b.block), target, self._feed, machine=True)

    def _arc(self, b: _Block) -> None:
        letters = b.letters
        if "Z" in letters:
            self._judge_z(b)
        self._check_feed(b)
        end = self._target(letters)
        clockwise = self._motion == "G2"
        start2, end2 = self._at[:2], end[:2]
        centre = self._arc_centre(b, start2, end2, clockwise)
        if centre is None:
            # The control would stop here. The proof goes straight to the end, so that what follows can be judged.
            self._go(Kind.FEED, self._line(b.block), end, self._feed)
            return
        angle = arcs.sweep(start2, end2, centre, clockwise)
        kind = Kind.ARC_CW if clockwise else Kind.ARC_CCW
        self._go(kind, self._line(b.block), end, self._feed, centre, angle)

    def _arc_centre(
        self, b: _Block, start: tuple[float, float], end: tuple[float, float], clockwise: bool
    ) -> tuple[float, float] | None:
        """The arc's centre in machine coordinates; None after the finding that says why there is none."""
        letters = b.letters
        unit = self._units
        i, j, r = letters.get("I"), letters.get("J"), letters.get("R")
        if i is None and j is None:
            word = letters.get("R") or self._motion_word(b)
            if r is None:
                self._find_span(
                    "arc-centre-missing",
                    b,
                    word,
                    f"{self._motion} has neither I J nor R: the arc has no centre",
                    "give the centre with I and J, measured from the arc's start",
                )
                return None
            radius = self._length(r.value)
            chord = math.dist(start, end)
            if chord <= TOLERANCES.length_of_nothing_mm:
                self._find_span(
                    "arc-centre-missing",
                    b,
                    word,
                    "a full circle cannot be given by R: its centre could be anywhere",
                    "give the centre with I and J",
                    {"radius_mm": radius},
                )
                return None
            centre = arcs.centre_from_radius(start, end, radius, clockwise)
            if centre is None:
                self._find_span(
                    "arc-mismatch",
                    b,
                    word,
                    f"R{show_length(radius, unit)} cannot reach: start and end are {show_length(chord, unit)} {unit} apart, half of that is {show_length(chord / 2, unit)}",
                    "give a radius of at least half the distance, or check the end point",
                    {"radius_mm": radius, "chord_mm": chord},
                )
            return centre
        centre = (
            start[0] + (self._length(i.value) if i is not None else 0.0),
            start[1] + (self._length(j.value) if j is not None else 0.0),
        )
        r0, r1 = math.dist(start, centre), math.dist(end, centre)
        word = i or j
        if abs(r0 - r1) > self._profile.arc_tolerance[unit] or r0 <= TOLERANCES.length_of_nothing_mm:
            self._find_span(
                "arc-mismatch",
                b,
                word,
                f"start and end of this arc are not equally far from its centre: {show_length(r0, unit)} and {show_length(r1, unit)} {unit}, {show_length(abs(r0 - r1), unit)} apart",
                "check I and J (they count from the arc's start point) and the end point",
                {"start_radius_mm": r0, "end_radius_mm": r1, "tolerance_mm": self._profile.arc_tolerance[unit]},
            )
            return None
        return centre

    def _motion_word(self, b: _Block) -> Word | None:
        found = b.g.get("motion")
        return found[1] if found else None

    def _check_feed(self, b: _Block) -> None:
        if self._feed > 0.0 or self._feed_missing_told:
            return
        self._feed_missing_told = True
        word = b.letters.get("F") or self._motion_word(b)
        why = "F is zero" if "F" in b.letters else "no F has been given"
        self._find_span(
            "feed-missing",
            b,
            word,
            f"{self._motion} cuts with no feed: {why}",
            "write F and the feed a minute in this block or before it",
        )

    def _judge_z(self, b: _Block) -> None:
        """Remember, once for each tool and register, under which length register Z first moves."""
        if self._z_judged or not self._tool:
            return
        self._z_judged = True
        if self._h_number is None:
            self._find_span(
                "length-offset-missing",
                b,
                b.letters.get("Z"),
                f"Z moves with tool {self._tool} and no length offset in force",
                f"write G43 H{self._tool} with the first Z move after the tool change",
                {"tool": self._tool},
            )
            return
        line, column, end_column = self._h_word
        self._lengths.append(
            LengthUse(line, column, end_column, self._h_number, self._h_value, self._tool, len(self._moves))
        )

    def _go(
        self,
        kind: Kind,
        line: int,
        end: Vector,
        feed: float,
        centre: tuple[float, float] = (math.nan, math.nan),
        sweep: float = 0.0,
        machine: bool = False,
    ) -> None:
        start = self._at
        if sweep == 0.0 and math.dist(start, end) <= TOLERANCES.length_of_nothing_mm:
            return
        move = self._moves.add(line, kind, self._in_force(), start, end, feed, centre, sweep)
        self._at = end
        if not self._offset_judged and not machine:
            self._offset_judged = True
            self._offsets.append(OffsetUse(line, self._offset, self._shift, move))

    # -- end of the block --------------------------------------------------------------------------------------

    def _stop(self, b: _Block) -> None:
        if self._profile.stop_words == "block-end":
            if b.m.get("spindle", (0,))[0] == 5:
                self._set_spindle(5)
            if b.m.get("coolant", (0,))[0] == 9:
                self._coolant = False
                self._state = -1
        if "stop" not in b.m:
            return
        code, word = b.m["stop"]
        at = (self._line(b.block), len(self._moves), self._tool, word.start + 1, word.end + 1)
        if code == 0:
            self._events.append(Event("stop", *at))
        elif code == 1:
            if self._switches.optional_stop:
                self._events.append(Event("optional-stop", *at))
        else:
            self._events.append(Event("end", *at))
            self._ended = True

    # -- findings ----------------------------------------------------------------------------------------------

    def _find(
        self,
        code: str,
        block: Block,
        message: str,
        remedy: str,
        span: tuple[int, int],
        evidence: dict[str, float | int | str | bool | None] | None = None,
    ) -> None:
        """Note a finding; the same one at the same place, met again in a loop, is no second one."""
        inside = self._flow.inside
        line = self._line(block)
        key = (code, line, span[0], message if inside else "")
        if key in self._told and code != "syntax":
            return
        if (code, line, span[0], message) in self._told:
            return
        self._told |= {key, (code, line, span[0], message)}
        if inside:
            message = f"{message} (in {inside})"
        self._findings.append(
            Finding(
                code,
                line,
                message,
                remedy,
                span[0] + 1 if not inside else 1,
                span[1] + 1 if not inside else 2,
                tool=self._tool or None,
                evidence=evidence or {},
                move=len(self._moves),
            )
        )

    def _find_word(self, code: str, block: Block, word: Word, message: str, remedy: str) -> None:
        self._find(code, block, message, remedy, (word.start, word.end))

    def _find_span(
        self,
        code: str,
        b: _Block,
        word: Word | None,
        message: str,
        remedy: str,
        evidence: dict[str, float | int | str | bool | None] | None = None,
    ) -> None:
        first = word or b.block.words[0]
        self._find(code, b.block, message, remedy, (first.start, first.end), evidence)
