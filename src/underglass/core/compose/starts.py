"""What a form begins with on a job's bench, and what stands around its text in the job's program.

The window and the command line begin a form with the same entries, so that they write the same text.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from underglass.core.bench.tool import KIND_WORDS, Tool
from underglass.core.compose.operation import Around, Block, Operation, find_all
from underglass.core.compose.registry import operations_of, starts_of
from underglass.core.compose.shop import ShopTexts, program_number
from underglass.core.proof.job import Job
from underglass.core.units import Unit

_SIZES = ("tool", "d", "re", "width", "own", "wide", "a", "b")
"""Keys of entries that say what a tool is like."""
_FLAT = frozenset({"end-mill", "slot-drill", "face-mill", "bull-nose"})
_BY_TOOL = frozenset({*_SIZES, "t", "s", "f", "fdown", "vc", "fall"}) - {"wide"}
"""Keys of entries that another tool brings with it."""


def stock_box(job: Job) -> tuple[tuple[float, float, float], tuple[float, float, float]] | None:
    """The first stock's lowest and highest corner in the part's zero, mm; None without a stock on a table."""
    if not job.bench.stocks:
        return None
    solid = job.bench.stocks[0]
    wide, deep, high = solid.extent
    local = np.array([(x, y, z) for x in (0.0, wide) for y in (0.0, deep) for z in (0.0, high)])
    corners = job.bench.part_zero.into(solid.frame.out(local))
    low, top = corners.min(axis=0).tolist(), corners.max(axis=0).tolist()
    return (low[0], low[1], low[2]), (top[0], top[1], top[2])


def highest_clamped(job: Job) -> tuple[float, str] | None:
    """The highest fixture of the job in the part's zero, mm, and its name; None where there is none."""
    best: tuple[float, str] | None = None
    for fixture in job.bench.fixtures:
        # The machine's own table is no fixture of the job.
        if fixture.entry:
            wide, deep, high = fixture.solid.extent
            local = np.array([(x, y, high) for x in (0.0, wide) for y in (0.0, deep)])
            top = float(job.bench.part_zero.into(fixture.solid.frame.out(local))[:, 2].max())
            if best is None or top > best[0]:
                best = (top, fixture.name)
    return best


def shared_entries(job: Job, lines: Sequence[str]) -> dict[str, str]:
    """What the head of a program says for every later form; nothing where it has none."""
    heads = [o for o in operations_of(job.trade.kind) if o.shared]
    found = next((f for f in find_all(lines, heads)), None) if heads else None
    if found is None:
        return {}
    asked = {f.key for f in found.operation.asked(found.entered)}
    return {k: v for k, v in found.entered.items() if k in found.operation.shared and k in asked}


def first_entries(
    operation: Operation, job: Job, unit: Unit, given: Mapping[str, str] | None = None, lines: Sequence[str] = ()
) -> dict[str, str]:
    """What a form begins with on a job's bench and in its program, ``lines``; what is ``given`` stays. A given T chooses the tool."""
    keys = {f.key for f in operation.fields}
    shared = {k: v for k, v in shared_entries(job, lines).items() if k in keys} if not operation.shared else {}
    given = {**shared, **(given or {})}
    starts = starts_of(job.trade.kind)
    found = starts(operation, job, unit, given) if starts is not None else {}
    entered = {f.key: f.first(unit) for f in operation.fields} | found | given
    return {k: v for k, v in entered.items() if k in {f.key for f in operation.fields} or k in given}


def tool_entries(operation: Operation, job: Job, unit: Unit, number: int) -> dict[str, str]:
    """What hangs on the tool alone of what a form begins with: its sizes, its speeds and feeds. The rest stays as it was entered."""
    starts = starts_of(job.trade.kind)
    found = starts(operation, job, unit, {"t": str(number)}) if starts is not None else {}
    keys = {f.key for f in operation.fields}
    more = {"wide", "angle"} if "own" in keys else set()
    return {k: v for k, v in found.items() if k in keys and (k in _BY_TOOL or k in more)} | {"t": str(number)}


class Unlike(NamedTuple):
    """A size that a form reckons with and the one that its tool really has: what it is called, and both as they are shown."""

    key: str
    word: str
    here: str
    there: str


def unlike_bench(operation: Operation, job: Job, unit: Unit, entered: Mapping[str, str]) -> tuple[Unlike, ...]:
    """Where the sizes entered are not those of the tool that the form calls; nothing where the bench has no such tool.

    A form by a wrong diameter proves clean and makes a wrong part: nobody but the bench knows better.
    """
    number, starts = entered.get("t", ""), starts_of(job.trade.kind)
    if job.guessed or starts is None or not number.isdigit() or int(number) not in job.bench.tool_names:
        return ()
    asked = {f.key: f for f in operation.asked(entered)}
    found = starts(operation, job, unit, {"t": number})
    out = []
    tool = job.bench.tools.get(int(number))
    if isinstance(tool, Tool) and "tool" not in asked and not _ends_like(tool.kind, operation.kinds):
        out.append(Unlike("", "Tool", KIND_WORDS[operation.kinds[0]], KIND_WORDS[tool.kind]))
    for key in _SIZES:
        if key not in asked or key not in found or (key == "wide" and "own" not in asked):
            continue
        here, there = entered.get(key, ""), found[key]
        if not _same(here, there, unit):
            words = dict(asked[key].choices)
            out.append(Unlike(key, asked[key].word, words.get(here, here), words.get(there, there)))
    return tuple(out)


def _ends_like(kind: str, kinds: Sequence[str]) -> bool:
    """Whether a tool ends as one of these kinds does: flat ones can stand in for one another."""
    return not kinds or kind in kinds or (kind in _FLAT and any(k in _FLAT for k in kinds))


def _same(here: str, there: str, unit: Unit) -> bool:
    try:
        return abs(float(here) - float(there)) <= (0.00006 if unit == "inch" else 0.0006)
    except ValueError:
        return here == there


def around_in(job: Job, texts: ShopTexts, lines: Sequence[str], name: str, tool_before: int | None, *, bring: bool = True) -> Around:  # fmt: skip
    """What stands around an operation in a job's program."""
    box = stock_box(job)
    return Around(
        texts=texts, bring=bring, tool_before=tool_before,
        names=dict(job.bench.tool_names), title=job.title, program=program_number(lines, name),
        block=None if box is None else Block(low=box[0], high=box[1], material=job.bench.material),
        cycles={
            bound.cycle.name: (code, {name: bound.letter(name) for name in bound.cycle.inputs})
            for code, bound in job.control.cycle_by_name.items()
        },
        stock=None if box is None else (box[0][0], box[0][1], box[1][0], box[1][1]),
    )  # fmt: skip
