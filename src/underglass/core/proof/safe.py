"""How safe is the whole setup: every figure out at once, within what people really keep.

Each figure is moved alone to both ends of its tolerance. Where that changes how near things come, the nearest approaches are taken to follow it
straight, and the corner in which all push the same way is proved; some corners drawn at random are proved besides, for what is not straight. The
figure of merit is by how much all tolerances could grow together before the first corner fails.

Glossary
    corner   all figures at an end of their tolerance
    merit    the factor on all tolerances up to which every corner tried survives; below 1 the setup is not safe
"""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import partial

from underglass.core.errors import Cancelled
from underglass.core.finding import Finding
from underglass.core.language.source import Source
from underglass.core.proof.belief import Row
from underglass.core.proof.belief import rows as mill_rows
from underglass.core.proof.bench_rows import ROWS
from underglass.core.proof.job import Job
from underglass.core.proof.margins import grave as grave_of
from underglass.core.proof.margins import in_short, quick, with_value
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.units import Unit, show_length

KEPT_MM: Mapping[str, float] = {
    "length": 0.1,
    "work": 0.1,
    "radius": 0.03,
    "stock": 0.5,
    "geometry": 0.05,
    "clamp": 1.0,
}
"""What a careful setter keeps, mm (common practice, no source); each can be set anew."""

KEPT_WORDS = {
    "length": "lengths", "work": "zeros", "radius": "radii", "stock": "the block's size and place", "geometry": "tool offsets",
    "clamp": "what holds it",
}  # fmt: skip
_CORNERS = 10
_MOST_MERIT = 8.0
_PRECISE = 0.05
_MOST_FIGURES = 40


@dataclass(frozen=True, slots=True, kw_only=True)
class Figure:
    """One thing that can be out by so much: ``name`` in words, ``put`` makes the job with it out by mm."""

    name: str
    kind: str
    keeps: float
    put: Callable[[Job, float], Job]


@dataclass(frozen=True, slots=True, kw_only=True)
class Corner:
    """Which figures are out, mm by name, and what goes wrong with them so."""

    out: tuple[tuple[str, float], ...]
    finding: Finding
    proof: Proof

    def words(self, unit: Unit) -> str:
        """The combination and what it does, in one sentence."""
        parts = [f"{name} {show_length(by, unit, sign=True)}" for name, by in self.out]
        listed = " and ".join(parts[:3]) if len(parts) <= 3 else f"{', '.join(parts[:3])} and {len(parts) - 3} more"
        where = f", line {self.finding.line}" if self.finding.line else ""
        return f"{listed}: {in_short(self.finding).said}{where}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Safety:
    """``merit`` as in the glossary; ``most``: nothing failed as far as was looked. ``first``: what goes wrong first, and ``alone``: the figures
    that do so by themselves within their tolerance."""

    merit: float
    most: bool
    first: Corner | None
    alone: tuple[str, ...]
    figures: int
    proofs: int
    kept: Mapping[str, float] = field(default_factory=dict)

    @property
    def safe(self) -> bool:
        return self.merit >= 1.0

    def words(self, unit: Unit) -> str:
        """The answer as one says it aloud."""
        kinds = " and ".join(f"{KEPT_WORDS[k]} within {show_length(v, unit)}" for k, v in self.kept.items())
        if self.first is None:
            return f"Safe for {kinds}, and for {self.merit:.0f} times as much: nothing that was tried goes wrong."
        begin = f"Safe for {kinds}" if self.safe else f"Not safe for {kinds}"
        return f"{begin}: it bears {self.merit:.3g} times that. First to go wrong: {self.first.words(unit)}."


