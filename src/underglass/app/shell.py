"""What the window offers its parts, and what they offer it: and the parts that it is put together from.

Glossary
    shell      the window as its parts see it: the document, where one is, one place to say things
    fittings   the parts that the window is put together from
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QSplitter, QStackedWidget, QWidget

from underglass.app.document import Document
from underglass.app.filing import Filing
from underglass.app.glass.bar import GlassBar
from underglass.app.glass.widget import Glass
from underglass.app.handover.place import HandOver
from underglass.app.machine.place import MachinePlace
from underglass.app.parts.basic import Pages
from underglass.app.parts.first_page import FirstPage
from underglass.app.parts.header import Header
from underglass.app.parts.later import Later
from underglass.app.parts.notice import Notice, Offer
from underglass.app.parts.rail import Rail
from underglass.app.prove.findings_panel import FindingsPanel
from underglass.app.prove.side import ProveSide
from underglass.app.setup.place import SetupPlace
from underglass.app.skins import OwnSetup
from underglass.app.style.palette import Palette
from underglass.app.tape.player import Player
from underglass.app.tape.tape import Tape
from underglass.app.tape.transport import Transport
from underglass.app.write.program_column import ProgramColumn
from underglass.app.write.side import WriteSide


class Shell(Protocol):
    """The window, as far as a part may reach into it."""

    document: Document
    settings: QSettings
    colours: Palette

    @property
    def place(self) -> str: ...
    @property
    def widget(self) -> QWidget: ...
    def go_to_place(self, name: str) -> None: ...
    def go_to_page(self, name: str) -> None: ...
    def show_line(self, line: int) -> None: ...
    def show_instead(self, page: QWidget) -> None: ...
    def open(self, path: Path) -> bool: ...
    def prove(self, *, at_once: bool = False) -> None: ...
    def say_trouble(self, text: str, *, calm: bool = False, offers: Sequence[Offer] = ()) -> None: ...


@dataclass(frozen=True, slots=True, kw_only=True)
class Fittings:
    """The window's parts. ``middle`` holds the glass or what takes its room; ``right`` the panels of the place."""

    rail: Rail
    header: Header
    notice: Notice
    filing: Filing
    player: Player
    program: ProgramColumn
    side: WriteSide
    glass: Glass
    glass_bar: GlassBar
    beside: ProveSide
    findings: FindingsPanel
    tape: Tape
    transport: Transport
    first_page: FirstPage
    handing: Later[HandOver]
    setup: Later[SetupPlace]
    own_setup: OwnSetup
    machine: Later[MachinePlace]
    middle: QStackedWidget
    right: Pages
    stack: QStackedWidget
    split: QSplitter
    work: QWidget
