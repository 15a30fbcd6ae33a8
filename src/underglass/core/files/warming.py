"""Every kernel compiled before anybody waits for it: the demos are proved and gone through as a window does."""

from __future__ import annotations

import math
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from multiprocessing import get_context

import numpy as np
import shapely

from underglass.core.bench.mesh import Mesh
from underglass.core.compose.arcs import arcs_through
from underglass.core.compose.contour import fitted
from underglass.core.compose.engaged import Floor
from underglass.core.compose.fitting import few
from underglass.core.data import data_folder
from underglass.core.files.demo import demo_names
from underglass.core.files.load import load
from underglass.core.proof.prove import prove
from underglass.core.removal.pick import first_cell

_BOX = np.array([[x, y, z] for x in (0.0, 1.0) for y in (0.0, 1.0) for z in (0.0, 1.0)])
_FACES = np.array([(0, 1, 3), (0, 3, 2), (4, 6, 7), (4, 7, 5), (0, 4, 5), (0, 5, 1), (2, 3, 7), (2, 7, 6), (0, 2, 6), (0, 6, 4), (1, 5, 7), (1, 7, 3)])  # fmt: skip


def warm_up() -> None:
    """Compile what is kept from then on; half a minute or so the first time, a moment later. A part has its own kernels and a core for itself."""
    parts = sorted({name.removesuffix("-slip") for name in demo_names()})
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        for done in [pool.submit(_forms), *(pool.submit(_demos, part) for part in parts)]:
            done.result()


def _forms() -> None:
    """What no program needs but a form does."""
    floor, way = Floor(shapely.box(0.0, 0.0, 6.0, 4.0), 1.0), np.array([[2.0, 2.0], [4.0, 2.0], [4.0, 2.5]])
    floor.cut(way)
    floor.within(math.pi)
    floor.engaged(way)
    arcs_through(way, 0.01)
    fitted(way, False)
    few(way[:2, 0], way[:2, 1], 0.01)


def _demos(part: str) -> None:
    """Prove a part's demos and go through them."""
    for name in demo_names():
        if name.removesuffix("-slip") == part:
            _through(name)


def _through(name: str) -> None:
    job, source, _stated = load(data_folder() / "demo" / f"{name}.job.toml")
    proof = prove(job, source)
    for history in proof.histories:
        history.cursor().go(len(proof.motions) // 2, 0.5)
    if not proof.stocks:
        return
    first_cell(proof.stocks[0].final, np.array([-1.0, -1.0, 100.0]), np.array([0.5, 0.5, -0.7]))
    # A fixture that is a mesh is held as heights.
    meshed = tuple(
        replace(f, solid=replace(f.solid, shape="mesh", mesh=Mesh(f.name, (_BOX * f.solid.extent)[_FACES])))
        for f in job.bench.fixtures[:1]
    )
    prove(replace(job, bench=replace(job.bench, fixtures=meshed)), source, before=proof)
