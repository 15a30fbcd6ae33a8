"""What the proof says of text that a form made for another tool than the bench's."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from tests.core.compose.benches import bench
from underglass.core.compose.operation import Around, Operation
from underglass.core.compose.registry import operations_of
from underglass.core.compose.shop import FIRST
from underglass.core.proof.proof import Proof
from underglass.core.trade_list import TRADES

Prove = Callable[..., Proof]
MADE = [(kind, op) for kind in TRADES for op in operations_of(kind) if any(f.key == "t" for f in op.fields)]


def found(prove_text: Prove, kind: str, op: Operation, entered: dict[str, str], change: tuple[str, str]) -> list[str]:
    text = op.text(entered, "mm", Around(bring=True, texts=FIRST[kind]))
    job, program = bench(kind, op, entered, text)
    assert change[0] in job + program
    proof = prove_text(program.replace(*change), job.replace(*change))
    return [f.message for f in proof.findings if f.code == "form-tool-differs"]


@pytest.mark.parametrize(("kind", "op"), MADE, ids=[op.key for _kind, op in MADE])
def test_what_is_made_for_its_bench_is_not_told(prove_text: Prove, kind: str, op: Operation) -> None:
    assert found(prove_text, kind, op, {}, ("", "")) == []


def test_another_size_on_the_bench_is_told_at_the_head(prove_text: Prove) -> None:
    pocket = {op.key: op for op in operations_of("mill")}["pocket-round"]
    told = found(prove_text, "mill", pocket, {}, ("DC = 10", "DC = 12"))
    assert told == ["This was made by a form for tool diameter 10; T1 on the bench has 12"]
    told = found(prove_text, "mill", pocket, {"t": "3"}, ("T3 M6", "T4 M6"))
    assert told == ["This was made by a form for T3, and T4 cuts it"]
    # Ground by a few hundredths it is the same tool: its register knows.
    assert found(prove_text, "mill", pocket, {}, ("DC = 10.0", "DC = 9.96")) == []
    # Switched off it cuts nothing.
    assert found(prove_text, "mill", pocket, {"off": "yes"}, ("DC = 10", "DC = 12")) == []
