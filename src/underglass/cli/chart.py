"""``underglass chart``: a list of tools held against what a program calls and what stands on the bench."""

from __future__ import annotations

import json
import sys
from dataclasses import asdict
from pathlib import Path

import click

from underglass.cli.work import put
from underglass.core.files.chart import chart_as_text, hold_against
from underglass.core.files.load import load
from underglass.core.proof.prove import prove


@click.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.argument("tools", type=click.Path(path_type=Path))
@click.option("--format", "form", type=click.Choice(["text", "json"]), default="text", show_default=True)
@click.option("--out", type=click.Path(path_type=Path), help="Write it here, not to stdout.")
def chart(job: Path, tools: Path, form: str, out: Path | None) -> None:
    """Hold a tool chart (CSV or TOML) against a job: missing, swapped, changed since. Exit code 1 where they do not agree."""
    rows = hold_against(prove(*load(job)[:2], cut=False), tools)
    if form == "json":
        put(json.dumps({"format": 1, "tools": [asdict(r) for r in rows]}, indent=1, ensure_ascii=False) + "\n", out)
    else:
        put(chart_as_text(rows), out)
    sys.exit(1 if any(r.trouble and r.trouble != "not-called" for r in rows) else 0)
