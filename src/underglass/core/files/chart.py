"""A tool chart (a list of tools as somebody wrote it down) held against what the program calls and what the job has on the bench."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, fields
from pathlib import Path
from typing import Any

import tomlkit

from underglass.core.errors import UnusableFile
from underglass.core.files.job import read_job_text
from underglass.core.files.own_tools import in_unit
from underglass.core.files.tool_set import read_tools
from underglass.core.proof.proof import Proof
from underglass.core.reading import TEXT_BYTES, read_regular
from underglass.core.units import MM_PER_INCH, Unit, show_length

_ANGLES = frozenset({"SIG", "KAPR", "angle"})
_NOT_COMPARED = frozenset({"number", "gauge"})
_SAME_MM = 0.005
_SAME_RAD = 1e-4


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartRow:
    """One number. ``called``: the first line that calls it (0: none); ``chart`` and ``bench`` name what stands there ("": nothing);
    ``trouble`` is empty where all agree; ``why`` says it in a sentence."""

    number: int
    called: int
    chart: str
    bench: str
    trouble: str
    why: str


def hold_against(proof: Proof, path: Path) -> tuple[ChartRow, ...]:
    """Every tool that the program calls or the chart has, in the program's order, then the rest.

    ``trouble``: not-in-chart, not-on-bench, swapped, changed, not-called. Raises ``UnusableFile`` or ``BadEntry`` for a chart that cannot be read.
    """
    chart = _chart(proof, path)
    bench = proof.job.bench.tools_there
    names = proof.job.bench.tool_names
    first = {s.tool: s.line for s in reversed(proof.segments) if s.tool}
    order = [*proof.tool_order, *sorted(set(chart) - set(proof.tool_order))]
    unit = proof.job.units
    out = []
    for number in order:
        mine, theirs = bench.get(number), chart.get(number)
        called = first.get(number, 0)
        trouble, why = "", ""
        other = next(
            (n for n in order if n != number and _alike(theirs, bench.get(n)) and _alike(chart.get(n), mine)), None
        )  # fmt: skip
        changed = _changes(theirs, mine, unit) if theirs is not None and mine is not None else []
        if not called:
            trouble, why = "not-called", f"the chart has T{number}, the program never calls it"
        elif theirs is None:
            trouble, why = "not-in-chart", f"line {called} calls T{number}, and the chart does not have it"
        elif mine is None:
            trouble, why = "not-on-bench", f"line {called} calls T{number}: it is in the chart and not on the bench"
        elif changed and other is not None:
            trouble, why = "swapped", f"T{number} of the chart is T{other} on the bench, and the other way round"
        elif changed:
            trouble, why = "changed", f"T{number} is not what it was: {', '.join(changed)}"
        out.append(
            ChartRow(
                number=number, called=called, chart=str(getattr(theirs, "name", "")), bench=names.get(number, ""), trouble=trouble, why=why
            )
        )  # fmt: skip
    return tuple(out)


def _chart(proof: Proof, path: Path) -> Mapping[int, Any]:
    """The chart's tools, read as this job's trade reads its own."""
    if path.suffix.lower() == ".csv" and proof.job.bench.more is None:
        return read_tools(path)
    if path.suffix.lower() == ".csv":
        raise UnusableFile(str(path), "a chart in CSV is for milling tools; write this one as TOML, as in a job file")
    file = Path(proof.job.file)
    if not file.is_file() or not file.name.endswith(".toml"):
        raise UnusableFile(str(path), "this program has no job to hold a chart against: save the job first")
    told = tomlkit.parse(read_regular(path, TEXT_BYTES).decode("utf-8-sig")).unwrap()
    job = tomlkit.parse(read_regular(file, TEXT_BYTES).decode("utf-8-sig")).unwrap()
    theirs: Unit = "inch" if told.get("units", job.get("units", "mm")) == "inch" else "mm"
    factor = 1.0 if theirs == proof.job.units else MM_PER_INCH if theirs == "inch" else 1.0 / MM_PER_INCH
    # What else the job has on its tools would not fit another chart.
    for name in ("loaded", "registers", "at_stop", "hand", "guessed"):
        job.pop(name, None)
    job["tool"] = [in_unit(entry, factor) for entry in told.get("tool", [])]
    read = read_job_text(tomlkit.dumps(job), file.with_name(path.name))
    return read.bench.tools_there


def _alike(one: Any, two: Any) -> bool:
    """Whether two tools are the same but for their numbers; nothing is like nothing."""
    return one is not None and two is not None and not _changes(one, two, "mm")


def _changes(one: Any, two: Any, unit: Unit) -> list[str]:
    """What differs, the chart's first."""
    if type(one) is not type(two):
        return [f"{one.name}, on the bench {two.name}"]
    out = []
    for field in fields(one):
        a, b = getattr(one, field.name), getattr(two, field.name)
        if field.name in _NOT_COMPARED or a == b:
            continue
        if isinstance(a, float) and isinstance(b, float):
            angle = field.name in _ANGLES
            if math.isclose(a, b, abs_tol=_SAME_RAD if angle else _SAME_MM, rel_tol=0.0):
                continue
            said = [f"{math.degrees(v):g}\u00b0" if angle else show_length(v, unit) for v in (a, b)]
            out.append(f"{field.name} {said[0]}, on the bench {said[1]}")
        elif isinstance(a, str | int) and isinstance(b, str | int):
            out.append(f"{field.name} {a}, on the bench {b}")
        else:
            out.append(f"another {field.name}")
    return out


def chart_as_text(rows: tuple[ChartRow, ...]) -> str:
    """A line a tool, and one that sums up."""
    wide = max([len(r.chart or "nothing") for r in rows] or [0])
    out = [f"T{r.number:<4} {r.chart or 'nothing':<{wide}}  {r.why or 'as on the bench'}" for r in rows]
    bad = sum(bool(r.trouble) and r.trouble != "not-called" for r in rows)
    out.append("the chart agrees" if not bad else f"{bad} tool{'' if bad == 1 else 's'} to look at")
    return "\n".join(out) + "\n"
