"""Parts with one slip each, and the sizes that a micrometer would read on them: what the search for causes is held against.

The sizes are worked out by hand, from the drawing and the slip, with nothing of the proof: a length register 0.1 too large leaves every floor
of that tool 0.1 higher, and so on. Each reading has 0.01 mm of noise. Shop practice in which slips there are: common practice, no source.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from underglass.core.proof.features import Feature

NOISE_MM = 0.01


@dataclass
class Slip:
    """``kind`` of slip, what of (a tool, an axis), by how much; ``told``: a cause whose words match any of these patterns is it."""

    kind: str
    of: str
    by: float
    told: tuple[str, ...]


@dataclass
class Part:
    """A job as it is believed, and what was measured. ``nominal`` sizes without a slip."""

    trade: str
    job: str
    program: str
    slips: tuple[Slip, ...]
    features: tuple[Feature, ...] = ()
    readings: tuple[float, ...] = ()
    nominal: tuple[float, ...] = ()
    seen_line: int = 0


class Unseen(Exception):
    """Slips that no size shows."""


Size = tuple[Feature, Callable[["dict[str, float]"], float]]


def _amount(rng: np.random.Generator) -> float:
    """0.06 to 0.6 either way, in hundredths."""
    return round(float(rng.choice([-1.0, 1.0]) * rng.uniform(0.06, 0.6)), 2)


def _read(
    rng: np.random.Generator, sizes: Sequence[Size], steps: Sequence[dict[str, float]]
) -> tuple[tuple[Feature, ...], tuple[float, ...], tuple[float, ...]]:
    """Three to five of the sizes, at least one of which each slip has changed; of two slips always five. ``steps``: clean, and after each slip."""
    clean, truth = steps[0], steps[-1]
    first: list[int] = []
    for before, after in itertools.pairwise(steps):
        changed = [k for k, (_f, size) in enumerate(sizes) if abs(size(after) - size(before)) > 0.03 and k not in first]
        if not changed:
            raise Unseen
        first.append(int(rng.choice(changed)))
    count = int(rng.integers(3, 6)) if len(first) == 1 else 5
    rest = [k for k in rng.permutation(len(sizes)).tolist() if k not in first]
    chosen = [sizes[k] for k in sorted([*first, *rest[: count - len(first)]])]
    return (
        tuple(f for f, _size in chosen),
        tuple(round(size(truth) + float(rng.normal(0.0, NOISE_MM)), 4) for _f, size in chosen),
        tuple(round(size(clean), 6) for _f, size in chosen),
    )


# -- milling --------------------------------------------------------------------------------------------------------------

MILL_KINDS = (
    "length register", "tool length", "radius register", "tool size", "zero register", "part lay elsewhere", "shift left over",
    "block turned", "tools changed over", "wrong tool", "length of another", "hand", "other part's zero", "unit", "diameter for radius",
    "block higher", "block aside", "clamp", "pushed away", "sign", "point",
)  # fmt: skip


@dataclass
class _Plate:
    """A block with a slot (T1), a shoulder by a compensated line (T3) and two holes (T2)."""

    d1: float
    d2: float
    d3: float
    lengths: dict[int, float]
    slot: tuple[float, float, float, float]
    shoulder: tuple[float, float]
    holes: tuple[tuple[float, float, float], tuple[float, float, float]]
    other: tuple[float, float, float] = field(default=(0.0, 0.0, 0.0))

    def job(self) -> str:
        l1, l2, l3, l4 = (self.lengths[k] for k in (1, 2, 3, 4))
        x, y, z = self.other
        return f"""format = 1
title = "Vent plate"
program = "plain.nc"

[zero]
G54 = {{ x = -300.0, y = -150.0, z = -220.0 }}
G55 = {{ x = {-300.0 + x:.3f}, y = {-150.0 + y:.3f}, z = {-220.0 + z:.3f} }}

[stock]
shape = "box"
size = [100.0, 60.0, 20.0]
place = [0.0, 0.0, -20.0]

[[fixture]]
name = "front clamp"
shape = "box"
size = [16.0, 12.0, 14.0]
place = [42.0, -14.0, -11.0]

