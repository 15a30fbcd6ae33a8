"""The house's rules that can be checked by looking at it: no cycle, no hoard, nothing written where it is only read."""

from __future__ import annotations

import ast
import gc
import os
import subprocess
import sys
import tomllib
from collections.abc import Callable, Iterator
from dataclasses import fields, is_dataclass
from functools import cache
from pathlib import Path

import numpy as np
import pytest

import underglass
from tests.conftest import START
from underglass.core.compiled import kernel_files
from underglass.core.proof.proof import Proof

SOURCE = Path(underglass.__file__).parent
ROOT = Path(__file__).parent.parent
MODULES = {
    ".".join(("underglass", *p.relative_to(SOURCE).with_suffix("").parts)).removesuffix(".__init__"): p
    for p in SOURCE.rglob("*.py")
}


@pytest.fixture(autouse=True, scope="module")
def _no_window_dies_meanwhile() -> Iterator[None]:
    """Windows of other tests that are collected while a file is parsed upset this Python's count of how deep the parser is."""
    gc.collect()
    gc.disable()
    yield
    gc.enable()


@cache
def parsed(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


@cache
def imports(path: Path) -> tuple[str, ...]:
    """Modules of ours that a module imports anywhere, for type checkers alone or not."""
    return tuple(_imports(path))


def _imports(path: Path) -> Iterator[str]:
    for node in ast.walk(parsed(path)):
        if isinstance(node, ast.ImportFrom) and node.module in MODULES:
            names = [f"{node.module}.{alias.name}" for alias in node.names]
            yield from (name if name in MODULES else node.module for name in names)
        elif isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names if alias.name in MODULES)


def test_there_is_no_cycle_of_imports() -> None:
    graph = {name: set(imports(path)) - {name} for name, path in MODULES.items()}
    # What imports nothing that is left is taken away, over and over: a cycle stays.
    while free := [name for name, wanted in graph.items() if not wanted & graph.keys()]:
        for name in free:
            del graph[name]
    # What only leads to a cycle is no part of it.
    while free := [name for name in graph if not any(name in wanted for wanted in graph.values())]:
        for name in free:
            del graph[name]
    assert graph == {}


def test_files_are_of_a_size_that_can_be_read() -> None:
    lengths = {name: len(path.read_text().splitlines()) for name, path in MODULES.items()}
    assert {name: n for name, n in lengths.items() if n > 560} == {}
    assert sum(n > 500 for n in lengths.values()) <= 4, "500 is a question"
    assert all(lengths[name] <= 10 for name, path in MODULES.items() if path.name == "__init__.py")


def arrays(value: object, seen: set[int], where: str = "proof") -> Iterator[tuple[str, np.ndarray]]:
    """Every array that can be reached from a value."""
    if id(value) in seen:
        return
    seen.add(id(value))
    if isinstance(value, np.ndarray):
        yield where, value
    elif is_dataclass(value) and not isinstance(value, type):
        for field in fields(value):
            yield from arrays(getattr(value, field.name), seen, f"{where}.{field.name}")
    elif isinstance(value, dict):
        for key, one in value.items():
            yield from arrays(one, seen, f"{where}[{key!r}]")
    elif isinstance(value, tuple | list | frozenset | set):
        for one in value:
            yield from arrays(one, seen, f"{where}[]")


@pytest.mark.parametrize(
    "text", ["G1 X50. Y20. Z-3. F300\nG18\nG2 X60. Z-3. I5. K0\nG17\nG41 D1 X70.\nY40.\nG40 X90.\n"]
)
def test_nothing_in_a_proof_can_be_written_to(text: str, prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(START + text + "G0 Z50.\nM30\n")
    found = list(arrays(proof, set()))
    assert len(found) > 30
    assert sorted({where for where, array in found if array.flags.writeable}) == []


def test_the_kept_code_of_kernels_knows_every_file_that_holds_one() -> None:
    known = set(kernel_files())
    for path in (SOURCE / "core").rglob("*.py"):
        text = path.read_text()
        holds = "@kernel" in text or "@small_kernel" in text or "@straight_kernel" in text or "import njit" in text
        assert not holds or path in known, path


def test_no_test_is_forgotten_in_the_order_in_which_they_run() -> None:
    told = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["pytest"]["ini_options"]["testpaths"]
    there = [path for path in (ROOT / "tests").rglob("test_*.py") if "golden" not in path.parts]
    assert [str(p) for p in there if not any(p == ROOT / t or p.is_relative_to(ROOT / t) for t in told)] == []
    assert all((ROOT / t).exists() for t in told)


def test_values_of_four_fields_and_more_are_made_by_name() -> None:
    """What stands in which place of a long row of figures is nothing that a reader should have to count."""
    found = []
    for name, path in MODULES.items():
        for node in ast.walk(parsed(path)):
            for how in node.decorator_list if isinstance(node, ast.ClassDef) else ():
                said = ast.unparse(how)
                held = [x for x in node.body if isinstance(x, ast.AnnAssign) and "ClassVar" not in ast.unparse(x)]  # type: ignore[attr-defined]
                if said.startswith("dataclass") and len(held) >= 4 and "kw_only=True" not in said:
                    found.append(f"{name}.{node.name}")  # type: ignore[attr-defined]
    assert found == []


def test_a_window_starts_without_what_only_a_cut_or_a_page_needs() -> None:
    """In a process of its own: what takes a tenth of a second and more is taken in when it is first needed."""
    asked = "import sys; import underglass.app.start; print([m for m in ('numba', 'ezdxf', 'reportlab', 'jinja2') if m in sys.modules])"
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, env=environment, check=True)
    assert done.stdout.strip() == "[]"
