"""A sheet machine drawn in plan, to scale: travel, slats, sheet, clamps, the zero, and the outline of the whole cut laid on it, red where
it does not fit. Zero and sheet can be dragged. Or one punch with its size."""

from __future__ import annotations

import numpy as np
import shapely
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF

from underglass.app.document import Document
from underglass.app.setup.plan_view import PlanView
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.core.bench.sheet import Punch, Sheet
from underglass.core.proof.flat_outputs import history_of, on_part
from underglass.core.proof.job import Job
from underglass.core.removal.sheet.history import Bite, Region, kerf
from underglass.core.trades.punching.cut import forms_of
from underglass.core.trades.sheet.rules.fit import kept_way
from underglass.core.units import show_length

_MARGIN = 22.0
_GRIP_PIXELS = 14.0
_MOST_LINES = 6000


def _lies_on(region: Region, bite: Bite) -> bool:
    """Whether a cut keeps to the sheet, but for running in or out over its edge; a hit may notch the edge, and must not miss the sheet."""
    if not len(bite.way):
        return bool(shapely.intersects(region, bite.shape))
    way = kept_way(region, bite.way, bite.width)
    return not len(way) or bool(shapely.covers(shapely.buffer(region, 1e-3), kerf(way, bite.width)))


class FlatView(PlanView):
    """``zero_moved`` and ``sheet_moved`` bring how far something has been dragged, real mm, from where it was taken up."""

    taken = Signal()
    zero_moved = Signal(float, float)
    sheet_moved = Signal(float, float)
    let_go = Signal()

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette, "The table in plan")
        self._scale, self._left, self._bottom = 1.0, 0.0, 0.0
        self._low = np.zeros(2)
        self._from: QPointF | None = None
        self._what = ""

    @property
    def sheet(self) -> Sheet | None:
        job = self.document.job
        more = job.bench.more if job is not None else None
        return more if isinstance(more, Sheet) else None

    # -- places: machine mm ------------------------------------------------------------------------------------------------

    def _fit(self, job: Job, sheet: Sheet) -> None:
        """The sheet and what lies about it, with the table's corner where that is near."""
        if self._from is not None:
            return
        x0, y0, x1, y1 = sheet.region().bounds
        boxes = [(x0, y0, x1, y1), *(h.box for h in sheet.held)]
        low = np.min([b[:2] for b in boxes], axis=0) + (sheet.zero_x, sheet.zero_y)
        high = np.max([b[2:] for b in boxes], axis=0) + (sheet.zero_x, sheet.zero_y)
        low, high = np.minimum(low, (0.0, 0.0)) - 12.0, high + 20.0
        span = np.maximum(high - low, 1.0)
        self._scale = min((self.width() - 2 * _MARGIN) / span[0], (self.height() - 2 * _MARGIN) / span[1])
        self._low = low
        self._left = (self.width() - span[0] * self._scale) / 2.0
        self._bottom = (self.height() + span[1] * self._scale) / 2.0

    def at(self, x: float, y: float) -> QPointF:
        """A place in machine coordinates in the picture."""
        return QPointF(self._left + (x - self._low[0]) * self._scale, self._bottom - (y - self._low[1]) * self._scale)

    # -- drawing -----------------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.palette_.ground))
        job, sheet = self.document.job, self.sheet
        if job is not None and sheet is not None:
            punch = sheet.punches.get(self.number)
            if self.mode == "tool" and sheet.punches:
                self._punch(painter, punch)
            else:
                self._fit(job, sheet)
                self._table(painter, job, sheet)
        painter.end()

    def _table(self, painter: QPainter, job: Job, sheet: Sheet) -> None:
        p, machine = self.palette_, job.bench.machine
        a, b = (
            self.at(machine.travel_min[0], machine.travel_min[1]),
            self.at(machine.travel_max[0], machine.travel_max[1]),
        )
        painter.setPen(QPen(QColor(p.rule), 1.2, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(a, b).normalized())
        pitch = machine.more.get("slat_pitch", 0.0)
        if pitch * self._scale > 6.0:
            painter.setPen(QPen(QColor(p.rule), max(machine.more.get("slat_thickness", 1.0) * self._scale, 1.0)))
            for k in range(int((machine.travel_max[0] - machine.travel_min[0]) / pitch) + 1):
                x = machine.travel_min[0] + k * pitch
                painter.drawLine(self.at(x, machine.travel_min[1]), self.at(x, machine.travel_max[1]))
        zx, zy = sheet.zero_x, sheet.zero_y
        path = QPainterPath()
        path.setFillRule(Qt.FillRule.OddEvenFill)
        for ring in shapely.get_rings(shapely.get_parts(sheet.region())):
            path.addPolygon(QPolygonF([self.at(x + zx, y + zy) for x, y in shapely.get_coordinates(ring)]))
        fill = QColor(p.stock)
        fill.setAlphaF(0.85)
        painter.setPen(QPen(QColor(p.text), 1.4))
        painter.setBrush(fill)
        painter.drawPath(path)
        for held in sheet.held:
            x0, y0, x1, y1 = held.box
            box = QRectF(self.at(x0 + zx, y1 + zy), self.at(x1 + zx, y0 + zy))
            painter.setBrush(QColor(p.fixture))
            painter.setPen(QPen(QColor(p.text), 1.0))
            painter.drawRect(box)
            painter.setFont(words_font(11))
            painter.drawText(box.adjusted(-20, box.height() + 1, 20, 14), Qt.AlignmentFlag.AlignHCenter, held.name)
        self._cut(painter, job, sheet)
        self._zero(painter, self.at(zx, zy))
        self._sizes(painter, sheet)

    def _cut(self, painter: QPainter, job: Job, sheet: Sheet) -> None:
        """The whole cut where the zero is now; what does not fit in red."""
        proof = self.document.proof
        history = history_of(proof) if proof is not None else None
        if proof is None or history is None or not len(proof.motions):
            return
        region = sheet.region()
        zx, zy = sheet.zero_x, sheet.zero_y
        p = self.palette_
        fits, out = QPainterPath(), QPainterPath()
        count = 0
        if history.bites:
            for bite in history.bites:
                count += 1
                if count > _MOST_LINES:
                    break
                good = _lies_on(region, bite)
                for ring in shapely.get_rings(shapely.get_parts(shapely.simplify(bite.shape, 0.1))):
                    (fits if good else out).addPolygon(
                        QPolygonF([self.at(x + zx, y + zy) for x, y in shapely.get_coordinates(ring)])
                    )
        else:
            ends = on_part(proof, proof.motions.end)
            starts = on_part(proof, proof.motions.start)
            for k in np.flatnonzero(~proof.motions.rapid())[:_MOST_LINES].tolist():
                fits.moveTo(self.at(starts[k, 0] + zx, starts[k, 1] + zy))
                fits.lineTo(self.at(ends[k, 0] + zx, ends[k, 1] + zy))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(p.feed), 1.2, Qt.PenStyle.DashLine))
        for form in forms_of(job.bench, proof.motions)[:_MOST_LINES]:
            rim = shapely.get_coordinates(form.shape)
            painter.drawPolyline(QPolygonF([self.at(x + zx, y + zy) for x, y in rim]))
        painter.setPen(QPen(QColor(p.feed), 1.2))
        painter.drawPath(fits)
        painter.setPen(QPen(QColor(p.crash), 2.0))
        painter.drawPath(out)

    def _zero(self, painter: QPainter, place: QPointF) -> None:
        p = self.palette_
        painter.setPen(QPen(QColor(p.active if self._what == "zero" else p.text), 1.6))
        painter.setBrush(QColor(p.panel))
        painter.drawEllipse(place, 6.0, 6.0)
        painter.drawLine(place - QPointF(11, 0), place + QPointF(11, 0))
        painter.drawLine(place - QPointF(0, 11), place + QPointF(0, 11))

    def _sizes(self, painter: QPainter, sheet: Sheet) -> None:
        p, unit = self.palette_, self.document.units
        zx, zy = sheet.zero_x, sheet.zero_y
        painter.setFont(number_font(12, bold=True))
        painter.setPen(QColor(p.text))
        for one in shapely.get_parts(sheet.region()):
            x0, y0, x1, y1 = one.bounds
            top = self.at((x0 + x1) / 2 + zx, y1 + zy)
            words = f"{show_length(x1 - x0, unit)} \u00d7 {show_length(y1 - y0, unit)} \u00d7 {show_length(sheet.thickness, unit)}"
            painter.drawText(QRectF(top.x() - 150, top.y() - 20, 300, 18), Qt.AlignmentFlag.AlignCenter, words)

    def _punch(self, painter: QPainter, punch: Punch | None) -> None:
        p, unit = self.palette_, self.document.units
        if punch is None:
            painter.setPen(QColor(p.quiet))
            painter.setFont(words_font(13))
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, "No station is chosen")
            return
        sheet = self.sheet
        others = list(sheet.punches.values()) if sheet is not None else [punch]
        reach = max(t.reach for t in others)
        cell = min(96.0, (self.width() - 30.0) / max(len(others), 1))
        scale = min((self.height() - 110.0) / (2.2 * punch.reach), 9.0)
        middle = QPointF(self.width() / 2.0, (self.height() - 70.0) / 2.0)
        self._shape(painter, punch, middle, scale, p.cutter)
        painter.setPen(QPen(QColor(p.belief), 1.2, Qt.PenStyle.DashLine))
        painter.drawLine(middle - QPointF(40, 0), middle + QPointF(40, 0))
        painter.drawLine(middle - QPointF(0, 40), middle + QPointF(0, 40))
        painter.setPen(QColor(p.text))
        painter.setFont(words_font(13))
        said = f"T{punch.number}  {punch.name}" + (f", {show_length(punch.height, unit)} high" if punch.forming else "")
        painter.drawText(QRectF(12, self.height() - 92, self.width() - 24, 20), Qt.AlignmentFlag.AlignHCenter, said)
        # All stations side by side, to one scale.
        small = min(cell * 0.72 / (2.0 * reach), 2.0)
        for k, other in enumerate(others):
            at = QPointF(15.0 + cell * (k + 0.5), self.height() - 40.0)
            self._shape(painter, other, at, small, p.active if other.number == punch.number else p.holder)
            painter.setFont(number_font(11))
            painter.setPen(QColor(p.text))
            painter.drawText(
                QRectF(at.x() - 24, self.height() - 16, 48, 14), Qt.AlignmentFlag.AlignCenter, f"T{other.number}"
            )

    def _shape(self, painter: QPainter, punch: Punch, middle: QPointF, scale: float, colour: str) -> None:
        outline = QPolygonF(
            [QPointF(middle.x() + x * scale, middle.y() - y * scale) for x, y in punch.places().tolist()]
        )
        style = Qt.PenStyle.DashLine if punch.forming else Qt.PenStyle.SolidLine
        painter.setPen(QPen(QColor(self.palette_.text), 1.2, style))
        painter.setBrush(QColor(colour))
        painter.drawPolygon(outline)

    # -- dragging ----------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        sheet = self.sheet
        if sheet is None or self.mode == "tool":
            return
        here = event.position()
        zero = self.at(sheet.zero_x, sheet.zero_y)
        x = (here.x() - self._left) / self._scale + self._low[0] - sheet.zero_x
        y = (self._bottom - here.y()) / self._scale + self._low[1] - sheet.zero_y
        if (here - zero).manhattanLength() <= _GRIP_PIXELS:
            self._what = "zero"
        elif shapely.intersects_xy(sheet.region(), x, y):
            self._what = "sheet"
        else:
            return
        self._from = here
        self.taken.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is None:
            return
        by = event.position() - self._from
        signal = self.zero_moved if self._what == "zero" else self.sheet_moved
        signal.emit(round(by.x() / self._scale, 1), round(-by.y() / self._scale, 1))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            self._from, self._what = None, ""
            self.let_go.emit()
            self.update()
