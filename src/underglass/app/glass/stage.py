"""Keeps the renderer's stocks, path and bodies in step with a proof and a moment. No Qt."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from underglass.app.glass.camera import Camera
from underglass.app.glass.colouring import Colouring
from underglass.app.glass.colouring import Window as Part
from underglass.app.glass.prepared import Prepared, frame_matrix, prepare
from underglass.app.glass.renderer import Frame as Picture
from underglass.app.glass.renderer import Look, Placed, Renderer, hex_colour
from underglass.app.glass.scene import (
    Body,
    PathLines,
    box_body,
    hide,
    mesh_body,
    path_lines,
    tool_bodies,
    turned_body,
)
from underglass.app.glass.showing import Showing
from underglass.app.glass.skin import Chosen, Skin, SkinHit
from underglass.app.skins import skin_of
from underglass.app.style.palette import Palette
from underglass.core.bench.frame import Frame
from underglass.core.bench.solid import Solid
from underglass.core.bench.tool import Tool
from underglass.core.proof.alone import AloneCursor
from underglass.core.proof.operations import Operation, operation_of
from underglass.core.proof.proof import Proof
from underglass.core.removal.field import Field
from underglass.core.removal.history import StockCursor
from underglass.core.removal.loupe import Loupe, Window, window_around
from underglass.core.removal.pick import CellHit, first_cell
from underglass.core.removal.rows import TILE

_MOST_BODIES = 200
"""Bodies are known by what they are, not by the proof; so many are kept."""


class Stage:
    """Everything that is drawn of one proof. ``go`` puts the stocks to a moment; ``picture`` says what to draw."""

    def __init__(self) -> None:
        self.proof: Proof | None = None
        self.lines: PathLines | None = None
        """As it is drawn: what is hidden has no style."""
        self.all_lines: PathLines | None = None
        self._lines_stale = False
        self.operations: tuple[Operation, ...] = ()
        self.skin: Skin | None = None
        self.showing = Showing()
        self._colouring: Colouring | None = None
        self.held: Proof | None = None
        self._held_lines: PathLines | None = None
        self.cursors: list[StockCursor | AloneCursor] = []
        self.alone: Operation | None = None
        self.world = Frame()
        self._sent = False
        self._dirty: list[NDArray[np.uint8] | None] = []
        self._moment = 0.0
        self._line: int | None = None
        self._codes_stale = False
        self._bodies: dict[object, Body] = {}
        self.loupe: tuple[int, Loupe] | None = None
        self._holed: Field | None = None
        self._loupe_sent = False
        self.stands: tuple[Tool | None, tuple[float, float, float]] | None = None
        """What is in the spindle and where its gauge line stands, where that is told apart from the proof."""

    def set_proof(self, proof: Proof | None, prepared: Prepared | None = None) -> None:
        """Take up a proof; nothing is sent before the next ``send``. What was ``prepared`` for it is used."""
        self.proof = proof
        self.loupe, self._holed, self._loupe_sent = None, None, False
        self._sent = False
        self._line = None
        if len(self._bodies) > _MOST_BODIES:
            self._bodies.clear()
        self.alone = None
        if proof is None:
            self.lines, self.all_lines, self.cursors, self.operations = None, None, [], ()
            self.skin = None
            self._colouring = None
            return
        if prepared is None or prepared.proof is not proof:
            prepared = prepare(proof)
        self.all_lines, self.cursors = prepared.lines, list(prepared.cursors)
        self.operations, self.skin = prepared.operations, prepared.skin
        self.world = proof.job.bench.part_zero if self.skin is None else Frame()
        self._colouring = None
        self._hide()
        self._dirty = [None for _ in self.cursors]
        self._moment = -1.0

    def show(self, showing: Showing) -> None:
        """Take up what is to be shown; colours and path are worked out anew where they change."""
        old, self.showing = self.showing, showing
        if old.colouring != showing.colouring:
            self._colouring = None
            self._codes_stale = True
        if (old.hidden_tools, old.hidden_operations, old.rapids) != (
            showing.hidden_tools,
            showing.hidden_operations,
            showing.rapids,
        ):
            self._hide()

    def set_alone(self, alone: Operation | None) -> None:
        """Cut only this operation, on fresh stock; None: everything again."""
        if self.proof is None or alone is self.alone:
            return
        self.alone = alone
        if alone is None:
            self.cursors = [history.cursor() for history in self.proof.stocks]
        else:
            self.cursors = [AloneCursor(history, alone.first, alone.last) for history in self.proof.stocks]
        self._sent = False
        self.loupe, self._holed, self._loupe_sent = None, None, False
        self._dirty = [None for _ in self.cursors]
        moment, self._moment = max(self._moment, 0.0), -1.0
        self._hide()
        self.go(moment)

    def _hide(self) -> None:
        self._lines_stale = True
        self.lines = self.all_lines
        proof, showing = self.proof, self.showing
        if proof is None or self.all_lines is None or not len(proof.motions):
            return
        gone = np.isin(proof.motions.tool_of(), list(showing.hidden_tools))
        gone |= np.isin(operation_of(self.operations, len(proof.motions)), list(showing.hidden_operations))
        if self.alone is not None:
            gone[: self.alone.first] = True
            gone[self.alone.last :] = True
        if not showing.rapids:
            gone |= proof.motions.rapid()
        self.lines = hide(self.all_lines, gone)

    @property
    def colouring(self) -> Colouring | None:
        """The colours of the proof's cut faces."""
        if self._colouring is None and self.proof is not None:
            held = [h.final.h for h in self.held.stocks] if self.held is not None else None
            # A skin has colours of its own.
            kind = self.showing.colouring if self.skin is None else "tool"
            self._colouring = Colouring(self.proof, kind, self.operations, held)
        return self._colouring

    def hold(self, proof: Proof | None) -> None:
        """Keep a run to compare with; its path is drawn with the other one's."""
        self.held = proof
        skin = skin_of(proof) if proof is not None else None
        self._held_lines = None if proof is None else path_lines(proof) if skin is None else skin.lines()
        self._lines_stale = True
        if self.showing.colouring == "held":
            self._colouring = None
            self._codes_stale = True

    def go(self, moment: float) -> None:
        """Put every stock to this moment."""
        if self.proof is None or moment == self._moment:
            return
        self._moment = moment
        self.drop_loupe()
        move, share = self.proof.timing.locate(moment)
        for k, cursor in enumerate(self.cursors):
            changed = cursor.go(move, share)
            known = self._dirty[k]
            self._dirty[k] = changed if known is None else known | changed

    # -- the loupe ---------------------------------------------------------------------------------------------------

    def put_loupe(self, stock: int, loupe: Loupe) -> None:
        """Show this finer part of a stock in place of its own cells."""
        self.drop_loupe()
        field = self.cursors[stock].field
        j0, j1, i0, i1 = loupe.window
        h = field.h.copy()
        h[j0:j1, i0:i1] = 0.0
        self._holed = Field(field.grid, h, field.owner)
        self.loupe = (stock, loupe)
        self._mark(stock, loupe.window)

    def drop_loupe(self) -> None:
        """Show the stock's own cells again."""
        if self.loupe is not None:
            stock, loupe = self.loupe
            self.loupe, self._holed = None, None
            self._mark(stock, loupe.window)

    def _mark(self, stock: int, window: Window) -> None:
        """Tiles of a window have to be sent again."""
        j0, j1, i0, i1 = window
        tiles = np.zeros(self.cursors[stock].field.grid.tiles, dtype=np.uint8)
        tiles[j0 // TILE : (j1 - 1) // TILE + 1, i0 // TILE : (i1 - 1) // TILE + 1] = 1
        known = self._dirty[stock]
        self._dirty[stock] = tiles if known is None else known | tiles

    def _shown(self, stock: int) -> Field:
        """A stock's field as it is drawn: without what the loupe stands for."""
        if self.loupe is not None and self.loupe[0] == stock and self._holed is not None:
            return self._holed
        return self.cursors[stock].field

    def moment(self) -> tuple[int, float]:
        """(move, share) that the stocks are at."""
        assert self.proof is not None
        return self.proof.timing.locate(max(self._moment, 0.0))

    def _send_loupe(self, renderer: Renderer, chosen: tuple[int, int] | None) -> None:
        count = len(self.cursors)
        if self._loupe_sent:
            renderer.drop_stocks(count)
            self._loupe_sent = False
        if self.loupe is None or self.proof is None:
            return
        field = self.loupe[1].field
        grid = field.grid
        index = renderer.add_stock(grid.nx, grid.ny, grid.height, grid.cell, frame_matrix(grid.frame, self.world))
        assert self.colouring is not None
        whole = (0, field.h.shape[0], 0, field.h.shape[1])
        renderer.put_stock(index, field.h, self.colouring.codes(self.loupe[0], field, whole, chosen))
        self._loupe_sent = True

    def select_line(self, line: int) -> None:
        """The line whose path and surfaces stand out."""
        if line != self._line:
            self._line = line
            self._codes_stale = True

    def _moves_selected(self) -> tuple[int, int] | None:
        if self.proof is None or self._line is None:
            return None
        return self.proof.moves_of_line(self._line)

    def send(self, renderer: Renderer) -> None:
        """Send the renderer what it has not yet got."""
        proof = self.proof
        if proof is None:
            renderer.clear_stocks()
            return
        fresh = not self._sent
        if fresh:
            # What lies where it lay keeps its textures: after an edit, or a jog, little of a stock differs.
            grids = [history.grid for history in proof.stocks]
            renderer.keep_stocks([(g.nx, g.ny, g.height, g.cell, frame_matrix(g.frame, self.world)) for g in grids])
            self._sent = True
        if fresh or self._lines_stale:
            assert self.lines is not None
            renderer.put_lines(self.lines)
            renderer.put_held_lines(self._held_lines)
            self._lines_stale = False
        chosen = self._moves_selected()
        again = fresh or self._codes_stale or any(tiles is not None for tiles in self._dirty)
        for k, cursor in enumerate(self.cursors):
            tiles, shown = self._dirty[k], self._shown(k)
            if fresh or self._codes_stale:
                codes = self._codes(k, (0, cursor.field.h.shape[0], 0, cursor.field.h.shape[1]), chosen)
                if fresh:
                    renderer.put_stock(k, shown.h, codes)
                else:
                    renderer.put_codes(k, codes)
                    if tiles is not None and tiles.any():
                        renderer.put_stock(k, shown.h, codes, tiles)
            elif tiles is not None and tiles.any():
                renderer.put_stock(k, shown.h, self._codes_near(k, tiles, chosen), tiles)
            self._dirty[k] = None
        if again:
            self._loupe_sent = self._loupe_sent and not fresh
            self._send_loupe(renderer, chosen)
        self._codes_stale = False

    def _codes(self, k: int, part: Part, chosen: tuple[int, int] | None) -> NDArray[np.uint8]:
        assert self.colouring is not None
        return self.colouring.codes(k, self.cursors[k].field, part, chosen)

    def _codes_near(self, k: int, tiles: NDArray[np.uint8], chosen: tuple[int, int] | None) -> NDArray[np.uint8]:
        """Colour codes, worked out only where the marked tiles are."""
        shape = self.cursors[k].field.h.shape
        out = np.zeros(shape, dtype=np.uint8)
        rows, columns = np.flatnonzero(tiles.any(axis=1)), np.flatnonzero(tiles.any(axis=0))
        j0, j1 = int(rows[0]) * TILE, min(shape[0], (int(rows[-1]) + 1) * TILE)
        i0, i1 = int(columns[0]) * TILE, min(shape[1], (int(columns[-1]) + 1) * TILE)
        out[j0:j1, i0:i1] = self._codes(k, (j0, j1, i0, i1), chosen)
        return out

    # -- what to draw ------------------------------------------------------------------------------------------------

    def look(self, palette: Palette) -> Look:
        """Colours and what is shown."""
        colouring, showing = self.colouring, self.showing
        cells = [hex_colour(c) for c in (colouring.cells(palette) if colouring is not None else [palette.stock])]
        return Look(
            ground_top=hex_colour(palette.glass_top),
            ground_bottom=hex_colour(palette.glass_bottom),
            selected=hex_colour(palette.active),
            cells=cells,
            feed=hex_colour(palette.feed),
            rapid=hex_colour(palette.rapid),
            belief=hex_colour(palette.belief),
            lines=showing.lines,
            solid=showing.solid,
            cut=showing.section.plane() if showing.section is not None else (0.0, 0.0, 0.0, 0.0),
        )

    def picture(self, camera: Camera, look: Look, palette: Palette) -> Picture:
        picture = Picture(camera=camera, look=look)
        proof = self.proof
        if proof is None or self.lines is None:
            return picture
        move, share = proof.timing.locate(max(self._moment, 0.0))
        if len(proof.motions):
            first, last = int(self.lines.first[move]), int(self.lines.first[move + 1])
            picture.done = first + math.ceil((last - first) * share)
        chosen = self._moves_selected()
        if chosen is not None:
            picture.selected = (int(self.lines.first[chosen[0]]), int(self.lines.first[chosen[1] + 1]))
        if self.skin is not None:
            span = Chosen(*chosen) if chosen is not None else None
            picture.bodies += self.skin.bodies(max(self._moment, 0.0), palette, self.showing, span)
            return picture
        if self.showing.fixtures:
            self._add_fixtures(picture, palette)
        if self.showing.tool:
            self._add_tool(picture, palette, move)
        if self.showing.ghost:
            self._add_ghost(picture, palette)
        return picture

    def _add_ghost(self, picture: Picture, palette: Palette) -> None:
        """The stock as it was clamped, to be seen through."""
        assert self.proof is not None
        for solid in self.proof.job.bench.stocks:
            self._place_solid(picture, solid, palette.stock, ("ghost", solid.shape, solid.size, solid.mesh), 0.22)

    def _body(self, key: object, make: Body) -> Body:
        return self._bodies.setdefault(key, make)

    def _add_fixtures(self, picture: Picture, palette: Palette) -> None:
        assert self.proof is not None
        for fixture in self.proof.job.bench.fixtures:
            if not fixture.entry:
                continue  # the machine's own table
            solid = fixture.solid
            self._place_solid(picture, solid, palette.fixture, ("fixture", solid.shape, solid.size, solid.mesh))

    def _place_solid(self, picture: Picture, solid: Solid, colour: str, key: object, alpha: float = 1.0) -> None:
        if key not in self._bodies:
            if solid.mesh is not None:
                self._bodies[key] = mesh_body(solid.mesh.triangles)
            elif solid.shape == "box":
                self._bodies[key] = box_body(solid.extent)
            else:
                r = solid.size[0] / 2
                shape = turned_body([(r, 0.0), (r, solid.size[1])])
                shape.triangles[:, :2] += r
                self._bodies[key] = shape
        model = frame_matrix(solid.frame, self.world)
        picture.bodies.append(
            Placed(key=key, body=self._bodies[key], model=model, colour=hex_colour(colour), alpha=alpha)
        )

    def tip(self) -> NDArray[np.float64] | None:
        """The real tip's place in the world at this moment, mm; None with no tool in the spindle."""
        proof = self.proof
        if self.skin is None and self.stands is not None:
            there, (x, y, z) = self.stands
            return None if there is None else self.world.into(np.array([[x, y, z - there.length]]))[0]
        if proof is None or not len(proof.motions):
            return None
        if self.skin is not None:
            return self.skin.tip(max(self._moment, 0.0))
        move, share = proof.timing.locate(max(self._moment, 0.0))
        tool = proof.tool_at(move)
        if tool is None:
            return None
        x, y, z = proof.motions.at(move, share)
        return self.world.into(np.array([[x, y, z - tool.length]]))[0]

    def _add_tool(self, picture: Picture, palette: Palette, move: int) -> None:
        at = self.tip()
        proof = self.proof
        if proof is None or at is None:
            return
        tool = self.stands[0] if self.stands is not None else proof.tool_at(move)
        assert tool is not None
        model = np.eye(4)
        model[:3, 3] = at
        colours = {
            "cutter": palette.cutter,
            "shank": palette.holder,
            "holder": palette.holder,
            "spindle": palette.fixture,
        }
        if ("tool", tool) not in self._bodies:
            for part, body in tool_bodies(tool, proof.job.bench.machine.nose_diameter).items():
                self._bodies[("tool", tool, part)] = body
            self._bodies[("tool", tool)] = self._bodies[("tool", tool, "cutter")]
        for part, colour in colours.items():
            body = self._bodies.get(("tool", tool, part))
            if body is not None and part != "spindle":
                picture.bodies.append(
                    Placed(key=("tool", tool, part), body=body, model=model, colour=hex_colour(colour), whole=True)
                )

    # -- sizes and picking -------------------------------------------------------------------------------------------

    def bounds(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The box around stocks and fixtures, world coordinates."""
        if self.skin is not None:
            return self.skin.bounds()
        places = [np.zeros((1, 3))]
        if self.proof is not None:
            bench = self.proof.job.bench
            places = []
            floor = min((s.frame.z for s in bench.stocks), default=-1e9) - 12.0
            for solid in [*bench.stocks, *(f.solid for f in bench.fixtures if f.entry)]:
                x, y, z = solid.extent
                # What lies well under the stock need not be seen whole.
                if solid.top < floor or not z:
                    continue
                low = min(max(0.0, floor - solid.frame.z), z)
                corners = np.array([[a, b, c] for a in (0.0, x) for b in (0.0, y) for c in (low, z)])
                places.append(self.world.into(solid.frame.out(corners)))
            if not places:
                places = [np.array([[0.0, 0.0, 0.0], [100.0, 100.0, 20.0]])]
        whole = np.concatenate(places)
        return whole.min(axis=0), whole.max(axis=0)

    def surface(self, start: NDArray[np.float64], way: NDArray[np.float64]) -> tuple[CellHit | SkinHit, int] | None:
        """The cell a ray (world coordinates) meets first, and the move that last cut it (below 0: none)."""
        if self.skin is not None:
            met = self.skin.surface(start, way, max(self._moment, 0.0))
            return (met, met.move) if met is not None else None
        begins, stops = 0.0, np.inf
        if self.showing.section is not None:
            begins, stops = self.showing.section.reach(start, way)
            if begins > stops:
                return None
        ends = self.world.out(np.stack([start + way * begins, start + way * (begins + 1.0)]))
        best: tuple[CellHit, int] | None = None
        fields = [self._shown(k) for k in range(len(self.cursors))]
        if self.loupe is not None:
            fields.append(self.loupe[1].field)
        for field in fields:
            hit = first_cell(field, ends[0], ends[1] - ends[0])
            if hit is None or hit.distance + begins > stops:
                continue
            hit = hit._replace(distance=hit.distance + begins)
            if best is None or hit.distance < best[0].distance:
                best = (hit, int(field.owner[hit.row, hit.column]))
        return best

    def window_seen(self, rays: list[tuple[NDArray[np.float64], NDArray[np.float64]]]) -> tuple[int, Window] | None:
        """The stock that these rays meet first of all, and the cells of it that lie between them; None where they miss."""
        if self.proof is None:
            return None
        for k, cursor in enumerate(self.cursors):
            grid = cursor.field.grid
            places = []
            for start, way in rays:
                ends = self.world.out(np.stack([start, start + way]))
                hit = first_cell(cursor.field, ends[0], ends[1] - ends[0])
                if hit is not None:
                    places.append(grid.frame.into(np.array([hit.place]))[0])
            if len(places) >= 3:
                low, high = np.min(places, axis=0), np.max(places, axis=0)
                return k, window_around(grid, (low[0], low[1]), (high[0], high[1]))
        return None
