"""How a milled part is held: stock, fixtures and zero from above and from the front."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.solid import Solid
from underglass.core.proof.held_picture import HELD, HeldPicture, HeldSays, box, zero_mark
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import Stroke
from underglass.core.trades.milling.name import MILLING

_SAME_MM = 0.01


def _corners(proof: Proof, solid: Solid) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Lowest and highest corner of a solid's box, seen from the part's zero."""
    wide, deep, high = solid.extent
    local = np.array([(x, y, z) for x in (0.0, wide) for y in (0.0, deep) for z in (0.0, high)])
    at = proof.job.bench.part_zero.into(solid.frame.out(local))
    return at.min(axis=0), at.max(axis=0)


def _rows(proof: Proof) -> tuple[tuple[str, str, tuple[float, ...]], ...]:
    bench = proof.job.bench
    out: list[tuple[str, str, tuple[float, ...]]] = []
    for solid in bench.stocks:
        out.append(
            (
                solid.name or "stock",
                "{} x {} x {}" if solid.shape != "cylinder" else "diameter {1}, {2} high",
                solid.extent,
            )
        )
    if bench.material:
        out.append(("material", bench.material, ()))
    for fixture in bench.fixtures:
        # The machine's own table is no fixture of the job.
        if fixture.entry:
            _low, high = _corners(proof, fixture.solid)
            out.append((fixture.name, "{} x {} x {}, top at Z {}", (*fixture.solid.extent, float(high[2]))))
    return tuple(out)


def _touch(proof: Proof) -> tuple[str, ...]:
    """Where on the stock each axis of the zero lies, as a setter says it."""
    if not proof.job.bench.stocks:
        return ()
    low, high = _corners(proof, proof.job.bench.stocks[0])
    words = (("X", "left face", "right face"), ("Y", "front face", "back face"), ("Z", "underside", "top"))
    out = []
    for k, (axis, near, far) in enumerate(words):
        a, b = float(low[k]), float(high[k])
        if abs(a) < _SAME_MM:
            out.append(f"{axis}0 is the stock's {near}.")
        elif abs(b) < _SAME_MM:
            out.append(f"{axis}0 is the stock's {far}.")
        elif abs(a + b) < 2.0 * _SAME_MM:
            out.append(f"{axis}0 is the middle of the stock.")
        else:
            side, off = (near, -a) if abs(a) < abs(b) else (far, -b)
            way = (
                "above"
                if axis == "Z" and off > 0
                else "below"
                if axis == "Z"
                else "to the plus side of"
                if off > 0
                else "to the minus side of"
            )
            out.append(f"{axis}0 lies {{{abs(off)!r}}} {way} the stock's {side}.")
    return tuple(out)


def _picture(proof: Proof, title: str, a: int, b: int) -> HeldPicture:
    bench = proof.job.bench
    strokes: list[Stroke] = []
    size = 10.0
    for fixture in bench.fixtures:
        if not fixture.entry:
            continue
        low, high = _corners(proof, fixture.solid)
        strokes += box(float(low[a]), float(low[b]), float(high[a]), float(high[b]), "help")
    for solid in bench.stocks:
        low, high = _corners(proof, solid)
        x0, y0, x1, y1 = float(low[a]), float(low[b]), float(high[a]), float(high[b])
        size = 0.08 * max(x1 - x0, y1 - y0)
        strokes += box(x0, y0, x1, y1)
        # Dimensions stand clear of everything that is drawn.
        low_y = min(min(s.at[1], s.at[3]) for s in strokes) - size
        far_x = max(max(s.at[0], s.at[2]) for s in strokes) + size
        strokes.append(Stroke("measure", (x0, low_y, x1, low_y), "measure"))
        strokes.append(Stroke("measure", (far_x, y0, far_x, y1), "measure"))
    return HeldPicture(title=title, strokes=(*strokes, *zero_mark(size)))


def _pictures(proof: Proof) -> tuple[HeldPicture, ...]:
    return _picture(proof, "From above", 0, 1), _picture(proof, "From the front", 0, 2)


HELD[MILLING] = HeldSays(rows=_rows, touch=_touch, pictures=_pictures)
