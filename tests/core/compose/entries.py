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


_CLOSED = (
    "0 0\n100 0\n100 30\n40 30 R8\n40 60\n0 60\nCLOSE",
    "0 0\n60 0\nG3 90 30 I0 J30\n90 60\n0 60 C9\nCLOSE",
    "0 0\n50 12\n100 0\n88 30\n100 60\n50 48\n0 60\n12 30\nCLOSE",
    "10 30\nG3 90 30 I40 J0\nG3 10 30 I-40 J0",
    "0 60\n100 60\n100 0 R20\n0 0 R12\nCLOSE",
)
_OPEN = (
    "0 0\n40 0 R6\n40 30\n80 30 C4\n80 60",
    "0 0\nG2 30 30 I30 J0\n60 30\nG3 90 60 I0 J30",
    "0 0\n20 40\n40 0\n60 40 R3\n80 0",
)
_ISLANDS = ("", "/\n20 22\n32 22\n32 40\n20 40\nCLOSE", "/\n22 30\nG2 30 30 I4 J0\nG2 22 30 I-4 J0")
"""Contours of a hundred by sixty, from above: hollow and round ones, arcs, sharp corners; open ones; and what may stand within."""


def some_contour(op: Operation, dice: random.Random, out: dict[str, str]) -> str:
    """A contour for an operation of milling; an open one goes with a side that it has."""
    kinds = {
        "outline": _CLOSED + _OPEN,
        "chamfer": _CLOSED + _OPEN,
        "pocket-any-contour": _CLOSED,
        "rest-of-a-pocket": _CLOSED,
    }
    shapes = kinds.get(op.key)
    if shapes is None:
        return next(f.first("mm") for f in op.fields if f.key == "contour")
    shape = dice.choice(shapes)
    if shape in _OPEN:
        out["side"] = dice.choice(("left", "right", "on") if op.key == "outline" else ("left", "right"))
    return shape + ("\n" + dice.choice(_ISLANDS) if "pocket" in op.key else "")


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
            elif field.key == "contour" and dice.random() < 0.7:
                out[field.key] = some_contour(op, dice, out)
            elif field.kind == "choice":
                out[field.key] = dice.choice(field.choices)[0]
            elif field.usual is None:
                out[field.key] = field.first("mm")
            elif field.kind in ("count", "whole"):
                out[field.key] = str(dice.randint(int(field.usual[0]), int(field.usual[1])))
            else:
                out[field.key] = f"{dice.uniform(*field.usual):.3f}"
    return op.only_asked(out)
