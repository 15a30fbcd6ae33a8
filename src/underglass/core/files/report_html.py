"""A proof, or a folder of them, as one HTML page: what was found with a picture of each place, and what else a person asks first."""

from __future__ import annotations

import base64
import html
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from underglass.core.files.filled_in import page_of
from underglass.core.files.place_svg import as_svg
from underglass.core.files.setup_sheet import Table, checksum_of
from underglass.core.finding import Finding, Severity
from underglass.core.proof.place_picture import Looking, looking_at
from underglass.core.proof.proof import Proof
from underglass.core.units import show_clock, show_length

MOST_PICTURED = 60
"""Findings of one proof that are pictured; the rest is told in words."""

_BESIDE = 3
_INK = {Severity.CRASH: "#B3261E", Severity.FAULT: "#A04A08", Severity.CAUTION: "#706100"}

Photographs = Callable[[Finding], bytes | None]
"""A PNG of a finding's place as the window sees it, or None."""


@dataclass(frozen=True, slots=True, kw_only=True)
class FindingShown:
    """A finding in words, with the lines about it and its pictures as (caption, HTML)."""

    severity: str
    code: str
    line: int
    tool: int | None
    time: str
    message: str
    remedy: str
    lines: tuple[tuple[int, str, bool], ...]
    pictures: tuple[tuple[str, str], ...]
    follows: str


@dataclass(frozen=True, slots=True, kw_only=True)
class JobShown:
    """One proof on the page. ``counts``: crashes, faults, cautions."""

    file: str
    title: str
    outcome: str
    counts: tuple[int, int, int]
    time: str
    gravest: str
    facts: tuple[tuple[str, str], ...]
    findings: tuple[FindingShown, ...]
    tables: tuple[Table, ...]
    guesses: tuple[str, ...]


def counts_of(proof: Proof) -> tuple[int, int, int]:
    """How many crashes, faults and cautions stand for themselves and are accepted by nobody."""
    severities = [f.severity for f in proof.to_mend]
    return severities.count(Severity.CRASH), severities.count(Severity.FAULT), severities.count(Severity.CAUTION)


def gravest_of(proof: Proof) -> str:
    """The first of the gravest findings in short; empty where there is none."""
    worst = max((f.severity for f in proof.to_mend), default=Severity.NOTE)
    first = next((f for f in proof.to_mend if f.severity == worst and worst > Severity.NOTE), None)
    return f"line {first.line}: {first.message}" if first is not None else ""


def in_order(proof: Proof) -> list[Finding]:
    """What is to be mended as a report has it: the gravest first, then in time."""
    meant = [f for f in proof.to_mend if f.severity > Severity.NOTE]
    return sorted(meant, key=lambda f: (-f.severity, f.time_s, f.line))


def job_shown(proof: Proof, *, pictures: bool = True, photographs: Photographs | None = None) -> JobShown:
    """A proof in words and pictures. ``photographs``: where a window can give them, beside the drawn ones."""
    job, unit = proof.job, proof.job.units
    look = looking_at(proof)
    shown = [
        _finding(proof, f, look if pictures and k < MOST_PICTURED else None, photographs)
        for k, f in enumerate(in_order(proof))
    ]
    facts = (
        ("Outcome", proof.outcome), ("Program", f"{proof.source.name}, {len(proof.source.lines)} lines"), ("Checksum", checksum_of(proof)),
        ("Machine", job.bench.machine.title), ("Control", job.control.title), ("Time", show_clock(proof.timing.total)),
        ("Moves", f"{len(proof.motions):,}"),
    )  # fmt: skip
    return JobShown(
        file=Path(job.file).name, title=job.title or proof.source.name, outcome=proof.outcome, counts=counts_of(proof),
        time=show_clock(proof.timing.total), gravest=gravest_of(proof), facts=facts, findings=tuple(shown), guesses=tuple(job.guessed),
        tables=(
            Table(title="Accepted, and why", heads=("Line", "What", "Reason"), right=(0,),
                  rows=tuple((str(f.line), f.message, f.accepted) for f in proof.troubles if f.accepted)),
            Table(title="Notes", heads=("Line", "What"), right=(0,),
                  rows=tuple((str(f.line), f.message) for f in proof.to_mend if f.severity == Severity.NOTE)),
            Table(title="First approaches: to be compared at the machine", heads=("Line", "What"), right=(0,),
                  rows=tuple((str(f.line), f.message) for f in proof.approaches)),
            Table(title="Closest passes", heads=("What", "To", f"Distance, {unit}", "Line", "Tool"), right=(2, 3, 4),
                  rows=tuple((c.part, c.to, show_length(c.distance_mm, unit), str(c.line), f"T{c.tool}") for c in proof.closest[:12])),
            Table(title="Tools", heads=("Tool", "What", "At feed", "At rapid", "Removed, cm3"), right=(2, 3, 4),
                  rows=tuple((f"T{u.number}", job.bench.tool_names.get(job.bench.loaded.get(u.number, u.number), "not on the bench"),
                              show_clock(u.feed_time_s), show_clock(u.rapid_time_s), f"{u.removed_mm3 / 1000.0:.2f}") for u in proof.tool_uses())),
        ),
    )  # fmt: skip


def _finding(proof: Proof, f: Finding, look: Looking | None, photographs: Photographs | None) -> FindingShown:
    drawn: list[tuple[str, str]] = []
    taken = photographs(f) if photographs is not None and look is not None else None
    if taken is not None:
        drawn.append(("In the glass", f'<img alt="" src="data:image/png;base64,{base64.b64encode(taken).decode()}">'))
    for picture in look(f) if look is not None else ():
        drawn.append((picture.title, as_svg(picture, proof.job.units, _INK.get(f.severity, "#B3261E"))))
    first = max(1, f.line - _BESIDE)
    lines = proof.source.lines[first - 1 : f.line + _BESIDE]
    after = proof.following(f)
    codes = {code: sum(g.code == code for g in after) for code in dict.fromkeys(g.code for g in after)}
    return FindingShown(
        severity=f.severity.word, code=f.code, line=f.line, tool=f.tool, time=show_clock(f.time_s), message=f.message,
        remedy=f"{f.remedy[:1].upper()}{f.remedy[1:]}.", lines=tuple((n, text, n == f.line) for n, text in enumerate(lines, first)),
        pictures=tuple(drawn), follows=", ".join(f"{n} {code}" for code, n in codes.items()),
    )  # fmt: skip


def page(jobs: Sequence[JobShown], date: str, unusable: Mapping[str, str] | None = None) -> str:
    """The whole page. ``unusable``: files that could not be read at all, and why."""
    unusable = unusable or {}
    one = len(jobs) == 1 and not unusable
    bad = sum(j.outcome in ("crash", "fault") for j in jobs) + len(unusable)
    title = jobs[0].title if one else f"{len(jobs) + len(unusable)} jobs, {bad} with something to mend"
    return page_of(
        "report",
        title=title,
        subtitle=f"Report of the proof, {html.escape(date)}",
        jobs=jobs,
        unusable=list(unusable.items()),
    )
