"""From a job and a program's text to a proof: control, clock, cut, rules."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.machine import Machine
from underglass.core.bench.tool import Tool
from underglass.core.control.flow import Library
from underglass.core.control.interpret import Control
from underglass.core.control.motions import MotionBuilder, Motions
from underglass.core.control.run import Run
from underglass.core.control.timing import Timing
from underglass.core.errors import UnusableFile
from underglass.core.finding import Finding, Position, Severity
from underglass.core.language.block import read_block
from underglass.core.language.outline import form_heading
from underglass.core.language.source import Source, read_bytes
from underglass.core.proof.accepted import accepted
from underglass.core.proof.causes import leaving_move, with_causes
from underglass.core.proof.cut_order import CutOrder, Progress
from underglass.core.proof.guesses import capped
from underglass.core.proof.job import Job
from underglass.core.proof.length_ways import length_way, settled
from underglass.core.proof.line_moves import line_moves
from underglass.core.proof.proof import Proof, Segment
from underglass.core.proof.rule import Rule, rules_of
from underglass.core.proof.rules import compensation, program, registers
from underglass.core.proof.rules.context import Context
from underglass.core.proof.touch import first_touch
from underglass.core.reading import PROGRAM_BYTES, read_regular
from underglass.core.removal.toolpath import ToolTable, make_tool_table, real_tools, spare_bored_walls

SHARED_RULES = (registers, program, compensation)
"""Imported, that they register their rules, which every trade is held against."""


def prove(
    job: Job,
    source: Source,
    progress: Progress = lambda _what, _share: None,
    cancelled: Callable[[], bool] = lambda: False,
    before: Proof | None = None,
    *,
    cut: bool = True,
    rules: Callable[[Rule], bool] = lambda _rule: True,
) -> Proof:
    """Prove a job's program. Never raises for what is in the program; ``Cancelled`` when told to stop.

    ``cut``: False where only the moves are asked for: nothing is cut, and no finding is made but the control's own. ``rules``: which are asked.
    ``before``: an earlier proof; where its job is the same, only what the edit changed is read again.
    """
    progress("reading the program", 0.0)
    job = settled(job, source.lines)
    same = before if before is not None and _same_job(job, before.job) else None
    run = _run(job, source, cancelled, same.run if same is not None else None)
    return proof_of_run(
        job, source, run, before, same=same, rules=rules, progress=progress, cancelled=cancelled, cut=cut
    )


def proof_of_run(
    job: Job,
    source: Source,
    run: Run,
    before: Proof | None = None,
    *,
    same: Proof | None = None,
    rows: tuple[list[Tool], NDArray[np.int32]] | None = None,
    rules: Callable[[Rule], bool] = lambda _rule: True,
    progress: Progress = lambda _what, _share: None,
    cancelled: Callable[[], bool] = lambda: False,
    cut: bool = True,
    cut_along: Motions | None = None,
) -> Proof:
    """What moves that are made already come to: their time, their cut, and what the rules find.

    ``before``: an earlier proof, whose cut is taken over as far as it is the same; ``same``: one of the same bench, of whose
    moves the first ``run.taken_over`` are. ``rows``: the tools that are really in the spindle and each move's number among them
    (-1: none); left out, those that the bench has for the numbers called. ``rules``: which of them are asked. ``cut_along``: the same
    moves as the work feels them, where a tool that gives way does not go as deep as it is sent.
    """
    motions = run.motions
    switches = job.switches
    at_once = same is not None and same.job.switches == switches and same.job.bench.machine == job.bench.machine
    known = (same.timing, run.taken_over) if same is not None and at_once else None
    timing = job.trade.time(motions, job.bench.machine, switches.feed_override, switches.rapid_override, known)
    tools, row = rows or real_tools(motions, job.bench.tools, job.bench.loaded)
    table, row = spare_bored_walls(motions, row, make_tool_table(tools, job.bench.machine.nose_diameter))
    since = _since(run, table, row, same) if same is not None else 0
    order = CutOrder(
        bench=job.bench,
        motions=cut_along if cut_along is not None else motions,
        table=table,
        rows=row,
        cell=job.settings.cell,
        clearance=job.settings.clearance,
        progress=progress,
        cancelled=cancelled,
        before=before.histories if before is not None else (),
        since=since,
    )
    histories = job.trade.cut(order) if cut else ()
    progress("looking for contacts", 1.0)
    # A mesh is held in cells about as large as the stock's: on other cells what passed it is looked at anew.
    kept = same is not None and since and same.job.settings.cell == job.settings.cell
    earlier = same.passed_by if same is not None and kept else ()
    context = Context(
        job=job,
        run=run,
        timing=timing,
        tool_table=table,
        tool_row=row,
        histories=histories,
        cancelled=cancelled,
        lines=source.lines,
        since=since,
        earlier=earlier,
    )
    findings = list(run.findings)
    for one in rules_of(job.trade.name) if cut else ():
        context.check()
        if rules(one):
            findings.extend(one.find(context))
    findings = [f for f in findings if f.code not in job.trade.without]
    if not source.is_text:
        findings = [_not_text()]
    settled_ones = with_causes(_settle(findings, motions, timing, source.name, job.bench.machine), motions)
    done = accepted(capped(settled_ones, job), source.lines, job.accepted)
    return Proof(
        job=job,
        source=source,
        run=run,
        timing=timing,
        tool_table=table,
        tool_row=row,
        histories=histories,
        findings=done,
        closest=tuple(sorted(context.closest, key=lambda c: c.distance_mm)),
        segments=_segments(run, timing, source),
        line_moves=line_moves(motions.line),
        passed_by=tuple(context.approaches),
    )


def _since(run: Run, table: ToolTable, rows: NDArray[np.int32], old: Proof) -> int:
    """How many moves at the beginning are those of an earlier proof, made by the same tools."""
    if table.tools != old.tool_table.tools or table.outline.shape != old.tool_table.outline.shape:
        return 0
    count = min(run.taken_over, len(rows), len(old.tool_row))
    differs = rows[:count] != old.tool_row[:count]
    return int(np.argmax(differs)) if differs.any() else count


def _same_job(one: Job, two: Job) -> bool:
    """Whether the control begins in the same state under both, on the same bench."""
    return one is two or (
        (one.z_by, one.z_tool, one.touched) == (two.z_by, two.z_tool, two.touched)
        and (one.control, one.registers, one.switches, one.start, one.folder, one.at_stops) == (two.control, two.registers, two.switches, two.start, two.folder, two.at_stops)
        and one.bench == two.bench
    )  # fmt: skip


def _run(job: Job, source: Source, cancelled: Callable[[], bool], old: Run | None) -> Run:
    if not source.is_text:
        return Run(motions=MotionBuilder().build([], [], []), findings=(), ended=True, last_line=1)
    return control_for(job).run(source.lines, cancelled, source.name, old)


def control_for(job: Job) -> Control:
    """The job's control as it stands before the program: registers, switches, what the job before left."""
    return Control(
        job.control,
        job.bench.machine,
        job.registers,
        job.switches,
        _beside(Path(job.folder)),
        job.start,
        partial(first_touch, job.bench),
        job.at_stops,
        length_way(job),
        dialect=job.trade.dialect,
    )


