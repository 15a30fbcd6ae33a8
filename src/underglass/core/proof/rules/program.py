"""What the program itself gets wrong: tools that are not there, places out of reach, an end that is missing.

Codes: tool-unknown, wrong-tool-loaded, low-tool-change, end-missing, units-not-stated, travel-limit, below-limit, not-proved.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from underglass.core.compiled import kernel
from underglass.core.control.motions import Event
from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.removal.field import default_cell, make_field
from underglass.core.removal.toolpath import tip_path
from underglass.core.tolerances import TOLERANCES


@rule({"not-proved": Severity.CAUTION})
def _not_held(context: Context) -> Iterator[Finding]:
    """What the job asks for and this version cannot simulate."""
    for text in context.job.not_held:
        yield Finding(
            code="not-proved",
            line=1,
            message=text[:1].upper() + text[1:],
            remedy="prove this part of the job another way",
        )


@rule({"end-missing": Severity.CAUTION})
def _no_end(context: Context) -> Iterator[Finding]:
    if not context.run.ended:
        yield Finding(
            code="end-missing",
            line=context.run.last_line,
            message="the program has no M30 or M2 at its end",
            remedy="write M30 as the last block",
            move=len(context.motions),
        )


_HOLLOW_SHARE = 0.005
"""A height field of many cells is as large as the shape to far less than this, unless something is under something."""


@rule({"not-proved": Severity.CAUTION})
def _hollow(context: Context) -> Iterator[Finding]:
    """Shapes from files that have something under an overhang: a field of heights holds it as solid."""
    bench = context.job.bench
    for solid in {
        s.mesh: s for s in (*bench.stocks, *(f.solid for f in bench.fixtures)) if s.mesh is not None
    }.values():
        assert solid.mesh is not None
        held, real = make_field(solid, default_cell(solid)).volume(), solid.mesh.volume
        if held <= real * (1.0 + _HOLLOW_SHARE) + 1e-6:
            continue
        yield Finding(
            code="not-proved",
            line=1,
            message=f"{solid.mesh.name} has hollows or undercuts that are not seen from above: they are held as solid, {context.volume(held - real)} too much",
            remedy="look at these places another way",
            evidence={"held_mm3": held, "real_mm3": real},
        )


@rule({"units-not-stated": Severity.NOTE})
def _inherited(context: Context) -> Iterator[Finding]:
    """What the program relies on and never says: it runs as the control happens to stand."""
    if not len(context.motions):
        return
    first = context.motions.in_force[0]
    units, distance = (
        ("G20 or G21" if first.units == "inch" else "G21 or G20"),
        ("G91 or G90" if first.distance == "G91" else "G90 or G91"),
    )
    unsaid = [] if context.run.units_stated else [("inch or metric", f"in {first.units}", units)]
    for group, what, how, words in (
        ("distance", "absolute or incremental", f"by {first.distance}", distance),
        ("work offset", "which work offset", f"from {first.offset}", first.offset),
        ("plane", "the plane of its arcs", f"in G{first.plane}", f"G{first.plane}"),
    ):
        if group in context.run.inherited:
            unsaid.append((what, how, words))
    if unsaid:
        yield Finding(
            code="units-not-stated",
            line=1,
            message=f"the program never says {', '.join(w for w, _h, _s in unsaid)} before it relies on it: it runs {', '.join(h for _w, h, _s in unsaid)} because the control was left so",
            remedy=f"write {', '.join(s for _w, _h, s in unsaid)} in the safe line",
            evidence={
                "inherited": ", ".join(w for w, _h, _s in unsaid),
                "write": " ".join(s.split(" or ")[0] for _w, _h, s in unsaid),
            },
        )


@rule({"tool-unknown": Severity.FAULT, "wrong-tool-loaded": Severity.FAULT, "low-tool-change": Severity.FAULT})
def _tools(context: Context) -> Iterator[Finding]:
    bench = context.job.bench
    unknown: set[int] = set()
    for event in context.motions.events:
        if event.kind != "tool-change" or event.tool == 0:
            continue
        place = {
            "line": event.line,
            "column": event.column,
            "end_column": event.end_column,
            "tool": event.tool,
            "move": event.before,
        }
        really = bench.loaded.get(event.tool, event.tool)
        name = bench.tool_names.get(really)
        if name is None:
            if event.tool not in unknown:
                unknown.add(event.tool)
                there = ", ".join(f"T{n}" for n in sorted(bench.tool_names)) or "no tool at all"
                yield Finding(
                    code="tool-unknown",
                    message=f"the program calls tool {event.tool}, which is not on the bench; there is {there}",
                    remedy=f"add tool {event.tool} to the job, or call one that is there; what it would cut is not proved",
                    **place,  # type: ignore[arg-type]
                )
            continue
        if really != event.tool:
            yield Finding(
                code="wrong-tool-loaded",
                message=f"the program calls tool {event.tool}, but tool {really} ({name}) is really in the spindle",
                remedy="put the right tool in, or correct the tool list",
                evidence={"called": event.tool, "loaded": really},
                **place,  # type: ignore[arg-type]
            )
        yield from _low_change(context, event)


def _low_change(context: Context, event: Event) -> Iterator[Finding]:
    """A change made with the old tool's tip lower than the highest thing on the bench, where the machine does not lift."""
    machine, bench = context.job.bench.machine, context.job.bench
    if machine.tool_change_lift_z is not None or event.before == 0:
        return
    move = event.before - 1
    old = context.tool_table.tools[int(context.tool_row[move])] if int(context.tool_row[move]) >= 0 else None
    tip = float(context.motions.end[move, 2]) - (old.length if old else 0.0)
    things = [*bench.stocks, *(f.solid for f in bench.fixtures)]
    highest = max(things, key=lambda solid: solid.top, default=None)
    if highest is not None and tip < highest.top - TOLERANCES.touch_mm:
        yield Finding(
            code="low-tool-change",
            line=event.line,
            message=f"the tool is changed with its tip {context.length(highest.top - tip)} lower than the top of the {highest.name}",
            remedy="lift Z before the change, as with G53 G0 Z0",
            column=event.column,
            end_column=event.end_column,
            tool=event.tool,
            move=event.before,
            evidence={"below_mm": highest.top - tip, "thing": highest.name},
        )


