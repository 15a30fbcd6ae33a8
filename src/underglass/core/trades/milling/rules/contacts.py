"""Metal where it must not be: contacts of tool, shank, holder and spindle with stock and fixtures, and how near they came.

Codes: rapid-into-stock, stopped-tool-into-stock, holder-into-stock, tool-into-fixture; close-pass.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.solid import Fixture
from underglass.core.bench.tool import Tool
from underglass.core.control.motions import Kind
from underglass.core.finding import Finding, Position, Severity
from underglass.core.proof.closest import Closest
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.removal.approach import Approaches, Floats, Look, pass_by
from underglass.core.removal.contact import against_solid
from underglass.core.removal.field import Heights, default_cell, make_field
from underglass.core.removal.loupe import settle_doubts
from underglass.core.removal.near import against_field
from underglass.core.removal.toolpath import TipPath, tip_path
from underglass.core.tolerances import TOLERANCES
from underglass.core.trades.milling.cut import forbidden
from underglass.core.trades.milling.name import MILLING

_LOOK_MM = 25.0
"""Approaches nearer than this are measured and listed; what stays farther off is nobody's worry."""

_BACK = 24
"""Contacts that a new one may go on from: of as many parts and things as a tool touches at a time."""

_PART_WORDS = {
    "cutter": "the cutting part",
    "shank": "the shank",
    "holder": "the holder",
    "spindle": "the spindle nose",
}


@dataclass(slots=True, kw_only=True)
class _Clash:
    """Contacts of one part with one thing on moves that follow each other."""

    code: str
    part: str
    thing: str
    first: int
    last: int
    share: float
    depth: float
    lines: set[int]


@rule(
    {
        "rapid-into-stock": Severity.CRASH,
        "stopped-tool-into-stock": Severity.CRASH,
        "holder-into-stock": Severity.CRASH,
        "tool-into-fixture": Severity.CRASH,
        "close-pass": Severity.CAUTION,
    },
    MILLING,
)
def contacts(context: Context) -> Iterator[Finding]:
    """Every contact; and in ``context.closest`` the closest approach of each tool's parts to each thing it does not touch."""
    clashes = list(_with_stock(context))
    closest = context.closest
    for k, fixture in enumerate(context.job.bench.fixtures):
        context.check()
        hits, near = _with_fixture(context, fixture, context.earlier[k] if k < len(context.earlier) else None)
        clashes.extend(hits)
        closest.extend(near)
    touching = {(c.part, context.motions.state_of(c.first).tool) for c in clashes if c.code == "holder-into-stock"}
    closest.extend(_near_stock(context, touching))
    yield from (_finding(context, c) for c in clashes)
    yield from (_close_pass(context, c) for c in closest if c.distance_mm < context.job.settings.clearance)


def _join(clashes: list[_Clash], new: _Clash, moves_apart: int = 2, *, cycle: bool = False) -> None:
    """Add a contact, or make it part of the clash it goes on from; the pecks of one block's ``cycle`` are one clash."""
    for old in reversed(clashes[-_BACK:]):
        if (old.code, old.part, old.thing) != (new.code, new.part, new.thing):
            continue
        if new.first - old.last <= moves_apart or (cycle and new.lines <= old.lines):
            old.last = new.last
            old.depth = max(old.depth, new.depth)
            old.lines |= new.lines
            return
    clashes.append(new)


def _with_stock(context: Context) -> list[_Clash]:
    motions = context.motions
    clashes: list[_Clash] = []
    rapids = motions.rapid()
    forbid = forbidden(motions)
    for solid, stock in zip(context.job.bench.stocks, context.stocks):
        doubted = settle_doubts(stock, solid, context.tool_table, forbid, context.cancelled) if stock.doubts else ()
        for hit in sorted((*stock.hits, *doubted), key=lambda h: (h.step, h.part)) if doubted else stock.hits:
            row = int(context.tool_row[hit.move])
            part = context.tool_table.part_names[row][hit.part]
            if part == "cutter":
                rapid = bool(rapids[hit.move])
                code = "rapid-into-stock" if rapid else "stopped-tool-into-stock"
            else:
                code = "holder-into-stock"
            line = int(motions.line[hit.move])
            cycle = int(motions.kind[hit.move]) in (Kind.CYCLE_FEED, Kind.CYCLE_RAPID)
            _join(
                clashes,
                _Clash(
                    code=code,
                    part=part,
                    thing="stock",
                    first=hit.move,
                    last=hit.move,
                    share=hit.share,
                    depth=hit.depth,
                    lines={line},
                ),
                cycle=cycle,
            )
    return clashes


