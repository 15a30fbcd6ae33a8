"""The texts that a shop keeps, in a TOML file of their own."""

from __future__ import annotations

from dataclasses import asdict, fields
from pathlib import Path

from underglass.core.compose.shop import ShopTexts
from underglass.core.entries.checked import read_toml
from underglass.core.saving import write_whole


def read_shop(path: Path) -> ShopTexts:
    """The texts of a file; what it leaves out is as at first. Raises ``UnusableFile`` or ``BadEntry``."""
    top = read_toml(path)
    if top.whole("format") != 1:
        raise top.bad("format", "this must be 1, the format this version reads")
    given = {f.name: top.text(f.name) for f in fields(ShopTexts) if f.name in top}
    top.done()
    return ShopTexts(**{k: v for k, v in given.items() if v is not None})


def write_shop(path: Path, texts: ShopTexts) -> None:
    """Keep the texts. Raises ``UnusableFile``."""
    lines = ["# The texts that this shop keeps; words in braces are filled in.", "format = 1"]
    for name, text in asdict(texts).items():
        kept = text.replace("\\", "\\\\").replace('"""', '\\"\\"\\"')
        lines.append(f'{name} = """\n{kept}"""')
    write_whole(path, ("\n".join(lines) + "\n").encode())
