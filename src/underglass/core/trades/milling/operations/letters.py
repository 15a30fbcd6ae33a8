"""A single-stroke font of our own: capitals 12 units high, small letters 8, lines and arcs.

A letter is strokes parted by ``;``; a stroke is places parted by ``,``; a place in brackets is one that the arc between its
neighbours runs through.
"""

from __future__ import annotations

import math
from functools import cache

from underglass.core.compose.contour import Seg

HIGH = 12.0
"""Height of a capital in units of the font."""
GAP = 2.6
"""Between two letters, units."""
SPACE = 5.0
_O = "0 4,0 8,(4 12),8 8,8 4,(4 0),0 4"
_SMALL_O = "0 4,(4 8),8 4,(4 0),0 4"
_P = "0 0,0 12,4.75 12,(8 8.75),4.75 5.5,0 5.5"
_DOTS = "2 {0},2 {1};6 {0},6 {1}"

GLYPHS: dict[str, str] = {
    "A": "0 0,4 12,8 0;1.5 4.5,6.5 4.5", "B": "0 0,0 12,5 12,(8 9),5 6,0 6;5 6,(8 3),5 0,0 0",
    "C": "7.46 10,(4 12),0 8,0 4,(4 0),7.46 2", "D": "0 0,0 12,4 12,(6.83 10.83),8 8,8 4,(6.83 1.17),4 0,0 0",
    "E": "7 12,0 12,0 0,7 0;0 6.5,5.5 6.5", "F": "7 12,0 12,0 0;0 6.5,5.5 6.5",
    "G": "7.46 10,(4 12),0 8,0 4,(4 0),8 4,8 6,5 6", "H": "0 0,0 12;8 0,8 12;0 6,8 6", "I": "0 0,0 12",
    "J": "5 12,5 2.5,(2.5 0),0 2.5", "K": "0 0,0 12;7.5 12,0 4.5;2.6 7.1,8 0", "L": "0 12,0 0,6.5 0",
    "M": "0 0,0 12,4.5 4,9 12,9 0", "N": "0 0,0 12,8 0,8 12", "O": _O, "P": _P, "Q": _O + ";5 3,8.5 -0.5",
    "R": _P + ";4.5 5.5,8 0", "S": "6.6 10.5,(1 9),4 6,(7 3),1.4 1.5", "T": "0 12,8 12;4 12,4 0",
    "U": "0 12,0 4,(4 0),8 4,8 12", "V": "0 12,4 0,8 12", "W": "0 12,2.5 0,5 9,7.5 0,10 12", "X": "0 0,8 12;0 12,8 0",
    "Y": "0 12,4 6,8 12;4 6,4 0", "Z": "0 12,8 12,0 0,8 0",
    "0": "0 3.5,0 8.5,(3.5 12),7 8.5,7 3.5,(3.5 0),0 3.5", "1": "0 9.5,3 12,3 0", "2": "0 8.5,(3.5 12),5.97 6.03,0 0,7 0",
    "3": "0.65 10.5,(6.25 9),3.25 6,(6.25 3),0.65 1.5", "4": "5.5 0,5.5 12,0 4,7.5 4", "5": "6.5 12,1 12,0.6 6.4,(7 3.75),0.3 1.45",
    "6": "5.5 12,0.47 5.25,(7 3.5),0.47 1.75,(0 3.5),0.47 5.25", "7": "0 12,7 12,2.5 0",
    "8": "3.5 6,(0.5 9),3.5 12,(6.5 9),3.5 6,(0.5 3),3.5 0,(6.5 3),3.5 6", "9": "1.5 0,6.53 6.75,(0 8.5),6.53 10.25,(7 8.5),6.53 6.75",
    "a": "8 4,(4 8),0 4,(4 0),8 4;8 8,8 0", "b": "0 12,0 0;0 4,(4 8),8 4,(4 0),0 4", "c": "7.46 6,(0 4),7.46 2",
    "d": "8 12,8 0;8 4,(4 8),0 4,(4 0),8 4", "e": "0 4,8 4,(4 8),0 4,(4 0),7.2 1.6", "f": "5 12,(2.88 11.12),2 9,2 0;0 7,5 7",
    "g": "8 4,(4 8),0 4,(4 0),8 4;8 8,8 -0.5,(4.5 -4),1.47 -2.25", "h": "0 0,0 12;0 4.5,(3.5 8),7 4.5,7 0", "i": "0 0,0 8;0 10.5,0 11.5",
    "j": "2 8,2 -2,(1.41 -3.41),0 -4;2 10.5,2 11.5", "k": "0 0,0 12;6.5 8,0 2.5;2.5 4.6,7 0", "l": "0 12,0 0",
    "m": "0 0,0 8;0 5.5,(2.5 8),5 5.5,5 0;5 5.5,(7.5 8),10 5.5,10 0", "n": "0 0,0 8;0 4.5,(3.5 8),7 4.5,7 0", "o": _SMALL_O,
    "p": "0 8,0 -4;0 4,(4 8),8 4,(4 0),0 4", "q": "8 8,8 -4;8 4,(4 8),0 4,(4 0),8 4", "r": "0 0,0 8;0 4,(1.17 6.83),4 8",
    "s": "4.73 7,(1 6),3 4,(5 2),1.27 1", "t": "2 12,2 2,(2.59 0.59),4 0,5 0;0 8,4.5 8", "u": "0 8,0 3.5,(3.5 0),7 3.5;7 8,7 0",
    "v": "0 8,3.5 0,7 8", "w": "0 8,2.5 0,5 6.5,7.5 0,10 8", "x": "0 0,7 8;0 8,7 0", "y": "0 8,3.5 0;7 8,2 -4", "z": "0 8,7 8,0 0,7 0",
    ".": "0 0,0 0.6", ",": "0.6 0.6,0 -1.6", ":": "0 0,0 0.6;0 7,0 7.6", ";": "0.6 0.6,0 -1.6;0.6 7,0.6 7.6", "-": "0 6,5 6",
    "+": "0 6,6 6;3 3,3 9", "/": "0 0,6 12", "(": "2.5 13,(0 6),2.5 -1", ")": "0 13,(2.5 6),0 -1", "=": "0 4.5,6 4.5;0 7.5,6 7.5",
    "!": "0 12,0 3.5;0 0,0 0.6", "?": "0 9,(6 9),3 6,3 3.5;3 0,3 0.6", "'": "0 12,0 9.5", '"': "0 12,0 9.5;2.5 12,2.5 9.5",
    "#": "2 0,4 12;6 0,8 12;0 4,9 4;1 8,10 8", "%": "0 0,8 12;2 12,(0 10),2 8,(4 10),2 12;6 4,(4 2),6 0,(8 2),6 4",
    "&": "8 0,1.9 8.2,(3.5 12),5.1 8.2,0.9 5.2,(3 0),8 5", "*": "3 3,3 9;0.4 4.5,5.6 7.5;0.4 7.5,5.6 4.5", "_": "0 -1,8 -1",
    "<": "6 2,0 6,6 10", ">": "0 2,6 6,0 10", "\u00d8": _O + ";-0.5 -1,8.5 13", "\u00f8": _SMALL_O + ";0 -0.5,8 8.5",
    "\u00b0": "2 12,(0 10),2 8,(4 10),2 12", "\u00b1": "0 7,6 7;3 4,3 10;0 1,6 1", "\u00d7": "0 2,6 8;0 8,6 2",
    "\u00b5": "0 8,0 -4;0 3.5,(3.5 0),7 3.5;7 8,7 0", "\u00df": "0 0,0 9,(3 12),6 9,(5.12 6.88),3 6;3 6,(6 3),3 0,2 0",
}  # fmt: skip
for _plain, _dotted in zip("AOUaou", "\u00c4\u00d6\u00dc\u00e4\u00f6\u00fc", strict=True):
    _low = 13.6 if _plain.isupper() else 9.8
    GLYPHS[_dotted] = GLYPHS[_plain] + ";" + _DOTS.format(_low, _low + 0.8)


