"""Shapes as triangles, in and out: STL (binary and ASCII) and PLY by trimesh, 3MF written here (a zip with one XML part)."""

from __future__ import annotations

import io
import warnings
import zipfile
from functools import lru_cache
from pathlib import Path
from typing import Any
from xml.sax.saxutils import quoteattr

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.mesh import Mesh
from underglass.core.errors import UnusableFile
from underglass.core.reading import MESH_BYTES, read_regular
from underglass.core.saving import write_whole

WRITTEN = (".stl", ".ply", ".3mf")
_MOST_TRIANGLES = 2_000_000
_MOST_UNPACKED = 512_000_000


def read_mesh(path: Path, scale: float = 1.0) -> Mesh:
    """A mesh file as triangles in mm; ``scale`` turns its lengths into mm. Raises ``UnusableFile``.

    A file that has not changed since it was read last is not read again: a job is read anew with every stroke in Setup.
    """
    try:
        state = path.stat()
    except OSError as error:
        raise UnusableFile(str(path), (error.strerror or "cannot be read").lower()) from None
    except ValueError:
        raise UnusableFile(str(path), "this is no name that a file can have") from None
    return _read_mesh(path, scale, state.st_mtime_ns, state.st_size)


@lru_cache(maxsize=8)
def _read_mesh(path: Path, scale: float, _changed: int, _size: int) -> Mesh:
    import trimesh

    raw = read_regular(path, MESH_BYTES)
    _unpacked(path, raw)
    try:
        kind = path.suffix.lower().lstrip(".") or "stl"
        with np.errstate(all="ignore"), warnings.catch_warnings():
            warnings.simplefilter("ignore")
            loaded: Any = trimesh.load(io.BytesIO(raw), file_type=kind, force="mesh", process=False)
            triangles = np.array(loaded.triangles, dtype=np.float64) * scale
    except Exception:  # whatever a damaged file makes the reader say
        raise UnusableFile(str(path), "this is not a mesh that can be read; STL and PLY can") from None
    if triangles.ndim != 3 or not len(triangles) or not np.isfinite(triangles).all():
        raise UnusableFile(str(path), "this mesh holds no triangles")
    if len(triangles) > _MOST_TRIANGLES:
        raise UnusableFile(str(path), f"this mesh has more than {_MOST_TRIANGLES:,} triangles")
    return Mesh(path.name, triangles)


def _unpacked(path: Path, raw: bytes) -> None:
    """An archive is judged by what it unpacks to, before it is unpacked. Raises ``UnusableFile``."""
    if raw[:4] != b"PK\x03\x04":
        return
    try:
        with zipfile.ZipFile(io.BytesIO(raw)) as package:
            size = sum(entry.file_size for entry in package.infolist())
    except (zipfile.BadZipFile, ValueError, OSError):
        raise UnusableFile(str(path), "this archive is damaged") from None
    if size > _MOST_UNPACKED:
        raise UnusableFile(
            str(path),
            f"this unpacks to {size / 1e6:.0f} MB; {_MOST_UNPACKED // 1_000_000} MB are the most that is read",
        )


def write_mesh(path: Path, vertices: NDArray[np.float64], faces: NDArray[np.int64], title: str = "stock") -> None:
    """Write ``(n, 3)`` mm vertices and ``(m, 3)`` faces by the path's suffix. Raises ``UnusableFile``."""
    import trimesh

    kind = path.suffix.lower()
    if kind not in WRITTEN:
        raise UnusableFile(str(path), f"a part is written as {', '.join(WRITTEN)}")
    if kind == ".3mf":
        data = _three_mf(vertices, faces, title)
    else:
        made = trimesh.Trimesh(vertices, faces, process=False).export(file_type=kind[1:])
        data = made if isinstance(made, bytes) else str(made).encode()
    write_whole(path, data)


_TYPES = """<?xml version="1.0" encoding="UTF-8"?>
<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">
<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>
<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/>
</Types>
"""
_RELATIONS = """<?xml version="1.0" encoding="UTF-8"?>
<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">
<Relationship Target="/3D/3dmodel.model" Id="rel0" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/>
</Relationships>
"""


def _three_mf(vertices: NDArray[np.float64], faces: NDArray[np.int64], title: str) -> bytes:
    """The core part of the 3MF specification 1.x: one object of triangles, in mm."""
    points = "\n".join(f'<vertex x="{x:.6g}" y="{y:.6g}" z="{z:.6g}"/>' for x, y, z in vertices.tolist())
    corners = "\n".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in faces.tolist())
    model = (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<model unit="millimeter" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">\n'
        f'<resources><object id="1" type="model" name={quoteattr(title)}><mesh>\n<vertices>\n{points}\n</vertices>\n'
        f'<triangles>\n{corners}\n</triangles>\n</mesh></object></resources>\n<build><item objectid="1"/></build>\n</model>\n'
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("[Content_Types].xml", _TYPES)
        package.writestr("_rels/.rels", _RELATIONS)
        package.writestr("3D/3dmodel.model", model)
    return out.getvalue()
