"""What every trade that works on a flat sheet says of a proof: extents, the part as a solid, a start in the middle, what holds now. No Z."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.bench.sheet import Sheet
from underglass.core.control.interpret import Control
from underglass.core.control.modal import Modal
from underglass.core.control.motions import Kind
from underglass.core.language import writing
from underglass.core.proof.measure import moves_done_after
from underglass.core.proof.outputs import NowRow, Outline, OwnNow, Triangles, glance
from underglass.core.proof.proof import Proof
from underglass.core.proof.restart_blocks import offset_words, transform_words
from underglass.core.removal.sheet.history import SheetHistory
from underglass.core.units import Unit, show_clock, show_length

Floats = NDArray[np.float64]


def history_of(proof: Proof) -> SheetHistory | None:
    """The sheet over time."""
    return next((h for h in proof.histories if isinstance(h, SheetHistory)), None)


def sheet_of(proof: Proof) -> Sheet:
    """The sheet that the job's bench has."""
    assert isinstance(proof.job.bench.more, Sheet)
    return proof.job.bench.more


def on_part(proof: Proof, places: Floats) -> Floats:
    """Machine places (n, 3) of its moves seen from the true zero ``(n, 2)``; what a repositioning has moved is taken off."""
    sheet, motions = sheet_of(proof), proof.motions
    moved = np.array([s.station.x if s.station else 0.0 for s in motions.in_force] or [0.0])[motions.state]
    out: Floats = places[:, :2] - (sheet.zero_x, sheet.zero_y)
    out[:, 0] -= moved
    return out


def metal_at(proof: Proof, places: list[tuple[float, float]], line: int | None) -> NDArray[np.bool_]:
    """Whether there is metal at places, at the end or just after a line."""
    history = history_of(proof)
    if history is None or not places:
        return np.zeros(len(places), dtype=np.bool_)
    done = len(proof.motions) if line is None else moves_done_after(proof, line)
    return history.there(places, done - 1, 1.0)


def outlines(proof: Proof, move: int, share: float) -> list[Outline]:
    """Rings of what is left of the sheet: loose is what no longer touches the sheet's own edge."""
    history = history_of(proof)
    if history is None:
        return []
    region = history.at(move, share).region if move >= 0 else history.sheet
    edge = history.sheet.boundary
    return [
        Outline(shapely.get_coordinates(ring), not shapely.dwithin(one, edge, 1e-6))
        for one in shapely.get_parts(region)
        for ring in shapely.get_rings(one)
    ]


def part(proof: Proof, line: int | None) -> Triangles:
    """The sheet as a solid of its thickness, its upper side at Z 0."""
    history = history_of(proof)
    if history is None:
        return np.empty((0, 3)), np.empty((0, 3), dtype=np.int64)
    done = len(proof.motions) if line is None else moves_done_after(proof, line)
    return plate(history.at(done - 1, 1.0).region if done else history.sheet, -history.thickness, 0.0)


def plate(region: Any, low: float, high: float) -> Triangles:
    """A flat region as closed triangles between two heights."""
    vertices: list[Floats] = []
    faces: list[NDArray[np.int64]] = []
    count = 0
    for one in shapely.get_parts(region):
        if shapely.get_type_id(one) != 3 or one.is_empty:
            continue
        one = shapely.geometry.polygon.orient(one)
        for z, up in ((high, True), (low, False)):
            for t in shapely.get_parts(shapely.constrained_delaunay_triangles(one)):
                flat = shapely.get_coordinates(shapely.geometry.polygon.orient(t))[:3]
                flat = flat if up else flat[::-1]
                vertices.append(np.column_stack([flat, np.full(3, z)]))
                faces.append(np.arange(count, count + 3)[None, :])
                count += 3
        for ring in shapely.get_rings(one):
            places = shapely.get_coordinates(ring)
            a, b = places[:-1], places[1:]
            n = len(a)
            quads = np.stack([
                np.column_stack([a, np.full(n, low)]), np.column_stack([b, np.full(n, low)]), np.column_stack([b, np.full(n, high)]),
                np.column_stack([a, np.full(n, high)]),
            ], axis=1).reshape(-1, 3)  # fmt: skip
            vertices.append(quads)
            base = count + 4 * np.arange(n)[:, None]
            faces.append(np.concatenate([base + (0, 1, 2), base + (0, 2, 3)]))
            count += 4 * n
    if not vertices:
        return np.empty((0, 3)), np.empty((0, 3), dtype=np.int64)
    all_of, index = np.unique(np.round(np.concatenate(vertices), 9), axis=0, return_inverse=True)
    return all_of.astype(np.float64), index.reshape(-1)[np.concatenate(faces)].astype(np.int64)


