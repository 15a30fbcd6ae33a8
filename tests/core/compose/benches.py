"""A bench that goes with what was entered in a form: the tools asked for, a stock that is large enough, nothing in the way."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from underglass.core.compose.operation import Operation
from underglass.core.compose.shop import FIRST, filled, values_for
from underglass.core.trades.milling.operations.holes import stages_of

_MILL = """\
format = 1
program = "a.nc"
[zero]
G54 = { x = -450.0, y = -250.0, z = -250.0 }
[stock]
shape = "box"
size = [400.0, 320.0, 60.0]
place = [-120.0, -120.0, DOWN]
[proof]
cell = 0.5
"""
_TOOL = """\
[[tool]]
number = {number}
kind = "{kind}"
DC = {d}
{more}APMX = 70.0
length = 140.0
stickout = 110.0
{centre}holder = {{ diameter = 40.0, length = 30.0 }}
"""


def tool(number: int, kind: str, d: float, more: str = "") -> str:
    centre = "centre_cutting = true\n" if "mill" in kind and kind not in ("chamfer-mill", "taper-mill") else ""
    return _TOOL.format(number=number, kind=kind, d=d, more=more, centre=centre)


def whole(kind: str, text: Sequence[str]) -> str:
    """A program round an operation's text, by the shop's own start and end."""
    values = values_for("mm", title="test", blocks=text, tool=int(_figure(text, "T=") or 1))
    shop = FIRST[kind]
    return "\n".join([*filled(shop.start, values), *text, *filled(shop.end, values)]) + "\n"


def _figure(text: Sequence[str], key: str) -> str:
    for line in text:
        for word in line.replace("(", " ").replace(")", " ").split():
            if word.startswith(key):
                return word[len(key) :]
    return ""


def _mill(op: Operation, value: Mapping[str, str]) -> str:
    top = float(value.get("top", "0"))
    bottom = top - 60.0
    if op.key == "facing":
        return _MILL.replace("DOWN", str(bottom)) + tool(int(value["t"]), "end-mill", float(value["d"]))
    if op.key.startswith("boss"):
        x0, y0, x1, y1 = (float(value[k]) for k in ("x0", "y0", "x1", "y1"))
        head = _MILL.replace("[400.0, 320.0, 60.0]", f"[{x1 - x0}, {y1 - y0}, 60.0]").replace(
            "-120.0, -120.0", f"{x0}, {y0}"
        )
        return head.replace("DOWN", str(bottom)) + tool(int(value["t"]), "end-mill", float(value["d"]))
    head = _MILL.replace("DOWN", str(bottom))
    if op.key == "holes":
        return head + "".join(_hole_tools(op, value))
    if op.key == "chamfer":
        point = f"SIG = {value['sig']}\n"
        return head + tool(int(value["t"]), "chamfer-mill", float(value["d"]), point)
    if op.key == "engraving":
        return head + tool(int(value["t"]), "end-mill", float(value["d"]))
    if op.key == "surface":
        kind = {"ball": "ball-end", "bull": "bull-nose", "flat": "end-mill"}[value["tool"]]
        more = f"RE = {min(float(value['re']), float(value['d']) / 2.0)}\n" if value["tool"] == "bull" else ""
        return _surface_stock(value).replace("DOWN", str(bottom)) + tool(int(value["t"]), kind, float(value["d"]), more)
    return head + tool(int(value["t"]), "end-mill", float(value["d"]))


def _surface_stock(value: Mapping[str, str]) -> str:
    """A stock as large as the surface: the tool comes from beside it."""
    x, y = float(value["x"]), float(value["y"])
    if value["shape"] in ("cylinder", "trough", "carried"):
        wide = 40.0 if value["shape"] == "carried" else float(value["wide"])
        a, b = (float(value["long"]), wide) if value["along"] == "x" else (wide, float(value["long"]))
        x0, y0, x1, y1 = x, y, x + a, y + b
        if value["shape"] != "cylinder" and not (value["shape"] == "carried" and value["beside"] == "free"):
            # The land beside a hollow.
            grow = (0.0, 20.0) if value["along"] == "x" else (20.0, 0.0)
            x0, x1, y0, y1 = x0 - grow[0], x1 + grow[0], y0 - grow[1], y1 + grow[1]
    else:
        half = float(value["outer"]) / 2.0 if value["shape"] != "bowl" else float(value["wide"])
        x0, y0, x1, y1 = x - half, y - half, x + half, y + half
    return _MILL.replace("[400.0, 320.0, 60.0]", f"[{x1 - x0}, {y1 - y0}, 60.0]").replace(
        "-120.0, -120.0", f"{x0}, {y0}"
    )


def _hole_tools(op: Operation, value: Mapping[str, str]) -> list[str]:
    kinds = {
        "tap": "tap",
        "ream": "reamer",
        "bore": "boring-bar",
        "drill": "drill",
        "spot": "spot-drill",
        "thread-mill": "end-mill",
    }
    out = []
    for stage in stages_of(op.entries({k: v for k, v in value.items() if k in {f.key for f in op.asked(value)}}, "mm")):
        kind = kinds.get(stage.cut, "end-mill" if stage.said.startswith("COUNTERBORE") else "chamfer-mill")
        more = f"TP = {stage.pitch}\n" if kind == "tap" else ""
        out.append(tool(int(value["t" + stage.tool]), kind, stage.d, more))
    return out


def bench(kind: str, op: Operation, entered: Mapping[str, str], text: Sequence[str]) -> tuple[str, str]:
    """(job, program) in mm for an operation's text."""
    value = {f.key: f.start for f in op.fields} | dict(entered)
    return {"mill": _mill}[kind](op, value), whole(kind, text)
