"""What stands in the machine as outlines seen from above and from the front, in real coordinates."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.solid import Solid
from underglass.core.proof.job import Job
from underglass.core.proof.touch_off import plan_of

Points = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Outline:
    """A solid: ``plan`` (n, 2) seen from above, and the box around it, mm. ``entry`` 0 is stock, k a fixture's entry."""

    name: str
    entry: int
    plan: Points
    low: tuple[float, float, float]
    high: tuple[float, float, float]


def outline(solid: Solid, entry: int) -> Outline:
    """A solid's outline."""
    plan = np.array(plan_of(solid).exterior.coords)[:-1]
    low, high = plan.min(axis=0), plan.max(axis=0)
    return Outline(
        name=solid.name,
        entry=entry,
        plan=plan,
        low=(float(low[0]), float(low[1]), solid.frame.z),
        high=(float(high[0]), float(high[1]), solid.top),
    )


def outlines(job: Job) -> tuple[Outline, ...]:
    """Stocks and fixtures, but not the machine's table; the lowest top first, as one sees them from above."""
    found = [outline(s, 0) for s in job.bench.stocks]
    found += [outline(f.solid, f.entry) for f in job.bench.fixtures if f.entry]
    return tuple(sorted(found, key=lambda o: (o.high[2], o.entry == 0)))
