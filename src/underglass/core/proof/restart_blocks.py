"""The blocks that bring a control fresh from power-on to the state that a run is in before a line.

They are tried on a fresh control before they are offered: what does not lead to the same state is not offered at all.
"""

from __future__ import annotations

import math
from dataclasses import replace

from underglass.core.control.interpret import Control
from underglass.core.control.places import programmed
from underglass.core.control.state import Vector
from underglass.core.control.transform import Mapping, Transform
from underglass.core.control.words import OFFSETS_IN_ORDER
from underglass.core.language import writing
from underglass.core.proof.outputs import outputs_of
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import control_for
from underglass.core.units import MM_PER_INCH, Unit

_CLEAR_MM = 2.0
"""How high above the stock a tool is brought at rapid (common practice, no source)."""

_CREEP = 100.0
"""mm/min at which a tool is brought down where feeds are given as times of moves (common practice, no source)."""

_PLACE_MM = 0.003
"""How far a place written to the usual decimals may be off: a ten-thousandth of an inch is 0.00254 mm."""

_FINE = 6
"""Decimals of what must not be rounded: variables, centres, registers."""


def feed_figure(feed: float, unit: Unit, mode: str) -> str:
    """F's figure for what the control holds under a feed mode: mm/min, mm a turn, or one over minutes."""
    value = feed / (MM_PER_INCH if unit == "inch" and mode != "G93" else 1.0)
    return f"{value:.10g}"


def offset_words(name: str) -> str:
    """A work offset as a program calls it."""
    return name.replace("P", " P") if name.startswith("G54.1P") else name


def transform_words(c: Control, unit: Unit) -> list[tuple[str, str, str]]:
    """(group, what, words) of every shift, scaling, mirror and rotation in force but G92, in the order to send them."""
    t = c.modal.mapping.transform
    out = []

    def axes(values: tuple[float, ...]) -> str:
        return " ".join(f"{axis}{writing.length(v, unit, _FINE)}" for axis, v in zip("XYZ", values))

    if t.local != (0.0, 0.0, 0.0):
        out.append(("local shift", "the local shift of G52", f"G52 {axes(t.local)}"))
    if t.preset != (0.0, 0.0, 0.0):
        out.append(("preset", "the shift of G92", ""))
    if t.scale != (1.0, 1.0, 1.0):
        i, j, k = t.scale
        factor = f"P{i:.10g}" if i == j == k else f"I{i:.10g} J{j:.10g} K{k:.10g}"
        said = f"{i:g}" if i == j == k else f"{i:g}, {j:g} and {k:g}"
        out.append(("scaling", f"scaling by {said}", f"G51 {axes(t.scale_centre)} {factor}"))
    mirrored = [axis for axis, factor in enumerate(t.mirror) if factor < 0.0]
    if mirrored:
        said = " ".join(f"{'XYZ'[axis]}{writing.length(t.mirror_centre[axis], unit, _FINE)}" for axis in mirrored)
        out.append(("mirror", "mirror", f"G51.1 {said}"))
    if t.angle:
        out.append(("rotation", "rotation", f"G68 {axes(t.pivot)} R{writing.figure(math.degrees(t.angle), 8)}"))
    return out


def _table_blocks(c: Control, fresh: Control, unit: Unit) -> list[str]:
    """G10 for every offset and register that the program or a person has changed by then."""
    out = []
    for name, at in c.work_offsets.items():
        if at != fresh.work_offsets.get(name) and name in OFFSETS_IN_ORDER:
            said = " ".join(f"{axis}{writing.length(v, unit, _FINE)}" for axis, v in zip("XYZ", at))
            out.append(f"G10 L2 P{OFFSETS_IN_ORDER.index(name) + 1} {said}")
    double = 2.0 if c.profile.d_register == "diameter" else 1.0
    for code, scale, sums, worn, old_sums, old_worn in (
        (10, 1.0, c.length_registers, c.length_wear, fresh.length_registers, fresh.length_wear),
        (12, double, c.radius_registers, c.radius_wear, fresh.radius_registers, fresh.radius_wear),
    ):
        for number, value in sums.items():
            wear = worn.get(number, 0.0)
            if (value, wear) == (old_sums.get(number), old_worn.get(number, 0.0)):
                continue
            out.append(f"G10 L{code} P{number} R{writing.length((value - wear) * scale, unit, _FINE)}")
            if wear != old_worn.get(number, 0.0):
                out.append(f"G10 L{code + 1} P{number} R{writing.length(wear * scale, unit, _FINE)}")
    return out