[[tool]]
number = 1
kind = "end-mill"
DC = {self.d1}
APMX = 30.0
length = {l1}
stickout = 45.0

[[tool]]
number = 2
kind = "drill"
DC = {self.d2}
SIG = 118.0
APMX = 60.0
length = {l2}
stickout = 70.0

[[tool]]
number = 3
kind = "end-mill"
DC = {self.d3}
APMX = 30.0
length = {l3}
stickout = 45.0

[[tool]]
number = 4
kind = "end-mill"
DC = {self.d1 - 2.0}
APMX = 30.0
length = {l4}
stickout = 45.0
"""

    def program(self) -> str:
        x1, x2, ys, zs = self.slot
        yw, zw = self.shoulder
        (ax, ay, az), (bx, by, bz) = self.holes
        return (
            "G21 G17 G40 G49 G80 G90 G94\n"
            f"T1 M6\nG0 G54 X{x1} Y{ys} S3000 M3\nG43 H1 Z25.\nZ2.\nG1 Z{zs} F200.\nX{x2} F400.\nG0 Z6.\nX50. Y-8.\nZ25. M5\n"
            f"T2 M6\nG0 X{ax} Y{ay} S2000 M3\nG43 H2 Z5.\nG1 Z{az} F200.\nG0 Z5.\nX{bx} Y{by}\nG1 Z{bz}\nG0 Z25. M5\n"
            f"T3 M6\nG0 X-20. Y{yw + 14.0} S2000 M3\nG43 H3 Z{zw}\nG41 D3 G1 X-14. Y{yw} F500.\nX112.\nG40 Y{yw + 20.0}\nG0 Z25. M5\nM30\n"
        )


def _plate(rng: np.random.Generator) -> _Plate:
    d1, d3 = float(rng.choice([8.0, 10.0])), float(rng.choice([12.0, 16.0]))
    x1, x2 = float(rng.integers(22, 30)), float(rng.integers(66, 80))
    return _Plate(
        d1=d1, d2=float(rng.choice([6.0, 8.0])), d3=d3,
        lengths={1: round(rng.uniform(90, 91), 1), 2: round(rng.uniform(105, 115), 1), 3: round(rng.uniform(87.8, 89), 1), 4: round(rng.uniform(91.4, 92.6), 1)},
        slot=(x1, x2, 14.0, -float(rng.integers(51, 70)) / 10.0), shoulder=(60.0 - float(rng.integers(6, 10)), -float(rng.integers(51, 70)) / 10.0),
        holes=((20.0, 33.0, -float(rng.integers(90, 120)) / 10.0), (74.0, 33.0, -float(rng.integers(90, 120)) / 10.0)),
        other=(round(rng.uniform(0.5, 1.5), 2), -round(rng.uniform(0.5, 1.5), 2), round(rng.uniform(0.3, 0.9), 2)),
    )  # fmt: skip


def mill_part(kinds: Sequence[str], rng: np.random.Generator) -> Part:
    """A plate with a slip of each of these kinds."""
    plate = _plate(rng)
    x1, x2, ys, zs = plate.slot
    yw, zw = plate.shoulder
    (ax, ay, az), (bx, by, bz) = plate.holes
    clean = {
        "dx": 0.0, "dy": 0.0, "dz": 0.0, "r1": plate.d1 / 2.0, "r2": plate.d2 / 2.0, "r3": plate.d3 / 2.0, "reg3": plate.d3 / 2.0, "h1": 0.0, "h2": 0.0,
        "h3": 0.0, "top": 0.0, "bx": 0.0, "by": 0.0, "turn": 0.0, "hand": 1.0, "push": 0.0, "zs": zs, "zw": zw, "az": az, "bz": bz, "none": 0.0,
    }  # fmt: skip

    def floor(z: float, e: dict[str, float], tool: int) -> float:
        return min(z + e["dz"] + e[f"h{tool}"], e["top"]) if not e["none"] else e["top"]

    def wall(e: dict[str, float]) -> float:
        """Where the shoulder's wall stands: the cutter's axis is a register's radius off the line, its edge a real radius back from there."""
        return yw + e["dy"] + e["push"] + (e["reg3"] - e["r3"] if e["hand"] > 0.0 else -e["reg3"] - e["r3"])

    def end_of_slot(e: dict[str, float]) -> float:
        """How far the slot's round end reaches on the line where it is measured, which lies off its middle by as much as the slot has moved."""
        return math.sqrt(max(e["r1"] ** 2 - e["dy"] ** 2, 0.0))

    slot_at, rib_at = ((x1 + x2) / 2.0, ys), (x1 / 2.0 - 2.0, ys)
    level = -1.0
    sizes: list[Size] = [
        (Feature(what="height", at=slot_at), lambda e: floor(e["zs"], e, 1)),
        (Feature(what="height", at=(88.0, yw + 4.5)), lambda e: floor(e["zw"], e, 3) if wall(e) < yw + 4.5 < wall(e) + 2.0 * e["r3"] else e["top"]),
        (Feature(what="height", at=(ax, ay)), lambda e: floor(e["az"], e, 2) if math.hypot(e["dx"], e["dy"]) < 1e-9 else _cone(e, floor(e["az"], e, 2))),
        (Feature(what="height", at=(bx, by)), lambda e: floor(e["bz"], e, 2) if math.hypot(e["dx"], e["dy"]) < 1e-9 else _cone(e, floor(e["bz"], e, 2))),
        (Feature(what="height", at=(50.0, 34.0)), lambda e: e["top"]),
    ]  # fmt: skip
    walls: list[Size] = [
        (Feature(what="width", at=slot_at, z=level, way_deg=90.0), lambda e: 2.0 * e["r1"]),
        (Feature(what="place", at=slot_at, z=level, way_deg=0.0), lambda e: x2 + e["dx"] + end_of_slot(e)),
        (Feature(what="place", at=slot_at, z=level, way_deg=90.0), lambda e: ys + e["dy"] + e["r1"]),
        (Feature(what="place", at=(50.0, 26.0), z=level, way_deg=90.0), wall),
        (Feature(what="width", at=rib_at, z=level, way_deg=0.0), lambda e: x1 + e["dx"] - end_of_slot(e) - e["bx"] + ys * math.tan(e["turn"])),
        (Feature(what="place", at=(8.0, 33.0), z=level, way_deg=180.0), lambda e: e["bx"] - 33.0 * math.tan(e["turn"])),
    ]  # fmt: skip
    e, slips, steps = dict(clean), list[Slip](), [clean]
    for kind in kinds:
        by = _amount(rng)
        tool = int(rng.integers(1, 4))
        axis = int(rng.integers(0, 3))
        letter = "XYZ"[axis]
        told: tuple[str, ...]
        match kind:
            case "length register":
                e[f"h{tool}"] += by
                told = (rf"The control held H{tool} ",)
            case "tool length":
                e[f"h{tool}"] += -by
                told = (f"The real length of T{tool} ",)
            case "radius register":
                e["reg3"] += by
                told = ("The control held D3 ",)
            case "tool size":
                tool = int(rng.choice([1, 3]))
                e[f"r{tool}"] += by / 2.0
                told = (f"T{tool} really cut", f"The real size of T{tool} ")
            case "zero register":
                e["d" + "xyz"[axis]] += by
                told = (f"The control held G54 {letter} ",)
            case "part lay elsewhere":
                # The true zero moves with the part: seen from it, all that is cut lies the other way, and the block where it was.
                e["d" + "xyz"[axis]] += -by
                told = (rf"The part lay .* along {letter}",)
            case "shift left over":
                e["d" + "xyz"[axis]] += by
                told = (f"A shift of {letter} ",)
            case "block turned":
                e["turn"] += math.radians(by * 2.0)
                told = ("The block lay turned",)
            case "tools changed over":
                e["r1"], e["r3"] = e["r1"] + (plate.d3 - plate.d1) / 2.0, e["r3"] - (plate.d3 - plate.d1) / 2.0
                e["h1"] += plate.lengths[1] - plate.lengths[3]
                e["h3"] -= plate.lengths[1] - plate.lengths[3]
                told = ("T1 and T3 were changed over",)
            case "wrong tool":
                e["r1"] -= 1.0
                e["h1"] += plate.lengths[1] - plate.lengths[4]
                told = ("T4 sat where T1 belongs",)
            case "length of another":
                e["h1"] += plate.lengths[4] - plate.lengths[1]
                told = ("H1 held the length of T4",)
            case "hand":
                e["hand"], told = -1.0, ("G42 stood",)
            case "other part's zero":
                e["dx"], e["dy"], e["dz"] = (e["d" + name] + way for name, way in zip("xyz", plate.other))
                told = ("G54 held the figures of G55",)
            case "unit":
                e["none"], told = 1.0, ("The control counted in inch",)
            case "diameter for radius":
                e["reg3"] += plate.d3 / 2.0
                told = ("D3 held the diameter",)
            case "block higher":
                e["top"] += by
                told = ("The block lay",)
            case "block aside":
                e["bx"] += by
                told = ("The block lay",)
            case "clamp":
                told = ("The front clamp stood",)
            case "pushed away":
                e["push"] += abs(by)
                told = ("T3 was pushed away",)
            case "sign":
                key = str(rng.choice(["zs", "zw", "az"]))
                e[key] = -e[key]
                told = (rf"Z{abs(e[key]):g}\.?0* stood for",)
            case "point":
                key = str(rng.choice(["zs", "zw", "az"]))
                e[key] = round(e[key] / 10.0, 4)
                told = (rf"Z-{abs(e[key]):g}\.?0* stood for",)
            case _:
                raise ValueError(kind)

        slips.append(Slip(kind, str(tool), by, told))
        steps.append(dict(e))
    made = Part("milling", plate.job(), plate.program(), tuple(slips))
    if "clamp" in kinds:
        picked = [sizes[0], sizes[2], walls[1]]
        made.seen_line = 9
        made.features = tuple(f for f, _s in picked)
        made.nominal = tuple(s(clean) for _f, s in picked)
        made.readings = tuple(round(v + float(rng.normal(0.0, NOISE_MM)), 4) for v in made.nominal)
        return made
    # A slot that is not there has no walls: heights tell.
    asked = sizes if {"sign", "point", "unit"} & {*kinds} else sizes + walls
    made.features, made.readings, made.nominal = _read(rng, asked, steps)
    return made


