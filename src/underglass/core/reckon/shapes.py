"""Chord heights, scallops, drill points, countersinks, tapers, triangles.

Sources: elementary geometry; law of sines and law of cosines as in any handbook of trigonometry.
"""

from __future__ import annotations

import math

from underglass.core.reckon.form import Answer, CannotBe, Entries, Field, Reckoner, Row, Stroke, plain


def chord_height(radius: float, chord: float) -> float:
    """Height of an arc over its chord, R - sqrt(R^2 - (c/2)^2). Raises ``CannotBe``."""
    if chord > 2.0 * radius:
        raise CannotBe("the chord is longer than the diameter", "c")
    return radius - math.sqrt(radius * radius - chord * chord / 4.0)


def _chord(e: Entries) -> Answer:
    r, c, h = e.maybe("r"), e.maybe("c"), e.maybe("h")
    if [r, c, h].count(None) != 1:
        raise CannotBe("fill in two of the three and leave the wanted one empty", "h")
    for value, key in ((r, "r"), (c, "c"), (h, "h")):
        if value is not None and value <= 0.0:
            raise CannotBe("each must be greater than zero", key)
    if h is None and r is not None and c is not None:
        h = chord_height(r, c)
        step = f"h = R - sqrt(R\u00b2 - (c/2)\u00b2) = {e.show(r)} - sqrt({e.show(r)}\u00b2 - {e.show(c / 2)}\u00b2) = {e.show(h)}"
    elif c is None and r is not None and h is not None:
        if h > 2 * r:
            raise CannotBe("the height is more than the diameter", "h")
        c = 2.0 * math.sqrt(h * (2.0 * r - h))
        step = f"c = 2 \u00b7 sqrt(h \u00b7 (2R - h)) = 2 \u00b7 sqrt({e.show(h)} \u00b7 {e.show(2 * r - h)}) = {e.show(c)}"
    else:
        assert c is not None and h is not None
        r = c * c / (8.0 * h) + h / 2.0
        step = f"R = c\u00b2/(8h) + h/2 = {e.show(c)}\u00b2/(8 \u00b7 {e.show(h)}) + {e.show(h / 2)} = {e.show(r)}"
    half = math.degrees(math.asin(min(c / 2 / r, 1.0)))
    first, last = (90.0 - half, 90.0 + half) if h <= r else (half - 90.0, 270.0 - half)
    y = r - h
    return Answer(
        rows=(Row("Radius R", e.show(r)), Row("Chord c", e.show(c)), Row("Height h", e.show(h))),
        steps=(step,),
        strokes=(Stroke("arc", (0, 0, r, first, last), "path"), Stroke("line", (-c / 2, y, c / 2, y), "measure", f"c {e.show(c)}"),
                 Stroke("line", (0, y, 0, r), "measure", f"h {e.show(h)}"), Stroke("line", (0, 0, c / 2, y), "help", f"R {e.show(r)}")),
    )  # fmt: skip


def scallop_height(radius: float, step: float) -> float:
    """Height of the ridge a ball leaves between two passes on a flat, R - sqrt(R^2 - (s/2)^2). Raises ``CannotBe``."""
    return chord_height(radius, step)


def _scallop(e: Entries) -> Answer:
    d, s, h = e.positive("d", "The ball's diameter"), e.maybe("s"), e.maybe("h")
    r = d / 2.0
    if (s is None) == (h is None):
        raise CannotBe("fill in the step or the height, and leave the wanted one empty", "h")
    if s is not None:
        if not 0.0 < s <= d:
            raise CannotBe("the step goes up to the ball's diameter", "s")
        h = scallop_height(r, s)
        step = f"h = R - sqrt(R\u00b2 - (s/2)\u00b2) = {e.show(r)} - sqrt({e.show(r)}\u00b2 - {e.show(s / 2)}\u00b2) = {plain(h, 4)}"
    else:
        assert h is not None
        if not 0.0 < h <= r:
            raise CannotBe("the height goes up to the ball's radius", "h")
        s = 2.0 * math.sqrt(h * (d - h))
        step = (
            f"s = 2 \u00b7 sqrt(h \u00b7 (D - h)) = 2 \u00b7 sqrt({plain(h, 4)} \u00b7 {e.show(d - h)}) = {e.show(s)}"
        )
    low = -90.0 - math.degrees(math.asin(s / d)), -90.0 + math.degrees(math.asin(s / d))
    strokes = []
    for k in (-1, 0, 1):
        strokes += [Stroke("arc", (k * s, r, r, 0, 360), "help"), Stroke("arc", (k * s, r, r, *low), "part")]
    strokes.append(Stroke("line", (-s / 2, 0, s / 2, 0), "measure", f"s {e.show(s)}"))
    return Answer(rows=(Row("Step s", e.show(s)), Row("Ridge h", plain(h, 4))), steps=(step,), strokes=tuple(strokes))


