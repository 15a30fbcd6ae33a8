"""The pictures of a setup sheet as SVG, and their measures: strokes in mm put on paper."""

from __future__ import annotations

import math

import numpy as np

from underglass.core.proof.held_picture import HeldPicture
from underglass.core.reckon.form import Stroke
from underglass.core.units import MM_PER_INCH, Unit

WIDE, HIGH, EDGE = 340.0, 230.0, 34.0
"""The paper of one picture and its margin, points."""
INK = {
    "part": "#1E242B",
    "help": "#98917F",
    "cut": "#1D3C94",
    "measure": "#8F6A1C",
    "path": "#1D3C94",
    "stock": "#636A72",
}


def measured(stroke: Stroke, unit: Unit) -> str:
    """What a dimension says."""
    mm = math.hypot(stroke.at[2] - stroke.at[0], stroke.at[3] - stroke.at[1])
    return f"{mm / MM_PER_INCH:.3f}" if unit == "inch" else f"{mm:.2f}".rstrip("0").rstrip(".")


def scale_of(picture: HeldPicture) -> tuple[float, float, float]:
    """(points a mm, left, bottom): what is drawn fits the paper."""
    at = np.array([p for s in picture.strokes for p in zip(s.at[::2], s.at[1::2], strict=False)])
    low, high = at.min(axis=0), at.max(axis=0)
    room = (WIDE - 2.0 * EDGE) / max(high[0] - low[0], 1e-6), (HIGH - 2.0 * EDGE) / max(high[1] - low[1], 1e-6)
    k = float(min(room))
    return k, WIDE / 2.0 - k * float(low[0] + high[0]) / 2.0, HIGH / 2.0 - k * float(low[1] + high[1]) / 2.0


def as_svg(picture: HeldPicture, unit: Unit) -> str:
    """One picture as an SVG element; text in it is figures only."""
    if not picture.strokes:
        return ""
    k, dx, dy = scale_of(picture)
    out = [
        f'<svg viewBox="0 0 {WIDE:g} {HIGH:g}" width="{WIDE:g}" height="{HIGH:g}" role="img" xmlns="http://www.w3.org/2000/svg">'
    ]
    for s in picture.strokes:
        at = [(v * k + dx if n % 2 == 0 else HIGH - (v * k + dy)) for n, v in enumerate(s.at)]
        ink = INK.get(s.style, INK["part"])
        if s.kind == "dot":
            out.append(f'<circle cx="{at[0]:.2f}" cy="{at[1]:.2f}" r="3" fill="none" stroke="{ink}"/>')
            continue
        dash = ' stroke-dasharray="4 3"' if s.style == "help" else ""
        width = 1.4 if s.style == "part" else 0.8
        line = f'x1="{at[0]:.2f}" y1="{at[1]:.2f}" x2="{at[2]:.2f}" y2="{at[3]:.2f}"'
        out.append(f'<line {line} stroke="{ink}" stroke-width="{width}"{dash}/>')
        if s.kind == "measure":
            x, y = (at[0] + at[2]) / 2.0, (at[1] + at[3]) / 2.0
            upright = abs(at[2] - at[0]) < abs(at[3] - at[1])
            turn = f' transform="rotate(-90 {x + 12:.2f} {y:.2f})"' if upright else ""
            place = (x + 12, y) if upright else (x, y + 13)
            out.append(
                f'<text x="{place[0]:.2f}" y="{place[1]:.2f}" text-anchor="middle" font-size="11" fill="{ink}"{turn}>{measured(s, unit)}</text>'
            )
            for ex, ey in ((at[0], at[1]), (at[2], at[3])):
                tick = (ex - 4, ey, ex + 4, ey) if upright else (ex, ey - 4, ex, ey + 4)
                out.append(
                    '<line x1="{:.2f}" y1="{:.2f}" x2="{:.2f}" y2="{:.2f}" '.format(*tick)
                    + f'stroke="{ink}" stroke-width="0.8"/>'
                )
    return "".join([*out, "</svg>"])
