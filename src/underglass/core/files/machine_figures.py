"""The figures that were set at the stand-in machine, written into the job file: the rows of Setup are the same rows."""

from __future__ import annotations

from underglass.core.files.job_edit import JobEdit, as_figure, put_register
from underglass.core.machine.setting import changed_registers
from underglass.core.machine.stand import Stand


def keep_figures(edit: JobEdit, stand: Stand) -> int:
    """Put what the control holds now into the job's text; how many figures. Raises ``UnusableFile`` where the text is no TOML."""
    registers, job = stand.job.registers, stand.truth
    machine = job.bench.machine
    changed = changed_registers(stand)
    for group, key in changed:
        if group == "work":
            at = registers.work[key]
            axes = {
                a: as_figure(v * (machine.x_factor if a == "x" else 1.0), job.units)
                for a, v in zip("xyz", at)
                if a in machine.axes
            }
            edit.put(axes, "registers", "work", key)
        elif group == "geometry":
            at = registers.geometry[int(key)]
            figures = {"x": as_figure(at[0] * machine.x_factor, job.units), "z": as_figure(at[2], job.units)}
            edit.put(figures, "registers", "geometry", key)
        else:
            letter = "H" if group == "length" else "D"
            table = registers.length if group == "length" else registers.radius
            put_register(edit, job, group, f"{letter}{key}", table[int(key)])
    return len(changed)