def span(values: Floats) -> list[float] | None:
    values = values[np.isfinite(values)]
    return [float(values.min()), float(values.max())] if len(values) else None


def extents(proof: Proof, mine: NDArray[np.bool_]) -> dict[str, Any] | None:
    """How far some moves go, from the true zero."""
    if not mine.any():
        return None
    lows, highs = proof.motions.boxes()
    both = np.vstack([on_part(proof, lows)[mine], on_part(proof, highs)[mine]])
    return {"x": span(both[:, 0]), "y": span(both[:, 1])}


def summary(proof: Proof, fed: NDArray[np.bool_], more: Mapping[str, Any]) -> Mapping[str, Any]:
    """The program at a glance, lengths in mm."""
    motions, timing = proof.motions, proof.timing
    called = motions.tool_of()
    used = []
    for number in list(dict.fromkeys(int(n) for n in called.tolist() if n > 0)):
        mine = called == number
        used.append(
            {
                "number": number, "name": proof.job.bench.tool_names.get(proof.job.bench.loaded.get(number, number), ""),
                "first_line": int(motions.line[np.argmax(mine)]), "moves": int(mine.sum()), "cutting": extents(proof, mine & fed),
                "feeds_mm_min": span(motions.feed[mine & fed]), "time_s": float(timing.duration[mine].sum()),
            }
        )  # fmt: skip
    code = [
        k for k, text in enumerate(proof.source.lines, 1) if any(c.isalnum() for c in text.split("(")[0].split(";")[0])
    ]
    return {
        "lines": len(proof.source.lines), "moves": len(motions), "time_s": timing.total,
        "everything": extents(proof, motions.dwell == 0.0), "cutting": extents(proof, fed), "tools": used,
        "offsets": list(dict.fromkeys(motions.in_force[k].offset for k in np.unique(motions.state).tolist())),
        "stops": sum(e.kind in ("stop", "optional-stop") for e in motions.events),
        "unknown": [(f.line, f.column) for f in proof.findings if f.code == "word-unknown"],
        "never_run": [k for k in code if not proof.run.ran(k)], **more,
    }  # fmt: skip


def summary_lines(proof: Proof, found: Mapping[str, Any], more: list[str]) -> list[str]:
    """The same for a person."""
    tools = [
        f"  T{t['number']} {t['name'] or 'not on the bench'}, line {t['first_line']}: {t['moves']} moves, {show_clock(t['time_s'])}"
        for t in found["tools"]
    ]
    return glance(proof, found, ("x", "y"), [*tools, *more])


# -- starting in the middle ------------------------------------------------------------------------------------------------


def _place_words(c: Control) -> str:
    m = c.modal
    s = m.shift
    return f"X{writing.length(c.at[0] - s[0], m.units)} Y{writing.length(c.at[1] - s[1], m.units)}"


def _transforms(c: Control, unit: Unit) -> list[tuple[str, str, str]]:
    """What is shifted, as a control without a Z has it."""
    return [(group, what, words.replace(" Z0.", "")) for group, what, words in transform_words(c, unit) if words]


def restart(c: Control, fresh: Control, *, tool: bool, own: Callable[[Control], list[str]]) -> tuple[str, ...]:
    """Blocks that bring a fresh control to the state of another one: the way there with the cutter off, then what is the trade's own."""
    m = c.modal
    unit: Unit = m.units
    out = [f"#{k}={v:.12f}".rstrip("0").rstrip(".") for k, v in sorted(c.flow.variables.items()) if v]
    out.append(f"{'G20' if unit == 'inch' else 'G21'} G90 G40")
    out.append(offset_words(m.offset))
    if tool and m.tool:
        out.append(f"T{m.tool}")
    if c.at != fresh.at:
        out.append(f"G0 {_place_words(c)}")
    out += [words for _group, _what, words in _transforms(c, unit)]
    if not m.absolute:
        out.append("G91")
    if m.feed > 0.0:
        out.append(f"F{writing.length(m.feed, unit)}")
    if m.coolant:
        out.append("M8")
    out += own(c)
    if m.d_number is not None:
        out.append(f"D{m.d_number}")
    if m.motion != "G80":
        out.append(m.motion)
    return tuple(out)


