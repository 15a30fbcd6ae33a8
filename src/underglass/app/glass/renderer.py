"""Draws the glass into a framebuffer it is given. No Qt: the same renderer makes pictures without a window.

All methods need the OpenGL context to be current.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import moderngl
import numpy as np
from numpy.typing import NDArray

from underglass.app.glass import shaders
from underglass.app.glass.camera import Camera
from underglass.app.glass.scene import CENTRE, HIDDEN, RAPID, Body, PathLines, box_body
from underglass.core.removal.rows import TILE

Colour = tuple[float, float, float]
Matrix = NDArray[np.float64]


@dataclass(slots=True, kw_only=True)
class Look:
    """Colours (0..1) and what is shown."""

    ground_top: Colour
    ground_bottom: Colour
    selected: Colour
    cells: list[Colour]
    feed: Colour
    rapid: Colour
    belief: Colour
    lines: bool = True
    solid: bool = True
    cut: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    """The section's plane in the world: what has a x + b y + c z + d over 0 is taken away. All 0: none."""


@dataclass(slots=True, kw_only=True)
class Placed:
    """A body somewhere in the world. ``key`` tells bodies apart, so that an unchanged one is not sent again."""

    key: object
    body: Body
    model: Matrix
    colour: Colour
    alpha: float = 1.0
    whole: bool = False
    """Not opened by the section."""


@dataclass(slots=True, kw_only=True)
class Frame:
    """What one picture shows. ``done`` segments lie in the past; ``selected`` is a range of segments.

    ``most_lines``: draw no more segments than this, those around the moment; None for all of them.
    """

    camera: Camera
    look: Look
    bodies: list[Placed] = field(default_factory=list)
    done: int = 0
    selected: tuple[int, int] = (0, 0)
    most_lines: int | None = None


def hex_colour(text: str) -> Colour:
    """``#RRGGBB`` as three shares of one."""
    return (int(text[1:3], 16) / 255.0, int(text[3:5], 16) / 255.0, int(text[5:7], 16) / 255.0)


class _StockTexture:
    """One stock's heights (with a pyramid of greatest heights above them) and colour codes."""

    def __init__(self, context: moderngl.Context, nx: int, ny: int, height: float, cell: float, place: Matrix) -> None:
        self.nx, self.ny, self.height, self.cell, self.place = nx, ny, height, cell, place
        self._sent = False
        self.from_grid = place @ np.diag([cell, cell, 1.0, 1.0])
        self.to_grid = np.linalg.inv(self.from_grid)
        wide = 1 << (nx - 1).bit_length() if nx > 1 else 2
        high = 1 << (ny - 1).bit_length() if ny > 1 else 2
        self.levels = min(wide, high).bit_length() - 1
        self.pyramid = [np.zeros((max(1, high >> k), max(1, wide >> k)), np.float32) for k in range(self.levels + 1)]
        self.texture = context.texture((wide, high), 1, dtype="f4")
        self.texture.build_mipmaps(0, self.levels)
        self.texture.filter = (moderngl.NEAREST_MIPMAP_NEAREST, moderngl.NEAREST)
        self.code = context.texture((nx, ny), 1, dtype="u1", alignment=1)
        self.code.filter = (moderngl.NEAREST, moderngl.NEAREST)

    def is_of(self, nx: int, ny: int, height: float, cell: float, place: Matrix) -> bool:
        """Whether a stock of these sizes, there, could be told to this one."""
        same = (self.nx, self.ny, self.height, self.cell) == (nx, ny, height, cell)
        return same and np.array_equal(self.place, place)

    def put_all_heights(self, h: NDArray[np.float32]) -> None:
        """Take the whole field; only the rectangle around what differs from what was sent before is sent."""
        if not self._sent:
            self._sent = True
            self.put_heights(h, 0, self.ny, 0, self.nx)
            return
        differs = h != self.pyramid[0][: self.ny, : self.nx]
        rows = np.flatnonzero(differs.any(axis=1))
        if len(rows):
            j0, j1 = int(rows[0]), int(rows[-1]) + 1
            columns = np.flatnonzero(differs[j0:j1].any(axis=0))
            self.put_heights(h, j0, j1, int(columns[0]), int(columns[-1]) + 1)

    def put_heights(self, h: NDArray[np.float32], j0: int, j1: int, i0: int, i1: int) -> None:
        """Take rows j0..j1 and columns i0..i1 (ends exclusive) of the field, and the pyramid above them."""
        self.pyramid[0][j0:j1, i0:i1] = h[j0:j1, i0:i1]
        self._write(0, j0, j1, i0, i1)
        for level in range(1, self.levels + 1):
            below = self.pyramid[level - 1]
            j0, i0 = j0 >> 1, i0 >> 1
            j1, i1 = (j1 + 1) >> 1, (i1 + 1) >> 1
            part = below[2 * j0 : 2 * j1, 2 * i0 : 2 * i1]
            rows, columns = part.shape[0] // 2, part.shape[1] // 2
            even = np.maximum(part[: rows * 2 : 2, : columns * 2], part[1 : rows * 2 : 2, : columns * 2])
            best = np.maximum(even[:, ::2], even[:, 1::2])
            self.pyramid[level][j0 : j0 + rows, i0 : i0 + columns] = best
            self._write(level, j0, j0 + rows, i0, i0 + columns)

    def _write(self, level: int, j0: int, j1: int, i0: int, i1: int) -> None:
        if j1 > j0 and i1 > i0:
            data = np.ascontiguousarray(self.pyramid[level][j0:j1, i0:i1])
            self.texture.write(data, viewport=(i0, j0, i1 - i0, j1 - j0), level=level)

    def put_codes(self, codes: NDArray[np.uint8], j0: int, i0: int) -> None:
        rows, columns = codes.shape
        self.code.write(np.ascontiguousarray(codes), viewport=(i0, j0, columns, rows))

    def release(self) -> None:
        self.texture.release()
        self.code.release()