def _cone(e: dict[str, float], tip: float) -> float:
    """The floor of a drilled hole a little beside its middle: up the point's flank, 59 degrees from the axis."""
    return min(tip + math.hypot(e["dx"], e["dy"]) / math.tan(math.radians(59.0)), e["top"])


# -- turning --------------------------------------------------------------------------------------------------------------

LATHE_KINDS = (
    "offset in X",
    "offset in Z",
    "gauge in X",
    "gauge in Z",
    "zero in Z",
    "wrong tool",
    "pushed away",
    "sign",
    "point",
)


def lathe_part(kinds: Sequence[str], rng: np.random.Generator) -> Part:
    """A bar with two diameters and a face (T1), and a bore (T2 in a drilled hole, T3), with a slip of each of these kinds."""
    big, small = float(rng.integers(34, 38)), float(rng.integers(24, 30))
    step, end = -float(rng.integers(12, 18)), -float(rng.integers(28, 34))
    bore, deep = float(rng.integers(15, 19)), -float(rng.integers(16, 22))
    gx, gz = round(rng.uniform(118, 122), 2), round(rng.uniform(58, 62), 2)
    sx, sz = round(gx + rng.uniform(-1.2, -0.3), 2), round(gz + rng.uniform(0.4, 1.2), 2)

    def tool(number: int, x: float, z: float) -> str:
        return (
            f'[[tool]]\nnumber = {number}\nkind = "turning"\ninsert = "C"\nRE = 0.4\nL = 12.0\nKAPR = 95.0\norientation = 3\n'
            f"gauge = {{ x = {x}, z = {z} }}\nholder = {{ width = 20.0, length = 100.0 }}\n\n"
        )

    job = (
        'format = 1\ntitle = "Vent bush"\nmachine = "lathe-2axis"\ncontrol = "word-address-lathe"\nprogram = "plain.nc"\n\n[zero]\nG54 = { z = -380.0 }\n\n'
        '[stock]\nshape = "bar"\nsize = [40.0, 90.0]\nplace = 1.0\n\n[chuck]\nkind = "jaws"\nface = -60.0\ndiameter = 160.0\n'
        "jaws = { length = 25.0, height = 25.0 }\n\n" + tool(1, gx, gz) + tool(4, sx, sz) +
        '[[tool]]\nnumber = 3\nkind = "drill"\nDC = 12.0\nAPMX = 50.0\ngauge = { x = 0.0, z = 110.0 }\nholder = { diameter = 25.0, length = 60.0 }\n\n'
        '[[tool]]\nnumber = 2\nkind = "boring"\ninsert = "C"\nRE = 0.4\nL = 6.0\nKAPR = 95.0\norientation = 2\ngauge = { x = 8.0, z = 120.0 }\n'
        "holder = { diameter = 8.0, length = 60.0 }\n"
    )  # fmt: skip
    program = (
        "G21 G40 G97 G99 G54\nG50 S2500\nT0101\nG97 S1500 M3\n"
        f"G0 X44. Z0.\nG1 X-0.8 F0.15\nG0 X{big} Z2.\nG1 Z{end} F0.2\nG0 X42. Z2.\nX{small}\nG1 Z{step}\nX{big + 2.0}\nG0 X200. Z100.\n"
        f"T0303\nG97 S900 M3\nG0 X0. Z3.\nG1 Z{deep - 5.0} F0.18\nG0 Z50.\nX200. Z100.\n"
        f"T0202\nG97 S1500 M3\nG0 X{bore} Z2.\nG1 Z{deep} F0.1\nX{bore - 1.0}\nG0 Z5.\nX200. Z100.\nM30\n"
    )
    clean = {
        "x1": 0.0,
        "z1": 0.0,
        "x2": 0.0,
        "z2": 0.0,
        "zero": 0.0,
        "small": small,
        "big": big,
        "bore": bore,
        "step": step,
        "deep": deep,
        "push": 0.0,
    }

    def turned(e: dict[str, float], which: str) -> float:
        # A tool gives way as far as it cuts deep: the first pass takes the bar down, the second the step.
        cuts = {"big": 40.0 - big, "small": big - small}
        return min(e[which] + e["x1"] + e["push"] * cuts[which] / max(cuts.values()), 40.0)

    def shoulder(e: dict[str, float]) -> float:
        return e["step"] + e["z1"] + e["zero"]

    between = (small + big) / 2.0
    sizes: list[Size] = [
        (Feature(what="turned", z=step / 2.0), lambda e: turned(e, "small") if e["step"] + e["z1"] + e["zero"] < step / 2.0 else turned(e, "big")),
        (Feature(what="turned", z=(step + end) / 2.0), lambda e: turned(e, "big")),
        (Feature(what="bore", z=deep / 2.0), lambda e: max(e["bore"] + e["x2"], 12.0) if e["deep"] < deep / 2.0 else 12.0),
        (Feature(what="face", at=(between, 0.0), z=20.0, way_deg=180.0), lambda e: shoulder(e) if e["step"] < 0.0 else e["z1"] + e["zero"]),
        (Feature(what="face", at=(small - 3.0, 0.0), z=20.0, way_deg=180.0), lambda e: e["z1"] + e["zero"]),
        (Feature(what="face", at=(bore - 1.5, 0.0), z=deep / 4.0, way_deg=180.0), lambda e: e["deep"] + e["z2"] + e["zero"]),
    ]  # fmt: skip
    e, slips, steps = dict(clean), list[Slip](), [clean]
    for kind in kinds:
        by = _amount(rng)
        number = int(rng.integers(1, 3))
        told: tuple[str, ...]
        match kind:
            case "offset in X":
                # The control's figure larger: it thinks the tip farther out, and the slide stays farther in... outwards by as much.
                e[f"x{number}"] += by
                told = (rf"The control held T{number} X",)
            case "offset in Z":
                e[f"z{number}"] += by
                told = (rf"The control held T{number} Z",)
            case "gauge in X":
                e[f"x{number}"] += -by
                told = (rf"The real gauge of T{number} along X",)
            case "gauge in Z":
                e[f"z{number}"] += -by
                told = (rf"The real gauge of T{number} along Z",)
            case "zero in Z":
                e["zero"] += by
                told = (r"The control held G54 Z",)
            case "wrong tool":
                number = 1
                e["x1"] += gx - sx
                e["z1"] += gz - sz
                told = ("T4 sat where T1 belongs",)
            case "pushed away":
                number = 1
                e["push"] += abs(by)
                told = ("T1 was pushed away",)
            case "sign":
                key = str(rng.choice(["step", "deep"]))
                e[key] = -e[key]
                told = (rf"Z{abs(e[key]):g}\.?0* stood for",)
            case "point":
                key = str(rng.choice(["step", "deep"]))
                e[key] = round(e[key] / 10.0, 4)
                told = (rf"Z-{abs(e[key]):g}\.?0* stood for",)
            case _:
                raise ValueError(kind)

        slips.append(Slip(kind, str(number), by, told))
        steps.append(dict(e))
    made = Part("turning", job, program, tuple(slips))
    if {"sign", "point"} & {*kinds}:
        sizes = sizes[:4]
    made.features, made.readings, made.nominal = _read(rng, sizes, steps)
    return made


