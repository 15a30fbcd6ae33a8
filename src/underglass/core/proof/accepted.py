"""Findings that a person has looked at and means so: kept in the job with the reason, and no trouble any more.

What is accepted is a code on a block's text: it stays accepted when the line moves, and is found again as before when the
block is changed.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from underglass.core.finding import Finding, Severity
from underglass.core.proof.job import Accepted


def accepted(findings: Iterable[Finding], lines: Sequence[str], meant: Sequence[Accepted]) -> tuple[Finding, ...]:
    """The findings; those that are meant as notes, with the reason in their evidence."""
    if not meant:
        return tuple(findings)
    reasons = {(a.code, a.block.strip()): a.reason for a in meant}
    out = []
    for finding in findings:
        reason = reasons.get((finding.code, block_of(finding, lines)))
        if reason is not None:
            finding = replace(finding, raised=Severity.NOTE, evidence={**finding.evidence, "accepted": reason})
        out.append(finding)
    return tuple(out)


def block_of(finding: Finding, lines: Sequence[str]) -> str:
    """The text of the block that a finding stands at, spaces at its ends left out."""
    return lines[finding.line - 1].strip() if 1 <= finding.line <= len(lines) else ""
