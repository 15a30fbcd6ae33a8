"""The setup sheet of a job: what is clamped, where its zeros are, which tools with which registers, times, stops, findings.

Made from a proof; written as HTML by a template that a shop can change, and as PDF. Lengths stand in the job's unit, the other
one behind them.
"""

from __future__ import annotations

import hashlib
import html
import re
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from underglass.core.data import data_folder
from underglass.core.errors import UnusableFile
from underglass.core.files.filled_in import BadTemplate, filled_in
from underglass.core.files.report import summary_as_dict
from underglass.core.files.setup_pictures import as_svg
from underglass.core.finding import Severity
from underglass.core.proof.belief import Row, group_words
from underglass.core.proof.belief import rows as mill_rows
from underglass.core.proof.bench_rows import ROWS
from underglass.core.proof.held_picture import HELD, HeldPicture
from underglass.core.proof.operations import operations
from underglass.core.proof.proof import Proof
from underglass.core.proof.stops import stops
from underglass.core.reckon.form import plain
from underglass.core.units import MM_PER_INCH, Unit, show_clock

_CLEAN = {"crash": "Crash", "fault": "Fault", "caution": "Caution", "clean": "Clean"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Table:
    """``rows`` under ``heads``; ``right`` are the columns of figures."""

    title: str
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    right: tuple[int, ...] = ()
    empty: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class SetupSheet:
    """Everything that stands on the sheet, in words; ``shop`` and ``logo`` are the shop's own."""

    title: str
    program: str
    checksum: str
    date: str
    machine: str
    control: str
    unit: Unit
    outcome: str
    time: str
    facts: tuple[tuple[str, str], ...]
    held: tuple[tuple[str, str], ...]
    touch: tuple[str, ...]
    pictures: tuple[HeldPicture, ...]
    tables: tuple[Table, ...]
    guessed: tuple[str, ...]
    shop: str = ""
    logo: str = ""
    notes: tuple[str, ...] = field(default=())


def both(mm: float, unit: Unit) -> str:
    """A length in the job's unit, the other one behind it: ``25.400 mm (1.0000 in)``."""
    metric, inch = f"{mm:.3f} mm", f"{mm / MM_PER_INCH:.4f} in"
    return f"{inch} ({metric})" if unit == "inch" else f"{metric} ({inch})"


def _one(mm: float, unit: Unit) -> str:
    return f"{mm / MM_PER_INCH:.4f}" if unit == "inch" else f"{mm:.3f}"


def _pair(mm: float, unit: Unit) -> str:
    """A length in the job's unit and the other one, for a table whose head names both."""
    return f"{_one(mm, unit)} / {_one(mm, 'mm' if unit == 'inch' else 'inch')}"


def _signed(mm: float, unit: Unit) -> str:
    return f"{'+' if mm > 0.0 else ''}{_one(mm, unit)}"


def _units(unit: Unit) -> str:
    return "in / mm" if unit == "inch" else "mm / in"


def _said(words: str, lengths: Sequence[float], unit: Unit) -> str:
    if not lengths:
        return words
    here = f"{words.format(*(_one(v, unit) for v in lengths))} {'in' if unit == 'inch' else 'mm'}"
    other: Unit = "mm" if unit == "inch" else "inch"
    # A template may leave a length out: the other unit says those that stand there.
    said = [
        _one(float(v), other) for v in re.findall(r"\x00([-\d.]+)", words.format(*(f"\x00{v:.6f}" for v in lengths)))
    ]
    return f"{here} ({' x '.join(said)} {'in' if other == 'inch' else 'mm'})"


def _touched(sentence: str, unit: Unit) -> str:
    return re.sub(r"\{([-\d.e]+)\}", lambda m: both(float(m[1]), unit), sentence)


def checksum_of(proof: Proof) -> str:
    """SHA-256 of the program's file, its first sixteen figures in fours."""
    raw = proof.source.raw or proof.source.text.encode("utf-8", "surrogatepass")
    figures = hashlib.sha256(raw).hexdigest()[:16].upper()
    return " ".join(figures[k : k + 4] for k in range(0, 16, 4))


def _register_tables(proof: Proof) -> list[Table]:
    """Every figure that the control must hold, beside the true one."""
    job, unit = proof.job, proof.job.units
    own = ROWS.get(job.trade.name)
    rows: tuple[Row, ...] = own.rows(job, proof) if own is not None else mill_rows(job, proof)
    out: list[Table] = []
    groups = list(dict.fromkeys(r.group for r in rows))
    for group in groups:
        title, _what = own.heads[group] if own is not None else group_words(group, job)
        body = []
        for r in rows:
            # What is at nought on both sides is left from nobody.
            if r.group != group or (group == "left" and not r.belief and not r.truth):
                continue
            control = (
                "not set"
                if r.belief is None
                else _pair(r.belief, unit) + (f" {_signed(r.wear, unit)}" if r.wear else "")
            )
            truth = "" if r.truth is None else _pair(r.truth, unit)
            body.append((f"{r.key} {r.axis.upper()}".strip(), r.what, control, truth))
        out.append(
            Table(
                title=title,
                heads=("Register", "For", f"In the control, {_units(unit)}", "Measured"),
                rows=tuple(body),
                right=(2, 3),
            )
        )
    return out


def _tool_table(proof: Proof) -> Table:
    summary, unit = summary_as_dict(proof), proof.job.units
    first = {f.tool: f for f in proof.findings if f.code == "first-approach"}
    rows = []
    for tool in summary["tools"]:
        number = tool["number"]
        diameter = tool.get("diameter")
        name = tool["name"] + (f" {_one(diameter, unit)}" if diameter else "")
        bench = proof.job.bench.tools.get(number)
        reach = _pair(bench.stickout, unit) if bench is not None and hasattr(bench, "stickout") else ""
        length = _pair(bench.length, unit) if bench is not None and hasattr(bench, "length") else ""
        speeds = tool.get("speeds") or tool.get("speeds_rpm")
        said = f"S{plain(speeds[0], 0)}" if speeds else ""
        seen = first[number].evidence if number in first else {}
        z, over = (_pair(float(str(seen[k])), unit) if k in seen else "" for k in ("z_mm", "height_mm"))
        rows.append(
            (f"T{number}", name, length, reach, said, show_clock(tool["time_s"]), str(tool["first_line"]), z, over)
        )
    return _without_empty(
        Table(
            title="Tools, in the order in which they come", rows=tuple(rows), right=(2, 3, 4, 5, 6, 7, 8),
            heads=("Tool", "What", f"Length, {_units(unit)}", "Out of holder", "Speed", "Time", "From line", "First Z, look there", "Above the stock"),
        )
    )  # fmt: skip


def _without_empty(table: Table) -> Table:
    """Without columns that hold nothing in any row."""
    keep = [c for c in range(len(table.heads)) if any(row[c] for row in table.rows)]
    return replace(
        table, heads=tuple(table.heads[c] for c in keep), rows=tuple(tuple(row[c] for c in keep) for row in table.rows),
        right=tuple(keep.index(c) for c in table.right if c in keep),
    )  # fmt: skip


def _finding_tables(proof: Proof) -> list[Table]:
    open_ = [f for f in proof.findings if f.severity >= Severity.CAUTION]
    meant = [f for f in proof.findings if "accepted" in f.evidence]
    out = [
        Table(title="What the proof found", heads=("", "Line", "What"), right=(1,), empty="Nothing that a careful person would stop for.",
              rows=tuple((f.severity.word, str(f.line), f.message) for f in open_))
    ]  # fmt: skip
    if meant:
        rows = tuple((str(f.line), f.message, str(f.evidence["accepted"])) for f in meant)
        out.append(Table(title="Accepted, and why", heads=("Line", "What", "Reason"), rows=rows, right=(0,)))
    return out


def setup_sheet(proof: Proof, date: str, *, shop: str = "", logo: str = "", program: Path | None = None) -> SetupSheet:
    """The sheet of a proof. ``logo``: a picture's path, shown as it is."""
    job, unit = proof.job, proof.job.units
    says = HELD.get(job.trade.name)
    gravest = max((f.severity for f in proof.troubles), default=Severity.NOTE)
    outcome = _CLEAN.get(gravest.word if gravest >= Severity.CAUTION else "clean", "Clean")
    done = operations(proof)
    lines = proof.source.lines
    tables = [_tool_table(proof), *_register_tables(proof)]
    tables.append(
        Table(title="Operations", heads=("", "What", "From line", "Time"), right=(0, 2, 3),
              rows=tuple((str(k), o.title, str(o.line), show_clock(o.end_s - o.start_s)) for k, o in enumerate(done, 1)))
    )  # fmt: skip
    met = stops(proof)
    if met:
        tables.append(
            Table(title="Stops", heads=("", "Line", "At", "Block", "What is measured or done there"), right=(0, 1, 2),
                  rows=tuple((str(s.number), str(s.line), show_clock(s.time_s), lines[s.line - 1].strip(), _what_is_said(lines, s.line)) for s in met))
        )  # fmt: skip
    tables += _finding_tables(proof)
    facts = (
        ("Program", f"{program.name if program is not None else proof.source.name}, {len(lines)} lines"), ("Checksum", checksum_of(proof)),
        ("Machine", job.bench.machine.title), ("Control", job.control.title), ("Figures", "inch" if unit == "inch" else "mm"),
        ("Time", show_clock(proof.timing.total)), ("Proved", outcome),
    )  # fmt: skip
    return SetupSheet(
        title=job.title or proof.source.name, program=proof.source.name, checksum=checksum_of(proof), date=date,
        machine=job.bench.machine.title, control=job.control.title, unit=unit, outcome=outcome, time=show_clock(proof.timing.total),
        facts=facts, held=tuple((what, _said(words, lengths, unit)) for what, words, lengths in (says.rows(proof) if says else ())),
        touch=tuple(_touched(s, unit) for s in (says.touch(proof) if says else ())),
        pictures=says.pictures(proof) if says else (), tables=tuple(tables), guessed=tuple(sorted(job.unconfirmed)), shop=shop, logo=logo,
    )  # fmt: skip


def _what_is_said(lines: Sequence[str], line: int) -> str:
    """The comment on a stop's own block, or on the blocks just before it."""
    for k in range(line - 1, max(line - 4, -1), -1):
        found = re.search(r"\(([^)]*)\)", lines[k])
        if found is not None:
            return found[1].strip().capitalize()
    return ""


def as_html(sheet: SetupSheet, template: Path | None = None) -> str:
    """The sheet as one HTML file, pictures in it. Raises ``UnusableFile`` for a template that cannot be filled."""
    path = template if template is not None else data_folder() / "templates" / "setup_sheet.html"
    try:
        text = path.read_text("utf-8")
        return filled_in(text, sheet=sheet, pictures=[(p.title, as_svg(p, sheet.unit)) for p in sheet.pictures])
    except OSError as error:
        raise UnusableFile(str(path), (error.strerror or "it cannot be read").lower()) from None
    except (BadTemplate, UnicodeDecodeError) as error:
        raise UnusableFile(str(path), f"this template cannot be filled in: {html.escape(str(error))}") from None
