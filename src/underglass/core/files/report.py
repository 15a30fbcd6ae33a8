"""A proof as the report that other programs read: JSON, plain text, and the table of moves. Lengths always mm."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Iterator, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.motions import Kind
from underglass.core.finding import Finding, Position
from underglass.core.proof.compare import Comparison, Worst
from underglass.core.proof.outputs import outputs_of
from underglass.core.proof.proof import Proof
from underglass.core.proof.restart import Restart
from underglass.core.proof.summary import summarise
from underglass.core.units import from_mm, show_clock, show_length

PATH_HEADER = "line,tool,kind,x0,y0,z0,x1,y1,z1,cx,cy,cz,feed,time_s,comp,mx,my,mz"
_FAR_CLOSEST = 20


def _figure(value: float, places: int = 6) -> float | None:
    """A figure without rounding noise; None where it is none."""
    return round(value, places) + 0.0 if math.isfinite(value) else None


def _position(position: Position | None, axes: str = "xyz") -> dict[str, float | None] | None:
    if position is None:
        return None
    return {a: _figure(v) for a, v in zip("xyz", (position.x, position.y, position.z)) if a in axes}


def finding_as_dict(finding: Finding, axes: str = "xyz") -> dict[str, Any]:
    """One finding in the report's form; ``axes`` are the machine's."""
    return {
        "code": finding.code,
        "severity": finding.severity.word,
        "line": finding.line,
        "column": finding.column,
        "end_column": finding.end_column,
        "program": finding.program,
        "tool": finding.tool,
        "time_s": _figure(finding.time_s, 4),
        "position": _position(finding.position, axes),
        "message": finding.message,
        "remedy": finding.remedy,
        "evidence": {k: _figure(v) if isinstance(v, float) else v for k, v in finding.evidence.items()},
        **({"because": {"code": finding.because[0], "line": finding.because[1]}} if finding.because else {}),
    }


def _by_axis(proof: Proof, place: NDArray[np.float64]) -> dict[str, float | None]:
    """A place by the machine's axes, as a person reads it."""
    machine = proof.job.bench.machine
    factors = {"x": machine.x_factor, "y": 1.0, "z": 1.0}
    return {a: _figure(factors[a] * float(v)) for a, v in zip("xyz", place) if a in machine.axes}


def as_json(value: Any) -> bytes:
    """A report as a file's bytes."""
    return (json.dumps(value, indent=1, ensure_ascii=False) + "\n").encode("utf-8", "surrogateescape")


def proof_as_dict(proof: Proof) -> dict[str, Any]:
    """The whole report of one job, format 1."""
    motions = proof.motions
    lengths = motions.lengths()
    rapid = motions.rapid()
    if len(motions):
        shift = motions.shifts()
        lows, highs = motions.boxes()
        low, high = (lows - shift).min(axis=0), (highs - shift).max(axis=0)
    else:
        low = high = np.zeros(3)
    cells = [s.cell_mm for s in proof.histories if s.cell_mm is not None]
    return {
        "format": 1,
        "job": Path(proof.job.file).name,
        "outcome": proof.outcome,
        "findings": [finding_as_dict(f, proof.job.bench.machine.axes) for f in proof.findings],
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
            "start_mm3": _figure(sum(s.uncut.volume() for s in proof.histories), 4),
            "end_mm3": _figure(sum(s.final.volume() for s in proof.histories), 4),
            "cell_mm": min(cells) if cells else None,
        },
        "path": {
            "moves": len(motions),
            "feed_mm": _figure(float(lengths[~rapid].sum()), 4),
            "rapid_mm": _figure(float(lengths[rapid].sum()), 4),
            "min": _by_axis(proof, low),
            "max": _by_axis(proof, high),
        },
        "closest": [
            {"to": c.to, "part": c.part, "distance_mm": _figure(c.distance_mm, 4), "line": c.line, "tool": c.tool}
            for c in proof.closest[:_FAR_CLOSEST]
        ],
        "guesses": list(proof.job.guessed),
        **(own.report(proof) if (own := outputs_of(proof)) is not None else {}),
    }


