"""Registers that are written while the program runs: by G10, and by hand at a stop."""

from __future__ import annotations

from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.placing import take
from underglass.core.control.state import AtStop
from underglass.core.control.words import OFFSETS_IN_ORDER

_AXES = "XYZ"


def write_data(c: Desk, b: BlockWords) -> None:
    """G10: L2 sets a work offset; L10 to L13 length and radius registers and their wear."""
    m = c.modal
    kind, number = b.letters.pop("L", None), b.letters.pop("P", None)
    word = b.g_word("non-modal")
    if kind is None or number is None or number.value != int(number.value) or number.value < 0:
        c.find_span(
            "syntax", b, kind or word, "G10 needs L, what is set, and P, its number", "write as in G10 L2 P1 X0 Y0 Z0"
        )
        return
    which = int(number.value)
    if kind.value == 2.0:
        if which > len(OFFSETS_IN_ORDER):
            c.find_span(
                "syntax", b, number, f"G10 L2 knows P0 to P{len(OFFSETS_IN_ORDER)}", "P1 is G54, P2 is G55, and so on"
            )
            return
        name = m.offset if which == 0 else OFFSETS_IN_ORDER[which - 1]
        values = list(c.work_offsets.get(name, (0.0, 0.0, 0.0)))
        for letter, value in take(c, b, _AXES).items():
            axis = _AXES.index(letter)
            values[axis] = value if m.absolute else values[axis] + value
        c.work_offsets = {**c.work_offsets, name: (values[0], values[1], values[2])}
        if name == m.offset:
            c.use_offset(name)
        return
    given = b.letters.pop("R", None)
    if kind.value not in (10.0, 11.0, 12.0, 13.0) or given is None:
        c.find_span(
            "word-unknown",
            b,
            kind,
            f"G10 {kind.text.upper()} is not known to this control, or has no R",
            "L2, L10, L11, L12 and L13 are known",
        )
        return
    lengths, wear = kind.value in (10.0, 11.0), kind.value in (11.0, 13.0)
    sums, worn = (c.length_registers, c.length_wear) if lengths else (c.radius_registers, c.radius_wear)
    length = c.length(given.value)
    if not lengths and c.profile.d_register == "diameter":
        length /= 2.0
    # The register is its geometry and its wear together; each is set by itself, and in G91 by so much more.
    geometry, off = sums.get(which, 0.0) - worn.get(which, 0.0), worn.get(which, 0.0)
    if wear:
        off = length if m.absolute else off + length
    else:
        geometry = length if m.absolute else geometry + length
    # New tables, never changed ones: a checkpoint may hold the old.
    sums, worn = {**sums, which: geometry + off}, {**worn, which: off}
    if not lengths:
        c.radius_registers, c.radius_wear = sums, worn
        return
    c.length_registers, c.length_wear = sums, worn
    if m.h_number == which:
        m.h_value = m.h_sign * sums[which]
        c.length_changed()


def correct(c: Desk, told: AtStop) -> None:
    """What is corrected by hand while the program stands at a stop."""
    m = c.modal
    # New tables, never changed ones: a checkpoint may hold the old.
    c.radius_registers, c.radius_wear = (
        {**table, **{n: table.get(n, 0.0) + v for n, v in told.radius.items()}}
        for table in (c.radius_registers, c.radius_wear)
    )
    c.length_registers, c.length_wear = (
        {**table, **{n: table.get(n, 0.0) + v for n, v in told.length.items()}}
        for table in (c.length_registers, c.length_wear)
    )
    if m.h_number is not None and m.h_number in told.length:
        m.h_value += m.h_sign * told.length[m.h_number]
        c.length_changed()
    for name, by in told.work.items():
        x, y, z = c.work_offsets.get(name, (0.0, 0.0, 0.0))
        c.work_offsets = {**c.work_offsets, name: (x + by[0], y + by[1], z + by[2])}
        if name == m.offset:
            c.use_offset(name)
