"""Whether a cutting move has a feed that the machine can make."""

from __future__ import annotations

from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.language import writing


def check_feed(c: Desk, b: BlockWords) -> None:
    """Complain, once until F comes, about a cutting move without a feed."""
    m = c.modal
    if m.feed_mode == "G95" and m.feed > 0.0 and not m.turning:
        c.find_span(
            "turn-feed-stopped",
            b,
            b.g_word("motion"),
            f"{'G99' if m.station else 'G95'} feeds per rev, but the spindle is stopped: the machine would wait forever",
            f"start the spindle with S and M3, or feed by the minute with {'G98' if m.station else 'G94'}",
        )
    turns = c.turns(c.at[0] - m.shift[0]) if m.feed_mode == "G95" else 0.0
    if m.feed * turns > c.machine.feed_max + 1e-6:
        _tell_fast(
            c, b, m.feed * turns, f"F at {turns:.0f} rpm comes to" if m.station else f"F at S{m.speed:g} comes to"
        )
    if m.feed > 0.0 or c.feed_missing_told:
        return
    c.feed_missing_told = True
    word = b.letters.get("F") or b.g_word("motion")
    why = "F is zero" if "F" in b.letters else "no F has been given"
    if m.feed_mode == "G93":
        why = "with G93 every block needs its own F"
        c.feed_missing_told = False
    c.find_span(
        "feed-missing",
        b,
        word,
        f"{m.motion} cuts with no feed: {why}",
        "add F (feed per minute) in this block or before it",
    )


def _tell_fast(c: Desk, b: BlockWords, feed: float, said: str) -> None:
    """Once for each feed and speed: a feed by the turn that the machine cannot make."""
    m = c.modal
    if c.fast_told == (m.feed, m.speed):
        return
    c.fast_told = (m.feed, m.speed)
    c.find_span(
        "over-feed",
        b,
        b.letters.get("F") or b.g_word("motion"),
        f"{said} {c.rate(feed)}, more than the machine's highest feed, {c.rate(c.machine.feed_max)}",
        "lower F or S",
        {
            "feed_mm_min": feed,
            "highest_mm_min": c.machine.feed_max,
            "write": writing.feed_word(c.machine.feed_max, m.units, m.feed_mode, m.speed, down=True),
        },
    )
