"""What turning says of a proof: diameters, pieces, the part, the program at a glance, and a start in the middle.

X is a diameter in everything that is said here.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.interpret import Control
from underglass.core.control.modal import Modal
from underglass.core.control.motions import Kind
from underglass.core.language import writing
from underglass.core.proof.measure import moves_done_after
from underglass.core.proof.outputs import OUTPUTS, NowRow, Outputs, OwnNow, Triangles, glance, low_to_high
from underglass.core.proof.proof import Proof
from underglass.core.proof.restart_blocks import offset_words
from underglass.core.removal.section.history import SectionHistory
from underglass.core.removal.section.revolve import turned
from underglass.core.removal.section.state import Section
from underglass.core.trades.turning.clock import speed_at
from underglass.core.trades.turning.lathe import lathe_of, tips, tool_rows
from underglass.core.trades.turning.name import TURNING
from underglass.core.trades.turning.reader import says
from underglass.core.units import Unit, show_clock, show_length, show_surface


def history_of(proof: Proof) -> SectionHistory | None:
    """The stock in the chuck over time."""
    return next((h for h in proof.histories if isinstance(h, SectionHistory)), None)


def section_after(proof: Proof, line: int | None) -> Section | None:
    """The half section at the end, or just after a line."""
    history = history_of(proof)
    if history is None or line is None:
        return history.final if history is not None else None
    done = moves_done_after(proof, line)
    return history.at(done - 1, 1.0) if done else history.uncut


def _report(proof: Proof) -> Mapping[str, Any]:
    history = history_of(proof)
    pieces = history.pieces if history is not None else ()
    return {
        "pieces": [
            {
                "line": int(proof.motions.line[p.move]), "time_s": round(proof.timing.end_of(p.move), 4),
                "volume_mm3": round(p.volume, 4),
            }
            for p in pieces
        ]
    }  # fmt: skip


def _rings(proof: Proof, z: float, line: int | None) -> list[tuple[float, float]]:
    section = section_after(proof, line)
    return section.rings_at(z) if section is not None else []


def _part(proof: Proof, line: int | None) -> Triangles:
    section = section_after(proof, line)
    if section is None or section.shape.is_empty:
        return np.empty((0, 3)), np.empty((0, 3), dtype=np.int64)
    return turned(section.shape)


def _span(values: NDArray[np.float64]) -> list[float] | None:
    values = values[np.isfinite(values)]
    return [float(values.min()), float(values.max())] if len(values) else None


def _summary(proof: Proof) -> Mapping[str, Any]:
    motions, timing = proof.motions, proof.timing
    tools, rows = tool_rows(proof.job.bench, motions)
    start, end, _centre = tips(proof.job.bench, motions, tools, rows)
    known = rows >= 0
    feeds = ~motions.rapid() & (motions.dwell == 0.0)
    called = motions.tool_of()

    def extents(mine: NDArray[np.bool_]) -> dict[str, Any] | None:
        both = np.vstack([start[mine], end[mine]])
        return {"x": _span(2.0 * both[:, 0]), "z": _span(both[:, 1])} if len(both) else None

    used = []
    names = proof.job.bench.tool_names
    for number in proof.tool_order:
        mine = called == number
        states = [motions.in_force[k] for k in np.unique(motions.state[mine]).tolist()]
        cut = mine & feeds
        used.append(
            {
                "number": number,
                "name": names.get(proof.job.bench.loaded.get(number, number), ""),
                "first_line": next((s.line for s in proof.segments if s.tool == number), 1),
                "moves": int(mine.sum()),
                "offsets": sorted({s.station.offset for s in states if s.station is not None}),
                "cutting": extents(cut & known),
                "speeds_rpm": _span(np.array([s.speed for s in states if s.spindle != "off" and not (s.station and s.station.surface)])),
                "surface_m_min": _span(np.array([s.speed for s in states if s.spindle != "off" and s.station and s.station.surface])),
                "feeds_mm_min": _span(motions.feed[cut]),
                "time_s": float(timing.duration[mine].sum()),
            }
        )  # fmt: skip
    code = [
        k for k, text in enumerate(proof.source.lines, 1) if any(c.isalnum() for c in text.split("(")[0].split(";")[0])
    ]
    return {
        "lines": len(proof.source.lines),
        "moves": len(motions),
        "time_s": timing.total,
        "everything": extents(known),
        "cutting": extents(known & feeds),
        "tools": used,
        "offsets": list(dict.fromkeys(motions.in_force[k].offset for k in np.unique(motions.state).tolist())),
        "stops": sum(e.kind in ("stop", "optional-stop") for e in motions.events),
        "unknown": [(f.line, f.column) for f in proof.findings if f.code == "word-unknown"],
        "never_run": [k for k in code if not proof.run.ran(k)],
    }


def _summary_text(proof: Proof) -> list[str]:
    found, unit = _summary(proof), proof.job.units
    tools = []
    for t in found["tools"]:
        turns = f"S {low_to_high(t['speeds_rpm'], None)} rpm" if t["speeds_rpm"] else ""
        surface = f"S {low_to_high(t['surface_m_min'], None)} m/min" if t["surface_m_min"] else ""
        cut = (
            f", X {low_to_high(t['cutting']['x'], unit)}, Z {low_to_high(t['cutting']['z'], unit)}"
            if t["cutting"]
            else ""
        )
        tools.append(
            f"  T{t['number']} {t['name'] or 'not on the turret'}, line {t['first_line']}: {t['moves']} moves, {show_clock(t['time_s'])}{cut}, "
            f"{' and '.join(x for x in (turns, surface) if x) or 'no speed'}, offset {', '.join(map(str, t['offsets']))}"
        )
    return glance(proof, found, ("x", "z"), tools, head=", X as a diameter", by=", by the tips")


# -- starting in the middle ------------------------------------------------------------------------------------------------


def _spindle_words(c: Control) -> list[str]:
    m = c.modal
    on = m.station
    out = []
    if on is not None and on.limit:
        out.append(f"G50 S{on.limit:.10g}")
    mode = "G96" if on is not None and on.surface else "G97"
    speed = m.speed / 0.3048 if on is not None and on.surface and m.units == "inch" else m.speed
    if m.spindle != "off":
        out.append(f"{mode} S{speed:.10g} {'M3' if m.spindle == 'clockwise' else 'M4'}")
    elif m.speed > 0.0:
        out.append(f"{mode} S{speed:.10g}")
    return out


def _place_words(c: Control) -> tuple[str, str]:
    """X and Z of where the tool stands, as the program would say it."""
    m, unit = c.modal, c.modal.units
    factor = 1.0 if c.profile.x_radius else 2.0
    x, z = c.at[0] - m.shift[0], c.at[2] - m.shift[2]
    return f"X{writing.length(factor * x, unit)}", f"Z{writing.length(z, unit)}"


def _tool_word(c: Control) -> str:
    on = c.modal.station
    offset = on.offset if on is not None else 0
    if c.profile.tool_word == "T-station-offset":
        return f"T{c.modal.tool:02d}{offset:02d}"
    return f"T{c.modal.tool}" + (" M6" if c.profile.tool_word == "T-M6" else "")


def _restart(c: Control, fresh: Control) -> tuple[str, ...]:
    m = c.modal
    unit: Unit = m.units
    per_turn = m.feed_mode == "G95"
    out = [f"#{k}={v:.12f}".rstrip("0").rstrip(".") for k, v in sorted(c.flow.variables.items()) if v]
    out.append(f"{'G20' if unit == 'inch' else 'G21'} G40 {'G99' if per_turn else 'G98'}")
    out.append(offset_words(m.offset))
    if m.tool:
        out.append(_tool_word(c))
    out += _spindle_words(c)
    if c.at != fresh.at:
        x, z = _place_words(c)
        out += [f"G0 {z}", x]
    if m.coolant:
        out.append("M8")
    if m.feed > 0.0:
        out.append(f"F{writing.length(m.feed, unit)}")
    if m.motion != "G80":
        out.append(m.motion)
    return tuple(out)


def _needs(c: Control) -> list[tuple[str, str, str]]:
    m, fresh = c.modal, Modal.at_power_on(c.profile.power_on)
    unit: Unit = m.units
    on = m.station
    out: list[tuple[str, str, str]] = []
    if unit != fresh.units:
        out.append(("units", "inch" if unit == "inch" else "metric", "G20" if unit == "inch" else "G21"))
    mode = "G99" if m.feed_mode == "G95" else "G98"
    if (mode == "G99") != ("G99" in c.profile.power_on):
        out.append(("feed mode", "feed a turn" if mode == "G99" else "feed a minute", mode))
    if m.tool:
        out.append(("tool", f"tool {m.tool} with offset {on.offset if on else 0}", _tool_word(c)))
    if m.offset != fresh.offset:
        out.append(("work offset", f"work offset {m.offset}", offset_words(m.offset)))
    if on is not None and on.limit:
        out.append(("limit", f"speed limit of {on.limit:g} rpm", f"G50 S{on.limit:.10g}"))
    if m.spindle != "off":
        said = _spindle_words(c)[-1]
        out.append(("spindle", f"spindle on, {said}", said))
    if m.coolant:
        out.append(("coolant", "coolant", "M8"))
    if m.comp != "off":
        word = "G41" if m.comp == "left" else "G42"
        out.append(("radius compensation", f"tip radius compensation {word}", word))
    if m.feed > 0.0:
        figure = f"F{writing.length(m.feed, unit)}"
        out.append(("feed", f"feed {figure}", figure))
    if m.motion not in ("G80", fresh.motion):
        out.append(("motion", f"{m.motion} in force", m.motion))
    if c.at != c.machine.home:
        said = " ".join(_place_words(c))
        out.append(("place", f"the tool at {said}", said))
    return out


# -- at a moment -----------------------------------------------------------------------------------------------------------

_SPINDLE = {"off": "stopped", "clockwise": "cw", "counter-clockwise": "ccw"}


def _now(proof: Proof, moment: float) -> OwnNow | None:
    motions, unit = proof.motions, proof.job.units
    if not len(motions):
        return None
    move, share = proof.timing.locate(moment)
    state = motions.state_of(move)
    on = state.station
    here, end = motions.at(move, share), motions.at(move, 1.0)
    tools, rows = tool_rows(proof.job.bench, motions)
    row = int(rows[move])
    tool = tools[row] if row >= 0 else None
    zero = lathe_of(proof.job.bench)
    limit = proof.job.settings.tolerance.length

    def said(mm: float) -> str:
        return show_length(mm, unit)

    work = (2.0 * (here[0] - state.shift[0]), here[2] - state.shift[2])
    axes = tuple(
        (name, value, f * here[k], f * (end[k] - here[k]))
        for name, value, k, f in (("X", work[0], 0, 2.0), ("Z", work[1], 2, 1.0))
    )
    held: list[NowRow] = []
    if tool is not None:
        x, z = 2.0 * (here[0] - tool.gauge[0] - zero.zero_x), here[2] - tool.gauge[1] - zero.zero_z
        wrong = on is not None and on.offset > 0 and max(abs(x - work[0]), abs(z - work[1])) > limit
        held.append(NowRow("Tip, real", f"X {said(x)}  Z {said(z)}", wrong=wrong))
    name = tool.name if tool is not None else "not on the turret" if state.tool else "none"
    held.append(NowRow("Tool", f"T{state.tool} · {name}" if state.tool else "none at work"))
    true = proof.job.bench.zero.get(state.offset)
    if true is not None:
        shift = (state.shift[0] - (on.x if on else 0.0), state.shift[2] - (on.z if on else 0.0))
        off = (2.0 * (shift[0] - true.x), shift[1] - true.z)
        bad = max(map(abs, off)) > limit
        held.append(
            NowRow(
                "Zero",
                f"{state.offset} {f'out by X {said(off[0])} Z {said(off[1])}' if bad else 'true'}",
                belief=True,
                wrong=bad,
            )
        )
    if on is not None:
        held.append(
            NowRow(
                f"Offset {on.offset:02d}",
                f"X {said(2.0 * on.x)}  Z {said(on.z)}" if on.offset else "none on",
                belief=True,
            )
        )
        if tool is not None:
            held.append(NowRow("Gauge, real", f"X {said(2.0 * tool.gauge[0])}  Z {said(tool.gauge[1])}"))
        if state.comp != "off":
            real = said(tool.RE) if tool is not None else "–"
            held.append(
                NowRow(f"Nose / {state.comp}", f"{real} / {said(state.d_value)}, {on.orientation}", belief=True)
            )
    machine = proof.job.bench.machine
    rpm = speed_at(motions, machine, move, here[0])
    cut = [NowRow("Spindle", f"{rpm:.0f} rpm {_SPINDLE[state.spindle]}" if rpm else "stopped")]
    if on is not None and on.limit:
        cut.append(NowRow("Speed limit", f"{on.limit:g} rpm"))
    feed = float(motions.feed[move])
    begin = speed_at(motions, machine, move, float(motions.start[move, 0]))
    if np.isnan(feed):
        rate = "rapid"
    elif begin > 0.0 and state.feed_mode == "G95":
        rate = f"{show_length(feed / begin, unit)} {unit} a turn"
    else:
        rate = f"{show_length(feed, unit)} {unit}/min"
    cut.append(NowRow("Feed", rate))
    reach = abs(here[0] - state.shift[0]) if tool is None or not tool.on_axis else tool.DC / 2.0
    cut.append(
        NowRow("Surface", show_surface(2.0 * np.pi * reach * rpm / 1000.0, unit) if rpm and rate != "rapid" else "–")
    )
    cut.append(NowRow("Active", " ".join((state.motion, *(w for w in state.words if w not in ("G40", state.offset))))))
    cut.append(NowRow("Elapsed, left", f"{show_clock(moment)} · {show_clock(max(proof.timing.total - moment, 0.0))}"))
    later = np.flatnonzero(motions.line[move:] != motions.line[move])
    return OwnNow(
        line=int(motions.line[move]), next_line=int(motions.line[move + int(later[0])]) if len(later) else None,
        kind=Kind(int(motions.kind[move])), axes=axes, held=tuple(held), cut=tuple(cut),
    )  # fmt: skip


def _whole(proof: Proof) -> list[tuple[str, list[tuple[str, str]]]]:
    found, unit = _summary(proof), proof.job.units
    rapid = proof.motions.rapid()
    feed_s, rapid_s = (float(proof.timing.duration[m].sum()) for m in (~rapid, rapid))

    def span(pair: list[float] | None, *, length: bool = True) -> str:
        if pair is None:
            return "–"
        low, high = (show_length(v, unit) if length else f"{v:.5g}" for v in pair)
        return low if low == high else f"{low} to {high}"

    out = [("Time", [
        ("in all", show_clock(found["time_s"])), ("at feed", show_clock(feed_s)), ("at rapid", show_clock(rapid_s)),
        ("turret and waiting", show_clock(max(found["time_s"] - feed_s - rapid_s, 0.0))),
    ])]  # fmt: skip
    if found["cutting"] is not None:
        out.append(
            (
                f"The cutting tips go, {unit}",
                [("diameter", span(found["cutting"]["x"])), ("Z", span(found["cutting"]["z"]))],
            )
        )
    for t in found["tools"]:
        speed = (
            f"{span(t['surface_m_min'], length=False)} m/min"
            if t["surface_m_min"]
            else f"{span(t['speeds_rpm'], length=False)} rpm"
        )
        rows = [("time", show_clock(t["time_s"])), ("speed", speed)]
        if t["cutting"]:
            rows += [("diameter", span(t["cutting"]["x"])), ("Z", span(t["cutting"]["z"]))]
        removed = sum(float(h.removed[proof.motions.tool_of() == t["number"]].sum()) for h in proof.histories)
        rows.append(("takes", f"{removed / 1000.0:.2f} cm³"))
        out.append((f"T{t['number']} {t['name']}", rows))
    history = history_of(proof)
    if history is not None:
        rows = [
            ("in the chuck, at first", f"{history.uncut.volume() / 1000.0:.2f} cm³"),
            ("at the end", f"{history.final.volume() / 1000.0:.2f} cm³"),
        ]
        rows += [
            (f"parted off in line {p['line']}", f"{p['volume_mm3'] / 1000.0:.2f} cm³") for p in _report(proof)["pieces"]
        ]
        out.append(("Stock", rows))
    near = sorted(proof.closest, key=lambda c: c.distance_mm)[:6]
    if near:
        out.append(
            (
                f"Closest approaches, {unit}",
                [(f"T{c.tool} {c.part} to {c.to}, line {c.line}", show_length(c.distance_mm, unit)) for c in near],
            )
        )
    return out


TURNED = OUTPUTS[TURNING] = Outputs(
    report=_report, summary=_summary, summary_text=_summary_text, part=_part, rings=_rings, now=_now, whole=_whole, says=says, restart=_restart, needs=_needs
)  # fmt: skip