def proof_as_text(proof: Proof) -> str:
    """The report for a person at a terminal: a line a finding, then one that sums up."""
    out = [f"{proof.job.title} ({Path(proof.job.file).name}, {proof.source.name})"]
    out += [f"  guessed: {guess}" for guess in proof.job.guessed]
    for f in proof.troubles:
        if f.because is not None:
            continue
        out.append(f"{proof.source.name}:{f.line}:{f.column}: {f.severity.word} {f.code}: {f.message}.")
        out.append(f"    accepted: {f.accepted}" if f.accepted else f"    at {show_clock(f.time_s)}; {f.remedy}.")
        after = proof.following(f)
        if after:
            codes = [(code, sum(g.code == code for g in after)) for code in dict.fromkeys(g.code for g in after)]
            what = ", ".join(f"{n} {code}" for code, n in codes)
            lines = _stretches(sorted({g.line for g in after}))
            out.append(
                f"    what follows from it: {what}, in line{'' if len(lines) == 1 and '-' not in lines[0] else 's'} {', '.join(lines[:12])}{' and more' if len(lines) > 12 else ''}."
            )
    out += [f"  first approach, line {f.line}: {f.message}" for f in proof.approaches]
    open_ones = [f for f in proof.troubles if not f.accepted and f.because is None]
    counts = {word: sum(f.severity.word == word for f in open_ones) for word in ("crash", "fault", "caution", "note")}
    folded = sum(f.because is not None for f in proof.troubles)
    accepted = sum(bool(f.accepted) for f in proof.troubles)
    said = ", ".join(f"{n} {word}{_plural(word, n)}" for word, n in counts.items() if n) or "no findings"
    said += f", {folded} that follow from them" if folded else ""
    said += f", {accepted} accepted" if accepted else ""
    out.append(f"{proof.outcome}: {said}; {len(proof.motions)} moves in {show_clock(proof.timing.total)}")
    return "\n".join(out) + "\n"


def summary_as_dict(proof: Proof) -> dict[str, Any]:
    """The program at a glance, lengths in mm."""

    def plain(value: Any) -> Any:
        if isinstance(value, float):
            return _figure(value)
        if isinstance(value, dict):
            return {k: plain(v) for k, v in value.items()}
        return [plain(v) for v in value] if isinstance(value, (list, tuple)) else value

    own = outputs_of(proof)
    whole: dict[str, Any] = plain(own.summary(proof) if own is not None else asdict(summarise(proof)))
    return {"format": 1, "job": Path(proof.job.file).name, **whole}


def summary_as_text(proof: Proof) -> str:
    """The program at a glance, for a person, in the job's units."""
    own = outputs_of(proof)
    if own is not None:
        return "\n".join(own.summary_text(proof)) + "\n"
    found, unit = summarise(proof), proof.job.units

    def mm(value: float | None) -> str:
        return "–" if value is None else show_length(value, unit)

    def span(pair: tuple[float, float] | None, length: bool = False) -> str:
        if pair is None:
            return "–"
        low, high = (mm(v).rstrip("0").rstrip(".") if length else f"{v:g}" for v in pair)
        return low if low == high else f"{low} to {high}"

    out = [f"{proof.job.title} ({proof.source.name}), lengths in {unit}"]
    out.append(
        f"  {found.lines} lines, {found.moves} moves, {show_clock(found.time_s)}, {found.stops} stop{'' if found.stops == 1 else 's'}"
    )
    for name, extents in (("all moves", found.everything), ("cutting", found.cutting)):
        if extents is not None:
            said = "  ".join(f"{axis} {mm(a)} to {mm(b)}" for axis, a, b in zip("XYZ", extents.low, extents.high))
            out.append(f"  {name}: {said}")
    if found.margins is not None:
        m = found.margins
        out.append(
            f"  from the cutting tips to the stock's sides: left {mm(m.left)}, right {mm(m.right)}, front {mm(m.front)}, back {mm(m.back)}, underside {mm(m.bottom)}"
        )
    offsets = ", ".join(found.offsets) or "none"
    registers = ", ".join([*(f"H{n}" for n in found.lengths), *(f"D{n}" for n in found.radii)]) or "none"
    out.append(f"  work offsets {offsets}; registers {registers}; S {span(found.speeds)}; F {span(found.feeds, True)}")
    for t in found.tools:
        registers = " ".join([*(f"H{n}" for n in t.lengths), *(f"D{n}" for n in t.radii)])
        out.append(
            f"  T{t.number} {f'{t.name} {from_mm(t.diameter, unit):g}' if t.name else 'not on the bench'}, line {t.first_line}: {t.moves} moves, {show_clock(t.time_s)}, lowest Z {mm(t.lowest)}, "
            f"S {span(t.speeds)}, F {span(t.feeds, True)}{', ' + registers if registers else ''}"
        )
    if found.unknown:
        out.append("  words the control lacks: " + ", ".join(f"{line}:{column}" for line, column in found.unknown))
    if found.never_run:
        out.append("  lines never run: " + ", ".join(_stretches(found.never_run)))
    return "\n".join(out) + "\n"


def _stretches(numbers: Sequence[int]) -> list[str]:
    """Rising numbers with those that follow each other joined: 3, 4, 5, 9 as 3-5, 9."""
    out: list[list[int]] = []
    for n in numbers:
        if out and out[-1][-1] == n - 1:
            out[-1].append(n)
        else:
            out.append([n])
    return [f"{run[0]}-{run[-1]}" if len(run) > 1 else str(run[0]) for run in out]


def _worst_as_dict(worst: Worst | None) -> dict[str, Any] | None:
    if worst is None:
        return None
    return {
        "depth_mm": _figure(worst.depth_mm, 4),
        "area_mm2": _figure(worst.area_mm2, 4),
        "volume_mm3": _figure(worst.volume_mm3, 4),
        "position": dict(zip("xyz", (_figure(v, 4) for v in worst.place))),
    }


