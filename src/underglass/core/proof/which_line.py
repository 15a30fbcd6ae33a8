"""Which line mattered: the smallest change of a program that makes a finding come or go, and the shortest program that still shows it.

Both by halving (Zeller and Hildebrandt, Simplifying and Isolating Failure-Inducing Input, 2002, from memory): pieces are left out as long as
what is looked for stays.
"""

from __future__ import annotations

import difflib
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from underglass.core.errors import Cancelled
from underglass.core.finding import Finding, Severity
from underglass.core.language.source import Source, read_lines
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove

_MOST_PROOFS = 400


@dataclass(frozen=True, slots=True, kw_only=True)
class Hunk:
    """Lines of the old program (from 0, end exclusive) that stand as others in the new one."""

    first: int
    last: int
    old: tuple[str, ...]
    new: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Least:
    """``hunks``: the fewest changes that make the difference; ``source``: the old program with them alone."""

    hunks: tuple[Hunk, ...]
    source: Source
    proofs: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Short:
    """``source``: the shortest that was found; ``lines``: which of the whole program's lines (from 1) it keeps; ``finding`` as it is there."""

    source: Source
    lines: tuple[int, ...]
    finding: Finding
    proofs: int


def hunks_between(old: Sequence[str], new: Sequence[str]) -> tuple[Hunk, ...]:
    """The changes between two programs, line by line where as many lines stand for others."""
    out = []
    for tag, a, b, c, d in difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if tag == "equal":
            continue
        if b - a == d - c:
            out += [Hunk(first=a + k, last=a + k + 1, old=(old[a + k],), new=(new[c + k],)) for k in range(b - a)]
        else:
            out.append(Hunk(first=a, last=b, old=tuple(old[a:b]), new=tuple(new[c:d])))
    return tuple(out)


def with_hunks(old: Sequence[str], hunks: Sequence[Hunk]) -> list[str]:
    """The old program with some of the changes made."""
    out = list(old)
    for hunk in sorted(hunks, key=lambda h: h.first, reverse=True):
        out[hunk.first : hunk.last] = hunk.new
    return out


def _smallest(count: int, shows: Callable[[list[int]], bool]) -> list[int]:
    """The fewest of ``count`` pieces that still show it, each of them needed: halves are left out, then quarters, and so on."""
    kept, parts = list(range(count)), 2
    while len(kept) >= 2:
        size = max(len(kept) // parts, 1)
        pieces = [kept[k : k + size] for k in range(0, len(kept), size)]
        for piece in pieces:
            rest = [k for k in kept if k not in set(piece)]
            if rest and shows(rest):
                kept, parts = rest, max(parts - 1, 2)
                break
        else:
            if size == 1:
                break
            parts = min(parts * 2, len(kept))
    return kept


class _Asking:
    """Proofs of one job's programs; counted and cancelled."""

    def __init__(self, job: Job, cancelled: Callable[[], bool]) -> None:
        self.job, self.cancelled, self.count = job, cancelled, 0
        self.before: Proof | None = None

    def prove(self, lines: Sequence[str], name: str) -> Proof:
        if self.cancelled():
            raise Cancelled
        self.count += 1
        self.before = prove(self.job, read_lines(list(lines), name), cancelled=self.cancelled, before=self.before)
        return self.before


def _has(proof: Proof, code: str, severity: Severity) -> Finding | None:
    return next((f for f in proof.findings if f.code == code and f.severity >= severity), None)


def least_change(
    job: Job, old: Source, new: Source, code: str, cancelled: Callable[[], bool] = lambda: False
) -> Least | None:
    """The fewest changes from ``old`` to ``new`` that make a finding of ``code`` come, or go; None where both have it, or neither.

    Raises ``Cancelled``.
    """
    asking = _Asking(job, cancelled)
    had = _has(asking.prove(old.lines, old.name), code, Severity.NOTE) is not None
    has = _has(asking.prove(new.lines, new.name), code, Severity.NOTE) is not None
    if had == has:
        return None
    hunks = hunks_between(old.lines, new.lines)

    def shows(kept: list[int]) -> bool:
        if asking.count >= _MOST_PROOFS:
            return False
        lines = with_hunks(old.lines, [hunks[k] for k in kept])
        return (_has(asking.prove(lines, old.name), code, Severity.NOTE) is not None) == has

    kept = _smallest(len(hunks), shows)
    found = tuple(hunks[k] for k in kept)
    return Least(hunks=found, source=read_lines(with_hunks(old.lines, found), old.name), proofs=asking.count)


def shortest(job: Job, source: Source, finding: Finding, cancelled: Callable[[], bool] = lambda: False) -> Short | None:
    """The shortest program that still shows a finding of the same code, tool and thing; None where the program does not. Raises ``Cancelled``.

    Lines behind the finding are left out first, then whatever may go.
    """
    asking = _Asking(job, cancelled)
    lines = list(source.lines)

    def same(proof: Proof) -> Finding | None:
        """The same thing again: what touches what with which part, not only the same code."""
        alike = ("with", "part", "register", "offset")
        for f in proof.findings:
            if (f.code, f.tool, f.severity) == (finding.code, finding.tool, finding.severity) and all(
                f.evidence.get(key) == finding.evidence.get(key) for key in alike
            ):
                return f
        return None

    if same(asking.prove(lines, source.name)) is None:
        return None
    numbers = list(range(len(lines)))
    head = [k for k in numbers if k < finding.line]
    if same(asking.prove([lines[k] for k in head], source.name)) is not None:
        numbers = head

    def shows(kept: list[int]) -> bool:
        if asking.count >= _MOST_PROOFS:
            return False
        return same(asking.prove([lines[numbers[k]] for k in kept], source.name)) is not None

    kept = [numbers[k] for k in _smallest(len(numbers), shows)]
    made = read_lines([lines[k] for k in kept], source.name)
    found = same(prove(job, made))
    assert found is not None
    return Short(source=made, lines=tuple(k + 1 for k in kept), finding=found, proofs=asking.count)
