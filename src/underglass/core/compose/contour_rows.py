"""Contours typed as rows, with the missing figures worked out, and written as rows again.

Glossary
    row      one element of a contour by the place where it ends: ``60 40``, ``X60 A30``, ``G3 60 40 B12``
    A        direction of a line, degrees anticlockwise from +X          L   its length
    B        radius of an arc; minus for the longer of the two           I J its middle, counted from its start
    TAN      the arc leaves in the direction in which the element before ended
    R, C     the corner at the row's end is rounded, or chamfered by C along both elements
    CLOSE    back to the first place
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from typing import NamedTuple

from underglass.core.compose.contour import SAME, Contour, Seg
from underglass.core.reckon.figure import BadFigure, read_figure
from underglass.core.reckon.form import CannotBe, plain
from underglass.core.units import MM_PER_INCH, Unit

_AGREE = 0.002
"""How far figures given twice may differ, mm: prints are rounded to two places, angles to hundredths."""

_WORD = re.compile(r"([A-Z]{1,5})?(.*)")


class _Row(NamedTuple):
    number: int
    words: dict[str, float]
    turn: int
    tangent: bool
    close: bool


def _read_row(number: int, text: str, unit: Unit) -> _Row:
    words: dict[str, float] = {}
    turn, tangent, close = 0, False, False
    bare = ["Y", "X"]
    for token in text.upper().replace(",", " ").split():
        if token == "TAN":
            tangent = True
        elif token == "CLOSE":
            close = True
        elif token in ("G1", "G01", "G2", "G02", "G3", "G03"):
            turn = {"1": 0, "2": -1, "3": 1}[token[-1]]
        else:
            found = _WORD.fullmatch(token)
            assert found is not None
            letter, figure = found[1], found[2]
            if letter is None:
                if not bare:
                    raise CannotBe(f"row {number}: a third figure stands without a letter")
                letter = bare.pop()
            if letter not in ("X", "Y", "A", "L", "R", "C", "I", "J", "B"):
                raise CannotBe(f"row {number}: {token} is no word of a contour")
            try:
                words[letter] = read_figure(figure, None if letter == "A" else unit)
            except BadFigure as problem:
                raise CannotBe(f"row {number}: {problem}") from None
    return _Row(number, words, turn, tangent, close)


def read_contours(text: str, unit: Unit, key: str = "contour") -> tuple[Contour, ...]:
    """Contours typed as rows, one after another with an empty row or ``/`` between them; figures in ``unit``, contours in mm.

    Raises ``CannotBe`` with the row that is wrong: what is missing, or what does not agree.
    """
    out: list[Contour] = []
    rows: list[_Row] = []
    lines = [part.strip() for part in text.replace(";", "\n").split("\n")]
    try:
        for number, line in enumerate([*lines, ""], 1):
            if line and line != "/":
                rows.append(_read_row(number, line, unit))
            elif rows:
                out.append(_contour(rows))
                rows = []
    except CannotBe as problem:
        raise CannotBe(str(problem), key) from None
    return tuple(c.scaled(MM_PER_INCH) for c in out) if unit == "inch" else tuple(out)


def one_contour(text: str, unit: Unit, key: str = "contour", closed: bool | None = None) -> Contour:
    """The only contour of a text. Raises ``CannotBe``."""
    found = read_contours(text, unit, key)
    if len(found) != 1:
        raise CannotBe("one contour was expected" if found else "no contour is entered yet", key)
    if closed is not None and found[0].closed != closed:
        raise CannotBe(
            "this contour must be closed: end it with CLOSE" if closed else "this contour must not be closed", key
        )
    return found[0]


def _contour(rows: list[_Row]) -> Contour:
    first = rows[0]
    if not {"X", "Y"} <= set(first.words) or first.turn or first.tangent:
        raise CannotBe(f"row {first.number}: a contour starts with a place, X and Y")
    x, y = first.words["X"], first.words["Y"]
    start = (x, y)
    segs: list[Seg] = []
    corners: list[_Row] = [first]
    k = 1
    while k < len(rows):
        row = rows[k]
        if row.close:
            row = row._replace(words={**row.words, "X": start[0], "Y": start[1]})
            if k + 1 < len(rows):
                raise CannotBe(f"row {rows[k + 1].number}: nothing can follow CLOSE")
        if row.turn or row.tangent:
            seg = _arc(row, (x, y), segs[-1] if segs else None)
        else:
            onward = rows[k + 1] if k + 1 < len(rows) else None
            if onward is not None and onward.close:
                onward = onward._replace(words={**onward.words, "X": start[0], "Y": start[1]})
            seg = _line(row, (x, y), onward)
        if seg.length > SAME:
            segs.append(seg)
            corners.append(row)
        x, y = seg.x1, seg.y1
        k += 1
    if not segs:
        raise CannotBe(f"row {first.number}: a contour of one place has no length")
    closed = math.hypot(x - start[0], y - start[1]) <= SAME
    return Contour(tuple(_cornered(segs, corners, closed)), closed)


def _line(row: _Row, at: tuple[float, float], onward: _Row | None) -> Seg:
    w, (x, y) = row.words, at
    if not {"X", "Y", "A", "L"} & set(w):
        raise CannotBe(f"row {row.number}: a line needs X, Y, or an angle A with something that ends it")
    if "A" not in w:
        if "L" in w and not {"X", "Y"} <= set(w):
            raise CannotBe(f"row {row.number}: a length alone leaves two ways: give the angle A")
        end = (w.get("X", x), w.get("Y", y))
    else:
        c, s = math.cos(math.radians(w["A"])), math.sin(math.radians(w["A"]))
        if "L" in w:
            end = (x + w["L"] * c, y + w["L"] * s)
        elif "X" in w and (abs(c) > 1e-9 or "Y" in w):
            end = (w["X"], w.get("Y", y + (w["X"] - x) * s / c if abs(c) > 1e-9 else y))
        elif "Y" in w and abs(s) > 1e-9:
            end = (x + (w["Y"] - y) * c / s, w["Y"])
        else:
            end = _meeting(row, at, (c, s), onward)
    dx, dy = end[0] - x, end[1] - y
    for letter, got in (("X", end[0]), ("Y", end[1]), ("L", math.hypot(dx, dy))):
        if letter in w and abs(w[letter] - got) > _AGREE:
            raise CannotBe(
                f"row {row.number}: too much is given: {letter} would be {plain(got)}, not {plain(w[letter])}"
            )
    if "A" in w and math.hypot(dx, dy) > SAME:
        got = math.degrees(math.atan2(dy, dx))
        off = (got - w["A"] + 180.0) % 360.0 - 180.0
        if math.hypot(dx, dy) * abs(math.radians(off)) > _AGREE and abs(off) > 0.02:
            raise CannotBe(f"row {row.number}: too much is given: A would be {plain(got)}, not {plain(w['A'])}")
    return Seg(x, y, *end)


def _meeting(row: _Row, at: tuple[float, float], way: tuple[float, float], onward: _Row | None) -> tuple[float, float]:
    """Where a line of known direction meets the next one, whose direction and end are known."""
    if onward is None or "A" not in onward.words or not {"X", "Y"} <= set(onward.words) or onward.turn:
        raise CannotBe(
            f"row {row.number}: too little is given: this line needs X, Y or L, or the next row an angle A with X and Y"
        )
    a = math.radians(onward.words["A"])
    c, s = math.cos(a), math.sin(a)
    det = way[0] * s - way[1] * c
    if abs(det) < 1e-9:
        raise CannotBe(f"row {row.number}: this line and the next one are parallel")
    bx, by = onward.words["X"] - at[0], onward.words["Y"] - at[1]
    t = (bx * s - by * c) / det
    if t <= SAME:
        raise CannotBe(f"row {row.number}: this line and the next one meet behind its start")
    return at[0] + way[0] * t, at[1] + way[1] * t


def _arc(row: _Row, at: tuple[float, float], before: Seg | None) -> Seg:
    w, (x, y), turn = row.words, at, row.turn
    end = (w.get("X", x), w.get("Y", y))
    dx, dy = end[0] - x, end[1] - y
    chord = math.hypot(dx, dy)
    if row.tangent:
        if before is None:
            raise CannotBe(f"row {row.number}: TAN needs an element before it")
        tx, ty = before.direction(1.0)
        side = tx * dy - ty * dx
        if chord <= SAME or abs(side) < SAME:
            raise CannotBe(f"row {row.number}: no arc leaves in that direction and ends there: it would be a line")
        r = chord * chord / (2.0 * side)
        if turn and (r > 0) != (turn > 0):
            raise CannotBe(f"row {row.number}: that arc would be a {'G3' if r > 0 else 'G2'}")
        seg = Seg(x, y, *end, 1 if r > 0 else -1, x - ty * r, y + tx * r)
    elif {"I", "J"} & set(w):
        cx, cy = x + w.get("I", 0.0), y + w.get("J", 0.0)
        off = math.hypot(end[0] - cx, end[1] - cy) - math.hypot(x - cx, y - cy)
        if abs(off) > _AGREE:
            raise CannotBe(f"row {row.number}: the arc's end is {plain(abs(off))} off the circle about its middle")
        seg = Seg(x, y, *end, turn, cx, cy)
    elif "B" in w:
        r = abs(w["B"])
        if chord <= SAME:
            raise CannotBe(f"row {row.number}: a whole circle needs I and J, not a radius")
        if r < chord / 2.0 - _AGREE:
            raise CannotBe(
                f"row {row.number}: a radius of {plain(r)} does not reach: {plain(chord / 2.0)} is the least"
            )
        high = math.sqrt(max(r * r - chord * chord / 4.0, 0.0)) * turn * (1 if w["B"] > 0 else -1)
        seg = Seg(x, y, *end, turn, x + dx / 2 - dy / chord * high, y + dy / 2 + dx / chord * high)
    else:
        raise CannotBe(f"row {row.number}: too little is given: an arc needs I and J, its radius B, or TAN")
    if "B" in w and abs(seg.radius - abs(w["B"])) > _AGREE:
        raise CannotBe(f"row {row.number}: too much is given: B would be {plain(seg.radius)}, not {plain(abs(w['B']))}")
    return seg


def _cornered(segs: list[Seg], rows: list[_Row], closed: bool) -> list[Seg]:
    """Corners rounded and chamfered as asked. ``rows[k + 1]`` says what the corner behind ``segs[k]`` is."""
    out = list(segs)
    between: dict[int, Seg] = {}
    wanted = [rows[k + 1].words for k in range(len(segs))]
    if closed:
        # What the first row asks for is asked of the corner where the contour closes.
        wanted[-1] = {**rows[0].words, **wanted[-1]}
    for k, words in enumerate(wanted):
        last = k + 1 == len(segs)
        if not {"R", "C"} & set(words) or (last and not closed):
            continue
        a, b = out[k], out[0 if last else k + 1]
        number = rows[k + 1].number
        if words.get("R"):
            a, mid, b = _rounded(a, b, words["R"], number)
        elif words.get("C"):
            if a.turn or b.turn or min(a.length, b.length) < words["C"] - SAME:
                raise CannotBe(f"row {number}: a chamfer of {plain(words['C'])} does not fit between these two")
            a, b, c = a.part(0.0, 1.0 - words["C"] / a.length), b.part(words["C"] / b.length, 1.0), words["C"]
            mid = Seg(a.x1, a.y1, b.x0, b.y0)
            assert c
        else:
            continue
        out[k], out[0 if last else k + 1], between[k] = a, b, mid
    whole: list[Seg] = []
    for k, seg in enumerate(out):
        whole += [s for s in (seg, between.get(k)) if s is not None and s.length > SAME]
    return whole


def _rounded(a: Seg, b: Seg, r: float, number: int) -> tuple[Seg, Seg, Seg]:
    """Two elements with an arc of radius ``r`` between them."""
    (ax, ay), (bx, by) = a.direction(1.0), b.direction(0.0)
    bend = ax * by - ay * bx
    if abs(bend) < 1e-9:
        raise CannotBe(f"row {number}: these two meet without a corner")
    side = 1 if bend > 0 else -1
    best: tuple[float, tuple[float, float]] | None = None
    for c in _meets(_beside(a, side * r), _beside(b, side * r)):
        far = math.hypot(c[0] - a.x1, c[1] - a.y1)
        if best is None or far < best[0]:
            best = (far, c)
    if best is None:
        raise CannotBe(f"row {number}: a radius of {plain(r)} does not fit between these two")
    cx, cy = best[1]
    (px, py), (qx, qy) = _foot(a, cx, cy), _foot(b, cx, cy)
    s, t = _share(a, px, py), _share(b, qx, qy)
    if not (-1e-9 <= s <= 1.0 + 1e-9 and -1e-9 <= t <= 1.0 + 1e-9):
        raise CannotBe(f"row {number}: a radius of {plain(r)} does not fit between these two")
    return a._replace(x1=px, y1=py), Seg(px, py, qx, qy, side, cx, cy), b._replace(x0=qx, y0=qy)


_Track = tuple[float, float, float, float] | tuple[float, float, float]


def _beside(seg: Seg, by: float) -> _Track:
    """The line (place and direction) or circle on which middles lie that are ``by`` to the left of it."""
    if not seg.turn:
        dx, dy = seg.direction(0.0)
        return seg.x0 - dy * by, seg.y0 + dx * by, dx, dy
    return seg.cx, seg.cy, seg.radius - seg.turn * by


def _meets(one: _Track, other: _Track) -> list[tuple[float, float]]:
    if len(one) == 4 and len(other) == 4:
        det = one[2] * other[3] - one[3] * other[2]
        t = ((other[0] - one[0]) * other[3] - (other[1] - one[1]) * other[2]) / det
        return [(one[0] + one[2] * t, one[1] + one[3] * t)]
    if len(one) == 3 and len(other) == 4:
        one, other = other, one
    if len(one) == 4:
        assert len(other) == 3
        fx, fy = one[0] - other[0], one[1] - other[1]
        b, c = fx * one[2] + fy * one[3], fx * fx + fy * fy - other[2] ** 2
        inside = b * b - c
        return [(one[0] + one[2] * t, one[1] + one[3] * t) for t in (-b - math.sqrt(inside), -b + math.sqrt(inside))] if inside >= 0 else []  # fmt: skip
    assert len(other) == 3
    dx, dy = other[0] - one[0], other[1] - one[1]
    d = math.hypot(dx, dy)
    if d < SAME:
        return []
    a = (one[2] ** 2 - other[2] ** 2 + d * d) / (2 * d)
    inside = one[2] ** 2 - a * a
    if inside < 0:
        return []
    h, mx, my = math.sqrt(inside), one[0] + a * dx / d, one[1] + a * dy / d
    return [(mx - h * dy / d, my + h * dx / d), (mx + h * dy / d, my - h * dx / d)]


def _foot(seg: Seg, x: float, y: float) -> tuple[float, float]:
    """The place of the element's line or circle nearest to a place."""
    if not seg.turn:
        dx, dy = seg.direction(0.0)
        t = (x - seg.x0) * dx + (y - seg.y0) * dy
        return seg.x0 + dx * t, seg.y0 + dy * t
    d = math.hypot(x - seg.cx, y - seg.cy) or 1.0
    return seg.cx + (x - seg.cx) * seg.radius / d, seg.cy + (y - seg.cy) * seg.radius / d


