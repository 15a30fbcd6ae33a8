"""Small pieces of furniture that every place uses."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLayout, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from underglass.app.style.theme import number_font, words_font


def label(
    text: str = "", *, quiet: bool = False, bold: bool = False, pixels: int = 13, parent: QWidget | None = None
) -> QLabel:
    """Words."""
    out = QLabel(text, parent)
    out.setFont(words_font(pixels, bold=bold))
    if quiet:
        out.setProperty("quiet", True)
    return out


class Elided(QLabel):
    """Words in one line that may be cut short where there is no room: then they end in dots, and the tool tip has the whole of them."""

    def __init__(self, text: str = "", *, quiet: bool = False, figures: bool = False, pixels: int = 13) -> None:
        super().__init__(text)
        self.setFont(number_font(pixels) if figures else words_font(pixels))
        if quiet:
            self.setProperty("quiet", True)
        self.setMinimumWidth(24)

    def paintEvent(self, event: QPaintEvent) -> None:
        whole = self.text()
        room = self.contentsRect()
        shown = self.fontMetrics().elidedText(whole, Qt.TextElideMode.ElideRight, room.width())
        if self.toolTip() != (tip := whole if shown != whole else ""):
            self.setToolTip(tip)
        painter = QPainter(self)
        painter.setFont(self.font())
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(room, int(self.alignment()), shown)
        painter.end()


def rich(pixels: int = 13) -> QLabel:
    """Words with marks in them (a part of HTML), over several lines; they can be selected."""
    out = QLabel()
    out.setFont(words_font(pixels))
    out.setTextFormat(Qt.TextFormat.RichText)
    out.setWordWrap(True)
    out.setTextInteractionFlags(Qt.TextInteractionFlag.TextBrowserInteraction)
    return out


def figure(text: str = "", *, belief: bool = False, quiet: bool = False, pixels: int = 13) -> QLabel:
    """A number, right-aligned, one width."""
    out = QLabel(text)
    out.setFont(number_font(pixels))
    out.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    if belief:
        out.setProperty("belief", True)
    if quiet:
        out.setProperty("quiet", True)
    return out


def rule() -> QFrame:
    """A thin line across."""
    out = QFrame()
    out.setObjectName("rule")
    out.setFixedHeight(1)
    return out


class Pages(QStackedWidget):
    """One page of several, as wide as the one that is seen needs it: a hidden page takes no room."""

    def minimumSizeHint(self) -> QSize:
        current = self.currentWidget()
        return current.minimumSizeHint() if current is not None else super().minimumSizeHint()

    def sizeHint(self) -> QSize:
        current = self.currentWidget()
        return current.sizeHint() if current is not None else super().sizeHint()


def emptied(layout: QLayout) -> None:
    """Take every widget out of a layout and away."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            widget.setParent(None)
            widget.deleteLater()


class PanelHead(QWidget):
    """The line on top of a panel: its name, then something quiet, then something at the right."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.setObjectName("panelHead")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(28)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 0, 12, 0)
        row.setSpacing(10)
        row.addWidget(label(title, bold=True))
        self.detail = Elided(quiet=True)
        row.addWidget(self.detail)
        row.addStretch(1)
        self.right = Elided(quiet=True)
        row.addWidget(self.right)


def column(*widgets: QWidget, margins: tuple[int, int, int, int] = (0, 0, 0, 0), spacing: int = 0) -> QVBoxLayout:
    """Widgets one under the other."""
    out = QVBoxLayout()
    out.setContentsMargins(*margins)
    out.setSpacing(spacing)
    for widget in widgets:
        out.addWidget(widget)
    return out


def scrolled(inner: QWidget) -> QScrollArea:
    """A part that may be higher than its room: as wide as the room, moved up and down."""
    out = QScrollArea()
    out.setWidgetResizable(True)
    out.setFrameShape(QScrollArea.Shape.NoFrame)
    out.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    out.setWidget(inner)
    return out


def foot(*left: QWidget, right: QWidget) -> QHBoxLayout:
    """The last line of a panel: small things at the left, the one that does it at the right."""
    out = QHBoxLayout()
    out.setSpacing(6)
    for part in left:
        out.addWidget(part)
    out.addStretch(1)
    out.addWidget(right)
    return out


def pair(one: QWidget, two: QWidget, *, stretch: tuple[int, int] = (1, 1)) -> QHBoxLayout:
    """Two parts side by side."""
    out = QHBoxLayout()
    out.setSpacing(6)
    out.addWidget(one, stretch[0])
    out.addWidget(two, stretch[1])
    return out
