"""Unsaved texts kept beside their programs' names, found again, and let go."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from underglass.core.errors import UnusableFile
from underglass.core.files.recovery import all_kept, keep, kept_for, let_go


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    made = tmp_path / "kept"
    made.mkdir()
    return made


def test_what_is_kept_is_found_until_it_is_let_go(folder: Path, tmp_path: Path) -> None:
    program, job = tmp_path / "a.nc", tmp_path / "a.job.toml"
    program.write_bytes(b"G0\r\n")
    keep(folder, program, job, b"G0 X1\r\n")
    found = kept_for(folder, program)
    assert found is not None and found.data == b"G0 X1\r\n" and found.opened == job.resolve()
    # The same program by another way of writing its path.
    assert kept_for(folder, tmp_path / "sub" / ".." / "a.nc") is not None
    program.write_bytes(b"G0 X1\r\n")
    assert kept_for(folder, program) is None  # saved elsewhere meanwhile: nothing to offer
    program.write_bytes(b"G0\r\n")
    let_go(folder, program)
    assert kept_for(folder, program) is None and list(folder.iterdir()) == []
    let_go(folder, program)


def test_the_newest_comes_first_and_broken_ones_are_left_out(folder: Path, tmp_path: Path) -> None:
    for k, name in enumerate(("a.nc", "b.nc", "c.nc")):
        keep(folder, tmp_path / name, tmp_path / name, b"M30")
        said = next(p for p in folder.glob("*.json") if name in p.read_text())
        said.write_text(json.dumps({**json.loads(said.read_text()), "when": 100.0 + k}))
    (folder / "broken.json").write_text("{")
    (folder / "alone.json").write_text('{"program": "x", "opened": "y", "when": 1}')
    (folder / "odd.json").write_text("[]")
    assert [k.program.name for k in all_kept(folder)] == ["c.nc", "b.nc", "a.nc"]


def test_a_folder_that_cannot_be_written_says_so(tmp_path: Path) -> None:
    with pytest.raises(UnusableFile):
        keep(tmp_path / "none", tmp_path / "a.nc", tmp_path / "a.nc", b"")
    assert kept_for(tmp_path / "none", tmp_path / "a.nc") is None
    assert all_kept(tmp_path / "none") == []
