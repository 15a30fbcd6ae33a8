"""How long a form takes from entries to text, figures and drawing: `make bench ARGS='-k forms'`."""

from __future__ import annotations

import time
from itertools import product

import pytest

from underglass.core.compose.operation import Operation
from underglass.core.compose.registry import operations_of
from underglass.core.trade_list import TRADES

FORMS = [(kind, op) for kind in TRADES for op in operations_of(kind)]


def started(op: Operation, **other: str) -> dict[str, str]:
    return op.only_asked({f.key: f.first("mm") for f in op.fields} | other)


@pytest.mark.parametrize(("kind", "op"), FORMS, ids=[f"{kind} {op.key}" for kind, op in FORMS])
def test_forms_answer(benchmark, kind: str, op: Operation) -> None:  # type: ignore[no-untyped-def]
    """What stands there when a form is opened; wanted: under 50 ms."""
    entries = started(op)
    answer = benchmark.pedantic(lambda: op.answer(entries, "mm"), rounds=8, warmup_rounds=1)
    assert answer.blocks


def test_forms_of_100_000_blocks(benchmark) -> None:  # type: ignore[no-untyped-def]
    """A surface about a lying axis in rows so close that it is as long as that; wanted: under 2 s."""
    op = next(op for _kind, op in FORMS if op.key == "surface-about-a-lying-axis")
    blocks = {}
    for ways, step in product(("along", "across"), ("0.01", "0.02", "0.04", "0.06")):
        entries = started(op, ways=ways, by="step", step=step)
        began = time.perf_counter()
        blocks[ways, step] = (len(op.answer(entries, "mm").blocks), time.perf_counter() - began)
    print()
    for (ways, step), (count, took) in blocks.items():
        print(f"{ways} step {step}: {count:,} blocks in {took:.2f} s")
    most = max(blocks, key=lambda k: blocks[k][0])
    entries = started(op, ways=most[0], by="step", step=most[1])
    assert len(benchmark.pedantic(lambda: op.answer(entries, "mm"), rounds=2).blocks) > 100_000
