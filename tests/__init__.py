"""A worker of a parallel run gets a virtual display of its own: windows on one display take the focus from each other."""

from __future__ import annotations

import atexit
import os
import shutil
import subprocess


def _own_display() -> None:
    if not os.environ.get("PYTEST_XDIST_WORKER") or not os.environ.get("DISPLAY") or shutil.which("Xvfb") is None:
        return
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1400x1000x24", "-nolisten", "tcp"],
        pass_fds=(write,),
        stderr=subprocess.DEVNULL,
    )
    atexit.register(server.kill)
    os.close(write)
    with os.fdopen(read) as told:
        os.environ["DISPLAY"] = f":{told.readline().strip()}"


_own_display()
