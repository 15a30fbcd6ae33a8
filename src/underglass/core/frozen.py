"""Values whose arrays nobody writes to any more."""

from __future__ import annotations

from dataclasses import fields
from typing import Any, TypeVar

import numpy as np

T = TypeVar("T")


def freeze(value: T) -> T:
    """The same value, every array that is a field of it read-only; for an array, that array."""
    if isinstance(value, np.ndarray):
        value.setflags(write=False)
        return value
    for field in fields(value):  # type: ignore[arg-type]
        held: Any = getattr(value, field.name)
        if isinstance(held, np.ndarray):
            held.setflags(write=False)
    return value