def point_depth(diameter: float, angle_deg: float) -> float:
    """Length of a drill's point, (D/2) / tan(angle/2). Raises ``CannotBe``."""
    if not 0.0 < angle_deg < 180.0:
        raise CannotBe("a point's angle lies between 0 and 180 degrees", "angle")
    return diameter / 2.0 / math.tan(math.radians(angle_deg / 2.0))


def _drill(e: Entries) -> Answer:
    d, angle, depth = e.positive("d", "The diameter"), e.number("angle"), e.positive("depth", "The depth")
    beyond = e.number("beyond")
    tip = point_depth(d, angle)
    total = depth + tip + beyond
    sharp = f"{e.show(d)}/2 / tan({plain(angle)}\u00b0/2) = {e.show(tip)}"
    r = d / 2
    return Answer(
        rows=(Row("Point length", e.show(tip)), Row("Z of the tip", f"Z{e.code(-total)}", "full diameter to the depth, and on")),
        steps=(f"point = D/2 / tan(angle/2) = {sharp}", f"Z = -(depth + point + beyond) = -({e.show(depth)} + {e.show(tip)} + {e.show(beyond)})"),
        blocks=(f"Z{e.code(-total)}",),
        strokes=(Stroke("line", (-r, 0, -r, tip - total), "part"), Stroke("line", (r, 0, r, tip - total), "part"),
         Stroke("line", (-r, tip - total, 0, -total), "part"), Stroke("line", (r, tip - total, 0, -total), "part"),
         Stroke("line", (-2 * d, 0, -r, 0), "part"), Stroke("line", (r, 0, 2 * d, 0), "part"),
         Stroke("line", (-2 * d, -depth, 2 * d, -depth), "help", f"depth {e.show(depth)}"),
         Stroke("line", (d, -total, d, tip - total), "measure", f"point {e.show(tip)}")),
    )  # fmt: skip


def _countersink(e: Entries) -> Answer:
    want, angle, flat = e.positive("want", "The wanted diameter"), e.number("angle"), e.number("flat")
    if flat >= want:
        raise CannotBe("the flat is wider than what is wanted", "flat")
    z = point_depth(want, angle) - point_depth(flat, angle)
    r, f = want / 2, flat / 2
    return Answer(
        rows=(Row("Z of the tip", f"Z{e.code(-z)}"),),
        steps=(f"Z = -((D - flat)/2) / tan(angle/2) = -(({e.show(want)} - {e.show(flat)})/2) / tan({plain(angle)}\u00b0/2) = {e.show(-z)}",),
        blocks=(f"Z{e.code(-z)}",),
        strokes=(Stroke("line", (-r, 0, -f, -z), "part"), Stroke("line", (-f, -z, f, -z), "part"), Stroke("line", (f, -z, r, 0), "part"),
         Stroke("line", (-2 * r, 0, -r, 0), "part"), Stroke("line", (r, 0, 2 * r, 0), "part"),
         Stroke("line", (-r, 0, r, 0), "measure", f"D {e.show(want)}"), Stroke("line", (0, 0, 0, -z), "measure", e.show(z))),
    )  # fmt: skip


def triangle(
    a: float | None, b: float | None, c: float | None, aa: float | None, bb: float | None, cc: float | None
) -> tuple[float, float, float, float, float, float]:
    """All sides and angles (degrees) of a triangle from three of them, a side at least. Angle A lies opposite side a.

    Law of cosines for three sides or two sides and the angle between; law of sines for the others. Where two sides and
    an angle not between them allow two triangles, the one with the acute angle opposite the other side is given. Raises
    ``CannotBe``.
    """
    sides, angles = [a, b, c], [aa, bb, cc]
    known = sum(v is not None for v in sides + angles)
    if known != 3 or all(v is None for v in sides):
        raise CannotBe("fill in three, a side at least among them, and leave the others empty", "a")
    if any(v is not None and v <= 0 for v in sides + angles) or sum(v or 0.0 for v in angles) >= 180.0:
        raise CannotBe("sides are more than nought, and the angles together make 180 degrees", "aa")
    for _ in range(4):
        if sum(v is None for v in angles) == 1:
            missing = angles.index(None)
            angles[missing] = 180.0 - sum(v for v in angles if v is not None)
        for k in range(3):
            p, q = (k + 1) % 3, (k + 2) % 3
            sk, sp, sq, ak = sides[k], sides[p], sides[q], angles[k]
            if sk is None and sp is not None and sq is not None and ak is not None:
                sides[k] = math.sqrt(sp * sp + sq * sq - 2 * sp * sq * math.cos(math.radians(ak)))
            elif ak is None and sk is not None and sp is not None and sq is not None:
                cosine = (sp * sp + sq * sq - sk * sk) / (2 * sp * sq)
                if not -1.0 < cosine < 1.0:
                    raise CannotBe("these sides do not meet: each must be shorter than the other two together", "a")
                angles[k] = math.degrees(math.acos(cosine))
        pair = next((k for k in range(3) if sides[k] is not None and angles[k] is not None), None)
        if pair is not None and any(v is None for v in sides):
            ratio = (sides[pair] or 0.0) / math.sin(math.radians(angles[pair] or 0.0))
            for k in range(3):
                sk, ak = sides[k], angles[k]
                if sk is None and ak is not None:
                    sides[k] = ratio * math.sin(math.radians(ak))
                elif ak is None and sk is not None and sum(v is None for v in angles) > 1:
                    sine = sk / ratio
                    if sine > 1.0 + 1e-12:
                        raise CannotBe("this side is too short to reach", "abc"[pair])
                    angles[k] = math.degrees(math.asin(min(sine, 1.0)))
    if any(v is None for v in sides + angles) or min(v or 0.0 for v in angles) <= 0.0:
        raise CannotBe("these do not make a triangle", "a")
    x = [v for v in sides + angles if v is not None]
    return x[0], x[1], x[2], x[3], x[4], x[5]


