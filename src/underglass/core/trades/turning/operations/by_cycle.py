"""A profile roughed by the control's own cycle, the contour written once behind it, and finished along the same blocks.

The cycle's code and letters are those of the job's control; without a job, the ones that the shipped profile has (common practice, no
source). It takes contours that only rise from the face (in a bore: only fall): others are cut in passes.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from underglass.core.compose.contour import Contour
from underglass.core.compose.operation import ShopEntries, need
from underglass.core.trades.turning.operations.common import LatheWriter

CHOICES = (("cycle", "along Z, by the control's cycle"),)
"""Ways to rough that leave it to the control."""
_LETTERS: Mapping[str, str] = {"from": "P", "to": "Q", "pass": "D", "leave_x": "U", "leave_z": "W"}
_USUAL: Mapping[str, tuple[str, Mapping[str, str]]] = {
    "rough-along-z": ("G71", _LETTERS), "finish": ("G70", _LETTERS),
}  # fmt: skip
_STEP = 10


def _code(e: ShopEntries, name: str) -> tuple[str, Mapping[str, str]]:
    known = e.around.cycles or _USUAL
    need(name in known, "this control has no such cycle: choose passes", "rough")
    return known[name]


def only_rises(contour: Contour, outside: bool) -> bool:
    """Whether it runs towards the chuck and away from the axis all the way (in a bore: towards it)."""
    at = contour.places(0.01)
    out = at[1:, 1] - at[:-1, 1]
    return bool((at[1:, 0] <= at[:-1, 0] + 1e-6).all() and ((out if outside else -out) >= -1e-6).all())


def rough_by_cycle(
    w: LatheWriter, e: ShopEntries, contour: Contour, path: Contour, outside: bool, far: float, comp: bool
) -> int:
    """Rough, then run along the same blocks where that is wanted. ``contour`` is what is to be cut, ``path`` what is written: it, or the
    tip's way beside it. How many passes the roughing takes."""
    need(only_rises(contour, outside), "the control's cycle cuts a profile that only rises: choose passes", "rough")
    code, letters = _code(e, "rough-along-z")
    down, left, f = e.positive("down", "The depth of a pass"), e.number("left"), e.positive("f", "The feed")
    first = e.count("n")
    z0 = e.number("face") + e.positive("clear", "The clearance")
    w.rapid(z0, far)
    begin = len(w.lines)
    w.forget()
    w.rapid(y=path.start[1])
    for k, seg in enumerate(path.segs):
        w.seg(
            seg,
            f=e.positive("ff", "The feed of the last cut"),
            before=("G42" if outside else "G41") if comp and k == 0 else "",
        )
    if comp:
        step = max(2.0 * e.number("re"), 0.5)
        last = path.segs[-1].y1
        w.rapid(y=last + step if outside else max(last - step, 0.0), before="G40")
    blocks = w.lines[begin:]
    numbers = [first + _STEP * k for k in range(len(blocks))]
    need(numbers[-1] <= 9999, "the contour's block numbers would go beyond 9999: begin with a smaller one", "n")
    sign = 1.0 if outside else -1.0
    words = [f"{letters['from']}{numbers[0]}", f"{letters['to']}{numbers[-1]}", f"{letters['pass']}{w.figure(down)}"]
    words += (
        [f"{letters['leave_x']}{w.figure(sign * 2.0 * left)}", f"{letters['leave_z']}{w.figure(left)}"]
        if left > 0.0
        else []
    )
    w.lines[begin:] = [f"{code} {' '.join(words)} F{w.feed_figure(f)}"]
    w.lines.extend(f"N{n} {text}" for n, text in zip(numbers, blocks))
    w.stands(z0, far)
    if e.word("finish") == "yes":
        code, letters = _code(e, "finish")
        w.block(f"{code} {letters['from']}{numbers[0]} {letters['to']}{numbers[-1]}")
        w.stands(z0, far)
    rs = [r for s in contour.segs for r in (s.y0, s.y1)]
    deep = abs(far - (min(rs) if outside else max(rs))) - left
    passes = max(1, math.ceil(deep / down - 1e-9))
    # Each pass from beside the face to the contour, the last once along it (as `roughing` cuts them).
    places = contour.places(0.01) if outside else contour.places(0.01) * (1.0, -1.0)
    levels = sign * far - np.minimum(down * np.arange(1, passes + 1), deep) - left
    ends = np.interp(levels, places[:, 1], places[:, 0]) + left
    for level, end in zip(levels.tolist(), ends.tolist(), strict=True):
        w.also(z0 - end, f, abs(level))
    w.also(contour.length, f, abs(rs[-1]))
    return passes
