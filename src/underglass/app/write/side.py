"""What stands beside the text in Write: the state here, operations to fill in, reckoners, the print, the shop's texts."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QWidget

from underglass.app.commands import Command
from underglass.app.document import Document
from underglass.app.parts.later import Later
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
    write_asked = Signal(object)
    """Blocks for below the cursor."""
    rewrite_asked = Signal(int, int, object)
    """First and last line, and the blocks that come in their place."""
    tried_changed = Signal(object)
    """The proof of what a form would write, or None."""
    trouble = Signal(str)

    def __init__(self, document: Document, shop: Path, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(PAGES, palette, parent)
        self._document = document
        self._cuts_file = shop.parent / "cuts.toml"
        self.standing: Standing | None = None
        self.here = HerePanel(document, palette)
        self._fill = Later(lambda: FillPanel(document, self._palette))
        self.list = ListPanel(document, palette)
        self._reckon = Later(lambda: ReckonPanel(document, self._palette))
        self.late_print = Later(lambda: PrintPanel(document, self._palette))
        self.texts = TextsPanel(document, shop, palette)
        self.list.shop = self.texts.texts
        self.list.open_asked.connect(self.open_form)
        self.texts.kept.connect(self._on_texts)
        for panel in (self.list, self.texts):
            panel.trouble.connect(self.trouble)
        self.texts.write_asked.connect(self.write_asked)
        self._fill.when_made(self._settle_fill)
        self._reckon.when_made(lambda panel: panel.write_asked.connect(self.write_asked))
        self._reckon.when_made(lambda panel: panel.set_standing(self.standing))
        self.late_print.when_made(self._settle_print)
        self.hold(
            {
                "here": self.here, "fill": self._fill, "list": self.list, "reckon": self._reckon, "print": self.late_print, "texts": self.texts,
            }
        )  # fmt: skip
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(0)
        self._soon.timeout.connect(self._stand)
        for signal in (document.line_changed, document.proof_changed, document.text_changed, document.job_changed):
            signal.connect(self._soon_stand)
        self.choose("here")

    @property
    def fill(self) -> FillPanel:
        return self._fill()

    @property
    def reckon(self) -> ReckonPanel:
        return self._reckon()

    @property
    def print(self) -> PrintPanel:
        return self.late_print()

    def _settle_fill(self, panel: FillPanel) -> None:
        panel.cuts_file = self._cuts_file
        panel.shop = self.texts.texts
        panel.write_asked.connect(self.write_asked)
        panel.rewrite_asked.connect(self.rewrite_asked)
        panel.tried_changed.connect(self.tried_changed)
        panel.trouble.connect(self.trouble)
        panel.set_standing(self.standing)
        panel.look(self._document.line)

    def _settle_print(self, panel: PrintPanel) -> None:
        panel.places_taken.connect(lambda places: self._into_form(self.fill.take_places(places)))
        panel.contour_taken.connect(
            lambda contour: self._into_form(self.fill.take_contour(contour, turned=panel.plane.up_first))
        )
        panel.write_asked.connect(self.write_asked)
        panel.trouble.connect(self.trouble)
        panel.set_standing(self.standing)

    def _on_texts(self, texts: ShopTexts) -> None:
        self.list.shop = texts
        if self._fill.made is not None:
            self._fill.made.shop = texts

    def _into_form(self, taken: bool) -> None:
        """Show the form that took something from the drawing."""
        if taken:
            self.choose("fill")
        else:
            self.trouble.emit("No operation of this trade takes that from a drawing.")

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
        for part in (self._fill.made, self.list, self._reckon.made, self.texts, self.late_print.made):
            if part is not None:
                part.set_standing(self.standing)
        self._fill.if_made(lambda panel: panel.look(document.line))
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
