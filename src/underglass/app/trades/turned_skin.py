"""A turned part in the glass: a solid with a quarter cut away, the tool in its plane, chuck and tailstock.

World axes: to the right is Z of the lathe, up is X (where the turret stands), towards the eye in front is Y.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.app.glass.colouring import Legend
from underglass.app.glass.renderer import Placed, hex_colour
from underglass.app.glass.scene import FEED, RAPID, Body, PathLines
from underglass.app.glass.showing import Showing
from underglass.app.glass.skin import Chosen, Dimension, Label, Places, SkinHit
from underglass.app.style.palette import Palette
from underglass.app.trades.turned_colours import COLOURINGS, TurnedColours
from underglass.app.trades.turned_measure import dimensions, measured
from underglass.core.bench.lathe import Bar, LatheTool
from underglass.core.finding import Finding
from underglass.core.proof.operations import operations
from underglass.core.proof.proof import Proof
from underglass.core.removal.section.history import SectionHistory
from underglass.core.removal.section.revolve import turned
from underglass.core.removal.section.shape import Shape
from underglass.core.removal.section.state import Section
from underglass.core.trades.turning.clock import speed_at
from underglass.core.trades.turning.cut import uncut
from underglass.core.trades.turning.lathe import lathe_of, tips, tool_rows
from underglass.core.trades.turning.rules.contacts import held_by
from underglass.core.units import Unit, show_length

_SIDES = 72
_CUT_AWAY = (0.0, math.pi / 2.0)
"""The quarter that is taken away, angles from X towards Y: it faces the eye in front, above the axis."""

_ARC_MM = 0.02
_THICK_MM = 4.0
_STEPS = 4000
_FRONT_MM = 14.0
_JAW_HALF_RAD = math.radians(22.0)


def world(places: Places) -> Places:
    """X Y Z of the lathe ``(n, 3)`` as the world's."""
    return np.column_stack([places[:, 2], -places[:, 1], places[:, 0]])


def flat(places: Places) -> Places:
    """(X, Z) in the plane of the tools ``(n, 2)`` as the world's ``(n, 3)``."""
    return np.column_stack([places[:, 1], np.zeros(len(places)), places[:, 0]])