def _share(seg: Seg, x: float, y: float) -> float:
    if not seg.turn:
        dx, dy = seg.direction(0.0)
        return ((x - seg.x0) * dx + (y - seg.y0) * dy) / seg.length
    a0 = math.atan2(seg.y0 - seg.cy, seg.x0 - seg.cx)
    angle = (math.atan2(y - seg.cy, x - seg.cx) - a0) * seg.turn % math.tau
    if angle > math.tau - 1e-9:
        angle = 0.0
    return angle / seg.swept


def profile_rows(contour: Contour) -> str:
    """A contour of (Z, radius) as the rows of a lathe's form: diameter and Z, from the face towards the chuck; mm.

    One that is drawn below the axis is turned up, one that runs the other way turned round.
    """
    if all(y <= 1e-9 for s in contour.segs for y in (s.y0, s.y1)):
        contour = Contour(
            tuple(s._replace(y0=-s.y0, y1=-s.y1, cy=-s.cy, turn=-s.turn) for s in contour.segs), contour.closed
        )
    if contour.start[0] < contour.end[0]:
        contour = Contour(tuple(s.back() for s in reversed(contour.segs)), contour.closed)
    out = [f"{plain(2.0 * contour.start[1], 4)} {plain(contour.start[0], 4)}"]
    for s in contour.segs:
        end = f"{plain(2.0 * s.y1, 4)} {plain(s.x1, 4)}"
        if s.turn and s.swept < math.pi and end == f"{plain(2.0 * s.y0, 4)} {plain(s.x0, 4)}":
            # A hair of an arc: told with rounded ends it would be a whole turn.
            continue
        centre = f" I{plain(s.cy - s.y0, 4)} K{plain(s.cx - s.x0, 4)}" if s.turn else ""
        out.append(f"G{3 if s.turn > 0 else 2} {end}{centre}" if s.turn else end)
    return "\n".join(out)


