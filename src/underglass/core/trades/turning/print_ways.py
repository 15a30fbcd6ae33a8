"""A drawing over the half section: Z to the right, the radius up; X is written as the control counts it."""

from __future__ import annotations

import shapely

from underglass.core.control.profile import ControlProfile
from underglass.core.proof.job import Job
from underglass.core.proof.print_ways import PRINTS, Floats, PrintAxis, PrintPlane, PrintWays
from underglass.core.proof.proof import Proof
from underglass.core.trades.turning.cut import uncut
from underglass.core.trades.turning.lathe import lathe_of, really_there, tips, tool_rows
from underglass.core.trades.turning.name import TURNING


def plane(profile: ControlProfile) -> PrintPlane:
    """X is a diameter unless the control takes radii; ways along the axes by U and W where it knows them."""
    by = {axis: letter for letter, axis in profile.incremental.items()}
    return PrintPlane(
        right=PrintAxis("Z", "K", by.get("Z", "")),
        up=PrintAxis("X", "I", by.get("X", ""), 1.0 if profile.x_radius else 2.0),
        up_first=True,
        folds=True,
    )


def _outlines(job: Job) -> list[Floats]:
    rings = [shapely.get_coordinates(ring)[:, ::-1] for ring in shapely.get_rings(uncut(lathe_of(job.bench)))]
    return [both for ring in rings for both in (ring, ring * (1.0, -1.0))]


def _path(proof: Proof) -> tuple[Floats, Floats]:
    bench, motions = proof.job.bench, proof.motions
    start, end, _centre = tips(bench, motions, *tool_rows(bench, motions))
    return start[:, ::-1], end[:, ::-1]


def _at(proof: Proof, move: int, share: float) -> tuple[float, float]:
    bench = proof.job.bench
    lathe, tool = lathe_of(bench), really_there(bench, proof.motions.state_of(move).tool)
    x, _y, z = proof.motions.at(move, share)
    gauge = tool.gauge if tool is not None else (0.0, 0.0)
    return z - gauge[1] - lathe.zero_z, x - gauge[0]


def _radius(proof: Proof, move: int) -> float:
    tool = really_there(proof.job.bench, proof.motions.state_of(move).tool)
    return tool.RE if tool is not None else 0.0


PRINTS[TURNING] = PrintWays(plane=plane, outlines=_outlines, path=_path, at=_at, radius=_radius)
