"""Random entries over the ranges and choices that an operation states."""

from __future__ import annotations

import os
import random

from underglass.core.compose.operation import Operation

DEEP = bool(os.environ.get("UNDERGLASS_DEEP"))
TRIES = 500 if DEEP else 20
WHOLE = 6
"""So many of them are thrown for whole in every run; the rest are short ones."""
_SHORT = {"parts": "one", "hold": "", "by": "step", "rot": "0"}


def short(op: Operation) -> dict[str, str]:
    """Entries that keep a program short: one part, not turned, few and wide steps; what they leave out is held by tests of its own."""
    usual = {f.key: f.usual for f in op.fields if f.usual}
    least = {key: f"{usual[key][1]:g}" for key in ("down", "step", "over") if key in usual}
    return {**{key: value for key, value in _SHORT.items() if any(f.key == key for f in op.fields)}, **least}


def some_entries(op: Operation, dice: random.Random, fixed: dict[str, str] | None = None) -> dict[str, str]:
    """One set of entries; ``fixed`` ones are not thrown for."""
    out: dict[str, str] = dict(fixed or {})
    # Twice: what one choice asks for may hang on another one.
    for _round in range(2):
        for field in op.asked(out):
            if field.key in out:
                continue
            if field.blank and dice.random() < 0.5:
                out[field.key] = ""
            elif field.kind == "choice":
                out[field.key] = dice.choice(field.choices)[0]
            elif field.usual is None:
                out[field.key] = field.first("mm")
            elif field.kind in ("count", "whole"):
                out[field.key] = str(dice.randint(int(field.usual[0]), int(field.usual[1])))
            else:
                out[field.key] = f"{dice.uniform(*field.usual):.3f}"
    return op.only_asked(out)
