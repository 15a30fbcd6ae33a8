"""What was typed is not lost, and what others wrote is not overwritten, whatever is pressed meanwhile."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings
from pytestqt.qtbot import QtBot

from tests.conftest import PLAIN_JOB, START, write_job
from underglass.app.main_window import MainWindow
from underglass.core.errors import UnusableFile
from underglass.core.files.recovery import Session, all_kept, keep, kept_for
from underglass.core.saving import clear_stale, write_whole

Opened = Callable[[Path], MainWindow]
TEXT = START + "G1 X10. F200\nG0 Z50.\nM30\n"
KEPT = (START + "G1 X77. F200\nG0 Z50.\nM30\n").encode()


@pytest.fixture
def left(opened: Opened, window: MainWindow, tmp_path: Path) -> MainWindow:
    """A job open for which an ended session left a text."""
    folder = tmp_path / "work"
    folder.mkdir()
    job = write_job(folder, TEXT)
    keep(window.filing.keeper.folder, folder / "plain.nc", job, KEPT)
    return opened(job)


def offered(window: MainWindow, tmp_path: Path) -> bytes | None:
    found = kept_for(window.filing.keeper.folder, tmp_path / "work" / "plain.nc")
    return found.data if found is not None else None


@pytest.mark.parametrize("doing", ["save", "type", "type and undo", "close"])
def test_what_is_offered_stays_until_it_is_answered(left: MainWindow, tmp_path: Path, doing: str) -> None:
    assert "still here" in left.trouble
    if doing == "save":
        left.editor.insert("(typed)")
        assert left.save()
    elif doing.startswith("type"):
        left.editor.insert("(typed)")
        left.filing.keeper.keep_now()
        if doing == "type and undo":
            left.document.buffer.undo()
            assert not left.document.modified
    else:
        left.document.set_modified(False)
        left.filing.keeper.forget()
    assert offered(left, tmp_path) == KEPT


def test_taken_it_is_this_windows_own_and_refused_it_is_gone(left: MainWindow, tmp_path: Path) -> None:
    left.notice.buttons[0].click()
    assert "X77." in left.document.text and offered(left, tmp_path) is None
    mine = [p for p in left.filing.keeper.folder.glob(f"*.{left.filing.keeper.session.name}.nc")]
    assert [p.read_bytes() for p in mine] == [KEPT]
    assert left.save() and not list(left.filing.keeper.folder.glob("*.nc"))


def test_refused_it_is_gone(left: MainWindow, tmp_path: Path) -> None:
    left.notice.buttons[1].click()
    assert offered(left, tmp_path) is None and "X77." not in left.document.text


def test_two_windows_never_share_what_is_kept(tmp_path: Path) -> None:
    one, two = Session(tmp_path), Session(tmp_path)
    program = tmp_path / "a.nc"
    keep(tmp_path, program, program, b"one", one.name)
    keep(tmp_path, program, program, b"two", two.name)
    assert all_kept(tmp_path) == []
    one.end()
    assert [k.data for k in all_kept(tmp_path)] == [b"one"]
    two.end()
    assert {k.data for k in all_kept(tmp_path)} == {b"one", b"two"}


@pytest.mark.parametrize("damage", ["null", "[]", '{"program": null}', '{"program": "a", "opened": 5, "when": 1}', '{"program": "a\\u0000b", "opened": "a", "when": 1}', '{"program": "a", "opened": "a", "when": null}', "[" * 5000, "", '{"program": "/dev/zero", "opened": "a", "when": 1e400}'])  # fmt: skip
def test_a_damaged_recovery_file_is_passed_over(damage: str, tmp_path: Path) -> None:
    (tmp_path / "k.json").write_text(damage)
    (tmp_path / "k.nc").write_bytes(b"M30")
    assert isinstance(all_kept(tmp_path), list)


def test_a_file_changed_by_another_program_is_not_overwritten_without_a_question(
    left: MainWindow, tmp_path: Path
) -> None:
    file = tmp_path / "work" / "plain.nc"
    left.editor.insert("(mine)")
    file.write_text("(theirs)\nM30\n")
    assert not left.save() and file.read_text() == "(theirs)\nM30\n"
    assert "changed by another program" in left.trouble
    assert left.save_to(file, over=True) if hasattr(left, "save_to") else left.filing.save_to(file, over=True)
    assert "(mine)" in file.read_text()


def test_a_read_only_file_is_asked_about(left: MainWindow, tmp_path: Path) -> None:
    file = tmp_path / "work" / "plain.nc"
    left.editor.insert("(mine)")
    file.chmod(0o444)
    assert not left.save() and "read-only" in left.trouble
    left.notice.buttons[0].click()
    assert "(mine)" in file.read_text()


def test_a_job_broken_or_deleted_outside_is_told_as_that(left: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    job = tmp_path / "work" / "plain.job.toml"
    job.write_text(PLAIN_JOB.replace("format = 1", "format = ["))
    left.filing.keeper._look_at_job()
    assert "cannot be used" in left.trouble and "is open now" not in left.trouble
    job.unlink()
    left.filing.keeper._look_at_job()
    assert "no longer where it was" in left.trouble
    left.notice.buttons[0].click()
    assert job.read_text() == PLAIN_JOB


def test_save_job_as_replaces_nothing_in_silence_and_keeps_two_shapes_two(opened: Opened, tmp_path: Path) -> None:
    import trimesh

    source, target = tmp_path / "a", tmp_path / "b"
    (source / "sub").mkdir(parents=True)
    target.mkdir()
    for name, size in (("part.stl", 5.0), ("sub/part.stl", 9.0)):
        trimesh.creation.box([size] * 3).export(source / name)
    meshes = "".join(
        f'[[fixture]]\nname = "{n}"\nshape = "mesh"\nmesh = "{m}"\nplace = [200.0, 0.0, 0.0]\n'
        for n, m in (("one", "part.stl"), ("two", "sub/part.stl"))
    )
    window = opened(write_job(source, TEXT, PLAIN_JOB.replace("[proof]", meshes + "[proof]")))
    (target / "plain.nc").write_text("(precious)\n")
    assert not window.filing.save_job_as(target / "new.job.toml")
    assert "plain.nc" in window.trouble and (target / "plain.nc").read_text() == "(precious)\n"
    assert window.filing.save_job_as(target / "new.job.toml", over=True)
    sizes = {f.solid.extent[0] for f in window.document.job.bench.fixtures if f.solid.mesh is not None}  # type: ignore[union-attr]
    assert sizes == {5.0, 9.0} and {p.name for p in target.glob("*.stl")} == {"part.stl", "part-2.stl"}


def test_a_program_outside_the_jobs_folder_is_said_and_asked_about(opened: Opened, tmp_path: Path) -> None:
    folder = tmp_path / "stranger"
    folder.mkdir()
    victim = tmp_path / "victim.conf"
    victim.write_text("(precious)\nM30\n")
    window = opened(write_job(folder, "M30\n", PLAIN_JOB.replace("plain.nc", "../victim.conf")))
    assert "outside" in window.trouble
    window.editor.insert("(typed)")
    assert not window.save() and victim.read_text() == "(precious)\nM30\n"
    window.notice.buttons[0].click()
    assert "(typed)" in victim.read_text()


def test_saving_is_whole_or_nothing_and_leavings_are_cleared(tmp_path: Path) -> None:
    with pytest.raises(UnusableFile):
        write_whole(tmp_path, b"x")
    with pytest.raises(UnusableFile):
        write_whole(Path("/dev/full"), b"x")
    (tmp_path / ".plain.nc.abc.999999999.saving").write_bytes(b"half")
    (tmp_path / ".plain.nc.abc.1.saving").write_bytes(b"another window's")
    clear_stale(tmp_path)
    assert [p.name for p in tmp_path.iterdir()] == [".plain.nc.abc.1.saving"]


def test_settings_of_a_second_window_are_its_own(qtbot: QtBot, tmp_path: Path) -> None:
    made = [MainWindow(QSettings(str(tmp_path / f"{k}.ini"), QSettings.Format.IniFormat)) for k in range(2)]
    for window in made:
        qtbot.addWidget(window)
    assert made[0].filing.keeper.session.name != made[1].filing.keeper.session.name
