"""Taking up a changed program again: from the last checkpoint before the change, to where the state is the same again.

An edit changes some lines in the middle; the lines before and after them are the same text, the latter perhaps moved up
or down. The control is put into its state at the last checkpoint that has read nothing of the change, works on, and as
soon as it comes, after the change, to a checkpoint of the old run in the same state, takes over what the old run made
from there on, its line numbers moved. The result is the one that a whole run would give: where jumps make that
uncertain (a label changed, lines read out of order), more is done again.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from underglass.core.control.desk import Desk
from underglass.core.control.flow import Flow, is_label
from underglass.core.control.motions import MotionBuilder, Motions
from underglass.core.control.run import Checkpoint, Counts, FindingKey, Memory, Run
from underglass.core.finding import Finding

KEEP_EVERY = 256
"""Blocks between two checkpoints: a few milliseconds of work, and 4,000 checkpoints in a million blocks."""

_STRETCH = 2048

_MOVED = "switched_on_line"


def take(c: Desk, flow: Flow) -> Checkpoint:
    """The control as it is, before the block that comes next. Only at the top level, with compensation off."""
    counts = Counts(
        len(c.moves), len(c.findings), len(c.events), len(c.lengths), len(c.offsets), len(c.radii), len(c.stretches)
    )
    return Checkpoint(
        at=flow.at,
        highest=flow.highest,
        lowest=flow.take_lowest(),
        jumps=flow.jumps,
        main_line=flow.main_line,
        held=c.copied(),
        shared=dict(flow.variables.shared),
        own=dict(flow.variables.own),
        counts=counts,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """What of an old run can be used: ``start`` to begin from, and the checkpoints that it may end at, by new line."""

    old: Run
    memory: Memory
    same_before: int
    old_after: int
    delta: int
    start: Checkpoint | None
    ends: Mapping[int, Checkpoint]

    def new_line(self, line: int) -> int | None:
        """An old line's number now; None for one that was changed."""
        if line <= self.same_before:
            return line
        return line + self.delta if line > self.old_after else None


def plan(old: Run | None, lines: Sequence[str], look: Callable[[int], object]) -> Plan | None:
    """How to use an old run for these lines; None where it is of no use."""
    memory = old.memory if old is not None else None
    if old is None or memory is None or any(look(n) != found for n, found in memory.outside.items()):
        return None
    before, after = _same_lines(memory.lines, lines)
    old_after = len(memory.lines) - after
    changed = (*memory.lines[before:old_after], *lines[before : len(lines) - after])
    # What comes before the first tape mark decides whether it opens the tape or closes it; a new mark bounds what is read.
    if any("%" in text for text in changed) or before <= memory.first_mark:
        return None
    labels = any(is_label(text) for text in changed)
    lowest = _lowest_after(memory)
    start: Checkpoint | None = None
    ends: dict[int, Checkpoint] = {}
    delta = len(lines) - len(memory.lines)
    for checkpoint, low in zip(memory.checkpoints, lowest):
        # A jump may have led to the very line that comes next: then that line must not have moved.
        jumped = checkpoint.jumps > 0
        unread = max(checkpoint.highest, checkpoint.at + jumped) <= before and low > checkpoint.highest
        if unread and not (jumped and labels):
            start = checkpoint
        quiet = memory.jumps == checkpoint.jumps or not labels
        if checkpoint.at >= old_after and checkpoint.highest <= checkpoint.at and low > old_after and quiet:
            ends[checkpoint.at + delta] = checkpoint
    return Plan(old=old, memory=memory, same_before=before, old_after=old_after, delta=delta, start=start, ends=ends)


def only_before(made: Plan, line: int) -> Plan:
    """The same plan, begun at the last checkpoint that has read nothing from a line on."""
    usable = [k for k in made.memory.checkpoints if k.highest < line and k.at < line]
    low = dict(zip(map(id, made.memory.checkpoints), _lowest_after(made.memory)))
    usable = [k for k in usable if low[id(k)] > k.highest]
    return replace(made, start=usable[-1] if usable else None, ends={})


def _same_lines(old: Sequence[str], new: Sequence[str]) -> tuple[int, int]:
    """How many lines are the same at the beginning and, of the rest, at the end."""
    shorter = min(len(old), len(new))
    before = _same_first(old, new, shorter)
    return before, _same_first(old[before:][::-1], new[before:][::-1], shorter - before)


def _same_first(old: Sequence[str], new: Sequence[str], most: int) -> int:
    """How many of the first ``most`` lines are the same. Compared in stretches, which is done outside of Python."""
    at = 0
    while at < most and old[at : (end := min(at + _STRETCH, most))] == new[at:end]:
        at = end
    return next((k for k in range(at, min(at + _STRETCH, most)) if old[k] != new[k]), min(at + _STRETCH, most))


def _lowest_after(memory: Memory) -> list[int]:
    """For each checkpoint the lowest line that was read after it."""
    low = memory.lowest_at_end
    out = []
    for checkpoint in reversed(memory.checkpoints):
        out.append(low)
        low = min(low, checkpoint.lowest)
    return out[::-1]


