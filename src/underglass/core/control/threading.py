"""Straight moves tied to something else than a feed: to the spindle's turn (G33), or to a touch (G38.2)."""

from __future__ import annotations

import math

from underglass.core.control import compensated, feeds, moving
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Kind
from underglass.core.control.places import programmed
from underglass.core.control.state import Vector

_TOUCHED_AT = 5061
"""The variables that hold where the probe touched: #5061 to #5063 for X Y Z (NISTIR 6556 table 3, from memory)."""


def thread(c: Desk, b: BlockWords, end: Vector) -> None:
    """G33: so much way a turn of the spindle (common practice, no source: the pitch stands in K, on some controls in F)."""
    m = c.modal
    letter = c.profile.thread_letter
    word = b.letters.get(letter)
    pitch = c.length(abs(word.value)) if word is not None else m.thread_pitch
    if not pitch:
        c.find_span(
            "feed-missing", b, word or b.g_word("motion"), f"G33 has no {letter}: how far the thread goes a turn is not said",
            f"write {letter} and the pitch",
        )  # fmt: skip
    if not m.turning:
        c.find_span(
            "turn-feed-stopped",
            b,
            b.g_word("motion"),
            "G33 feeds per rev, but the spindle is stopped: the machine would wait forever",
            "start the spindle with S and M3",
        )
    m.thread_pitch = pitch
    overrides, m.overrides = m.overrides, False
    c.changed()
    moving.go(c, Kind.FEED, b.block, end, pitch * m.speed)
    m.overrides = overrides
    c.changed()


def probe(c: Desk, b: BlockWords, end: Vector) -> None:
    """G38.2: at feed towards a place until the probe touches; where it did is put into variables."""
    word = b.g_word("motion")
    if c.path.compensated:
        if word is not None:
            compensated.left_on(c, b.block, word, "G38.2")
        compensated.end(c)
    feeds.check_feed(c, b)
    start = c.at
    share = c.touch(start, end, c.modal.tool)
    if share is None:
        c.find_span(
            "probe-missed",
            b,
            word,
            "the probe reaches its end point without touching anything: the control would alarm",
            "check the place it starts from, and how far it goes",
            {"way_mm": math.dist(start, end)},
        )
        share = 1.0
    to = (
        start[0] + (end[0] - start[0]) * share,
        start[1] + (end[1] - start[1]) * share,
        start[2] + (end[2] - start[2]) * share,
    )
    moving.go(c, Kind.FEED, b.block, to, c.feed_of(math.dist(start, to)))
    for axis, value in enumerate(programmed(c)):
        c.flow.variables.set(_TOUCHED_AT + axis, value / c.length(1.0))
