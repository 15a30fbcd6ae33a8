"""The material table: shipped, commented, copyable."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from underglass.core.bench.material import Material
from underglass.core.data import data_folder
from underglass.core.entries.checked import read_toml


def read_materials(path: Path) -> dict[str, Material]:
    """Every material by each of its names, in lower case. Raises ``UnusableFile`` or ``BadEntry``."""
    top = read_toml(path)
    if top.whole("format") != 1:
        raise top.bad("format", "this must be 1, the format this version reads")
    out: dict[str, Material] = {}
    for name in top.names():
        part = top.table(name)
        assert part is not None
        also = part.raw("also") if "also" in part else []
        if not isinstance(also, list) or not all(isinstance(other, str) for other in also):
            raise part.bad("also", "this must be a list of names in quotes")
        kc, mc = part.need_number("kc", above=0.0), part.number("mc", 0.25, least=0.0, most=1.0)
        speeds, feeds = part.table("vc"), part.table("fz")
        if speeds is None or feeds is None:
            raise part.bad("vc" if speeds is None else "fz", "this is missing")
        vc = {kind: speeds.need_number(kind, above=0.0) for kind in ("carbide", "hss")}
        share, most = feeds.need_number("share", above=0.0), feeds.need_number("most", above=0.0)
        window = part.table("chip")
        chip = None
        if window is not None:
            (d0, d1), (f0, f1) = window.numbers("depth", 2) or (0.0, 1e3), window.numbers("feed", 2) or (0.0, 1e2)
            chip = (d0, d1, f0, f1)
            window.done()
        for table in (speeds, feeds, part):
            table.done()
        material = Material(name=name, kc=kc, mc=mc, vc=vc, fz_share=share, fz_most=most, chip=chip)
        for known in (name, *also):
            out[known.lower()] = material
    return out


@cache
def shipped_materials() -> dict[str, Material]:
    """The shipped table."""
    return read_materials(data_folder() / "materials.toml")


def find_material(name: str) -> Material | None:
    """A material by name, or None where the table has none such."""
    return shipped_materials().get(name.strip().lower())
