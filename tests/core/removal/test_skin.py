"""The stock as closed triangles: another library says whether they are closed and how much they hold."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
import zipfile
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as nps

from tests.core.removal.shapes import BLOCK, cut_moves
from underglass.core.bench.frame import Frame
from underglass.core.entries.mesh import read_mesh, write_mesh
from underglass.core.errors import UnusableFile
from underglass.core.removal.field import Field, Grid
from underglass.core.removal.skin import skin


def closed(vertices: np.ndarray, faces: np.ndarray) -> trimesh.Trimesh:
    mesh = trimesh.Trimesh(vertices, faces, process=False)
    assert mesh.is_watertight and mesh.is_winding_consistent
    return mesh


def field_of(heights: np.ndarray, cell: float = 0.5) -> Field:
    h = np.asarray(heights, dtype=np.float32)
    grid = Grid(
        frame=Frame(x=3.0, y=-2.0, z=1.0, turn_rad=0.4),
        cell=cell,
        nx=h.shape[1],
        ny=h.shape[0],
        height=float(h.max(initial=1.0)),
    )
    return Field(grid, h, np.full(h.shape, -1, dtype=np.int32))


@settings(deadline=None, max_examples=120)
@given(nps.arrays(np.int8, st.tuples(st.integers(1, 7), st.integers(1, 7)), elements=st.integers(0, 4)))
def test_any_field_is_closed_and_holds_at_least_its_own(heights: np.ndarray) -> None:
    field = field_of(heights)
    vertices, faces = skin(field)
    if not heights.any():
        assert not len(faces)
        return
    mesh = closed(vertices, faces)
    own = float(field.h.sum()) * 0.25
    # Cells that meet in an edge alone are joined, which only adds.
    assert mesh.volume >= own - 1e-6
    corners = sum(
        min(heights[j, i], heights[j + 1, i + 1]) > max(heights[j, i + 1], heights[j + 1, i])
        or min(heights[j, i + 1], heights[j + 1, i]) > max(heights[j, i], heights[j + 1, i + 1])
        for j in range(heights.shape[0] - 1)
        for i in range(heights.shape[1] - 1)
    )
    if not corners:
        assert mesh.volume == pytest.approx(own, abs=1e-6)


def test_a_cut_block_has_the_fields_volume_and_place() -> None:
    history = cut_moves([((10, 10, 12), (50, 40, 8)), ((30, 25, 30), (30, 25, -5))], tool=3, cell=0.25)
    vertices, faces = skin(history.final)
    mesh = closed(vertices, faces)
    assert mesh.volume == pytest.approx(history.final.volume(), rel=1e-4)
    assert mesh.bounds.tolist() == [[0.0, 0.0, 0.0], [60.0, 50.0, 20.0]]


def test_large_fields_are_read_coarser() -> None:
    history = cut_moves([((10, 10, 12), (50, 40, 12))], cell=0.25)
    vertices, faces = skin(history.final, most_cells=5000)
    assert closed(vertices, faces).volume == pytest.approx(history.final.volume(), rel=0.02)
    assert len(faces) < 40_000


@pytest.mark.parametrize("suffix", [".stl", ".ply"])
def test_written_and_read_again(tmp_path: Path, suffix: str) -> None:
    history = cut_moves([((10, 10, 12), (50, 40, 12))], cell=1.0)
    vertices, faces = skin(history.final)
    write_mesh(tmp_path / f"part{suffix}", vertices, faces)
    again = read_mesh(tmp_path / f"part{suffix}")
    assert again.volume == pytest.approx(history.final.volume(), rel=1e-5)
    assert again.low == pytest.approx([0, 0, 0]) and again.high == pytest.approx(list(BLOCK.size))


def test_three_mf_holds_the_same_mesh(tmp_path: Path) -> None:
    """3MF core specification: a zip package whose model part lists vertices and triangles (from memory)."""
    vertices, faces = skin(cut_moves([((10, 10, 12), (50, 40, 12))], cell=1.0).final)
    write_mesh(tmp_path / "part.3mf", vertices, faces, 'A "plate" & more')
    with zipfile.ZipFile(tmp_path / "part.3mf") as package:
        assert {"[Content_Types].xml", "_rels/.rels", "3D/3dmodel.model"} == set(package.namelist())
        root = ET.fromstring(package.read("3D/3dmodel.model"))
    space = "{http://schemas.microsoft.com/3dmanufacturing/core/2015/02}"
    assert root.get("unit") == "millimeter"
    places = [[float(v.get(k)) for k in "xyz"] for v in root.iter(f"{space}vertex")]  # type: ignore[arg-type]
    corners = [[int(t.get(k)) for k in ("v1", "v2", "v3")] for t in root.iter(f"{space}triangle")]  # type: ignore[arg-type]
    assert np.allclose(places, vertices, atol=1e-4) and np.array_equal(corners, faces)


@pytest.mark.parametrize(
    "raw", [b"", b"solid nothing\nendsolid\n", b"\x00" * 100, json.dumps({"a": 1}).encode(), b"\xff" * 84]
)
def test_what_is_no_mesh_is_one_sentence(tmp_path: Path, raw: bytes) -> None:
    (tmp_path / "x.stl").write_bytes(raw)
    with pytest.raises(UnusableFile):
        read_mesh(tmp_path / "x.stl")


def test_a_suffix_that_is_not_written(tmp_path: Path) -> None:
    with pytest.raises(UnusableFile, match=r"\.stl"):
        write_mesh(tmp_path / "x.obj", np.zeros((0, 3)), np.zeros((0, 3), dtype=np.int64))
