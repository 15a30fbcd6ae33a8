"""A rehearsal: what was done at the machine and when, from the morning on. Done again it comes to the very same stand."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from underglass.core.errors import Cancelled
from underglass.core.language.source import Source
from underglass.core.machine.actions import Action, LetGo
from underglass.core.machine.course import Watch
from underglass.core.machine.passing import Told
from underglass.core.machine.stand import Stand
from underglass.core.machine.step import after, begin
from underglass.core.proof.job import Job

TICK_S = 0.05
"""Between two looks at the clock. A hold or a hand let go acts at such a moment, so that doing it again is the same to the last bit."""

LONGEST_S = 48 * 3600.0


@dataclass(frozen=True, slots=True)
class Done:
    """One action, ``tick`` looks at the clock after the beginning."""

    tick: int
    action: Action


@dataclass(frozen=True, slots=True, kw_only=True)
class Rehearsal:
    """``checksum`` is that of the program as it was run; ``ticks`` how long it went on."""

    checksum: str
    ticks: int
    done: tuple[Done, ...]


def do_again(job: Job, source: Source, rehearsal: Rehearsal, watch: Watch = Watch(), each: Callable[[Stand, tuple[Told, ...]], None] = lambda _s, _t: None) -> Stand:  # noqa: B008  # fmt: skip
    """The stand that a rehearsal comes to. Raises ``Cancelled``."""
    stand = begin(job, source)
    now = 0
    for one in (*rehearsal.done, Done(rehearsal.ticks, LetGo())):
        while now < one.tick:
            if watch.cancelled():
                raise Cancelled
            stand, told = after(stand, TICK_S)
            if told:
                each(stand, told)
            now += 1
            if not stand.moving:
                # Nothing happens by itself any more: the clock alone goes on.
                idle = one.tick - now
                if idle > 0:
                    stand, _none = after(stand, idle * TICK_S)
                    now = one.tick
        stand, told = after(stand, one.action, watch)
        each(stand, told)
    return stand
