"""The bench from above and from the front: stock, fixtures and zeros, that follow as one types and can be dragged.

What is really there is drawn solid; where the control believes a zero to be, a dashed brass ring.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from underglass.app.document import Document
from underglass.app.setup.outlines import Outline, outlines
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.core.bench.frame import Frame
from underglass.core.proof.job import Job
from underglass.core.units import show_length

Mode = Literal["zero", "stock", "fixtures", "touch", "travel"]
View = Literal["plan", "front"]
_GRAB = 13.0
_SNAP = 9.0
_MARGIN = 66.0


class BenchView(QWidget):
    """``moved`` brings how far what is dragged has gone since it was taken up, real mm; ``snapped`` a place on the stock.

    ``picked`` brings the entry of what was clicked: 0 the stock, k a fixture.
    """

    taken = Signal()
    moved = Signal(float, float, float)
    let_go = Signal()
    picked = Signal(int)
    snapped = Signal(object, object, object)

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__()
        self._document = document
        self.palette_ = palette
        self.mode: Mode = "stock"
        self.chosen = 0
        self._scale = 1.0
        self._middle = {"plan": (0.0, 0.0), "front": (0.0, 0.0)}
        self._centre = {"plan": QPointF(), "front": QPointF()}
        self._held: tuple[View, QPointF, Job] | None = None
        self._fitted: object = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumHeight(220)
        self.setAccessibleName("Picture of the bench, from above and from the front")

    def sizeHint(self) -> QSize:
        return QSize(520, 380)

    def set_palette(self, palette: Palette) -> None:
        self.palette_ = palette
        self.update()

    def set_mode(self, mode: Mode) -> None:
        self.mode = mode
        self._fitted = None
        self.update()

    # -- where things are ----------------------------------------------------------------------------------------------

    def _bounds(self, job: Job, shapes: tuple[Outline, ...]) -> tuple[float, float, float, float, float, float]:
        low = [min((s.low[k] for s in shapes), default=0.0) for k in range(3)]
        high = [max((s.high[k] for s in shapes), default=1.0) for k in range(3)]
        if self.mode == "travel":
            m = job.bench.machine
            for k in range(2):
                low[k], high[k] = min(low[k], m.travel_min[k]), max(high[k], m.travel_max[k])
            low[2], high[2] = min(low[2], m.table_z), max(high[2], m.travel_max[2])
        else:
            zeros = [(z.x, z.y, z.z) for z in job.bench.zero.values()]
            for k in range(3):
                low[k] = min(low[k], *(z[k] for z in zeros))
                high[k] = max(high[k], *(z[k] for z in zeros))
        return (*low, *high)  # type: ignore[return-value]

    def _fit(self, job: Job, shapes: tuple[Outline, ...]) -> None:
        """Both views at one scale, one under the other; kept while something is dragged, or it would run away."""
        if self._held is not None:
            return
        x0, y0, z0, x1, y1, z1 = self._bounds(job, shapes)
        wide, deep, high = max(x1 - x0, 1.0), max(y1 - y0, 1.0), max(z1 - z0, 1.0)
        gap = 44.0
        room_x = max(self.width() - 2 * _MARGIN, 40.0)
        room_y = max(self.height() - 2 * 28.0 - gap, 60.0)
        self._scale = min(room_x / wide, room_y / (deep + high))
        top = (self.height() - (deep + high) * self._scale - gap) / 2.0
        self._middle = {"plan": ((x0 + x1) / 2, (y0 + y1) / 2), "front": ((x0 + x1) / 2, (z0 + z1) / 2)}
        middle_x = self.width() / 2.0
        self._centre = {
            "plan": QPointF(middle_x, top + deep * self._scale / 2.0),
            "front": QPointF(middle_x, top + deep * self._scale + gap + high * self._scale / 2.0),
        }

    def at(self, view: View, x: float, up: float) -> QPointF:
        """Where a real place is on the screen: ``up`` is Y from above, Z from the front."""
        mx, mu = self._middle[view]
        c = self._centre[view]
        return QPointF(c.x() + (x - mx) * self._scale, c.y() - (up - mu) * self._scale)

    def place(self, view: View, point: QPointF) -> tuple[float, float]:
        """The real place under a point of the screen."""
        mx, mu = self._middle[view]
        c = self._centre[view]
        return (mx + (point.x() - c.x()) / self._scale, mu - (point.y() - c.y()) / self._scale)

    def _view_under(self, point: QPointF) -> View:
        job = self._document.table_job
        return "plan" if job is None or point.y() < self._border(job) else "front"

    def _border(self, job: Job) -> float:
        """Where the view from above ends on the screen."""
        low = self._bounds(job, outlines(job))[1]
        return self.at("plan", 0.0, low).y() + 20.0

    def snap_points(self, view: View) -> list[tuple[QPointF, tuple[float | None, float | None, float | None]]]:
        """Corners, edge middles and face centres of the stock: on the screen, and as shares of its size (0, 1/2, 1)."""
        job = self._document.table_job
        if job is None:
            return []
        stock = job.bench.stocks[0]
        size = stock.extent
        out = []
        for a in (0.0, 0.5, 1.0):
            for b in (0.0, 0.5, 1.0):
                share = (a, b, None) if view == "plan" else (a, None, b)
                local = (a * size[0], b * size[1], size[2]) if view == "plan" else (a * size[0], 0.0, b * size[2])
                real = stock.frame.out(np.array([local]))[0]
                point = self.at(view, float(real[0]), float(real[1] if view == "plan" else real[2]))
                out.append((point, share))
        return out

    def zero_at(self, view: View) -> QPointF:
        """Where the main zero is on the screen."""
        job = self._document.table_job
        zero = job.bench.part_zero if job is not None else Frame()
        return self.at(view, zero.x, zero.y if view == "plan" else zero.z)

    # -- drawing -------------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        p = self.palette_
        painter.fillRect(self.rect(), QColor(p.ground))
        job = self._document.table_job
        if job is None:
            painter.end()
            return
        shapes = outlines(job)
        self._fit(job, shapes)
        self._grid(painter)
        if self.mode == "travel":
            self._travels(painter, job)
        for shape in shapes:
            self._solid(painter, shape, "plan")
        for shape in sorted(shapes, key=lambda s: (-s.low[1], s.entry == 0)):
            self._solid(painter, shape, "front")
        if self.mode in ("zero", "stock", "touch"):
            self._sizes(painter, job, shapes)
        if self.mode == "zero":
            for view in ("plan", "front"):
                self._snaps(painter, view)  # type: ignore[arg-type]
        self._zeros(painter, job)
        painter.setFont(words_font(11))
        painter.setPen(QColor(p.quiet))
        painter.drawText(QPointF(12, 18), "from above")
        painter.drawText(QPointF(12, self.height() - 10.0), "from the front")
        if self.hasFocus():
            painter.setPen(QPen(QColor(p.active), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        painter.end()

    def _grid(self, painter: QPainter) -> None:
        line = QColor(self.palette_.rule)
        line.setAlpha(90)
        painter.setPen(QPen(line, 1.0))
        step = 24
        for x in range(step, self.width(), step):
            painter.drawLine(x, 0, x, self.height())
        for y in range(step, self.height(), step):
            painter.drawLine(0, y, self.width(), y)

    def _polygon(self, shape: Outline, view: View) -> QPolygonF:
        if view == "plan":
            return QPolygonF([self.at("plan", float(x), float(y)) for x, y in shape.plan])
        a, b = self.at("front", shape.low[0], shape.high[2]), self.at("front", shape.high[0], shape.low[2])
        return QPolygonF(QRectF(a, b))

    def _solid(self, painter: QPainter, shape: Outline, view: View) -> None:
        p = self.palette_
        stock = shape.entry == 0
        fill = QColor(p.stock if stock else p.fixture)
        fill.setAlpha(150 if stock else 105)
        chosen = (self.mode == "fixtures" and shape.entry == self.chosen and not stock) or (
            self.mode == "stock" and stock
        )
        painter.setPen(QPen(QColor(p.active if chosen else p.text), 2.0 if chosen else 1.4 if stock else 1.0))
        painter.setBrush(fill)
        polygon = self._polygon(shape, view)
        painter.drawPolygon(polygon)
        if view == "plan" and not stock:
            painter.setFont(words_font(11))
            words = shape.name
            box = polygon.boundingRect()
            metrics = painter.fontMetrics()
            if metrics.horizontalAdvance(words) + 6 < box.width() and metrics.height() < box.height() + 2:
                painter.setPen(QColor(p.text))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _snaps(self, painter: QPainter, view: View) -> None:
        p = self.palette_
        painter.setPen(QPen(QColor(p.text), 1.2))
        painter.setBrush(QColor(p.field))
        for point, _share in self.snap_points(view):
            painter.drawEllipse(point, 4.0, 4.0)

    def _sizes(self, painter: QPainter, job: Job, shapes: tuple[Outline, ...]) -> None:
        """The block's size, beside everything that is drawn: X under it, Y and Z at its left."""
        stock = next(s for s in shapes if s.entry == 0)
        edge = self.at("plan", min(s.low[0] for s in shapes), 0.0).x() - 34.0
        under = self.at("plan", 0.0, min(s.low[1] for s in shapes)).y() + 12.0
        size = job.bench.stocks[0].extent
        unit = self._document.units
        low, high = stock.low, stock.high
        turned = abs(math.remainder(job.bench.stocks[0].frame.turn_rad, math.pi)) > 1e-6
        if turned:
            return
        a, b = self.at("plan", low[0], low[1]), self.at("plan", high[0], high[1])
        self._size(painter, QPointF(a.x(), under), QPointF(b.x(), under), show_length(size[0], unit))
        self._size(painter, QPointF(edge, a.y()), QPointF(edge, b.y()), show_length(size[1], unit))
        c, d = self.at("front", low[0], low[2]), self.at("front", low[0], high[2])
        self._size(painter, QPointF(edge, c.y()), QPointF(edge, d.y()), show_length(size[2], unit))

    def _size(self, painter: QPainter, a: QPointF, b: QPointF, text: str) -> None:
        p = self.palette_
        painter.setPen(QPen(QColor(p.belief), 1.2))
        painter.drawLine(a, b)
        flat = abs(a.y() - b.y()) < 1e-6
        for end in (a, b):
            off = QPointF(0, 4) if flat else QPointF(4, 0)
            painter.drawLine(end - off, end + off)
        painter.setFont(number_font(11))
        metrics = painter.fontMetrics()
        wide = metrics.horizontalAdvance(text) + 8
        middle = (a + b) / 2.0
        box = QRectF(middle.x() - wide / 2, middle.y() - 8, wide, 16)
        if not flat:
            box.moveRight(max(middle.x() + wide / 2, wide + 2))
        ground = QColor(p.ground)
        ground.setAlpha(235)
        painter.fillRect(box, ground)
        painter.setPen(QColor(p.text))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _zeros(self, painter: QPainter, job: Job) -> None:
        p = self.palette_
        main = job.bench.part_zero
        for name, zero in job.bench.zero.items():
            for view in ("plan", "front"):
                up = zero.y if view == "plan" else zero.z
                here = self.at(view, zero.x, up)  # type: ignore[arg-type]
                if zero is main:
                    self._axes(painter, here, zero, view)  # type: ignore[arg-type]
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(p.active))
                painter.drawEllipse(here, 5.5, 5.5)
                told = job.registers.work.get(name)
                if told is not None:
                    ring = self.at(view, told[0], told[1] if view == "plan" else told[2])  # type: ignore[arg-type]
                    painter.setPen(QPen(QColor(p.belief), 1.6, Qt.PenStyle.DashLine))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawEllipse(ring, 10.0, 10.0)
                    if math.hypot(ring.x() - here.x(), ring.y() - here.y()) > 3.0:
                        painter.drawLine(here, ring)
        if len(job.bench.zero) > 1:
            painter.setFont(number_font(11, bold=True))
            painter.setPen(QColor(p.active))
            places: dict[tuple[int, int], list[str]] = {}
            for name, zero in job.bench.zero.items():
                here = self.at("plan", zero.x, zero.y)
                places.setdefault((round(here.x()), round(here.y())), []).append(name)
            for (x, y), names in places.items():
                painter.drawText(QPointF(x + 12.0, y + 16.0), ", ".join(names))

    def _axes(self, painter: QPainter, here: QPointF, zero: Frame, view: View) -> None:
        p = self.palette_
        painter.setPen(QPen(QColor(p.active), 2.2))
        painter.setFont(words_font(13, bold=True))
        turn = zero.turn_rad if view == "plan" else 0.0
        for angle, word in ((turn, "X"), (turn + math.pi / 2.0, "Y" if view == "plan" else "Z")):
            way = QPointF(math.cos(angle), -math.sin(angle))
            side = QPointF(-way.y(), way.x())
            tip = here + way * (46.0 if self.mode != "travel" else 24.0)
            painter.drawLine(here, tip)
            painter.drawLine(tip, tip - way * 8.0 + side * 4.0)
            painter.drawLine(tip, tip - way * 8.0 - side * 4.0)
            painter.drawText(tip + way * 11.0 + QPointF(-4, 5), word)

    def _travels(self, painter: QPainter, job: Job) -> None:
        p = self.palette_
        m = job.bench.machine
        painter.setBrush(Qt.BrushStyle.NoBrush)
        pen = QPen(QColor(p.quiet), 1.4, Qt.PenStyle.CustomDashLine)
        pen.setDashPattern([8, 4])
        for view, k in (("plan", 1), ("front", 2)):
            painter.setPen(pen)
            a = self.at(view, m.travel_min[0], m.travel_max[k])  # type: ignore[arg-type]
            b = self.at(view, m.travel_max[0], m.travel_min[k])  # type: ignore[arg-type]
            painter.drawRect(QRectF(a, b))
            painter.setFont(words_font(11))
            painter.setPen(QColor(p.quiet))
            painter.drawText(a + QPointF(4, -5), "spindle axis travel" if k == 1 else "gauge line travel")
        painter.setPen(QPen(QColor(p.text), 2.0))
        a, b = self.at("front", m.travel_min[0], m.table_z), self.at("front", m.travel_max[0], m.table_z)
        painter.drawLine(a, b)
        painter.drawText(a + QPointF(4, 14), "table")
        if m.tool_change_lift_z is not None:
            # The way to a tool change: up to the lift first, then it is changed where it is.
            zero = job.bench.part_zero
            foot = self.at("front", zero.x, zero.z)
            head = self.at("front", zero.x, m.tool_change_lift_z)
            painter.setPen(QPen(QColor(p.rapid), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(foot, head)
            painter.setFont(words_font(11))
            painter.drawText(head + QPointF(6, 13), "tool change")

    # -- hands ---------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        job = self._document.table_job
        if job is None or event.button() != Qt.MouseButton.LeftButton:
            return
        point = event.position()
        view = self._view_under(point)
        if self.mode == "zero":
            zero = self.zero_at(view)
            if math.hypot(point.x() - zero.x(), point.y() - zero.y()) > _GRAB:
                for spot, share in self.snap_points(view):
                    if math.hypot(point.x() - spot.x(), point.y() - spot.y()) <= _SNAP:
                        self.snapped.emit(*share)
                        return
                return
        else:
            entry = self._entry_under(point, view)
            if entry is None:
                return
            if self.mode == "stock" and entry:
                return
            if self.mode == "fixtures":
                if not entry:
                    return
                self.chosen = entry
                self.picked.emit(entry)
            if self.mode in ("travel", "touch"):
                return
        self._held = (view, point, job)
        self.taken.emit()
        self.update()

    def _entry_under(self, point: QPointF, view: View) -> int | None:
        job = self._document.table_job
        assert job is not None
        shapes = outlines(job)
        if view == "front":
            shapes = tuple(sorted(shapes, key=lambda s: (-s.low[1], s.entry == 0)))
        found = [s for s in shapes if self._polygon(s, view).containsPoint(point, Qt.FillRule.OddEvenFill)]
        if self.mode == "stock":
            found = [s for s in found if s.entry == 0]
        if self.mode == "fixtures":
            found = [s for s in found if s.entry]
        return found[-1].entry if found else None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            near = self.mode == "zero" and any(
                math.hypot(event.position().x() - q.x(), event.position().y() - q.y()) < _SNAP
                for view in ("plan", "front")
                for q in (self.zero_at(view), *(s for s, _ in self.snap_points(view)))  # type: ignore[arg-type]
            )
            self.setCursor(Qt.CursorShape.PointingHandCursor if near else Qt.CursorShape.ArrowCursor)
            return
        view, start, job = self._held
        point = event.position()
        dx, du = (point.x() - start.x()) / self._scale, -(point.y() - start.y()) / self._scale
        if self.mode == "zero":
            dx, du = self._caught(view, job, dx, du)
        elif self.mode in ("fixtures", "stock"):
            dx, du = self._against(view, job, dx, du)
        places = 4 if self._document.units == "inch" else 3
        step = 10.0**-places * (25.4 if self._document.units == "inch" else 1.0)
        dx, du = round(dx / step) * step, round(du / step) * step
        self.moved.emit(dx, du if view == "plan" else 0.0, du if view == "front" else 0.0)

    def _caught(self, view: View, job: Job, dx: float, du: float) -> tuple[float, float]:
        """The zero is caught by corners, edge middles and centres that are near."""
        zero = job.bench.part_zero
        x, up = zero.x, zero.y if view == "plan" else zero.z
        here = self.at(view, x + dx, up + du)
        for spot, _share in self.snap_points(view):
            if math.hypot(here.x() - spot.x(), here.y() - spot.y()) <= _SNAP:
                to = self.place(view, spot)
                return to[0] - x, to[1] - up
        return dx, du

    def _against(self, view: View, job: Job, dx: float, du: float) -> tuple[float, float]:
        """What is dragged is caught where a face of it meets a face of another thing."""
        mine = self.chosen if self.mode == "fixtures" else 0
        shapes = outlines(job)
        k = 1 if view == "plan" else 2
        table = job.bench.machine.table_z
        own = [s for s in shapes if s.entry == mine]
        others = [s for s in shapes if s.entry != mine]
        reach = _SNAP / self._scale

        def caught(axis: int, by: float) -> float:
            edges = [e for s in others for e in (s.low[axis], s.high[axis])]
            if axis == 2:
                edges.append(table)
            gaps = [e - (m + by) for s in own for m in (s.low[axis], s.high[axis]) for e in edges]
            best = min(gaps, key=abs, default=math.inf)
            return by + best if abs(best) <= reach else by

        return caught(0, dx), caught(k, du)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._held = None
            self.let_go.emit()
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        ways = {
            Qt.Key.Key_Left: (-1, 0, 0), Qt.Key.Key_Right: (1, 0, 0), Qt.Key.Key_Up: (0, 1, 0), Qt.Key.Key_Down: (0, -1, 0),
            Qt.Key.Key_PageUp: (0, 0, 1), Qt.Key.Key_PageDown: (0, 0, -1),
        }  # fmt: skip
        way = ways.get(Qt.Key(event.key()))
        if way is None or self.mode in ("travel", "touch") or self._document.table_job is None:
            super().keyPressEvent(event)
            return
        step = 25.4 / 10.0 if self._document.units == "inch" else 1.0
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            step /= 10.0
        self.taken.emit()
        self.moved.emit(*(w * step for w in way))
        self.let_go.emit()
