"""Findings that rest on a guess nobody has confirmed: said so, and at most a caution; a note where many a machine would do it.

A finding that no sensible guess would change stays what it is: ``SURVIVES`` is the fixed list of those.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from underglass.core.finding import Finding, Severity
from underglass.core.proof.job import Job

SURVIVES = frozenset({
    "arc-centre-missing", "arc-mismatch", "arc-past-quadrant", "beam-left-on", "beam-on-pause", "beam-on-rapid", "comp-cycle", "comp-exit-arc", "comp-left-on", "comp-lookahead",
    "comp-plane-change", "comp-register-missing", "comp-side-change", "comp-units-change", "cycle-left-on", "feed-missing",
    "length-number-missing", "length-offset-missing", "loop-runaway", "modal-conflict", "not-text", "shift-left-over",
    "stopped-tool-into-stock", "subprogram-missing", "syntax", "tool-unknown", "turn-feed-stopped", "word-unknown",
})  # fmt: skip
"""Faults and crashes of the program's own text and state: no other stock, zero, tool or machine would make them right."""

_RESTS_ON = {
    "travel-limit": ("zero", "machine"),
    "tap-feed": ("tool",),
    "short-reach": ("machine", "zero"),
    "over-speed": ("machine",),
    "over-feed": ("machine",),
    "low-tool-change": ("machine", "zero"),
    "tool-into-fixture": ("zero", "stock"),
    "rapid-into-stock": ("stock", "zero", "tool"),
    "holder-into-stock": ("tool", "stock", "zero"),
    "below-target": ("stock", "zero", "tool"),
    "work-offset-unset": ("zero",),
    "work-offset-wrong": ("zero",),
}
_FIGURES = {"over-speed": ("speed_rpm", "highest_rpm"), "over-feed": ("feed_mm_min", "highest_mm_min")}
_ANOTHERS = 4.0
"""So many times the guessed machine's figure another machine of its kind reaches (common practice, no source): up to there it is a note."""
_ON_THE_TOOL = ("tool", "stock", "zero")


def capped(findings: Iterable[Finding], job: Job) -> tuple[Finding, ...]:
    """The findings; those that rest on what is only guessed yet are at most cautions, with ``guess`` in their evidence."""
    guesses = job.unconfirmed - job.stated
    if not job.unconfirmed:
        return tuple(findings)
    return _eased([_capped(f, guesses, job) for f in findings], guesses)


_SAME_GAP_MM = 0.1


def _eased(findings: Sequence[Finding], guesses: frozenset[str]) -> tuple[Finding, ...]:
    """Cautions that are worth no more than a note on what is guessed: slats whose pitch nobody has said, and contours that all end as far
    short of their beginnings as one another, as bridges that are meant do."""
    gaps = [float(f.evidence["gap_mm"] or 0.0) for f in findings if f.code == "piece-hangs"]
    out = []
    for f in findings:
        guess = ""
        if f.code == "piece-may-tip" and "machine" in guesses:
            guess, said = "machine", "the slats are guessed"
        elif f.code == "piece-hangs" and f"T{f.tool}" in guesses:
            gap = float(f.evidence["gap_mm"] or 0.0)
            if gap > _SAME_GAP_MM and sum(abs(gap - other) <= _SAME_GAP_MM for other in gaps) > 1:
                guess, said = f"T{f.tool}", "that bridges are meant is guessed: several end so"
        if guess:
            f = replace(
                f, raised=Severity.NOTE, evidence={**f.evidence, "guess": guess}, message=f"{f.message} ({said})"
            )
        out.append(f)
    return tuple(out)


def _capped(finding: Finding, guesses: frozenset[str], job: Job) -> Finding:
    if finding.severity <= Severity.CAUTION or finding.code in SURVIVES:
        return finding
    for what in _RESTS_ON.get(finding.code, _ON_THE_TOOL):
        name = f"T{finding.tool}" if what == "tool" else what
        # How far a tool stands out of its holder no program says.
        unsaid = finding.code == "holder-into-stock" and name in job.unconfirmed
        if name in guesses or unsaid:
            evidence = {**finding.evidence, "guess": name}
            said = {"stock": "the stock is guessed", "zero": "the zero is guessed", "machine": "the machine is guessed"}
            message = f"{finding.message} ({said.get(name, f'{name} is guessed')})"
            asked, highest = (
                (float(finding.evidence[key] or 0.0) for key in _FIGURES[finding.code])
                if finding.code in _FIGURES
                else (1.0, 0.0)
            )
            severity = Severity.NOTE if asked <= _ANOTHERS * highest else Severity.CAUTION
            return replace(finding, raised=severity, evidence=evidence, message=message)
    return finding