def figures_of(job: Job, proof: Proof, kept: Mapping[str, float]) -> list[Figure]:
    """Everything that people set or clamp, with what they keep."""
    out: list[Figure] = []
    own = ROWS.get(job.trade.name)
    used = set(proof.motions.tool_of().tolist())
    for row in own.rows(job, proof) if own is not None else mill_rows(job, proof):
        keeps = kept.get(row.group, 0.0)
        if row.belief is None or row.truth is None or not keeps or (row.tool and row.tool not in used):
            continue
        belief = row.belief
        name = f"{row.key} {row.axis.upper()}" if row.axis else row.key
        out.append(
            Figure(
                name=name,
                kind=row.group,
                keeps=keeps,
                put=partial(_believed_out, row=row, belief=belief),
            )
        )
    if job.bench.more is None and kept.get("stock"):
        out += [Figure(name="the block's height", kind="stock", keeps=kept["stock"], put=_taller)]
        out += [
            Figure(name=f"the block along {a.upper()}", kind="stock", keeps=kept["stock"], put=partial(_aside, k=k))
            for k, a in enumerate("xy")
        ]
    if job.bench.more is None and kept.get("clamp"):
        for fixture in job.bench.fixtures:
            if fixture.entry:
                out.append(
                    Figure(
                        name=f"the {fixture.name}'s height",
                        kind="clamp",
                        keeps=kept["clamp"],
                        put=partial(_clamp, name=fixture.name),
                    )
                )
    return out[:_MOST_FIGURES]


def _believed_out(job: Job, by: float, row: Row, belief: float) -> Job:
    return with_value(job, row, belief + by, "belief")


def _taller(job: Job, by: float) -> Job:
    stocks = tuple(
        replace(s, size=(*s.size[:-1], max(s.size[-1] + by, 0.1))) if s.mesh is None else s for s in job.bench.stocks
    )
    return replace(job, bench=replace(job.bench, stocks=stocks))


def _aside(job: Job, by: float, k: int) -> Job:
    stocks = tuple(
        replace(s, frame=replace(s.frame, x=s.frame.x + (by if k == 0 else 0.0), y=s.frame.y + (by if k == 1 else 0.0)))
        for s in job.bench.stocks
    )
    return replace(job, bench=replace(job.bench, stocks=stocks))


def _clamp(job: Job, by: float, name: str) -> Job:
    fixtures = tuple(
        replace(f, solid=replace(f.solid, frame=replace(f.solid.frame, z=f.solid.frame.z + by)))
        if f.name == name
        else f
        for f in job.bench.fixtures
    )
    return replace(job, bench=replace(job.bench, fixtures=fixtures))


class _Look:
    """Proofs of the job with figures out; counted, and asked whether they are still wanted."""

    def __init__(self, job: Job, source: Source, cancelled: Callable[[], bool]) -> None:
        self.job, self.source, self.cancelled, self.count = quick(job), source, cancelled, 0
        self.base = self.prove(self.job)
        self.usual = set(grave_of(self.base))

    def prove(self, job: Job) -> Proof:
        if self.cancelled():
            raise Cancelled
        self.count += 1
        return prove(job, self.source, cancelled=self.cancelled)

    def out(self, figures: list[Figure], by: list[float]) -> Proof:
        job = self.job
        for one, amount in zip(figures, by):
            if amount:
                job = one.put(job, amount)
        return self.prove(job)

    def wrong(self, proof: Proof) -> Finding | None:
        """What is wrong in a run that is not wrong in the job as it stands."""
        new = [f for key, f in grave_of(proof).items() if key not in self.usual]
        return max(new, key=lambda f: (f.severity, -f.time_s), default=None)


