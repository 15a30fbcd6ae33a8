"""What touches what: edges on rapids, holders, bars, chuck, tailstock, and the turret as it turns.

Codes: rapid-into-stock, stopped-tool-into-stock, holder-into-stock, bore-too-small, tool-into-fixture, close-pass, low-tool-change.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.bench.lathe import BLADES, Bar, Lathe, LatheTool
from underglass.core.finding import Finding, Severity
from underglass.core.proof.closest import Closest
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.removal.section.history import SectionHit
from underglass.core.removal.section.shape import Floats, Shape, folded, swept
from underglass.core.removal.section.ways import SectionTool, Ways, make_ways
from underglass.core.tolerances import TOLERANCES
from underglass.core.trades.turning.cut import uncut
from underglass.core.trades.turning.lathe import section_tool
from underglass.core.trades.turning.name import TURNING
from underglass.core.trades.turning.rules.looked import Looked, look, place, runs

_NOSE_RADIUS_MM = 80.0
"""What of the headstock stands about the spindle nose, a radius."""

_IN_ITS_BORE_MM = 0.1
"""A bar in its bore, a blade in its groove: closer than this is a close pass."""

_FAR_MM = 1000.0

_MEETS_MM2 = 1e-3
"""What two sections have in common where they are said to meet, and how close its share of a step is looked for."""

_CLOSE_ENOUGH = 1e-4
_AT_ONCE = 10
"""Places on a step that are asked about together."""


def held_by(lathe: Lathe) -> list[tuple[str, Shape]]:
    """Everything that is not to be touched, by name: half sections, X as a radius."""
    out: list[tuple[str, Shape]] = [
        ("spindle nose", shapely.box(0.0, lathe.nose_z - _FAR_MM, _NOSE_RADIUS_MM, lathe.nose_z))
    ]
    chuck = lathe.chuck
    if chuck.kind != "none":
        length = chuck.jaws[0] if chuck.jaws is not None and chuck.kind != "collet" else 0.0
        front = chuck.face - length
        if chuck.diameter and front > lathe.nose_z:
            out.append(("chuck", shapely.box(0.0, lathe.nose_z, chuck.diameter / 2.0, front)))
        if chuck.jaws is not None and chuck.kind in ("jaws", "inside"):
            jaws = jaws_of(lathe)
            if jaws is not None:
                out.append(("jaws", jaws))
    tail = lathe.tailstock
    if tail is not None:
        r, half = tail.diameter / 2.0, tail.SIG / 2.0
        point = r / math.tan(half)
        out.append(("centre", shapely.Polygon([(0.0, tail.z), (r, tail.z + point), (r, tail.z + max(tail.length, point)), (0.0, tail.z + max(tail.length, point))])))  # fmt: skip
        behind = tail.z + tail.length
        out.append(("tailstock", shapely.box(0.0, behind, tail.body / 2.0, behind + _FAR_MM)))
    return out


def jaws_of(lathe: Lathe) -> Shape | None:
    """The jaws: outward from the largest stock radius under them, or inward from the smallest bore."""
    chuck = lathe.chuck
    assert chuck.jaws is not None
    length, height = chuck.jaws
    under = shapely.intersection(uncut(lathe), shapely.box(0.0, chuck.face - length, _FAR_MM, chuck.face))
    if under.is_empty:
        whole = uncut(lathe)
        if whole.is_empty:
            return None
        low, high = whole.bounds[0], whole.bounds[2]
    else:
        low, high = under.bounds[0], under.bounds[2]
    if chuck.kind == "inside":
        return shapely.box(max(low - height, 0.0), chuck.face - length, low, chuck.face)
    return shapely.box(high, chuck.face - length, high + height, chuck.face)


@rule(
    {"rapid-into-stock": Severity.CRASH, "stopped-tool-into-stock": Severity.CRASH, "holder-into-stock": Severity.CRASH, "bore-too-small": Severity.CRASH},
    TURNING,
)  # fmt: skip
def with_stock(context: Context) -> Iterator[Finding]:
    """Contacts with the stock: one finding for each stretch of moves of one part."""
    seen = look(context)
    if seen.cut is None:
        return
    by: dict[tuple[str, str], list[SectionHit]] = {}
    edges = {h.move for h in seen.cut.hits if h.part == "edge"}
    for hit in seen.cut.hits:
        if hit.part == "body" and hit.move in edges:
            continue  # the same crash, of the same tool
        by.setdefault((_code(context, hit), hit.part), []).append(hit)
    for (code, _part), hits in by.items():
        for group in runs([h.move for h in hits]):
            mine = [h for h in hits if group[0] <= h.move <= group[-1]]
            yield _stock_finding(context, code, mine)


def _code(context: Context, hit: SectionHit) -> str:
    seen, motions = look(context), context.motions
    if hit.part == "body":
        tool = seen.tool(hit.move)
        return (
            "bore-too-small"
            if tool is not None and tool.kind == "boring" and isinstance(tool.holder, Bar)
            else "holder-into-stock"
        )
    return "rapid-into-stock" if motions.rapid()[hit.move] else "stopped-tool-into-stock"


def _stock_finding(context: Context, code: str, hits: list[SectionHit]) -> Finding:
    motions = context.motions
    first, worst = hits[0], max(hits, key=lambda h: h.depth)
    tool = motions.state_of(first.move).tool
    words, deep = context.tool_words(tool), context.length(worst.depth)
    said, remedy = {
        "rapid-into-stock": (f"{words} runs into the stock at rapid, {deep} deep", "clear the stock before the rapid, or feed"),
        "stopped-tool-into-stock": (f"{words} is {deep} in the stock while the spindle stands", "start the spindle with M3 or M4 first"),
        "holder-into-stock": (f"the holder of {words} is {deep} in the stock", "take a longer reach, or turn this in another way"),
        "bore-too-small": (f"the bar of {words} does not fit the hole: it is {deep} in the stock", "drill larger first, or take a thinner bar"),
    }[code]  # fmt: skip
    seen = look(context)
    assert seen.cut is not None
    part = seen.cut.tools[int(seen.row[first.move])]
    meeting = seen.cut.met.get((first.move, first.part))
    if meeting is None:
        # What a holder meets is what the edge of the same move has left.
        metal = seen.cut.at(first.move, 0.0 if first.part == "edge" else 1.0).shape
        meeting = _meeting(seen.cut.ways, first.move, part.edge if first.part == "edge" else part.body, metal)
        meeting = meeting or (0.0, first.x, first.z)
        seen.cut.met[first.move, first.part] = meeting
    share, x, z = meeting
    return Finding(
        code=code, line=int(motions.line[first.move]), message=said, remedy=remedy, tool=tool, move=first.move, position=place(context, x, z),
        time_s=_moment(context, first.move, share),
        evidence={"depth_mm": worst.depth, "worst_line": int(motions.line[worst.move]), "moves": len(hits)},
    )  # fmt: skip


def _moment(context: Context, move: int, share: float) -> float:
    timing = context.timing
    return float(timing.start[move]) + share * float(timing.duration[move])


def _meeting(ways: Ways, move: int, parts: Sequence[Floats], thing: Shape) -> tuple[float, float, float] | None:
    """The share of a move (0..1) at which it first meets a thing, and where (a radius and a Z, mm); None where they have next to nothing in common.

    What is swept grows with the way, so the place on it is found by taking ever shorter parts of it.
    """
    shift = np.array([0.0, float(ways.shift[move])])

    def over(start: Floats, ends: Floats) -> NDArray[np.object_]:
        """What is passed over as far as each of some places, part by part (k, parts)."""
        starts = np.broadcast_to(start + shift, ends.shape)
        return np.array([folded(s) for s in swept(list(parts), starts, ends + shift)], dtype=object).reshape(
            len(ends), -1
        )

    def meets(shapes: NDArray[np.object_]) -> NDArray[np.bool_]:
        return (shapely.area(shapely.intersection(shapes, thing)) > _MEETS_MM2).any(axis=1)  # type: ignore[no-any-return]

    done = 0.0
    for step in range(ways.first_of(move), ways.first_of(move + 1)):
        start, end, until = ways.start[step], ways.end[step], float(ways.until[step])
        whole = over(start, end[None, :])
        if not meets(whole)[0]:
            done = until
            continue
        low, high, beyond = 0.0, 1.0, whole
        while high - low > _CLOSE_ENOUGH:
            # Only what is passed over from where it surely does not meet yet: a long outline costs as much as it has corners.
            thing = shapely.intersection(thing, shapely.box(*shapely.total_bounds(beyond)).buffer(1.0))
            shares = np.linspace(low, high, _AT_ONCE + 2)
            ways_on = over(start + low * (end - start), start + shares[1:, None] * (end - start))
            k = int(np.argmax(np.append(meets(ways_on[:-1]), True)))
            low, high, beyond = float(shares[k]), float(shares[k + 1]), ways_on[k]
        inside = shapely.get_parts(shapely.intersection(beyond, thing))
        middle = max(inside, key=lambda s: float(s.area)).centroid
        return done + high * (until - done), float(middle.x), float(middle.y)
    return None


@rule({"tool-into-fixture": Severity.CRASH, "close-pass": Severity.CAUTION}, TURNING)
def with_fixtures(context: Context) -> Iterator[Finding]:
    """Every part of every tool against chuck, jaws and tailstock, rapid or feed."""
    seen = look(context)
    motions = context.motions
    if not len(motions):
        return
    ways = make_ways(
        seen.start, seen.end, seen.centre, motions.sweep, np.zeros(len(motions)),
        np.where(motions.dwell > 0.0, -1, seen.row).astype(np.int32), np.zeros(len(motions) + 1),
    )  # fmt: skip
    things = held_by(seen.lathe)
    room = context.job.settings.clearance
    made = [section_tool(tool) for tool in seen.tools]
    touched: dict[tuple[str, int], dict[int, tuple[float, float, float]]] = {}
    nearest: dict[tuple[str, int], tuple[float, int]] = {}
    for row in sorted(set(ways.row.tolist()) - {-1}):
        context.check()
        steps = np.flatnonzero(ways.row == row)
        for name, thing in things:
            _against(
                ways.move,
                ways.start,
                ways.end,
                steps,
                made[row],
                name,
                thing,
                room,
                touched,
                nearest,
                seen.tools[row].number,
                motions.rapid(),
                seen.lathe.chuck.may_cut if name == "jaws" else 0.0,
            )
    for (name, _number), hits in touched.items():
        for group in runs(sorted(hits)):
            move = group[0]
            worst = max(group, key=lambda m: hits[m][0])
            depth, x, z = hits[worst]
            parts = made[int(seen.row[move])]
            meeting = _meeting(ways, move, (*parts.edge, *parts.body), dict(things)[name]) or (0.0, *hits[move][1:])
            yield Finding(
                code="tool-into-fixture", line=int(motions.line[move]),
                message=f"{context.tool_words(motions.state_of(move).tool)} runs {context.length(depth)} into the {name}",
                remedy="stay clear of it, or hold the stock farther out", tool=motions.state_of(move).tool, move=move,
                position=place(context, *meeting[1:]), time_s=_moment(context, move, meeting[0]),
                evidence={"depth_mm": depth, "thing": name, "worst_line": int(motions.line[worst]), "x_mm": 2.0 * x, "z_mm": z},
            )  # fmt: skip
    for (name, number), (gap, move) in nearest.items():
        if (name, number) in touched:
            continue
        context.closest.append(
            Closest(
                to=name,
                part="tool",
                distance_mm=gap,
                line=int(motions.line[move]),
                tool=motions.state_of(move).tool,
                move=move,
            )
        )
        if gap < room and name != "spindle nose":
            yield _close(context, name, gap, move)
    yield from _near_stock(context, seen)


def _against(
    moves: np.ndarray, start: Floats, end: Floats, steps: np.ndarray, tool: SectionTool, name: str, thing: Shape, room: float,
    touched: dict[tuple[str, int], dict[int, tuple[float, float, float]]], nearest: dict[tuple[str, int], tuple[float, int]], number: int,
    rapid: np.ndarray, may_cut: float,
) -> None:  # fmt: skip
    """One tool's steps against one thing: how deep each move is in it, or how near it comes. ``may_cut``: so deep it may be fed into."""
    _x0, z0, x1, z1 = thing.bounds
    parts = [*tool.edge, *tool.body]
    low = np.minimum(start[steps], end[steps]) + np.min([p.min(axis=0) for p in parts], axis=0)
    high = np.maximum(start[steps], end[steps]) + np.max([p.max(axis=0) for p in parts], axis=0)
    near = (low[:, 0] < x1 + room) & (high[:, 0] > -x1 - room) & (low[:, 1] < z1 + room) & (high[:, 1] > z0 - room)
    mine = steps[near]
    if not len(mine):
        return
    shapes = swept(parts, start[mine], end[mine])
    folds = np.array([folded(s) for s in shapes], dtype=object)
    gaps = shapely.distance(folds, thing)
    each = len(parts)
    for k, gap in enumerate(gaps.tolist()):
        move = int(moves[mine[k // each]])
        if gap > 0.0:
            best = nearest.get((name, number))
            if gap < room and (best is None or gap < best[0]):
                nearest[(name, number)] = (gap, move)
            continue
        inside = shapely.intersection(folds[k], thing)
        if inside.is_empty:
            continue
        a, b, c, d = inside.bounds
        depth = min(c - a, d - b)
        if k % each < len(tool.edge) and not rapid[move] and depth <= may_cut:
            continue
        if depth > TOLERANCES.touch_mm:
            hits = touched.setdefault((name, number), {})
            middle = inside.centroid
            if move not in hits or hits[move][0] < depth:
                hits[move] = (depth, float(middle.x), float(middle.y))


def _close(context: Context, name: str, gap: float, move: int) -> Finding:
    motions = context.motions
    return Finding(
        code="close-pass", line=int(motions.line[move]),
        message=f"{context.tool_words(motions.state_of(move).tool)} passes the {name} at {context.length(gap)}",
        remedy="check that there is really so much room", tool=motions.state_of(move).tool, move=move,
        evidence={"distance_mm": gap, "thing": name},
    )  # fmt: skip


def _near_stock(context: Context, seen: Looked) -> Iterator[Finding]:
    """Holders that pass the stock closely: once a tool, at the nearest place."""
    if seen.cut is None:
        return
    hit = {h.move for h in seen.cut.hits if h.part == "body"}
    rows: dict[int, tuple[float, int]] = {}
    for move in np.flatnonzero(np.isfinite(seen.cut.near)).tolist():
        row, gap = int(seen.row[move]), float(seen.cut.near[move])
        if row >= 0 and (row not in rows or gap < rows[row][0]):
            rows[row] = (gap, move)
    touching = {int(seen.row[m]) for m in hit}
    for row, (gap, move) in rows.items():
        context.closest.append(
            Closest(
                to="stock",
                part="holder",
                distance_mm=gap,
                line=int(context.motions.line[move]),
                tool=seen.tools[row].number,
                move=move,
            )
        )
        if row not in touching and gap < _room_of(seen.tools[row], context.job.settings.clearance):
            yield _close(context, "stock with its holder", gap, move)


def _room_of(tool: LatheTool, usual: float) -> float:
    inside = isinstance(tool.holder, Bar) or tool.kind in BLADES or tool.kind == "threading"
    return min(_IN_ITS_BORE_MM, usual) if inside else usual


@rule({"low-tool-change": Severity.FAULT}, TURNING)
def turning_in(context: Context) -> Iterator[Finding]:
    """The turret turns where it stands: its circle, and the tool that comes to work, must meet nothing."""
    seen, motions, lathe = look(context), context.motions, look(context).lathe
    if not lathe.tools:
        return
    axis, swing = lathe.turret
    fixed = [(name, thing) for name, thing in held_by(lathe) if name != "spindle nose"]
    reach = [(tool, *tool.extent()) for tool in lathe.tools.values()]
    for event in motions.events:
        if event.kind != "tool-change" or (event.before == 0 and not len(motions)):
            continue
        at = motions.end[event.before - 1] if event.before else np.array(context.job.bench.machine.home)
        x, z = float(at[0]), float(at[2]) - lathe.zero_z
        there = list(fixed)
        if seen.cut is not None:
            there.append(("stock", seen.cut.at(max(event.before - 1, 0), 1.0 if event.before else 0.0).shape))
        swung = [
            shapely.box(x + axis - swing, z - tool.gauge[1] + low, x + axis + swing, z - tool.gauge[1] + high)
            for tool, low, high in reach
        ]  # fmt: skip
        passing = []
        for tool in lathe.tools.values():
            tip = np.array([x - tool.gauge[0], z - tool.gauge[1]])
            made = section_tool(tool)
            passing += [folded(shapely.Polygon(part + tip)) for part in (*made.edge, *made.body)]
        worst: tuple[float, str] = (0.0, "")
        for name, thing in there:
            for shape in (*map(folded, swung), *passing):
                inside = shapely.intersection(shape, thing)
                if not inside.is_empty:
                    a, b, c, d = inside.bounds
                    worst = max(worst, (min(c - a, d - b), name))
        if worst[0] > TOLERANCES.touch_mm:
            yield Finding(
                code="low-tool-change", line=event.line,
                message=f"the turret turns to station {event.tool} where it stands, and is {context.length(worst[0])} in the {worst[1]}",
                remedy="go clear of stock and chuck before the T word", column=event.column, end_column=event.end_column, tool=event.tool,
                move=event.before, evidence={"depth_mm": worst[0], "thing": worst[1]},
            )  # fmt: skip
