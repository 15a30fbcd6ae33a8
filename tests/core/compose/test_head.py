"""The head of a program: read back from its comments, held against the bench, taken over by later forms."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.cli.test_cli import call
from underglass.core.compose.registry import operations_of
from underglass.core.compose.sequence import listed
from underglass.core.compose.shop import ShopTexts
from underglass.core.compose.starts import around_in, first_entries, shared_entries
from underglass.core.data import data_folder
from underglass.core.files.demo import copy_demo
from underglass.core.files.load import load
from underglass.core.language.stated import stated
from underglass.core.reckon.form import CannotBe

OPS = {op.key: op for op in operations_of("mill")}
HEAD = OPS["program-head"]
BRACKET = data_folder() / "demo" / "vent-bracket.job.toml"


def test_the_head_states_what_is_clamped_and_is_read_again() -> None:
    job, source, _path = load(BRACKET)
    entered = first_entries(HEAD, job, "mm")
    text = HEAD.text(entered, "mm", around_in(job, ShopTexts(), source.lines, source.name, None))
    said = stated(text, "mm")
    assert said.stock is not None and said.stock.size == (164.0, 84.0, 21.0)
    assert said.zero is not None and (said.zero.x, said.zero.y, said.zero.z) == ("left", "front", "top")
    assert "G21 G90 G17 G40 G49 G80 G94" in text and "(MATERIAL ALUMINIUM)" in text
    assert [row.name for row in listed(text, operations_of("mill"))] == ["Program head"]


@pytest.mark.parametrize(
    ("entry", "why"),
    [
        ({"sx": "160"}, "164.* along X"),
        ({"oz": "0"}, "zero lies 1 more to the minus side along Z"),
        ({"ox": "20"}, "zero lies 2 more to the plus side along X"),
        ({"mat": "brass"}, "aluminium"),
        ({"safe": "10"}, "clamp"),
    ],
)
def test_what_is_not_as_on_the_bench_is_refused(entry: dict[str, str], why: str) -> None:
    from dataclasses import replace

    from underglass.core.compose.starts import highest_clamped

    job, source, _path = load(BRACKET)
    around = replace(around_in(job, ShopTexts(), source.lines, source.name, None), highest=highest_clamped(job))
    with pytest.raises(CannotBe, match=why):
        HEAD.text({**first_entries(HEAD, job, "mm"), **entry}, "mm", around)


@pytest.mark.parametrize("unit", ["mm", "inch"])
def test_later_forms_begin_with_what_the_head_says(unit: str) -> None:
    job, source, _path = load(BRACKET)
    given = {
        "safe": "2" if unit == "inch" else "48",
        "parts": "grid",
        "pxn": "3",
        "px": "8" if unit == "inch" else "180",
        "without": "2",
    }
    head = HEAD.text({**first_entries(HEAD, job, unit), **given}, unit)  # type: ignore[arg-type]
    lines = (*source.lines[:4], *head, *source.lines[4:])
    assert shared_entries(job, lines).items() >= given.items()
    pocket = first_entries(OPS["pocket-round"], job, unit, lines=lines)  # type: ignore[arg-type]
    assert {k: pocket[k] for k in given} == given
    holes = first_entries(OPS["holes"], job, unit, {"safe": "60"}, lines)  # type: ignore[arg-type]
    assert holes["safe"] == "60" and holes["mat"] == "aluminium" and holes["parts"] == "grid"
    text = OPS["pocket-round"].text(pocket, unit)  # type: ignore[arg-type]
    assert sum(line.startswith("(PART ") for line in text) == 2


def test_the_command_line_takes_the_head_of_the_jobs_program(tmp_path: Path) -> None:
    job = copy_demo("vent-bracket", tmp_path / "d")
    made = call("fill", "program-head", "--job", job, "safe=44")
    assert made.returncode == 0, made.stderr
    program = job.with_name("vent-bracket.nc")
    program.write_text(made.stdout + program.read_text())
    assert "SAFE=44." in call("fill", "pocket-round", "--job", job).stdout
    assert call("fill", "program-head", "--job", job, "sz=20").returncode == 2
