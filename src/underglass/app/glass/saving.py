"""Saving what the glass shows: the picture, the stock at this moment as STL, a short animation."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image
from PySide6.QtCore import QObject, QTimer, Signal

from underglass.app.document import Document
from underglass.app.glass.widget import Glass
from underglass.core.entries.mesh import write_mesh
from underglass.core.errors import UnusableFile
from underglass.core.files.drawn import outlines_as_dxf
from underglass.core.proof.measure import mesh_of
from underglass.core.proof.outputs import outputs_of
from underglass.core.units import show_clock

FRAMES = 72
_FRAME_MS = 80
_LAST_MS = 1600
_SIZE = (640, 420)
KINDS = {"png": "Picture (*.png)", "stl": "Triangles (*.stl)", "gif": "Animation (*.gif)", "dxf": "Drawing (*.dxf)"}


def save_picture(glass: Glass, path: Path, hidden: Callable[[], list[object]] = lambda: []) -> None:
    """The glass as it is seen, marks and legend with it, without its buttons. Raises ``OSError``."""
    covers = [w for w in hidden() if w.isVisible()]  # type: ignore[attr-defined]
    for one in covers:
        one.hide()  # type: ignore[attr-defined]
    picture = glass.grab()
    for one in covers:
        one.show()  # type: ignore[attr-defined]
    if not picture.save(str(path), "PNG"):
        raise OSError(f"{path.name} could not be written")


def save_stock(glass: Glass, document: Document, path: Path) -> int:
    """The stock as it stands at this moment, closed triangles in part-zero coordinates, mm. How many. Raises ``OSError``."""
    proof = document.proof
    if proof is None:
        return 0
    skin = glass.stage.skin
    fields = [cursor.field for cursor in glass.stage.cursors]
    vertices, faces = skin.solid(document.moment) if skin is not None else mesh_of(proof, fields)
    write_mesh(path, vertices, faces, f"stock at {show_clock(document.moment)}")
    return len(faces)


def save_outlines(document: Document, path: Path) -> int:
    """What is left of a sheet at this moment, as a drawing. How many outlines. Raises ``OSError``, ``UnusableFile``."""
    proof = document.proof
    own = outputs_of(proof) if proof is not None else None
    if proof is None or own is None or own.outlines is None:
        raise UnusableFile(path.name, "only a sheet has outlines to draw")
    move, share = proof.timing.locate(max(document.moment, 0.0)) if len(proof.motions) else (-1, 0.0)
    found = own.outlines(proof, move, share)
    path.write_text(outlines_as_dxf(found))
    return len(found)


class Animation(QObject):
    """Takes its frames one at a time, between which the window answers. ``done`` says what came of it."""

    progressed = Signal(float)
    done = Signal(str)

    def __init__(
        self, glass: Glass, document: Document, path: Path, begin: float, end: float, *, frames: int = FRAMES
    ) -> None:
        super().__init__(glass)
        self._glass, self._document, self._path = glass, document, path
        self._proof = document.proof
        self._moments = np.linspace(begin, end, max(frames, 2))
        self._frames: list[Image.Image] = []
        self._camera = glass.camera
        self._stopped = False

    def start(self) -> None:
        QTimer.singleShot(0, self._next)

    def cancel(self) -> None:
        """Stop; nothing is written."""
        self._stopped = True

    def _next(self) -> None:
        proof = self._document.proof
        if self._stopped or proof is None or proof is not self._proof:
            self.done.emit("The animation was stopped; nothing is written.")
            return
        moment = float(self._moments[len(self._frames)])
        pixels = self._glass.photographs.take(proof, moment, self._camera, _SIZE, self._glass.palette_, fine=False)
        if pixels is None:
            self.done.emit("Nothing can be drawn here; nothing is written.")
            return
        self._frames.append(Image.fromarray(pixels))
        self.progressed.emit(len(self._frames) / len(self._moments))
        if len(self._frames) < len(self._moments):
            QTimer.singleShot(0, self._next)
            return
        try:
            self._write()
        except OSError as error:
            self.done.emit(f"{self._path.name} could not be written: {error.strerror or error}")
            return
        self.done.emit(f"{self._path.name} holds {len(self._frames)} pictures.")

    def _write(self) -> None:
        # One set of colours for all frames, so that nothing flickers.
        common = self._frames[-1].quantize(colors=240, method=Image.Quantize.MEDIANCUT)
        drawn = [f.quantize(palette=common, dither=Image.Dither.NONE) for f in self._frames]
        kept = self._path.with_name(self._path.name + ".part")
        try:
            drawn[0].save(
                kept, format="GIF", save_all=True, append_images=drawn[1:],
                duration=[_FRAME_MS] * (len(drawn) - 1) + [_LAST_MS], loop=0,
            )  # fmt: skip
            kept.replace(self._path)
        finally:
            kept.unlink(missing_ok=True)