def rows_of(contours: Sequence[Contour]) -> str:
    """Contours as the rows that make them, mm; three places."""

    def at(value: float) -> str:
        return plain(value, 4)

    out: list[str] = []
    for contour in contours:
        if out:
            out.append("/")
        out.append(f"{at(contour.start[0])} {at(contour.start[1])}")
        for k, seg in enumerate(contour.segs):
            closing = contour.closed and k + 1 == len(contour.segs) and not seg.turn
            if closing:
                out.append("CLOSE")
            elif seg.turn and seg.swept < math.pi and (at(seg.x0), at(seg.y0)) == (at(seg.x1), at(seg.y1)):
                # A hair of an arc: told with rounded ends it would be a whole turn.
                continue
            elif seg.turn:
                out.append(
                    f"G{3 if seg.turn > 0 else 2} {at(seg.x1)} {at(seg.y1)} I{at(seg.cx - seg.x0)} J{at(seg.cy - seg.y0)}"
                )
            else:
                out.append(f"{at(seg.x1)} {at(seg.y1)}")
    return "\n".join(out)


def surrounding(contours: tuple[Contour, ...], key: str, outside: str) -> tuple[Contour, ...]:
    """The contours themselves, if each is a shape and the first surrounds the others; ``outside`` says that one does not.

    Raises ``CannotBe``.
    """
    if not contours:
        raise CannotBe("no contour is entered yet", key)
    for k, one in enumerate(contours, 1):
        if not one.closed:
            raise CannotBe(f"contour {k} must be closed: end it with CLOSE", key)
        if not one.polygon(0.01).is_valid:
            raise CannotBe(f"contour {k} crosses itself", key)
    outer = contours[0].polygon(0.01)
    for k, inner in enumerate(contours[1:], 1):
        if not outer.contains(inner.polygon(0.01)):
            raise CannotBe(outside.format(k), key)
    return contours
