"""What stands beside the text in Write: the state here, operations to fill in, reckoners, the print, the shop's texts."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QWidget

from underglass.app.commands import Command
from underglass.app.document import Document
from underglass.app.parts.side_panel import SidePanel
from underglass.app.style.palette import Palette
from underglass.app.write.fill_panel import FillPanel
from underglass.app.write.here_panel import HerePanel
from underglass.app.write.list_panel import ListPanel
from underglass.app.write.print_panel import PrintPanel
from underglass.app.write.reckon_panel import ReckonPanel
from underglass.app.write.texts_panel import TextsPanel
from underglass.core.compose.registry import all_operations
from underglass.core.compose.shop import ShopTexts
from underglass.core.proof.standing import Standing, standing
from underglass.core.reckon.all import RECKONERS

PAGES = (
    ("here", "Here", "What is in force at the cursor, and what the block changes"),
    ("fill", "Fill in", "An operation from a form, from facing to engraving"),
    ("list", "List", "The operations of the program in their order"),
    ("reckon", "Calculate", "Arcs, corners, patterns, speeds, threads, fits"),
    ("print", "Drawing", "Work from a drawing behind the path"),
    ("texts", "Blocks", "The shop's own blocks: start, tool in, tool out, end"),
)


_COMMAND_WORDS = {
    "here": "what is in force at the cursor", "fill": "fill in an operation", "list": "the operations in their order", "reckon": "calculate", "print": "work from the print",
    "texts": "the shop's own texts",
}  # fmt: skip


class WriteSide(SidePanel):
    """One page at a time. What is in force is worked out when the line or the proof changes, and only while it is seen."""

    standing_changed = Signal()

    def __init__(self, document: Document, shop: Path, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(PAGES, parent)
        self._document = document
        self.standing: Standing | None = None
        self.here = HerePanel(document, palette)
        self.fill = FillPanel(document, palette)
        self.fill.cuts_file = shop.parent / "cuts.toml"
        self.list = ListPanel(document, palette)
        self.list.open_asked.connect(self.open_form)
        self.reckon = ReckonPanel(document, palette)
        self.print = PrintPanel(document, palette)
        self.print.places_taken.connect(lambda places: self._into_form(self.fill.take_places(places)))
        self.print.contour_taken.connect(
            lambda contour: self._into_form(self.fill.take_contour(contour, turned=self.print.plane.up_first))
        )
        self.texts = TextsPanel(document, shop, palette)
        self.fill.shop = self.list.shop = self.texts.texts
        self.texts.kept.connect(self._on_texts)
        self.hold(
            {
                "here": self.here, "fill": self.fill, "list": self.list, "reckon": self.reckon, "print": self.print, "texts": self.texts,
            }
        )  # fmt: skip
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(0)
        self._soon.timeout.connect(self._stand)
        for signal in (document.line_changed, document.proof_changed, document.text_changed, document.job_changed):
            signal.connect(self._soon_stand)
        self.choose("here")

    def _on_texts(self, texts: ShopTexts) -> None:
        self.fill.shop = self.list.shop = texts

    def _into_form(self, taken: bool) -> None:
        """Show the form that took something from the drawing."""
        if taken:
            self.choose("fill")
        else:
            self.fill.trouble.emit("No operation of this trade takes that from a drawing.")

    def open_form(self, line: int) -> None:
        """The form of the operation whose text a line (from 1) is in."""
        self._document.select_line(line)
        self.choose("fill")
        self.fill.look(line)
        self.fill.open_found()

    def choose(self, name: str) -> None:
        """Show a page."""
        self._soon_stand()
        super().choose(name)

    def _soon_stand(self) -> None:
        if self.isVisible():
            self._soon.start()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._soon.start()

    def stand_now(self) -> Standing | None:
        """What is in force at the document's line, as far as it is known; asked for also while nothing of this is seen."""
        document = self._document
        if self.standing is not None and self.standing.line == document.line:
            return self.standing
        if document.proof is not None and document.proof_is_current:
            self.standing = standing(document.proof, document.line)
        return self.standing

    def _stand(self) -> None:
        document = self._document
        # While the text is ahead of the proof what was known last stays; half a word changes nothing.
        if document.proof_is_current and document.proof is not None:
            self.standing = standing(document.proof, document.line)
        elif document.proof is None:
            self.standing = None
        self.here.show_standing(self.standing)
        for part in (self.fill, self.list, self.reckon, self.texts, self.print):
            part.set_standing(self.standing)
        self.fill.look(document.line)
        self.standing_changed.emit()

    def commands(self, go: Callable[[str], object]) -> list[Command]:
        """``go`` leads to Write with a page."""
        return [
            *(
                Command(f"Write: {words}", lambda n=name: go(n))  # type: ignore[misc]
                for name, words in _COMMAND_WORDS.items()
            ),
            Command("Open a drawing or picture behind the path…", lambda: (go("print"), self.print.ask_load())),
            *(
                Command(f"Calculate: {one.name}", lambda n=one.name: (go("reckon"), self.reckon.choose(n)))  # type: ignore[misc]
                for one in RECKONERS
            ),
            *(
                Command(f"Fill in: {one.name}", lambda n=one.name: (go("fill"), self.fill.choose(n)))  # type: ignore[misc]
                for one in all_operations()["mill"]
            ),
            Command(
                "Open the form of the operation at the cursor",
                lambda: (go("fill"), self.fill.open_found()),
                ("Ctrl+Shift+O",),
            ),
        ]
