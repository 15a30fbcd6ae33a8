"""What the job before left in the control, and what the program makes of it."""

from __future__ import annotations

import math

from underglass.core.control import compensated
from underglass.core.control.desk import Desk
from underglass.core.control.state import Start
from underglass.core.control.transform import Mapping, Transform
from underglass.core.language.block import Block

RELIED_ON = frozenset({"distance", "work offset"})
"""Modal groups that every move relies on; arcs rely on the plane as well."""

_NOTHING = (0.0, 0.0, 0.0)


def take_over(c: Desk, start: Start) -> None:
    """Put the control in the state that the last job left."""
    m = c.modal
    m.units = start.units or m.units
    m.tool = start.tool
    c.z_judged = not start.tool
    m.absolute = m.absolute if start.distance is None else start.distance == "G90"
    c.use_offset(start.offset or m.offset)
    if start.rotation or start.shift != _NOTHING:
        c.left_over = Transform(angle=start.rotation, preset=start.shift)
        m.mapping = Mapping(c.left_over)
    if start.compensation in ("G41", "G42"):
        m.d_number = start.d
        m.d_value = c.radius_registers.get(start.d, 0.0) if start.d else 0.0
        left = start.compensation == "G41"
        # Line 0: not of this program.
        compensated.begin(c, Block(line=0), 1.0 if left else -1.0, m.d_value)
        m.comp = "left" if left else "right"
        c.left_over = c.left_over or Transform()


def judge(c: Desk, block: Block) -> None:
    """Tell, once, that a move is made under something that the program did not ask for."""
    left, c.left_over = c.left_over, None
    if left is None:
        return
    transform = c.modal.mapping.transform
    parts, cancel = [], []
    if left.preset != _NOTHING and transform.preset == left.preset:
        said = ", ".join(f"{a} {c.said(v, sign=True)}" for a, v in zip("XYZ", left.preset) if v)
        parts.append(f"a shift of {said} (cancel it with G92.1)")
        cancel.append("G92.1")
    if left.angle and transform.angle == left.angle and transform.pivot == left.pivot:
        parts.append(f"a rotation by {math.degrees(left.angle):g} degrees (cancel it with G69)")
        cancel.append("G69")
    if c.path.compensated and c.comp_line == 0:
        parts.append(f"radius compensation {c.modal.comp} of the way (cancel it with G40)")
        cancel.append("G40")
    if parts:
        c.find(
            "shift-left-over",
            block,
            f"this move still has {' and '.join(parts)} left over from the previous job",
            "cancel it in the program's safe-start block, or on the control",
            (block.words[0].start, block.words[0].end) if block.words else (0, 1),
            {
                "x_mm": left.preset[0],
                "y_mm": left.preset[1],
                "z_mm": left.preset[2],
                "degrees": math.degrees(left.angle),
                "compensation": c.modal.comp,
                "write": " ".join(cancel),
            },
        )
