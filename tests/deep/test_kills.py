"""Killed at any moment while it saves, exports, types and answers an offer: nothing half, nothing gone. More: ``make deep``."""

from __future__ import annotations

import os
import random
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.conftest import PLAIN_JOB, START, write_job
from underglass.cli.main import cli
from underglass.core.files.recovery import all_kept, keep, recovery_folder
from underglass.core.saving import clear_stale, write_whole

DEEP = bool(os.environ.get("UNDERGLASS_DEEP"))
KILLS = 1200 if DEEP else 20
WINDOWS = 250 if DEEP else 1
EXPORTS = 500 if DEEP else 2
OLD, NEW = (word.encode() * 20_000 for word in ("G0 X1.\n", "G1 X25. F300.\n"))
LEFT = (START + "G1 X77. F200\nG0 Z50.\nM30\n").encode()

SAVING = """
import sys
from itertools import cycle
from pathlib import Path
from underglass.core.files.recovery import keep
from underglass.core.saving import write_whole
folder = Path(sys.argv[1])
program, out = folder / "part.nc", folder / "part.stl"
old, new = (word.encode() * 20_000 for word in ("G0 X1.\\n", "G1 X25. F300.\\n"))
print("begun", flush=True)
for data in cycle((new, old)):
    keep(folder / "kept", program, program, data + b"M30\\n")
    write_whole(program, data)
    write_whole(out, data)
"""

EXPORTING = """
import sys
from itertools import cycle
from pathlib import Path
from underglass.cli.main import cli
folder = Path(sys.argv[1])
cli.main(["part", str(folder / "a" / "plain.job.toml"), "-o", str(folder / "first.stl")], standalone_mode=False)
print("begun", flush=True)
for which in cycle("ab"):
    job = str(folder / which / "plain.job.toml")
    cli.main(["part", job, "-o", str(folder / "part.stl")], standalone_mode=False)
    print("wrote", flush=True)
    cli.main(["path", job, "--format", "csv", "--out", str(folder / "path.csv")], standalone_mode=False)
"""

WINDOW = """
import sys
from pathlib import Path
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from underglass.app.main_window import MainWindow
from underglass.app.start import make_application
folder, doing = Path(sys.argv[1]), sys.argv[2]
app = make_application()
window = MainWindow()
window.show()
window.open(folder / "plain.job.toml")
keeper = window.filing.keeper
keeper._keep_soon.setInterval(20)
typed = 0
keeper.kept.connect(lambda: print("kept", typed, flush=True))
print("begun", flush=True)
app.processEvents()
if doing != "type":
    window.notice.buttons[0 if doing == "take" else 1].click()
    print("answered", flush=True)
while True:
    QTest.keyClicks(window.editor, f"(line {typed + 1})")
    QTest.keyClick(window.editor, Qt.Key.Key_Return)
    typed += 1
    app.processEvents()
"""


def killed(
    code: str, dice: random.Random, most_s: float, *arguments: str, env: dict[str, str] | None = None, first: str = ""
) -> str:
    """Run a child, kill it at some moment after it has begun, and give what it printed by then.

    ``first``: not before it has printed a line that begins so.
    """
    child = subprocess.Popen([sys.executable, "-c", code, *arguments], stdout=subprocess.PIPE, env=env)
    assert child.stdout is not None and child.stdout.readline() == b"begun\n"
    said = ""
    for line in child.stdout if first else ():
        said += line.decode()
        if line.startswith(first.encode()):
            break
    # When the kill comes is the dice of this test, not something that is waited for.
    time.sleep(dice.uniform(0.0, most_s))
    child.kill()
    said += child.stdout.read().decode()
    child.wait()
    child.stdout.close()
    return said


