"""What Prove does besides showing: pictures saved, a run held, panels hidden, a stretch looped."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QWidget

from underglass.app.glass.saving import KINDS, Animation, save_picture, save_stock
from underglass.core.errors import UnderGlassError

if TYPE_CHECKING:
    from underglass.app.main_window import MainWindow


class Looking(QObject):
    """Belongs to one window."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.animation: Animation | None = None
        self.alone = False

    # -- saving what is seen -----------------------------------------------------------------------------------------

    def ask_save(self, kind: str) -> None:
        """Ask for a name and save the picture ("png"), the stock ("stl") or an animation ("gif")."""
        w = self._window
        if w.document.proof is None:
            w.say_trouble("There is nothing to save yet: open a job or a program.", calm=True)
            return
        base = w.document.program_path or Path.home() / "glass"
        name, _kind = QFileDialog.getSaveFileName(
            w, "Save what the glass shows", str(base.with_suffix(f".{kind}")), KINDS[kind]
        )
        if name:
            path = Path(name)
            self.save(kind, path if path.suffix else path.with_suffix(f".{kind}"))

    def save(self, kind: str, path: Path) -> None:
        """Save it; what went wrong is said in the window."""
        w = self._window
        try:
            if kind == "png":
                save_picture(w.glass, path, lambda: [w.glass_bar, w.glass_bar.strip, w.glass_bar.panel])
                w.say_trouble(f"{path.name} holds the picture.", calm=True)
            elif kind == "stl":
                count = save_stock(w.glass, w.document, path)
                w.say_trouble(f"{path.name} holds the stock as it stands, {count:,} triangles.", calm=True)
            else:
                self._animate(path)
        except (OSError, UnderGlassError) as error:
            said = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
            w.say_trouble(f"{path.name} could not be written: {said}.")

    def _animate(self, path: Path) -> None:
        w = self._window
        if self.animation is not None:
            self.animation.cancel()
        begin, end = w.player.loop or (0.0, w.tape.total)
        self.animation = Animation(w.glass, w.document, path, begin, end)
        cancel = self.animation.cancel

        def went_on(share: float) -> None:
            w.say_trouble(f"The animation is being drawn: {share:.0%}", calm=True, offers=[("Stop", cancel)])

        def ended(said: str) -> None:
            self.animation = None
            w.say_trouble(said, calm=True)

        self.animation.progressed.connect(went_on)
        self.animation.done.connect(ended)
        went_on(0.0)
        self.animation.start()

    # -- room --------------------------------------------------------------------------------------------------------

    def toggle_part(self, part: QWidget) -> None:
        """Show a panel or hide it; the glass takes its room."""
        part.setVisible(not part.isVisible())

    def glass_alone(self) -> None:
        """Nothing but the glass and the tape; or everything again."""
        w = self._window
        self.alone = not self.alone
        for part in (w.program, w.right):
            part.setVisible(not self.alone)
        if not self.alone:
            w.go_to_place(w.place)
