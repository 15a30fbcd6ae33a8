"""Tools that the program calls what cannot be held: they cut under what is above them. Code: not-proved."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from underglass.core.finding import Finding, Severity
from underglass.core.language.stated import cuts_under, stated
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.trades.milling.name import MILLING

_NUMBER = re.compile(r"^\W*T(?:OOL)?\s*#?\s*\d{1,4}\W*")
_READ = 5000
"""Comments are read in so many lines."""


@rule({"not-proved": Severity.CAUTION}, MILLING)
def _undercuts(context: Context) -> Iterator[Finding]:
    """At the first change to each tool that a comment names as one that cuts under, if it cuts at all."""
    lines = context.lines[:_READ]
    if not any(cuts_under(text.upper()) for text in lines if "(" in text or ";" in text):
        return
    motions = context.motions
    fed, called = ~motions.rapid() & (motions.dwell == 0.0), motions.tool_of()
    named = dict(stated(lines, context.job.units).undercuts)
    for event in motions.events:
        if event.kind != "tool-change" or event.tool not in named or not (fed & (called == event.tool)).any():
            continue
        line, said = named.pop(event.tool)
        yield Finding(
            code="not-proved",
            line=event.line,
            message=f"line {line} says {_named(said)} of T{event.tool}: what such a tool cuts under the metal above it is not held",
            remedy="look at what it undercuts on the drawing, and at its way in and out",
            tool=event.tool,
            move=int(np.flatnonzero(fed & (called == event.tool))[0]),
            evidence={"tool": event.tool, "said": _named(said)},
        )


def _named(said: str) -> str:
    """The words without the tool's number."""
    return _NUMBER.sub("", said.strip())