def rounds(count: int, met: Callable[[], bool]) -> Iterator[float]:
    """``count`` times 1, then on with 2, 4 and up to 32, until the dice have met what they are thrown for: on a busy machine all comes later."""
    for k in range(6 * count):
        if k >= count and met():
            return
        yield 2.0 ** (k // count)


def test_a_kill_leaves_no_half_file_and_nothing_that_was_kept_is_gone(tmp_path: Path) -> None:
    program, out, kept = tmp_path / "part.nc", tmp_path / "part.stl", tmp_path / "kept"
    kept.mkdir()
    for file in (program, out):
        write_whole(file, OLD)
    keep(kept, program, program, OLD + b"M30\n")
    dice, halves, told = random.Random(5), list[bool](), set()
    for later in rounds(KILLS, lambda: len(told) == 2 and any(halves)):
        killed(SAVING, dice, 0.02 * later, str(tmp_path))
        for file in (program, out):
            assert file.read_bytes() in (OLD, NEW)
        (held,) = all_kept(kept)
        assert held.data in (OLD + b"M30\n", NEW + b"M30\n")
        told.add(held.data)
        left = [p for folder in (tmp_path, kept) for p in folder.glob(".*.saving")]
        halves.append(bool(left))
        clear_stale(tmp_path)
        clear_stale(kept)
        assert not [p for p in left if p.exists()]
        assert {p.name for p in tmp_path.iterdir()} == {"part.nc", "part.stl", "kept"}
    assert len(told) == 2 and any(halves), "the kills came in the midst of it"
    if DEEP:
        print(f"{len(halves)} kills while saving, {sum(halves)} of them while a file was half written")


def test_a_kill_while_exporting_leaves_the_old_file_or_the_new_one(tmp_path: Path) -> None:
    whole: dict[str, set[bytes]] = {"part.stl": set(), "path.csv": set()}
    for which in "ba":
        (tmp_path / which).mkdir()
        cuts = "".join(f"G1 X{x} Y{20 if which == 'a' else 40} F900\n" for x in range(10, 90))
        text = START + "G0 X10 Y20\nG1 Z-2. F200\n" + cuts + "G0 Z50.\nM30\n"
        write_job(tmp_path / which, text, PLAIN_JOB.replace("cell = 0.25", "cell = 1.0"))
    for which in "ab":
        job = str(tmp_path / which / "plain.job.toml")
        cli.main(["part", job, "-o", str(tmp_path / "part.stl")], standalone_mode=False)
        cli.main(["path", job, "--format", "csv", "--out", str(tmp_path / "path.csv")], standalone_mode=False)
        for name, known in whole.items():
            known.add((tmp_path / name).read_bytes())
    assert all(len(known) == 2 for known in whole.values())
    dice, leavings, told = random.Random(6), 0, set()
    for later in rounds(EXPORTS, lambda: len(told) > 2):
        # But for the first one, not before a file is written.
        killed(EXPORTING, dice, 0.4 * later, str(tmp_path), first="wrote" if later > 1.0 or len(told) else "")
        for name, known in whole.items():
            found = (tmp_path / name).read_bytes()
            assert found in known
            told.add((name, found))
        leavings += bool(list(tmp_path.glob(".*.saving")))
        clear_stale(tmp_path)
        assert not list(tmp_path.glob(".*.saving"))
    assert len(told) > 2, "the kills came in the midst of it"
    if DEEP:
        print(f"{EXPORTS} kills while exporting, {leavings} of them while a file was half written")


@pytest.mark.parametrize("doing", ["type", "take", "throw"])
def test_a_window_killed_while_typing_and_answering_loses_nothing(
    doing: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    env = {**os.environ, "XDG_CONFIG_HOME": str(tmp_path / "config")}
    folder, dice = tmp_path / "work", random.Random(doing)
    folder.mkdir()
    job = write_job(folder, START + "M30\n")
    program = folder / "plain.nc"
    on_disk = program.read_bytes()
    kept = recovery_folder()
    early = lines = 0
    for k in range(WINDOWS):
        for old in kept.iterdir():
            old.unlink()
        keep(kept, program, job, LEFT)
        said = killed(
            WINDOW, dice, 0.9, str(folder), doing, env=env, first="kept" if k % 2 or WINDOWS == 1 else ""
        ).split("\n")[:-1]
        answered = "answered" in said
        early += doing != "type" and not answered
        recovery_folder()  # the next start
        texts = [k.data for k in all_kept(kept)]
        typed = max((int(line.split()[1]) for line in said if line.startswith("kept")), default=0)
        lines += typed
        if typed:
            assert any(f"(line {typed})".encode() in text for text in texts), "what was told as kept is there"
        if doing == "type":
            assert LEFT in texts, "what is offered stays until it is answered"
        elif doing == "take":
            assert any(b"X77." in text for text in texts), "taken or not yet, it is there"
        elif not answered:
            assert LEFT in texts or not texts
        else:
            assert not any(b"X77." in text for text in texts)
        assert program.read_bytes() == on_disk
    assert lines, "the kills came after something was kept"
    if DEEP:
        print(f"{WINDOWS} windows killed ({doing}): {lines} lines kept and there, {early} killed before the answer")
