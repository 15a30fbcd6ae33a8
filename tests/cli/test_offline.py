"""Once set up, nothing needs a network: the same calls in a network namespace of their own, which has none."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
CUT_OFF = ["unshare", "--map-root-user", "--net"]


def can_cut_off() -> bool:
    if shutil.which("unshare") is None:
        return False
    return subprocess.run([*CUT_OFF, "true"], capture_output=True, check=False).returncode == 0


pytestmark = pytest.mark.skipif(not can_cut_off(), reason="this machine lets nobody make a network namespace")


def test_there_is_really_no_network() -> None:
    code = "import socket; socket.create_connection(('1.1.1.1', 53), 2)"
    assert subprocess.run([*CUT_OFF, sys.executable, "-c", code], capture_output=True, check=False).returncode != 0


@pytest.mark.drawn
def test_the_demo_needs_no_network(tmp_path: Path) -> None:
    picture = tmp_path / "window.png"
    call = [*CUT_OFF, sys.executable, "-m", "underglass", "demo", "--picture", str(picture)]
    done = subprocess.run(call, capture_output=True, text=True, timeout=200, check=False)
    assert done.returncode == 0, done.stderr
    assert picture.stat().st_size > 50_000


def test_checking_needs_no_network() -> None:
    job = ROOT / "src" / "underglass" / "data" / "demo" / "vent-bracket.job.toml"
    call = [*CUT_OFF, sys.executable, "-m", "underglass", "check", str(job)]
    assert subprocess.run(call, capture_output=True, timeout=100, check=False).returncode == 0
