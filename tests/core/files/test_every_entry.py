"""Every entry of a job, a profile, a material table and a tool set, with every type in it: one sentence, or it is read."""

from __future__ import annotations

import copy
import json
import os
from collections.abc import Callable, Iterator
from dataclasses import asdict
from pathlib import Path
from typing import Any

import pytest
import tomlkit

from tests.conftest import write_job
from underglass.core.compose.shop import ShopTexts, filled, values_for
from underglass.core.data import data_folder
from underglass.core.entries.materials import read_materials
from underglass.core.errors import UnderGlassError
from underglass.core.files.job import read_job
from underglass.core.files.profiles import read_control, read_machine
from underglass.core.files.shop import read_shop
from underglass.core.files.tool_set import read_tools
from underglass.core.reckon.form import CannotBe

DEEP = bool(os.environ.get("UNDERGLASS_DEEP"))

FULL = """\
format = 1
title = "All of it"
units = "mm"
machine = "mill-3axis"
control = "word-address-mill"
program = "plain.nc"
guessed = ["stock"]

[zero]
z_by = "first-tool"
z_tool = 1
G54 = { x = -300.0, y = -150.0, z = -200.0, turned = 1.0 }
"G54.1 P3" = { x = -300.0, y = -150.0, z = -200.0 }

[stock]
shape = "box"
size = [100.0, 60.0, 20.0]
place = [0.0, 0.0, -20.0]
material = "aluminium"
repeat_at = ["G54"]
turned = 0.0
from = "zero"
up = "+z"

[[fixture]]
name = "left clamp"
shape = "box"
size = [20.0, 30.0, 15.0]
place = [-15.0, 15.0, -5.0]
from_stop = 1
until_stop = 2
may_cut = 2.0

[[fixture]]
name = "vice"
shape = "vise"

[[tool]]
number = 1
kind = "end-mill"
DC = 10.0
RE = 0.5
SIG = 118.0
APMX = 22.0
NOF = 3
KAPR = 90.0
TP = 1.0
length = 75.0
stickout = 40.0
substrate = "carbide"
shank = 10.0
hand = "right"
centre_cutting = true
holder = { diameter = 40.0, length = 30.0 }

[registers.work]
G54 = { x = -300.0, y = -150.0, z = -200.0 }
[registers.length]
H1 = 75.0
[registers.radius]
D1 = 5.0
[registers.wear_length]
H1 = -0.02
[registers.wear_radius]
D1 = 0.0
[registers.touched]
T1 = 0.1

[start]
offset = "G55"
units = "mm"
distance = "G90"
shift = { x = 0.0, y = 0.0, z = 1.5 }
rotation = 0.0
compensation = "G40"
d = 1
tool = 1

[loaded]
T4 = 1

[switches]
block_skip = false
optional_stop = true
feed_override = 100.0
rapid_override = 100.0

[proof]
cell = 0.5
target_tolerance = 0.05
tolerance = { length = 0.05, radius = 0.02, work_offset = 0.05 }
lowest_z = -20.0
clearance = 1.0

[[at_stop]]
stop = 1
note = "warm"
add = { H1 = -0.05, G54 = { z = 0.1 } }

[[accepted]]
code = "cuts-air"
block = "T1 M6"
reason = "a dry run"
"""

VALUES: tuple[Any, ...] = (
    True, -1, 0, 7, 1e300, float("inf"), float("nan"), 1e-9, "", "word", "x\x00y", "l" * 5000, "two\nlines", "../x", [], [1], ["a"],
    [[1], "b"], {}, {"a": 1}, {"x": {"y": []}},
)  # fmt: skip


