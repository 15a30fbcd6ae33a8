"""What is put into the spindle at the machine besides the tools of the bench: it finds, feels or draws, and does not cut."""

from __future__ import annotations

from collections.abc import Mapping

from underglass.core.bench.tool import HolderStep, Tool

EDGE_FINDER, TOUCH_PROBE, PEN = 9001, 9002, 9003

INSTRUMENTS: Mapping[int, Tool] = {
    EDGE_FINDER: Tool(
        number=EDGE_FINDER, kind="probe", DC=10.0, APMX=20.0, length=110.0, stickout=50.0, shank=10.0, holder=(HolderStep(32.0, 40.0),)
    ),
    TOUCH_PROBE: Tool(
        number=TOUCH_PROBE, kind="probe", DC=4.0, APMX=4.0, length=150.0, stickout=60.0, shank=3.0, holder=(HolderStep(40.0, 60.0),)
    ),
    PEN: Tool(
        number=PEN, kind="end-mill", DC=0.8, APMX=20.0, length=105.0, stickout=60.0, shank=9.0, holder=(HolderStep(32.0, 40.0),)
    ),
}  # fmt: skip
"""What is put into the spindle and does not cut, by number."""

INSTRUMENT_WORDS = {EDGE_FINDER: "edge finder 10", TOUCH_PROBE: "touch probe 4", PEN: "pen in a holder"}

PEN_LINE_MM, PEN_SPRING_MM = 0.05, 5.0
"""How deep the line of a pen is in the picture, and how far its spring gives way before it is pushed into the work."""

PAPER_MM = 0.1
"""How thick the paper is that is drawn from under a tool."""
