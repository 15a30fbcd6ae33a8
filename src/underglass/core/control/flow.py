"""Which block comes next: jumps, loops, subprograms, and the variables they share.

Glossary
    frame      one run of a program or subprogram: its lines, where it stands, its own variables #1 to #33
    label      an N number that is jumped to: looked for onwards from the jump, then from the top
Branching and calling are as on many controls (common practice, no source). M98 shares the caller's variables; G65 gives
the called program its own. Limits on jumps and nesting make a program that would run for ever a finding.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from underglass.core.language.block import Block, read_block
from underglass.core.language.expression import Node, evaluate, variable_number

Lines = Sequence[str]
Library = Callable[[int], tuple[str, Lines] | None]
"""Looks beside the program for another: its number to (name, lines), or None."""

# Possessive throughout: what a stranger wrote must not make an expression go back over it again and again.
_LABEL = re.compile(r"[ \t]*+(?:/[ \t]*+[1-9]?+[ \t]*+)?+[Nn][ \t]*+(\d{1,30})", re.ASCII)
_NAME = re.compile(r"[ \t]*+(?:%[ \t]*+)?+(?:[Oo]|:)[ \t]*+(\d{1,30})", re.ASCII)
_REMARK = re.compile(r"\([^()]*\)|;.*")
_END = re.compile(
    r"[ \t]*+(?:/[ \t]*+[1-9]?+[ \t]*+)?+(?:N[ \t]*+\d++[ \t]*+)?+END[ \t]*+(\d{1,4})", re.ASCII | re.IGNORECASE
)
_LOCALS = 33
SYSTEM = 1000
"""Variables from here up hold what the control itself knows, on most controls (common practice, no source)."""
_FAR = 1 << 60

ARGUMENTS: Mapping[str, int] = {
    "A": 1, "B": 2, "C": 3, "I": 4, "J": 5, "K": 6, "D": 7, "E": 8, "F": 9, "H": 11, "M": 13, "Q": 17, "R": 18,
    "S": 19, "T": 20, "U": 21, "V": 22, "W": 23, "X": 24, "Y": 25, "Z": 26,
}  # fmt: skip
"""Which variable a letter of G65 sets (common practice, no source)."""


def is_label(text: str) -> bool:
    """Whether a line can be jumped to or called, or bounds what can: it has an N number, names a program, closes the tape."""
    return _LABEL.match(text) is not None or _NAME.match(text) is not None or "%" in text


def ends_the_tape(lines: Lines, at: int) -> bool:
    """Whether the ``%`` in line ``at`` (from 0) closes the tape: anything but blanks and comments stands before it."""
    head = lines[at].split("%", 1)[0]
    return bool(_REMARK.sub("", head).strip()) or any(_REMARK.sub("", lines[k]).strip() for k in range(at - 1, -1, -1))


class FlowStop(Exception):
    """The program cannot go on: ``code`` and the finding's texts."""

    def __init__(self, code: str, message: str, remedy: str) -> None:
        super().__init__(message)
        self.code = code
        self.message = message
        self.remedy = remedy


class Variables(Mapping[int, float]):
    """The frame's own #1 to #33 in front of those that all share. ``unheld``: the control's own that were asked for in vain."""

    def __init__(self, shared: dict[int, float], own: dict[int, float], unheld: set[int]) -> None:
        self.shared = shared
        self.own = own
        self.unheld = unheld

    def _where(self, number: int) -> dict[int, float]:
        return self.own if 1 <= number <= _LOCALS else self.shared

    def __getitem__(self, number: int) -> float:
        if number >= SYSTEM and number not in self.shared:
            self.unheld.add(number)
        return self._where(number)[number]

    def __iter__(self):  # type: ignore[no-untyped-def]
        return iter({**self.shared, **self.own})

    def __len__(self) -> int:
        return len(self.shared) + len(self.own)

    def set(self, number: int, value: float) -> None:
        if number:
            self._where(number)[number] = value


