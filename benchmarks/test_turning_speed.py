"""How fast a turned job is proved, a moment is looked up and an edited line is taken up again. Figures are printed, none is asserted."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np
from tests.core.trades.turning.lathe import LATHE_JOB, START, prove_turning

from underglass.core.files.demo import copy_demo
from underglass.core.files.load import load
from underglass.core.proof.prove import prove

END = "G0 X200. Z100. M5\nM30\n"


def waves(moves: int) -> str:
    """Ten passes along a wavy profile, each a millimetre deep."""
    lines = []
    each = max(moves // 10, 1)
    for turn in range(10):
        base = 38 - 2 * turn
        lines.append(f"G0 X{base + 4} Z1.")
        lines += [
            f"G1 X{base + math.sin(k / each * 18.0) * 0.8:.4f} Z{0.5 - 55.0 * k / each:.4f} F0.2" for k in range(each)
        ]
        lines += ["G0 X46.", "Z2."]
    return START + "\n".join(lines) + "\n" + END


def test_ten_thousand_short_moves(tmp_path: Path, benchmark: Callable[..., Any]) -> None:
    prove_turning(tmp_path, waves(20))
    text = waves(10_000)
    began = time.perf_counter()
    proof = prove_turning(tmp_path, text)
    whole = time.perf_counter() - began
    history = proof.histories[0]
    spent = []
    for k in np.linspace(0, len(proof.motions) - 1, 40).astype(int).tolist():
        began = time.perf_counter()
        assert history.at(k, 0.5).shape.area > 0.0  # type: ignore[attr-defined]
        spent.append(time.perf_counter() - began)
    lines = text.splitlines()
    lines[-6] = "G1 X21. Z-53. F0.2"
    began = time.perf_counter()
    prove_turning(tmp_path, "\n".join(lines) + "\n", LATHE_JOB, proof)
    edit = time.perf_counter() - began
    print(
        f"\n{len(proof.motions)} moves: file to findings {whole:.2f} s; a moment {median(spent) * 1e3:.1f} ms, at most {max(spent) * 1e3:.1f}; an edit {edit:.3f} s"
    )
    job, source, _path = load(copy_demo("winder-bush", tmp_path / "demo"))
    benchmark(lambda: prove(job, source))
