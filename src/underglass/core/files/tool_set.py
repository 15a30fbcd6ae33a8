"""Sets of tools, in and out: TOML as in a job file, and CSV with the symbols of ISO 13399 as headings.

Glossary (ISO 13399 property symbols, from memory)
    LF     functional length: gauge line to tip         LPR   protruding length: what stands out of the holder
    DMM    shank diameter                               DC, RE, SIG, KAPR, APMX, NOF, TP as in a job file
"""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Iterable, Mapping
from functools import partial
from pathlib import Path

from underglass.core.bench.tool import Tool
from underglass.core.entries.checked import Table, read_toml_bytes
from underglass.core.entries.tool import read_tool
from underglass.core.errors import BadEntry
from underglass.core.files.job_edit import as_figure
from underglass.core.files.job_write import tool_lines
from underglass.core.reading import TEXT_BYTES, read_regular
from underglass.core.saving import write_whole
from underglass.core.units import MM_PER_INCH, Unit

_HEADINGS = (
    "number", "kind", "DC", "RE", "SIG", "KAPR", "APMX", "NOF", "TP", "LF", "LPR", "DMM", "holder", "centre_cutting",
    "hand", "substrate", "units",
)  # fmt: skip
_KEYS = {"LF": "length", "LPR": "stickout", "DMM": "shank"}
_WHOLE = ("number", "NOF")
_WORDS = ("kind", "hand", "substrate")


def read_tools(path: Path) -> dict[int, Tool]:
    """The tools of a ``.toml`` or ``.csv`` file by number. Raises ``UnusableFile`` or ``BadEntry``."""
    raw = read_regular(path, TEXT_BYTES)
    return _by_number(_from_csv(raw, str(path)) if path.suffix.lower() == ".csv" else _from_toml(raw, str(path)))


def _by_number(entries: Iterable[tuple[Table, float]]) -> dict[int, Tool]:
    out: dict[int, Tool] = {}
    for entry, scale in entries:
        tool = read_tool(entry, scale)
        if tool.number in out:
            raise entry.bad("number", f"there are two tools with the number {tool.number}")
        out[tool.number] = tool
    return out


def _from_toml(raw: bytes, file: str) -> Iterable[tuple[Table, float]]:
    top = read_toml_bytes(raw, file)
    if top.whole("format") != 1:
        raise top.bad("format", "this must be 1, the format this version reads")
    scale = MM_PER_INCH if top.choice("units", ["mm", "inch"], "mm") == "inch" else 1.0
    entries = top.tables("tool")
    top.done()
    return [(entry, scale) for entry in entries]


def _from_csv(raw: bytes, file: str) -> Iterable[tuple[Table, float]]:
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = raw.decode("latin-1")
    first = text.split("\n", 1)[0]
    mark = max(",;\t", key=first.count)
    rows = csv.reader(io.StringIO(text), delimiter=mark)
    try:
        heads = [h.strip() for h in next(rows)]
    except (StopIteration, csv.Error):
        raise BadEntry(
            path=file, key="", line=1, why="the first line must name the columns, as number, kind, DC, LF"
        ) from None
    if "number" not in heads or "kind" not in heads or "DC" not in heads:
        raise BadEntry(
            path=file, key="", line=1, why="the first line must name at least the columns number, kind, DC and LF"
        )
    out: list[tuple[Table, float]] = []
    while True:
        try:
            row = next(rows)
        except StopIteration:
            return out
        except csv.Error:
            raise BadEntry(
                path=file,
                key="",
                line=rows.line_num,
                why="this row cannot be read as cells; a cell may have 100,000 letters",
            ) from None
        if not any(cell.strip() for cell in row):
            continue
        said = {h: cell.strip() for h, cell in zip(heads, row) if cell.strip()}
        scale = MM_PER_INCH if said.pop("units", "mm") in ("inch", "in") else 1.0
        values = {_KEYS.get(h, h): _value(h, cell, mark == ";") for h, cell in said.items()}
        out.append((Table(values, "", file, partial(dict[str, int], {"": rows.line_num})), scale))


def _value(head: str, cell: str, comma: bool) -> object:
    """A cell as the job file would have it."""
    if head in _WORDS:
        return cell
    if head == "holder":
        steps = [re.split(r"\s*[xX\u00d7]\s*", part) for part in re.split(r"[;|/]", cell)]
        return [dict(zip(("diameter", "length"), (_number(s, comma) for s in step))) for step in steps]
    if head == "centre_cutting":
        return cell.lower() in ("true", "yes", "1")
    value = _number(cell, comma)
    whole = head in _WHOLE and isinstance(value, float) and math.isfinite(value) and value == int(value)
    return int(value) if whole else value


def _number(cell: str, comma: bool) -> float | str:
    try:
        return float(cell.replace(",", ".") if comma else cell)
    except ValueError:
        return cell


def write_tools(path: Path, tools: Mapping[int, Tool], unit: Unit = "mm") -> None:
    """Write tools as TOML, or as CSV by the path's suffix. Raises ``UnusableFile``; the old file then stays."""
    if path.suffix.lower() == ".csv":
        write_whole(path, _as_csv(tools, unit).encode("utf-8"))
        return
    lines = ["# A set of tools; each as in a job file.", "format = 1", f'units = "{unit}"']
    for tool in tools.values():
        lines += ["", *tool_lines(tool, unit)]
    write_whole(path, ("\n".join(lines) + "\n").encode("utf-8"))


def _as_csv(tools: Mapping[int, Tool], unit: Unit) -> str:
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(_HEADINGS)
    for tool in tools.values():

        def figure(mm: float) -> str:
            return f"{as_figure(mm, unit):.6f}".rstrip("0").rstrip(".")

        holder = "|".join(f"{figure(s.diameter)}x{figure(s.length)}" for s in tool.holder)
        rows.writerow(
            [
                tool.number, tool.kind, figure(tool.DC), figure(tool.RE), f"{math.degrees(tool.SIG):g}",
                f"{math.degrees(tool.KAPR):g}", figure(tool.APMX), tool.NOF or "", figure(tool.TP) if tool.TP else "",
                figure(tool.length), figure(tool.stickout), figure(tool.shank), holder,
                "yes" if tool.centre_cutting else "no", tool.hand, tool.substrate, unit,
            ]
        )  # fmt: skip
    return out.getvalue()