def _blocks(c: Control, fresh: Control, over_mm: float) -> tuple[str, ...]:
    """What to send, a block a line: states, tool, offsets, spindle, over the place, down to it, feed, motion."""
    m = c.modal
    unit: Unit = m.units
    out = [f"#{k}={v:.12f}" for k, v in sorted(c.flow.variables.items()) if v]
    out = [text.rstrip("0").rstrip(".") for text in out]
    transform = m.mapping.transform
    if fresh.left_over is not None:
        out.append("G92.1 G69")
    units = "G20" if unit == "inch" else "G21"
    centres = " G90.1" if m.centres_absolute else ""
    corners = " G61" if m.exact else ""
    inverse = m.feed_mode == "G93"
    mode = "G94" if inverse else m.feed_mode
    out.append(f"{units} G{m.plane} G90 {mode} G40 G49 G80 {m.return_to}{centres}{corners}")
    out += _table_blocks(c, fresh, unit)
    if m.tool and m.tool != fresh.modal.tool:
        out.append(f"T{m.tool} M6")
    if m.next_tool is not None and m.next_tool != m.tool:
        out.append(f"T{m.next_tool}")
    out.append(offset_words(m.offset))
    out += [words for _group, _what, words in transform_words(c, unit) if words]
    if m.spindle != "off":
        out.append(f"S{m.speed:.10g} {'M3' if m.spindle == 'clockwise' else 'M4'}")
    elif m.speed > 0.0:
        out.append(f"S{m.speed:.10g}")
    bare = Mapping(replace(transform, preset=(0.0, 0.0, 0.0)))
    s = m.shift
    place = bare.back((c.at[0] - s[0], c.at[1] - s[1], c.at[2] - s[2] - m.h_value))
    over = bare.back((0.0, 0.0, over_mm - s[2]))[2] + _CLEAR_MM
    x, y, z = (writing.length(v, unit) for v in place)
    length = f"{'G44' if m.h_sign < 0 else 'G43'} H{m.h_number} " if m.h_number is not None else ""
    if c.at != fresh.at or length:
        out.append(f"G0 X{x} Y{y}")
        feed = writing.feed_word(_CREEP, unit, "G94", 0.0) if inverse else f"F{feed_figure(m.feed, unit, mode)}"
        if place[2] >= over or (m.feed <= 0.0 and not inverse) or (m.feed_mode == "G95" and not m.turning):
            out.append(f"G0 {length}Z{z}")
        else:
            # At rapid to just above the stock, from there at feed: what is below may be cut or not.
            out += [f"G0 {length}Z{writing.length(over, unit)}", f"G1 Z{z} {feed}"]
    if transform.preset != (0.0, 0.0, 0.0):
        said = " ".join(f"{axis}{writing.length(v, unit, _FINE)}" for axis, v in zip("XYZ", programmed(c)))
        out.append(f"G92 {said}")
    if m.coolant:
        out.append("M8")
    if not m.overrides:
        out.append("M49")
    if m.d_number is not None:
        out.append(f"D{m.d_number}")
    if inverse:
        out.append("G93")
    elif m.feed > 0.0 and not any(text.endswith(f" F{feed_figure(m.feed, unit, m.feed_mode)}") for text in out):
        out.append(f"F{feed_figure(m.feed, unit, m.feed_mode)}")
    if not m.absolute:
        out.append("G91")
    if m.motion != "G80":
        out.append(m.motion)
    return tuple(out)


def _near(a: Vector, b: Vector) -> bool:
    return max(abs(p - q) for p, q in zip(a, b)) <= _PLACE_MM


def _same_transform(a: Transform, b: Transform) -> bool:
    exact = (a.scale, a.mirror, abs(a.angle - b.angle) < 1e-9) == (b.scale, b.mirror, True)
    loose = (
        (a.local, b.local),
        (a.preset, b.preset),
        (a.scale_centre, b.scale_centre),
        (a.mirror_centre, b.mirror_centre),
    )
    pivot = max(abs(p - q) for p, q in zip(a.pivot, b.pivot)) <= _PLACE_MM
    return exact and pivot and all(_near(p, q) for p, q in loose)


def same_state(a: Control, b: Control) -> bool:
    """Whether two controls stand in the same state and place, to the decimals that a program is written in."""
    one, two = a.modal, b.modal
    states = [
        m.freeze()._replace(shift=(0.0, 0.0, 0.0), extra=(0.0, 0.0, 0.0), rotation=0.0, h_value=0.0, d_value=0.0)
        for m in (one, two)
    ]
    tables = (
        (a.length_registers, b.length_registers), (a.radius_registers, b.radius_registers),
        (a.length_wear, b.length_wear), (a.radius_wear, b.radius_wear), (dict(a.flow.variables), dict(b.flow.variables)),
    )  # fmt: skip
    return (
        states[0] == states[1]
        and (one.centres_absolute, one.next_tool or one.tool, one.d_number) == (two.centres_absolute, two.next_tool or two.tool, two.d_number)
        and (one.feed_mode == "G93" or abs(one.feed - two.feed) <= 1e-6 * max(one.feed, 1.0))
        and abs(one.h_value - two.h_value) <= _PLACE_MM
        and _near(one.shift, two.shift)
        and _near(a.at, b.at)
        and _near(a.real, b.real)
        and _same_transform(one.mapping.transform, two.mapping.transform)
        and all(abs(p.get(k, 0.0) - q.get(k, 0.0)) <= 1e-6 * max(abs(p.get(k, 0.0)), 1.0) for p, q in tables for k in {*p, *q})
        and all(_near(a.work_offsets.get(k, (0.0,) * 3), b.work_offsets.get(k, (0.0,) * 3)) for k in {*a.work_offsets, *b.work_offsets})
    )  # fmt: skip


def leading_blocks(proof: Proof, there: Control) -> tuple[str, ...] | None:
    """What to send before the line that a control stands before; None where it leads to another state."""
    fresh = control_for(proof.job)
    top = max((solid.top for solid in proof.job.bench.stocks), default=0.0)
    own = outputs_of(proof)
    blocks = own.restart(there, fresh) if own is not None else _blocks(there, fresh, top)
    tried = control_for(proof.job)
    run = tried.run(blocks)
    wrong = any(f.code in ("syntax", "word-unknown", "modal-conflict") for f in run.findings)
    return None if wrong or not same_state(there, tried) else blocks
