"""What cutting sheet says of a proof: pieces, cut length, pierces, the program at a glance, a start in the middle."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from underglass.core.control.interpret import Control
from underglass.core.language.block import Block
from underglass.core.proof import flat_outputs as flat
from underglass.core.proof.flat_outputs import history_of, sheet_of
from underglass.core.proof.lens_ways import LENSES, PLAN, LensWays, RealCutter
from underglass.core.proof.outputs import OUTPUTS, NowRow, Outputs, OwnNow
from underglass.core.proof.proof import Proof
from underglass.core.trades.sheet.cut import cuts_of, cutter_at
from underglass.core.trades.sheet.name import SHEET
from underglass.core.trades.sheet.pieces import inside_ones
from underglass.core.trades.sheet.reader import lens_words, says
from underglass.core.units import Unit, show_clock, show_length


def _report(proof: Proof) -> Mapping[str, Any]:
    history = history_of(proof)
    if history is None:
        return {"pieces": []}
    inner = inside_ones(proof.run, history, sheet_of(proof).bridges)
    return {
        "pieces": [
            {
                "line": int(proof.motions.line[p.move]), "time_s": round(proof.timing.end_of(p.move), 4), "area_mm2": round(p.area, 4),
                "volume_mm3": round(p.area * history.thickness, 4), "x": round(p.centre[0], 4), "y": round(p.centre[1], 4),
                "inside": p.bite in inner,
            }
            for p in history.pieces
        ]
    }  # fmt: skip


def figures(proof: Proof) -> dict[str, Any]:
    """Cut length mm, pierces, kept parts and drop-outs, weight of each in kg (None: the material is not known), cutting time s."""
    motions, history = proof.motions, history_of(proof)
    cuts = cuts_of(motions)
    cutting = cuts.on & cuts.feeds
    lengths = motions.lengths()
    inner = inside_ones(proof.run, history, sheet_of(proof).bridges) if history is not None else frozenset()
    pieces = history.pieces if history is not None else ()
    density = _DENSITY.get(proof.job.bench.material)
    thick = sheet_of(proof).thickness

    def weight(area: float) -> float | None:
        return area * thick * density * 1e-6 if density is not None else None

    kept = sum(p.area for p in pieces if p.bite not in inner)
    dropped = sum(p.area for p in pieces if p.bite in inner)
    left = history.final.area - kept - dropped if history is not None else 0.0
    return {
        "cut_mm": float(lengths[cutting].sum()), "rapid_mm": float(lengths[motions.rapid()].sum()), "pierces": len(cuts.stretches),
        "parts": sum(p.bite not in inner for p in pieces), "drop_outs": sum(p.bite in inner for p in pieces),
        "parts_kg": weight(kept), "drop_outs_kg": weight(dropped), "sheet_left_kg": weight(left),
        "cutting_s": float(proof.timing.duration[cutting].sum()), "rapid_s": float(proof.timing.duration[motions.rapid()].sum()),
        "waiting_s": float(proof.timing.duration[motions.dwell > 0.0].sum()),
    }  # fmt: skip


_DENSITY: Mapping[str, float] = {
    "steel": 7.85, "stainless steel": 7.9, "mild steel": 7.85, "aluminium": 2.7, "brass": 8.5, "copper": 8.96, "titanium": 4.5, "acrylic": 1.19,
}  # fmt: skip
"""g/cm3 (handbook values, from memory)."""


def _fed(proof: Proof) -> np.ndarray:
    cuts = cuts_of(proof.motions)
    return cuts.feeds & (cuts.on | sheet_of(proof).dry_trace)


def _summary(proof: Proof) -> Mapping[str, Any]:
    cuts = cuts_of(proof.motions)
    cutting = cuts.on & cuts.feeds
    more = {"cut_mm": float(proof.motions.lengths()[cutting].sum()), "pierces": len(cuts.stretches)}
    return flat.summary(proof, _fed(proof), more)


def _summary_text(proof: Proof) -> list[str]:
    found = _summary(proof)
    more = [f"  {show_length(found['cut_mm'], proof.job.units)} {proof.job.units} of cut, {found['pierces']} pierces"]
    return flat.summary_lines(proof, found, more)


def _own(c: Control) -> list[str]:
    return ["M3"] if c.modal.spindle != "off" else []


def _restart(c: Control, fresh: Control) -> tuple[str, ...]:
    return flat.restart(c, fresh, tool=False, own=_own)


def _needs(c: Control) -> list[tuple[str, str, str]]:
    return flat.needs(c, tool=False, cutter="the cutter")


def _now(proof: Proof, moment: float) -> OwnNow | None:
    motions, unit = proof.motions, proof.job.units

    def own(move: int, _share: float) -> tuple[list[NowRow], list[NowRow]]:
        state = motions.state_of(move)
        cutter = cutter_at(proof.job.bench, state.tool)
        held = [NowRow("Cutter", f"{cutter.name if cutter else 'none'}")]
        if cutter is not None and state.comp != "off":
            wrong = abs(state.d_value - cutter.kerf / 2.0) > proof.job.settings.tolerance.radius
            figure = f"{show_length(cutter.kerf / 2.0, unit)} / {show_length(state.d_value, unit)}"
            held.append(NowRow(f"Half kerf / D{state.d_number}, {state.comp}", figure, belief=True, wrong=wrong))
        on = state.spindle != "off" and not sheet_of(proof).dry_trace
        feed = float(motions.feed[move])
        rate = "rapid" if np.isnan(feed) else f"{show_length(feed, unit).rstrip('0').rstrip('.')} {unit}/min"
        if motions.dwell[move] > 0.0:
            rate = f"waits {motions.dwell[move]:.2f} s"
        cut = [
            NowRow(
                "Torch" if cutter is None or cutter.kind == "torch" else cutter.kind.capitalize(), "on" if on else "off"
            ),
            NowRow("Feed", rate),
        ]
        history = history_of(proof)
        done = history.bites_done(move) if history is not None else 0
        cut.append(NowRow("Contours cut", f"{done} of {len(history.bites) if history is not None else 0}"))
        return held, cut

    return flat.now(proof, moment, own)


def _whole(proof: Proof) -> list[tuple[str, list[tuple[str, str]]]]:
    found, unit = figures(proof), proof.job.units

    def kg(value: float | None) -> str:
        return "material not said" if value is None else f"{value:.3f} kg"

    sizes = flat.summary(proof, _fed(proof), {})
    spans = [
        (axis.upper(), f"{show_length(pair[0], unit)} to {show_length(pair[1], unit)}")
        for axis in "xy"
        if sizes["cutting"] is not None and (pair := sizes["cutting"][axis]) is not None
    ]
    return [
        ("Cut", [*spans, ("Cut length", f"{show_length(found['cut_mm'], unit)} {unit}"), ("Pierces", str(found["pierces"]))]),
        ("Pieces", [
            ("Parts", f"{found['parts']}, {kg(found['parts_kg'])}"), ("Drop-outs", f"{found['drop_outs']}, {kg(found['drop_outs_kg'])}"),
            ("Sheet that is left", kg(found["sheet_left_kg"])),
        ]),
        ("Time", [
            ("In all", show_clock(proof.timing.total)), ("Cutting", show_clock(found["cutting_s"])), ("At rapid", show_clock(found["rapid_s"])),
            ("Waiting", show_clock(found["waiting_s"])),
        ]),
    ]  # fmt: skip


def _says(proof: Proof, block: Block, line: int, unit: Unit) -> list[str]:
    return says(proof, block, line, unit)


OUT = OUTPUTS[SHEET] = Outputs(
    report=_report, summary=_summary, summary_text=_summary_text, part=flat.part, metal=flat.metal_at, outlines=flat.outlines, now=_now, whole=_whole, says=_says,
    restart=_restart, needs=_needs,
)  # fmt: skip

LENSES[SHEET] = LensWays(
    bare=lambda _proof: (), words=lens_words, axes=PLAN, names=("D (kerf)", "Real kerf"),
    real=lambda proof, stretch: RealCutter(c.kerf / 2.0) if (c := cutter_at(proof.job.bench, stretch.tool)) is not None else None,
)  # fmt: skip
