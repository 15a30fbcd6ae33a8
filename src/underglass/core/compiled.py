"""Kernels: functions that numba turns into machine code, once, and keeps.

numba notices a change only in the file that holds a function, not in the functions it calls. So the kept code lies in
a folder named after everything the kernels are made of; a new version never runs an old kernel.

numba itself takes a good quarter of a second to be taken in. A window is there before anything is cut, so it is taken in with
the first kernel that is called; until then a kernel is a stand-in for itself.
"""

from __future__ import annotations

import hashlib
import sys
import threading
from collections.abc import Callable
from importlib.metadata import version
from pathlib import Path
from typing import Any

from platformdirs import user_cache_path

_CORE = Path(__file__).parent
_SIGN = b"underglass.core.compiled import"


def _made_of() -> str:
    digest = hashlib.sha256(version("numba").encode())
    for path in kernel_files():
        digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


def kernel_files() -> list[Path]:
    """Every file of the core that takes its kernels from here, wherever it lies."""
    return [path for path in sorted(_CORE.rglob("*.py")) if path.name == "compiled.py" or _SIGN in path.read_bytes()]


class _StandIn:
    """A kernel before numba is there: called, it becomes the real one, and so do all others."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        self.function, self.options = function, options
        self.real: Any = None

    def __call__(self, *arguments: Any) -> Any:
        if self.real is None:
            take_in()
        return self.real(*arguments)


_waiting: list[_StandIn] = []
_lock = threading.RLock()
_njit: Any = None


def take_in() -> None:
    """Take numba in now: make every stand-in's kernel, and put it in the stand-in's place wherever it is called from another kernel."""
    global _njit
    with _lock:
        if _njit is None:
            import numba
            import numba.core.config

            setattr(  # noqa: B010  (numba makes its settings at run time; no type checker knows them)
                numba.core.config, "CACHE_DIR", str(user_cache_path("underglass") / f"kernels-{_made_of()}")
            )
            _njit = numba.njit
        for one in _waiting:
            one.real = _njit(**one.options)(one.function)
        for module in list(sys.modules.values()):
            for key, value in list(getattr(module, "__dict__", {}).items()):
                if type(value) is _StandIn:
                    setattr(module, key, value.real)
        _waiting.clear()


def _kind(**options: Any) -> Callable[[Callable[..., Any]], Any]:
    def made(function: Callable[..., Any]) -> Any:
        with _lock:
            if _njit is not None:
                return _njit(**options)(function)
            one = _StandIn(function, options)
            _waiting.append(one)
            return one

    return made


kernel = _kind(cache=True, nogil=True)
small_kernel = _kind(cache=True, nogil=True, inline="always")
"""For the few lines that are used inside another kernel's innermost loop."""
straight_kernel = _kind(cache=True, nogil=True, fastmath=True)
"""For loops without a branch over finite figures, where the order of a sum does not matter."""
