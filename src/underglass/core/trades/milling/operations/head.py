"""The head of a program: material, stock and zero as comments that are read again, the safe line; and what every later form begins with."""

from __future__ import annotations

from dataclasses import replace

from underglass.core.compose.operation import Block, Operation, ShopEntries, need
from underglass.core.compose.speeds import MATERIAL
from underglass.core.compose.writer import parts_of, writer
from underglass.core.reckon.form import Answer, Field, Row, Stroke, plain
from underglass.core.trades.milling.operations.common import HEIGHTS, TURN, clear_of_clamps
from underglass.core.units import Unit, from_mm

_SIDES = (
    ("zx", "X zero", (("left", "left"), ("middle", "middle"), ("right", "right")), "left"),
    ("zy", "Y zero", (("front", "front"), ("middle", "middle"), ("back", "back")), "front"),
    ("zz", "Z zero", (("top", "top"), ("bottom", "underside")), "top"),
)
_SHARE = {"left": 0.0, "front": 0.0, "bottom": 0.0, "middle": 0.5, "right": 1.0, "back": 1.0, "top": 1.0}
_NEAR_MM = 0.05
"""How far the bench may be from what is stated: as far as a touched edge (common practice, no source)."""


def _corner(e: ShopEntries) -> tuple[float, float, float]:
    """The stock's lowest corner, seen from the stated zero, mm."""
    x, y, z = (
        -_SHARE[e.word(side)] * e.positive(size, "The stock's size") - e.number(inside)
        for side, size, inside in (("zx", "sx", "ox"), ("zy", "sy", "oy"), ("zz", "sz", "oz"))
    )
    return x, y, z


def _against_the_bench(e: ShopEntries, block: Block) -> None:
    """What is stated must be what is clamped. Raises ``CannotBe``."""
    for k, (size, axis) in enumerate((("sx", "X"), ("sy", "Y"), ("sz", "Z"))):
        real = block.high[k] - block.low[k]
        need(
            abs(real - e.number(size)) <= _NEAR_MM,
            f"on the bench the stock is {e.show(real)} along {axis}: state that, or change it in Setup", size,
        )  # fmt: skip
    for k, (mine, axis, key) in enumerate(zip(_corner(e), "XYZ", ("ox", "oy", "oz"))):
        off = block.low[k] - mine
        need(
            abs(off) <= _NEAR_MM,
            f"on the bench the zero lies {e.show(abs(off))} {'more to the minus side' if off > 0.0 else 'more to the plus side'} along {axis}", key,
        )  # fmt: skip
    need(
        not block.material or block.material == e.word("mat"),
        f"on the bench lies {block.material}: state that, or change it in Setup", "mat",
    )  # fmt: skip


def head_starts(block: Block, unit: Unit) -> dict[str, str]:
    """What the head says of the stock that is clamped: its size, the side that the zero lies nearest to, how far inside of it."""
    out = {}
    for (side, _word, choices, _start), size, inside, low, high in zip(
        _SIDES, ("sx", "sy", "sz"), ("ox", "oy", "oz"), block.low, block.high
    ):
        out[size] = plain(from_mm(high - low, unit), 4)
        named = [value for value, _said in choices]
        out[side] = min(named, key=lambda v: abs(-low - _SHARE[v] * (high - low)))
        out[inside] = plain(from_mm(-low - _SHARE[out[side]] * (high - low), unit), 4)
    if any(block.material == value for value, _said in MATERIAL.choices):
        out["mat"] = block.material
    return out


def _head(e: ShopEntries) -> Answer:
    need(e.number("safe") > 0.0, "the clearance plane lies above the zero", "safe")
    clear_of_clamps(e)
    corner = _corner(e)
    if e.around.block is not None:
        _against_the_bench(e, e.around.block)
    w = writer(e)
    w.parts = ()
    size = " X ".join(e.code(e.number(k)) for k in ("sx", "sy", "sz"))
    w.say(f"MATERIAL {e.word('mat').upper()}")
    sides = " ".join(e.word(k).upper() for k in ("zx", "zy", "zz"))
    inside = [f"{axis} {e.code(e.number(k))}" for k, axis in (("ox", "X"), ("oy", "Y"), ("oz", "Z")) if e.number(k)]
    w.say(f"STOCK {size} {'IN' if e.unit == 'inch' else 'MM'}")
    w.say(f"ZERO {sides}{', FINISHED PART' if inside else ''}")
    if inside:
        w.say(f"ZERO FROM THERE {', '.join(inside)}")
    w.say(f"CLEARANCE PLANE Z{e.code(e.number('safe'))}")
    parts = parts_of(e)
    for k, (x, y) in enumerate(parts, 1):
        w.say(f"PART {k} AT {w.xy(x, y)}")
    w.block(f"{'G20' if e.unit == 'inch' else 'G21'} G90 G17 G40 G49 G80 G94")
    x0, y0, _z0 = corner
    x1, y1 = x0 + e.number("sx"), y0 + e.number("sy")
    sides_drawn = ((x0, y0, x1, y0), (x1, y0, x1, y1), (x1, y1, x0, y1), (x0, y1, x0, y0))
    strokes = [
        Stroke("line", (a + px, b + py, c + px, d + py), "part")
        for px, py in parts or ((0.0, 0.0),)
        for a, b, c, d in sides_drawn
    ]
    rows = [
        Row(
            "Stock",
            f"{e.show(e.number('sx'))} x {e.show(e.number('sy'))} x {e.show(e.number('sz'))}",
            "as on the bench" if e.around.block else "",
        ),
        Row("Parts", str(max(1, len(parts)))),
        Row("Every later form begins with", "material, clearance, parts"),
    ]
    return Answer(rows=tuple(rows), steps=(), blocks=w.text(), strokes=(*strokes, Stroke("dot", (0.0, 0.0), "path")))


HEAD = Operation(
    name="Program head",
    fields=(
        replace(MATERIAL, tip="Later forms begin with it"),
        Field(key="sx", word="Stock along X", start="100", start_inch="4", usual=(80, 160)),
        Field(key="sy", word="Stock along Y", start="60", start_inch="2.5", usual=(50, 100)),
        Field(key="sz", word="Stock's height", start="20", start_inch="0.75", usual=(10, 40)),
        *(Field(key=key, word=word, kind="choice", start=start, choices=choices) for key, word, choices, start in _SIDES),
        *(Field(key=f"o{a.lower()}", word=f"Zero from there, {a}", start="0", usual=(-1, 1), tip="Where the zero is not on the side itself: plus is towards plus") for a in "XYZ"),
        replace(HEIGHTS[0], word="Clearance plane Z"),
        *TURN[4:],
    ),
    work=_head,
    about="Material, stock and zero stated and held against the bench; later forms begin with its clearance plane and parts.",
    kinds=(),
    shared=("mat", "safe", *(f.key for f in TURN[4:])),
)  # fmt: skip
