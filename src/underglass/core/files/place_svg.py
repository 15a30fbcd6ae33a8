"""Pictures of a place as SVG: areas filled, ways drawn, the place marked, a scale that is read in the job's unit."""

from __future__ import annotations

import base64
import html
import io
import math
import zlib
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from underglass.core.proof.place_picture import Area, PlacePicture, Relief
from underglass.core.units import MM_PER_INCH, Unit

Floats = NDArray[np.float64]

WIDE, HIGH = 450, 300
_INK = {
    "stock": ("#D8CBAE", "#6E6248", 1.0), "piece": ("#E9DFC8", "#6E6248", 1.0), "fixture": ("#A9AEB4", "#5D646C", 0.9),
    "cutter": ("#A39A5A", "#4E4A1F", 0.55), "shank": ("#8B9096", "#474D57", 0.45), "holder": ("#474D57", "#1E242B", 0.35),
    "more": ("#1D3C94", "#1D3C94", 0.75), "less": ("#A04A08", "#A04A08", 0.75),
}  # fmt: skip
_CRASH, _FEED, _RAPID, _TEXT = "#B3261E", "#0A5F94", "#A34C80", "#1E242B"
_STOCK_RGB = np.array([0xD8, 0xCB, 0xAE], dtype=np.float64)
_NAMED_FROM = 26.0
"""Points that an area must be wide for its name to stand in it."""


def as_svg(picture: PlacePicture, unit: Unit, colour: str = _CRASH) -> str:
    """One picture as an SVG element of its own. ``colour`` is the mark's."""
    x0, y0, x1, _y1 = picture.window
    k = WIDE / (x1 - x0)
    serial = f"w{zlib.crc32(repr((picture.title, picture.window)).encode()):x}"

    def at(places: Floats) -> Floats:
        return np.column_stack([(places[:, 0] - x0) * k, HIGH - (places[:, 1] - y0) * k])

    out = [
        f'<svg viewBox="0 0 {WIDE} {HIGH}" width="{WIDE}" height="{HIGH}" role="img" aria-label="{html.escape(picture.title)}" xmlns="http://www.w3.org/2000/svg">'
        f'<defs><clipPath id="{serial}"><rect width="{WIDE}" height="{HIGH}"/></clipPath></defs><g clip-path="url(#{serial})">'
        f'<rect width="{WIDE}" height="{HIGH}" fill="#F4F2EC"/>'
    ]
    out += [_filled(area, at) for area in picture.under]
    if picture.relief is not None:
        out.append(
            f'<image width="{WIDE}" height="{HIGH}" preserveAspectRatio="none" href="{_shaded(picture.relief, (x1 - x0))}"/>'
        )
    names = []
    for area in picture.areas:
        out.append(_filled(area, at))
        names += _name(area, [at(ring) for ring in area.rings])
    for way_ in picture.ways:
        places = " ".join(f"{x:.1f},{y:.1f}" for x, y in at(way_.places).tolist())
        dash = ' stroke-dasharray="5 4"' if way_.rapid else ""
        ink, width = (colour, 2.6) if way_.meant else (_RAPID if way_.rapid else _FEED, 1.1)
        out.append(f'<polyline points="{places}" fill="none" stroke="{ink}" stroke-width="{width}"{dash}/>')
    out += names
    if picture.mark is not None:
        x, y = at(np.array([picture.mark]))[0].tolist()
        out.append(
            f'<circle cx="{x:.1f}" cy="{y:.1f}" r="9" fill="none" stroke="#fff" stroke-width="4"/><circle cx="{x:.1f}" cy="{y:.1f}" r="9" fill="none" stroke="{colour}" stroke-width="2"/>'
            f'<circle cx="{x:.1f}" cy="{y:.1f}" r="1.6" fill="{colour}"/>'
        )
    out += [_scale(k, unit), _axes(picture.axes)]
    out.append(f'</g><rect x="0.5" y="0.5" width="{WIDE - 1}" height="{HIGH - 1}" fill="none" stroke="#CFC9BC"/></svg>')
    return "".join(out)


