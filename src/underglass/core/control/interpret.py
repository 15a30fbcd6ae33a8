"""The simulated control: blocks in, moves and findings out.

The loop that reads blocks, and the order of a block (NISTIR 6556 table 8, from memory). It never stops at an error.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterable

import numpy as np

from underglass.core.bench.machine import Machine
from underglass.core.control import (
    again,
    calls,
    compensated,
    plain,
    takeover,
    technology,
)
from underglass.core.control.block_words import BlockWords, in_other_words
from underglass.core.control.desk import CHECK_EVERY, Desk, Touch
from underglass.core.control.dialect import Dialect
from underglass.core.control.flow import Flow, Library
from underglass.core.control.plain_way import PLAIN
from underglass.core.control.profile import ControlProfile
from underglass.core.control.run import Checkpoint, Memory, Run
from underglass.core.control.state import AtStop, LengthWay, Registers, Start, Switches
from underglass.core.errors import Cancelled
from underglass.core.finding import Evidence
from underglass.core.language.block import Block

_CALLS = {("M", 98.0), ("M", 99.0), ("G", 65.0)}
_CALL_NUMBERS = {98.0, 99.0, 65.0}


class Control(Desk):
    """A desk with somebody at it: works through a program's blocks. ``start`` is what the job before left."""

    def __init__(
        self,
        profile: ControlProfile,
        machine: Machine,
        registers: Registers,
        switches: Switches | None = None,
        library: Library = lambda _number: None,
        start: Start | None = None,
        touch: Touch = lambda _start, _end, _tool: None,
        at_stops: Iterable[AtStop] = (),
        way: LengthWay = LengthWay(),  # noqa: B008
        *,
        dialect: Dialect,
    ) -> None:
        super().__init__(profile, machine, registers, switches, library, touch, at_stops, way)
        self.dialect = dialect
        self.path = PLAIN
        self.carry_out = self.do
        dialect.begins(self)
        takeover.take_over(self, start or Start())

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
        self.cancelled = cancelled
        plan = again.plan(old, text, self.library)
        self.flow = flow = Flow(name, text, self.library, self.profile.limits)
        self.reached = np.zeros(len(text) + 1, dtype=np.bool_)
        if plan is not None:
            again.begin(self, flow, plan)
        end: Checkpoint | None = None
        count, due = 0, 0
        ends = sorted(plan.ends) if plan is not None else []
        alone = self.dialect.places_alone
        while not self.ended:
            if plan is not None and flow.at in plan.ends:
                end = again.meets(self, flow, plan)
                if end is not None:
                    break
            if count >= due and not self.path.compensated and flow.at_top and flow.at < len(text):
                self.checkpoints.append(again.take(self, flow))
                due = count + again.KEEP_EVERY
            x_counts = alone(self) if flow.at_top and not flow.jumps and self.watch is None else 0.0
            if x_counts and plain.can_run(self):
                later = bisect_right(ends, flow.at)
                room = min(due - count, self.profile.limits.moves - len(self.moves))
                room = min(room, ends[later] - flow.at) if later < len(ends) else room
                passed = plain.run_on(self, flow, room, x_counts)
                if passed:
                    count += passed
                    if cancelled():
                        raise Cancelled
                    continue
            block = flow.step()
            if block is None:
                break
            self.reached[flow.main_line] = True
            count += 1
            if count % CHECK_EVERY == 0 and cancelled():
                raise Cancelled
            self.do(block)
            if flow.jumps or not flow.at_top:
                self.work(block)
            if len(self.moves) > self.profile.limits.moves:
                self.too_many_moves(block)
        if end is None:
            compensated.end(self)
            technology.tell_mixed_numbers(self)
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
            motions=motions,
            findings=tuple(self.findings),
            ended=self.ended,
            last_line=last,
            units_stated=self.units_stated,
            inherited=self.inherited or frozenset(),
            stretches=tuple(self.stretches),
            reached=self.reached,
            memory=Memory(
                lines=text,
                checkpoints=tuple(self.checkpoints),
                keys=tuple(self.keys),
                jumps=jumps,
                lowest_at_end=lowest,
                outside=outside,
                first_mark=plan.memory.first_mark
                if plan is not None
                else next((k for k, t in enumerate(text) if "%" in t), -1),
            ),
            taken_over=plan.start.counts.moves if plan is not None and plan.start is not None else 0,
        )

    def stand_before(self, lines: Iterable[str], line: int, name: str = "", old: Run | None = None) -> bool:
        """Work up to where a line would be run for the first time; False where the program never comes to it.

        ``old``: a run of the same lines from the same beginning, from whose checkpoints the way is shorter.
        """
        text = tuple(lines)
        plan = again.plan(old, text, self.library)
        self.flow = flow = Flow(name, text, self.library, self.profile.limits)
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

    def do(self, block: Block) -> None:
        """Carry out one block."""
        if self.skipped and block.line in self.skipped and not self.flow.as_if and not self.flow.inside:
            self.flow.go_on_behind(self.skipped[block.line])
            return
        for problem in block.problems:
            evidence: Evidence | None = {"write": problem.write} if problem.write else None
            self.find("syntax", block, problem.message, problem.remedy, (problem.start, problem.end), evidence)
        if block.remarks:
            technology.judge_remarks(self, block)
        if block.skip and self.switches.skips(block.skip):
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
                calls.call(self, block, word, self.do)
                return
        if self.watch is not None:
            self.watch(block)
        words = BlockWords(
            block, self.profile, lambda code, word, message, remedy: self.find_word(code, block, word, message, remedy)
        )
        way, elements = self.path, self.path.elements
        for step in self.dialect.steps_of(words):
            step(self, words)
        if self.path is way and way.elements == elements and any(w.letter not in "NO" for w in block.words):
            way.idle(block)
