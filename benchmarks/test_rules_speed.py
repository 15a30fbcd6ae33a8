"""Programs that make one rule work hard, at one, two, four and eight times the size: every rule is to stay near linear."""

from __future__ import annotations

import math
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from tests.conftest import PLAIN_JOB, SAFE, START, write_job

from underglass.core.files.job import read_job
from underglass.core.language.source import read_text
from underglass.core.proof.prove import prove

END = "G0 Z50.\nM30\n"
COMP = START + "G0 X0 Y-20.\nG1 Z-1. F300\nG41 D1 Y-10.\n"


def arcs(n: int) -> str:
    places = ((50 + 10 * math.cos(k), 30 + 10 * math.sin(k)) for k in range(n))
    return (
        START
        + "G0 X50. Y30.\nG1 Z-1. F300\n"
        + "".join(f"G{2 + k % 2} X{x:.3f} Y{y:.3f} R{15 + k % 7}.\n" for k, (x, y) in enumerate(places))
        + END
    )


def raster(n: int) -> str:
    return COMP + "".join(f"X{100 if k % 2 else 0}.\nY{k * 0.02:.3f}\n" for k in range(n)) + END


def crossing(n: int) -> str:
    return (
        COMP
        + "".join(f"X{50 + 40 * math.cos(k * 2.4):.3f} Y{30 + 25 * math.sin(k * 2.4):.3f}\n" for k in range(n))
        + "G40 Y-20.\n"
        + END
    )


def far_contour(n: int) -> str:
    """A slip of a decimal point: a contour that goes away by ``n`` mm."""
    return COMP + f"Y-2.\nX{n}.\nG3 X{n - 4}. Y-2. I-2. J0\nG1 X8.\nG40 Y-40.\n" + END


def tools(n: int) -> str:
    return SAFE + "".join(f"T{k + 3} M6\nG0 X{k % 90}. Y10.\nG43 H{k + 3} Z25.\n" for k in range(n)) + "M30\n"


def two_tools(n: int) -> str:
    body = "T{t} M6\nG0 X{x}. Y10. S900 M3\nG43 H{t} Z25.\nG1 Z-1. F200\nX{y}.\nG0 Z25.\n"
    return SAFE + "".join(body.format(t=k % 2 + 1, x=k % 90, y=k % 90 + 5) for k in range(n)) + "M30\n"


def crashes(n: int) -> str:
    return (
        START
        + "".join(f"G0 X{k % 90}. Y{k % 50}. Z{-1 - k % 7 * 0.1:.1f}\nG0 Z{5 + k % 3}.\n" for k in range(n))
        + "M30\n"
    )


def contours(n: int) -> str:
    body = "G0 X{x}. Y-20.\nG1 Z-1. F300\nG41 D1 Y-6.\nX{y}.\nY{z}.\nG40 Y-30.\n"
    return START + "".join(body.format(x=k % 90, y=k % 90 + 30, z=k % 9) for k in range(n)) + END


def pecks(n: int) -> str:
    head = SAFE + "T2 M6\nG0 X5. Y5. S900 M3\nG43 H2 Z25.\nG83 Z-10. R2. Q0.5 F100\n"
    return head + "".join(f"X{k % 90}. Y{k * 0.01:.2f}\n" for k in range(n)) + "G80\nM30\n"


def tool_job(n: int) -> str:
    entry = '[[tool]]\nnumber = {k}\nkind = "drill"\nDC = 5.0\nlength = {length}.0\n'
    return PLAIN_JOB.replace(
        "[proof]", "\n".join(entry.format(k=k, length=80 + k % 10) for k in range(3, n + 3)) + "\n[proof]"
    )


CASES: dict[str, tuple[Callable[[int], str], int]] = {
    "50,000 arcs": (arcs, 6250), "a raster under compensation": (raster, 300), "a contour that crosses itself": (crossing, 275),
    "a contour of 100 m": (far_contour, 12_000), "5,000 tools": (tools, 625), "2,000 changes between two tools": (two_tools, 250), "10,000 rapids into stock": (crashes, 625),
    "1,000 contours": (contours, 125), "11,000 holes in pecks": (pecks, 375),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_rule(name: str, benchmark: Callable[..., object]) -> None:
    make, size = CASES[name]
    figures = []
    for times in (1, 2, 4, 8):
        text = make(size * times)
        with tempfile.TemporaryDirectory() as folder:
            job = read_job(write_job(Path(folder), text, tool_job(size * times) if make is tools else PLAIN_JOB))
            source = read_text(text, "plain.nc")
            begin = time.perf_counter()
            proof = prove(job, source)
            whole = time.perf_counter() - begin
            edited = read_text("\n".join([*source.lines[:-2], source.lines[-2] + " ", source.lines[-1]]), "plain.nc")
            begin = time.perf_counter()
            prove(job, edited, before=proof)
            figures.append(f"{whole:.2f} s ({time.perf_counter() - begin:.2f} after an edit)")
    print(f"\n{name}, 1, 2, 4 and 8 times: {', '.join(figures)}")
    benchmark(lambda: None)
