"""A bench that goes with what was entered in a form: the tools asked for, a stock that is large enough, nothing in the way."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import shapely
from shapely import affinity

from underglass.core.compose.operation import Operation
from underglass.core.compose.shop import FIRST, filled, values_for
from underglass.core.reckon.threads import basic, read_thread
from underglass.core.trades.milling.operations.holes import stages_of
from underglass.core.trades.turning.operations.common import read_profile

_MILL = """\
format = 1
program = "a.nc"
[zero]
G54 = { x = -450.0, y = -300.0, z = -250.0 }
[stock]
shape = "box"
size = [560.0, 480.0, 60.0]
place = [-180.0, -160.0, DOWN]
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
        head = _MILL.replace("[560.0, 480.0, 60.0]", f"[{x1 - x0}, {y1 - y0}, 60.0]").replace(
            "-180.0, -160.0", f"{x0}, {y0}"
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
    if op.key == "surface-about-a-lying-axis":
        x, y, aside = (float(value[k]) for k in ("x", "y", "outer"))
        size, at = (
            ("[40.0, {a}, 60.0]", f"{x}, {y - aside}")
            if value["along"] == "x"
            else ("[{a}, 40.0, 60.0]", f"{x - aside}, {y}")
        )
        head = head.replace("[560.0, 480.0, 60.0]", size.format(a=2.0 * aside)).replace("-180.0, -160.0", at)
        return head + tool(int(value["t"]), "ball-end", float(value["d"]))
    # Its corner counts where walls lean.
    more = f"RE = {value['re']}\n" if float(value.get("taper") or 0.0) else ""
    return head + tool(int(value["t"]), "end-mill", float(value["d"]), more)


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
    return _MILL.replace("[560.0, 480.0, 60.0]", f"[{x1 - x0}, {y1 - y0}, 60.0]").replace(
        "-180.0, -160.0", f"{x0}, {y0}"
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


_LATHE = """\
format = 1
machine = "lathe-2axis"
control = "word-address-lathe"
program = "a.nc"
[zero]
G54 = {{ z = -320.0 }}
[stock]
shape = "{shape}"
size = {size}
place = {face}
[chuck]
kind = "jaws"
face = -90.0
diameter = 160.0
jaws = {{ length = 25.0, height = 25.0 }}
[[tool]]
number = {number}
{tool}
"""
_HELD = "gauge = { x = 120.0, z = 60.0 }\nholder = { width = 20.0, length = 100.0 }"


def _lathe(op: Operation, value: Mapping[str, str]) -> str:
    face, outer, inner = float(value.get("face", "0")), float(value.get("stock", value.get("outer", "46"))), 0.0
    re = value.get("re", "0.2")
    tool = f'kind = "turning"\ninsert = "V"\nRE = {re}\nL = 16.0\nKAPR = 93.0\norientation = 3\n{_HELD}'
    bar = f'kind = "boring"\ninsert = "D"\nRE = {re}\nL = 5.0\nKAPR = 93.0\norientation = 2\ngauge = {{ x = 9.0, z = 140.0 }}\n'
    if op.key == "bore-a-profile":
        inner, outer = outer, 60.0
        # The tip stands out of its bar, as it must to get into a hollow.
        tool = bar + "holder = { diameter = 6.0, length = 100.0, from_tip = { x = 2.0, z = 3.0 } }"
    elif op.key == "drill-on-the-axis":
        tool = (
            f'kind = "drill"\nDC = {value["d"]}\nAPMX = 90.0\nSIG = 118.0\nsubstrate = "hss"\ngauge = {{ z = 150.0 }}'
        )
    elif op.key == "bore-to-a-fit":
        inner, tool = float(value["there"]), bar + "holder = { diameter = 5.0, length = 100.0 }"
    elif op.key in ("groove", "part-off"):
        kind = "grooving" if op.key == "groove" else "parting"
        tool = f'kind = "{kind}"\nwidth = {value["width"]}\ndepth = 26.0\nRE = {value.get("re", "0.1")}\norientation = 3\n{_HELD}'
    elif op.key == "thread":
        inside = value["where"] == "inside"
        d, pitch, _name = read_thread(value["thread"])
        outer, inner = (d + 20.0, basic(d, pitch)[1]) if inside else (d, 0.0)
        face = float(value["z0"])
        side = 6 if inside else 8
        held = (
            "gauge = { x = 9.0, z = 140.0 }\nholder = { diameter = 4.0, length = 100.0, from_tip = { x = 2.0, z = 2.0 } }"
            if inside
            else _HELD
        )
        tool = f'kind = "threading"\nSIG = 60.0\nRE = 0.05\nL = 3.0\npitch = [0.5, 3.0]\norientation = {side}\n{held}'
    elif op.key == "undercut":
        return _stepped(value, tool)
    if op.key == "thread":
        return _relieved(value, outer, inner, pitch, face, tool)
    if value.get("rough") == "no":
        return _roughed(op, value, outer, tool)
    shape = "tube" if inner else "bar"
    size = [outer, inner, 120.0] if inner else [outer, 120.0]
    return _LATHE.format(shape=shape, size=size, face=face, number=int(value.get("t", "1")), tool=tool)


def _roughed(op: Operation, value: Mapping[str, str], outer: float, tool: str) -> str:
    """What roughing leaves of a profile for the last cut."""
    left = 0.3 if op.key == "turn-a-profile" else -0.3
    rows = [[2.0 * (r + left), z + 0.3] for z, r in read_profile(value["profile"], "mm").places(0.05).tolist()]
    if op.key == "turn-a-profile":
        places = [[0.0, rows[0][1]], *rows, [rows[-1][0], -110.0], [0.0, -110.0]]
    else:
        places = [*rows, [rows[-1][0], -110.0], [outer, -110.0], [outer, rows[0][1]]]
    text = _LATHE.format(shape="profile", size=[1.0, 1.0], face=0.0, number=int(value["t"]), tool=tool)
    return text.replace("size = [1.0, 1.0]", f"profile = {places}")


def _relieved(value: Mapping[str, str], outer: float, inner: float, pitch: float, face: float, tool: str) -> str:
    """A shaft, or a bore, with the groove that a thread runs out into."""
    a, b = float(value["z1"]) + 1.2 * pitch, float(value["z1"]) - 3.0 * pitch - 1.0
    if inner:
        wide = outer - 20.0 + 2.0
        places = [
            [inner, face],
            [outer, face],
            [outer, -110.0],
            [inner, -110.0],
            [inner, b],
            [wide, b],
            [wide, a],
            [inner, a],
        ]
    else:
        low = outer - 2.5 * pitch
        places = [
            [0.0, face],
            [outer, face],
            [outer, a],
            [low, a],
            [low, b],
            [outer, b],
            [outer, -110.0],
            [0.0, -110.0],
        ]
    text = _LATHE.format(shape="profile", size=[1.0, 1.0], face=0.0, number=int(value["t"]), tool=tool)
    return text.replace("size = [1.0, 1.0]", f"profile = {places}")


def _stepped(value: Mapping[str, str], tool: str) -> str:
    """A shaft with its shoulder already turned."""
    d, z, shoulder = (float(value[k]) for k in ("d", "z", "shoulder"))
    places = [[0.0, 0.0], [d, 0.0], [d, z], [shoulder, z], [shoulder, -110.0], [0.0, -110.0]]
    text = _LATHE.format(shape="profile", size=[1.0, 1.0], face=0.0, number=int(value["t"]), tool=tool)
    return text.replace("size = [1.0, 1.0]", f"profile = {places}")


_FLAT = """\
format = 1
machine = "{machine}"
control = "{control}"
program = "a.nc"
[zero]
G54 = {{ x = {zx}, y = {zy} }}
[stock]
shape = "sheet"
size = [{long}, {wide}, 1.5]
place = [{x}, {y}]
material = "steel"
[[tool]]
number = {number}
{tool}
"""


def _sheet(op: Operation, value: Mapping[str, str]) -> str:
    kerf, pierce = float(value["kerf"]), float(value["pierce"])
    tool = f'kind = "torch"\nkerf = {kerf}\npierce_s = {min(pierce, 0.6)}\npierce_diameter = {kerf * 1.2}\nfeed = [1200, 2600]'
    # A sheet that lies askew: one square to the axes about all of it does for what is cut in it.
    x, y, long, wide = (float(value[k]) for k in ("x0", "y0", "x1", "y1"))
    about = (float(value.get("rotx", 0.0)), float(value.get("roty", 0.0)))
    askew = affinity.rotate(shapely.box(x, y, x + long, y + wide), float(value.get("rot", 0.0)), origin=about)
    x0, y0, x1, y1 = askew.bounds
    return _FLAT.format(machine="sheet-2axis", control="word-address-sheet", zx=160.0, zy=160.0, long=x1 - x0, wide=y1 - y0,
                        x=x0, y=y0, number=1, tool=tool) + "[proof]\nbridges = true\n"  # fmt: skip


def _punch(op: Operation, value: Mapping[str, str]) -> str:
    shape, size = {
        "punched-holes": ("round", [8.0]), "punched-slot": ("obround", [value.get("own"), value.get("wide")]),
        "punched-opening": ("rectangle", [value.get("a"), value.get("b")]),
    }.get(op.key, ("round", [value.get("d")]))  # fmt: skip
    said, turned = ", ".join(str(s) for s in size), float(value.get("rot", 0.0))
    if "ty" in value:
        a, b = value["a"], value["b"]
        tools = [
            (value["t"], "rectangle", f"[{a}, {b}]", turned),
            (value["ty"], "rectangle", f"[{a}, {b}]", 90.0 + turned),
        ]
        tools += [(value["tr"], "round", f"[{value['d']}]", 0.0)] if "d" in value else []
        first, *others = (
            f'kind = "punch"\nshape = "{shape}"\nsize = {size}\nangle = {angle}\n' for _n, shape, size, angle in tools
        )
        more = "".join(f"[[tool]]\nnumber = {n[0]}\n{text}" for n, text in zip(tools[1:], others))
        return _FLAT.format(machine="punch-turret", control="word-address-punch", zx=100.0, zy=50.0, long=800.0, wide=500.0, x=0.0, y=0.0,
                            number=int(tools[0][0]), tool=first) + more  # fmt: skip
    tool = f'kind = "punch"\nshape = "{shape}"\nsize = [{said}]\nangle = {float(value.get("angle", 0.0)) + turned}'
    return _FLAT.format(machine="punch-turret", control="word-address-punch", zx=100.0, zy=50.0, long=800.0, wide=500.0, x=0.0, y=0.0,
                        number=int(value["t"]), tool=tool)  # fmt: skip


def bench(kind: str, op: Operation, entered: Mapping[str, str], text: Sequence[str]) -> tuple[str, str]:
    """(job, program) in mm for an operation's text."""
    value = {f.key: f.start for f in op.fields} | dict(entered)
    return {"mill": _mill, "lathe": _lathe, "sheet": _sheet, "punch": _punch}[kind](op, value), whole(kind, text)