def _beside(folder: Path) -> Library:
    """Looks for a subprogram beside the program: O1234.nc, then 1234.nc."""
    kept: dict[int, tuple[str, tuple[str, ...]] | None] = {}

    def look(number: int) -> tuple[str, tuple[str, ...]] | None:
        if number not in kept:
            kept[number] = None
            for name in (f"O{number}.nc", f"O{number:04d}.nc", f"{number}.nc", f"{number:04d}.nc"):
                try:
                    kept[number] = (name, read_bytes(read_regular(folder / name, PROGRAM_BYTES), name).lines)
                    break
                except UnusableFile:
                    continue
        return kept[number]

    return look


def _not_text() -> Finding:
    return Finding(
        code="not-text",
        line=1,
        message="this file is not a program: it holds bytes that no text has",
        remedy="choose the program's file",
    )


def _settle(
    findings: list[Finding], motions: Motions, timing: Timing, name: str, machine: Machine
) -> tuple[Finding, ...]:
    """Give every finding its moment, place and program; join what belongs together; sort by time."""
    n = len(motions)
    touching = {f.tool for f in findings if f.severity == Severity.CRASH and f.code != "travel-limit"}
    out = []
    factor = machine.x_factor
    for f in findings:
        moment, position = f.time_s, f.position
        if f.move >= 0 and n and position is None:
            k = min(f.move, n - 1)
            moment = float(timing.start[k]) if f.move < n else timing.total
            at = motions.start[k] if f.move < n else motions.end[k]
            x, y, z = motions.state_of(k).work((float(at[0]), float(at[1]), float(at[2])))
            position = Position(factor * x, y, z)
        elif f.move >= 0 and n and moment == 0.0:
            moment = float(timing.start[min(f.move, n - 1)])
        raised = f.raised
        if f.code == "comp-left-on" and n:
            on_line = int(f.evidence.get("switched_on_line") or 0)
            f = replace(f, evidence={**f.evidence, "leaves_move": leaving_move(motions, on_line, min(f.move, n))})
        if f.code == "length-offset-missing" and f.tool in touching:
            raised = Severity.CRASH
        sentence = f.message[:1].upper() + f.message[1:]
        out.append(replace(f, time_s=moment, position=position, program=name, raised=raised, message=sentence))
    order = sorted(range(len(out)), key=lambda k: (out[k].time_s, out[k].line, out[k].column, -out[k].severity, k))
    return tuple(out[k] for k in order)


