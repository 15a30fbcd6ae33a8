"""Fill-in operations by the kind of machine that they are for: each trade registers its own."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from underglass.core.compose.operation import Operation
from underglass.core.proof.job import Job
from underglass.core.units import Unit

Starts = Callable[[Operation, Job, Unit, Mapping[str, str]], dict[str, str]]
"""What a form begins with on a job's bench, given what was entered: entries by key."""

_BY_KIND: dict[str, tuple[Operation, ...]] = {}
_STARTS: dict[str, Starts] = {}


def register(kind: str, operations: tuple[Operation, ...], starts: Starts) -> None:
    """Make operations known for a kind of machine, in the order in which they are offered."""
    _BY_KIND[kind] = operations
    _STARTS[kind] = starts


def operations_of(kind: str) -> tuple[Operation, ...]:
    """Those of one kind of machine; none where a trade has none."""
    return _BY_KIND.get(kind, ())


def starts_of(kind: str) -> Starts | None:
    """How forms of that kind of machine begin."""
    return _STARTS.get(kind)


def all_operations() -> dict[str, tuple[Operation, ...]]:
    """Every operation by kind of machine."""
    return dict(_BY_KIND)