def _filled(area: Area, at: Callable[[Floats], Floats]) -> str:
    drawn = [at(ring) for ring in area.rings if len(ring) > 2]
    fill, edge, alpha = _INK[area.look]
    way = "".join("M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in ring.tolist()) + "Z" for ring in drawn)
    return (
        f'<path d="{way}" fill="{fill}" fill-opacity="{alpha:g}" fill-rule="evenodd" stroke="{edge}"/>' if drawn else ""
    )


def _name(area: Area, drawn: list[Floats]) -> list[str]:
    """The area's name where it is seen and fits."""
    if not area.name or not drawn:
        return []
    every = np.vstack(drawn)
    low, high = np.maximum(every.min(axis=0), 4.0), np.minimum(every.max(axis=0), (WIDE - 4.0, HIGH - 4.0))
    wide = 6.2 * len(area.name)
    if high[0] - low[0] < min(wide, _NAMED_FROM) or high[1] - low[1] < 12.0 or high[0] - low[0] < wide:
        return []
    x, y = ((low + high) / 2.0).tolist()
    return [
        f'<text x="{x:.1f}" y="{y + 4:.1f}" text-anchor="middle" font-size="11" fill="{_TEXT}">{html.escape(area.name)}</text>'
    ]


def _scale(k: float, unit: Unit) -> str:
    """A bar of a round length at the lower left."""
    size = MM_PER_INCH if unit == "inch" else 1.0
    want = 70.0 / k / size
    power = 10.0 ** math.floor(math.log10(want))
    length = max(s * power for s in (1.0, 2.0, 5.0) if s * power <= want)
    wide = length * size * k
    return (
        f'<g transform="translate(10 {HIGH - 12})"><rect x="-4" y="-17" width="{wide + 8:.1f}" height="23" fill="#F8F6F1" fill-opacity="0.85"/><path d="M0 -4V0H{wide:.1f}V-4" fill="none" stroke="{_TEXT}"/>'
        f'<text x="{wide / 2:.1f}" y="-5" text-anchor="middle" font-size="10" fill="{_TEXT}">{length:g} {"in" if unit == "inch" else "mm"}</text></g>'
    )


def _axes(names: tuple[str, str]) -> str:
    """Which way is which, at the lower right."""
    return (
        f'<g transform="translate({WIDE - 42} {HIGH - 14})" font-size="10" fill="{_TEXT}"><rect x="-8" y="-32" width="46" height="42" fill="#F8F6F1" fill-opacity="0.85"/>'
        f'<path d="M0 -20V0H20" fill="none" stroke="{_TEXT}"/><text x="24" y="4">{names[0]}</text><text x="-3" y="-23">{names[1]}</text></g>'
    )


def _shaded(relief: Relief, span_mm: float) -> str:
    """Heights as a picture that is lit from the upper left, deeper is darker; as a data URI."""
    h = relief.heights
    if relief.apart:
        return _as_uri(_apart(relief))
    step = span_mm / max(h.shape[1] - 1, 1)
    there = np.isfinite(h)
    filled = np.where(there, h, relief.low)
    dy, dx = np.gradient(filled, step)
    light = (dx - dy + 1.6) / np.sqrt(dx * dx + dy * dy + 1.0) / math.sqrt(1.6**2 + 2.0) * 1.15
    depth = (filled - relief.low) / max(relief.high - relief.low, 1e-9)
    shade = np.clip(light, 0.35, 1.1) * (0.72 + 0.28 * depth)
    rgb = np.clip(_STOCK_RGB * shade[..., None], 0.0, 255.0)
    rgba = np.dstack([rgb, np.where(there, 255.0, 0.0)]).astype(np.uint8)[::-1]
    return _as_uri(rgba)


def _apart(relief: Relief) -> NDArray[np.uint8]:
    """Differences: what the first has more is blue, what it has less is rust, the more the fuller; alike is the stock's own colour."""
    h = relief.heights
    there = np.isfinite(h)
    amount = np.clip(np.abs(np.where(there, h, 0.0)) / max(relief.high, 1e-9), 0.0, 1.0) ** 0.5
    full = np.where((h > 0.0)[..., None], _rgb(_INK["more"][0]), _rgb(_INK["less"][0]))
    share = np.where(amount > 0.0, 0.35 + 0.65 * amount, 0.0)[..., None]
    rgb = _STOCK_RGB * (1.0 - share) + full * share
    return np.dstack([rgb, np.where(there, 255.0, 0.0)]).astype(np.uint8)[::-1]


def _rgb(colour: str) -> Floats:
    return np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)], dtype=np.float64)


def _as_uri(rgba: NDArray[np.uint8]) -> str:
    raw = io.BytesIO()
    Image.fromarray(rgba, "RGBA").save(raw, "PNG", optimize=True)
    return "data:image/png;base64," + base64.b64encode(raw.getvalue()).decode()