def comparison_as_dict(found: Comparison, name_a: str, name_b: str) -> dict[str, Any]:
    """Two runs against each other, format 1."""
    return {
        "format": 1,
        "a": name_a,
        "b": name_b,
        "same_part": found.same_part,
        "same_path": found.same_path,
        "volume_mm3": _figure(found.apart_mm3, 4),
        "cell_mm": found.cell_mm,
        "more_in_a": _worst_as_dict(found.a_left),
        "less_in_a": _worst_as_dict(found.a_lacks),
        "time_s": {"a": _figure(found.time_a_s, 4), "b": _figure(found.time_b_s, 4)},
        "moves": {"a": found.moves_a, "b": found.moves_b},
        "feed_mm": {"a": _figure(found.feed_a_mm, 4), "b": _figure(found.feed_b_mm, 4)},
        "first_difference": None
        if found.first_difference is None
        else dict(zip(("line_a", "line_b"), found.first_difference)),
    }


def comparison_as_text(found: Comparison) -> str:
    """The same for a person."""
    out = [
        "the same part" if found.same_part else f"not the same part: {found.apart_mm3:.1f} mm3 differ",
        f"  within cells of {found.cell_mm:g} mm" if found.cell_mm else "  held exactly",
    ]
    for worst, said in ((found.a_left, "A keeps more"), (found.a_lacks, "A keeps less")):
        if worst is not None:
            x, y, _z = worst.place
            out.append(
                f"  {said}: up to {worst.depth_mm:.3f} mm at X {x:.3f} Y {y:.3f}, {worst.area_mm2:.1f} mm2 in all"
            )
    if found.first_difference is None:
        out.append("  the same path")
    else:
        out.append(
            f"  the paths first differ at line {found.first_difference[0]} of A and line {found.first_difference[1]} of B"
        )
    out.append(f"  moves {found.moves_a} and {found.moves_b}, feed {found.feed_a_mm:.1f} and {found.feed_b_mm:.1f} mm")
    out.append(
        f"  time {show_clock(found.time_a_s)} and {show_clock(found.time_b_s)}, {found.time_b_s - found.time_a_s:+.1f} s"
    )
    return "\n".join(out) + "\n"


def restart_as_text(found: Restart) -> str:
    """What a start from a line needs, for a person at a terminal."""
    if not found.reached:
        return f"line {found.line}: the program never comes to this line\n"
    out = [f"before line {found.line}: {' '.join((found.state.motion, *found.state.words))}"]
    if found.instead is not None:
        out.append(f"  {found.why}: start from line {found.instead} rather")
    missing = found.missing
    out.append("  a bare start leaves nothing out" if not missing else "  a bare start would leave out:")
    out += [f"    {need.what}" for need in missing]
    out.append("  send first:")
    out += [f"    {block}" for block in found.blocks]
    return "\n".join(out) + "\n"


def _plural(word: str, count: int) -> str:
    return "" if count == 1 else "es" if word == "crash" else "s"


def _cell(value: float) -> str:
    """A figure of the table: plain, to a tenth of a micrometre, no trailing noughts; blank where it means nothing."""
    if not math.isfinite(value):
        return ""
    text = f"{value:.6f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def _path_rows(proof: Proof) -> Iterator[tuple[object, ...]]:
    """Every move that has a length, in order, in the columns of the header; nan where a column means nothing."""
    motions = proof.motions
    shift = motions.shifts()
    start, end = motions.start - shift, motions.end - shift
    centre = motions.centre - shift
    tools = motions.tool_of()
    machine = proof.job.bench.machine
    as_read = np.array([machine.x_factor, *(1.0 if a in machine.axes else np.nan for a in "yz")])
    at = motions.end
    if machine.axes != "xyz" or machine.x_factor != 1.0:
        start, end, centre, at = start * as_read, end * as_read, centre * as_read, at * as_read
    for m in range(len(motions)):
        yield (
            int(motions.line[m]), int(tools[m]), Kind(int(motions.kind[m])).word, *start[m].tolist(), *end[m].tolist(),
            *centre[m].tolist(), float(motions.feed[m]), float(proof.timing.start[m]), motions.state_of(m).comp,
            *at[m].tolist(),
        )  # fmt: skip


def path_as_csv(proof: Proof) -> str:
    """The moves as a table."""
    out = io.StringIO()
    out.write(PATH_HEADER + "\n")
    writer = csv.writer(out, lineterminator="\n")
    for row in _path_rows(proof):
        writer.writerow([_cell(value) if isinstance(value, float) else value for value in row])
    return out.getvalue()


def path_as_json(proof: Proof) -> str:
    """The moves as a list of objects with the table's names; null where a column means nothing."""
    names = PATH_HEADER.split(",")
    rows = [{n: _figure(v) if isinstance(v, float) else v for n, v in zip(names, row)} for row in _path_rows(proof)]
    return json.dumps({"format": 1, "job": Path(proof.job.file).name, "moves": rows}, indent=1) + "\n"