def needs(c: Control, *, tool: bool, cutter: str) -> list[tuple[str, str, str]]:
    """What is in force and would not be after power-on. ``cutter``: what M3 switches on, empty where it does not."""
    m, fresh = c.modal, Modal.at_power_on(c.profile.power_on)
    unit: Unit = m.units
    out: list[tuple[str, str, str]] = []
    if unit != fresh.units:
        out.append(("units", "inch" if unit == "inch" else "metric", "G20" if unit == "inch" else "G21"))
    if m.absolute != fresh.absolute:
        out.append(
            ("distance", "absolute places" if m.absolute else "incremental places", "G90" if m.absolute else "G91")
        )
    if tool and m.tool:
        out.append(("tool", f"station {m.tool}", f"T{m.tool}"))
    if m.offset != fresh.offset:
        out.append(("work offset", f"work offset {m.offset}", offset_words(m.offset)))
    out += _transforms(c, unit)
    if cutter and m.spindle != "off":
        out.append(("cutter", f"{cutter} on", "M3"))
    if m.comp != "off":
        word = "G41" if m.comp == "left" else "G42"
        out.append(("radius compensation", f"kerf compensation {word}", word))
    if m.feed > 0.0:
        figure = f"F{writing.length(m.feed, unit)}"
        out.append(("feed", f"feed {figure}", figure))
    if m.motion not in ("G80", fresh.motion):
        out.append(("motion", f"{m.motion} in force", m.motion))
    if c.at != c.machine.home:
        said = _place_words(c)
        out.append(("place", f"the machine at {said}", said))
    return out


# -- at a moment -----------------------------------------------------------------------------------------------------------


def now(proof: Proof, moment: float, own: Callable[[int, float], tuple[list[NowRow], list[NowRow]]]) -> OwnNow | None:
    """What holds at a moment; ``own`` gives the trade's rows, held and cut."""
    motions, unit, sheet = proof.motions, proof.job.units, sheet_of(proof)
    if not len(motions):
        return None
    move, share = proof.timing.locate(moment)
    state = motions.state_of(move)
    here, end = motions.at(move, share), motions.at(move, 1.0)
    moved = state.station.x if state.station is not None else 0.0
    limit = proof.job.settings.tolerance.work_offset

    def said(mm: float) -> str:
        return show_length(mm, unit)

    axes = tuple(
        (name, state.work((here[0], here[1], here[2]))[k], here[k], end[k] - here[k]) for k, name in enumerate("XY")
    )
    held = [NowRow("On the sheet, real", f"X {said(here[0] - sheet.zero_x - moved)}  Y {said(here[1] - sheet.zero_y)}")]
    true = proof.job.bench.zero.get(state.offset)
    if true is not None:
        off = (state.shift[0] - moved - true.x, state.shift[1] - true.y)
        bad = max(map(abs, off)) > limit
        figure = f"{state.offset} {f'out by X {said(off[0])} Y {said(off[1])}' if bad else 'true'}"
        held.append(NowRow("Zero", figure, belief=True, wrong=bad))
    more, cut = own(move, share)
    held += more
    cut.append(NowRow("Active", " ".join((state.motion, *(w for w in state.words if w not in ("G40", state.offset))))))
    cut.append(
        NowRow("Elapsed, left", f"{show_clock(moment)} \u00b7 {show_clock(max(proof.timing.total - moment, 0.0))}")
    )
    later = np.flatnonzero(motions.line[move:] != motions.line[move])
    return OwnNow(
        line=int(motions.line[move]), next_line=int(motions.line[move + int(later[0])]) if len(later) else None,
        kind=Kind(int(motions.kind[move])), axes=axes, held=tuple(held), cut=tuple(cut),
    )  # fmt: skip
