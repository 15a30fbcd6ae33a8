"""How fast a nest and a sheet of nibbled rows are proved, and a moment of each is looked up. Figures are printed, none is asserted."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np
import pytest
from tests.core.trades.sheet.flat import PUNCH_JOB, SHEET_JOB, prove_flat, sheet_history

THIN = PUNCH_JOB.replace("500.0, 1.5]", "500.0, 0.5]").replace("size = [12.0]", "size = [2.0]")
LARGE = SHEET_JOB.replace("[600.0, 400.0, 4.0]", "[2950.0, 1480.0, 4.0]")


def nest() -> str:
    """A thousand compensated contours of eleven blocks each."""
    rows = ["G21 G90 G40 G54 F2000"]
    for k in range(1000):
        x, y = 15.0 + k // 31 * 65.0, 15.0 + k % 31 * 45.0
        rows += [
            f"G0 X{x:.3f} Y{y:.3f}", "M3", "G4 P0.6", f"G41 G1 X{x + 2:.3f}", f"Y{y - 10:.3f}", f"X{x + 42:.3f}", f"Y{y + 22:.3f}", f"X{x + 2:.3f}",
            f"Y{y:.3f}", f"G40 X{x:.3f}", "M5",
        ]  # fmt: skip
    return "\n".join([*rows, "M30"]) + "\n"


def rows_of_hits() -> str:
    """Fifty nibbled rows of a thousand hits; each hit overlaps the two before it."""
    rows = [f"G176 X20. Y{60 + k * 8.6:.3f} A0. L960. Q0.961" for k in range(50)]
    return "\n".join(["G21 G90 G54", "G0 X10. Y60.", "T12", *rows, "M30"]) + "\n"


@pytest.mark.parametrize(("text", "job"), [(nest(), LARGE), (rows_of_hits(), THIN)], ids=["nest", "hits"])
def test_file_to_findings(tmp_path: Path, benchmark: Callable[..., Any], text: str, job: str) -> None:
    prove_flat(tmp_path, "G21 G90 G54\nM30\n", job)
    began = time.perf_counter()
    proof = prove_flat(tmp_path, text, job)
    whole = time.perf_counter() - began
    history = sheet_history(proof)
    spent = []
    for k in np.linspace(0, len(proof.motions) - 1, 40).astype(int).tolist():
        began = time.perf_counter()
        assert history.at(k, 0.5).area > 0.0
        spent.append(time.perf_counter() - began)
    print(
        f"\n{len(text.splitlines())} blocks, {len(history.bites)} bites: file to findings {whole:.2f} s; a moment {median(spent) * 1e3:.1f} ms"
    )
    benchmark.pedantic(lambda: prove_flat(tmp_path, text, job), rounds=1)  # type: ignore[attr-defined]
