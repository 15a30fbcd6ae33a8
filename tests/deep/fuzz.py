"""Programs that nobody would write, half a million of them: ``python -m tests.deep.fuzz [COUNT] [SEED]``.

Each is a known good or bad program with lines, words and figures changed, doubled, moved or thrown in; pecks of a thousand
holes, repeats without end and loops that never close stay in, for limits and cancelling are what they try. One that makes
the control say something it has not said yet, or (one in forty) run a line of it that has not run yet, is kept and changed
further.

Each is run by the control whole and, with one more line changed, once whole and once taken up from the run before: no
exception, no more than a second, and both the same to the last move and finding. One in forty is proved with its cut.
"""

from __future__ import annotations

import os
import random
import re
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path
from types import FrameType
from typing import Any

import numpy as np

from tests.conftest import PLAIN_JOB, write_job
from tests.core.proof.test_any_program import LINES
from underglass.core.control.flow import Limits
from underglass.core.control.run import Run
from underglass.core.files.job import read_job
from underglass.core.files.report import proof_as_text
from underglass.core.language.source import read_text
from underglass.core.proof.job import Job
from underglass.core.proof.prove import control_for, prove

_DIGITS = re.compile(r"\d+(\.\d+)?")
_FIGURE = re.compile(r"[-+]?\d*\.?\d+")
FIGURES = (
    "0", "-0", "1", "-1", ".", "1.", "0.0001", "-0.001", "99999", "1e9", "9" * 40, "1000000", "10000", "-99999.", "0.3", "12.7", "30.", "3", "98", "99",
    "28", "53", "#1", "#33", "[1/0]", "[2*#2]", "#[#1]", "[-1]",
)  # fmt: skip
HEAVY = (
    "G83 X10. Y10. Z-500. R2. Q0.001 F90", "G73 X5. Y5. Z-9. R1. Q.0001", "G83 X1. Y1. Z-9. R2. Q.5 L9999", "G91 G81 X1. Y0. Z-3. R1. L100000 F80",
    "WHILE [1] DO 1", "WHILE [#1 LT 99999] DO 2", "END 1", "END 2", "#1=#1+1", "M98 P1 L9999", "M98 P100 L9999", "O1", "M99", "M99 P10", "GOTO 10", "N10",
    "G65 P1 A1. B2. L50", "G33 Z-99. K.001", "G2 I0.0001", "G3 X0 Y0 R99999.", "G2 X20. Y20. Z-900. I5. J0",
    "IF [#1 LT 5] GOTO 10", "IF [#500 EQ 0] THEN #500=1", "G41 D1", "G42 D2", "G10 L2 P1 X#1", "G68 X0 Y0 R#1", "G51 X0 Y0 P0", "G92 X#5021", "%",
)  # fmt: skip


_WARM = 1_000
"""Of the first ones no time is taken: the kernels are still being compiled."""


def seeds() -> list[list[str]]:
    """The golden programs' texts, short enough to be run thousands of times."""
    out = []
    for path in sorted((Path(__file__).parent.parent / "golden").rglob("*.nc")):
        lines = path.read_text("utf-8", "replace").splitlines()
        if len(lines) < 60:
            out.append([line for line in lines if not line.startswith("; expect")])
    return out


def changed_line(dice: random.Random, line: str) -> str:
    """One line with a word, a figure or a letter of it made different."""
    what = dice.randrange(6)
    figures = list(_FIGURE.finditer(line))
    if what < 3 and figures:
        spot = dice.choice(figures)
        return line[: spot.start()] + dice.choice(FIGURES) + line[spot.end() :]
    words = line.split(" ")
    if what == 3 and len(words) > 1:
        words.pop(dice.randrange(len(words)))
        return " ".join(words)
    if what == 4:
        other = dice.choice((*LINES, *HEAVY)).split(" ")
        words.insert(dice.randrange(len(words) + 1), dice.choice(other))
        return " ".join(words)
    at = dice.randrange(len(line) + 1)
    return line[:at] + dice.choice("GMXYZIJKRQFSTHDLPNO#[]()%/;=+-*. 0123456789\t\0é") + line[at:]


def changed(dice: random.Random, lines: list[str], other: list[str]) -> list[str]:
    """A program a few changes away from another."""
    out = list(lines)
    for _ in range(dice.choice((1, 1, 2, 3, 6))):
        at = dice.randrange(len(out) + 1)
        what = dice.randrange(7)
        if what < 3 and at < len(out):
            out[at] = changed_line(dice, out[at])
        elif what == 3:
            out.insert(at, dice.choice(HEAVY))
        elif what == 4:
            out.insert(at, dice.choice(LINES))
        elif what == 5 and at < len(out):
            out.pop(at)
        elif other:
            a = dice.randrange(len(other))
            out[at:at] = other[a : a + dice.randrange(1, 6)]
    return out[:70]


