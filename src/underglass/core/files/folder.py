"""Jobs proved one by one or many at once on every core: what each came to, in the form that is asked for."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, ProcessPoolExecutor, wait
from dataclasses import dataclass, field
from datetime import date
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from underglass.core.errors import Cancelled, UnderGlassError
from underglass.core.files.load import load
from underglass.core.files.report import proof_as_dict, proof_as_text
from underglass.core.files.report_html import counts_of, gravest_of, job_shown, page
from underglass.core.files.sarif import results_of, sarif_of
from underglass.core.finding import Severity, worst
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.proof.safe import how_safe
from underglass.core.units import show_clock


@dataclass(frozen=True, slots=True, kw_only=True)
class Came:
    """What a job came to. ``made`` is its part of the report in each form that was asked for; ``why``: it could not be used at all.

    ``merit``: how many times what people keep the whole setup bears, where that was asked.
    """

    path: Path
    why: str = ""
    severity: Severity = Severity.NOTE
    outcome: str = ""
    counts: tuple[int, int, int] = (0, 0, 0)
    time_s: float = 0.0
    gravest: str = ""
    made: Mapping[str, Any] = field(default_factory=dict)
    merit: float | None = None
    merit_said: str = ""


FORMS: Mapping[str, Callable[[Proof], Any]] = {
    "json": proof_as_dict,
    "sarif": results_of,
    "html": job_shown,
    "text": proof_as_text,
}
"""Forms of a report, and what each takes of one proof."""


def look_at(path: Path, forms: Sequence[str], robust: bool = False) -> Came:
    """Prove one job. What cannot be used is told in the answer: one such job does not stop the others."""
    try:
        job, source, _file = load(path)
        proof = prove(job, source)
        made = {form: FORMS[form](proof) for form in forms}
        safe = how_safe(job, source) if robust else None
    except UnderGlassError as error:
        return Came(path=path, why=str(error))
    return Came(
        path=path, severity=worst(proof.findings), outcome=proof.outcome, counts=counts_of(proof), time_s=proof.timing.total,
        gravest=gravest_of(proof), made=made, merit=safe.merit if safe else None, merit_said=safe.words(job.units) if safe else "",
    )  # fmt: skip


def cores() -> int:
    """Cores that this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def look_at_all(
    paths: Sequence[Path],
    forms: Sequence[str],
    robust: bool = False,
    most_cores: int | None = None,
    *,
    apart: bool = False,
    cancelled: Callable[[], bool] = lambda: False,
) -> Iterator[Came]:
    """Every job, as it is done; in any order. ``apart``: the helping processes begin anew, as a window with its threads needs it.

    Raises ``Cancelled``; what is being proved then is given up.
    """
    several = min(most_cores or cores(), len(paths))
    if several <= 1:
        for path in paths:
            if cancelled():
                raise Cancelled
            yield look_at(path, forms, robust)
        return
    with ProcessPoolExecutor(several, mp_context=get_context("spawn" if apart else None)) as pool:
        # A few at a time: what is done is told at once, and leaving early leaves little behind.
        waiting = list(paths)
        going = {pool.submit(look_at, waiting.pop(0), forms, robust) for _ in range(min(2 * several, len(paths)))}
        while going:
            done, going = wait(going, timeout=0.2, return_when=FIRST_COMPLETED)
            if cancelled():
                # Nobody waits for what is half done.
                for process in list(pool._processes.values()):
                    process.kill()
                raise Cancelled
            for one in done:
                yield one.result()
                if waiting:
                    going.add(pool.submit(look_at, waiting.pop(0), forms, robust))


def as_table(came: Sequence[Came]) -> str:
    """A line a job, the columns under each other, and one that sums up."""
    names = short_names([c.path for c in came])
    wide = max(len(n) for n in names)
    out = [f"{'job':<{wide}}  {'outcome':<14} {'crash':>5} {'fault':>5} {'caution':>7} {'time':>9}  the gravest"]
    for name, one in zip(names, came):
        if one.why:
            out.append(f"{name:<{wide}}  {'cannot be used':<14} {'':>28}  {one.why}")
            continue
        figures = " ".join(f"{n or '':>{w}}" for n, w in zip(one.counts, (5, 5, 7)))
        out.append(f"{name:<{wide}}  {one.outcome:<14} {figures} {show_clock(one.time_s):>9}  {one.gravest}".rstrip())
    words = [*(w for w in ("clean", "caution", "fault", "crash")), "cannot be used"]
    counts = {w: sum((o.outcome or "cannot be used") == w for o in came) for w in words}
    out.append(f"{len(came)} jobs: " + ", ".join(f"{n} {w}" for w, n in counts.items() if n))
    return "\n".join(out) + "\n"


def jobs_in(folder: Path) -> list[Path]:
    """Every job of a folder and of the folders in it."""
    return sorted(folder.rglob("*.job.toml"))


def short_names(paths: Sequence[Path]) -> list[str]:
    """Paths from the folder that all of them lie in."""
    if len(paths) == 1:
        return [paths[0].name]
    base = os.path.commonpath([str(path.parent) for path in paths])
    return [os.path.relpath(path, base) for path in paths]


def as_report(came: Sequence[Came], form: str, *, alone: bool, brief: bool = False) -> str:
    """The whole report. ``alone``: one file was asked about, not several."""
    usable = [c for c in came if not c.why]
    if form == "json":
        rows = [c.made["json"] for c in usable]
        return json.dumps(rows[0] if alone else rows, indent=1, ensure_ascii=False) + "\n"
    if form == "sarif":
        return json.dumps(sarif_of([r for c in usable for r in c.made["sarif"]]), indent=1, ensure_ascii=False) + "\n"
    if form == "html":
        names = dict(zip((c.path for c in came), short_names([c.path for c in came])))
        return page(
            [c.made["html"] for c in usable], date.today().isoformat(), {names[c.path]: c.why for c in came if c.why}
        )
    if alone and not brief:
        return str(usable[0].made["text"])
    return ("" if brief else "\n".join(c.made["text"] for c in usable) + "\n") + as_table(came)
