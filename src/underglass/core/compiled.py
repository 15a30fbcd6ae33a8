"""Kernels: functions that numba turns into machine code, once, and keeps.

numba notices a change only in the file that holds a function, not in the functions it calls. So the kept code lies in
a folder named after everything the kernels are made of; a new version never runs an old kernel.
"""

from __future__ import annotations

import hashlib
from pathlib import Path

import numba
import numba.core.config
from numba import njit
from platformdirs import user_cache_path

_CORE = Path(__file__).parent
_SIGN = b"underglass.core.compiled import"


def _made_of() -> str:
    digest = hashlib.sha256(numba.__version__.encode())
    for path in kernel_files():
        digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


def kernel_files() -> list[Path]:
    """Every file of the core that takes its kernels from here, wherever it lies."""
    return [path for path in sorted(_CORE.rglob("*.py")) if path.name == "compiled.py" or _SIGN in path.read_bytes()]


setattr(  # noqa: B010  (numba makes its settings at run time; no type checker knows them)
    numba.core.config, "CACHE_DIR", str(user_cache_path("underglass") / f"kernels-{_made_of()}")
)

kernel = njit(cache=True, nogil=True)
small_kernel = njit(cache=True, nogil=True, inline="always")
"""For the few lines that are used inside another kernel's innermost loop."""
straight_kernel = njit(cache=True, nogil=True, fastmath=True)
"""For loops without a branch over finite figures, where the order of a sum does not matter."""