def paths(node: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    if path:
        yield path
    items = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
    for key, value in items:
        yield from paths(value, (*path, key))


def changed(whole: Any, path: tuple[Any, ...], value: Any) -> str:
    out = copy.deepcopy(whole)
    at = out
    for key in path[:-1]:
        at = at[key]
    at[path[-1]] = value
    return "".join(f"{_text(key)} = {as_toml(value)}\n" for key, value in out.items())


def _text(text: str) -> str:
    # JSON's strings are TOML's, but for the sign of a deletion.
    return json.dumps(text, ensure_ascii=False).replace("\x7f", "\\u007f")


def as_toml(value: Any) -> str:
    """A value on one line: a library that keeps a file's looks takes a hundred times as long to write this."""
    if isinstance(value, dict):
        return "{" + ", ".join(f"{_text(key)} = {as_toml(one)}" for key, one in value.items()) + "}"
    if isinstance(value, list | tuple):
        return "[" + ", ".join(map(as_toml, value)) + "]"
    if isinstance(value, bool):
        return "true" if value else "false"
    return _text(value) if isinstance(value, str) else repr(value)


def one_sentence(error: UnderGlassError) -> None:
    text = str(error)
    assert "\n" not in text and len(text) < 600, text


WHOLE = tomlkit.parse(FULL).unwrap()


@pytest.mark.parametrize("path", list(paths(WHOLE)), ids=lambda p: ".".join(map(str, p)))
def test_any_type_in_any_entry_of_a_job(path: tuple[Any, ...], tmp_path: Path) -> None:
    # Every fifth one in a change's own run, another fifth for the next entry.
    for value in VALUES if DEEP else VALUES[len(str(path)) % 5 :: 5]:
        job = write_job(tmp_path, "M30\n", changed(WHOLE, path, value))
        try:
            read_job(job)
        except UnderGlassError as error:
            one_sentence(error)


@pytest.mark.parametrize(
    ("kind", "name"),
    [
        (kind, path.stem)
        for kind in ("control", "machine")
        for path in sorted((data_folder() / "profiles" / kind).glob("*.toml"))
    ],
)
def test_any_type_in_any_entry_of_a_profile(kind: str, name: str, tmp_path: Path) -> None:
    whole = tomlkit.parse((data_folder() / "profiles" / kind / f"{name}.toml").read_text()).unwrap()
    read = read_control if kind == "control" else read_machine
    file = tmp_path / "mine.toml"
    for k, path in enumerate(paths(whole)):
        for value in VALUES if DEEP else (VALUES[k % len(VALUES)],):
            file.write_text(changed(whole, path, value))
            try:
                read(file)
            except UnderGlassError as error:
                one_sentence(error)


TABLES: dict[str, tuple[Callable[[Path], Any], Callable[[], dict[str, Any]]]] = {
    "tools": (read_tools, lambda: {"format": 1, "tool": WHOLE["tool"]}),
    "materials": (read_materials, lambda: tomlkit.parse((data_folder() / "materials.toml").read_text()).unwrap()),
    "shop texts": (read_shop, lambda: {"format": 1, **asdict(ShopTexts())}),
}


@pytest.mark.parametrize("what", TABLES)
def test_any_type_in_any_entry_of_tools_materials_and_shop_texts(what: str, tmp_path: Path) -> None:
    read, made = TABLES[what]
    whole = made()
    file = tmp_path / "mine.toml"
    for k, path in enumerate(list(paths(whole))[: None if DEEP else 60]):
        for value in VALUES if DEEP else (VALUES[k % len(VALUES)], VALUES[(k + 9) % len(VALUES)]):
            file.write_text(changed(whole, path, value))
            try:
                read(file)
            except UnderGlassError as error:
                one_sentence(error)


@pytest.mark.parametrize(
    "text",
    [
        *(v for v in VALUES if isinstance(v, str)),
        "{",
        "}",
        "{}",
        "{0}",
        "{NAME",
        "{__class__}",
        "{PROGRAM!r:>99}",
        "{TOOL.x}",
    ],
)
def test_any_shop_text_is_filled_in_or_refused_in_a_sentence(text: str) -> None:
    try:
        assert isinstance(filled(text, values_for("mm", title="a part")), tuple)
    except CannotBe as error:
        assert "\n" not in str(error) and len(str(error)) < 600


@pytest.mark.parametrize("cell", ["inf", "nan", "1e400", "x" * 200_000, "", "-1", "1e99", "\x00"])
@pytest.mark.parametrize("head", ["number", "DC", "NOF", "kind", "holder", "length"])
def test_any_cell_of_a_tool_table(head: str, cell: str, tmp_path: Path) -> None:
    heads = ["number", "kind", "DC", "length", "NOF", "holder"]
    row = dict(zip(heads, ["1", "end-mill", "10", "75", "2", "40x30"]))
    row[head] = cell
    (tmp_path / "set.csv").write_text(",".join(heads) + "\n" + ",".join(row[h] for h in heads) + "\n")
    try:
        read_tools(tmp_path / "set.csv")
    except UnderGlassError as error:
        one_sentence(error)
