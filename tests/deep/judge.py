"""A small control of its own, written from NISTIR 6556 (from memory) and sharing no code with the one it judges.

Straight moves, arcs in three planes by centre or radius, drilling cycles, offsets, G52, G43, G28, G53, absolute and
incremental, inch and metric; compensation off. One pass over the text, one dictionary of state.
"""

from __future__ import annotations

import math
import re

WORD = re.compile(r"([A-Z])([+-]?(?:\d+\.?\d*|\.\d+))")
Row = tuple[str, float, float, float]
"""(kind, machine x, y, z at the end): rapid, feed, cw or ccw."""

OFFSETS = {54: (-300.0, -150.0, -200.0), 55: (-200.0, -150.0, -200.0)}
LENGTHS = {1: 75.0, 2: 110.0}
HOME = (0.0, 0.0, 0.0)


def run(text: str) -> list[Row]:
    """The moves that a program makes."""
    s: dict[str, float] = {"g": -1, "abs": 1, "inch": 0, "plane": 17, "off": 54, "h": 0.0, "ret": 98}
    local, at = [0.0, 0.0, 0.0], list(HOME)
    cycle: dict[str, float] = {}
    rows: list[Row] = []

    def base(k: int) -> float:
        return OFFSETS[int(s["off"])][k] + local[k] + (s["h"] if k == 2 else 0.0)

    def go(kind: str, to: list[float]) -> None:
        if kind in ("cw", "ccw") or max(abs(a - b) for a, b in zip(at, to)) > 1e-7:
            rows.append((kind, *to))  # type: ignore[arg-type]
        at[:] = to

    for line in text.splitlines():
        words = [(a, float(b)) for a, b in WORD.findall(re.sub(r"\([^)]*\)|;.*", "", line.upper()))]
        codes = [round(v * 10) for a, v in words if a == "G"]
        v = {a: b for a, b in words if a not in "GM"}
        for c in codes:
            if c in (200, 210):
                s["inch"] = float(c == 200)
            elif c in (900, 910):
                s["abs"] = float(c == 900)
            elif c in (170, 180, 190):
                s["plane"] = c // 10
            elif c in (540, 550):
                s["off"] = c // 10
            elif c in (980, 990):
                s["ret"] = c // 10
            elif c == 490:
                s["h"] = 0.0
            elif c == 430:
                s["h"] = LENGTHS[int(v["H"])]
        scale = 25.4 if s["inch"] else 1.0
        L = {a: b * scale for a, b in v.items() if a in "XYZIJKRQ"}
        named = [k for k, a in enumerate("XYZ") if a in L]
        if 520 in codes:
            for k in named:
                local[k] = L["XYZ"[k]]
            continue
        target = list(at)
        for k in named:
            target[k] = L["XYZ"[k]] + (base(k) if s["abs"] else at[k])
        if 530 in codes:
            for c in codes:
                s["g"] = c if c in (0, 10) else s["g"]
            machine = list(at)
            for k in named:
                machine[k] = L["XYZ"[k]]
            go("rapid" if s["g"] == 0 else "feed", machine)
            continue
        if 280 in codes:
            go("rapid", target)
            there = list(at)
            for k in named:
                there[k] = HOME[k]
            go("rapid", there)
            continue
        new = [c for c in codes if c in (0, 10, 20, 30, 800, 810, 820, 830, 730)]
        for c in new:
            if c != s["g"] and c >= 730 and c != 800 and not (s["g"] >= 730 and s["g"] != 800):
                cycle = {"began": at[2]}
            s["g"] = c
        g = s["g"]
        if g in (0, 10) and named:
            go("rapid" if g == 0 else "feed", target)
        elif g in (20, 30) and (named or {"I", "J", "K", "R"} & set(L)):
            u, w, _n = {17: (0, 1, 2), 18: (2, 0, 1), 19: (1, 2, 0)}[int(s["plane"])]
            if "R" in L:
                dx, dy = target[u] - at[u], target[w] - at[w]
                d = math.hypot(dx, dy)
                h = math.sqrt(max(L["R"] ** 2 - d * d / 4, 0.0)) * (-1 if (g == 20) != (L["R"] < 0) else 1)
                centre = ((at[u] + target[u]) / 2 - h * dy / d, (at[w] + target[w]) / 2 + h * dx / d)
            else:
                centre = (at[u] + L.get("IJK"[u], 0.0), at[w] + L.get("IJK"[w], 0.0))
            assert abs(math.dist((at[u], at[w]), centre) - math.dist((target[u], target[w]), centre)) < 0.02
            go("cw" if g == 20 else "ccw", target)
        elif g >= 730 and g != 800 and (named or {"R", "Q"} & set(L)):
            here = at[2] - base(2)
            if "R" in L:
                cycle["r"] = L["R"] + (0.0 if s["abs"] else here)
            if "Z" in L:
                cycle["z"] = L["Z"] + (0.0 if s["abs"] else cycle["r"])
            if "Q" in L:
                cycle["q"] = L["Q"]
            for _ in range(int(v.get("L", 1))):
                r, z = cycle["r"] + base(2), cycle["z"] + base(2)
                back = max(cycle["began"], r) if s["ret"] == 98 else r
                go("rapid", [at[0], at[1], max(at[2], r)])
                x, y = ((L[a] + (base(k) if s["abs"] else at[k])) if a in L else at[k] for k, a in enumerate("XY"))
                go("rapid", [x, y, at[2]])
                go("rapid", [x, y, r])
                depth = r
                while g in (830, 730) and depth - cycle["q"] > z + 1e-9:
                    depth -= cycle["q"]
                    go("feed", [x, y, depth])
                    if g == 830:
                        go("rapid", [x, y, r])
                        go("rapid", [x, y, depth + min(0.25, cycle["q"] / 2)])
                    else:
                        go("rapid", [x, y, depth + min(0.25, cycle["q"] / 2)])
                go("feed", [x, y, z])
                go("rapid", [x, y, back])
    return rows