class TurnedSkin:
    """Of one proof."""

    axes = ("Z", "", "X")
    first_view = "along"
    has_outlines = False
    plane_view = "front"
    plane_at = 0.0
    colourings = COLOURINGS

    def __init__(self, proof: Proof) -> None:
        self.proof = proof
        self.lathe = lathe_of(proof.job.bench)
        self.history = next((h for h in proof.histories if isinstance(h, SectionHistory)), None)
        self._cursor = self.history.cursor() if self.history is not None else None
        self.tools, self.rows = tool_rows(proof.job.bench, proof.motions)
        self.start, self.end, self.centre = tips(proof.job.bench, proof.motions, self.tools, self.rows)
        self.colours = TurnedColours(proof, self.history, operations(proof))
        self._bodies: dict[object, Body] = {}
        self._owners: dict[tuple[float, float], int] = {}
        self._last: tuple[object, list[Placed]] | None = None
        self._serial = 0
        self.open_quarter = True

    # -- the path ----------------------------------------------------------------------------------------------------------

    def lines(self) -> PathLines:
        motions = self.proof.motions
        n = len(motions)
        rows: list[Places] = []
        counts = np.ones(n, dtype=np.int64)
        rapid = motions.rapid()
        for k in range(n):
            if motions.sweep[k] == 0.0:
                rows.append(np.array([[*self.start[k], *self.end[k]]]))
                continue
            radius = float(np.hypot(*(self.start[k] - self.centre[k])))
            step = 2.0 * math.acos(max(-1.0, 1.0 - _ARC_MM / max(radius, _ARC_MM)))
            count = counts[k] = max(2, math.ceil(abs(float(motions.sweep[k])) / step))
            off = self.start[k] - np.array(motions.at(k, 0.0))[[0, 2]]
            at = np.array([motions.at(k, s) for s in np.linspace(0.0, 1.0, count + 1)])[:, [0, 2]] + off
            rows.append(np.hstack([at[:-1], at[1:]]))
        first = np.concatenate([[0], np.cumsum(counts)])
        flatly = np.concatenate(rows) if rows else np.empty((0, 4))
        out = np.empty((len(flatly), 9), dtype=np.float32)
        out[:, 0:3], out[:, 3:6] = flat(flatly[:, 0:2]), flat(flatly[:, 2:4])
        size = np.hypot(flatly[:, 2] - flatly[:, 0], flatly[:, 3] - flatly[:, 1])
        along = np.concatenate([[0.0], np.cumsum(size)])
        out[:, 6], out[:, 7] = along[:-1] % 1000.0, along[:-1] % 1000.0 + size
        out[:, 8] = np.where(np.repeat(rapid, counts), RAPID, FEED)
        fed = out[out[:, 8] == FEED]
        box = fed if len(fed) else out
        low = box[:, 0:6].reshape(-1, 3).min(axis=0) if len(box) else np.zeros(3)
        high = box[:, 0:6].reshape(-1, 3).max(axis=0) if len(box) else np.zeros(3)
        return PathLines(rows=out, first=first, low=low.astype(np.float64), high=high.astype(np.float64))

    # -- a moment ----------------------------------------------------------------------------------------------------------

    def section(self, moment: float) -> Section | None:
        if self._cursor is None:
            return None
        if len(self.proof.motions):
            self._cursor.go(*self.proof.timing.locate(max(moment, 0.0)))
        return self._cursor.state

    def tip(self, moment: float) -> Places | None:
        if not len(self.proof.motions):
            return None
        move, share = self.proof.timing.locate(max(moment, 0.0))
        if self.rows[move] < 0:
            return None
        return flat(self._tip_at(move, share)[None, :])[0]

    def _tip_at(self, move: int, share: float) -> Places:
        off = self.start[move] - np.array(self.proof.motions.at(move, 0.0))[[0, 2]]
        return np.array(self.proof.motions.at(move, share))[[0, 2]] + off

    def bodies(self, moment: float, palette: Palette, showing: Showing, chosen: Chosen | None) -> list[Placed]:
        key = (moment, palette.name, showing.colouring, showing.solid, chosen)
        if self._last is None or self._last[0] != key:
            self._last = (key, self._stock(moment, palette, showing, chosen) if showing.solid else [])
        out = list(self._last[1])
        if showing.fixtures:
            out += self._held(palette)
        if showing.tool:
            out += self._tool(moment, palette)
        return out

    def _stock(self, moment: float, palette: Palette, showing: Showing, chosen: Chosen | None) -> list[Placed]:
        section = self.section(moment)
        if section is None or section.shape.is_empty:
            return []
        done = self._done(moment)
        edges = _edges(section.shape)
        middles = (edges[:, 0] + edges[:, 1]) / 2.0 - (0.0, section.shift)
        owner = self._owner_of(middles, done)
        groups: dict[str, list[int]] = {}
        colours = self.colours.colours(showing.colouring, palette, owner, middles)
        for k, (move, colour) in enumerate(zip(owner.tolist(), colours)):
            stands_out = chosen is not None and chosen.first <= move <= chosen.last
            groups.setdefault(palette.active if stands_out else colour, []).append(k)
        self._serial += 1
        out = []
        angles = np.linspace(_CUT_AWAY[1], math.tau, _SIDES * 3 // 4 + 1)
        for colour, mine in groups.items():
            body = revolved(edges[mine], angles)
            out.append(
                Placed(
                    key=("turned", id(self), self._serial, colour),
                    body=body,
                    model=np.eye(4),
                    colour=hex_colour(colour),
                )
            )
        face = faces(section.shape, _CUT_AWAY)
        out.append(
            Placed(
                key=("cut face", id(self), self._serial),
                body=face,
                model=np.eye(4),
                colour=hex_colour(_lighter(palette.stock)),
            )
        )
        return out

    def _owner_of(self, middles: Places, done: int) -> NDArray[np.int64]:
        """The move that made each edge; what is known already is not looked up again."""
        assert self.history is not None
        keys = [(round(float(x), 6), round(float(z), 6)) for x, z in middles]
        new = [k for k, key in enumerate(keys) if key not in self._owners or self._owners[key] >= done]
        if new:
            found = self.history.owners(middles[new], done)
            if len(self._owners) > 200_000:
                self._owners.clear()
            for k, move in zip(new, found.tolist()):
                self._owners[keys[k]] = move
        return np.array([self._owners.get(key, -1) for key in keys], dtype=np.int64)

    def legend(self, kind: str, palette: Palette, unit: Unit) -> Legend:
        return self.colours.legend(kind, palette, unit)

    def _held(self, palette: Palette) -> list[Placed]:
        out = []
        angles = np.linspace(_CUT_AWAY[1], math.tau, _SIDES * 3 // 4 + 1)
        for name, whole in held_by(self.lathe):
            if name == "spindle nose":
                continue
            shape = whole
            if name == "chuck":
                # Only its front, and where no stock stands in it: the rest would fill the picture.
                front = shapely.box(0.0, shape.bounds[3] - _FRONT_MM, 1e4, 1e4)
                shape = shapely.difference(shapely.intersection(shape, front), uncut(self.lathe))
            key = ("held", name, whole.bounds)
            if key not in self._bodies and name == "jaws":
                self._bodies[key] = _jaws(shape)
            elif key not in self._bodies:
                shown = _near(shape, self.lathe.chuck.face)
                round_ = revolved(_edges(shown), angles)
                self._bodies[key] = Body(np.concatenate([round_.triangles, faces(shown, _CUT_AWAY).triangles]))
            out.append(
                Placed(
                    key=("held", id(self), name),
                    body=self._bodies[key],
                    model=np.eye(4),
                    colour=hex_colour(palette.fixture),
                )
            )
        return out

    def _tool(self, moment: float, palette: Palette) -> list[Placed]:
        if not len(self.proof.motions):
            return []
        move, share = self.proof.timing.locate(max(moment, 0.0))
        if self.rows[move] < 0:
            return []
        tool = self.tools[int(self.rows[move])]
        model = np.eye(4)
        model[:3, 3] = flat(self._tip_at(move, share)[None, :])[0]
        out = []
        for part, colour in (("edge", palette.cutter), ("body", palette.holder)):
            key = (tool, part)
            if key not in self._bodies:
                self._bodies[key] = tool_body(tool, part)
            if len(self._bodies[key].triangles):
                out.append(
                    Placed(
                        key=("lathe tool", tool, part),
                        body=self._bodies[key],
                        model=model,
                        colour=hex_colour(colour),
                        whole=True,
                    )
                )
        return out

    # -- sizes and picking -------------------------------------------------------------------------------------------------

    def bounds(self) -> tuple[Places, Places]:
        shape = self.history.uncut.shape if self.history is not None else shapely.box(0.0, -80.0, 20.0, 0.0)
        _x0, z0, x1, z1 = shape.bounds
        if self.lathe.chuck.kind != "none":
            z0 = min(max(z0, self.lathe.chuck.face - 45.0), self.lathe.chuck.face - 20.0)
        reach = max(x1, 5.0)
        return np.array([z0, -reach, -reach]), np.array([z1 + 8.0, reach, reach + 12.0])

    def surface(self, start: Places, way: Places, moment: float) -> SkinHit | None:
        section = self.section(moment)
        if section is None or section.shape.is_empty:
            return None
        shape = section.shape
        _x0, z0, x1, z1 = shape.bounds
        low, high = np.array([z0, -x1, -x1]), np.array([z1, x1, x1])
        with np.errstate(divide="ignore", invalid="ignore"):
            a, b = (low - start) / way, (high - start) / way
        begin = float(np.nanmax(np.minimum(a, b)))
        end = float(np.nanmin(np.maximum(a, b)))
        begin = max(begin, 0.0)
        if begin >= end:
            return None
        t = np.linspace(begin, end, _STEPS)
        inside = self._inside(shape, start, way, t)
        hits = np.flatnonzero(inside)
        if not len(hits):
            return None
        k = int(hits[0])
        near, far = (float(t[k - 1]), float(t[k])) if k else (float(t[k]), float(t[k]))
        for _ in range(24):
            middle = (near + far) / 2.0
            if self._inside(shape, start, way, np.array([middle]))[0]:
                far = middle
            else:
                near = middle
        at = start + way * far
        r, z = math.hypot(at[1], at[2]), float(at[0])
        done = self._done(moment)
        move = -1
        if self.history is not None:
            edge = shape.boundary.interpolate(shape.boundary.project(shapely.Point(r, z)))
            if edge.distance(shapely.Point(r, z)) < 0.01:
                move = int(self.history.owners(np.array([[edge.x, edge.y - section.shift]]), done)[0])
        return SkinHit(far, (float(at[0]), float(at[1]), float(at[2])), move)

    def _inside(self, shape: Shape, start: Places, way: Places, t: NDArray[np.float64]) -> NDArray[np.bool_]:
        places = start + way * t[:, None]
        z, y, x = places[:, 0], -places[:, 1], places[:, 2]
        out = shapely.contains_xy(shape, np.hypot(x, y), z)
        return out & ~((x > 0.0) & (y > 0.0))

    def about(self, hit: SkinHit, unit: Unit) -> str:
        z, y, x = hit.place
        where = f"diameter {show_length(2.0 * math.hypot(x, y), unit)}  Z {show_length(z, unit)} {unit}"
        if hit.move < 0:
            return f"Uncut stock, or the section\n{where}"
        motions = self.proof.motions
        return f"{where}\ncut by line {int(motions.line[hit.move])} with tool {motions.state_of(hit.move).tool}"

    def measure(self, mode: str, one: Places, two: Places, moment: float, unit: Unit) -> tuple[str, float | None]:
        return measured(
            mode, one, two, self.section(moment), self.history, self.proof.motions, self._done(moment), unit
        )

    def labels(self, moment: float, showing: Showing) -> Sequence[Label]:
        return ()

    def dimensions(self, place: Places, moment: float, unit: Unit) -> tuple[Dimension, ...]:
        return dimensions(place, self.section(moment), unit)

    def _done(self, moment: float) -> int:
        """How many moves have been begun by a moment."""
        return self.proof.timing.locate(max(moment, 0.0))[0] + 1 if len(self.proof.motions) else 0

    def solid(self, moment: float) -> tuple[Places, NDArray[np.int64]]:
        section = self.section(moment)
        if section is None or section.shape.is_empty:
            return np.empty((0, 3)), np.empty((0, 3), dtype=np.int64)
        return turned(section.shape)

    def place_of(self, finding: Finding) -> Places | None:
        if finding.move < 0 or finding.move >= len(self.proof.motions):
            return None
        if finding.position is not None:
            return flat(np.array([[finding.position.x / 2.0, finding.position.z]]))[0]
        return self.tip(finding.time_s)

    def speed(self, moment: float) -> float:
        """The spindle's speed at a moment, rpm."""
        move, share = self.proof.timing.locate(max(moment, 0.0))
        x = self.proof.motions.at(move, share)[0]
        return speed_at(self.proof.motions, self.proof.job.bench.machine, move, x)


# -- triangles -------------------------------------------------------------------------------------------------------------


def _edges(shape: Shape) -> Places:
    """Outlines of a shape as edges ``(n, 2, 2)`` of (X, Z), the metal on the left of each."""
    out = [np.empty((0, 2, 2))]
    for part in shapely.get_parts(shapely.orient_polygons(shape)):
        if shapely.get_type_id(part) != 3:
            continue
        for ring in shapely.get_rings(part):
            places = shapely.get_coordinates(ring)
            out.append(np.stack([places[:-1], places[1:]], axis=1))
    edges = np.concatenate(out)
    return edges[np.abs(edges[:, :, 0]).max(axis=1) > 1e-9]


def revolved(edges: Places, angles: NDArray[np.float64]) -> Body:
    """Edges turned about the axis over these angles; normals look away from the metal."""
    n, k = len(edges), len(angles)
    if not n:
        return Body(np.zeros((0, 6), dtype=np.float32))
    cos, sin = np.cos(angles), np.sin(angles)
    way = edges[:, 1] - edges[:, 0]
    size = np.maximum(np.hypot(way[:, 0], way[:, 1]), 1e-12)
    # Shells run counter-clockwise in (X, Z): away from the metal is to the right of the way.
    nx, nz = way[:, 1] / size, -way[:, 0] / size
    rows = np.empty((n, k - 1, 6, 6), dtype=np.float32)
    for corner, (end, turn) in enumerate(((0, 0), (1, 0), (1, 1), (0, 0), (1, 1), (0, 1))):
        c, s = (cos[turn : k - 1 + turn], sin[turn : k - 1 + turn])
        x, z = edges[:, end, 0], edges[:, end, 1]
        rows[:, :, corner, 0] = z[:, None]
        rows[:, :, corner, 1] = -np.outer(x, s)
        rows[:, :, corner, 2] = np.outer(x, c)
        rows[:, :, corner, 3] = nz[:, None]
        rows[:, :, corner, 4] = -np.outer(nx, s)
        rows[:, :, corner, 5] = np.outer(nx, c)
    return Body(rows.reshape(-1, 6))


def faces(shape: Shape, angles: Sequence[float]) -> Body:
    """The section itself, standing at two angles: what the cut-away quarter shows."""
    triangles = [
        shapely.get_coordinates(t)[:3]
        for part in shapely.get_parts(shape)
        for t in shapely.get_parts(shapely.constrained_delaunay_triangles(part))
    ]
    if not triangles:
        return Body(np.zeros((0, 6), dtype=np.float32))
    places = np.concatenate(triangles)
    out = []
    for angle in angles:
        c, s = math.cos(angle), math.sin(angle)
        # The quarter lies between the angles: both faces look into it.
        lathe = np.column_stack([places[:, 0] * c, places[:, 0] * s, places[:, 1]])
        sign = 1.0 if angle == min(angles) else -1.0
        way = np.array([0.0, -c * sign, -s * sign])
        out.append(np.hstack([world(lathe), np.tile(way, (len(places), 1))]))
    return Body(np.concatenate(out).astype(np.float32))


def _near(shape: Shape, face: float) -> Shape:
    """Of a chuck or tailstock only what stands near the work: the rest would fill the picture."""
    return shapely.intersection(shape, shapely.box(0.0, face - 60.0, 1e4, face + 400.0))


def _jaws(shape: Shape) -> Body:
    """Three jaws, a third of a turn apart; none stands in the quarter that is cut away."""
    parts = []
    for middle in (math.radians(120.0), math.radians(200.0), math.radians(315.0)):
        angles = np.linspace(middle - _JAW_HALF_RAD, middle + _JAW_HALF_RAD, 9)
        parts += [
            revolved(_edges(shape), angles).triangles,
            faces(shape, (float(angles[0]), float(angles[-1]))).triangles,
        ]
    return Body(np.concatenate(parts))


def extruded(outline: Places, near: float, far: float) -> Body:
    """A flat outline (X, Z) given a thickness across the plane of the tools."""
    ring = outline if shapely.Polygon(outline).exterior.is_ccw else outline[::-1]
    edges = np.stack([ring, np.roll(ring, -1, axis=0)], axis=1)
    way = edges[:, 1] - edges[:, 0]
    size = np.maximum(np.hypot(way[:, 0], way[:, 1]), 1e-12)
    nx, nz = way[:, 1] / size, -way[:, 0] / size
    rows = []
    for k, ((x0, z0), (x1, z1)) in enumerate(edges.tolist()):
        n = (nz[k], 0.0, nx[k])
        quad = [(z0, near, x0), (z1, near, x1), (z1, far, x1), (z0, near, x0), (z1, far, x1), (z0, far, x0)]
        rows += [(*p, *n) for p in quad]
    for part in shapely.get_parts(shapely.constrained_delaunay_triangles(shapely.make_valid(shapely.Polygon(outline)))):
        for x, z in shapely.get_coordinates(part)[:3].tolist():
            rows.append((z, near, x, 0.0, -1.0, 0.0))
        for x, z in shapely.get_coordinates(part)[:3].tolist():
            rows.append((z, far, x, 0.0, 1.0, 0.0))
    return Body(np.array(rows, dtype=np.float32))


def tool_body(tool: LatheTool, part: str) -> Body:
    """Insert or blade as a plate, shank as a square bar, boring bar and drill round."""
    outline = tool.cutting() if part == "edge" else tool.body()
    if outline is None:
        return Body(np.zeros((0, 6), dtype=np.float32))
    if tool.on_axis:
        half = shapely.intersection(shapely.Polygon(outline), shapely.box(0.0, -1e4, 1e4, 1e4))
        return revolved(_edges(half), np.linspace(0.0, math.tau, 41))
    if part == "body" and isinstance(tool.holder, Bar):
        x = (outline[:, 0].min() + outline[:, 0].max()) / 2.0
        bar = shapely.box(0.0, outline[:, 1].min(), tool.holder.diameter / 2.0, outline[:, 1].max())
        body = revolved(_edges(bar), np.linspace(0.0, math.tau, 41))
        body.triangles[:, 2] += x
        return body
    if part == "edge":
        return extruded(outline, 0.0, min(_THICK_MM, max(tool.width, 3.0)))
    return extruded(outline, _THICK_MM * 0.5, _THICK_MM * 0.5 + 16.0)


def _lighter(colour: str) -> str:
    r, g, b = (int(colour[k : k + 2], 16) for k in (1, 3, 5))
    return "#" + "".join(f"{min(255, round(v + (255 - v) * 0.35)):02X}" for v in (r, g, b))