def begin(c: Desk, flow: Flow, made: Plan) -> None:
    """Put a fresh control where the plan begins: state, and what the old run had made by then."""
    old, at, memory = made.old, made.start, made.memory
    if at is None:
        return
    c.put(at.held)
    c.changed()
    n = at.counts
    flow.start_at(at.at, at.highest, at.jumps, at.main_line, at.shared, at.own)
    used = int(old.motions.state[: n.moves].max()) + 1 if n.moves else 0
    c.moves = MotionBuilder(n.moves, old.motions.in_force[:used])
    c.findings = list(old.findings[: n.findings])
    c.keys = list(memory.keys[: n.findings])
    c.told = set(c.keys)
    c.events = list(old.motions.events[: n.events])
    c.lengths = list(old.motions.lengths_used[: n.lengths])
    c.offsets = list(old.motions.offsets_used[: n.offsets])
    c.radii = list(old.motions.radii_used[: n.radii])
    c.stretches = list(old.stretches[: n.stretches])
    c.reached[: at.highest + 1] = old.reached[: at.highest + 1]
    c.checkpoints = [k for k in memory.checkpoints if k.counts <= n and k.at < at.at]


def meets(c: Desk, flow: Flow, made: Plan) -> Checkpoint | None:
    """The old run's checkpoint in the same state as the control is in now, if there is one at this line."""
    found = made.ends.get(flow.at)
    if found is None or c.path.compensated or not flow.at_top:
        return None
    now = take(c, flow)
    flow.lowest = now.lowest
    same = (
        now.held == found.held.moved(made.new_line)
        and now.shared == found.shared
        and now.own == found.own
        and now.jumps == found.jumps
        and now.highest <= now.at
    )
    return found if same else None


def take_over(c: Desk, flow: Flow, made: Plan, end: Checkpoint) -> None:
    """What the old run made from a checkpoint on becomes the control's own, its lines and moves moved."""
    old, n = made.old, end.counts
    by = len(c.moves) - n.moves

    def line(number: int) -> int:
        moved = made.new_line(number)
        return number if moved is None else moved

    def finding(f: Finding) -> Finding:
        evidence = f.evidence
        if _MOVED in evidence:
            evidence = {**evidence, _MOVED: line(int(evidence[_MOVED] or 0))}
        return replace(f, line=line(f.line), move=f.move + by, evidence=evidence)

    counts = Counts(
        len(c.moves), len(c.findings), len(c.events), len(c.lengths), len(c.offsets), len(c.radii), len(c.stretches)
    )
    shift = [a - b for a, b in zip(counts, n)]
    c.findings += [finding(f) for f in old.findings[n.findings :]]
    c.keys += [_moved_key(key, line) for key in made.memory.keys[n.findings :]]
    c.events += [e._replace(line=line(e.line), before=e.before + by) for e in old.motions.events[n.events :]]
    c.lengths += [u._replace(line=line(u.line), before=u.before + by) for u in old.motions.lengths_used[n.lengths :]]
    c.offsets += [u._replace(line=line(u.line), move=u.move + by) for u in old.motions.offsets_used[n.offsets :]]
    c.radii += [u._replace(line=line(u.line), before=u.before + by) for u in old.motions.radii_used[n.radii :]]
    c.stretches += [s.moved(made.delta, by, line(s.switched_on_line)) for s in old.stretches[n.stretches :]]
    c.reached[end.at + made.delta + 1 :] = old.reached[end.at + 1 :]
    c.checkpoints += [
        replace(
            k,
            at=k.at + made.delta,
            highest=k.highest + made.delta,
            lowest=k.lowest + made.delta if k is not end else flow.take_lowest(),
            main_line=k.main_line + made.delta if k is not end else flow.main_line,
            held=k.held.moved(line),
            counts=Counts(*(a + b for a, b in zip(k.counts, shift))),
        )
        for k in made.memory.checkpoints
        if k.at >= end.at
    ]


def _moved_key(key: FindingKey, line: Callable[[int], int]) -> FindingKey:
    return (key[0], line(key[1]), key[2], key[3])


def join(c: Desk, made: Plan, end: Checkpoint | None) -> Motions:
    """The old run's moves up to where the plan begins, the new ones, and the old ones from ``end`` on."""
    old = made.old.motions
    head = made.start.counts.moves if made.start is not None else 0
    tail = end.counts.moves if end is not None else len(old)
    states = np.zeros(len(old.in_force), dtype=np.int32)
    for k in np.flatnonzero(np.bincount(old.state[tail:], minlength=1)).tolist():
        states[k] = c.moves.state_index(old.in_force[k])
    new = c.moves.build(c.events, c.lengths, c.offsets, c.radii)
    columns: dict[str, Any] = {}
    for name in ("line", "kind", "state", "start", "end", "centre", "sweep", "feed", "plane", "dwell"):
        was, is_now = getattr(old, name), getattr(new, name)
        last = was[tail:]
        if name == "line":
            last = last + np.int32(made.delta)
        elif name == "state":
            last = states[last]
        columns[name] = np.concatenate([was[:head], is_now, last])
        columns[name].setflags(write=False)
    return replace(new, **columns, _kept={}, earlier=old.left_for(head, tail))
