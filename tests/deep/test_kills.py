"""Killed at any moment while it saves and keeps: each file is the old one or the new one, whole. More: ``make deep``."""

from __future__ import annotations

import os
import random
import subprocess
import sys
import time
from pathlib import Path

from underglass.core.files.recovery import all_kept, keep
from underglass.core.files.save import clear_stale, write_whole

KILLS = 1200 if os.environ.get("UNDERGLASS_DEEP") else 25
OLD, NEW = (word.encode() * 20_000 for word in ("G0 X1.\n", "G1 X25. F300.\n"))

CHILD = """
import sys
from itertools import cycle
from pathlib import Path
from underglass.core.files.recovery import keep
from underglass.core.files.save import write_whole
folder = Path(sys.argv[1])
program, out = folder / "part.nc", folder / "part.stl"
old, new = (word.encode() * 20_000 for word in ("G0 X1.\\n", "G1 X25. F300.\\n"))
print("begun", flush=True)
for data in cycle((new, old)):
    keep(folder / "kept", program, program, data + b"M30\\n")
    write_whole(program, data)
    write_whole(out, data)
"""


def test_a_kill_leaves_no_half_file_and_nothing_that_was_kept_is_gone(tmp_path: Path) -> None:
    program, out, kept = tmp_path / "part.nc", tmp_path / "part.stl", tmp_path / "kept"
    kept.mkdir()
    for file in (program, out):
        write_whole(file, OLD)
    keep(kept, program, program, OLD + b"M30\n")
    dice, leavings, told = random.Random(5), 0, set()
    for _ in range(KILLS):
        child = subprocess.Popen([sys.executable, "-c", CHILD, str(tmp_path)], stdout=subprocess.PIPE)
        assert child.stdout is not None and child.stdout.readline() == b"begun\n"
        # When the kill comes is the dice of this test, not something that is waited for.
        time.sleep(dice.uniform(0.0, 0.02))
        child.kill()
        child.wait()
        child.stdout.close()
        for file in (program, out):
            assert file.read_bytes() in (OLD, NEW)
        (held,) = all_kept(kept)
        assert held.data in (OLD + b"M30\n", NEW + b"M30\n")
        told.add(held.data)
        left = [p for folder in (tmp_path, kept) for p in folder.glob(".*.saving")]
        leavings += bool(left)
        clear_stale(tmp_path)
        clear_stale(kept)
        assert not [p for p in left if p.exists()]
        assert {p.name for p in tmp_path.iterdir()} == {"part.nc", "part.stl", "kept"}
    assert len(told) == 2 and leavings, "the kills came in the midst of it"
    if KILLS > 100:
        print(f"{KILLS} kills, {leavings} of them while a file was half written")
