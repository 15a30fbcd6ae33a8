"""What every milling operation asks for and writes: tool, speeds, heights, the blocks ahead of the first cut."""

from __future__ import annotations

from underglass.core.compose.operation import need
from underglass.core.compose.writer import Writer
from underglass.core.reckon.form import Entries, Field, Row, plain

COMMON = (
    Field("t", "Tool T", "count", "1"),
    Field("d", "Tool diameter", start="10", start_inch="0.5"),
    Field("s", "Spindle S", "number", "4000"),
    Field("f", "Feed F", "feed", "600", "24"),
    Field("fdown", "Feed downwards", "feed", "200", "8"),
    Field("safe", "Safe Z", start="25", start_inch="1", tip="Height for the ways between"),
    Field("near", "Slow from", start="2", start_inch="0.08", tip="Rapid goes down to this height above the cut"),
    Field("cool", "Coolant", "choice", "m8", choices=(("m8", "on, M8"), ("off", "off"))),
)
"""The fields that all operations share."""


def opening(w: Writer, e: Entries) -> None:
    """What must hold before the first move, and the spindle. The tool and its H are the program's matter."""
    speed = e.positive("s", "The spindle speed")
    top = e.number("top")
    need(e.number("safe") > top, "the safe height is not above the stock's top", "safe")
    need(e.number("near") > 0.0, "slow must begin above the cut", "near")
    w.block("G90 G17 G40 G94")
    w.block(f"S{plain(speed, 0)} M3" + (" M8" if e.word("cool") == "m8" else ""))
    w.rapid(z=e.number("safe"))


def close(w: Writer, e: Entries) -> None:
    """Coolant off; the tool stands at the safe height."""
    if e.word("cool") == "m8":
        w.block("M9")


def length_rows(w: Writer, e: Entries) -> tuple[Row, ...]:
    """How far is fed and how long that takes, without rapids."""
    seconds = round(w.minutes * 60)
    return (
        Row("Way fed", e.show(w.fed)),
        Row("Time fed", f"{seconds // 60}:{seconds % 60:02d}", "without rapids"),
    )