def _near_stock(context: Context, touching: set[tuple[str, int]]) -> list[Closest]:
    """How near shank, holder and spindle nose came to the stock, where they did not touch it."""
    out: dict[tuple[str, int], Closest] = {}
    called = context.motions.tool_of()
    for stock, history in zip(context.job.bench.stocks, context.stocks):
        for near in history.near:
            part, tool = context.tool_table.part_names[near.row][near.part], int(called[near.move])
            known = out.get((part, tool))
            if (part, tool) in touching or (known is not None and known.distance_mm <= near.gap):
                continue
            out[part, tool] = Closest(
                to=stock.name,
                part=part,
                distance_mm=near.gap,
                line=int(context.motions.line[near.move]),
                tool=tool,
                move=near.move,
            )
    return list(out.values())


def _with_fixture(context: Context, fixture: Fixture, earlier: Approaches | None) -> tuple[list[_Clash], list[Closest]]:
    motions, table = context.motions, context.tool_table
    if not len(motions) or not table.tools:
        return [], []
    passed = pass_by(
        len(motions), table.radius.shape, _LOOK_MM, _look(context, fixture), context.check, earlier, context.since
    )
    context.approaches.append(passed)
    clashes: list[_Clash] = []
    for move, row, part, share, depth in passed.touches:
        name, line = table.part_names[row][part], {int(motions.line[move])}
        _join(
            clashes,
            _Clash(
                code="tool-into-fixture",
                part=name,
                thing=fixture.name,
                first=move,
                last=move,
                share=share,
                depth=depth,
                lines=line,
            ),
        )
    return clashes, _closest_of(context, fixture, passed)


def _closest_of(context: Context, fixture: Fixture, passed: Approaches) -> list[Closest]:
    """The nearest place of each part of each tool that does not touch."""
    motions, table = context.motions, context.tool_table
    called = motions.tool_of()
    # A boring bar's second row, without its cutting part, is looked at with the first.
    rows_of: dict[Tool, list[int]] = {}
    for row, tool in enumerate(table.tools):
        rows_of.setdefault(tool, []).append(row)
    touching = {(t.row, t.part) for t in passed.touches}
    out: list[Closest] = []
    for rows in rows_of.values():
        for part, name in enumerate(table.part_names[rows[0]]):
            row = min(rows, key=lambda r: (passed.gap[r, part], passed.move[r, part]))
            if passed.gap[row, part] >= _LOOK_MM or any((r, part) in touching for r in rows):
                continue
            move = int(passed.move[row, part])
            out.append(
                Closest(
                    to=fixture.name,
                    part=name,
                    distance_mm=float(passed.gap[row, part]),
                    line=int(motions.line[move]),
                    tool=int(called[move]),
                    move=move,
                )
            )
    return out


def _look(context: Context, fixture: Fixture) -> Look:
    """What looks at some of the moves: against a plain solid, or against a mesh held as heights."""
    solid, table = fixture.solid, context.tool_table
    there = _there(context, fixture)
    size = np.array(solid.extent)
    measure = (TOLERANCES.touch_side_mm, TOLERANCES.touch_mm, TOLERANCES.chord_mm, _LOOK_MM)
    heights, lower, step = None, None, 0.0
    if solid.mesh is not None:
        # Seen from above and solid below: held as heights, a little coarser than the stock.
        cell = context.stocks[0].grid.cell if context.stocks else 0.1
        field = make_field(solid, max(cell, default_cell(solid)))
        heights, step = field.h, field.grid.cell
        lower = np.maximum(heights - np.float32(fixture.may_cut), np.float32(0.0))

    def at(first: int, last: int) -> tuple[TipPath, Floats]:
        path = tip_path(context.motions.part(first, last), context.tool_row[first:last], table.tools, solid.frame)
        active = np.ascontiguousarray(there[first:last][path.move])
        moves = (path.start, path.end, path.centre, path.sweep, path.row)

        def seen(deep: float, cells: Heights | None) -> Floats:
            out = np.zeros((len(path), table.radius.shape[1], 4))
            if cells is not None:
                against_field(cells, step, *moves, table.radius, table.bottom, table.outline, active, *measure, out)
            else:
                into = size - (0.0, 0.0, deep)
                round_one = solid.shape == "cylinder"
                against_solid(*moves, table.radius, table.bottom, table.top, active, into, round_one, *measure, out)
            return out

        out = seen(0.0, heights)
        if fixture.may_cut:
            # Only the cutting part may go into it, and only so deep; how near it comes to that depth is nobody's worry.
            allowed = seen(fixture.may_cut, lower)
            out[:, 0, :3] = allowed[:, 0, :3]
            out[:, 0, 3] = np.where(allowed[:, 0, 0] > 0.0, 0.0, _LOOK_MM)
        return path, out

    return at