class Lines:
    """Which lines of the control and the reader have run: a trace, for a few programs, as it takes ten times as long."""

    def __init__(self) -> None:
        self.seen: set[tuple[str, int]] = set()
        self._new = False

    def _line(self, frame: FrameType, event: str, _arg: Any) -> Any:
        if event == "line":
            place = (frame.f_code.co_filename, frame.f_lineno)
            if place not in self.seen:
                self.seen.add(place)
                self._new = True
        return self._line

    def _call(self, frame: FrameType, _event: str, _arg: Any) -> Any:
        name = frame.f_code.co_filename
        return self._line if "/core/control/" in name or "/core/language/" in name else None

    def new_in(self, job: Job, lines: list[str]) -> bool:
        """Whether these lines made something run that had not run yet."""
        self._new = False
        sys.settrace(self._call)
        try:
            control_for(job).run(tuple(lines))
        finally:
            sys.settrace(None)
        return self._new


def differs(one: Run, two: Run) -> str:
    """In what two runs are not the same; empty where in nothing."""
    if one.findings != two.findings:
        return "findings"
    for name in ("line", "kind", "start", "end", "centre", "sweep", "feed", "plane", "dwell"):
        if not np.array_equal(
            getattr(one.motions, name), getattr(two.motions, name), equal_nan=name in ("start", "end", "centre", "feed")
        ):
            return name
    if [one.motions.in_force[k] for k in one.motions.state] != [two.motions.in_force[k] for k in two.motions.state]:
        return "state"
    return "" if (one.ended, one.last_line) == (two.ended, two.last_line) else "end"


def trial(job: Job, dice: random.Random, lines: list[str], prove_it: bool, timed: bool) -> tuple[Run, str]:
    """Run a program, an edit of it, and the edit taken up from it. What went wrong, or nothing."""
    begin = time.perf_counter()
    run = control_for(job).run(tuple(lines))
    edited = changed(dice, lines, [])
    again, whole = control_for(job).run(tuple(edited), old=run), control_for(job).run(tuple(edited))
    wrong = differs(again, whole)
    if not wrong and prove_it:
        source = read_text("\n".join(lines) + "\n", "any.nc")
        # Should a kernel take the whole process with it, what did so is left behind.
        (Path(tempfile.gettempdir()) / f"fuzz-{os.getpid()}.nc").write_text(source.text, "utf-8", "replace")
        proof_as_text(prove(job, source))
    slow = time.perf_counter() - begin
    if timed and not wrong and slow > (5.0 if prove_it else 1.0):
        wrong = f"{slow:.1f} s"
    return run, f"{wrong}: {edited!r}" if wrong else ""


def fuzz_job(folder: Path) -> Job:
    """The plain job on coarse cells, under a control whose limits come soon enough for half a million programs."""
    job = read_job(write_job(folder, "M30\n", PLAIN_JOB.replace("cell = 0.25", "cell = 2.0")))
    return replace(job, control=replace(job.control, limits=Limits(jumps=20, work=200, pecks=30, moves=1_000)))


def fuzz(count: int, seed: int = 1, report: int = 0) -> tuple[list[str], int, int]:
    """Try programs. What went wrong, how many were kept for saying something new, how many lines of the core have run."""
    dice, wrong, told, traced = random.Random(seed), [], set(), Lines()
    kept = seeds()
    with tempfile.TemporaryDirectory() as folder:
        job = fuzz_job(Path(folder))
        for k in range(count):
            # What was found last is where there is most left to find.
            base = (
                kept[-1 - min(int(dice.expovariate(1 / 40)), len(kept) - 1)]
                if dice.random() < 0.6
                else dice.choice(kept)
            )
            lines = changed(dice, base, dice.choice(kept))
            try:
                run, said = trial(job, dice, lines, k % 40 == 0, k > _WARM)
                said = said and f"{said} after {lines!r}"
                news = {(f.code, _DIGITS.sub("0", f.message)[:60]) for f in run.findings} - told
            except Exception as error:
                said, news = f"{type(error).__name__}: {error}: {lines!r}", set()
            if said:
                wrong.append(said)
                print(said, flush=True)
                if len(wrong) > 20:
                    break
                continue
            if (news and len(told) < 5000) or (k % 40 == 0 and traced.new_in(job, lines)):
                told |= news
                kept.append(lines)
            if report and k % report == report - 1:
                print(f"{k + 1} tried, {len(kept)} kept, {len(traced.seen)} lines run", flush=True)
    return wrong, len(kept), len(traced.seen)


if __name__ == "__main__":
    number = int(sys.argv[1]) if len(sys.argv) > 1 else 500_000
    found, much, ran = fuzz(number, int(sys.argv[2]) if len(sys.argv) > 2 else 1, 5_000)
    print(f"{number} programs tried, {much} kept for saying something new, {ran} lines run; {len(found)} went wrong")
    sys.exit(bool(found))
