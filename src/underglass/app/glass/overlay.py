"""Labels and marks over the glass, on a transparent widget of their own: they show on screen and in pictures alike."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from underglass.app.document import Document
from underglass.app.glass.eye import Eye
from underglass.app.glass.hovering import Hovering
from underglass.app.glass.measuring import Measuring
from underglass.app.glass.sawing import Sawing
from underglass.app.parts.marks import draw_mark
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.core.finding import Finding, Severity
from underglass.core.units import from_mm, show_length


class Overlay(QWidget):
    """Labels and marks over the glass: part axes, the contact with its leader, tips that are not where they should be."""

    def __init__(
        self,
        eye: Eye,
        sawing: Sawing,
        measuring: Measuring,
        hovering: Hovering,
        document: Document,
        palette: Palette,
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self._eye = eye
        self._sawing = sawing
        self._measuring = measuring
        self._hovering = hovering
        self._document = document
        self.palette_ = palette
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(words_font(12))
        if self._eye.why_dark:
            self._say(painter, self._eye.why_dark)
        elif self._document.proof is None:
            what, share = self._document.proving
            self._say(painter, f"{what} {share:.0%}" if what else "Nothing to show yet: open a job or a program.")
        else:
            self._axes(painter)
            self._section(painter)
            self._legend(painter)
            self._loupe(painter)
            self._labels(painter)
            self._marks(painter)
            self._tips(painter)
            self._dimensions(painter)
            self._measured(painter)
        painter.end()

    def _say(self, painter: QPainter, text: str) -> None:
        painter.setPen(QColor(self.palette_.quiet))
        painter.drawText(self.rect().adjusted(40, 40, -40, -40), int(Qt.AlignmentFlag.AlignCenter) | 0x1000, text)

    def _section(self, painter: QPainter) -> None:
        """The section's plane: its outline in brass, its place, and the grip."""
        sawing = self._sawing
        section, corners = sawing.section, sawing.corners()
        if section is None:
            return
        seen = self._eye.project(corners)
        painter.setPen(QPen(QColor(self.palette_.belief), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y, _z in seen]))
        grip = sawing.grip()
        if grip is None:
            return
        painter.setBrush(QColor(self.palette_.panel))
        painter.setPen(QPen(QColor(self.palette_.belief), 2.0))
        painter.drawEllipse(grip, 8.0, 8.0)
        painter.drawLine(grip + QPointF(-3.5, 0), grip + QPointF(3.5, 0))
        unit = self._document.units
        self._tag(painter, grip, f"{self._axis_name(section.axis)} {show_length(section.at, unit)}")

    def _axis_name(self, axis: int) -> str:
        """What an axis of the world is called."""
        skin = self._eye.stage.skin
        return (skin.axes[axis] or "Y") if skin is not None else "XYZ"[axis]

    def _tag(self, painter: QPainter, at: QPointF, text: str) -> None:
        """A figure in brass beside a place."""
        painter.setFont(number_font(12, bold=True))
        wide = painter.fontMetrics().horizontalAdvance(text) + 12
        left = at.x() + 14 if at.x() + 20 + wide < self.width() else at.x() - 14 - wide
        box = QRectF(left, at.y() - 10, wide, 20)
        painter.fillRect(box, QColor(self.palette_.panel))
        painter.setPen(QColor(self.palette_.belief))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        painter.setFont(words_font(12))

    def _legend(self, painter: QPainter) -> None:
        """What the colours mean, in the lower right corner; the tools' own colours are told on the tape."""
        stage, p = self._eye.stage, self.palette_
        showing = stage.showing
        if stage.skin is not None and showing.colouring not in stage.skin.colourings:
            return
        if not showing.legend or not showing.solid or showing.colouring == "tool" or stage.colouring is None:
            return
        unit = self._document.units
        if stage.skin is not None:
            legend = stage.skin.legend(showing.colouring, p, unit)
        else:
            legend = stage.colouring.legend(p, unit)
        metrics = painter.fontMetrics()
        rows = len(legend.named)
        words = [legend.title, *(text for _c, text in legend.named)]
        wide = max(min(max(metrics.horizontalAdvance(w) for w in words) + 40, self.width() * 0.6), 190.0)
        high = 26.0 + 17.0 * rows + (34.0 if legend.scale else 0.0)
        box = QRectF(self.width() - wide - 12, self.height() - high - 40, wide, high)
        painter.setPen(QPen(QColor(p.rule), 1.0))
        painter.setBrush(QColor(p.panel))
        painter.drawRect(box)
        painter.setPen(QColor(p.text))
        left = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        title = metrics.elidedText(legend.title, Qt.TextElideMode.ElideRight, int(wide - 20))
        painter.drawText(QRectF(box.left() + 10, box.top() + 4, wide - 20, 18), left, title)
        for k, (colour, text) in enumerate(legend.named):
            y = box.top() + 24 + 17 * k
            painter.fillRect(QRectF(box.left() + 10, y + 3, 12, 11), QColor(colour))
            shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(wide - 42))
            painter.drawText(QRectF(box.left() + 30, y, wide - 38, 17), left, shown)
        if legend.scale:
            bar = QRectF(box.left() + 10, box.top() + 25, wide - 20, 11)
            step = bar.width() / len(legend.scale)
            for k, colour in enumerate(legend.scale):
                painter.fillRect(QRectF(bar.left() + k * step, bar.top(), step + 0.6, bar.height()), QColor(colour))
            painter.setFont(number_font(11))
            under = QRectF(bar.left(), bar.bottom() + 2, bar.width(), 16)
            painter.drawText(under, left, legend.low)
            painter.drawText(under, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), legend.high)
            painter.setFont(words_font(12))

    def _labels(self, painter: QPainter) -> None:
        """Small figures beside places, as the order of cuts; none on another."""
        stage, p = self._eye.stage, self.palette_
        if stage.skin is None or not self._document.proof:
            return
        found = stage.skin.labels(self._document.moment, stage.showing)
        if not found:
            return
        painter.setFont(number_font(11))
        taken: set[tuple[int, int]] = set()
        for label, (x, y, _z) in zip(found, self._eye.project(np.array([f.at for f in found]))):
            cell = (round(x / 22.0), round(y / 14.0))
            if cell in taken or not (0 <= x <= self.width() and 0 <= y <= self.height()):
                continue
            taken.add(cell)
            wide = painter.fontMetrics().horizontalAdvance(label.words) + 6
            box = QRectF(x + 3.0, y - 15.0, wide, 13.0)
            painter.fillRect(box, QColor(p.panel))
            painter.setPen(QColor(p.quiet if label.done else p.active))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, label.words)
        painter.setFont(words_font(12))

    def _dimensions(self, painter: QPainter) -> None:
        """The figures at the cursor, as on a drawing."""
        if self._measuring.mode:
            return
        p = self.palette_
        painter.setFont(number_font(13, bold=True))
        for found in self._hovering.found:
            painter.setPen(QPen(QColor(p.belief), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for line in found.lines:
                painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y, _z in self._eye.project(line)]))
            x, y, _z = self._eye.project(found.at[None, :])[0]
            wide = painter.fontMetrics().horizontalAdvance(found.words) + 12
            box = QRectF(
                min(max(x - wide / 2.0, 4.0), self.width() - wide - 4.0),
                min(max(y - 10.0, 48.0), self.height() - 24.0),
                wide,
                20,
            )
            painter.fillRect(box, QColor(p.panel))
            painter.setPen(QColor(p.text))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, found.words)
        painter.setFont(words_font(12))

    def _measured(self, painter: QPainter) -> None:
        """What was clicked and what came of it, in brass."""
        measuring = self._measuring
        if not measuring.mode:
            return
        colour = QColor(self.palette_.belief)
        painter.setBrush(colour)
        for place in measuring.clicked:
            seen = self._eye.project(place[None, :])[0]
            painter.setPen(QPen(QColor(self.palette_.panel), 1.5))
            painter.drawEllipse(QPointF(seen[0], seen[1]), 4.5, 4.5)
        asks = measuring.asks
        if asks:
            wide = painter.fontMetrics().horizontalAdvance(asks) + 20
            box = QRectF(self.width() / 2 - wide / 2, self.height() - 34, wide, 22)
            painter.setPen(QPen(QColor(self.palette_.rule), 1.0))
            painter.setBrush(QColor(self.palette_.panel))
            painter.drawRect(box)
            painter.setPen(colour)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, asks)
        result = measuring.result
        if result is None:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 2.0))
        for line in result.lines:
            seen = self._eye.project(line)
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y, _z in seen]))
        if result.profile is not None:
            self._profile(painter, result.profile)
        at = self._eye.project(result.at[None, :])[0]
        painter.setFont(number_font(12))
        p = self.palette_
        edge = p.belief if result.within is None else p.note if result.within else p.fault
        self._callout(painter, QPointF(at[0], at[1]), result.words, edge)
        painter.setFont(words_font(12))

    def _profile(self, painter: QPainter, rows: NDArray[np.float64]) -> None:
        """The surface along a line, to one scale both ways where that fits."""
        p = self.palette_
        z = rows[~np.isnan(rows[:, 1]), 1]
        if not len(z):
            return
        wide = min(self.width() - 24.0, 420.0)
        long, tall = max(float(rows[-1, 0]), 1e-6), max(float(z.max() - z.min()), 1e-6)
        scale = (wide - 28.0) / long
        # To one scale where that is neither flat nor too high.
        up = min(max(scale, 24.0 / tall), 110.0 / tall)
        high = tall * up + 48.0
        box = QRectF(12, self.height() - 12 - high, wide, high)
        painter.setPen(QPen(QColor(p.rule), 1.0))
        painter.setBrush(QColor(p.panel))
        painter.drawRect(box)
        inner = box.adjusted(14, 24, -14, -24)
        points = [
            QPointF(inner.left() + x * scale, inner.bottom() - (v - z.min()) * up) for x, v in rows if not np.isnan(v)
        ]
        painter.setPen(QPen(QColor(p.text), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))
        painter.setFont(number_font(11))
        painter.setPen(QColor(p.quiet))
        unit = self._document.units
        left, right = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
        inside = box.adjusted(14, 5, -14, -5)
        painter.drawText(inside, int(Qt.AlignmentFlag.AlignTop | left), f"Z {show_length(float(z.max()), unit)}")
        painter.drawText(inside, int(Qt.AlignmentFlag.AlignBottom | left), f"Z {show_length(float(z.min()), unit)}")
        said = "" if abs(up - scale) < 1e-9 else f"heights {up / scale:.3g} times"
        painter.drawText(inside, int(Qt.AlignmentFlag.AlignTop | right), said)
        painter.drawText(inside, int(Qt.AlignmentFlag.AlignBottom | right), f"{show_length(long, unit)} {unit}")
        painter.setFont(words_font(12))

    def _loupe(self, painter: QPainter) -> None:
        """Says that what is seen has finer cells than the proof's."""
        loupe = self._eye.stage.loupe
        if loupe is None or not self._eye.show_solid:
            return
        unit = self._document.units
        text = f"loupe: cells of {from_mm(loupe[1].field.grid.cell, unit):.3g} {unit}, {loupe[1].factor} times finer"
        wide = painter.fontMetrics().horizontalAdvance(text) + 18
        box = QRectF(self.width() - wide - 12, self.height() - 34, wide, 22)
        painter.setPen(QPen(QColor(self.palette_.rule), 1.0))
        painter.setBrush(QColor(self.palette_.panel))
        painter.drawRect(box)
        painter.setPen(QColor(self.palette_.belief))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _axes(self, painter: QPainter) -> None:
        """Which way X, Y and Z run, in the lower left corner, and where the part's zero is."""
        camera = self._eye.camera
        middle = QPointF(46.0, self.height() - 46.0)
        skin = self._eye.stage.skin
        names = skin.axes if skin is not None else ("X", "Y", "Z")
        ways = [
            (camera.right[k] * 30.0, -camera.up[k] * 30.0, camera.forward[k], names[k]) for k in range(3) if names[k]
        ]
        for dx, dy, _depth, name in sorted(ways, key=lambda w: -w[2]):
            end = middle + QPointF(dx, dy)
            painter.setPen(QPen(QColor(self.palette_.text), 1.6))
            painter.drawLine(middle, end)
            if abs(dx) + abs(dy) > 6.0:
                away = QPointF(dx, dy) * (1.0 + 9.0 / max((dx * dx + dy * dy) ** 0.5, 1.0))
                painter.drawText(
                    QRectF(middle + away - QPointF(8, 8), middle + away + QPointF(8, 8)),
                    Qt.AlignmentFlag.AlignCenter,
                    name,
                )
        zero = self._eye.project(np.zeros((1, 3)))[0]
        at = QPointF(zero[0], zero[1])
        painter.setPen(QPen(QColor(self.palette_.text), 1.2))
        painter.setBrush(QColor(self.palette_.panel))
        painter.drawEllipse(at, 4.5, 4.5)
        painter.drawLine(at - QPointF(7, 0), at + QPointF(7, 0))
        painter.drawLine(at - QPointF(0, 7), at + QPointF(0, 7))

    def _place(self, finding: Finding) -> QPointF | None:
        """Where in the widget a finding's contact is."""
        proof = self._document.proof
        if proof is None or finding.move < 0 or finding.move >= len(proof.motions):
            return None
        skin = self._eye.stage.skin
        if skin is not None:
            place = skin.place_of(finding)
            if place is None:
                return None
            met = self._eye.project(place[None, :])[0]
            return QPointF(met[0], met[1])
        move, share = proof.timing.locate(finding.time_s)
        tool = proof.tool_at(move)
        x, y, z = proof.motions.at(move, share)
        lift = 0.0
        if tool is not None:
            z -= tool.length
            if finding.evidence.get("part") in ("holder", "shank", "spindle"):
                lift = next((s.bottom for s in tool.solids(80.0) if s.part == finding.evidence["part"]), 0.0)
        at = np.array([[x, y, z + lift]])
        for fixture in proof.job.bench.fixtures:
            if fixture.name == finding.evidence.get("with"):
                # The nearest place on the thing that is touched: there the scar is.
                local = np.clip(fixture.solid.frame.into(at), 0.0, fixture.solid.extent)
                at = fixture.solid.frame.out(local)
        seen = self._eye.project(self._eye.stage.world.into(at))[0]
        return QPointF(seen[0], seen[1])

    def finding_at(self, at: QPointF) -> Finding | None:
        """The crash whose mark is under a point."""
        proof = self._document.proof
        for finding in proof.troubles if proof is not None else ():
            if finding.severity == Severity.CRASH and finding.time_s <= self._document.moment + 1e-6:
                place = self._place(finding)
                if place is not None and (place - at).manhattanLength() < 14:
                    return finding
        return None

    def _marks(self, painter: QPainter) -> None:
        """Crashes where they happen, once the tape has come to them; the chosen finding always, with its sentence."""
        proof = self._document.proof
        assert proof is not None
        for finding in proof.troubles:
            if finding.severity == Severity.CRASH and finding.time_s <= self._document.moment + 1e-6:
                at = self._place(finding)
                if at is not None:
                    draw_mark(painter, finding.severity, at, 7.0, self.palette_)
        chosen = self._document.finding
        if chosen is None:
            return
        at = self._place(chosen)
        if at is not None:
            draw_mark(painter, chosen.severity, at, 8.0, self.palette_)
            self._callout(painter, at, chosen.message, self.palette_.severity(chosen.severity))

    def _callout(self, painter: QPainter, at: QPointF, text: str, colour: str) -> None:
        """A boxed sentence beside a place, with a leader to it, always inside the glass."""
        width = min(250.0, self.width() - 24.0)
        flags = int(Qt.AlignmentFlag.AlignLeft) | 0x1000
        need = painter.boundingRect(QRectF(0, 0, width - 20, 1000), flags, text)
        box = QRectF(0, 0, need.width() + 20, need.height() + 14)
        x = at.x() + 40 if at.x() + 50 + box.width() < self.width() else at.x() - 40 - box.width()
        y = at.y() - box.height() - 30 if at.y() - box.height() - 34 > 48 else at.y() + 34
        box.moveTopLeft(
            QPointF(
                min(max(x, 8.0), self.width() - box.width() - 8), min(max(y, 48.0), self.height() - box.height() - 8)
            )
        )
        painter.setPen(QPen(QColor(colour), 1.2))
        painter.setBrush(QColor(self.palette_.panel))
        near = QPointF(min(max(at.x(), box.left()), box.right()), box.bottom() if box.bottom() < at.y() else box.top())
        painter.drawLine(at, near)
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(QColor(self.palette_.text))
        painter.drawText(box.adjusted(10, 7, -10, -7), flags, text)

    def _tips(self, painter: QPainter) -> None:
        """Where the control believes the tip to be, dashed and brass, when that is not where it is."""
        proof = self._document.proof
        tip = self._eye.stage.tip()
        stage = self._eye.stage
        # At the stand-in machine nobody tells: there one finds it out.
        if proof is None or tip is None or stage.skin is not None or stage.stands is not None:
            return
        commanded, real = proof.tip_heights(self._document.moment)
        state = proof.motions.state_of(proof.timing.locate(self._document.moment)[0])
        if state.h_number is None or abs(commanded - real) <= proof.job.settings.tolerance.length:
            return
        believed = tip + (0.0, 0.0, commanded - real)
        ends = self._eye.project(np.stack([tip, believed]))
        a, b = QPointF(ends[0, 0], ends[0, 1]), QPointF(ends[1, 0], ends[1, 1])
        pen = QPen(QColor(self.palette_.belief), 2.0, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawLine(a, b)
        painter.drawPolygon(QPolygonF([b, b + QPointF(-6, -10), b + QPointF(6, -10)]))
        if self._document.finding is None:
            unit = self._document.units
            off = real - commanded
            way = "higher" if off > 0 else "lower"
            text = f"Tip is {show_length(abs(off), unit)} {unit} {way} than the control believes"
            self._callout(painter, a, text, self.palette_.belief)
