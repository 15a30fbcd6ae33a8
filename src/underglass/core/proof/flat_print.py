"""A drawing over a sheet: its outline with the holes in it, and the torch's or the punch's path, as they lie on the sheet."""

from __future__ import annotations

import shapely

from underglass.core.bench.sheet import Sheet
from underglass.core.proof.flat_outputs import on_part, sheet_of
from underglass.core.proof.job import Job
from underglass.core.proof.print_ways import Floats, PrintPlane, PrintWays
from underglass.core.proof.proof import Proof


def _outlines(job: Job) -> list[Floats]:
    assert isinstance(job.bench.more, Sheet)
    return [shapely.get_coordinates(ring) for ring in shapely.get_rings(shapely.get_parts(job.bench.more.region()))]


def _path(proof: Proof) -> tuple[Floats, Floats]:
    return on_part(proof, proof.motions.start), on_part(proof, proof.motions.end)


def _at(proof: Proof, move: int, share: float) -> tuple[float, float]:
    sheet, station = sheet_of(proof), proof.motions.state_of(move).station
    x, y, _z = proof.motions.at(move, share)
    return x - sheet.zero_x - (station.x if station is not None else 0.0), y - sheet.zero_y


FLAT_PRINT = PrintWays(
    plane=lambda _profile: PrintPlane(), outlines=_outlines, path=_path, at=_at, radius=lambda _proof, _move: 0.0
)  # fmt: skip
