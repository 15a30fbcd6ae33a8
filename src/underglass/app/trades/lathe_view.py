"""The lathe drawn as a half section, to scale: bar, jaws, tailstock, zero, and one tool with its edges."""

from __future__ import annotations

import numpy as np
import shapely
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen

from underglass.app.document import Document
from underglass.app.setup.plan_view import PlanView
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.core.bench.lathe import LatheTool
from underglass.core.proof.job import Job
from underglass.core.trades.turning.cut import uncut
from underglass.core.trades.turning.lathe import lathe_of
from underglass.core.trades.turning.rules.contacts import held_by
from underglass.core.units import show_length

_MARGIN = 26.0


_GRIP_PIXELS = 9.0


class LatheView(PlanView):
    """``mode``: what the page is about: bench, stock, tool, touch. A profile's places can be dragged: ``place_moved`` brings (number, diameter,
    Z), ``place_added`` the same on a double click, ``place_removed`` a number on Delete; ``let_go`` ends a drag."""

    place_moved = Signal(int, float, float)
    place_added = Signal(int, float, float)
    place_removed = Signal(int)
    let_go = Signal()
    high = 300

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette, "The lathe as a half section")
        self.places: list[tuple[float, float]] = []
        self.taken = self._last_taken = -1
        self._scale, self._across, self._axis, self._z0 = 1.0, 0.0, 0.0, 0.0
        self._front = 0.0
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.palette_.ground))
        job = self.document.job
        if job is not None and job.bench.more is not None:
            tool = lathe_of(job.bench).tools.get(self.number)
            if self.mode == "tool":
                self._tool(painter, tool)
            else:
                self._bench(painter, job)
                if self.mode == "touch" and tool is not None:
                    self._touching(painter, job, tool)
                if self.mode == "stock" and self.places:
                    self._grips(painter)
        painter.end()

    # -- the bench ---------------------------------------------------------------------------------------------------------

    def _bench(self, painter: QPainter, job: Job) -> None:
        lathe, p = lathe_of(job.bench), self.palette_
        stock = uncut(lathe)
        held = [(name, shape) for name, shape in held_by(lathe) if name != "spindle nose"]
        z0, z1, reach = -40.0, 20.0, 20.0
        if not stock.is_empty:
            _x0, z0, reach, z1 = stock.bounds
        if lathe.chuck.kind != "none":
            z0 = min(z0, lathe.chuck.face - 8.0) - 14.0
        if lathe.tailstock is not None:
            z1 = max(z1, lathe.tailstock.z + 24.0)
        top = max([reach, *(s.bounds[2] for n, s in held if n == "jaws")]) + 6.0
        z1 += 10.0
        scale = min((self.width() - 2 * _MARGIN) / (z1 - z0), (self.height() - 2 * _MARGIN - 14) / (2.0 * top))
        across, axis = (self.width() - (z1 - z0) * scale) / 2.0, self.height() / 2.0
        if self.taken < 0:
            # While a place is dragged the picture stands still.
            self._scale, self._across, self._axis, self._z0 = scale, across, axis, z0
        scale, across, axis, z0 = self._scale, self._across, self._axis, self._z0

        def at(x: float, z: float) -> QPointF:
            return QPointF(across + (z - z0) * scale, axis - x * scale)

        window = shapely.box(-top, z0, top, z1)
        for name, shape in held:
            seen = shapely.intersection(shape, window)
            self._fill(painter, seen, at, p.fixture, p.text)
            self._fill(painter, _mirrored(seen), at, p.fixture, p.text)
            if name == "jaws":
                painter.setPen(QColor(p.quiet))
        if not stock.is_empty:
            self._fill(painter, stock, at, p.stock, p.text)
            self._fill(painter, _mirrored(stock), at, p.stock, p.text)
        painter.setPen(QPen(QColor(p.quiet), 1.0, Qt.PenStyle.DashDotLine))
        painter.drawLine(at(0.0, z0), at(0.0, z1))
        self._zero(painter, at(0.0, 0.0))
        self._dimensions(painter, job, stock, at)

    def _fill(self, painter: QPainter, shape: object, at, fill: str, line: str) -> None:  # type: ignore[no-untyped-def]
        path = QPainterPath()
        path.setFillRule(Qt.FillRule.OddEvenFill)
        for part in shapely.get_parts(shape):
            if shapely.get_type_id(part) != 3 or part.is_empty:
                continue
            for ring in shapely.get_rings(part):
                places = shapely.get_coordinates(ring)
                path.moveTo(at(*places[0]))
                for x, z in places[1:]:
                    path.lineTo(at(x, z))
        painter.setPen(QPen(QColor(line), 1.2))
        painter.setBrush(QColor(fill))
        painter.drawPath(path)

    def _at(self, x: float, z: float) -> QPointF:
        """A place of the half section, X as a radius, in the picture."""
        return QPointF(self._across + (z - self._z0) * self._scale, self._axis - x * self._scale)

    def _touching(self, painter: QPainter, job: Job, tool: LatheTool) -> None:
        """The tool with its tip at the corner of diameter and face."""
        p, shape = self.palette_, uncut(lathe_of(job.bench))
        if shape.is_empty:
            return
        tip = np.array([0.0 if tool.on_axis else shape.bounds[2], shape.bounds[3]])
        window = shapely.box(-shape.bounds[2] * 2.0, -1e4, shape.bounds[2] * 2.0, shape.bounds[3] + 30.0)
        body = tool.body()
        for outline, fill in ((body, p.holder), (tool.cutting(), p.cutter)):
            if outline is not None:
                part = shapely.intersection(shapely.make_valid(shapely.Polygon(outline + tip)), window)
                self._fill(painter, part, self._at, fill, p.text)

    # -- a profile's places ------------------------------------------------------------------------------------------------

    def show_places(self, places: list[tuple[float, float]]) -> None:
        """(diameter, Z from the front face) of each, mm."""
        self.places = places
        job = self.document.job
        scale = 25.4 if job is not None and job.units == "inch" else 1.0
        stock = self.document.job_data.get("stock") or {}
        self._front = float(stock.get("place") or 0.0) * scale
        self.update()

    def _grip_at(self, at: QPointF) -> int:
        far = [(self._at(x / 2.0, z + self._front) - at).manhattanLength() for x, z in self.places]
        k = int(np.argmin(far)) if far else -1
        return k if k >= 0 and far[k] <= 2.0 * _GRIP_PIXELS else -1

    def _place(self, at: QPointF) -> tuple[float, float]:
        x, z = (self._axis - at.y()) / self._scale, (at.x() - self._across) / self._scale + self._z0
        return 2.0 * max(x, 0.0), z - self._front

    def _grips(self, painter: QPainter) -> None:
        p = self.palette_
        for k, (x, z) in enumerate(self.places):
            painter.setPen(QPen(QColor(p.active), 1.6))
            painter.setBrush(QColor(p.active if k == self.taken else p.panel))
            painter.drawEllipse(self._at(x / 2.0, z + self._front), 4.5, 4.5)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.taken = self._grip_at(event.position()) if self.mode == "stock" else -1
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.taken >= 0 and event.buttons() & Qt.MouseButton.LeftButton:
            self.place_moved.emit(self.taken, *self._place(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.taken >= 0:
            self._last_taken, self.taken = self.taken, -1
            self.let_go.emit()
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.mode != "stock" or len(self.places) < 3 or self._grip_at(event.position()) >= 0:
            return
        x, z = self._place(event.position())
        here = shapely.Point(x / 2.0, z)
        sides = [
            shapely.LineString([(a[0] / 2.0, a[1]), (b[0] / 2.0, b[1])])
            for a, b in zip(self.places, [*self.places[1:], self.places[0]])
        ]
        self.place_added.emit(int(np.argmin([s.distance(here) for s in sides])), x, z)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self._last_taken >= 0:
            self.place_removed.emit(self._last_taken)
            self._last_taken = -1
        else:
            super().keyPressEvent(event)

    def _zero(self, painter: QPainter, place: QPointF) -> None:
        p = self.palette_
        painter.setPen(QPen(QColor(p.text), 1.4))
        painter.setBrush(QColor(p.panel))
        painter.drawEllipse(place, 5.0, 5.0)
        painter.drawLine(place - QPointF(9, 0), place + QPointF(9, 0))
        painter.drawLine(place - QPointF(0, 9), place + QPointF(0, 9))

    def _dimensions(self, painter: QPainter, job: Job, stock: object, at) -> None:  # type: ignore[no-untyped-def]
        """Diameter and length of the bar, and how far it stands out of the jaws."""
        p, unit = self.palette_, self.document.units
        if stock.is_empty:  # type: ignore[attr-defined]
            return
        x0, z0, x1, z1 = stock.bounds  # type: ignore[attr-defined]
        lathe = lathe_of(job.bench)
        low = at(-x1, z0).y() + 16.0
        begin, word = z0, "length"
        if lathe.chuck.kind != "none" and z0 < lathe.chuck.face < z1:
            begin, word = lathe.chuck.face, "out of the jaws"
        left, right = at(0.0, begin).x(), at(0.0, z1).x()
        painter.setPen(QPen(QColor(p.belief), 1.2))
        painter.drawLine(QPointF(left, low), QPointF(right, low))
        for end in (left, right):
            painter.drawLine(QPointF(end, low - 4), QPointF(end, low + 4))
        painter.setPen(QColor(p.text))
        painter.setFont(number_font(12))
        # From the jaws on: in the middle a long word would run over them.
        box = QRectF(left + 8.0, low + 4.0, 240.0, 18.0)
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft, f"{show_length(z1 - begin, unit)}  {word}")
        painter.setFont(number_font(13, bold=True))
        said = f"\u00f8 {show_length(2.0 * x1, unit)}"
        if x0 > 1e-9:
            said += f"  bore {show_length(2.0 * x0, unit)}"
        painter.drawText(
            QRectF(at(0.0, z1).x() - 180.0, at(x1, z1).y() - 22.0, 180.0, 18.0), Qt.AlignmentFlag.AlignRight, said
        )

    # -- a tool ------------------------------------------------------------------------------------------------------------

    def _tool(self, painter: QPainter, tool: LatheTool | None) -> None:
        p, unit = self.palette_, self.document.units
        if tool is None:
            painter.setPen(QColor(p.quiet))
            painter.setFont(words_font(13))
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, "No tool is chosen")
            return
        edge = tool.cutting()
        body = tool.body()
        # The edge is what matters: of a long holder only its beginning is shown.
        size = max(float(np.ptp(edge[:, 0])), float(np.ptp(edge[:, 1])), 8.0)
        low = edge.min(axis=0) - 0.35 * size
        high = edge.max(axis=0) + 0.6 * size
        scale = min(
            (self.width() - 2 * _MARGIN) / (high[1] - low[1]), (self.height() - 2 * _MARGIN) / (high[0] - low[0])
        )
        across = (self.width() - (high[1] - low[1]) * scale) / 2.0
        down = (self.height() + (high[0] - low[0]) * scale) / 2.0

        def at(x: float, z: float) -> QPointF:
            return QPointF(across + (z - low[1]) * scale, down - (x - low[0]) * scale)

        window = shapely.box(low[0] - size, low[1] - size, high[0] + size, high[1] + size)
        if body is not None:
            self._fill(painter, shapely.intersection(shapely.Polygon(body), window), at, p.holder, p.text)
        self._fill(painter, shapely.make_valid(shapely.Polygon(edge)), at, p.cutter, p.text)
        tip = at(0.0, 0.0)
        painter.setPen(QPen(QColor(p.belief), 1.4, Qt.PenStyle.DashLine))
        painter.drawLine(tip - QPointF(26, 0), tip + QPointF(26, 0))
        painter.drawLine(tip - QPointF(0, 26), tip + QPointF(0, 26))
        if tool.RE > 0.0 and not tool.on_axis:
            x, z = tool.nose
            centre = at(x, z)
            painter.setPen(QPen(QColor(p.active), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(centre, tool.RE * scale, tool.RE * scale)
            painter.drawEllipse(centre, 2.0, 2.0)
        painter.setPen(QColor(p.text))
        painter.setFont(words_font(12))
        said = [tool.name, f"gauge X {show_length(2.0 * tool.gauge[0], unit)}  Z {show_length(tool.gauge[1], unit)}"]
        if not tool.on_axis:
            said.append(f"tip in orientation {tool.orientation}")
        where = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom)
        painter.drawText(QRectF(12, self.height() - 70, self.width() - 24, 62), where, "\n".join(said))


def _mirrored(shape: object) -> object:
    return shapely.transform(shape, lambda places: places * (-1.0, 1.0))
