"""A proof as the report that other programs read: JSON, plain text, and the table of moves. Lengths always mm."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from underglass.core.control.motions import Kind
from underglass.core.finding import Finding, Position
from underglass.core.proof.proof import Proof
from underglass.core.units import show_clock

PATH_HEADER = "line,tool,kind,x0,y0,z0,x1,y1,z1,cx,cy,cz,feed,time_s,comp,mx,my,mz"
_FAR_CLOSEST = 20


def _figure(value: float, places: int = 6) -> float | None:
    """A figure without rounding noise; None where it is none."""
    return round(value, places) + 0.0 if math.isfinite(value) else None


def _position(position: Position | None) -> dict[str, float | None] | None:
    if position is None:
        return None
    return {"x": _figure(position.x), "y": _figure(position.y), "z": _figure(position.z)}


def finding_as_dict(finding: Finding) -> dict[str, Any]:
    """One finding in the report's form."""
    return {
        "code": finding.code,
        "severity": finding.severity.word,
        "line": finding.line,
        "column": finding.column,
        "end_column": finding.end_column,
        "program": finding.program,
        "tool": finding.tool,
        "time_s": _figure(finding.time_s, 4),
        "position": _position(finding.position),
        "message": finding.message,
        "remedy": finding.remedy,
        "evidence": {k: _figure(v) if isinstance(v, float) else v for k, v in finding.evidence.items()},
    }


def proof_as_dict(proof: Proof) -> dict[str, Any]:
    """The whole report of one job, format 1."""
    motions = proof.motions
    lengths = motions.lengths()
    rapid = motions.rapid()
    if len(motions):
        shift = motions.shifts()
        places = np.concatenate([motions.start - shift, motions.end - shift])
        low, high = places.min(axis=0), places.max(axis=0)
    else:
        low = high = np.zeros(3)
    cells = [s.grid.cell for s in proof.stocks]
    return {
        "format": 1,
        "job": Path(proof.job.file).name,
        "outcome": proof.outcome,
        "findings": [finding_as_dict(f) for f in proof.findings],
        "time_s": _figure(proof.timing.total, 4),
        "tools": [
            {
                "number": use.number,
                "feed_time_s": _figure(use.feed_time_s, 4),
                "rapid_time_s": _figure(use.rapid_time_s, 4),
                "removed_mm3": _figure(use.removed_mm3, 4),
            }
            for use in proof.tool_uses()
        ],
        "stock": {
            "start_mm3": _figure(sum(s.uncut.volume() for s in proof.stocks), 4),
            "end_mm3": _figure(sum(s.final.volume() for s in proof.stocks), 4),
            "cell_mm": min(cells) if cells else None,
        },
        "path": {
            "moves": len(motions),
            "feed_mm": _figure(float(lengths[~rapid].sum()), 4),
            "rapid_mm": _figure(float(lengths[rapid].sum()), 4),
            "min": dict(zip("xyz", (_figure(float(v)) for v in low))),
            "max": dict(zip("xyz", (_figure(float(v)) for v in high))),
        },
        "closest": [
            {"to": c.to, "part": c.part, "distance_mm": _figure(c.distance_mm, 4), "line": c.line, "tool": c.tool}
            for c in proof.closest[:_FAR_CLOSEST]
        ],
        "guesses": list(proof.job.guessed),
    }


def proof_as_text(proof: Proof) -> str:
    """The report for a person at a terminal: a line a finding, then one that sums up."""
    out = [f"{proof.job.title} ({Path(proof.job.file).name}, {proof.source.name})"]
    out += [f"  guessed: {guess}" for guess in proof.job.guessed]
    for f in proof.findings:
        out.append(f"{proof.source.name}:{f.line}:{f.column}: {f.severity.word} {f.code}: {f.message}.")
        out.append(f"    at {show_clock(f.time_s)}; {f.remedy}.")
    counts = {
        word: sum(f.severity.word == word for f in proof.findings) for word in ("crash", "fault", "caution", "note")
    }
    said = ", ".join(f"{n} {word}{_plural(word, n)}" for word, n in counts.items() if n) or "no findings"
    out.append(f"{proof.outcome}: {said}; {len(proof.motions)} moves in {show_clock(proof.timing.total)}")
    return "\n".join(out) + "\n"


def _plural(word: str, count: int) -> str:
    return "" if count == 1 else "es" if word == "crash" else "s"


def _cell(value: float) -> str:
    """A figure of the table: plain, to a tenth of a micrometre, no trailing noughts; blank where it means nothing."""
    if not math.isfinite(value):
        return ""
    text = f"{value:.6f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def path_as_csv(proof: Proof) -> str:
    """Every move that has a length, in order."""
    motions = proof.motions
    shift = motions.shifts()
    start, end = motions.start - shift, motions.end - shift
    centre = motions.centre - shift
    tools = motions.tool_of()
    out = io.StringIO()
    out.write(PATH_HEADER + "\n")
    writer = csv.writer(out, lineterminator="\n")
    for m in range(len(motions)):
        kind = Kind(int(motions.kind[m]))
        row: Sequence[object] = (
            int(motions.line[m]), int(tools[m]), kind.word, *map(_cell, start[m].tolist()), *map(_cell, end[m].tolist()),
            *map(_cell, centre[m].tolist()), _cell(float(motions.feed[m])), _cell(float(proof.timing.start[m])), motions.state_of(m).comp,
            *map(_cell, motions.end[m].tolist()),
        )  # fmt: skip
        writer.writerow(row)
    return out.getvalue()
