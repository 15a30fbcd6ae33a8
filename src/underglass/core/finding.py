"""What a proof finds: one record a cause, with its place, its sentence and its evidence.

Glossary
    finding   something the person should know, at one place of the program
    span      the columns of a line the finding points at: from 1, end exclusive
    evidence  the figures behind the sentence, by name, lengths in mm
"""

from __future__ import annotations

import enum
from collections.abc import Mapping
from dataclasses import dataclass, field


class Severity(enum.IntEnum):
    """How bad. The order matters: the worst finding is the outcome of a proof."""

    NOTE = 0
    CAUTION = 1
    FAULT = 2
    CRASH = 3

    @property
    def word(self) -> str:
        return self.name.lower()


CODES: dict[str, Severity] = {
    "beam-on-pause": Severity.FAULT,
    "beam-left-on": Severity.FAULT,
    "travel-limit": Severity.CRASH,
    "feed-missing": Severity.FAULT,
    "arc-mismatch": Severity.FAULT,
    "arc-centre-missing": Severity.FAULT,
    "arc-past-quadrant": Severity.FAULT,
    "arc-nearly-whole": Severity.CAUTION,
    "number-no-decimal": Severity.CAUTION,
    "shift-left-over": Severity.FAULT,
    "length-offset-missing": Severity.FAULT,
    "modal-conflict": Severity.FAULT,
    "word-unknown": Severity.FAULT,
    "word-unused": Severity.CAUTION,
    "dwell-long": Severity.NOTE,
    "syntax": Severity.FAULT,
    "subprogram-missing": Severity.FAULT,
    "loop-runaway": Severity.FAULT,
    "over-speed": Severity.FAULT,
    "over-feed": Severity.FAULT,
    "turn-feed-stopped": Severity.FAULT,
    "cycle-left-on": Severity.FAULT,
    "cycle-incomplete": Severity.CAUTION,
    "comp-register-missing": Severity.FAULT,
    "comp-left-on": Severity.FAULT,
    "comp-side-change": Severity.FAULT,
    "comp-exit-arc": Severity.FAULT,
    "comp-cycle": Severity.FAULT,
    "comp-entry-short": Severity.FAULT,
    "comp-inside-corner": Severity.FAULT,
    "comp-backwards": Severity.FAULT,
    "comp-lookahead": Severity.FAULT,
    "comp-plane-change": Severity.FAULT,
    "comp-units-change": Severity.FAULT,
    "length-number-missing": Severity.FAULT,
    "probe-missed": Severity.FAULT,
    "rotation-left-on": Severity.CAUTION,
    "end-missing": Severity.CAUTION,
    "restart-unsafe": Severity.NOTE,
    "not-proved": Severity.CAUTION,
    "not-text": Severity.FAULT,
}
"""Every code that can be raised, with its usual severity: those of the control and of a proof itself; rules add theirs."""


def declare(codes: Mapping[str, Severity]) -> None:
    """Add a rule's codes. Raises ``ValueError`` where one is known with another severity."""
    for code, severity in codes.items():
        if CODES.setdefault(code, severity) != severity:
            raise ValueError(f"{code} is {CODES[code].word} already, not {severity.word}")


FIRST_APPROACH = "first-approach"

Evidence = Mapping[str, float | int | str | bool | None]

Cause = tuple[str, int]
"""The code and the line of the finding that another follows from."""


@dataclass(frozen=True, slots=True)
class Position:
    """A place in the coordinates of the work offset in force, mm."""

    x: float
    y: float
    z: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One cause, once. ``line`` and ``column`` count from 1; ``end_column`` is exclusive.

    ``move`` is the index of the motion that does it (-1: none); ``time_s`` is from the start of the run. ``because`` names
    the finding that this one only follows from.
    """

    code: str
    line: int
    message: str
    remedy: str
    column: int = 1
    end_column: int = 2
    program: str = ""
    tool: int | None = None
    time_s: float = 0.0
    position: Position | None = None
    evidence: Evidence = field(default_factory=dict)
    move: int = -1
    raised: Severity | None = None
    because: Cause | None = None

    @property
    def accepted(self) -> str:
        """Why a person means it so; empty where nobody has said."""
        return str(self.evidence.get("accepted") or "")

    @property
    def severity(self) -> Severity:
        """The code's usual severity, unless this one was raised to another."""
        return CODES[self.code] if self.raised is None else self.raised


def worst(findings: tuple[Finding, ...]) -> Severity:
    """The gravest severity there is; ``NOTE`` when there is nothing."""
    return max((f.severity for f in findings), default=Severity.NOTE)


def outcome(findings: tuple[Finding, ...]) -> str:
    """``clean``, or the worst of caution, fault and crash. Notes do not count."""
    gravest = worst(findings)
    return "clean" if gravest == Severity.NOTE else gravest.word
