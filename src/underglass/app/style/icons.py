"""Line icons (Phosphor, MIT), tinted with a colour of the palette."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer

from underglass.core.files.profiles import data_folder


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


def icon(name: str, colour: str) -> QIcon:
    """The icon for a button, sharp at single and double scale."""
    made = QIcon()
    made.addPixmap(pixmap(name, colour, 20, 1.0))
    made.addPixmap(pixmap(name, colour, 20, 2.0))
    return made
