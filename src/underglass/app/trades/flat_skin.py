"""A sheet in the glass: a plate with its thickness, kerfs and cut edges, loose pieces lifted a little, torch or punch above it.

World axes are the part's own; the sheet's upper side lies at Z 0. What will be cut later is drawn as plugs that fill their kerfs: a
moment only leaves away the plugs of what is cut by then.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.app.glass.colouring import Legend
from underglass.app.glass.renderer import Colour, Placed, hex_colour
from underglass.app.glass.scene import FEED, RAPID, Body, PathLines, box_body
from underglass.app.glass.showing import Showing
from underglass.app.glass.skin import Chosen, Dimension, Label, Places, SkinHit
from underglass.app.style.palette import Palette
from underglass.app.trades.flat_bodies import DRAWN_MM, plate_rows, round_body, wall_rows
from underglass.app.trades.flat_colours import COLOURINGS, FlatColours
from underglass.app.trades.flat_measure import Sheeted, dimensions, measured, of_region
from underglass.core.bench.sheet import Cutter
from underglass.core.finding import Finding
from underglass.core.proof.flat_outputs import history_of, on_part, plate, sheet_of
from underglass.core.proof.level_runs import arc_points
from underglass.core.proof.proof import Proof
from underglass.core.removal.sheet.history import Region, SheetHistory, kerf, way_so_far
from underglass.core.trades.punching.cut import forms_of
from underglass.core.units import Unit, show_length

_LIFT_MM = 2.5
_UP_MM = 12.0
_DOWN_MM = 1.5
_HELD_MM = 15.0
_NEAR_MM = 2.0
_MOST_SLUGS = 12
_SLUG_S = 1.5
_CHUTE_MM = 60.0
"""How long and how far below its hole a slug is seen."""
_GRAVITY = 9810.0
_LEAST_FORM_MM = 0.5
"""A form whose height is not said is drawn so high."""


class FlatSkin:
    """Of one proof."""

    axes = ("X", "Y", "")
    first_view = "over"
    has_outlines = True
    plane_view = "top"
    plane_at = 0.0
    colourings = COLOURINGS

    def __init__(self, proof: Proof) -> None:
        self.proof = proof
        self.sheet = sheet_of(proof)
        self.history: SheetHistory | None = history_of(proof)
        self.start, self.end = on_part(proof, proof.motions.start), on_part(proof, proof.motions.end)
        self.colours = FlatColours(proof, self.history)
        self._parts: list[tuple[int, NDArray[np.float32], NDArray[np.float32], NDArray[np.int64]]] | None = None
        self._plugs: tuple[NDArray[np.float32], NDArray[np.int64]] | None = None
        self._walls: tuple[object, list[tuple[int, str, Body]]] | None = None
        self._bodies: dict[object, Body] = {}
        self._last_plug: tuple[object, Body] | None = None
        self._forms = forms_of(proof.job.bench, proof.motions)
        self._formed: dict[int, NDArray[np.float32]] = {}
        self._last_forms: tuple[object, list[tuple[str, Body]]] | None = None
        self._fallen: dict[int, Body] = {}

    # -- the path ----------------------------------------------------------------------------------------------------------

    def lines(self) -> PathLines:
        motions = self.proof.motions
        n = len(motions)
        rows: list[Places] = []
        counts = np.ones(n, dtype=np.int64)
        centre = on_part(self.proof, motions.centre) if n else np.zeros((0, 2))
        for k in range(n):
            if motions.sweep[k]:
                at = arc_points(self.start[k], self.end[k], centre[k], float(motions.sweep[k]))[:: 4 if n > 4000 else 1]
                at = np.vstack([at[:-1], self.end[k]]) if len(at) > 1 else np.array([self.start[k], self.end[k]])
            else:
                at = np.array([self.start[k], self.end[k]])
            counts[k] = len(at) - 1
            rows.append(np.hstack([at[:-1], at[1:]]))
        flat = np.concatenate(rows) if rows else np.zeros((0, 4))
        out = np.zeros((len(flat), 9), dtype=np.float32)
        out[:, 0:2], out[:, 3:5] = flat[:, 0:2], flat[:, 2:4]
        out[:, 2] = out[:, 5] = 0.15
        size = np.hypot(flat[:, 2] - flat[:, 0], flat[:, 3] - flat[:, 1])
        along = np.concatenate([[0.0], np.cumsum(size)])
        out[:, 6], out[:, 7] = along[:-1] % 1000.0, along[:-1] % 1000.0 + size
        on = (
            np.array([s.spindle != "off" for s in motions.in_force] or [False])[motions.state]
            if n
            else np.zeros(0, dtype=bool)
        )
        quiet = motions.rapid() | ~on if n else on
        out[:, 8] = np.where(np.repeat(quiet, counts), RAPID, FEED)
        x0, y0, x1, y1 = self.sheet.region().bounds
        return PathLines(
            rows=out,
            first=np.concatenate([[0], np.cumsum(counts)]),
            low=np.array([x0, y0, 0.0]),
            high=np.array([x1, y1, 0.0]),
        )

    # -- a moment ----------------------------------------------------------------------------------------------------------

    def _at(self, moment: float) -> tuple[int, float]:
        if not len(self.proof.motions):
            return (0, 0.0)
        return self.proof.timing.locate(max(moment, 0.0))

    def tip(self, moment: float) -> Places | None:
        if not len(self.proof.motions):
            return None
        x, y = self._place(*self._at(moment))
        return np.array([x, y, 0.0])

    def _place(self, move: int, share: float) -> tuple[float, float]:
        off = self.start[move] - np.array(self.proof.motions.at(move, 0.0))[:2]
        at = np.array(self.proof.motions.at(move, share))[:2] + off
        return (float(at[0]), float(at[1]))

    def _make(self) -> None:
        """The plate as it is in the end, piece by piece, and the plugs that fill what is cut later."""
        history = self.history
        assert history is not None
        low = -history.thickness
        final = history.region(len(history.bites))
        tree = shapely.STRtree([p.shape for p in history.pieces]) if history.pieces else None
        self._parts = []
        for part in shapely.get_parts(final):
            if part.is_empty or shapely.get_type_id(part) != 3:
                continue
            drawn = shapely.simplify(part, DRAWN_MM)
            mark = shapely.point_on_surface(part)
            inside = [int(k) for k in tree.query(mark, predicate="intersects")] if tree is not None else []
            # Of pieces that lie in one another it went with the one that came loose last.
            piece = max(inside, key=lambda k: history.pieces[k].move, default=-1)
            rings = [shapely.get_coordinates(r) for r in shapely.get_rings(drawn)]
            edges = np.concatenate([np.stack([r[:-1], r[1:]], axis=1) for r in rings])
            self._parts.append((piece, plate_rows(drawn, low, 0.0), edges, self._owners(edges)))
        flats: list[NDArray[np.float32]] = []
        first = [0]
        for bite in history.bites:
            inside_sheet = (
                bite.shape
                if shapely.contains(history.sheet, bite.shape)
                else shapely.intersection(bite.shape, history.sheet)
            )
            rows = plate_rows(inside_sheet, low, 0.0)
            flats.append(rows)
            first.append(first[-1] + len(rows))
        self._plugs = (
            np.concatenate(flats) if flats else np.zeros((0, 6), np.float32),
            np.array(first, dtype=np.int64),
        )

    def _owners(self, edges: Places) -> NDArray[np.int64]:
        """The bite that made each edge; -1: the sheet's own."""
        history = self.history
        assert history is not None
        out = np.full(len(edges), -1, dtype=np.int64)
        if not history.bites:
            return out
        outlines = self._bodies.get("outlines")
        if outlines is None:
            outlines = self._bodies["outlines"] = shapely.STRtree([b.shape.boundary for b in history.bites])  # type: ignore[assignment]
        which, found = outlines.query(shapely.points(edges.mean(axis=1)), predicate="dwithin", distance=2.0 * DRAWN_MM)  # type: ignore[attr-defined]
        best = np.full(len(edges), np.iinfo(np.int64).max)
        np.minimum.at(best, which, found)
        known = best < np.iinfo(np.int64).max
        out[known] = best[known]
        return out

    def bodies(self, moment: float, palette: Palette, showing: Showing, chosen: Chosen | None) -> list[Placed]:
        out: list[Placed] = []
        move, share = self._at(moment)
        if showing.solid and self.history is not None:
            out += self._plate(move, share, palette, showing, chosen)
            out += self._raised(move, share, palette, showing.colouring)
            if showing.lift and self.sheet.punches and len(self.proof.motions):
                out += self._slugs(moment, self.history.bites_done(move, share), palette)
        if showing.fixtures:
            station = self.proof.motions.state_of(move).station if len(self.proof.motions) else None
            moved = station.x if station is not None else 0.0
            for k, held in enumerate(self.sheet.held):
                x0, y0, x1, y1 = held.box
                key = ("held", k, held.box)
                if key not in self._bodies:
                    self._bodies[key] = box_body((x1 - x0, y1 - y0, _HELD_MM))
                model = np.eye(4)
                # Clamps stand elsewhere on the sheet once they have been moved along it.
                model[:3, 3] = (x0 - moved, y0, -self.sheet.thickness if held.kind == "box" else 0.0)
                out.append(
                    Placed(
                        key=("flat held", id(self), k),
                        body=self._bodies[key],
                        model=model,
                        colour=hex_colour(palette.fixture),
                    )
                )
        if showing.tool and len(self.proof.motions):
            out += self._tool(move, share, palette)
        return out

    def _plate(
        self, move: int, share: float, palette: Palette, showing: Showing, chosen: Chosen | None
    ) -> list[Placed]:
        history = self.history
        assert history is not None
        if self._parts is None:
            self._make()
        assert self._parts is not None and self._plugs is not None
        out = []
        done = history.bites_done(move, share) if len(self.proof.motions) else 0
        colour = hex_colour(palette.stock)
        key = (palette.name, showing.colouring, chosen)
        if self._walls is None or self._walls[0] != key:
            self._walls = (key, self._coloured(palette, showing, chosen))
        lifted = []
        for k, (piece, rows, _edges, _owners) in enumerate(self._parts):
            model = np.eye(4)
            if piece >= 0 and showing.lift and len(self.proof.motions):
                freed = history.pieces[piece].move
                if freed < move or (freed == move and share >= 1.0 - 1e-9):
                    model[2, 3] = _LIFT_MM
            lifted.append(model)
            body = self._bodies.setdefault(("part", k), Body(rows))
            out.append(Placed(key=("flat part", id(self), k), body=body, model=model, colour=colour))
        for n, (k, shade, body) in enumerate(self._walls[1]):
            out.append(
                Placed(key=("flat wall", id(self), key, n), body=body, model=lifted[k], colour=hex_colour(shade))
            )
        rows, first = self._plugs
        whole = done
        if (
            done < len(history.bites)
            and history.bites[done].first <= move <= history.bites[done].last
            and len(history.bites[done].way)
        ):
            out += self._half_plug(done, move, share, hex_colour(palette.stock))
            whole = done + 1
        if self._last_plug is None or self._last_plug[0] != whole:
            self._last_plug = (whole, Body(rows[first[whole] :]))
        if len(self._last_plug[1].triangles):
            out.append(
                Placed(key=("flat plugs", id(self), whole), body=self._last_plug[1], model=np.eye(4), colour=colour)
            )
        return out

    def _raised(self, move: int, share: float, palette: Palette, kind: str) -> list[Placed]:
        """What forming has raised so far, in its tool's colour or its operation's."""
        count = bisect_right(self._forms, move if share >= 1.0 - 1e-9 else move - 1, key=lambda f: f.move)
        if not count:
            return []
        key = (palette.name, kind, count)
        if self._last_forms is None or self._last_forms[0] != key:
            groups: dict[str, list[NDArray[np.float32]]] = {}
            for form in self._forms[:count]:
                if form.move not in self._formed:
                    self._formed[form.move] = plate_rows(form.shape, 0.0, max(form.height, _LEAST_FORM_MM))
                shade = self.colours.of_move(form.move, palette, kind)
                groups.setdefault(shade, []).append(self._formed[form.move])
            self._last_forms = (key, [(shade, Body(np.concatenate(rows))) for shade, rows in groups.items()])
        return [
            Placed(key=("flat form", id(self), key, n), body=body, model=np.eye(4), colour=hex_colour(shade))
            for n, (shade, body) in enumerate(self._last_forms[1])
        ]

    def _slugs(self, moment: float, done: int, palette: Palette) -> list[Placed]:
        """What the last hits struck out, on its way down: it falls as things fall, and lies below for a while."""
        history, timing = self.history, self.proof.timing
        assert history is not None
        out = []
        for k in range(done - 1, max(done - 1 - _MOST_SLUGS, -1), -1):
            bite = history.bites[k]
            since = moment - timing.end_of(bite.last)
            if since > _SLUG_S or len(bite.way):
                break
            body = self._fallen.get(k)
            if body is None:
                if len(self._fallen) > 4 * _MOST_SLUGS:
                    self._fallen.clear()
                before = [int(j) for j in history.tree.query(bite.shape, predicate="intersects") if j < k]
                taken = shapely.intersection(bite.shape, history.sheet)
                if before:
                    taken = shapely.difference(taken, shapely.union_all([history.bites[j].shape for j in before]))
                body = self._fallen[k] = Body(plate_rows(taken, -history.thickness, 0.0))
            if not len(body.triangles):
                continue
            model = np.eye(4)
            model[2, 3] = -min(history.thickness + 0.5 * _GRAVITY * max(since, 0.0) ** 2, _CHUTE_MM)
            out.append(Placed(key=("flat slug", id(self), k), body=body, model=model, colour=hex_colour(palette.stock)))
        return out

    def _half_plug(self, bite: int, move: int, share: float, colour: Colour) -> list[Placed]:
        """Of the kerf that is being cut what is still to come."""
        history = self.history
        assert history is not None
        b = history.bites[bite]
        left = shapely.difference(
            shapely.intersection(b.shape, history.sheet), kerf(way_so_far(b, move, share), b.width)
        )
        body = Body(plate_rows(left, -history.thickness, 0.0))
        return (
            [Placed(key=("flat half", id(self), bite, move, share), body=body, model=np.eye(4), colour=colour)]
            if len(body.triangles)
            else []
        )

    def _coloured(self, palette: Palette, showing: Showing, chosen: Chosen | None) -> list[tuple[int, str, Body]]:
        """Cut edges by part and colour."""
        history = self.history
        assert history is not None and self._parts is not None
        shades = self.colours.shades(palette, showing.colouring)
        out = []
        for k, (_piece, _rows, edges, owners) in enumerate(self._parts):
            groups: dict[str, list[int]] = {}
            for n, owner in enumerate(owners.tolist()):
                if owner < 0:
                    continue
                b = history.bites[owner]
                stands_out = chosen is not None and b.first <= chosen.last and chosen.first <= b.last
                groups.setdefault(palette.active if stands_out else shades[owner], []).append(n)
            for shade, mine in groups.items():
                out.append((k, shade, Body(wall_rows(edges[mine], -history.thickness - 0.02, 0.03))))
        return out

    def legend(self, kind: str, palette: Palette, unit: Unit) -> Legend:
        return self.colours.legend(kind, palette)

    def _tool(self, move: int, share: float, palette: Palette) -> list[Placed]:
        motions = self.proof.motions
        state = motions.state_of(move)
        bench = self.proof.job.bench
        number = bench.loaded.get(state.tool, state.tool)
        x, y = self._place(move, share)
        rapid, on = bool(motions.rapid()[move]), state.spindle != "off"
        cutter, punch = self.sheet.cutters.get(number), self.sheet.punches.get(number)
        model = np.eye(4)
        if cutter is not None:
            model[:3, 3] = (x, y, _UP_MM if rapid else _DOWN_MM)
            return self._torch(cutter, on and not rapid, model, palette)
        if punch is not None:
            striking = motions.dwell[move] > 0.0
            model[:3, 3] = (x, y, 0.4 if striking else _UP_MM / 2.0)
            turn = state.station.turn if state.station is not None and punch.index else 0.0
            key = ("punch", punch.number, turn)
            if key not in self._bodies:
                self._bodies[key] = Body(plate_rows(shapely.Polygon(punch.places(turn)), 0.0, 26.0))
            return [
                Placed(
                    key=("flat punch", id(self), key),
                    body=self._bodies[key],
                    model=model,
                    colour=hex_colour(palette.cutter),
                    whole=True,
                )
            ]
        return []

    def _torch(self, cutter: Cutter, cutting: bool, model: NDArray[np.float64], palette: Palette) -> list[Placed]:
        head = self.proof.job.bench.machine.more.get("head_diameter", 40.0) / 2.0
        if "nozzle" not in self._bodies:
            self._bodies["nozzle"] = round_body(max(cutter.kerf, 1.5), 0.0, 14.0, head * 0.45)
            self._bodies["head"] = round_body(head * 0.6, 14.0, 44.0, head)
            self._bodies["flame"] = round_body(cutter.kerf / 2.0, -_DOWN_MM - self.sheet.thickness - 3.0, 0.0)
        out = [
            Placed(
                key=("flat nozzle", id(self)),
                body=self._bodies["nozzle"],
                model=model,
                colour=hex_colour(palette.cutter),
                whole=True,
            ),
            Placed(
                key=("flat head", id(self)),
                body=self._bodies["head"],
                model=model,
                colour=hex_colour(palette.holder),
                alpha=0.45,
                whole=True,
            ),
        ]
        if cutting:
            out.append(
                Placed(
                    key=("flat flame", id(self)),
                    body=self._bodies["flame"],
                    model=model,
                    colour=hex_colour(palette.caution),
                    whole=True,
                )
            )
        return out

    def labels(self, moment: float, showing: Showing) -> Sequence[Label]:
        """Where each contour is begun, numbered in the order in which they are cut."""
        if not showing.order or self.history is None or self.sheet.punches:
            return ()
        move = self._at(moment)[0]
        return [
            Label(np.array([*b.way[0].tolist(), 0.2]), str(k), b.last < move)
            for k, b in enumerate(self.history.bites, 1)
            if len(b.way)
        ][:400]

    # -- sizes and picking -------------------------------------------------------------------------------------------------

    def bounds(self) -> tuple[Places, Places]:
        x0, y0, x1, y1 = self.sheet.region().bounds
        return np.array([x0, y0, -self.sheet.thickness]), np.array([x1, y1, 10.0])

    def surface(self, start: Places, way: Places, moment: float) -> SkinHit | None:
        if abs(float(way[2])) < 1e-9 or self.history is None:
            return None
        far = -float(start[2]) / float(way[2])
        if far <= 0.0:
            return None
        x, y = (float(v) for v in (start + way * far)[:2])
        if not shapely.intersects_xy(shapely.buffer(self.history.sheet, 0.5), x, y):
            return None
        return SkinHit(far, (x, y, 0.0), self._move_at(x, y, moment))

    def _move_at(self, x: float, y: float, moment: float) -> int:
        """The move whose cut is at a place, or just beside it."""
        history = self.history
        assert history is not None
        if not history.bites:
            return -1
        done = history.bites_done(*self._at(moment))
        found = history.tree.query(shapely.Point(x, y), predicate="dwithin", distance=_NEAR_MM)
        near = [int(k) for k in found if k < done]
        if not near:
            return -1
        best = min(near, key=lambda k: history.bites[k].shape.distance(shapely.Point(x, y)))
        return history.move_at(best, (x, y))

    def about(self, hit: SkinHit, unit: Unit) -> str:
        x, y, _z = hit.place
        where = f"X {show_length(x, unit)}  Y {show_length(y, unit)} {unit}"
        if hit.move < 0:
            return f"The sheet\n{where}"
        motions = self.proof.motions
        return f"{where}\ncut by line {int(motions.line[hit.move])}"

    def measure(self, mode: str, one: Places, two: Places, moment: float, unit: Unit) -> tuple[str, float | None]:
        return measured(mode, one, two, self._sheeted(moment), unit)

    def dimensions(self, place: Places, moment: float, unit: Unit) -> tuple[Dimension, ...]:
        return dimensions(place, self._sheeted(moment), unit)

    def _sheeted(self, moment: float) -> Sheeted:
        """The sheet at a moment, for whoever asks about a part of it."""
        history = self.history
        if history is None or not len(self.proof.motions):
            return of_region(self._region(moment))
        at = self._at(moment)
        return Sheeted(
            lambda shape: history.left_of(shape, *at), lambda: self._region(moment), history.sheet.bounds
        )  # fmt: skip

    def _region(self, moment: float) -> Region:
        if self.history is None:
            return self.sheet.region()
        return self.history.at(*self._at(moment)).region if len(self.proof.motions) else self.history.sheet

    def solid(self, moment: float) -> tuple[Places, NDArray[np.int64]]:
        return plate(self._region(moment), -self.sheet.thickness, 0.0)

    def place_of(self, finding: Finding) -> Places | None:
        p = finding.position
        return None if p is None else np.array([p.x, p.y, 0.0])
