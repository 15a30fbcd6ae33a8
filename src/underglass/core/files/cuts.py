"""Speeds and feeds that a person chose instead of those worked out, kept by material, tool and operation; a file to be edited."""

from __future__ import annotations

import datetime
from dataclasses import dataclass
from pathlib import Path

import tomlkit

from underglass.core.entries.checked import read_toml
from underglass.core.saving import write_whole

SPEED_KEYS = ("s", "f", "fdown", "vc", "ff")
"""Entries of a form that are speeds and feeds."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Cut:
    """What was entered, in the unit of its job; ``when`` a day, ``job`` its title."""

    material: str
    tool: str
    operation: str
    unit: str
    entered: dict[str, str]
    when: str
    job: str


def read_cuts(path: Path) -> tuple[Cut, ...]:
    """Those of a file; none where there is no file. Raises ``UnusableFile`` or ``BadEntry``."""
    if not path.exists():
        return ()
    top = read_toml(path)
    if top.whole("format") != 1:
        raise top.bad("format", "this must be 1, the format this version reads")
    out = []
    for part in top.tables("cut"):
        entered = {k: part.need_text(k) for k in SPEED_KEYS if k in part}
        out.append(
            Cut(
                material=part.text("material", "") or "", tool=part.need_text("tool"), operation=part.need_text("operation"),
                unit=part.choice("unit", ["mm", "inch"], "mm"), entered=entered, when=part.text("when", "") or "", job=part.text("job", "") or "",
            )
        )  # fmt: skip
        part.done()
    top.done()
    return tuple(out)


def kept_for(cuts: tuple[Cut, ...], material: str, tool: str, operation: str, unit: str) -> Cut | None:
    """What was chosen last for this pair and operation."""
    same = (material.lower(), tool, operation, unit)
    return next((c for c in reversed(cuts) if (c.material.lower(), c.tool, c.operation, c.unit) == same), None)


def keep_cut(path: Path, cut: Cut) -> None:
    """Keep one, in place of an older one for the same. Raises ``UnusableFile`` or ``BadEntry``."""
    others = [
        c
        for c in read_cuts(path)
        if (c.material.lower(), c.tool, c.operation, c.unit)
        != (cut.material.lower(), cut.tool, cut.operation, cut.unit)
    ]
    document = tomlkit.document()
    document.add(
        tomlkit.comment(
            "Speeds and feeds that were chosen instead of those worked out. Change or take out what you like."
        )
    )
    document.add("format", tomlkit.item(1))
    tables = tomlkit.aot()
    for one in [*others, cut]:
        table = tomlkit.table()
        for key, value in (
            ("material", one.material),
            ("tool", one.tool),
            ("operation", one.operation),
            ("unit", one.unit),
        ):
            table.add(key, value)
        for key, value in one.entered.items():
            table.add(key, value)
        table.add("when", one.when)
        table.add("job", one.job)
        tables.append(table)
    document.add("cut", tables)
    write_whole(path, tomlkit.dumps(document).encode())


def today() -> str:
    """The day, as it is kept."""
    return datetime.date.today().isoformat()