@rule({"below-limit": Severity.FAULT})
def _lowest(context: Context) -> Iterator[Finding]:
    """The first move of each tool whose real tip goes below the limit that the person set, above the part's true zero."""
    settings = context.job.settings
    if settings.lowest_z is None and not settings.lowest_z_of:
        return
    frame = context.job.bench.part_zero
    path = tip_path(context.motions, context.tool_row, context.tool_table.tools, frame)
    low = path.boxes()[0][:, 2]
    called = context.motions.tool_of()[path.move]
    for tool in sorted(set(called.tolist()) - {0}):
        limit = settings.lowest_z_of.get(tool, settings.lowest_z)
        if limit is None:
            continue
        mine = np.flatnonzero((called == tool) & (path.row >= 0) & (low < limit - TOLERANCES.chord_mm))
        if len(mine):
            move = int(path.move[mine[0]])
            yield Finding(
                code="below-limit",
                line=int(context.motions.line[move]),
                message=f"{context.tool_words(tool)} goes down to Z {context.length(float(low[mine].min()))}, below the Z limit of {context.length(limit)} set in the job",
                remedy="check the depth, or set another limit in the job",
                tool=tool,
                move=move,
                evidence={"lowest_mm": float(low[mine].min()), "limit_mm": limit},
            )


@kernel
def _leaving(low, high, least, most):  # type: ignore[no-untyped-def]
    """Moves that go outside where the one before did not."""
    found = [0][:0]
    before = False
    for i in range(len(low)):
        outside = False
        for k in range(3):
            outside |= low[i, k] < least[k] or high[i, k] > most[k]
        if outside and not before:
            found.append(i)
        before = outside
    return found


@rule({"travel-limit": Severity.CRASH})
def _travel(context: Context) -> Iterator[Finding]:
    """Moves that leave the machine's travel; limits inclusive. One finding for each stretch outside."""
    motions, machine = context.motions, context.job.bench.machine
    if not len(motions):
        return
    low, high = context.boxes()
    room = TOLERANCES.chord_mm
    for m in _leaving(low, high, np.array(machine.travel_min) - room, np.array(machine.travel_max) + room):
        under, over = np.array(machine.travel_min) - low[m], high[m] - np.array(machine.travel_max)
        worst = np.maximum(under, over)
        axis = int(np.argmax(worst))
        letter = "XYZ"[axis]
        factor = machine.x_factor if axis == 0 else 1.0
        limit = factor * (machine.travel_min[axis] if under[axis] > over[axis] else machine.travel_max[axis])
        beyond = factor * float(worst[axis])
        yield Finding(
            code="travel-limit",
            line=int(motions.line[m]),
            message=f"{letter} overtravels by {context.length(beyond)}: its limit is machine {letter} {context.length(limit)}",
            remedy=f"move the part on the table, shorten the move, or check the work offset in {letter}",
            tool=motions.state_of(m).tool or None,
            move=m,
            evidence={"axis": letter, "beyond_mm": beyond, "limit_mm": limit},
        )