class Renderer:
    """Holds what was sent to the graphics card."""

    def __init__(self, context: moderngl.Context) -> None:
        self.context = context
        self._stock_program = context.program(shaders.STOCK_VERTEX, shaders.STOCK_FRAGMENT)
        self._solid_program = context.program(shaders.SOLID_VERTEX, shaders.SOLID_FRAGMENT)
        self._line_program = context.program(shaders.LINE_VERTEX, shaders.LINE_FRAGMENT)
        self._ground_program = context.program(shaders.GROUND_VERTEX, shaders.GROUND_FRAGMENT)
        self._blend_program = context.program(shaders.GROUND_VERTEX, shaders.BLEND_FRAGMENT)
        corners = np.ascontiguousarray(box_body((1.0, 1.0, 1.0)).triangles[:, :3])
        self._cube = context.buffer(corners.tobytes())
        self._cube_array = context.vertex_array(self._stock_program, [(self._cube, "3f", "a_corner")])
        screen = context.buffer(np.array([-1, -1, 1, -1, -1, 1, 1, 1], dtype=np.float32).tobytes())
        self._ground_array = context.vertex_array(self._ground_program, [(screen, "2f", "a_place")])
        self._blend_array = context.vertex_array(self._blend_program, [(screen, "2f", "a_place")])
        self._strip = context.buffer(np.array([0, -0.5, 0, 0.5, 1, -0.5, 1, 0.5], dtype=np.float32).tobytes())
        self._stocks: list[_StockTexture] = []
        self._bodies: dict[object, tuple[moderngl.Buffer, moderngl.VertexArray]] = {}
        self._lines: moderngl.Buffer | None = None
        self._line_rows: NDArray[np.float32] | None = None
        self._line_array: moderngl.VertexArray | None = None
        self._held: tuple[moderngl.Buffer, moderngl.VertexArray, int] | None = None
        self._pictures: dict[tuple[int, int, str], moderngl.Framebuffer] = {}

    # -- what is sent ----------------------------------------------------------------------------------------------

    def clear_stocks(self) -> None:
        for stock in self._stocks:
            stock.release()
        self._stocks.clear()

    def drop_stocks(self, keep: int) -> None:
        """Let go of all stocks but the first so many."""
        for stock in self._stocks[keep:]:
            stock.release()
        del self._stocks[keep:]

    def keep_stocks(self, sizes: Sequence[tuple[int, int, float, float, Matrix]]) -> None:
        """Just these stocks, arguments as in ``add_stock``: those that are there already keep what was sent of them."""
        there = [stock.is_of(*size) for stock, size in zip(self._stocks, sizes)]
        self.drop_stocks(there.index(False) if False in there else len(there))
        for size in sizes[len(self._stocks) :]:
            self.add_stock(*size)

    def add_stock(self, nx: int, ny: int, height: float, cell: float, place: Matrix) -> int:
        """A stock of so many cells; ``place`` (4, 4) puts its minimum corner into the world."""
        self._stocks.append(_StockTexture(self.context, nx, ny, height, cell, place))
        return len(self._stocks) - 1

    def put_stock(
        self, index: int, h: NDArray[np.float32], codes: NDArray[np.uint8], tiles: NDArray[np.uint8] | None = None
    ) -> None:
        """Send a stock's heights and codes: whole (as far as it differs from what was sent), or the smallest rectangle around the marked tiles."""
        stock = self._stocks[index]
        if tiles is None:
            stock.put_all_heights(h)
            stock.put_codes(codes, 0, 0)
            return
        rows, columns = np.flatnonzero(tiles.any(axis=1)), np.flatnonzero(tiles.any(axis=0))
        if not len(rows):
            return
        j0, j1 = int(rows[0]) * TILE, min(stock.ny, (int(rows[-1]) + 1) * TILE)
        i0, i1 = int(columns[0]) * TILE, min(stock.nx, (int(columns[-1]) + 1) * TILE)
        stock.put_heights(h, j0, j1, i0, i1)
        stock.put_codes(codes[j0:j1, i0:i1], j0, i0)

    def put_codes(self, index: int, codes: NDArray[np.uint8]) -> None:
        self._stocks[index].put_codes(codes, 0, 0)

    def put_lines(self, lines: PathLines) -> None:
        """Send the path."""
        self._line_rows = lines.rows
        if self._lines is not None:
            self._lines.release()
        if self._line_array is not None:
            self._line_array.release()
        self._lines, self._line_array = None, None
        if len(lines.rows):
            self._lines = self.context.buffer(np.ascontiguousarray(lines.rows).tobytes())
            self._line_array = self._lines_from(self._lines)

    def put_held_lines(self, lines: PathLines | None) -> None:
        """Send the path of a run to compare with; all of it is drawn dotted. None: there is none."""
        if self._held is not None:
            self._held[1].release()
            self._held[0].release()
            self._held = None
        if lines is not None and len(lines.rows):
            rows = lines.rows.copy()
            rows[:, 8] = np.where(rows[:, 8] == RAPID, HIDDEN, CENTRE)
            buffer = self.context.buffer(np.ascontiguousarray(rows).tobytes())
            self._held = (buffer, self._lines_from(buffer), len(rows))

    def _lines_from(self, rows: moderngl.Buffer) -> moderngl.VertexArray:
        return self.context.vertex_array(
            self._line_program,
            [(self._strip, "2f", "a_corner"), (rows, "3f 3f 2f 1f/i", "a_from", "a_to", "a_along", "a_style")],
        )

    # -- drawing ---------------------------------------------------------------------------------------------------

    def draw(
        self,
        target: moderngl.Framebuffer,
        width: int,
        height: int,
        frame: Frame,
        jitter: tuple[float, float] = (0.0, 0.0),
    ) -> None:
        """One picture into ``target``; ``jitter`` moves it by parts of a pixel."""
        context = self.context
        target.use()
        context.viewport = (0, 0, width, height)
        context.clear(depth=1.0)
        context.disable(moderngl.BLEND | moderngl.CULL_FACE | moderngl.DEPTH_TEST)
        self._ground_program["u_top"], self._ground_program["u_bottom"] = (
            frame.look.ground_top,
            frame.look.ground_bottom,
        )
        self._ground_array.render(moderngl.TRIANGLE_STRIP)
        context.enable(moderngl.DEPTH_TEST)
        shift = np.eye(4)
        shift[0, 3], shift[1, 3] = 2.0 * jitter[0] / width, 2.0 * jitter[1] / height
        matrix = shift @ frame.camera.view_projection(width, height)
        pixel = frame.camera.pixel_mm(width, height)
        for placed in frame.bodies:
            if placed.alpha >= 1.0:
                self._draw_body(placed, matrix, frame.look.cut)
        if frame.look.solid:
            self._draw_stocks(frame, matrix, pixel)
        if frame.look.lines:
            self._draw_lines(frame, matrix, width, height, pixel)
        context.enable(moderngl.BLEND)
        context.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA
        # What one sees through must not hide what is behind it.
        target.depth_mask = False
        for placed in frame.bodies:
            if placed.alpha < 1.0:
                self._draw_body(placed, matrix, (0.0, 0.0, 0.0, 0.0))
        target.depth_mask = True
        context.disable(moderngl.BLEND)

    def _draw_stocks(self, frame: Frame, matrix: Matrix, pixel: float) -> None:
        program = self._stock_program
        camera = frame.camera
        self.context.enable(moderngl.CULL_FACE)
        self.context.cull_face = "front"
        _set(program, "u_view_projection", matrix)
        program["u_eye"] = tuple(camera.eye)
        program["u_forward"] = tuple(camera.forward)
        program["u_parallel"] = int(camera.parallel)
        program["u_pixel_mm"] = pixel
        program["u_selected"] = frame.look.selected
        cells = (frame.look.cells * 64)[:64]
        program["u_colours"].write(np.array(cells, dtype=np.float32).tobytes())
        for stock in self._stocks:
            program["u_cut"] = tuple(stock.from_grid.T @ np.array(frame.look.cut))
            _set(program, "u_from_grid", stock.from_grid)
            _set(program, "u_to_grid", stock.to_grid)
            program["u_box"] = (stock.nx, stock.ny, stock.height)
            program["u_cell"] = stock.cell
            program["u_top_level"] = stock.levels
            stock.texture.use(0)
            stock.code.use(1)
            program["u_height"] = 0
            program["u_code"] = 1
            self._cube_array.render(moderngl.TRIANGLES)
        self.context.disable(moderngl.CULL_FACE)

    def _draw_body(self, placed: Placed, matrix: Matrix, cut: tuple[float, float, float, float]) -> None:
        known = self._bodies.get(placed.key)
        if known is None:
            if len(self._bodies) > 200:
                self._drop_bodies()
            buffer = self.context.buffer(placed.body.triangles.tobytes())
            array = self.context.vertex_array(self._solid_program, [(buffer, "3f 3f", "a_place", "a_normal")])
            known = self._bodies[placed.key] = (buffer, array)
        _set(self._solid_program, "u_view_projection", matrix)
        _set(self._solid_program, "u_model", placed.model)
        self._solid_program["u_cut"] = (0.0, 0.0, 0.0, 0.0) if placed.whole else cut
        self._solid_program["u_colour"] = (*placed.colour, placed.alpha)
        known[1].render(moderngl.TRIANGLES)

    def _drop_bodies(self) -> None:
        for buffer, array in self._bodies.values():
            array.release()
            buffer.release()
        self._bodies.clear()

    def _draw_lines(self, frame: Frame, matrix: Matrix, width: int, height: int, pixel: float) -> None:
        rows = self._line_rows
        if rows is None or self._line_array is None or self._lines is None:
            return
        program = self._line_program
        _set(program, "u_view_projection", matrix)
        program["u_size"] = (width / 2.0, height / 2.0)
        program["u_pixel_mm"] = pixel
        program["u_cut"] = frame.look.cut
        program["u_widths"] = (1.0, 1.3, 2.4, 1.2)
        self.context.enable(moderngl.BLEND)
        self.context.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA
        look = frame.look
        done = min(max(frame.done, 0), len(rows))
        most = len(rows) if frame.most_lines is None else frame.most_lines
        begin, end = (
            max(0, done - most),
            min(len(rows), done + most // 4 + 1 if frame.most_lines is not None else len(rows)),
        )
        for first, count, alpha in ((done, end - done, 0.28), (begin, done - begin, 0.9)):
            if count > 0:
                self._render_lines(first, count, look, alpha, 1.0)
        if self._held is not None:
            self._colour_lines(look, 0.95, 1.0)
            self._held[1].render(moderngl.TRIANGLE_STRIP, vertices=4, instances=self._held[2])
        first, last = frame.selected
        if last > first:
            self.context.disable(moderngl.DEPTH_TEST)
            chosen = Look(
                ground_top=look.ground_top,
                ground_bottom=look.ground_bottom,
                selected=look.selected,
                cells=[],
                feed=look.selected,
                rapid=look.selected,
                belief=look.belief,
            )
            self._render_lines(first, last - first, chosen, 1.0, 1.9)
            self.context.enable(moderngl.DEPTH_TEST)
        self.context.disable(moderngl.BLEND)

    def _colour_lines(self, look: Look, alpha: float, width: float) -> None:
        program = self._line_program
        program["u_width"] = width
        program["u_dash"] = (11.0, 7.0)
        colours = [(*look.rapid, alpha * 0.6), (*look.feed, alpha), (*look.feed, alpha), (*look.belief, alpha)]
        program["u_colours"].write(np.array(colours, dtype=np.float32).tobytes())

    def _render_lines(self, first: int, count: int, look: Look, alpha: float, width: float) -> None:
        self._colour_lines(look, alpha, width)
        assert self._lines is not None and self._line_rows is not None and self._line_array is not None
        if first == 0:
            self._line_array.render(moderngl.TRIANGLE_STRIP, vertices=4, instances=count)
            return
        part = self.context.buffer(np.ascontiguousarray(self._line_rows[first : first + count]).tobytes())
        array = self._lines_from(part)
        array.render(moderngl.TRIANGLE_STRIP, vertices=4, instances=count)
        array.release()
        part.release()

    # -- pictures of a certain size, and pictures gathered from several --------------------------------------------------

    def picture(self, width: int, height: int, use: str) -> moderngl.Framebuffer:
        """A framebuffer of our own of this size, kept for the next time."""
        key = (width, height, use)
        if key not in self._pictures:
            for old in [k for k in self._pictures if k[2] == use]:
                self._release_picture(self._pictures.pop(old))
            dtype = "f2" if use == "gather" else "f1"
            colour = self.context.texture((width, height), 4, dtype=dtype)
            colour.filter = (moderngl.LINEAR, moderngl.LINEAR)
            self._pictures[key] = self.context.framebuffer([colour], self.context.depth_renderbuffer((width, height)))
        return self._pictures[key]

    def _release_picture(self, picture: moderngl.Framebuffer) -> None:
        for attachment in picture.color_attachments:
            attachment.release()
        if picture.depth_attachment is not None:
            picture.depth_attachment.release()
        picture.release()

    def show(
        self, picture: moderngl.Framebuffer, target: moderngl.Framebuffer, width: int, height: int, share: float = 1.0
    ) -> None:
        """Stretch a picture over ``target``; with a ``share`` below 1 mix it in."""
        target.use()
        self.context.viewport = (0, 0, width, height)
        self.context.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        if share < 1.0:
            self.context.enable(moderngl.BLEND)
            self.context.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA
        attachment = picture.color_attachments[0]
        assert isinstance(attachment, moderngl.Texture)
        attachment.use(0)
        self._blend_program["u_picture"] = 0
        self._blend_program["u_share"] = share
        self._blend_array.render(moderngl.TRIANGLE_STRIP)
        self.context.disable(moderngl.BLEND)

    def release(self) -> None:
        """Give everything back; the context must still be current."""
        self.clear_stocks()
        self._drop_bodies()
        for picture in self._pictures.values():
            self._release_picture(picture)
        self._pictures.clear()


def _set(program: moderngl.Program, name: str, matrix: Matrix) -> None:
    uniform = program[name]
    assert isinstance(uniform, moderngl.Uniform)
    uniform.write(np.ascontiguousarray(matrix.T, dtype=np.float32).tobytes())


JITTER = ((0.0, 0.0), (0.25, -0.375), (-0.375, -0.125), (0.125, 0.375), (-0.125, -0.25), (0.375, 0.125))
"""Parts of a pixel by which the pictures of a still view are moved before they are mixed."""
