"""What every golden program and demo comes to: findings, moves, volume, time, recorded so that a rebuilt house can be held to it.

``python -m tests.outcomes`` compares with ``golden/outcomes.json``; with ``--record`` it writes that file anew, which is right
only where a change of outcome is meant. The golden and demo tests hold each proof to its row as well.
"""

from __future__ import annotations

import json
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from tests.conftest import write_job
from underglass.core.files.demo import copy_demo, demo_names
from underglass.core.files.load import load
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove

TABLE = Path(__file__).parent / "golden" / "outcomes.json"
CLOSE = 1e-6
"""Share by which a volume, a time or a place may differ: other processors round the last digits another way."""


def outcome_of(proof: Proof) -> dict[str, Any]:
    """One proof as figures. Volumes mm3, times s, places mm."""
    motions = proof.motions
    return {
        "findings": [f"{f.severity.word} {f.code} {f.line}:{f.column} {f.message}" for f in proof.findings],
        "moves": len(motions),
        "way_mm": float(motions.lengths().sum()),
        "ends_mm": float(np.abs(motions.end).sum()),
        "time_s": proof.timing.total,
        "left_mm3": sum(float(history.final.volume()) for history in proof.histories),
        "removed_mm3": sum(float(history.removed.sum()) for history in proof.histories),
        "closest": [f"{c.part} {c.to} {c.distance_mm:.3f} {c.line}" for c in proof.closest],
    }


def differences(name: str, found: dict[str, Any], wanted: dict[str, Any] | None) -> list[str]:
    """In what an outcome is not as recorded, in words."""
    if wanted is None:
        return [f"{name}: not recorded"]
    out = []
    for key, value in found.items():
        was = wanted.get(key)
        same = abs(value - was) <= CLOSE * max(1.0, abs(was)) if isinstance(value, float) else value == was
        if not same:
            out.append(f"{name}: {key} was {was}, is {value}")
    return out


def recorded() -> dict[str, dict[str, Any]]:
    """The table as it stands."""
    found: dict[str, dict[str, Any]] = json.loads(TABLE.read_text())
    return found


def all_outcomes() -> Iterator[tuple[str, dict[str, Any]]]:
    """Every golden program and demo, proved."""
    from tests.core.proof.test_golden import FILES, job_text

    with tempfile.TemporaryDirectory() as folder:
        for path in FILES:
            text = path.read_text()
            job, source, _program = load(write_job(Path(folder), text, job_text(text)))
            yield path.stem, outcome_of(prove(job, source))
        for name in demo_names():
            job, source, _program = load(copy_demo(name, Path(folder) / name))
            yield f"demo {name}", outcome_of(prove(job, source))


def main(record: bool) -> int:
    table = dict(all_outcomes())
    if record:
        TABLE.write_text(json.dumps(table, indent=1, sort_keys=True, ensure_ascii=False) + "\n")
        print(f"{len(table)} outcomes recorded")
        return 0
    known = recorded()
    wrong = [said for name, found in table.items() for said in differences(name, found, known.get(name))]
    wrong += [f"{name}: recorded, and not there any more" for name in known if name not in table]
    print("\n".join([*wrong, f"{len(table)} outcomes, {len(wrong)} differences"]))
    return bool(wrong)


if __name__ == "__main__":
    sys.exit(main("--record" in sys.argv))
