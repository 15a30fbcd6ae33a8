"""Line icons (Phosphor, MIT), tinted with a colour of the palette."""

from __future__ import annotations

import tempfile
from functools import lru_cache
from pathlib import Path

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QIcon, QPainter, QPixmap, QTransform
from PySide6.QtSvg import QSvgRenderer

from underglass.core.data import data_folder


@lru_cache(maxsize=256)
def pixmap(name: str, colour: str, size: int = 20, ratio: float = 1.0) -> QPixmap:
    """The icon as a picture of ``size`` logical pixels."""
    svg = (data_folder() / "icons" / f"{name}.svg").read_text().replace("currentColor", colour)
    out = QPixmap(round(size * ratio), round(size * ratio))
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    QSvgRenderer(QByteArray(svg.encode())).render(painter, QRectF(out.rect()))
    painter.end()
    out.setDevicePixelRatio(ratio)
    return out


@lru_cache(maxsize=64)
def icon_file(name: str, colour: str) -> str:
    """The icon in a colour as a file, for style sheets, which take nothing else; it goes with the program."""
    svg = (data_folder() / "icons" / f"{name}.svg").read_text().replace("currentColor", colour)
    path = Path(_scratch().name) / f"{name}-{colour.lstrip('#')}.svg"
    path.write_text(svg)
    return path.as_posix()


@lru_cache(maxsize=1)
def _scratch() -> tempfile.TemporaryDirectory[str]:
    return tempfile.TemporaryDirectory(prefix="underglass-icons-")


def icon(name: str, colour: str, *, mirrored: bool = False) -> QIcon:
    """The icon for a button, sharp at single and double scale; ``mirrored`` left for right."""
    made = QIcon()
    for ratio in (1.0, 2.0):
        picture = pixmap(name, colour, 20, ratio)
        made.addPixmap(picture.transformed(QTransform.fromScale(-1.0, 1.0)) if mirrored else picture)
    return made
