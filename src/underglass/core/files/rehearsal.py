"""Rehearsals as files: JSON with one action a line, read back with one plain sentence where that cannot be."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import TypeGuard

from underglass.core.errors import UnusableFile
from underglass.core.language.source import Source
from underglass.core.machine.actions import as_data, from_data
from underglass.core.machine.rehearsal import LONGEST_S, TICK_S, Done, Rehearsal
from underglass.core.reading import TEXT_BYTES, read_regular
from underglass.core.saving import write_whole

FORMAT = 1
_MOST = 200_000


def checksum(source: Source) -> str:
    """What a program is known by: the first half of the SHA-256 over its lines, however they end in a file."""
    return hashlib.sha256("\n".join(source.lines).encode("utf-8", "surrogatepass")).hexdigest()[:32]


def as_text(rehearsal: Rehearsal) -> str:
    """As a file's text."""
    rows = ",\n".join(f"    {json.dumps({'tick': d.tick, **as_data(d.action)})}" for d in rehearsal.done)
    return (
        "{\n"
        f'  "format": {FORMAT},\n  "tick_s": {TICK_S},\n  "program": {json.dumps(rehearsal.checksum)},\n'
        f'  "ticks": {rehearsal.ticks},\n  "done": [\n{rows}\n  ]\n}}\n'
    )


def write_rehearsal(rehearsal: Rehearsal, path: Path) -> None:
    """Raises ``UnusableFile``."""
    write_whole(path, as_text(rehearsal).encode())


def read_rehearsal(path: Path) -> Rehearsal:
    """Raises ``UnusableFile`` where the file is no rehearsal."""
    name = path.name
    try:
        data = json.loads(read_regular(path, TEXT_BYTES))
    except (ValueError, RecursionError):
        raise UnusableFile(name, "this is no rehearsal: it is not written as JSON") from None
    if not isinstance(data, dict) or data.get("format") != FORMAT or data.get("tick_s") != TICK_S:
        raise UnusableFile(name, f"this is no rehearsal of format {FORMAT}")
    rows, ticks, program = data.get("done"), data.get("ticks"), data.get("program")
    if not isinstance(rows, list) or not _is_tick(ticks) or not isinstance(program, str):
        raise UnusableFile(name, "a rehearsal has program, ticks and done")
    if len(rows) > _MOST or ticks * TICK_S > LONGEST_S:
        raise UnusableFile(name, f"no more than {_MOST:,} actions in {LONGEST_S / 3600:.0f} hours are done again")
    done = []
    last = 0
    for k, row in enumerate(rows, 1):
        where = f"{name}, action {k}"
        if not isinstance(row, dict) or not _is_tick(row.get("tick")):
            raise UnusableFile(where, "it has no tick")
        tick = row["tick"]
        if tick < last or tick > ticks:
            raise UnusableFile(where, "it comes before the one in front of it, or after the end")
        last = tick
        done.append(Done(tick, from_data({key: value for key, value in row.items() if key != "tick"}, where)))
    return Rehearsal(checksum=program, ticks=ticks, done=tuple(done))


def _is_tick(value: object) -> TypeGuard[int]:
    return isinstance(value, int) and not isinstance(value, bool) and value >= 0
