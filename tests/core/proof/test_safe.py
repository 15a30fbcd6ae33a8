"""How safe a setup is, and which line mattered: corners that fail are made by hand, and found."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from click.testing import CliRunner

from tests.conftest import PLAIN_JOB, SAFE, write_job
from underglass.cli.main import cli
from underglass.core.errors import Cancelled
from underglass.core.files.load import load
from underglass.core.language.source import read_text
from underglass.core.proof.prove import prove
from underglass.core.proof.safe import how_safe
from underglass.core.proof.which_line import hunks_between, least_change, shortest, with_hunks

JOB = PLAIN_JOB.replace("cell = 0.25", "cell = 0.5").replace(
    "place = [-25.0, 20.0, -5.0]", "place = [-25.0, 20.0, -20.0]"
)
# The clamp's top lies at Z -5 then; the tool passes over it at Z -3: 2 mm of room.
PROGRAM = SAFE + "T1 M6\nG0 G54 X-40. Y30. S3000 M3\nG43 H1 Z25.\nZ-3.\nG1 X110. F400.\nG0 Z25. M5\nM30\n"
ROOM_MM = 2.0


def test_the_room_that_is_left_is_the_figure_of_merit(tmp_path: Path) -> None:
    job, source, _ = load(write_job(tmp_path, PROGRAM, JOB))
    kept = {"length": 0.4, "work": 0.4, "clamp": 0.8, "radius": 0.0, "stock": 0.0}
    found = how_safe(job, source, kept)
    # H1 and G54 Z low, the clamp high: 0.4 + 0.4 + 0.8 of 2 mm (the contact itself counts from 0.01 mm).
    assert found.merit == pytest.approx(ROOM_MM / 1.6, rel=0.08)
    assert found.safe and found.first is not None
    assert {name for name, _by in found.first.out} == {"G54 Z", "H1", "the left clamp's height"}
    assert all(by < 0.0 for name, by in found.first.out if name in ("G54 Z", "H1"))
    assert "Safe for" in found.words("mm") and "line 6" in found.words("mm")
    tight = how_safe(job, source, {**kept, "length": 2.5})
    assert not tight.safe and tight.alone == ("H1",)


def test_it_stops_when_told(tmp_path: Path) -> None:
    job, source, _ = load(write_job(tmp_path, PROGRAM, JOB))
    with pytest.raises(Cancelled):
        how_safe(job, source, cancelled=lambda: True)


OLD = PROGRAM.replace("Z-3.", "Z2.")


def test_of_many_changes_the_one_that_mattered_is_told(tmp_path: Path) -> None:
    new = (
        PROGRAM.replace("S3000", "S2800")
        .replace("Z-3.", "Z-7.")
        .replace("F400.", "F380.")
        .replace("Z25. M5", "Z30. M5")
    )
    job, source, _ = load(write_job(tmp_path, new, JOB))
    old = read_text(OLD, "old.nc")
    assert len(hunks_between(old.lines, source.lines)) == 4
    assert with_hunks(old.lines, hunks_between(old.lines, source.lines)) == list(source.lines)
    found = least_change(job, old, source, "tool-into-fixture")
    assert found is not None and [h.new for h in found.hunks] == [("Z-7.",)]
    assert least_change(job, old, old, "tool-into-fixture") is None


def test_a_crash_is_sent_in_as_few_lines_as_show_it(tmp_path: Path) -> None:
    job, source, _ = load(write_job(tmp_path, PROGRAM.replace("Z-3.", "Z-7."), JOB))
    crash = next(f for f in prove(job, source).findings if f.code == "tool-into-fixture")
    found = shortest(job, source, crash)
    assert found is not None and len(found.lines) < len(source.lines)
    assert "Z-7." in found.source.lines and crash.line in found.lines
    assert (found.finding.code, found.finding.tool) == (crash.code, crash.tool)
    # Each line that is left is needed.
    for k in range(len(found.source.lines)):
        fewer = [t for n, t in enumerate(found.source.lines) if n != k]
        again = prove(job, read_text("\n".join(fewer) + "\n", "x.nc")).findings
        assert not [f for f in again if f.code == crash.code and f.evidence.get("part") == crash.evidence.get("part")]


def test_the_commands_say_it_too(tmp_path: Path) -> None:
    path = write_job(tmp_path, PROGRAM.replace("Z-3.", "Z-7."), JOB)
    (tmp_path / "old.nc").write_text(OLD)
    run = CliRunner()
    told = run.invoke(cli, ["mattered", str(path), str(tmp_path / "old.nc"), "--code", "tool-into-fixture"])
    assert told.exit_code == 0 and "+ Z-7." in told.output
    short = run.invoke(cli, ["shorten", str(path), "--out", str(tmp_path / "short.nc")])
    assert short.exit_code == 0 and "Z-7." in (tmp_path / "short.nc").read_text()
    good = write_job(tmp_path, PROGRAM, JOB)
    keep = [
        "--keep",
        "length=0.4",
        "--keep",
        "work=0.4",
        "--keep",
        "clamp=0.8",
        "--keep",
        "stock=0",
        "--keep",
        "radius=0",
    ]
    safe = run.invoke(cli, ["safe", str(good), "--format", "json", *keep])
    assert safe.exit_code == 0 and json.loads(safe.output)["merit"] > 1.0
    assert run.invoke(cli, ["safe", str(good), "--least", "3", *keep]).exit_code == 1
    (tmp_path / "m.toml").write_text('[[measured]]\nwhat = "height"\nat = [50.0, 30.0]\nis = -2.7\nwanted = -3.0\n')
    why = run.invoke(cli, ["why", str(good), "--measured", str(tmp_path / "m.toml"), "--format", "json"])
    assert why.exit_code == 0 and json.loads(why.output)["causes"][0]["explains"] > 0.9
    held = run.invoke(cli, ["check", str(good), "--robust", "0.1"])
    assert held.exit_code == 0 and run.invoke(cli, ["check", str(good), "--robust", "50"]).exit_code == 1
