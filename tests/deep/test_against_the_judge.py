"""The control against a small one of its own hand (``judge``), over random programs in all modes. More of them: ``make deep``."""

from __future__ import annotations

import math
import os
import random

import pytest

from tests.conftest import MillControl as Control
from tests.core.control.test_interpret import PROFILES
from tests.core.control.test_timing import MACHINE
from tests.deep import judge
from underglass.core.control.motions import Kind
from underglass.core.control.state import Registers
from underglass.core.files.profiles import read_control

PROFILE = read_control(PROFILES / "control" / "word-address-mill.toml")
SEEDS = range(4000 if os.environ.get("UNDERGLASS_DEEP") else 150)
NAMES = {
    Kind.RAPID: "rapid",
    Kind.FEED: "feed",
    Kind.ARC_CW: "cw",
    Kind.ARC_CCW: "ccw",
    Kind.CYCLE_FEED: "feed",
    Kind.CYCLE_RAPID: "rapid",
}


def program(dice: random.Random) -> str:
    """Blocks in many hands' habits: modes before and beside moves, words in any order, with and without spaces."""
    inch = dice.random() < 0.3
    unit = 1 / 25.4 if inch else 1.0
    absolute = True
    at = [0.0, 0.0, 200.0]
    out = [f"{'G20' if inch else 'G21'} G17 G40 G49 G80 G90 G94", "T1 M6", "G54 S1000 M3", "F200"]
    out.append("G0 " + " ".join(f"{a}{v * unit:.4f}" for a, v in zip("XYZ", (5.0, 5.0, 150.0))))
    at[:] = [5.0, 5.0, 150.0]
    if dice.random() < 0.7:
        out.append(f"G43 H{dice.choice((1, 2))} G0 Z{60.0 * unit:.4f}")
        at[2] = 60.0

    def figures(axes: str, to: dict[str, float]) -> str:
        values = {a: to[a] if absolute else to[a] - at["XYZ".index(a)] for a in axes}
        words = [f"{a}{values[a] * unit:.{dice.choice((4, 5))}f}" for a in axes]
        dice.shuffle(words)
        for a in axes:
            at["XYZ".index(a)] = to[a]
        return dice.choice((" ", "", "  ")).join(words)

    for _ in range(dice.randint(3, 25)):
        kind = dice.random()
        axes = "".join(a for a in "XYZ" if dice.random() < 0.6) or "X"
        to = {a: round(dice.uniform(0.0, 60.0), 3) for a in "XYZ"}
        if kind < 0.12:
            absolute = not absolute
            out.append("G90" if absolute else "G91")
        elif kind < 0.45:
            out.append(f"G{dice.choice(('0', '1', '00', '01'))} {figures(axes, to)}")
        elif kind < 0.7:
            plane = dice.choice((17, 18, 19))
            u, v = {17: (0, 1), 18: (2, 0), 19: (1, 2)}[plane]
            r, a, turn = (
                dice.uniform(2.0, 20.0),
                dice.uniform(0.0, math.tau),
                dice.choice((1, -1)) * dice.uniform(0.3, 5.5),
            )
            centre = (at[u] - r * math.cos(a), at[v] - r * math.sin(a))
            end = {"XYZ"[u]: centre[0] + r * math.cos(a + turn), "XYZ"[v]: centre[1] + r * math.sin(a + turn)}
            start = list(at)
            g = "G3" if turn > 0 else "G2"
            words = figures("XYZ"[u] + "XYZ"[v], end)
            if dice.random() < 0.5:
                tail = f"{'IJK'[u]}{(centre[0] - start[u]) * unit:.5f} {'IJK'[v]}{(centre[1] - start[v]) * unit:.5f}"
            else:
                tail = f"R{(r if abs(turn) <= math.pi else -r) * unit:.6f}"
            out.append(f"G{plane} {g} {words} {tail}")
        elif kind < 0.8:
            code = dice.choice(("G81", "G82", "G83", "G73"))
            level, depth = at[2] + dice.uniform(-5.0, 5.0), dice.uniform(2.0, 12.0)
            r, z = (level, level - depth) if absolute else (level - at[2], -depth)
            q = f" Q{2.5 * unit:.5f}" if code in ("G83", "G73") else ""
            words = figures("XY", to)
            repeat = f" L{dice.randint(2, 4)}" if not absolute else ""
            out.append(
                f"G17 {dice.choice(('G98', 'G99'))} {code} {words} Z{z * unit:.5f} R{r * unit:.5f}{q} F100{repeat}"
            )
            out.append("G80")
            break
        elif kind < 0.86:
            out.append(dice.choice(("G55", "G54", "G52 X1. Y-1.", "G52 X0 Y0")))
            break
        elif kind < 0.92:
            out.append(f"G90 G53 G0 Z{dice.uniform(-40.0, -1.0) * unit:.4f}")
            break
        else:
            out.append(dice.choice(("(a comment)", "M8", "S1200", "F333", "M5 M9", "; said", "N100")))
    tail = dice.choice(("G91 G28 Z0", "G90 G0 X1. Y1. Z50.", "G90 G1 X2. F100", ""))
    return "\n".join([*out, tail, "M30"])


@pytest.mark.parametrize("seed", SEEDS)
def test_both_make_the_same_moves(seed: int) -> None:
    text = program(random.Random(seed))
    registers = Registers(work={"G54": judge.OFFSETS[54], "G55": judge.OFFSETS[55]}, length=dict(judge.LENGTHS))
    done = Control(PROFILE, MACHINE, registers).run(text.splitlines())
    mine = [(NAMES[Kind(int(k))], *e) for k, e in zip(done.motions.kind.tolist(), done.motions.end.tolist())]
    # The machine lifts at a tool change by itself; the judge knows nothing of that, and both start at home.
    theirs = judge.run(text)
    assert [k for k, *_e in mine] == [k for k, *_e in theirs], text
    for one, two in zip(mine, theirs):
        assert one[1:] == pytest.approx(two[1:], abs=1e-6), text
