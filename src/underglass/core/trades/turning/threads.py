"""Threads: a feed tied to the spindle's turn. The lead is the way a turn along the axis that the thread mainly goes along."""

from __future__ import annotations

import math

from underglass.core.control import moving, stations
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Kind
from underglass.core.control.places import target
from underglass.core.control.state import Vector
from underglass.core.control.words import g_name
from underglass.core.language.block import Block


def takes_feed(c: Desk, b: BlockWords) -> bool:
    """F of a thread's block is its lead, not a feed. True where it was taken as that."""
    name = g_name(b.g["motion"][0]) if "motion" in b.g else c.modal.motion
    bound = c.profile.cycle_by_name.get(name)
    lead = name == "G32" or (bound is not None and bound.cycle.tied)
    if lead:
        c.modal.thread_pitch = c.length(abs(b.letters["F"].value))
    return lead


def forget(c: Desk) -> None:
    """A thread's lead counts for its own blocks only."""
    c.modal.thread_pitch = 0.0


def thread(c: Desk, b: BlockWords) -> None:
    """G32: one pass along a thread, straight or tapered."""
    if "motion" in b.g and c.modal.motion != "G32":
        c.modal.motion = "G32"
        c.changed()
    if not b.has("XZ"):
        return
    pass_(c, b, target(c, b.letters))


def ready(c: Desk, b: BlockWords) -> bool:
    """Whether there is a lead and a spindle to tie it to; the findings are made here."""
    m, word = c.modal, b.letters.get("F") or b.g_word("motion")
    if not m.thread_pitch:
        c.find_span(
            "feed-missing", b, word, f"{m.motion} has no F: how far the thread goes a turn is not said", "write F and the lead"
        )  # fmt: skip
        return False
    if not m.turning:
        c.find_span(
            "turn-feed-stopped", b, b.g_word("motion"),
            "a thread is tied to the spindle's turn, but the spindle is stopped: the machine would wait forever",
            "start the spindle with S and M3",
        )  # fmt: skip
    return True


def pass_(c: Desk, b: BlockWords, end: Vector) -> None:
    """One pass to a place in machine coordinates."""
    if ready(c, b):
        run(c, b.block, end)


def run(c: Desk, block: Block, end: Vector) -> None:
    """The move of a pass, at the lead in force."""
    lead = c.modal.thread_pitch
    dx, dz = abs(end[0] - c.at[0]), abs(end[2] - c.at[2])
    along = max(dx, dz)
    if along <= 0.0:
        return
    stations.put(c, stations.on(c)._replace(lead=lead))
    feed = lead * c.turns(c.at[0] - c.modal.shift[0]) * math.hypot(dx, dz) / along
    moving.go(c, Kind.FEED, block, end, feed)
    stations.put(c, stations.on(c)._replace(lead=0.0))
