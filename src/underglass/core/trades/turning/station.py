"""T on a lathe: the station that turns in and the offset that comes on; and what a stop corrects.

Machine place = programmed place + work offset + geometry + wear. An offset acts on an axis with the next absolute move of
that axis; a move by so much (U, W) goes just so far (on controls that move by the new offset with U and W as well, the
difference is only what a program does between T and its first absolute place).
"""

from __future__ import annotations

import math

from underglass.core.control import compensated, ending
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Event, RegisterUse
from underglass.core.control.stations import figures, on, put


def call(c: Desk, b: BlockWords) -> None:
    """Tssoo: station and offset. Tss00 takes the offset off; T with no offset's figures brings the tool's own."""
    word = b.letters["T"]
    m = c.modal
    if word.value < 0 or word.value != int(word.value) or word.value > 9999:
        c.find_word("syntax", b.block, word, f"{word.text} is no tool word", "write station and offset, as in T0202")
        return
    figure = int(word.value)
    digits = len(word.text.lstrip("Tt").strip().split(".")[0])
    if c.profile.tool_word == "T-station-offset":
        station, offset = divmod(figure, 100)
        if digits <= 2 and figure < 100:
            c.find_word(
                "syntax", b.block, word, f"{word.text.upper()} names no offset: this control wants four figures, station and offset",
                f"write T{figure:02d}{figure:02d} for station {figure} with its own offset",
            )  # fmt: skip
            station, offset = figure, 0
    else:
        station = offset = figure
    m.next_tool = station
    if c.profile.tool_word != "T-M6":
        turn_in(c, b, station, offset)


def change(c: Desk, b: BlockWords) -> None:
    """M6, where the tool word's form is T with M6."""
    word = b.m["tool change"][1]
    if c.modal.next_tool is None:
        c.find_word(
            "tool-unknown", b.block, word, "M6 has no tool to change to: no T word yet",
            "write the tool's number before or beside M6, as in T1 M6",
        )  # fmt: skip
        return
    turn_in(c, b, c.modal.next_tool, c.modal.next_tool)


def turn_in(c: Desk, b: BlockWords, station: int, offset: int) -> None:
    """A station comes to work, where the turret stands, and an offset comes on."""
    m = c.modal
    word = b.letters.get("T") or b.block.words[0]
    if station and station != m.tool:
        ending.left_on(c, b.block, word, "this tool change")
        compensated.end(c)
        line = c.line(b.block)
        c.events.append(Event("tool-change", line, len(c.moves), station, word.start + 1, word.end + 1))
        m.tool = station
    x, z = figures(c, offset)
    put(c, on(c)._replace(offset=offset, x=x, z=z))
    c.lengths.append(RegisterUse(c.line(b.block), word.start + 1, word.end + 1, offset, z, m.tool, len(c.moves), x=x))


def side(c: Desk, b: BlockWords) -> None:
    """G40, G41, G42: the nose as the control knows it, from the register of the offset that is on."""
    m = c.modal
    key, word = b.g["radius compensation"]
    now = on(c)
    if key == 400:
        compensated.end(c)
        return
    radius, orientation = c.noses.get(now.offset, (0.0, 0))
    m.d_number, m.d_value = now.offset, radius
    left = key == 410
    same = "left" if left else "right"
    if c.path.compensated and m.comp == same and math.isclose(c.path.radius, radius):
        return
    if c.path.compensated and m.comp != same and c.profile.side_change == "alarm":
        c.find_span(
            "comp-side-change", b, word, f"G{key // 10} changes the side of compensation while it is on",
            "write G40 with a move away from the contour first",
        )  # fmt: skip
    if not now.offset:
        c.find_span(
            "comp-register-missing", b, word, f"G{key // 10} with no offset on: the control does not know the nose",
            f"write the offset with the tool, as in T{m.tool:02d}{m.tool:02d}",
        )  # fmt: skip
        return
    c.radii.append(
        RegisterUse(
            c.line(b.block),
            word.start + 1,
            word.end + 1,
            now.offset,
            radius,
            m.tool,
            len(c.moves),
            orientation=orientation,
        )
    )
    compensated.begin(c, b.block, 1.0 if left else -1.0, radius)
    put(c, on(c)._replace(orientation=orientation))
    m.comp = same
    c.changed()