# -- sheet and press ------------------------------------------------------------------------------------------------------

SHEET_KINDS = ("kerf", "radius register", "zero register", "part lay elsewhere", "hand", "diameter for radius", "point")
PUNCH_KINDS = ("zero register", "part lay elsewhere", "punch size", "wrong station", "sign", "point")


def sheet_part(kinds: Sequence[str], rng: np.random.Generator) -> Part:
    """A window and a round hole, cut inside by compensation, with a slip of each of these kinds."""
    kerf = round(rng.uniform(1.2, 2.0), 1)
    x0, y0 = float(rng.integers(40, 60)), float(rng.integers(40, 60))
    wide, high = float(rng.integers(60, 110)), float(rng.integers(40, 80))
    cx, cy, r = 300.0, 120.0, float(rng.integers(15, 30))
    job = (
        'format = 1\ntitle = "Vent sheet"\nmachine = "sheet-2axis"\ncontrol = "word-address-sheet"\nprogram = "plain.nc"\n\n[zero]\nG54 = { x = 50.0, y = 50.0 }\n\n'
        '[stock]\nshape = "sheet"\nsize = [600.0, 400.0, 4.0]\nplace = [0.0, 0.0]\nmaterial = "steel"\n\n'
        f'[[tool]]\nnumber = 1\nkind = "torch"\nkerf = {kerf}\npierce_s = 0.6\npierce_diameter = 3.0\nfeed = [1200, 2600]\n'
    )  # fmt: skip
    mx, my = x0 + wide / 2.0, y0 + high / 2.0
    program = (
        "G21 G90 G40 G17 G54\n"
        f"G0 X{mx} Y{my}\nM3\nG4 P0.6\nG41 D1 G1 X{x0 + wide} Y{my} F1800\nY{y0 + high}\nX{x0}\nY{y0}\nX{x0 + wide}\nY{my}\nG40 X{mx} Y{my}\nM5\n"
        f"G0 X{cx} Y{cy}\nM3\nG4 P0.6\nG41 D1 G1 X{cx + r} Y{cy}\nG3 X{cx + r} Y{cy} I{-r} J0.\nG40 G1 X{cx} Y{cy}\nM5\nM30\n"
    )
    clean = {"dx": 0.0, "dy": 0.0, "half": kerf / 2.0, "reg": kerf / 2.0, "hand": 1.0, "x0": x0, "r": r}

    def out(e: dict[str, float]) -> float:
        """How far the cut's edge stands outside the contour: the torch's axis is a register's radius inside it, or with the wrong hand outside."""
        return e["half"] - e["reg"] * e["hand"]

    def out_of_hole(e: dict[str, float]) -> float:
        """The hole has its own G41: the wrong hand stands in the window's block alone."""
        return e["half"] - e["reg"]

    # Looked at from the metal that stays: the slugs are gone.
    right, above = (x0 + wide + 12.0, my), (mx, y0 + high + 12.0)
    sizes: list[Size] = [
        (Feature(what="width", at=(x0 - 12.0, my), way_deg=0.0), lambda e: e["x0"] + e["dx"] - out(e)),
        (Feature(what="width", at=(mx, y0 - 12.0), way_deg=90.0), lambda e: y0 + e["dy"] - out(e)),
        (Feature(what="place", at=right, way_deg=180.0), lambda e: x0 + wide + e["dx"] + out(e)),
        (Feature(what="place", at=above, way_deg=270.0), lambda e: y0 + high + e["dy"] + out(e)),
        (Feature(what="diameter", at=(cx, cy)), lambda e: 2.0 * (r + out_of_hole(e))),
    ]  # fmt: skip
    e, slips, steps = dict(clean), list[Slip](), [clean]
    for kind in kinds:
        by, axis = _amount(rng), int(rng.integers(0, 2))
        told: tuple[str, ...]
        match kind:
            case "kerf":
                e["half"] += by / 2.0
                told = (r"(T1|kerf|cut)",)
            case "radius register":
                e["reg"] += by
                told = ("The control held D1 ",)
            case "zero register":
                e["d" + "xy"[axis]] += by
                told = (rf"The control held G54 {'XY'[axis]} ",)
            case "part lay elsewhere":
                e["d" + "xy"[axis]] += -by
                told = (rf"The part lay .* along {'XY'[axis]}",)
            case "hand":
                e["hand"], told = -1.0, ("G42 stood",)
            case "diameter for radius":
                e["reg"] += kerf / 2.0
                told = ("D1 held the diameter",)
            case "point":
                # The window's far side, X of one line.
                e["x0"], told = x0 / 10.0, (rf"X{x0 / 10.0:g}\.?0* stood for",)
                sizes = [
                    sizes[1],
                    sizes[2],
                    sizes[4],
                    (Feature(what="width", at=(x0 / 20.0, my), way_deg=0.0), lambda e: e["x0"] - out(e)),
                ]
            case _:
                raise ValueError(kind)

        slips.append(Slip(kind, "1", by, told))
        steps.append(dict(e))
    made = Part("sheet", job, program, tuple(slips))
    made.features, made.readings, made.nominal = _read(rng, sizes, steps)
    return made