def _segments(run: Run, timing: Timing, source: Source) -> tuple[Segment, ...]:
    """The run as stretches of one tool each, named by the comment that stands at or just above the tool change."""
    marks: list[tuple[float, int, int]] = []
    for event, moment in zip(run.motions.events, timing.events.tolist()):
        if event.kind == "tool-change":
            marks.append((moment, event.tool, event.line))
    out = []
    header = _tools_said(source)
    if not marks or marks[0][0] > 0.0:
        # What stands ready before the program says a tool: nothing on most machines, the one cutter of a torch.
        marks.insert(0, (0.0, run.motions.in_force[0].tool if run.motions.in_force else 0, 1))
    for k, (start, tool, line) in enumerate(marks):
        end = marks[k + 1][0] if k + 1 < len(marks) else timing.total
        if end > start:
            out.append(
                Segment(
                    tool=tool,
                    start_s=start,
                    end_s=end,
                    line=line,
                    remark=_remark_near(source, line, tool, header) if tool else "",
                )
            )
    return tuple(out)


_HEADER = 200
"""Lines in which a tool list at the head of a program is looked for."""

_TOOL_SAID = re.compile(r"\bT(?:OOL)?[ #.]{0,3}0*(\d{1,4})\b[ \-:=.]{0,4}", re.IGNORECASE)


def _tools_said(source: Source) -> dict[int, str]:
    """What the comments at the program's head say of each tool."""
    out: dict[int, str] = {}
    for number, text in enumerate(source.lines[:_HEADER], 1):
        if "(" in text or ";" in text:
            for remark in read_block(text, number).remarks:
                said = _TOOL_SAID.search(remark.words)
                if said is not None:
                    words = _TOOL_SAID.sub("", remark.words, count=1).strip()
                    out.setdefault(int(said[1]), words or remark.words)
    return out


def _remark_near(source: Source, line: int, tool: int, header: Mapping[int, str]) -> str:
    """The comment at a tool's change or just above it, unless it names another tool; else what the header says of this one."""
    form = form_heading(source.lines, line)
    if form:
        return form
    for number in (line, line - 1, line - 2):
        if not 1 <= number <= len(source.lines) or not any(c in source.lines[number - 1] for c in "(;"):
            continue
        block = read_block(source.lines[number - 1], number)
        # Beside the program's number stands what the program is called.
        remarks = () if block.word("O") is not None else block.remarks
        words = remarks[0].words if remarks else ""
        said = _TOOL_SAID.search(words)
        if said is not None and int(said[1]) == tool:
            return _TOOL_SAID.sub("", words, count=1).strip() or words
        if words and said is None:
            return words
    return header.get(tool, "")
