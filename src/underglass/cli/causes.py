"""``underglass why``: from what was measured at the machine back to the figure that explains it."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click

from underglass.cli.work import put
from underglass.core.files.load import load
from underglass.core.files.measured import answer_as_dict, answer_as_text, read_measured
from underglass.core.proof.why import why


@click.command(name="why")
@click.argument("job", type=click.Path(path_type=Path))
@click.option(
    "--measured", "file", type=click.Path(path_type=Path), required=True, help="What was measured and seen, as TOML."
)
@click.option("--format", "form", type=click.Choice(["text", "json"]), default="text", show_default=True)
@click.option("--out", type=click.Path(path_type=Path), help="Write the answer here, not to stdout.")
def why_(job: Path, file: Path, form: str, out: Path | None) -> None:
    """Say which figure explains a part that came out wrong. Exit code 1 where nothing that was tried does."""
    read, source, _program = load(job)
    question = read_measured(file, read.units)
    answer = why(read, source, question)
    if form == "json":
        put(json.dumps(answer_as_dict(answer, question, read.units), indent=1, ensure_ascii=False) + "\n", out)
    else:
        put(answer_as_text(answer, question, read.units), out)
    sys.exit(0 if answer.causes else 1)
