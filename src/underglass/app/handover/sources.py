"""What Hand over takes from the rest of the window: pictures from the glass, the run that is held, the file as it goes out."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice

from underglass.app.document import Document
from underglass.app.glass.photographs import as_image
from underglass.app.glass.saving import Animation
from underglass.app.glass.widget import Glass
from underglass.app.handover.file_page import FilePage
from underglass.app.prove.side import ProveSide
from underglass.app.style.palette import DAY
from underglass.core.errors import UnusableFile
from underglass.core.files.report_html import Photographs
from underglass.core.finding import Finding
from underglass.core.language.handover import Made
from underglass.core.proof.proof import Proof

_PICTURE = (1280, 800)
_PLACE = (450, 300)


class WindowSources:
    """Pictures are taken by day: they are for paper."""

    def __init__(self, document: Document, glass: Glass, beside: ProveSide, file: FilePage) -> None:
        self._document, self._glass, self._beside, self._file = document, glass, beside, file
        self._film: Animation | None = None

    def photographs(self) -> Photographs:
        proof = self._document.proof

        def take(finding: Finding) -> bytes | None:
            image = self._glass.photographs.of_finding(proof, finding, _PLACE, DAY) if proof is not None else None
            if image is None:
                return None
            out = QBuffer()
            out.open(QIODevice.OpenModeFlag.WriteOnly)
            image.save(out, "PNG")  # type: ignore[call-overload]
            return bytes(out.data().data())

        return take

    def held(self) -> Proof | None:
        return self._beside.held

    def made(self) -> Made | None:
        self._file.look()
        return self._file.made

    def picture(self, path: Path) -> None:
        """The glass at this moment, as it is looked at. Raises ``UnusableFile`` where nothing can be drawn or written."""
        proof, glass = self._document.proof, self._glass
        pixels = None
        if proof is not None:
            moment = max(self._document.moment, 0.0)
            pixels = glass.photographs.take(proof, moment, glass.camera, _PICTURE, DAY)
        if pixels is None or not as_image(pixels).save(str(path), "PNG"):
            raise UnusableFile(str(path), "the picture could not be drawn here, or not be written")

    def animation(self, path: Path, progress: Callable[[float], None], done: Callable[[str], None]) -> None:
        proof = self._document.proof
        self._film = Animation(self._glass, self._document, path, 0.0, proof.timing.total if proof is not None else 0.0)
        self._film.progressed.connect(progress)
        self._film.done.connect(done)
        self._film.start()

    def leave(self) -> None:
        if self._film is not None:
            self._film.cancel()
            self._film = None