def _through(a: tuple[float, float], m: tuple[float, float], b: tuple[float, float]) -> tuple[Seg, ...]:
    """The arc from ``a`` through ``m`` to ``b``."""
    bx, by, cx, cy = m[0] - a[0], m[1] - a[1], b[0] - a[0], b[1] - a[1]
    d = 2.0 * (bx * cy - by * cx)
    ux = (cy * (bx * bx + by * by) - by * (cx * cx + cy * cy)) / d
    uy = (bx * (cx * cx + cy * cy) - cx * (bx * bx + by * by)) / d
    return (Seg(*a, *b, 1 if d > 0.0 else -1, a[0] + ux, a[1] + uy),)


@cache
def glyph(letter: str) -> tuple[tuple[Seg, ...], ...]:
    """The strokes of a letter, units. Raises ``KeyError`` for one that the font has not."""
    out = []
    for stroke in GLYPHS[letter].split(";"):
        segs: list[Seg] = []
        at: tuple[float, float] | None = None
        through: tuple[float, float] | None = None
        for said in stroke.split(","):
            x, y = (float(v) for v in said.strip("()").split())
            if said.startswith("("):
                through = (x, y)
                continue
            if at is not None:
                segs += _through(at, through, (x, y)) if through is not None else (Seg(*at, x, y),)
            at, through = (x, y), None
        out.append(tuple(segs))
    return tuple(out)


@cache
def width(letter: str) -> float:
    """How wide a letter is, units; a space counts as it stands."""
    if letter == " ":
        return SPACE
    xs = [x for stroke in glyph(letter) for seg in stroke for x, _y in ((seg.x0, seg.y0), *seg.places(0.01))]
    return max(xs) - min(min(xs), 0.0)


def line_width(text: str, spacing: float) -> float:
    """The length of a line of letters with ``spacing`` times the usual gap, units."""
    return sum(width(c) for c in text) + GAP * spacing * max(len(text) - 1, 0)


def unknown(text: str) -> str:
    """The first letter that the font has not; empty where it has all."""
    return next((c for c in text if c != " " and c not in GLYPHS), "")


def turned(seg: Seg, dx: float, dy: float, scale: float, angle: float, mirrored: bool) -> Seg:
    """A stroke scaled, turned (rad) and moved; mirrored left to right before that."""
    c, s = math.cos(angle) * scale, math.sin(angle) * scale

    def at(x: float, y: float) -> tuple[float, float]:
        x = -x if mirrored else x
        return dx + x * c - y * s, dy + x * s + y * c

    return Seg(*at(seg.x0, seg.y0), *at(seg.x1, seg.y1), -seg.turn if mirrored else seg.turn, *at(seg.cx, seg.cy))
