"""Fill-in operations by the kind of machine that they are for: each trade registers its own."""

from __future__ import annotations

from underglass.core.compose.operation import Operation

_BY_KIND: dict[str, tuple[Operation, ...]] = {}


def register(kind: str, operations: tuple[Operation, ...]) -> None:
    """Make operations known for a kind of machine, in the order in which they are offered."""
    _BY_KIND[kind] = operations


def operations_of(kind: str) -> tuple[Operation, ...]:
    """Those of one kind of machine; none where a trade has none."""
    return _BY_KIND.get(kind, ())


def all_operations() -> dict[str, tuple[Operation, ...]]:
    """Every operation by kind of machine."""
    return dict(_BY_KIND)
