"""A job written out as a job file: for a bare program that gets a setup of its own."""

from __future__ import annotations

import math
from typing import Any

import tomlkit

from underglass.core.bench.solid import AT_ZERO, part_place
from underglass.core.bench.tool import DEFAULT_POINT_RAD, Tool
from underglass.core.files.job_edit import as_figure
from underglass.core.proof.job import Job
from underglass.core.units import Unit


def _text(text: str) -> str:
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def _row(values: tuple[float, ...], unit: Unit) -> str:
    return "[" + ", ".join(repr(as_figure(v, unit)) for v in values) + "]"


def tool_lines(tool: Tool, unit: Unit) -> list[str]:
    """A ``[[tool]]`` entry; what a tool of its kind has anyway is left out."""

    def figure(mm: float) -> str:
        return repr(as_figure(mm, unit))

    out = ["[[tool]]", f"number = {tool.number}", f'kind = "{tool.kind}"', f"DC = {figure(tool.DC)}"]
    if tool.RE:
        out.append(f"RE = {figure(tool.RE)}")
    if not math.isclose(tool.SIG, DEFAULT_POINT_RAD.get(tool.kind, math.pi)):
        out.append(f"SIG = {round(math.degrees(tool.SIG), 4)!r}")
    if not math.isclose(tool.KAPR, math.pi / 2.0):
        out.append(f"KAPR = {round(math.degrees(tool.KAPR), 4)!r}")
    out.append(f"APMX = {figure(tool.APMX)}")
    if tool.NOF:
        out.append(f"NOF = {tool.NOF}")
    if tool.TP:
        out.append(f"TP = {figure(tool.TP)}")
    out += [f"length = {figure(tool.length)}", f"stickout = {figure(tool.stickout)}"]
    if tool.shank != tool.DC:
        out.append(f"shank = {figure(tool.shank)}")
    if tool.holder:
        steps = [f"{{ diameter = {figure(s.diameter)}, length = {figure(s.length)} }}" for s in tool.holder]
        out.append("holder = " + (steps[0] if len(steps) == 1 else "[" + ", ".join(steps) + "]"))
    if tool.centre_cutting != (tool.kind != "face-mill"):
        out.append(f"centre_cutting = {str(tool.centre_cutting).lower()}")
    if tool.hand != "right":
        out.append(f'hand = "{tool.hand}"')
    if tool.substrate != "carbide":
        out.append(f'substrate = "{tool.substrate}"')
    return out


def tool_entry(tool: Tool, unit: Unit) -> dict[str, Any]:
    """A tool as an entry of a job file in this unit."""
    return dict(tomlkit.parse("\n".join(tool_lines(tool, unit)[1:])).unwrap())


def written(job: Job) -> str:
    """A job of plain blocks (as it is guessed from a program) as a job file. Raises nothing."""
    if job.text:
        return job.text
    unit = job.units
    bench = job.bench
    stock = bench.stocks[0]
    first = next(iter(bench.zero)) if "G54" not in bench.zero else "G54"
    lines = [
        "format = 1",
        f"title = {_text(job.title)}",
        f'units = "{unit}"',
        f"machine = {_text(bench.machine.name)}",
        f"control = {_text(job.control.name)}",
        f"program = {_text(job.program)}",
    ]
    if job.unconfirmed:
        lines.append("guessed = [" + ", ".join(_text(name) for name in sorted(job.unconfirmed)) + "]")
    lines += ["", "[zero]"]
    if job.z_by != job.control.length_by:
        lines.append(f'z_by = "{job.z_by}"')
    if job.z_by == "first-tool" and job.z_tool_said:
        lines.append(f"z_tool = {job.z_tool}")
    for name, zero in bench.zero.items():
        turned = f", turned = {round(math.degrees(zero.turn_rad), 6)!r}" if zero.turn_rad else ""
        figures = ", ".join(f"{a} = {as_figure(v, unit)!r}" for a, v in zip("xyz", (zero.x, zero.y, zero.z)))
        lines.append(f"{_key(name)} = {{ {figures}{turned} }}")
    lines += [
        "",
        "[stock]",
        f'shape = "{stock.shape}"',
        f"size = {_row(stock.size, unit)}",
        f"place = {_row(part_place(stock, bench.zero[first]), unit)}",
    ]
    if len(bench.stocks) > 1:
        names = [one.name.removeprefix(AT_ZERO) for one in bench.stocks]
        lines.append("repeat_at = [" + ", ".join(_text(name) for name in names) + "]")
    if bench.material:
        lines.append(f"material = {_text(bench.material)}")
    for fixture in bench.fixtures:
        if fixture.entry:
            lines += [
                "",
                "[[fixture]]",
                f"name = {_text(fixture.name)}",
                f'shape = "{fixture.solid.shape}"',
                f"size = {_row(fixture.solid.size, unit)}",
                f"place = {_row(part_place(fixture.solid, bench.zero[first]), unit)}",
            ]
    for tool in bench.tools.values():
        lines += ["", *tool_lines(tool, unit)]
    if job.start.tool:
        lines += ["", "[start]", f"tool = {job.start.tool}"]
    return "\n".join(lines) + "\n"


def _key(name: str) -> str:
    return name if name.replace("_", "").replace("-", "").isalnum() else _text(name)
