"""Radius compensation as it is asked for: G40, G41, G42, D."""

from __future__ import annotations

from underglass.core.control import compensated
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.motions import RegisterUse
from underglass.core.control.words import g_name
from underglass.core.language.block import Word


def _d_number(c: Desk, b: BlockWords) -> int | None:
    """The D register that the block names; None after the finding where its number is none."""
    word = b.letters["D"]
    if word.value == int(word.value) and word.value >= 0:
        return int(word.value)
    c.find_word(
        "syntax", b.block, word, f"{word.text} is no radius register", "a register's number is a whole number, as in D1"
    )
    return None


def set_radius_number(c: Desk, b: BlockWords) -> None:
    """D without G41 or G42: in force for the next of them; inside a contour the radius changes with the next move."""
    m = c.modal
    cycle = c.profile.cycle_by_name.get(m.motion)
    if cycle is not None and "D" in cycle.letters.values():
        return
    number = _d_number(c, b)
    if number is None:
        return
    m.d_number = number
    if not c.path.compensated:
        return
    m.d_value = c.radius_registers.get(number, 0.0) if number else 0.0
    c.changed()
    if abs(m.d_value) == c.path.radius:
        return
    word, same, side = b.letters["D"], m.comp, c.path.side
    _put_radius(c, b, word, same, side)


def _put_radius(c: Desk, b: BlockWords, word: Word, same: str, side: float, *, joined: bool = True) -> None:
    """Compensation with the D in force, from the next move in the plane on."""
    m = c.modal
    assert m.d_number is not None
    c.radii.append(
        RegisterUse(c.line(b.block), word.start + 1, word.end + 1, m.d_number, m.d_value, m.tool, len(c.moves))
    )
    compensated.begin(c, b.block, side, m.d_value, joined=joined)
    m.comp = same
    c.changed()


def set_side(c: Desk, b: BlockWords) -> None:
    """G40, G41, G42 with the D in force."""
    m = c.modal
    key, word = b.g["radius compensation"]
    if key == 400:
        compensated.end(c)
        return
    d = b.letters.get("D")
    if d is not None:
        m.d_number = _d_number(c, b)
        if m.d_number is None:
            return
    elif m.d_number is None and c.profile.d_default == "tool" and m.tool:
        m.d_number = m.tool
    if m.d_number is None:
        c.find_span(
            "comp-register-missing", b, d or word, f"{g_name(key)} has no D: the control does not know the cutter's radius",
            f"write D and the register's number, as in {g_name(key)} D{m.tool or 1}",
        )  # fmt: skip
        return
    transform = m.mapping.transform
    if m.plane != 17 and transform.angle:
        c.find_span(
            "not-proved", b, word, f"compensation in G{m.plane} under rotation leaves its plane: the path is run as written",
            "rotate only what is compensated in G17",
        )  # fmt: skip
        return
    m.d_value = c.radius_registers.get(m.d_number, 0.0) if m.d_number else 0.0
    left = (key == 410) != transform.turned_over_in(m.plane)
    same = "left" if left else "right"
    c.changed()
    if c.path.compensated and m.comp == same and c.path.radius == abs(m.d_value):
        return
    if c.path.compensated and m.comp != same and c.profile.side_change == "alarm":
        c.find_span(
            "comp-side-change",
            b,
            word,
            f"{g_name(key)} changes the side of compensation while it is on",
            "write G40 with a move away from the contour first",
        )
    _put_radius(c, b, d or word, same, 1.0 if left else -1.0, joined=c.path.compensated and m.comp == same)
