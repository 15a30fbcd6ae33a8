"""The glass as a widget: thin. Mouse and keys move the camera; the stage and the renderer do the rest.

While something moves it draws at half resolution; when all is still it gathers several pictures, each moved by part of
a pixel, one at a time, so that input always comes first.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

import moderngl
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QNativeGestureEvent, QResizeEvent, QWheelEvent
from PySide6.QtOpenGLWidgets import QOpenGLWidget
from PySide6.QtWidgets import QToolTip, QWidget

from underglass.app.document import Document
from underglass.app.glass.camera import VIEW_KEYS, VIEWS, Camera
from underglass.app.glass.closer import Closer
from underglass.app.glass.hovering import Hovering
from underglass.app.glass.measuring import Measuring
from underglass.app.glass.overlay import Overlay
from underglass.app.glass.photographs import Photographs
from underglass.app.glass.picking import View, about_move, about_surface, move_at, path_at, surface_at
from underglass.app.glass.prepared import Prepared
from underglass.app.glass.renderer import JITTER, Renderer
from underglass.app.glass.sawing import Sawing
from underglass.app.glass.showing import Showing
from underglass.app.glass.stage import Stage
from underglass.app.style.palette import Palette
from underglass.core.proof.operations import Operation
from underglass.core.proof.proof import Proof
from underglass.core.removal.loupe import Loupe
from underglass.core.units import Unit

_CLICK_PIXELS = 4
_PICK_PIXELS = 6.0
_SETTLE_MS = 140
_HALF_ABOVE_MS = 25.0
_MOST_LINES_MOVING = 12_000
_MOST_LINES_GATHERED = 40_000
"""While something moves only the path around the moment is drawn; a very long path is drawn whole once it is still."""


class Glass(QOpenGLWidget):
    """The 3-D view of one document."""

    line_picked = Signal(int)
    look_changed = Signal()
    resized = Signal()
    finding_picked = Signal(object)
    loupe_changed = Signal()

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._palette = palette
        self._stage = Stage()
        self.prepared: Callable[[], object] = lambda: None
        """Asked, when a proof comes, for what was worked out of it beside the window."""
        self._renderer: Renderer | None = None
        self._why_dark = ""
        self.camera = Camera()
        self._fitted = False
        self._untouched = True
        self._moving = False
        self.half_above_ms = _HALF_ABOVE_MS
        """While something moves: drawn at half resolution where a whole picture takes longer than this."""
        self._gathered = 0
        self._frame_ms = 0.0
        self._press: QPoint | None = None
        self._last: QPoint | None = None
        self._pivot: NDArray[np.float64] | None = None
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(_SETTLE_MS)
        self._settle.timeout.connect(self._on_settled)
        self._gather = QTimer(self)
        self._gather.setSingleShot(True)
        self._gather.setInterval(0)
        self._gather.timeout.connect(self.update)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(260, 200)
        self.setAccessibleName("The glass: stock, tool and path")
        self.closer = Closer(self, self)
        self.closer.ready.connect(self._on_loupe_ready)
        self.measuring = Measuring(self._stage, document, self)
        self.measuring.changed.connect(self._on_measured)
        self.sawing = Sawing(self)
        self.photographs = Photographs(self, lambda: self._stage)
        self.hovering = Hovering(self, document)
        self.setMouseTracking(True)
        self.overlay = Overlay(self, self.sawing, self.measuring, self.hovering, document, palette, self)
        document.proof_changed.connect(self._on_proof_changed)
        document.moment_changed.connect(self._on_moment_changed)
        document.line_changed.connect(self._on_line_changed)
        document.finding_changed.connect(self.overlay.update)

    @property
    def stage(self) -> Stage:
        return self._stage

    @property
    def showing(self) -> Showing:
        return self._stage.showing

    @property
    def show_lines(self) -> bool:
        return self._stage.showing.lines

    @property
    def show_solid(self) -> bool:
        return self._stage.showing.solid

    @property
    def palette_(self) -> Palette:
        return self._palette

    @property
    def units(self) -> Unit:
        """How lengths are shown."""
        return self._document.units

    @property
    def drawing(self) -> moderngl.Context | None:
        """The context that is drawn in; None where nothing can be drawn (yet)."""
        return self._renderer.context if self._renderer is not None else None

    @property
    def why_dark(self) -> str:
        """Why nothing can be drawn, in plain words; empty where it can."""
        return self._why_dark

    # -- the document ------------------------------------------------------------------------------------------------

    def _on_proof_changed(self) -> None:
        proof = self._document.proof
        self.photographs.drop()
        given = self.prepared()
        self._stage.set_proof(proof, given if isinstance(given, Prepared) else None)
        if proof is None:
            self._fitted = False
        elif not self._fitted:
            self._fitted = True
            self.view(self._stage.skin.first_view if self._stage.skin is not None else "corner")
        self._stage.go(self._document.moment)
        self._stage.select_line(self._document.line)
        self.measuring.clear()
        self.restless()

    def _on_moment_changed(self, moment: float) -> None:
        self._stage.go(moment)
        # What was measured is of the stock as it stood.
        self.measuring.clear()
        self.restless()

    def _on_line_changed(self, line: int) -> None:
        self._stage.select_line(line)
        self.restless()

    # -- looking -----------------------------------------------------------------------------------------------------

    def view(self, name: str) -> None:
        """Look from a standard side, at everything."""
        azimuth, elevation = VIEWS[name]
        self.camera = Camera(azimuth_deg=azimuth, elevation_deg=elevation, parallel=self.camera.parallel)
        self._untouched = True
        self.fit()

    def fit(self) -> None:
        """Show the whole of the stock and what holds it."""
        low, high = self._stage.bounds()
        self.camera = self.camera.fitted(low, high, max(self.width(), 1), max(self.height(), 1))
        self.restless()

    def refit(self) -> None:
        """As ``fit``, unless somebody has turned or moved the picture."""
        if self._untouched:
            self.fit()

    def on_the_plane(self) -> None:
        """Square at the drawing plane, without perspective: figures stand at the cursor."""
        self.camera = replace(self.camera, parallel=True)
        skin = self._stage.skin
        self.view(skin.plane_view if skin is not None else "top")
        self.look_changed.emit()

    def set_parallel(self, parallel: bool) -> None:
        self.camera = replace(self.camera, parallel=parallel)
        self.restless()
        self.look_changed.emit()

    def set_shown(self, *, lines: bool | None = None, solid: bool | None = None) -> None:
        """Path lines and solid stock, on or off; never both off."""
        show_lines = self.show_lines if lines is None else lines
        show_solid = self.show_solid if solid is None else solid
        if not show_lines and not show_solid:
            show_solid = solid is None
            show_lines = not show_solid
        self.show_with(lines=show_lines, solid=show_solid)

    def show_with(self, **changes: object) -> None:
        """Change what is shown: any field of ``Showing``."""
        showing = replace(self._stage.showing, **changes)  # type: ignore[arg-type]
        if showing != self._stage.showing:
            self._stage.show(showing)
            self.restless()
            self.look_changed.emit()

    def show_alone(self, alone: Operation | None) -> None:
        """Cut only this operation, on fresh stock; None: everything again."""
        self._stage.set_alone(alone)
        self.measuring.clear()
        self.restless()
        self.look_changed.emit()

    def hold(self, proof: Proof | None) -> None:
        """Draw this run's path with the one that is shown; None: no longer."""
        self._stage.hold(proof)
        self.restless()
        self.look_changed.emit()

    def _on_measured(self) -> None:
        self.setCursor(Qt.CursorShape.CrossCursor if self.measuring.mode else Qt.CursorShape.ArrowCursor)
        self.overlay.update()
        self.look_changed.emit()

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.overlay.palette_ = palette
        self.restless()

    def restless(self) -> None:
        """Something changed: draw soon, at half resolution if a whole picture takes long."""
        self._moving = True
        self._gathered = 0
        self.closer.cancel()
        self._settle.start()
        self.update()
        self.overlay.update()

    def _on_settled(self) -> None:
        self._moving = False
        self._gathered = 0
        self.closer.look()
        self.update()

    # -- the loupe ---------------------------------------------------------------------------------------------------

    def _on_loupe_ready(self, stock: int, loupe: Loupe) -> None:
        if stock >= len(self._stage.cursors):
            return
        self._stage.put_loupe(stock, loupe)
        self._gathered = 0
        self.loupe_changed.emit()
        self.update()
        self.overlay.update()

    @property
    def still(self) -> bool:
        """Whether the picture is as good as it gets."""
        return not self._moving and not self.closer.busy and self._gathered >= self._pictures_wanted()

    def _pictures_wanted(self) -> int:
        """How many pictures a still view is mixed from."""
        lines = self._stage.lines
        long = lines is not None and self.show_lines and len(lines.rows) > _MOST_LINES_GATHERED
        return 1 if long else len(JITTER)

    # -- drawing -----------------------------------------------------------------------------------------------------

    def initializeGL(self) -> None:
        context = self.context()
        context.aboutToBeDestroyed.connect(self._free, Qt.ConnectionType.DirectConnection)
        try:
            self._renderer = Renderer(moderngl.create_context(require=330))
            self._why_dark = ""
        except Exception as error:
            self._renderer = None
            self._why_dark = f"This machine's OpenGL cannot draw the glass (3.3 is needed): {error}"
        # A new context knows nothing: everything is sent again from the arrays that we keep.
        moment, line = self._document.moment, self._document.line
        self._stage.set_proof(self._document.proof)
        self._stage.go(moment)
        self._stage.select_line(line)

    def _free(self) -> None:
        if self._renderer is not None:
            self.makeCurrent()
            self.photographs.forget()
            self._renderer.release()
            self._renderer = None
            self.doneCurrent()

    def resizeGL(self, width: int, height: int) -> None:
        self.overlay.setGeometry(self.rect())
        if self._untouched:
            self.fit()
        self.restless()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.resized.emit()

    def paintGL(self) -> None:
        renderer = self._renderer
        if renderer is None:
            return
        began = time.perf_counter()
        ratio = self.devicePixelRatioF()
        width, height = max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio))
        screen = renderer.context.detect_framebuffer(self.defaultFramebufferObject())
        self._stage.send(renderer)
        look = self._stage.look(self._palette)
        picture = self._stage.picture(self.camera, look, self._palette)
        if self._moving:
            picture.most_lines = _MOST_LINES_MOVING
        wanted = self._pictures_wanted()
        if self._moving and self._frame_ms > self.half_above_ms:
            small = renderer.picture(max(1, width // 2), max(1, height // 2), "half")
            renderer.draw(small, max(1, width // 2), max(1, height // 2), picture)
            renderer.show(small, screen, width, height)
        elif self._moving:
            whole = renderer.picture(width, height, "whole")
            renderer.draw(whole, width, height, picture)
            renderer.show(whole, screen, width, height)
        else:
            gather = renderer.picture(width, height, "gather")
            if self._gathered < wanted:
                whole = renderer.picture(width, height, "whole")
                renderer.draw(whole, width, height, picture, JITTER[self._gathered])
                self._gathered += 1
                renderer.show(whole, gather, width, height, 1.0 / self._gathered)
            renderer.show(gather, screen, width, height)
            if self._gathered < wanted:
                self._gather.start()
        if not self._moving or self._frame_ms <= self.half_above_ms:
            # Waited for only where it is timed: else the window's other parts are painted meanwhile.
            renderer.context.finish()
            self._frame_ms = (time.perf_counter() - began) * 1000.0

    # -- mouse and keys ----------------------------------------------------------------------------------------------

    def _ray(self, at: QPointF) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        return self.seen.ray(at.x(), at.y())

    def _under(self, at: QPointF) -> NDArray[np.float64]:
        """The place under the cursor: on the stock, or at the target's depth."""
        start, way = self._ray(at)
        hit = self._stage.surface(start, way)
        if hit is not None:
            return start + way * hit[0].distance
        depth = (np.array(self.camera.target) - start) @ self.camera.forward / (way @ self.camera.forward)
        return start + way * depth

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = self._last = event.position().toPoint()
        if event.button() == Qt.MouseButton.LeftButton and self.sawing.take(event.position()):
            return
        self._pivot = self._under(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._last is None:
            if self.hovering.move(event.position()):
                self.overlay.update()
            return
        if self.sawing.taken:
            self.sawing.drag(event.position())
            return
        now = event.position().toPoint()
        step = now - self._last
        self._last = now
        if self._press is not None and (now - self._press).manhattanLength() < _CLICK_PIXELS:
            return
        self._press = None
        self._untouched = False
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.buttons() & (Qt.MouseButton.MiddleButton | Qt.MouseButton.RightButton) or shift:
            scale = self.camera.pixel_mm(self.width(), self.height())
            self.camera = self.camera.moved(-step.x() * scale, step.y() * scale)
        else:
            self.camera = self.camera.turned(-step.x() * 0.4, step.y() * 0.4, self._pivot)
        self.restless()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        clicked = self._press is not None and event.button() == Qt.MouseButton.LeftButton
        self._press = self._last = None
        if self.sawing.taken:
            self.sawing.let_go()
            return
        if clicked and self.measuring.mode:
            self.measuring.click(*self._ray(event.position()))
        elif clicked:
            finding = self.overlay.finding_at(event.position())
            line = self.line_at(event.position())
            if finding is not None:
                self.finding_picked.emit(finding)
            elif line is not None:
                self.line_picked.emit(line)

    def leaveEvent(self, event: QEvent) -> None:
        if self.hovering.leave():
            self.overlay.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.fit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        fingers = event.pixelDelta()
        if not fingers.isNull() and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            # Two fingers sliding on a trackpad, with Shift: the picture goes along.
            scale = self.camera.pixel_mm(self.width(), self.height())
            self._untouched = False
            self.camera = self.camera.moved(-fingers.x() * scale, fingers.y() * scale)
            self.restless()
            event.accept()
            return
        steps = event.angleDelta().y() / 120.0
        if steps:
            self._untouched = False
            self.camera = self.camera.zoomed(1.18**steps, self._under(event.position()))
            self.restless()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        turn = {Qt.Key.Key_Up: (0.0, 10.0), Qt.Key.Key_Down: (0.0, -10.0)}.get(Qt.Key(event.key()))
        letters: dict[Qt.Key, Callable[[], object]] = {
            Qt.Key.Key_S: lambda: self.set_shown(solid=not self.show_solid), Qt.Key.Key_P: lambda: self.set_shown(lines=not self.show_lines),
            Qt.Key.Key_F: self.fit, Qt.Key.Key_X: self.sawing.toggle,
            Qt.Key.Key_M: lambda: self.measuring.choose("" if self.measuring.mode else "distance"),
        }  # fmt: skip
        if turn is not None:
            self.camera = self.camera.turned(*turn)
            self.restless()
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.camera = self.camera.zoomed(1.25 if event.key() != Qt.Key.Key_Minus else 0.8)
            self.restless()
        elif (shown := letters.get(Qt.Key(event.key()))) is not None:
            shown()
        elif event.key() == Qt.Key.Key_Escape and self.measuring.mode:
            self.measuring.choose("")
        elif event.modifiers() == Qt.KeyboardModifier.NoModifier and event.text() in VIEW_KEYS:
            self.view(VIEW_KEYS[event.text()])
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QNativeGestureEvent):
            return self._gesture(event)
        if event.type() == QEvent.Type.ToolTip:
            at = event.pos()  # type: ignore[attr-defined]
            QToolTip.showText(event.globalPos(), self.about(QPointF(at)), self)  # type: ignore[attr-defined]
            return True
        return super().event(event)

    def _gesture(self, event: QNativeGestureEvent) -> bool:
        """Two fingers on a trackpad: apart and together for nearer and farther, round for turning."""
        self._untouched = False
        if event.gestureType() == Qt.NativeGestureType.ZoomNativeGesture:
            self.camera = self.camera.zoomed(max(1.0 + event.value(), 0.2), self._under(event.position()))
        elif event.gestureType() == Qt.NativeGestureType.RotateNativeGesture:
            self.camera = self.camera.turned(event.value(), 0.0, self._under(event.position()))
        else:
            return False
        self.restless()
        return True

    # -- picking -----------------------------------------------------------------------------------------------------

    @property
    def seen(self) -> View:
        """The camera and the widget's size."""
        return View(self.camera, max(self.width(), 1), max(self.height(), 1))

    def project(self, place: NDArray[np.float64]) -> NDArray[np.float64]:
        """World places ``(n, 3)`` as points of the widget and their depth ``(n, 3)``."""
        return self.seen.project(place)

    def line_at(self, at: QPointF) -> int | None:
        """The program line whose path, or whose cut surface, is under a point: path first."""
        proof = self._document.proof
        move = move_at(self._stage, self.seen, at.x(), at.y()) if proof is not None else None
        return int(proof.motions.line[move]) if proof is not None and move is not None else None

    def about(self, at: QPointF) -> str:
        """What is under a point, in words: a move, or a surface with the line that cut it."""
        proof = self._document.proof
        if proof is None:
            return ""
        unit = self._document.units
        move = path_at(self._stage, self.seen, at.x(), at.y())
        if move is not None:
            return about_move(proof, move, unit)
        hit = surface_at(self._stage, self.seen, at.x(), at.y())
        return about_surface(self._stage, proof, hit, unit) if hit is not None else ""