def punch_part(kinds: Sequence[str], rng: np.random.Generator) -> Part:
    """Three round holes of two sizes and a square one, with a slip of each of these kinds."""
    d1, d3, a5 = float(rng.integers(8, 14)), float(rng.integers(16, 24)), float(rng.integers(18, 26))
    places = {
        1: (float(rng.integers(200, 260)), float(rng.integers(220, 280))), 2: (float(rng.integers(320, 380)), float(rng.integers(220, 280))),
        3: (float(rng.integers(450, 520)), float(rng.integers(220, 280))), 5: (float(rng.integers(600, 700)), float(rng.integers(220, 280))),
    }  # fmt: skip
    station = '[[tool]]\nnumber = {}\nkind = "punch"\nshape = "{}"\nsize = [{}]\n\n'
    job = (
        'format = 1\ntitle = "Vent panel"\nmachine = "punch-turret"\ncontrol = "word-address-punch"\nprogram = "plain.nc"\n\n[zero]\nG54 = { x = 0.0, y = 0.0 }\n\n'
        '[stock]\nshape = "sheet"\nsize = [1000.0, 500.0, 1.5]\nplace = [0.0, 0.0]\nmaterial = "steel"\n\n'
        '[[fixture]]\nname = "clamp 1"\nshape = "clamp-zone"\nsize = [90.0, 40.0]\nplace = [120.0, -10.0]\n\n'
        + station.format(1, "round", d1) + station.format(3, "round", d3) + station.format(5, "square", a5)
    )  # fmt: skip
    (x1, y1), (x2, y2), (x3, y3), (x5, y5) = (places[k] for k in (1, 2, 3, 5))
    program = f"G21 G90 G54\nT1\nX{x1} Y{y1}\nX{x2} Y{y2}\nT3\nX{x3} Y{y3}\nT5\nX{x5} Y{y5}\nM30\n"
    clean = {"dx": 0.0, "dy": 0.0, "r1": d1 / 2.0, "r3": d3 / 2.0, "a5": a5 / 2.0, "y3": y3, "gone": 0.0}
    sizes: list[Size] = [
        (Feature(what="diameter", at=(x1, y1)), lambda e: 2.0 * e["r1"]),
        (Feature(what="diameter", at=(x3, y3)), lambda e: 2.0 * e["r3"]),
        (Feature(what="place", at=(x5, y5), way_deg=0.0), lambda e: x5 + e["dx"] + e["a5"]),
        (Feature(what="place", at=(x5, y5), way_deg=90.0), lambda e: y5 + e["dy"] + e["a5"]),
        (Feature(what="distance", at=(x1, y1), to=(x2, y2)), lambda _e: math.hypot(x2 - x1, y2 - y1)),
        (Feature(what="width", at=(x5, y5), way_deg=0.0), lambda e: 2.0 * e["a5"]),
    ]  # fmt: skip
    e, slips, steps = dict(clean), list[Slip](), [clean]
    for kind in kinds:
        by, axis = _amount(rng), int(rng.integers(0, 2))
        told: tuple[str, ...]
        match kind:
            case "zero register":
                e["d" + "xy"[axis]] += by
                told = (rf"The control held G54 {'XY'[axis]} ",)
            case "part lay elsewhere":
                e["d" + "xy"[axis]] += -by
                told = (rf"The part lay .* along {'XY'[axis]}",)
            case "punch size":
                e["r1"] += by / 2.0
                told = (r"T1 really|real size of T1|T1 .*punch",)
            case "wrong station":
                e["r1"], e["r3"] = e["r3"], e["r1"]
                told = (r"T1 and T3 were changed over",)
            case "sign" | "point":
                told = (rf"X-{x5:g}\.?0* stood for",) if kind == "sign" else (rf"X{x5 / 10.0:g}\.?0* stood for",)
                sizes = [
                    sizes[0], sizes[1],
                    (Feature(what="place", at=(x5, y5), way_deg=0.0), lambda e: 1000.0 if e["gone"] else x5 + a5 / 2.0),
                    (Feature(what="place", at=(x5, y5), way_deg=90.0), lambda e: 500.0 if e["gone"] else y5 + a5 / 2.0),
                ]  # fmt: skip
                e["gone"] = 1.0
            case _:
                raise ValueError(kind)

        slips.append(Slip(kind, "1", by, told))
        steps.append(dict(e))
    made = Part("punching", job, program, tuple(slips))
    made.features, made.readings, made.nominal = _read(rng, sizes, steps)
    return made


