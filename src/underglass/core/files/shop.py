"""The texts that a shop keeps, in a TOML file of their own: those for mills at the top, other kinds in a table each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, fields, replace
from pathlib import Path

from underglass.core.compose.shop import FIRST, ShopTexts
from underglass.core.entries.checked import Table, read_toml
from underglass.core.saving import write_whole


def read_shops(path: Path) -> dict[str, ShopTexts]:
    """The texts of a file by kind of machine; what it leaves out is as at first. Raises ``UnusableFile`` or ``BadEntry``."""
    top = read_toml(path)
    if top.whole("format") != 1:
        raise top.bad("format", "this must be 1, the format this version reads")

    def taken(table: Table, first: ShopTexts) -> ShopTexts:
        given = {f.name: table.text(f.name) for f in fields(ShopTexts) if f.name in table}
        return replace(first, **{k: v for k, v in given.items() if v is not None})

    out = {"mill": taken(top, FIRST["mill"])}
    for kind, first in FIRST.items():
        table = top.table(kind) if kind != "mill" else None
        if table is not None:
            out[kind] = taken(table, first)
            table.done()
    top.done()
    return {kind: out.get(kind, first) for kind, first in FIRST.items()}


def read_shop(path: Path, kind: str = "mill") -> ShopTexts:
    """The texts for one kind of machine. Raises ``UnusableFile`` or ``BadEntry``."""
    return read_shops(path)[kind]


def write_shop(path: Path, texts: ShopTexts, kind: str = "mill") -> None:
    """Keep the texts for one kind, the others as they are. Raises ``UnusableFile`` or ``BadEntry``."""
    shops: Mapping[str, ShopTexts] = read_shops(path) if path.exists() else FIRST
    lines = ["# The texts that this shop keeps; words in braces are filled in.", "format = 1"]
    for each, kept in {**shops, kind: texts}.items():
        if each != "mill":
            if kept == FIRST[each]:
                continue
            lines.append(f"\n[{each}]")
        for name, text in asdict(kept).items():
            said = text.replace("\\", "\\\\").replace('"""', '\\"\\"\\"')
            lines.append(f'{name} = """\n{said}"""')
    write_whole(path, ("\n".join(lines) + "\n").encode())
