"""What punching says of a proof: hits a station, rows with pitch and scallop, the program at a glance, a start in the middle."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from underglass.core.control.interpret import Control
from underglass.core.language.block import Block
from underglass.core.proof import flat_outputs as flat
from underglass.core.proof.flat_outputs import history_of
from underglass.core.proof.flat_reader import modes, travel
from underglass.core.proof.outputs import OUTPUTS, NowRow, Outputs, OwnNow
from underglass.core.proof.proof import Proof
from underglass.core.trades.punching.cut import hits_of, punch_at
from underglass.core.trades.punching.name import PUNCHING
from underglass.core.trades.punching.rows import rows_of
from underglass.core.units import Unit, show_clock, show_length


def _number(value: float | None) -> float | None:
    return None if value is None else round(value, 6)


def hits_by_station(proof: Proof) -> dict[int, int]:
    """How often each station strikes."""
    called = proof.motions.tool_of()[hits_of(proof.motions)]
    return {int(n): int((called == n).sum()) for n in np.unique(called)}


def _report(proof: Proof) -> Mapping[str, Any]:
    history = history_of(proof)
    pieces = history.pieces if history is not None else ()
    thick = history.thickness if history is not None else 0.0
    return {
        "hits": {str(n): count for n, count in hits_by_station(proof).items()},
        "rows": [
            {
                "line": r.line, "station": r.station, "hits": len(r.hits), "pitch_mm": _number(r.pitch), "scallop_mm": _number(r.scallop),
                "time_s": round(r.time_s, 4), "pitch_for_wanted_mm": _number(r.wanted),
            }
            for r in rows_of(proof.job, proof.motions, proof.timing)
        ],
        "pieces": [
            {
                "line": int(proof.motions.line[p.move]), "time_s": round(proof.timing.end_of(p.move), 4), "area_mm2": round(p.area, 4),
                "volume_mm3": round(p.area * thick, 4), "x": round(p.centre[0], 4), "y": round(p.centre[1], 4), "inside": False,
            }
            for p in pieces
        ],
    }  # fmt: skip


def _struck(proof: Proof) -> np.ndarray:
    return proof.motions.dwell > 0.0


def _summary(proof: Proof) -> Mapping[str, Any]:
    return flat.summary(proof, _struck(proof), {"hits": {str(n): c for n, c in hits_by_station(proof).items()}})


def _summary_text(proof: Proof) -> list[str]:
    found = _summary(proof)
    return flat.summary_lines(
        proof, found, ["  hits: " + (", ".join(f"T{n} {c}" for n, c in found["hits"].items()) or "none")]
    )


def _own(c: Control) -> list[str]:
    out = []
    on = c.modal.station
    if on is not None and on.turn and c.profile.turn_letter:
        out.append(f"{c.profile.turn_letter}{np.degrees(on.turn):.6g}")
    if c.modal.spindle == "off":
        out.append("M21")
    return out


def _restart(c: Control, fresh: Control) -> tuple[str, ...]:
    blocks = flat.restart(c, fresh, tool=True, own=_own)
    return (
        tuple(b for b in blocks if b not in ("G0", "G80") and not b.startswith("F"))
        if c.modal.motion in ("G0", "G80")
        else blocks
    )


def _needs(c: Control) -> list[tuple[str, str, str]]:
    out = [n for n in flat.needs(c, tool=True, cutter="") if n[0] not in ("motion", "feed")]
    if c.modal.spindle == "off":
        out.append(("punching", "hitting off", "M21"))
    return out


def _now(proof: Proof, moment: float) -> OwnNow | None:
    motions, unit = proof.motions, proof.job.units

    def own(move: int, _share: float) -> tuple[list[NowRow], list[NowRow]]:
        state = motions.state_of(move)
        punch = punch_at(proof.job.bench, state.tool)
        name = punch.short if punch is not None else "not in the turret" if state.tool else "none called"
        held = [NowRow("Station", f"T{state.tool} \u00b7 {name}" if state.tool else name)]
        if state.station is not None and state.station.turn:
            held.append(NowRow("Turned", f"{np.degrees(state.station.turn):g}\u00b0"))
        if state.station is not None and state.station.x:
            held.append(NowRow("Clamps moved", f"X {show_length(-state.station.x, unit)}"))
        hits = hits_of(motions)
        done = int(np.searchsorted(hits, move, side="right"))
        cut = [NowRow("Punching", "on" if state.spindle != "off" else "off"), NowRow("Hits", f"{done} of {len(hits)}")]
        if state.station is not None and state.station.pitch:
            cut.append(NowRow("Pitch", f"{show_length(state.station.pitch, unit)} {unit}"))
        return held, cut

    return flat.now(proof, moment, own)


def _whole(proof: Proof) -> list[tuple[str, list[tuple[str, str]]]]:
    unit, names = proof.job.units, proof.job.bench.tool_names
    by = hits_by_station(proof)
    rows = rows_of(proof.job, proof.motions, proof.timing)
    strokes = [(f"T{n} {names.get(proof.job.bench.loaded.get(n, n), '')}", str(c)) for n, c in by.items()]
    out = [("Hits", [*strokes, ("In all", str(sum(by.values())))])]
    if rows:
        out.append((
            "Rows", [
                (f"Line {r.line}, T{r.station}", f"{len(r.hits)} every {show_length(r.pitch, unit)}" + (f", scallop {show_length(r.scallop, unit)}" if r.scallop else ""))
                for r in rows[:12]
            ],
        ))  # fmt: skip
    moving = float(proof.timing.duration[proof.motions.rapid()].sum())
    out.append(
        (
            "Time",
            [
                ("In all", show_clock(proof.timing.total)),
                ("Moving", show_clock(moving)),
                ("Striking", show_clock(float(proof.timing.duration[_struck(proof)].sum()))),
            ],
        )
    )
    return out


def _says(proof: Proof, block: Block, line: int, unit: Unit) -> list[str]:
    out = modes(block)
    codes = {int(w.value) for w in block.words if w.letter == "M"}
    tool = next((w for w in block.words if w.letter == "T"), None)
    if tool is not None:
        name = proof.job.bench.tool_names.get(int(tool.value), "not in the turret")
        out.append(f"Brings station {tool.value:g} under the ram ({name})")
    if 21 in codes:
        out.append("Switches hitting off")
    if 20 in codes:
        out.append("Switches hitting on")
    moves = proof.moves_of_line(line)
    if moves is None:
        return out
    motions = proof.motions
    made = proof.job.control.cycle_by_name.get(motions.state_of(moves[1]).motion)
    hits = int((motions.dwell[moves[0] : moves[1] + 1] > 0.0).sum())
    if made is not None:
        out.append(f"{made.cycle.said}: {hits} hit{'' if hits == 1 else 's'}")
        return out
    end = motions.state_of(moves[1]).work(tuple(float(v) for v in motions.end[moves[1]]))  # type: ignore[arg-type]
    if hits:
        out.append(f"Strikes at X {show_length(end[0], unit)} Y {show_length(end[1], unit)}")
    else:
        out.append(travel(proof, line, unit, ""))
    return out


OUT = OUTPUTS[PUNCHING] = Outputs(
    report=_report, summary=_summary, summary_text=_summary_text, part=flat.part, metal=flat.metal_at, outlines=flat.outlines, now=_now, whole=_whole, says=_says,
    restart=_restart, needs=_needs,
)  # fmt: skip