def _there(context: Context, fixture: Fixture) -> NDArray[np.uint8]:
    """Which moves find the fixture in place: it may be put on, or taken off, at one of the program's M0 stops."""
    n = len(context.motions)
    there = np.ones(n, dtype=np.uint8)
    stops = [e.before for e in context.motions.events if e.kind == "stop"]
    if fixture.from_stop:
        there[: stops[fixture.from_stop - 1] if fixture.from_stop <= len(stops) else n] = 0
    if fixture.until_stop and fixture.until_stop <= len(stops):
        there[stops[fixture.until_stop - 1] :] = 0
    return there


def _place(context: Context, move: int, share: float) -> Position:
    at = context.motions.state_of(move).work(context.motions.at(move, share))
    return Position(*at)


def _finding(context: Context, clash: _Clash) -> Finding:
    motions = context.motions
    move = clash.first
    tool = motions.state_of(move).tool
    who = context.tool_words(tool)
    depth = context.length(clash.depth)
    if clash.code == "rapid-into-stock":
        message = f"{who} rapids {depth} into the stock"
        remedy = "feed down with G1, or retract higher before this rapid"
    elif clash.code == "stopped-tool-into-stock":
        message = f"{who} goes {depth} into the stock with the spindle stopped"
        remedy = "start the spindle with S and M3 before this block"
    elif clash.code == "holder-into-stock":
        message = f"{_PART_WORDS[clash.part]} of {who} hits the stock, {depth} deep"
        remedy = "increase the stickout, take less depth, or clear the wall first"
    else:
        message = f"{_PART_WORDS[clash.part]} of {who} hits the {clash.thing}, {depth} deep"
        remedy = f"go around or over the {clash.thing}, or check the coordinates in this block"
    evidence: dict[str, float | int | str | bool | None] = {
        "depth_mm": clash.depth,
        "part": clash.part,
        "with": clash.thing,
        "blocks": len(clash.lines),
        "last_line": int(motions.line[clash.last]),
    }
    if tool and motions.state_of(move).h_number is None and context.needs_length(tool):
        message += "; no length offset is in force"
        remedy = f"write G43 H{tool} first: without it the tip runs as far too low as the tool is long"
    use = context.length_use_at(move)
    off = context.wrong_length(use) if use is not None else 0.0
    if use is not None and off:
        message += f"; H{use.number} lets the tip run {context.length(abs(off))} too {'high' if off > 0 else 'low'}"
        remedy = f"set H{use.number} right first: it differs from tool {tool}'s real length"
        evidence["register"] = f"H{use.number}"
    moment = float(context.timing.start[move]) + clash.share * float(context.timing.duration[move])
    return Finding(
        code=clash.code,
        line=int(motions.line[move]),
        message=message[:1].upper() + message[1:],
        remedy=remedy,
        tool=tool or None,
        time_s=moment,
        position=_place(context, move, clash.share),
        evidence=evidence,
        move=move,
    )


def _close_pass(context: Context, near: Closest) -> Finding:
    who = context.tool_words(near.tool)
    limit = context.length(context.job.settings.clearance)
    slides = near.distance_mm < TOLERANCES.same_register_mm
    how = f"slides along the {near.to}" if slides else f"passes the {near.to} by {context.length(near.distance_mm)}"
    return Finding(
        code="close-pass",
        line=near.line,
        message=f"{_PART_WORDS[near.part].capitalize()} of {who} {how}; the limit set is {limit}",
        remedy=f"move the path away from the {near.to}; if it is intended, accept it",
        tool=near.tool,
        move=near.move,
        evidence={"distance_mm": near.distance_mm, "to": near.to, "part": near.part},
    )
