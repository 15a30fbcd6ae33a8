"""The length register in force: G43, G44, G49, H, and the first move that Z makes under it."""

from __future__ import annotations

from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.motions import RegisterUse
from underglass.core.control.words import g_name


def set_length(c: Desk, b: BlockWords) -> None:
    """G43, G44, G49, and H alone while one is in force."""
    m = c.modal
    found = b.g.get("length compensation")
    h = b.letters.get("H")
    if found is None and m.h_number is None:
        return
    cycle = c.profile.cycle_by_name.get(g_name(b.g["motion"][0]) if "motion" in b.g else m.motion)
    if found is None and cycle is not None and "H" in cycle.letters.values():
        # H is one of the cycle's own letters here.
        return
    key = found[0] if found is not None else (440 if m.h_sign < 0 else 430)
    c.length_changed()
    if key == 490:
        m.h_number, m.h_value, m.h_sign = None, 0.0, 1
        return
    if h is None and c.profile.h_default == "tool" and m.tool and found is not None:
        put_length(c, m.tool, -1 if key == 440 else 1, (c.line(b.block), found[1].start + 1, found[1].end + 1))
        return
    if h is None or h.value != int(h.value) or h.value < 0:
        word = h or (found[1] if found is not None else None)
        c.find_span(
            "length-number-missing",
            b,
            word,
            f"{g_name(key)} needs the number of a length register",
            "write H and the register's number, as in G43 H2",
        )
        return
    put_length(c, int(h.value), -1 if key == 440 else 1, (c.line(b.block), h.start + 1, h.end + 1))


def put_length(c: Desk, number: int, sign: int, word: tuple[int, int, int]) -> None:
    """A length register comes into force; ``word`` is what says so: line, column, end column, from 1."""
    m = c.modal
    m.h_number, m.h_sign, m.h_word = number, sign, word
    m.h_value = sign * c.length_registers.get(number, 0.0) if number else 0.0
    c.length_changed()


def judge_z(c: Desk, b: BlockWords) -> None:
    """Remember, once for each tool and register, under which length register Z first moves."""
    m = c.modal
    if c.z_judged or not m.tool:
        return
    c.z_judged = True
    if m.h_number is None:
        if not c.way.needs_offset(m.tool):
            return
        c.find_span(
            "length-offset-missing",
            b,
            b.letters.get("Z"),
            f"Z moves with tool {m.tool} and no length offset in force",
            f"write G43 H{m.tool} with the first Z move after the tool change",
            {"tool": m.tool},
        )
        return
    line, column, end_column = m.h_word
    c.lengths.append(RegisterUse(line, column, end_column, m.h_number, m.h_value, m.tool, len(c.moves), m.h_sign))