def how_safe(
    job: Job, source: Source, kept: Mapping[str, float] | None = None, cancelled: Callable[[], bool] = lambda: False,
    progress: Callable[[float], None] = lambda _share: None,
) -> Safety:  # fmt: skip
    """By how much everything may be out at once. Raises ``Cancelled``."""
    keeps = {**KEPT_MM, **(kept or {})}
    look = _Look(job, source, cancelled)
    figures = figures_of(look.job, look.base, keeps)
    there = {c: c.distance_mm for c in look.base.closest}
    base = {(c.tool, c.part, c.to): d for c, d in there.items()}
    slopes: dict[tuple[int, str, str], list[float]] = {key: [0.0] * len(figures) for key in base}
    alone: list[str] = []
    for k, one in enumerate(figures):
        progress(0.6 * k / max(len(figures), 1))
        by = [0.0] * len(figures)
        sides: list[dict[tuple[int, str, str], float]] = []
        for sign in (1.0, -1.0):
            by[k] = sign * one.keeps
            proof = look.out(figures, by)
            if look.wrong(proof) is not None and one.name not in alone:
                alone.append(one.name)
            sides.append({(c.tool, c.part, c.to): c.distance_mm for c in proof.closest})
        for key in slopes:
            up, down = sides[0].get(key, 0.0), sides[1].get(key, 0.0)
            slopes[key][k] = (up - down) / (2.0 * one.keeps)
    worst = _worst_corners(figures, base, slopes)
    rng = random.Random(7)
    worst += [[rng.choice((-1.0, 1.0)) * f.keeps for f in figures] for _ in range(max(_CORNERS - len(worst), 2))]
    merit, first = _MOST_MERIT, None
    for k, corner in enumerate(worst):
        progress(0.6 + 0.4 * k / len(worst))
        found = _bears(look, figures, corner, merit)
        if found is not None:
            merit, first = found
    progress(1.0)
    shown = {kind: keeps[kind] for kind in dict.fromkeys(f.kind for f in figures)}
    least = _fewest(look, figures, first, job.units) if first is not None else None
    return Safety(
        merit=merit,
        most=first is None,
        first=least,
        alone=tuple(alone),
        figures=len(figures),
        proofs=look.count,
        kept=shown,
    )


def _worst_corners(
    figures: list[Figure], base: dict[tuple[int, str, str], float], slopes: dict[tuple[int, str, str], list[float]]
) -> list[list[float]]:
    """The corners that bring the nearest things nearest, the ones that are left with least first; and those of all Z figures high and low."""
    rows = []
    for key, distance in base.items():
        push = [-f.keeps if s > 0.0 else f.keeps if s < 0.0 else 0.0 for f, s in zip(figures, slopes[key])]
        left = distance - sum(abs(s) * f.keeps for f, s in zip(figures, slopes[key]))
        if any(push):
            rows.append((left, push))
    rows.sort(key=lambda r: r[0])
    out: list[list[float]] = []
    for _left, push in rows:
        if push not in out:
            out.append(push)
    both = [[f.keeps * sign for f in figures] for sign in (1.0, -1.0)]
    return [*out[: _CORNERS // 2], *both]


def _bears(look: _Look, figures: list[Figure], corner: list[float], most: float) -> tuple[float, Corner] | None:
    """The factor up to which a corner survives, where it fails below ``most``; and how it fails."""

    def at(scale: float) -> tuple[Finding | None, Proof]:
        proof = look.out(figures, [v * scale for v in corner])
        return look.wrong(proof), proof

    def told(scale: float, finding: Finding, proof: Proof) -> Corner:
        out = tuple((f.name, v * scale) for f, v in zip(figures, corner) if v)
        return Corner(out=out, finding=finding, proof=proof)

    good, scale = 0.0, min(1.0, most)
    while True:
        finding, proof = at(scale)
        if finding is not None:
            break
        good = scale
        if scale >= most - 1e-9:
            return None
        scale = min(scale * 2.0, most)
    bad, how = scale, told(scale, finding, proof)
    while bad - good > max(_PRECISE * bad, 0.01):
        middle = (good + bad) / 2.0
        finding, proof = at(middle)
        if finding is None:
            good = middle
        else:
            bad, how = middle, told(middle, finding, proof)
    return good, how


def _fewest(look: _Look, figures: list[Figure], corner: Corner, unit: Unit) -> Corner:
    """The same failing with as few figures out as will do it: each is put back in turn and stays back where it still fails."""
    out = dict(corner.out)
    best = corner
    for name in list(out):
        if len(out) == 1:
            break
        tried = {k: v for k, v in out.items() if k != name}
        proof = look.out(figures, [tried.get(f.name, 0.0) for f in figures])
        finding = look.wrong(proof)
        if finding is not None and finding.code == corner.finding.code:
            out, best = tried, Corner(out=tuple(tried.items()), finding=finding, proof=proof)
    return best