KINDS = (
    *(("milling", kind) for kind in MILL_KINDS), *(("turning", kind) for kind in LATHE_KINDS),
    *(("sheet", kind) for kind in SHEET_KINDS), *(("punching", kind) for kind in PUNCH_KINDS),
)  # fmt: skip
MAKERS = {"milling": mill_part, "turning": lathe_part, "sheet": sheet_part, "punching": punch_part}


def slipped(count: int, seed: int = 22) -> list[Part]:
    """So many parts, over every kind in turn."""
    rng = np.random.default_rng(seed)
    return [MAKERS[trade]([kind], rng) for trade, kind in (KINDS[k % len(KINDS)] for k in range(count))]


WHOLE = {"unit", "clamp", "sign", "point", "hand", "wrong station"}
"""Slips after which there is little left that shows another one."""


def slipped_twice(count: int, seed: int = 23) -> list[Part]:
    """So many parts with two slips at once, of different kinds of one trade."""
    rng = np.random.default_rng(seed)
    out: list[Part] = []
    while len(out) < count:
        trade = ("milling", "turning", "sheet", "punching")[len(out) % 4]
        kinds = [kind for known, kind in KINDS if known == trade and kind not in WHOLE]
        try:
            out.append(MAKERS[trade](rng.permutation(kinds).tolist()[:2], rng))
        except Unseen:
            continue
    return out
