"""The places that take the whole room of the window, each put together when one first goes there."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QStackedWidget

from underglass.app.glass.widget import Glass
from underglass.app.handover.file_page import FilePage
from underglass.app.handover.place import HandOver
from underglass.app.handover.sheets_page import Sources
from underglass.app.machine.place import MachinePlace
from underglass.app.parts.later import Later
from underglass.app.setup.place import SetupPlace
from underglass.app.shell import Shell
from underglass.app.skins import OwnSetup
from underglass.app.style.palette import Palette
from underglass.core.machine.rehearsal import Rehearsal


class Places(QObject):
    """Setup, Machine and Hand over of one window, which shows them in ``stack``."""

    def __init__(self, window: Shell, stack: QStackedWidget, sources: Callable[[FilePage], Sources]) -> None:
        super().__init__(window.widget)
        self._window = window
        settings, folder = window.settings, Path(window.settings.fileName()).parent
        self.setup = Later(lambda: SetupPlace(window.document, folder / "tools.toml", window.colours))
        self.machine = Later(lambda: MachinePlace(window.document, window.colours, folder))
        self.handing = Later(lambda: HandOver(window.document, settings, sources, window.colours))
        self.own_setup = OwnSetup(window.document, folder, window.colours)
        stack.addWidget(self.own_setup)
        for late in (self.setup, self.machine, self.handing):
            late.when_made(stack.addWidget)
            late.when_made(lambda place: place.set_palette(window.colours))  # type: ignore[attr-defined]
        self.setup.when_made(self._settle_setup)
        self.machine.when_made(self._settle_machine)
        self.handing.when_made(self._settle_handing)

    def _settle_setup(self, place: SetupPlace) -> None:
        page = self._window.settings.value("setup_page")
        if page in place.buttons:
            place.choose(str(page))

    def _settle_machine(self, place: MachinePlace) -> None:
        place.trouble.connect(self._window.say_trouble)
        place.go_on_offered.connect(self._offer_rehearsal)

    def _settle_handing(self, place: HandOver) -> None:
        place.line_chosen.connect(self._window.show_line)
        place.open_asked.connect(self._on_open_asked)

    def _offer_rehearsal(self, kept: Rehearsal) -> None:
        self._window.say_trouble(
            "The last rehearsal of this program was left in the middle.",
            calm=True,
            offers=[("Go on with it", lambda: self.machine().session.replay(kept))],
        )

    def _on_open_asked(self, path: Path) -> None:
        """A job of a folder is looked at in Prove, where its findings are."""
        if self._window.open(path):
            self._window.go_to_place("prove")

    @property
    def glass(self) -> Glass:
        """The glass of the machine."""
        return self.machine().glass

    def set_palette(self, palette: Palette) -> None:
        for late in (self.setup, self.machine, self.handing):
            late.if_made(lambda place: place.set_palette(palette))  # type: ignore[attr-defined]
        self.setup.if_made(SetupPlace.refresh)
        self.own_setup.set_palette(palette)

    def close(self) -> None:
        """The window is closed: what runs is stopped, and the page of Setup kept for the next time."""
        if (setup := self.setup.made) is not None:
            self._window.settings.setValue("setup_page", setup.page)
            setup.what_if.stop()
        if (machine := self.machine.made) is not None:
            machine.leave()
            machine.session.stop()
