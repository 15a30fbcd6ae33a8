"""One slip in a clean program at a time, of every trade: found, or the same part, or another part that compare tells.

``python -m tests.deep.mutants`` prints the figures; ``make deep`` runs it. A third argument prints what makes another part.
"""

from __future__ import annotations

import random
import re
import sys
import tempfile
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

from tests.conftest import write_job
from tests.core.proof.test_golden import FILES, expected, job_text
from tests.core.trades.sheet.test_golden_sheet import FILES as FLAT
from tests.core.trades.turning.test_golden_turning import FILES as TURNED
from tests.core.trades.turning.test_golden_turning import job_of
from underglass.core.files.job import read_job
from underglass.core.language.source import read_text
from underglass.core.proof.compare import compare_runs
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove

WORD = re.compile(r"([A-Z])([+-]?(?:\d+\.?\d*|\.\d+))")


def slips(text: str) -> Iterator[tuple[str, str]]:
    """(what, text): a sign, a decimal point, a digit, a number of a register or tool, a word or a line left out."""
    lines = text.splitlines()
    for k, line in enumerate(lines):
        if line.startswith(";") or not line.strip():
            continue

        def put(new: str, k: int = k) -> str:
            return "\n".join([*lines[:k], new, *lines[k + 1 :]]) + "\n"

        for found in WORD.finditer(line):
            letter, figure = found[1], found[2]
            head, tail = line[: found.start()], line[found.end() :]
            yield f"without {letter}", put(head.rstrip() + tail)
            if letter in "XYZUWIJKR" and float(figure):
                sign = figure[1:] if figure[0] == "-" else "-" + figure
                yield f"sign of {letter}", put(f"{head}{letter}{sign}{tail}")
                yield f"point of {letter}", put(f"{head}{letter}{float(figure) * 10:g}{tail}")
            elif letter in "HDT":
                yield (
                    f"number of {letter}",
                    put(f"{head}{letter}{3 - int(float(figure)) if float(figure) in (1, 2) else 1}{tail}"),
                )
            elif letter in "FS":
                yield f"nought in {letter}", put(f"{head}{letter}{float(figure) * 100:g}{tail}")
            elif letter == "G":
                swap = {
                    "0": "1",
                    "1": "0",
                    "2": "3",
                    "3": "2",
                    "41": "42",
                    "42": "41",
                    "90": "91",
                    "21": "20",
                    "54": "55",
                }
                if figure in swap:
                    yield f"G{figure} for G{swap[figure]}", put(f"{head}G{swap[figure]}{tail}")
        yield "without the line", put("")


def same_part(one: Proof, two: Proof) -> bool:
    return len(one.stocks) == len(two.stocks) and compare_runs(one, two).same_part


_FLAT_JOBS = dict(FLAT)


def _job(path: Path, text: str) -> str:
    if path in TURNED:
        return job_of(text)
    return job_text(text, _FLAT_JOBS[path]) if path in _FLAT_JOBS else job_text(text)


def judge(path: Path, most: int, dice: random.Random, tell: bool = False) -> Counter[str]:
    """What became of the mutants of one clean program."""
    text = path.read_text()
    out: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as folder:
        job = read_job(write_job(Path(folder), text, _job(path, text)))
        clean = prove(job, read_text(text, "plain.nc"))
        known = {f.code for f in clean.findings}
        every = list(slips(text))
        for what, slipped in dice.sample(every, min(most, len(every))):
            proof = prove(job, read_text(slipped, "plain.nc"), before=clean)
            news = [f for f in proof.troubles if f.code not in known and f.severity.word != "note"]
            if news:
                out["found"] += 1
            elif any(f.code not in known for f in proof.troubles):
                out["noted"] += 1
            elif same_part(clean, proof):
                out["same part"] += 1
            else:
                out["another part"] += 1
                if tell:
                    print(
                        f"{path.stem}: {what}: {next(b for a, b in zip(text.splitlines(), slipped.splitlines()) if a != b)}"
                    )
    return out


def main() -> None:
    most = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    cut, punched = ([p for p, _job in FLAT if p.parent.name == name] for name in ("sheet", "punching"))
    for trade, files in (("milled", FILES), ("turned", TURNED), ("cut", cut), ("punched", punched)):
        clean = [p for p in files if not expected(p.read_text())]
        total: Counter[str] = Counter()
        for path in clean:
            total += judge(path, most, random.Random(path.stem), tell=len(sys.argv) > 2)
        count = sum(total.values())
        print(
            f"{len(clean)} clean {trade} programs, {count} slips: "
            + ", ".join(f"{n} {what} ({n / count:.0%})" for what, n in total.most_common())
        )


if __name__ == "__main__":
    main()
