"""Pictures of any moment beside the one that is shown: a finding's place, the frames of an animation.

They are drawn in the glass's own OpenGL context with stocks of their own, so what is on the screen is not disturbed.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage

from underglass.app.glass.camera import VIEWS, Camera
from underglass.app.glass.eye import Canvas
from underglass.app.glass.prepared import Prepared
from underglass.app.glass.renderer import JITTER, Renderer
from underglass.app.glass.showing import Showing
from underglass.app.glass.stage import Stage
from underglass.app.style.palette import Palette
from underglass.core.finding import Finding
from underglass.core.proof.proof import Proof

_LEAST_SPAN_MM = 30.0
_MOST_LINES = 12_000
"""Of a longer path only what lies around the moment is drawn."""


class Photographs:
    """On one canvas, of what a stage shows. Nothing is held before the first picture is asked for."""

    def __init__(self, canvas: Canvas, shown: Callable[[], Stage]) -> None:
        self._canvas = canvas
        self._shown = shown
        self._stage = Stage()
        self._renderer: Renderer | None = None

    def drop(self) -> None:
        """Let go of the proof that was pictured last."""
        self._stage.set_proof(None)

    def forget(self) -> None:
        """The proof is another one, or the context is gone."""
        self._stage.set_proof(None)
        self._renderer = None

    def take(
        self,
        proof: Proof,
        moment: float,
        camera: Camera,
        size: tuple[int, int],
        palette: Palette,
        *,
        fine: bool = True,
        showing: Showing | None = None,
    ) -> NDArray[np.uint8] | None:
        """A picture as ``(height, width, 3)``; None where nothing can be drawn."""
        canvas, shown = self._canvas, self._shown()
        if canvas.drawing is None or not canvas.isValid():
            return None
        canvas.makeCurrent()
        try:
            if self._renderer is None:
                self._renderer = Renderer(canvas.drawing)
                self._stage.set_proof(None)
            if self._stage.proof is not proof:
                self._stage.set_proof(proof, self._known(proof))
            self._stage.show(showing if showing is not None else shown.showing)
            held = shown.held if showing is None else None
            if self._stage.held is not held:
                self._stage.hold(held)
            self._stage.go(moment)
            self._stage.send(self._renderer)
            picture = self._stage.picture(camera, self._stage.look(palette), palette)
            picture.most_lines = _MOST_LINES
            wide, high = size
            whole = self._renderer.picture(wide, high, "whole")
            gather = self._renderer.picture(wide, high, "gather")
            for k, jitter in enumerate(JITTER if fine else JITTER[:1]):
                self._renderer.draw(whole, wide, high, picture, jitter)
                self._renderer.show(whole, gather, wide, high, 1.0 / (k + 1))
            self._renderer.show(gather, whole, wide, high)
            data = np.frombuffer(whole.read(components=3, alignment=1), dtype=np.uint8)
            return data.reshape(high, wide, 3)[::-1].copy()
        finally:
            canvas.doneCurrent()
            canvas.update()

    def _known(self, proof: Proof) -> Prepared | None:
        """What the glass has worked out of this proof already; the stocks are others."""
        shown = self._shown()
        if shown.proof is not proof or shown.all_lines is None:
            return None
        return Prepared(
            proof=proof,
            lines=shown.all_lines,
            cursors=tuple(h.cursor() for h in proof.stocks),
            operations=shown.operations,
            skin=shown.skin,
        )

    def of_finding(self, proof: Proof, finding: Finding, size: tuple[int, int], palette: Palette) -> QImage | None:
        """The place of a finding, at the moment of it, from near by."""
        if finding.position is None:
            return None
        position = finding.position
        at = np.array([[position.x, position.y, position.z]])
        # The finding's place is in its own work offset; the world is the first one's.
        state = (
            proof.motions.state_of(min(max(finding.move, 0), len(proof.motions) - 1)) if len(proof.motions) else None
        )
        zero = proof.job.bench.zero.get(state.offset) if state is not None else None
        world = proof.job.bench.part_zero
        place = (world.into(zero.out(at)) if zero is not None else at)[0]
        skin = self._shown().skin
        found = skin.place_of(finding) if skin is not None else None
        place = found if found is not None else place
        low, high = self._shown().bounds()
        span = max(_LEAST_SPAN_MM, 0.32 * float(np.linalg.norm(high - low)))
        azimuth, elevation = VIEWS["corner"]
        camera = Camera(
            target=(float(place[0]), float(place[1]), float(place[2])),
            azimuth_deg=azimuth,
            elevation_deg=elevation,
            span=span,
        )
        seen = self.take(proof, finding.time_s, camera, size, palette, showing=Showing(rapids=False))
        if seen is None:
            return None
        return as_image(seen)


def as_image(pixels: NDArray[np.uint8]) -> QImage:
    """An array ``(height, width, 3)`` as a picture of its own."""
    high, wide, _ = pixels.shape
    return QImage(np.ascontiguousarray(pixels).data, wide, high, 3 * wide, QImage.Format.Format_RGB888).copy()
