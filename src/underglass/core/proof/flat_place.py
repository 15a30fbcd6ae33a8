"""Where something happens on a sheet: the plate from above at that moment, with cutter or punch, the clamps and the way."""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.finding import Finding
from underglass.core.proof.flat_outputs import history_of, on_part, sheet_of
from underglass.core.proof.place_picture import (
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

Floats = NDArray[np.float64]

_LEAST_MM, _OF_SHEET = 15.0, 0.08
_ROUND = np.linspace(0.0, math.tau, 49)


def looking_flat(proof: Proof) -> Looking:
    """For every trade that works on a sheet."""
    sheet, history = sheet_of(proof), history_of(proof)
    x0, y0, x1, y1 = sheet.region().bounds
    half = max(_LEAST_MM, _OF_SHEET * math.hypot(x1 - x0, y1 - y0))
    start = on_part(proof, proof.motions.start)

    def project(move: int, places: Floats) -> Floats:
        out: Floats = places[:, :2] + (start[move] - np.array(proof.motions.at(move, 0.0))[:2])
        return out

    def tool(move: int, share: float) -> list[Area]:
        state = proof.motions.state_of(move)
        number = proof.job.bench.loaded.get(state.tool, state.tool)
        at = project(move, np.array([proof.motions.at(move, share)]))[0]
        cutter, punch = sheet.cutters.get(number), sheet.punches.get(number)
        if cutter is not None:
            r = cutter.kerf / 2.0
            return [Area((at + np.column_stack([r * np.cos(_ROUND), r * np.sin(_ROUND)]),), "cutter")]
        if punch is not None:
            turn = state.station.turn if state.station is not None and punch.index else 0.0
            return [Area((at + punch.places(turn),), "cutter")]
        return []

    def pictures(finding: Finding) -> tuple[PlacePicture, ...]:
        assert finding.position is not None
        move, share = moment_of(proof, finding)
        mark = (finding.position.x, finding.position.y)
        window = around(mark, half)
        areas = []
        if history is not None:
            seen = history.left_of(shapely.box(*window), move, share)
            areas.append(Area(rings_of(seen), "stock"))
        areas += [Area(rings_of(shapely.box(*held.box)), "fixture", held.name) for held in sheet.held]
        return (
            PlacePicture(
                title="From above", window=window, areas=(*areas, *tool(move, share)), mark=mark, ways=ways_near(proof, move, window, project)
            ),
        )  # fmt: skip

    return pictures


def compared_flat(one: Proof, two: Proof) -> tuple[PlacePicture, ...]:
    """What is left of both sheets in the end, from above."""
    a, b = history_of(one), history_of(two)
    if a is None or b is None:
        return ()
    return (regions_compared(a.final.region, b.final.region, "Both in the end, from above"),)