@dataclass(slots=True, kw_only=True)
class _Frame:
    name: str
    lines: Lines
    at: int
    own: dict[int, float]
    first: int = 0
    repeats: int = 1
    inside: bool = True
    loops: list[tuple[int, int]] = field(default_factory=list)
    """(number, line of the WHILE from 0); -1 for the line of a loop whose condition could not be read: run once."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    """How many jumps and how deep, before a program counts as running away."""

    jumps: int = 100_000
    nesting: int = 10
    work: int = 1_000_000
    """Blocks of loops and calls, and moves of cycles, that the text does not spell out one by one."""
    pecks: int = 10_000
    """Pecks of one hole."""
    moves: int = 12_000_000
    """Moves of a whole run: some 3 GB of memory."""


class Flow:
    """Walks through a program. ``step`` gives the next block; the control says what to do with it."""

    def __init__(self, name: str, lines: Lines, library: Library, limits: Limits) -> None:
        self._library = library
        self._limits = limits
        self._main = lines
        self._shared: dict[int, float] = {}
        self._frames = [_Frame(name=name, lines=lines, at=0, own={})]
        self._jumps = 0
        self._labels: dict[int, dict[int, list[int]]] = {}
        self._names: dict[int, int] | None = None
        self._read: dict[tuple[int, int], Block] = {}
        self._main_line = 0
        self._begins: dict[int, list[int]] = {}
        self._ends: dict[tuple[int, int, int], int] = {}
        self.unheld: set[int] = set()
        self.variables = Variables(self._shared, self._frames[0].own, self.unheld)
        self.highest = 0
        self.lowest = _FAR
        self.outside: dict[int, tuple[str, Lines] | None] = {}
        self.as_if = 0
        """Another line that what is being done belongs to; 0: the one being run."""
        self.repeats = 0
        """How deep stretches are repeated in one another."""

    @property
    def at(self) -> int:
        """How many lines come before the next one, in the file that is being run."""
        return self._frames[-1].at

    @property
    def at_top(self) -> bool:
        """In the main program itself, in no loop."""
        return len(self._frames) == 1 and not self._frames[0].loops

    @property
    def outermost(self) -> int:
        """The line of the main program that holds what is being run: the outermost loop's first, or the first call's."""
        frame = self._frames[0]
        if frame.loops:
            return frame.loops[0][1] + 1
        return frame.at if len(self._frames) > 1 else frame.at + 1

    def comes_to(self, line: int) -> bool:
        """Whether the next block is this line of the main program's own file."""
        frame = self._frames[-1]
        return frame.inside and frame.at == line - 1

    @property
    def jumps(self) -> int:
        return self._jumps

    def take_lowest(self) -> int:
        """The lowest line read since this was asked last."""
        low, self.lowest = self.lowest, _FAR
        return low

    def start_at(
        self, at: int, highest: int, jumps: int, line: int, shared: Mapping[int, float], own: Mapping[int, float]
    ) -> None:
        """Go on from a place in the main program that another run came to."""
        frame = self._frames[0]
        frame.at, self.highest, self._jumps, self._main_line = at, highest, jumps, line
        self._shared.update(shared)
        frame.own.update(own)

    def lines_ahead(self, most: int) -> Lines:
        """The next lines of the program that is being run."""
        frame = self._frames[-1]
        return frame.lines[frame.at : frame.at + most]

    def pass_lines(self, count: int) -> None:
        """So many lines of the main program have been carried out elsewhere."""
        frame = self._frames[0]
        self.lowest = min(self.lowest, frame.at + 1)
        frame.at += count
        self._main_line = frame.at
        self.highest = max(self.highest, frame.at)

    @property
    def main_line(self) -> int:
        """The line of the main program being run, or that called what is being run. From 1."""
        return self.as_if or self._main_line

    def ahead(self, most: int) -> list[tuple[int, str]]:
        """(line, text) of the next lines, which the control looks at before it comes to them."""
        frame = self._frames[-1]
        found = [(k + 1, frame.lines[k]) for k in range(frame.at, min(frame.at + most, len(frame.lines)))]
        self._looked_at(frame, found)
        return found

    def stretch(self, first: int, last: int) -> list[tuple[int, str]] | None:
        """(line, text) of the blocks from one N number to another, wherever in this program they stand; None where they do not."""
        frame = self._frames[-1]
        labels = self._labels_of(frame.lines)
        for begin in sorted(labels.get(first, []), key=lambda k: (k < frame.at, k)):
            end = next((k for k in labels.get(last, []) if k >= begin), None)
            if end is not None:
                found = [(k + 1, frame.lines[k]) for k in range(begin, end + 1)]
                self._looked_at(frame, found)
                return found
        return None

    def _looked_at(self, frame: _Frame, found: list[tuple[int, str]]) -> None:
        if frame.inside and found:
            self.highest = max(self.highest, found[-1][0])
            self.lowest = min(self.lowest, found[0][0])

    def go_on_behind(self, line: int) -> None:
        """The next block is the one after this line of the program that is being run."""
        self._frames[-1].at = line

    @property
    def inside(self) -> str:
        """Where in a called file the control is, in words; empty in the main program's own file."""
        frame = self._frames[-1]
        return "" if frame.inside else f"{frame.name}, line {frame.at}"

    def step(self) -> Block | None:
        """The next block, or None where the text ends."""
        frame = self._frames[-1]
        if frame.at >= len(frame.lines):
            return None
        number = frame.at + 1
        text = frame.lines[frame.at]
        frame.at = number
        if frame.inside:
            self._main_line = number
            if number > self.highest:
                self.highest = number
            if number < self.lowest:
                self.lowest = number
        if not self._jumps or "%" in text:
            block = read_block(text, number)
            if block.tape_mark and ends_the_tape(frame.lines, number - 1):
                # What stands behind the second % is not read.
                frame.at = len(frame.lines)
            return block
        key = (id(frame.lines), number)
        known = self._read.get(key)
        if known is None:
            if len(self._read) > 50_000:
                self._read.clear()
            known = self._read[key] = read_block(text, number)
        return known

    # -- values ------------------------------------------------------------------------------------------------------

    def value(self, node: Node) -> float:
        """A node's value now. Raises ``ExpressionProblem``."""
        return evaluate(node, self.variables)

    def assign(self, block: Block) -> None:
        """Set the block's variables: all values first, then all settings (NISTIR 6556 section 3.3.2.1, from memory)."""
        found = [
            (variable_number(a.target, self.variables) if a.target.kind == "variable" else 0, self.value(a.value))
            for a in block.assignments
        ]
        for number, value in found:
            self.variables.set(number, value)

    # -- jumps -------------------------------------------------------------------------------------------------------

    def _count_jump(self) -> None:
        self._jumps += 1
        if self._jumps > self._limits.jumps:
            raise FlowStop(
                "loop-runaway",
                f"the program has jumped {self._limits.jumps} times and would go on: the proof stops here",
                "check the condition that should end this loop",
            )

    def decide(self, block: Block) -> bool:
        """Carry out the block's flow word. False where the rest of the block is not to be run.

        Raises ``FlowStop`` and ``ExpressionProblem``.
        """
        flow = block.flow
        if flow is None:
            return True
        if flow.kind == "unread-while":
            self.run_once(flow.number)
            return False
        holds = flow.condition is None or self.value(flow.condition) != 0.0
        if flow.kind == "if-then":
            return holds
        if flow.kind in ("goto", "if-goto"):
            if holds:
                assert flow.label is not None
                self.go_to(round(self.value(flow.label)))
            return False
        if flow.kind == "while":
            self._while(flow.number, holds)
        else:
            self._end(flow.number)
        return False

    def go_to(self, label: int) -> None:
        """Jump to the block with this N number."""
        frame = self._frames[-1]
        self._count_jump()
        low, high = self._own_stretch(frame)
        places = [p for p in self._labels_of(frame.lines).get(label, []) if low <= p < high]
        ahead = [p for p in places if p >= frame.at]
        if not places:
            raise FlowStop(
                "syntax",
                f"there is no block N{label} to go to in this program",
                f"give the block you mean the number N{label}",
            )
        frame.at = (ahead or places)[0]
        # A jump inside a loop's body leaves the loop on; one out of it ends it.
        ends = [(n, at, self._end_of(frame.lines, n, at)) for n, at in frame.loops]
        frame.loops = [(n, at) for n, at, last in ends if at < frame.at <= last]
        if frame.inside and ends:
            self.highest = max(self.highest, *(last + 1 for _n, _at, last in ends))

    def _own_stretch(self, frame: _Frame) -> tuple[int, int]:
        """The lines (from 0, end exclusive) of the program that a frame runs: one file may hold several."""
        lines = frame.lines
        known = self._begins.get(id(lines))
        if known is None:
            known = self._begins[id(lines)] = [k for k, text in enumerate(lines) if _NAME.match(text)]
            if known and not any(_REMARK.sub("", text).strip(" \t%") for text in lines[: known[0]]):
                known[0] = 0
            known.append(self._tape_end(lines))
        low = max((k for k in known if k <= frame.first), default=0)
        return low, min((k for k in known if k > max(frame.first, low)), default=known[-1])

    def _tape_end(self, lines: Lines) -> int:
        """Where the tape is closed: nothing behind it is read."""
        return next((k for k, text in enumerate(lines) if "%" in text and ends_the_tape(lines, k)), len(lines))

    def _end_of(self, lines: Lines, number: int, at: int) -> int:
        """The line of the END that belongs to a WHILE, from 0; past the last one where there is none."""
        if at < 0:
            return len(lines)
        key = (id(lines), number, at)
        if key not in self._ends:
            found = (k for k in range(at + 1, len(lines)) if (m := _END.match(lines[k])) and int(m[1]) == number)
            self._ends[key] = next(found, len(lines))
        return self._ends[key]

    def _labels_of(self, lines: Lines) -> dict[int, list[int]]:
        known = self._labels.get(id(lines))
        if known is None:
            known = self._labels[id(lines)] = {}
            for k, text in enumerate(lines):
                found = _LABEL.match(text)
                if found:
                    known.setdefault(int(found[1]), []).append(k)
        return known

    def run_once(self, number: int) -> None:
        """A loop whose condition cannot be read: its body is looked at once."""
        frame = self._frames[-1]
        frame.loops = [loop for loop in frame.loops if loop[0] != number]
        frame.loops.append((number, -1))

    def _while(self, number: int, holds: bool) -> None:
        frame = self._frames[-1]
        here = frame.at - 1
        frame.loops = [loop for loop in frame.loops if loop[0] != number]
        if holds:
            if len(frame.loops) >= self._limits.nesting:
                raise FlowStop(
                    "loop-runaway", f"loops are nested deeper than {self._limits.nesting}", "nest them less deeply"
                )
            frame.loops.append((number, here))
            return
        self._count_jump()
        k = self._end_of(frame.lines, number, here)
        if k < len(frame.lines):
            frame.at = k + 1
            if frame.inside:
                self.highest = max(self.highest, k + 1)
            return
        raise FlowStop("syntax", f"DO {number} has no END {number}", f"write END {number} after the loop's last block")

    def _end(self, number: int) -> None:
        frame = self._frames[-1]
        for loop, line in reversed(frame.loops):
            if loop == number:
                if line < 0:
                    frame.loops.remove((loop, line))
                    return
                self._count_jump()
                frame.at = line
                return
        raise FlowStop(
            "syntax",
            f"END {number} has no WHILE before it",
            f"write WHILE [..] DO {number} before the loop's first block",
        )

    # -- subprograms -------------------------------------------------------------------------------------------------

    def _go_deeper(self, said: str, what: str) -> None:
        """One more call inside of others; ``said`` and ``what`` are for the finding that these are too many."""
        if len(self._frames) > self._limits.nesting:
            raise FlowStop(
                "loop-runaway",
                f"{said.format(self._limits.nesting)}: the proof stops here",
                f"check whether {what} calls itself",
            )
        self._count_jump()

    def call(self, number: int, repeats: int, arguments: dict[int, float] | None = None) -> None:
        """Go into a subprogram: in the same file by its O number, or beside it. Raises ``FlowStop``."""
        self._go_deeper("subprograms call each other more than {} deep", "a subprogram")
        caller = self._frames[-1]
        place = self._names_of_main().get(number)
        if place is not None:
            name, lines, first, inside = caller.name, self._main, place, True
        else:
            beside = self.outside[number] = self._library(number)
            if beside is None:
                raise FlowStop(
                    "subprogram-missing",
                    f"subprogram {number} is neither in this file nor beside it",
                    f"add O{number} at the end of the program, or put O{number}.nc in the same folder",
                )
            (name, lines), first, inside = beside, 0, False
        if repeats <= 0:
            return
        own = caller.own if arguments is None else dict(arguments)
        self._frames.append(
            _Frame(name=name, lines=lines, at=first, own=own, first=first, repeats=repeats, inside=inside)
        )
        self.variables = Variables(self._shared, own, self.unheld)

    def call_label(self, label: int, repeats: int) -> None:
        """Go to a block of this program by its N number, and come back at M99. Raises ``FlowStop``."""
        self._go_deeper("calls are nested deeper than {}", "the part called")
        frame = self._frames[-1]
        low, high = self._own_stretch(frame)
        places = [p for p in self._labels_of(frame.lines).get(label, []) if low <= p < high]
        if not places:
            raise FlowStop(
                "subprogram-missing",
                f"there is no block N{label} in this program to call",
                f"give the first block of the part you mean the number N{label}",
            )
        if repeats > 0:
            self._frames.append(
                _Frame(
                    name=frame.name,
                    lines=frame.lines,
                    at=places[0],
                    own=frame.own,
                    first=places[0],
                    repeats=repeats,
                    inside=frame.inside,
                )
            )
            self.variables = Variables(self._shared, frame.own, self.unheld)

    def _names_of_main(self) -> dict[int, int]:
        if self._names is None:
            self._names = {}
            for k, text in enumerate(self._main[: self._tape_end(self._main)]):
                found = _NAME.match(text)
                if found:
                    self._names.setdefault(int(found[1]), k)
        return self._names

    def come_back(self, label: int | None) -> bool:
        """M99: the next repeat, or back to the caller. False in the main program, which has no caller."""
        frame = self._frames[-1]
        if len(self._frames) == 1:
            return False
        frame.repeats -= 1
        if frame.repeats > 0:
            self._count_jump()
            frame.at = frame.first
            frame.loops.clear()
            return True
        self._frames.pop()
        self.variables = Variables(self._shared, self._frames[-1].own, self.unheld)
        if label is not None:
            self.go_to(label)
        return True