def _triangle(e: Entries) -> Answer:
    a, b, c, aa, bb, cc = triangle(*(e.maybe(k) for k in ("a", "b", "c", "aa", "bb", "cc")))
    tip = (b * math.cos(math.radians(aa)), b * math.sin(math.radians(aa)))
    return Answer(
        rows=(Row("a, b, c", f"{e.show(a)}   {e.show(b)}   {e.show(c)}"),
         Row("A, B, C", f"{plain(aa)}\u00b0   {plain(bb)}\u00b0   {plain(cc)}\u00b0", "A lies opposite a"),
         Row("Height on c", e.show(tip[1])), Row("Along c", e.show(tip[0]))),
        steps=("a\u00b2 = b\u00b2 + c\u00b2 - 2bc \u00b7 cos A", f"a/sin A = b/sin B = c/sin C = {e.show(a / math.sin(math.radians(aa)))}"),
        blocks=(),
        strokes=(Stroke("line", (0, 0, c, 0), "part", "c"), Stroke("line", (c, 0, *tip), "part", "a"), Stroke("line", (*tip, 0, 0), "part", "b"),
         Stroke("dot", (0, 0), "help", "A"), Stroke("dot", (c, 0), "help", "B"), Stroke("dot", tip, "help", "C"),
         Stroke("line", (tip[0], 0, *tip), "help")),
    )  # fmt: skip


def _blank(key: str, word: str, start: str = "", inch: str = "", kind: str = "length") -> Field:
    return Field(
        key=key, word=word, kind="angle" if kind == "angle" else "length", start=start, start_inch=inch, blank=True
    )


RECKONERS = (
    Reckoner(name="Chord, height, radius", group="Shapes", fields=(_blank("r", "Radius R", "25", "1"), _blank("c", "Chord c", "30", "1.2"), _blank("h", "Height h")),
             work=_chord, source="Pythagoras"),
    Reckoner(name="Scallop of a ball", group="Shapes", fields=(Field(key="d", word="Ball diameter", start="6", start_inch="0.25"), _blank("s", "Step s", "0.5", "0.02"), _blank("h", "Ridge h")),
             work=_scallop, source="Pythagoras; on a flat surface"),
    Reckoner(name="Drill point", group="Shapes", fields=(Field(key="d", word="Drill diameter", start="8", start_inch="0.3125"), Field(key="angle", word="Point angle", kind="angle", start="118"),
             Field(key="depth", word="Full-diameter depth", start="20", start_inch="0.75"), Field(key="beyond", word="Breakthrough", start="1", start_inch="0.04")), work=_drill, source="Trigonometry; 118\u00b0 is common practice"),
    Reckoner(name="Countersink or spot", group="Shapes", fields=(Field(key="want", word="Wanted diameter", start="9", start_inch="0.35"), Field(key="angle", word="Tool's point angle", kind="angle", start="90"),
             Field(key="flat", word="Flat at the tip", start="0")), work=_countersink, source="Trigonometry"),
    Reckoner(name="Triangle", group="Shapes", fields=(_blank("a", "Side a", "30", "1.2"), _blank("b", "Side b", "40", "1.6"), _blank("c", "Side c"),
             _blank("aa", "Angle A", kind="angle"), _blank("bb", "Angle B", kind="angle"), _blank("cc", "Angle C", "90", kind="angle")),
             work=_triangle, source="Law of sines, law of cosines"),
)  # fmt: skip
