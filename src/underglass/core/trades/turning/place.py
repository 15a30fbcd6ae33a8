"""Where something happens on a lathe: the half section at that moment, Z to the right and the radius upwards."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.bench.lathe import LatheTool
from underglass.core.finding import Finding
from underglass.core.proof.place_picture import (
    COMPARED,
    PLACES,
    Area,
    Looking,
    PlacePicture,
    around,
    moment_of,
    regions_compared,
    rings_of,
    ways_near,
)
from underglass.core.proof.proof import Proof
from underglass.core.trades.turning.lathe import lathe_of, tips, tool_rows
from underglass.core.trades.turning.name import TURNING
from underglass.core.trades.turning.outputs import history_of
from underglass.core.trades.turning.rules.contacts import held_by

Floats = NDArray[np.float64]

_LEAST_MM = 10.0


def _looking(proof: Proof) -> Looking:
    history = history_of(proof)
    cursor = history.cursor() if history is not None else None
    lathe = lathe_of(proof.job.bench)
    tools, rows = tool_rows(proof.job.bench, proof.motions)
    start, _end, _centre = tips(proof.job.bench, proof.motions, tools, rows)
    high = max((x for shell in lathe.stock for x, _z in shell), default=20.0)
    still = [Area(tuple(r[:, ::-1] for r in rings_of(shape)), "fixture", name) for name, shape in held_by(lathe)]

    def tip(move: int, places: Floats) -> Floats:
        """Machine places (n, 3) as places of the tip, Z and radius."""
        off = start[move] - np.array(proof.motions.at(move, 0.0))[[0, 2]]
        out: Floats = (places[:, [0, 2]] + off)[:, ::-1]
        return out

    def pictures(finding: Finding) -> tuple[PlacePicture, ...]:
        assert finding.position is not None
        move, share = moment_of(proof, finding)
        areas = list(still)
        if cursor is not None:
            cursor.go(move, share)
            areas.append(Area(tuple(r[:, ::-1] for r in rings_of(cursor.state.shape)), "stock"))
        at = tip(move, np.array([proof.motions.at(move, share)]))[0]
        if rows[move] >= 0:
            areas += _tool(tools[int(rows[move])], at)
        mark = (finding.position.z, finding.position.x / 2.0)
        window = around(mark, max(_LEAST_MM, 0.75 * high))
        return (
            PlacePicture(
                title="Half section, the radius upwards", window=window, axes=("Z", "X"), factors=(1.0, 2.0), areas=tuple(areas), mark=mark,
                ways=ways_near(proof, move, window, tip),
            ),
        )  # fmt: skip

    return pictures


def _tool(tool: LatheTool, at: Floats) -> list[Area]:
    body = tool.body()
    out = [Area((body[:, ::-1] + at,), "holder")] if body is not None else []
    return [*out, Area((tool.cutting()[:, ::-1] + at,), "cutter")]


PLACES[TURNING] = _looking


def _compared(one: Proof, two: Proof) -> tuple[PlacePicture, ...]:
    """Both finished parts as half sections, with what was parted off."""
    a, b = history_of(one), history_of(two)
    if a is None or b is None:
        return ()
    shapes = [shapely.transform(h.with_pieces(), lambda p: p[:, ::-1]) for h in (a, b)]
    return (regions_compared(shapes[0], shapes[1], "Both finished, half section", axes=("Z", "X"), factors=(1.0, 2.0)),)


COMPARED[TURNING] = _compared
