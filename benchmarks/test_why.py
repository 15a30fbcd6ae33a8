"""How often the search for causes finds the slip: 200 parts with one slip each, 40 with two. `make bench ARGS='-k slip'`: some ten minutes."""

from __future__ import annotations

import re
import time
from collections import Counter
from pathlib import Path

import pytest
from benchmarks.slipped_parts import Part, slipped, slipped_twice

from underglass.core.files.load import load
from underglass.core.proof.question import Measured, Question, Seen
from underglass.core.proof.why import Answer, why


def asked(part: Part, folder: Path) -> Answer:
    """What comes of asking about a part."""
    (folder / "plain.nc").write_text(part.program)
    (folder / "part.job.toml").write_text(part.job)
    job, source, _stated = load(folder / "part.job.toml")
    sizes = zip(part.features, part.readings, part.nominal)
    measured = tuple(Measured(feature=f, value=v, wanted=w) for f, v, w in sizes)
    return why(job, source, Question(measured=measured, seen=(Seen(line=part.seen_line),) if part.seen_line else ()))


def ranks(part: Part, answer: Answer) -> list[int]:
    """In the how manieth answer each slip is named, from 1; 99: in none. What is alike in all that was measured is one answer."""
    return [
        min(
            (c.answer for c in answer.causes if any(re.search(t, w, re.I) for t in slip.told for w in (c.words, *c.also))),
            default=99,
        )
        for slip in part.slips
    ]  # fmt: skip


@pytest.mark.parametrize(("count", "slips"), [(200, 1), (40, 2)])
def test_slips_are_found(benchmark, tmp_path: Path, count: int, slips: int) -> None:  # type: ignore[no-untyped-def]
    parts = slipped(count) if slips == 1 else slipped_twice(count)
    found, missed, spent = Counter[int](), list[str](), list[float]()

    def all_of_them() -> None:
        for part in parts:
            began = time.perf_counter()
            worst = max(ranks(part, asked(part, tmp_path)))
            spent.append(time.perf_counter() - began)
            found[worst] += 1
            if worst > 1:
                missed.append(f"{part.trade}: {' and '.join(s.kind for s in part.slips)} ({worst})")

    benchmark.pedantic(all_of_them, rounds=1, iterations=1)
    within = {k: sum(n for rank, n in found.items() if rank <= k) / count for k in (1, 3, 5)}
    print(f"\nfirst {within[1]:.1%}, among three {within[3]:.1%}, among five {within[5]:.1%}; not first: {missed}")
    print(f"a part {sum(spent) / count:.1f} s, at the worst {max(spent):.1f} s")
