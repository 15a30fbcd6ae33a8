"""``underglass fill``: the fill-in operations, and the text that one writes."""

from __future__ import annotations

import json
from pathlib import Path

import click
from platformdirs import user_config_path

from underglass.cli.work import Failure, put
from underglass.core.compose.operation import Around, Operation
from underglass.core.compose.registry import all_operations
from underglass.core.compose.shop import FIRST
from underglass.core.compose.starts import around_in, first_entries, unlike_bench
from underglass.core.files.contours import contour_entry, places_entry
from underglass.core.files.load import load
from underglass.core.files.shop import read_shops
from underglass.core.proof.prove import prove
from underglass.core.proof.standing import standing
from underglass.core.reckon.form import CannotBe, Field
from underglass.core.trade_list import TRADES
from underglass.core.units import Unit

_UNITS = {"length": "mm", "angle": "degrees", "feed": "mm/min", "speed": "m/min", "tooth": "mm"}


def _field(field: Field) -> dict[str, object]:
    said: dict[str, object] = {
        "key": field.key, "words": field.word, "kind": field.kind, "unit": _UNITS.get(field.kind), "start": field.start,
        "start_inch": field.start_inch or field.start,
    }  # fmt: skip
    if field.choices:
        said["choices"] = [{"value": value, "words": words} for value, words in field.choices]
    if field.usual is not None:
        said["from"], said["to"] = field.usual
    if field.blank:
        said["may_be_empty"] = True
    if field.tip:
        said["tip"] = field.tip
    return said


def listed() -> list[dict[str, object]]:
    """Every operation with its fields; from and to are where entries usually go, in mm."""
    return [
        {
            "name": op.key, "title": op.name, "trade": TRADES[kind].title.lower(), "about": op.about,
            "fields": [_field(f) for f in op.fields],
        }
        for kind, operations in all_operations().items()
        for op in operations
    ]  # fmt: skip


def _chosen(name: str) -> tuple[str, Operation]:
    for kind, operations in all_operations().items():
        for op in operations:
            if name.lower() in (op.key, op.name.lower()):
                return kind, op
    raise Failure(f"{name}: there is no such operation; underglass fill --list names them")


def shop_path() -> Path:
    """Where the window keeps the shop's texts: beside its settings."""
    return user_config_path("underglass") / "shop.toml"


def filled_text(name: str, given: dict[str, str], job: Path | None, unit: Unit) -> str:
    """The text that an operation writes at the end of a job's program, or of a new one. Raises ``Failure``."""
    kind, op = _chosen(name)
    fields = {f.key: f for f in op.fields}
    try:
        for key, value in given.items():
            if key in fields and fields[key].kind == "contour" and value.startswith("@"):
                given[key] = contour_entry(value[1:], unit, turned=kind == "lathe")
            elif key in fields and fields[key].kind == "points" and value.startswith("@"):
                given[key] = places_entry(value[1:], unit)
        shop = shop_path()
        texts = read_shops(shop)[kind] if shop.exists() else FIRST[kind]
        if job is None:
            around, entered = Around(texts=texts, bring=True), given
        else:
            loaded, source, _path = load(job)
            if loaded.trade.kind != kind:
                raise Failure(f"{op.name} is for {TRADES[kind].machines}; this job is for {loaded.trade.machines}")
            proof = prove(loaded, source, cut=False)
            stand = standing(proof, len(source.lines))
            unit = stand.unit if stand is not None else loaded.units
            before = stand.before.tool if stand is not None else None
            around = around_in(loaded, texts, source.lines, source.name, before or None)
            entered = first_entries(op, loaded, unit, given, source.lines)
            for size in unlike_bench(op, loaded, unit, entered):
                # The text is what was asked for; that it does not go with the tool is said beside it.
                click.echo(f"T{entered['t']} on the bench: {size.word.lower()} {size.there}, not {size.here}", err=True)
        asked = {f.key for f in op.asked({f.key: f.first(unit) for f in op.fields} | entered)}
        for key in given:
            if key in fields and key not in asked:
                raise Failure(f"{key}: with the other choices this is not asked for")
        lines = op.text({k: v for k, v in entered.items() if k in asked or k not in fields}, unit, around)
    except CannotBe as problem:
        raise Failure(f"{problem.key}: {problem}" if problem.key else str(problem)) from None
    return "\n".join(lines) + "\n"


@click.command(name="fill")
@click.argument("name", required=False)
@click.argument("entries", nargs=-1)
@click.option("--list", "listing", is_flag=True, help="Every operation with its fields.")
@click.option("--format", "form", type=click.Choice(["text", "json"]), default="text", show_default=True)
@click.option("--job", type=click.Path(path_type=Path), help="Take tools, stock, unit and shop from this job.")
@click.option("--inch", is_flag=True, help="Figures are inches (without a job).")
@click.option("--out", type=click.Path(path_type=Path), help="Write the text here, not to stdout.")
def fill(
    name: str | None, entries: tuple[str, ...], listing: bool, form: str, job: Path | None, inch: bool, out: Path | None
) -> None:
    """Write an operation from its entries: the text that the window would write.

    ENTRIES are key=value. A contour is rows parted by ; or @FILE.dxf, or @FILE.dxf#2 for its second contour; places are X Y
    pairs, or @FILE.dxf for every circle, @FILE.dxf#8 for those of diameter 8.
    """
    if listing or name is None:
        rows = listed()
        if form == "json":
            put(json.dumps(rows, indent=1, ensure_ascii=False) + "\n", out)
            return
        said = []
        for row in rows:
            said.append(f"{row['name']}  ({row['trade']})  {row['about']}")
            fields = row["fields"]
            assert isinstance(fields, list)
            for f in fields:
                unit = f" {f['unit']}" if f["unit"] else ""
                choices = " | ".join(c["value"] for c in f["choices"]) if "choices" in f else ""
                start = str(f["start"]).replace("\n", ";")
                said.append(f"    {f['key']}={start}{unit}  {f['words']}" + (f"  [{choices}]" if choices else ""))
        put("\n".join(said) + "\n", out)
        return
    given: dict[str, str] = {}
    for entry in entries:
        key, eq, value = entry.partition("=")
        if not eq:
            raise Failure(f"{entry}: an entry is written key=value")
        given[key] = value.replace("\\n", "\n")
    put(filled_text(name, given, job, "inch" if inch else "mm"), out)
