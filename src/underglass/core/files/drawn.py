"""The control's moves as drawings: SVG seen from above, DXF in space. Work coordinates of the offset in force, mm."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.arcs import chords
from underglass.core.control.motions import PLANE_AXES, Kind, Motions
from underglass.core.proof.outputs import Outline
from underglass.core.proof.proof import Proof

_MARGIN = 5.0
_MOST_CHORDS = 720
_CHORD_MM = 0.01
"""No pen draws finer."""


def places(motions: Motions, move: int) -> NDArray[np.float64]:
    """A move's way as points ``(k, 3)``, arcs in chords no farther off than a pen is fine."""
    sweep, count = float(motions.sweep[move]), 1
    if sweep:
        u, v, _w = PLANE_AXES[int(motions.plane[move])]
        away = motions.start[move] - motions.centre[move]
        count = min(_MOST_CHORDS, chords(math.hypot(away[u], away[v]), sweep, _CHORD_MM))
    state = motions.state_of(move)
    return np.array([state.work(motions.at(move, k / count)) for k in range(count + 1)])


def path_as_svg(proof: Proof) -> str:
    """Seen from above, Y up: rapids long-dashed and thin, feeds solid, plunges as dots. One mm is one unit."""
    motions = proof.motions
    rapid = motions.rapid()
    ways = [(m, places(motions, m)) for m in range(len(motions)) if motions.kind[m] != Kind.DWELL]
    whole = np.concatenate([w for _m, w in ways]) if ways else np.zeros((1, 3))
    low, high = whole.min(axis=0) - _MARGIN, whole.max(axis=0) + _MARGIN
    out = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{high[0] - low[0]:.3f}mm" height="{high[1] - low[1]:.3f}mm" '
        f'viewBox="{low[0]:.3f} {-high[1]:.3f} {high[0] - low[0]:.3f} {high[1] - low[1]:.3f}">',
        "<style>path,circle{fill:none;stroke-width:.4;vector-effect:non-scaling-stroke}"
        ".feed{stroke:#0072B2}.rapid{stroke:#CC79A7;stroke-dasharray:4 2;stroke-width:.25}.plunge{stroke:#0072B2}</style>",
    ]
    for m, way in ways:
        flat = way[:, :2]
        about = f'data-line="{int(motions.line[m])}" data-tool="{motions.state_of(m).tool}"'
        if np.abs(flat - flat[0]).max() < 1e-6:
            if not rapid[m]:
                out.append(f'<circle class="plunge" {about} cx="{flat[0, 0]:.4f}" cy="{-flat[0, 1]:.4f}" r=".6"/>')
            continue
        drawn = " ".join(f"{x:.4f} {-y:.4f}" for x, y in flat.tolist())
        out.append(f'<path class="{"rapid" if rapid[m] else "feed"}" {about} d="M{drawn}"/>')
    out.append("</svg>")
    return "\n".join(out) + "\n"


def outlines_as_dxf(found: Sequence[Outline]) -> str:
    """Closed polylines, mm: what has come loose on the layer PIECES, what hangs together with the sheet's edge on SHEET."""
    from ezdxf import units
    from ezdxf.filemanagement import new

    document: Any = new("R2010")
    document.units = units.MM
    for layer, colour in (("PIECES", 5), ("SHEET", 8)):
        document.layers.add(layer, color=colour)
    space = document.modelspace()
    for one in found:
        space.add_lwpolyline(
            one.ring[:-1].tolist(), close=True, dxfattribs={"layer": "PIECES" if one.loose else "SHEET"}
        )
    out = io.StringIO()
    document.write(out)
    return out.getvalue()


def path_as_dxf(proof: Proof) -> str:
    """Lines, level arcs in X Y as arcs, other arcs as polylines; a layer for each tool's feeds and one for its rapids."""
    from ezdxf import units
    from ezdxf.filemanagement import new

    document: Any = new("R2010")
    document.units = units.MM
    space = document.modelspace()
    motions = proof.motions
    rapid = motions.rapid()
    for m in range(len(motions)):
        if motions.kind[m] == Kind.DWELL:
            continue
        state = motions.state_of(m)
        layer = f"T{state.tool}_{'RAPID' if rapid[m] else 'FEED'}"
        if layer not in document.layers:
            document.layers.add(layer, color=6 if rapid[m] else 5)
        a, b = state.work(motions.at(m, 0.0)), state.work(motions.at(m, 1.0))
        sweep = float(motions.sweep[m])
        if sweep == 0.0:
            space.add_line(a, b, dxfattribs={"layer": layer})
        elif motions.plane[m] == 17 and abs(b[2] - a[2]) < 1e-9:
            x, y, _z = state.work((float(motions.centre[m, 0]), float(motions.centre[m, 1]), 0.0))
            first, last = (math.degrees(math.atan2(p[1] - y, p[0] - x)) for p in ((a, b) if sweep > 0.0 else (b, a)))
            r = math.dist(a[:2], (x, y))
            if abs(sweep) > math.tau - 1e-9:
                space.add_circle((x, y, a[2]), r, dxfattribs={"layer": layer})
            else:
                space.add_arc((x, y, a[2]), r, first, last, dxfattribs={"layer": layer})
        else:
            space.add_polyline3d(places(motions, m).tolist(), dxfattribs={"layer": layer})
    out = io.StringIO()
    document.write(out)
    return out.getvalue()
