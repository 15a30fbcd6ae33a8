"""What is shown in the glass and from where: the buttons in its upper left corner."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from underglass.app.glass.widget import Glass


class GlassBar(QWidget):
    """As many of the buttons as there is room for; all are in the command palette, too."""

    def __init__(self, glass: Glass) -> None:
        super().__init__(glass)
        self._glass = glass
        self.setObjectName("glassBar")
        self.move(12, 10)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.show_solid = self._button("Solid", "Show the stock  (S)", checkable=True)
        self.show_lines = self._button("Path", "Show the path  (P)", checkable=True)
        self.show_solid.clicked.connect(lambda on: glass.set_shown(solid=on))
        self.show_lines.clicked.connect(lambda on: glass.set_shown(lines=on))
        row.addWidget(self.show_solid)
        row.addWidget(self.show_lines)
        row.addSpacing(8)
        self._views: list[QPushButton] = []
        for name, word in (("corner", "Corner"), ("top", "Top"), ("front", "Front"), ("right", "Right")):
            button = self._button(word, f"Look from the {word.lower()}")
            button.clicked.connect(lambda _checked=False, n=name: glass.view(n))
            row.addWidget(button)
            self._views.append(button)
        self.parallel = self._button("Parallel", "Without perspective", checkable=True)
        self.parallel.clicked.connect(glass.set_parallel)
        row.addWidget(self.parallel)
        self._views.append(self.parallel)
        glass.resized.connect(self.place)
        glass.look_changed.connect(self._on_look_changed)
        self._on_look_changed()

    @staticmethod
    def _button(word: str, tip: str, *, checkable: bool = False) -> QPushButton:
        button = QPushButton(word)
        button.setToolTip(tip)
        button.setCheckable(checkable)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return button

    def place(self) -> None:
        """Show the buttons that there is room for."""
        room = self._glass.width() - 24
        for button in self._views:
            button.setVisible(True)
        for button in reversed(self._views):
            if self.sizeHint().width() <= room:
                break
            button.setVisible(False)
        self.setFixedSize(self.sizeHint())
        self.raise_()

    def _on_look_changed(self) -> None:
        self.show_solid.setChecked(self._glass.show_solid)
        self.show_lines.setChecked(self._glass.show_lines)
        self.parallel.setChecked(self._glass.camera.parallel)
