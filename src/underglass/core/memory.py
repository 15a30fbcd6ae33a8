"""How memory is asked for and given back: large arrays come and go with every proof."""

from __future__ import annotations

import ctypes

_TRIM, _MMAP = -1, -3
"""M_TRIM_THRESHOLD and M_MMAP_THRESHOLD of the GNU C library's ``mallopt``."""

_KEPT = 256 << 20
_LARGEST_ON_THE_HEAP = 32 << 20
"""The highest threshold that the library takes, bytes."""


def keep_pages() -> None:
    """Let freed memory stay with the program, up to 256 MB, for the next arrays. Elsewhere than on the GNU C library: nothing.

    Left alone, the library gives each array of some MB back to the system, and fetching its pages anew takes longer than filling them:
    an edit at the end of 100,000 moves takes half the time with them kept.
    """
    try:
        mallopt = ctypes.CDLL(None).mallopt
    except (OSError, AttributeError):
        return
    mallopt(_MMAP, _LARGEST_ON_THE_HEAP)
    mallopt(_TRIM, _KEPT)
