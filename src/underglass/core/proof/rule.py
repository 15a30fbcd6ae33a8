"""Rules: each names the codes that it finds, how bad they are and the trades that it is for, and registers itself.

A new finding is one function under ``@rule``; a proof, the reports and the list of codes find it there.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import TypeVar

from underglass.core.finding import Finding, Severity, declare
from underglass.core.proof.rules.context import Context

Finder = Callable[[Context], Iterable[Finding]]
F = TypeVar("F", bound=Finder)


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """``trades``: the names of those it is for; empty: every one. ``find`` asks ``context.since`` what is new."""

    name: str
    codes: Mapping[str, Severity]
    trades: frozenset[str]
    find: Finder

    def serves(self, trade: str) -> bool:
        return not self.trades or trade in self.trades


RULES: dict[str, Rule] = {}
"""Every rule, by trade, module and name, in the order in which they were registered."""


def rule(codes: Mapping[str, Severity], *trades: str) -> Callable[[F], F]:
    """Register a function as a rule. Raises ``ValueError`` where another severity is known for a code."""

    def register(find: F) -> F:
        declare(codes)
        name = ".".join((*trades, find.__module__.rsplit(".", 1)[-1], find.__name__.strip("_")))
        if name in RULES and RULES[name].find.__module__ != find.__module__:
            raise ValueError(f"there are two rules by the name of {name}")
        RULES[name] = Rule(name=name, codes=dict(codes), trades=frozenset(trades), find=find)
        return find

    return register


def rules_of(trade: str) -> tuple[Rule, ...]:
    """The rules that a trade's proofs are held against."""
    return tuple(one for one in RULES.values() if one.serves(trade))
