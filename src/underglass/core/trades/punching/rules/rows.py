"""Patterns: pitch, and what they say of punch and sheet. Codes: pitch-under-thickness, pitch-over-nibbling, pitch-under-nibbling,
punch-size-wrong, thickness-wrong."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from underglass.core.finding import Finding, Severity
from underglass.core.language.block import read_block
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.trades.punching.name import PUNCHING
from underglass.core.trades.punching.rows import HitRow
from underglass.core.trades.punching.rules.looked import at, look
from underglass.core.units import MM_PER_INCH

_SAME_MM = 1e-3


def _finding(
    context: Context,
    code: str,
    row: HitRow,
    words: str,
    remedy: str,
    evidence: dict[str, float | int | str | bool | None],
) -> Finding:
    seen = look(context)
    k = int(np.searchsorted(seen.hits, row.hits[0]))
    return Finding(
        code=code, line=row.line, message=words, remedy=remedy, tool=row.station, move=row.hits[0], position=at(seen.places[k]), evidence=evidence
    )  # fmt: skip


@rule(
    {"pitch-under-thickness": Severity.FAULT, "pitch-over-nibbling": Severity.FAULT, "pitch-under-nibbling": Severity.NOTE}, PUNCHING
)  # fmt: skip
def pitch(context: Context) -> Iterator[Finding]:
    """A pitch that bends the punch, or that nibbling does not have."""
    seen, more = look(context), context.job.bench.machine.more
    thick = seen.sheet.thickness
    for row in seen.rows:
        if len(row.hits) < 2:
            continue
        if row.pitch < thick - _SAME_MM:
            yield _finding(
                context, "pitch-under-thickness", row,
                f"this row strikes every {context.length(row.pitch)}, and the sheet is {context.length(thick)} thick: the punch is pushed aside",
                "take a pitch no smaller than the sheet is thick", {"pitch_mm": row.pitch, "thickness_mm": thick},
            )  # fmt: skip
        largest, smallest = more.get("largest_pitch", np.inf), more.get("smallest_pitch", 0.0)
        if row.nibbled and row.pitch > largest + _SAME_MM:
            yield _finding(
                context, "pitch-over-nibbling", row,
                f"this row is nibbled every {context.length(row.pitch)}, and the press nibbles up to {context.length(largest)}",
                "take a smaller pitch, or punch it hit by hit", {"pitch_mm": row.pitch, "largest_mm": largest},
            )  # fmt: skip
        elif row.nibbled and row.pitch < smallest - _SAME_MM:
            yield _finding(
                context, "pitch-under-nibbling", row,
                f"below {context.length(smallest)} the press does not nibble: it punches this row hit by hit",
                "take a larger pitch where time counts", {"pitch_mm": row.pitch, "smallest_mm": smallest},
            )  # fmt: skip


@rule({"punch-size-wrong": Severity.FAULT, "thickness-wrong": Severity.FAULT}, PUNCHING)
def figures(context: Context) -> Iterator[Finding]:
    """What a pattern says of punch and sheet, against what is there."""
    seen, job = look(context), context.job
    within = job.settings.tolerance.radius
    for row in seen.rows:
        made = job.control.cycle_by_name.get(row.motion)
        if made is None or not 1 <= row.line <= len(context.lines):
            continue
        unit = context.motions.state_of(row.hits[0]).units
        scale = MM_PER_INCH if unit == "inch" else 1.0
        words = {w.letter: w.value for w in read_block(context.lines[row.line - 1], row.line).words}
        if made.cycle.takes("punch") and row.punch is not None and (said := words.get(made.letter("punch"))):
            there = row.punch.size[0] if row.punch.size else 2.0 * row.punch.reach
            if abs(abs(said) * scale - there) > within:
                yield _finding(
                    context, "punch-size-wrong", row,
                    f"this pattern reckons with a punch of {context.length(abs(said) * scale)}, and station {row.station} holds {context.length(there)}",
                    "correct the figure, or call the other station", {"said_mm": abs(said) * scale, "real_mm": there},
                )  # fmt: skip
        said = words.get(made.letter("thickness"), 0.0) if made.cycle.takes("thickness") else 0.0
        if said and abs(said * scale - seen.sheet.thickness) > within:
            yield _finding(
                context, "thickness-wrong", row,
                    f"this pattern reckons with a sheet of {context.length(said * scale)}, and the sheet is {context.length(seen.sheet.thickness)} thick",
                    "correct the figure, or take the other sheet", {"said_mm": said * scale, "real_mm": seen.sheet.thickness},
                )  # fmt: skip
