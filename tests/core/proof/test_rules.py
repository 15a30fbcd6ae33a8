"""A rule is one function: added at run time, it is asked, its code is known, and it serves the trades that it names."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path

import pytest

import underglass
from tests.conftest import START, codes
from tests.test_house import parsed
from underglass.core.finding import CODES, Finding, Severity, declare
from underglass.core.proof.proof import Proof
from underglass.core.proof.rule import RULES, rule, rules_of
from underglass.core.proof.rules.context import Context
from underglass.core.trade_list import TRADES

SOURCE = Path(underglass.__file__).parent


def test_a_rule_added_at_run_time_is_asked(prove_text: Callable[..., Proof], monkeypatch: pytest.MonkeyPatch) -> None:
    for table in (RULES, CODES):
        for key, value in list(table.items()):
            monkeypatch.setitem(table, key, value)  # type: ignore[arg-type]

    @rule({"too-many-moves": Severity.CAUTION}, "milling")
    def _many(context: Context) -> Iterator[Finding]:
        yield Finding(
            code="too-many-moves", line=1, message=f"there are {len(context.motions)} moves", remedy="write fewer"
        )

    try:
        proof = prove_text(START + "G0 Z50.\nM30\n")
        assert "too-many-moves" in codes(proof) and proof.outcome == "caution"
    finally:
        RULES.pop("milling.test_rules.many")
        CODES.pop("too-many-moves")


def test_a_rule_for_another_trade_is_not_asked() -> None:
    assert {t for r in rules_of("milling") for t in r.trades} == {"milling"}
    assert set(RULES) == {r.name for trade in TRADES.values() for r in rules_of(trade.name)}
    assert {r.name for r in rules_of("no such trade")} == {r.name for r in RULES.values() if not r.trades}


def test_one_code_has_one_severity() -> None:
    with pytest.raises(ValueError, match="too-deep"):
        declare({"too-deep": Severity.CRASH})


def test_a_rule_raises_what_it_declares_and_nothing_else() -> None:
    declared = {code for one in RULES.values() for code in one.codes}
    for path in (SOURCE / "core").rglob("rules/*.py"):
        tree = parsed(path)
        raised = {
            node.args[0].value
            for node in ast.walk(tree)
            if isinstance(node, ast.Call)
            and isinstance(node.func, ast.Name)
            and node.func.id == "Finding"
            and node.args
            and isinstance(node.args[0], ast.Constant)
        }
        assert raised <= declared, path.name


@cache
def _said_of_trades() -> tuple[tuple[Path, int, str, frozenset[object], bool], ...]:
    """Of every file outside of the trades: (file, line, text, constants, whether it is an import) of what could name one."""
    out: list[tuple[Path, int, str, frozenset[object], bool]] = []
    names = {word for kind, trade in TRADES.items() for word in (kind, trade.name)}
    for path in SOURCE.rglob("*.py"):
        own = any(path.is_relative_to(SOURCE / side / "trades") for side in ("core", "app"))
        if own or path.name in ("trade_list.py", "skins.py"):
            continue
        text = path.read_text()
        if "trades" not in text and not any(f'"{name}"' in text for name in names):
            continue
        for node in ast.walk(parsed(path)):
            if isinstance(node, ast.ImportFrom | ast.Import):
                out.append((path, node.lineno, ast.unparse(node), frozenset(), True))
            if isinstance(node, ast.Compare):
                said = frozenset(n.value for n in ast.walk(node) if isinstance(n, ast.Constant))
                if said & names:
                    out.append((path, node.lineno, ast.unparse(node), said, False))
    return tuple(out)


@pytest.mark.parametrize("kind", TRADES)
def test_nobody_but_its_own_folder_and_the_list_names_a_trade(kind: str) -> None:
    name = TRADES[kind].name
    for path, line, text, said, imported in _said_of_trades():
        if imported:
            assert f"trades.{name}" not in text, path
        else:
            assert name not in said and not ("trade" in text and kind in said), (path, line)
