"""One cause, one finding: what only follows from another finding says so, and is folded under it.

A wrong register, a length offset that is missing, a zero that is out, the wrong tool, a spindle that stands or
compensation that is left on can each be behind hundreds of contacts; so can one wrong height, or one line of a subprogram.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from underglass.core.control.motions import Motions
from underglass.core.finding import Cause, Finding

CONTACTS = frozenset({"rapid-into-stock", "tool-into-fixture", "holder-into-stock", "stopped-tool-into-stock"})
_FROM_HEIGHT = CONTACTS | {
    "travel-limit",
    "below-limit",
    "too-deep",
    "plunge-not-centre-cutting",
    "close-pass",
    "short-reach",
    "piece-free",
}
"""What a tip that runs at another height than is believed leads to."""

_FROM_PLACE = _FROM_HEIGHT | {"cuts-air"}
_COMP = frozenset({
    "comp-lookahead", "comp-exit-remains", "comp-entry-witness", "comp-backwards", "comp-inside-corner", "comp-side-change",
    "comp-entry-short", "comp-exit-arc",
})  # fmt: skip


def with_causes(findings: Sequence[Finding], motions: Motions) -> tuple[Finding, ...]:
    """The findings, in the order they stand in, each that follows from another with its cause."""
    return _repeats(_roots(findings, motions), motions)


def _roots(findings: Sequence[Finding], motions: Motions) -> list[Finding]:
    by_code: dict[str, list[Finding]] = {}
    for f in findings:
        by_code.setdefault(f.code, []).append(f)
    out = []
    for f in findings:
        cause = f.because or _root_of(f, by_code, motions)
        out.append(replace(f, because=cause) if cause is not None else f)
    return out


def _root_of(f: Finding, by_code: dict[str, list[Finding]], motions: Motions) -> Cause | None:
    """The finding that this one follows from; None where it stands for itself."""
    if f.code == "word-unused":
        # A cycle that is told by other letters than this control's lacks its own, and has no use for those.
        return next(((r.code, r.line) for r in by_code.get("cycle-incomplete", ()) if r.line == f.line), None)
    n = len(motions)
    if f.move < 0 or not n:
        return None
    if f.code in _FROM_PLACE:
        for code in ("wrong-tool-loaded", "length-offset-missing", "length-register-wrong"):
            if code != "wrong-tool-loaded" and f.code not in _FROM_HEIGHT | {"cuts-air"}:
                continue
            for root in reversed(by_code.get(code, ())):
                if root.tool == f.tool and _from_on(root, f, code, motions):
                    return (root.code, root.line)
        for root in reversed(by_code.get("work-offset-wrong", ())):
            state = motions.state_of(min(f.move, n - 1))
            if root.move <= f.move and root.evidence.get("offset") == state.offset:
                return (root.code, root.line)
        for root in by_code.get("shift-left-over", ()):
            if root.move <= f.move:
                return (root.code, root.line)
    if f.code in _COMP or f.code in CONTACTS:
        for root in by_code.get("comp-left-on", ()):
            since = int(root.evidence.get("leaves_move") or n)
            if since <= f.move <= root.move:
                return (root.code, root.line)
    return None


def _from_on(root: Finding, f: Finding, code: str, motions: Motions) -> bool:
    """Whether what a root says still holds where a finding stands: the same call of the tool, the same register."""
    if root.move > f.move and f.code != "cuts-air":
        return False
    changes = [e for e in motions.events if e.kind == "tool-change"]
    later = [e.before for e in changes if e.before > root.move]
    if later and f.move >= later[0]:
        return False
    state = motions.state_of(min(f.move, len(motions) - 1))
    if code == "length-offset-missing":
        return state.h_number is None or f.code == "cuts-air"
    if code == "length-register-wrong":
        return root.evidence.get("register") == f"H{state.h_number}" or f.code == "cuts-air"
    return True


def _repeats(findings: Sequence[Finding], motions: Motions) -> tuple[Finding, ...]:
    """Contacts of one tool that one height, one line or one stretch with the spindle stopped leads to: the first, and the rest."""
    first: dict[tuple[object, ...], Finding] = {}
    out = []
    for f in findings:
        if f.because is None and f.code in CONTACTS and 0 <= f.move < len(motions):
            for key in _keys(f, motions):
                known = first.setdefault(key, f)
                if known is not f:
                    f = replace(f, because=(known.code, known.line))
                    break
        out.append(f)
    return tuple(out)


def _keys(f: Finding, motions: Motions) -> list[tuple[object, ...]]:
    move = f.move
    thing = f.evidence.get("with")
    keys: list[tuple[object, ...]] = [(f.code, f.tool, thing, "line", f.line)]
    if f.code == "stopped-tool-into-stock":
        changes = [e.before for e in motions.events if e.kind == "tool-change" and e.before <= move]
        keys.append((f.code, f.tool, "call", changes[-1] if changes else 0))
    else:
        low = float(min(motions.end[move, 2], motions.start[move, 2]))
        keys.append((f.code, f.tool, thing, "height", round(low, 3)))
    return keys


def leaving_move(motions: Motions, switched_on_line: int, until: int) -> int:
    """The first rapid that rises with compensation on, after the line that switched it on: from there it is forgotten."""
    on = np.array([s.comp != "off" for s in motions.in_force] or [False])[motions.state]
    rises = motions.rapid() & (motions.end[:, 2] > motions.start[:, 2] + 1e-6) & on
    rises &= motions.line >= switched_on_line
    found = np.flatnonzero(rises[:until])
    return int(found[0]) if len(found) else until
