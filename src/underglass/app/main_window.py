"""The window: rail, header, program, glass, now and findings, tape. One document, shown everywhere."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import QByteArray, QSettings, Qt, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QApplication,
    QMainWindow,
    QSplitter,
    QStackedWidget,
    QWidget,
)

from underglass.app.beside import guessed_anew, prepare_glass
from underglass.app.commands import Command, add_commands
from underglass.app.comparing import Comparing
from underglass.app.document import Document
from underglass.app.filing import Filing
from underglass.app.glass.bar import GlassBar
from underglass.app.glass.offers import glass_commands
from underglass.app.glass.widget import Glass
from underglass.app.handover.file_page import FilePage
from underglass.app.handover.place import HandOver, hand_over_commands
from underglass.app.handover.sources import WindowSources
from underglass.app.helping import Helping
from underglass.app.laying_out import lay_out
from underglass.app.looking import Looking
from underglass.app.machine.place import MachinePlace, machine_commands
from underglass.app.paging import Paging
from underglass.app.parts.basic import Pages
from underglass.app.parts.command_palette import CommandPalette
from underglass.app.parts.first_page import FirstPage
from underglass.app.parts.header import Header
from underglass.app.parts.notice import Notice, Offer
from underglass.app.parts.rail import Rail
from underglass.app.places import Places
from underglass.app.practice.guiding import Guiding
from underglass.app.prove.findings_panel import FindingsPanel
from underglass.app.prove.side import ProveSide
from underglass.app.prover import Prover
from underglass.app.setting_up import SettingUp
from underglass.app.setup.place import SetupPlace
from underglass.app.shell import Fittings
from underglass.app.skins import OwnSetup
from underglass.app.style.palette import DAY, NIGHT, Palette
from underglass.app.style.theme import apply_theme
from underglass.app.tape.player import Player
from underglass.app.tape.tape import Tape, transport_key
from underglass.app.tape.transport import Transport
from underglass.app.write.fill_panel import shop_file
from underglass.app.write.program_column import ProgramColumn
from underglass.app.write.program_editor import ProgramEditor
from underglass.app.write.side import WriteSide
from underglass.core.files.demo import copy_demo
from underglass.core.files.recovery import all_kept, recovery_folder
from underglass.core.finding import Finding, worst
from underglass.core.language.block import read_block
from underglass.core.language.outline import line_of_number, sections
from underglass.core.language.pasted import cleaned
from underglass.core.proof.proof import Proof

_NAME = "Under Glass"
_HALF_TYPED_MS = 1500
"""How long a block that cannot be read is taken for one that is still being typed."""


class MainWindow(QMainWindow):
    """Put together here; every part looks after itself."""

    def __init__(self, settings: QSettings | None = None) -> None:
        super().__init__()
        self.settings = settings if settings is not None else QSettings("underglass", "underglass")
        self.colours: Palette = NIGHT if self.settings.value("theme") == "night" else DAY
        self._dress()
        self._place = ""
        self._sizes: dict[str, list[int]] = {"write": [470, 396, 350], "prove": [330, 576, 308]}
        self.document = Document(self)
        self.player = Player(self.document, self)
        self.prover = Prover(self)
        p = self.colours
        self.rail = Rail(p)
        self.header = Header(self.document, p)
        self.program = ProgramColumn(self.document, p)
        self.find_bar = self.program.find_bar
        self.reader = self.program.reader
        self.side = WriteSide(self.document, shop_file(self.settings.fileName()), p)
        self.program.stand = self.side.stand_now
        self.glass = Glass(self.document, p)
        self.beside = ProveSide(self.document, p)
        self.now = self.beside.now
        self.findings = FindingsPanel(self.document, p)
        self.tape = Tape(self.document, self.player, p)
        self.transport = Transport(self.player, p)
        self.first_page = FirstPage()
        self.notice = Notice(p)
        kept = recovery_folder() if settings is None else Path(settings.fileName()).parent / "kept"
        kept.mkdir(parents=True, exist_ok=True)
        self.filing = Filing(self.document, self.notice, kept, self)
        self.filing.before_open = self._before_open
        self.filing.settings = self.settings
        self.setAcceptDrops(True)
        self._unfinished = QTimer(self)
        self._unfinished.setSingleShot(True)
        self._unfinished.setInterval(_HALF_TYPED_MS)
        self._unfinished.timeout.connect(self.prove)
        self.middle, self.right, self.stack = QStackedWidget(), Pages(), QStackedWidget()
        self.places = places = Places(
            self, self.stack, lambda file: WindowSources(self.document, self.glass, self.beside, file)
        )
        self.split, self.work = QSplitter(Qt.Orientation.Horizontal), QWidget()
        self.glass_bar = GlassBar(self.glass, p, lambda kind: self.looking.ask_save(kind))
        self.parts = parts = Fittings(
            rail=self.rail, header=self.header, notice=self.notice, filing=self.filing, player=self.player, program=self.program,
            side=self.side, glass=self.glass, glass_bar=self.glass_bar, beside=self.beside, findings=self.findings,
            tape=self.tape, transport=self.transport, first_page=self.first_page, handing=places.handing, setup=places.setup, own_setup=places.own_setup,
            machine=places.machine, middle=self.middle, right=self.right, stack=self.stack, split=self.split, work=self.work,
        )  # fmt: skip
        self.comparing = Comparing(self)
        self.setting_up = SettingUp(self, parts)
        self.looking = Looking(self, parts)
        self.guiding = Guiding(self, parts, Path(self.settings.fileName()).parent / "practice")
        self.setCentralWidget(lay_out(parts, self.comparing.page, self.guiding.page, self.guiding.bar))
        self._connect()
        self.looking.begin()
        self.helping = Helping(
            self, self.document, self.settings, self.header, recent=self.filing.recent, open_=self.open, colours=lambda: self.colours,
            other_colours=self.other_colours, text=self.program.set_text_size,
            kept=self.filing.keeper.keep_after, grid=lambda step: self.side.late_print.when_made(lambda panel: panel.set_grid(step)),
        )  # fmt: skip
        self.helping.begin()
        for offered in (
            self.commands(), self.helping.commands(), self.filing.commands(), self.setting_up.commands(), self.side.commands(self.go_to_page),
            Paging(self, self.parts).commands(), hand_over_commands(places.handing, lambda: self.go_to_place("hand-over")),
            machine_commands(places.machine, lambda: self.go_to_place("machine")), self.guiding.commands(), self.comparing.commands(), self.player.commands(), self.looking.commands(), glass_commands(self.glass), self.program.commands(),
        ):  # fmt: skip
            add_commands(self, offered)
        self.setWindowTitle(_NAME)
        self.resize(1280, 800)
        self.setMinimumSize(900, 600)
        geometry = self.settings.value("geometry")
        if isinstance(geometry, QByteArray):
            self.restoreGeometry(geometry)
        self.set_colours(self.colours)
        page = self.settings.value("page")
        if page in self.side.buttons:
            self.side.choose(str(page))
        self.go_to_place("prove")
        self.stack.setCurrentWidget(self.first_page)

    # -- put together ----------------------------------------------------------------------------------------------

    def _connect(self) -> None:
        document = self.document
        self.rail.chosen.connect(self.go_to_place)
        self.header.search_asked.connect(self.show_commands)
        self.header.outcome_clicked.connect(self.next_finding)
        self.first_page.demo_asked.connect(self.open_demo)
        self.first_page.kept_asked.connect(self.open)
        self.first_page.new_asked.connect(self.new_program)
        self.first_page.offer_recent(self.filing.recent())
        self.first_page.offer_kept(all_kept(self.filing.keeper.folder))
        self.first_page.open_asked.connect(self.filing.ask_open)
        self.glass.line_picked.connect(self._on_line_picked)
        self.glass.finding_picked.connect(document.select_finding)
        self.program.upper.finding_clicked.connect(document.select_finding)
        self.program.split_changed.connect(self._on_split_changed)
        self.side.write_asked.connect(self.write_below)
        self.side.trouble.connect(self.say_trouble)
        self.side.rewrite_asked.connect(self.program.rewrite)
        self.side.list.lines_asked.connect(self.program.rewrite_all)
        self.side.tried_changed.connect(self.looking.show_tried)
        self.program.nothing_done.connect(lambda why: self.say_trouble(why, calm=True))
        self.side.page_changed.connect(self._on_page_changed)
        self.beside.page_changed.connect(self._on_page_changed)
        self.program.upper.pasted_badly.connect(self._on_pasted_badly)
        document.text_changed.connect(self._on_text_changed)
        document.line_changed.connect(lambda _line: self._block_done())
        document.proof_changed.connect(self._on_proof_changed)
        document.modified_changed.connect(self._on_modified_changed)
        self.prover.proved.connect(self._on_proved)
        self.prover.prepare = prepare_glass
        self.prover.make_job = guessed_anew
        self.glass.prepared = lambda: self.prover.prepared
        self.prover.progressed.connect(document.set_proving)
        self.prover.failed.connect(self.say_trouble)

    def write_below(self, lines: Sequence[str]) -> None:
        """Blocks of a form or a reckoner go under the line with the cursor."""
        self.editor.insert_below(lines)

    def show_line(self, line: int) -> None:
        """Write, with the cursor on a line."""
        self.go_to_place("write")
        self.editor.go_to(line)

    @property
    def widget(self) -> QWidget:
        """What dialogs belong to."""
        return self

    def show_instead(self, page: QWidget) -> None:
        """A page in the room of the work."""
        self.stack.setCurrentWidget(page)

    def commands(self) -> list[Command]:
        return [
            Command("New program", self.new_program, (QKeySequence.StandardKey.New,)),
            *(
                Command(f"Open the {words}", lambda n=name: self.open_demo(n))  # type: ignore[misc]
                for name, words in (
                    ("vent-bracket-slip", "demo with one slip"), ("vent-bracket", "clean demo"),
                    ("winder-cover", "demo with compensation"),
                    ("winder-bush-slip", "turned demo with one slip"), ("winder-bush", "clean turned demo"),
                )
            ),
            Command("Prove again", lambda: self.prove(at_once=True), ("F5",)),
            Command("Stop the proof", self.stop_proof, ("Shift+F5",)),
            Command("Next finding", self.next_finding, ("F8",)),
            Command("Previous finding", lambda: self.next_finding(-1), ("Shift+F8",)),
            Command("Go to place: Write", lambda: self.go_to_place("write"), ("Ctrl+1",)),
            Command("Go to place: Prove", lambda: self.go_to_place("prove"), ("Ctrl+3",)),
            Command("Go to place: Setup", lambda: self.go_to_place("setup"), ("Ctrl+2",)),
            Command("Go to place: Machine", lambda: self.go_to_place("machine"), ("Ctrl+4",)),
            Command("Go to place: Hand over", lambda: self.go_to_place("hand-over"), ("Ctrl+5",)),
            Command("Show millimetres", lambda: self.document.set_units("mm")),
            Command("Show inches", lambda: self.document.set_units("inch")),
            Command("Day or night colours", self.other_colours, ("Ctrl+Shift+N",)),
            Command("Search commands", self.show_commands, ("Ctrl+K",)),
            Command("Quit", self.close, (QKeySequence.StandardKey.Quit,)),
        ]  # fmt: skip

    def go_to_page(self, name: str) -> None:
        """Write, with one of the pages beside the text."""
        self.go_to_place("write")
        self.side.choose(name)

    def _on_page_changed(self, _name: str = "") -> None:
        """The print or the lens takes the glass's room while one works with it."""
        on_print = self._place == "write" and self.side.page == "print"
        on_lens = self._place == "prove" and self.beside.page == "lens"
        self.middle.setCurrentWidget(
            self.side.print.view if on_print else self.beside.lens.view if on_lens else self.glass
        )

    # -- opening and saving ------------------------------------------------------------------------------------------

    def _before_open(self) -> None:
        self.player.stop()
        self.prover.cancel()
        places = self.places
        page: dict[str, Callable[[], QWidget]] = {
            "hand-over": places.handing, "setup": lambda: self.setting_up.place, "machine": places.machine
        }  # fmt: skip
        self.stack.setCurrentWidget(page.get(self._place, lambda: self.work)())

    def open(self, path: Path) -> bool:
        """Open a job or a bare program. False, with a sentence in the window, where that cannot be done."""
        if not self.filing.open(path):
            return False
        job = self.document.job
        self.setWindowTitle(f"{job.title if job else ''}[*] · {_NAME}")
        return True

    def new_program(self) -> None:
        """A new program between the shop's own texts."""
        if self.filing.new(self.side.texts.texts):
            self.setWindowTitle(f"New program[*] · {_NAME}")
            self.go_to_place("write")
            self.editor.go_to(next((k for k, text in enumerate(self.document.lines, 1) if not text), 1))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """A file let fall on the window goes where it belongs."""
        path = next((Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()), None)
        if path is not None:
            self.setting_up.drop(path)

    def open_demo(self, name: str) -> None:
        self.open(copy_demo(name))

    def save(self) -> bool:
        return self.filing.save()

    def say_trouble(self, text: str, *, calm: bool = False, offers: Sequence[Offer] = ()) -> None:
        """One sentence under the header, until the next thing is done."""
        self.notice.say(text, calm=calm, offers=offers)
        self.first_page.trouble.setText("")

    @property
    def trouble(self) -> str:
        return self.notice.text

    # -- proving -----------------------------------------------------------------------------------------------------

    def _on_text_changed(self) -> None:
        """Prove what was typed; a block that cannot be read yet waits until it can, is left, or a while has gone by.

        So half a word does not throw away the last good picture.
        """
        document = self.document
        half = document.proof is not None and bool(
            read_block(document.line_text(self.editor.caret.line + 1), 1).problems
        )
        if half:
            self._unfinished.start()
        else:
            self._unfinished.stop()
            self.prove()

    def _block_done(self) -> None:
        if self._unfinished.isActive():
            self._unfinished.stop()
            self.prove()

    def prove(self, *, at_once: bool = False) -> None:
        document = self.document
        if document.job is None:
            return
        document.set_proving("proving", 0.0)
        hint = document.line if document.by_line else document.moment
        self.prover.ask(document.job, document.program, at_once=at_once or document.proof is None, hint=hint)

    def stop_proof(self) -> None:
        self.prover.cancel()
        self.document.set_proving("", 0.0)

    def _on_proved(self, proof: Proof) -> None:
        first = self.document.proof is None
        self.document.set_proof(proof)
        if first:
            self.show_first(proof)

    def show_first(self, proof: Proof) -> None:
        """What a fresh proof opens on: its first crash or fault, or else the finished part; a new program where one writes."""
        if self.document.program_path is None:
            return
        grave = [f for f in proof.to_mend if f.severity.word in ("crash", "fault")]
        if grave:
            self.document.select_finding(grave[0])
        else:
            self.document.set_moment(proof.timing.total)

    def next_finding(self, way: int = 1) -> None:
        """To the next finding (or the one before), round and round."""
        proof = self.document.proof
        found = (proof.to_mend or proof.troubles) if proof is not None else ()
        if not found:
            return
        chosen = self.document.finding
        k = found.index(chosen) + way if chosen in found else (0 if way > 0 else -1)
        self.document.select_finding(found[k % len(found)])

    def _on_proof_changed(self) -> None:
        proof = self.document.proof
        found: tuple[Finding, ...] = proof.to_mend if proof is not None else ()
        count = sum(f.severity.word != "note" for f in found)
        gravest = worst(proof.findings) if proof is not None else worst(())
        self.rail.set_count("prove", count, self.colours.severity(gravest))

    def _on_line_picked(self, line: int) -> None:
        """A click in the glass: the line is chosen, the moment stays."""
        self.document.select_line(line, move_moment=False)

    @property
    def editor(self) -> ProgramEditor:
        """The view of the program that commands act on."""
        return self.program.editor

    def go_to_named(self, letter: str, number: int) -> bool:
        """To line, block N, tool T or program O of a number. False, with a sentence, where there is none."""
        lines = self.document.lines
        found: int | None = None
        if letter == "N":
            found = line_of_number(lines, number)
        elif letter:
            kind = "tool" if letter == "T" else "program"
            after = [s.first for s in sections(lines) if s.kind == kind and s.number == number]
            # Asked again, it goes on to the next place of the same tool.
            found = next((k for k in after if k > self.editor.caret.line), after[0] if after else None)
        else:
            found = min(number, len(lines)) - 1
        if found is None:
            self.say_trouble(f"There is no {letter}{number} in this program.", calm=True)
            return False
        self.editor.go_to(found + 1)
        return True

    def _on_split_changed(self, split: bool) -> None:
        if split and self.program.lower is not None:
            self.program.lower.more_menu = self.looking.line_menu
            self.program.lower.finding_clicked.connect(self.document.select_finding)
            self.program.lower.pasted_badly.connect(self._on_pasted_badly)

    def _on_pasted_badly(self, first: int, last: int, said: tuple[str, ...]) -> None:
        """What was pasted is no program text as it is: say what is wrong and offer to put it right, as one step."""
        editor, revision = self.editor, self.document.buffer.revision

        def put_right() -> None:
            a, b = (first, last) if self.document.buffer.revision == revision else (0, len(self.document.lines) - 1)
            editor.replace_lines(a, b, cleaned(self.document.lines[a : b + 1]).lines)
            editor.setFocus()

        listed = ", ".join(said[:-1]) + (" and " if len(said) > 1 else "") + said[-1]
        self.say_trouble(f"The pasted text holds {listed}.", offers=[("Put it right", put_right)])

    def _on_modified_changed(self, modified: bool) -> None:
        self.setWindowModified(modified)

    # -- places, colours, commands -------------------------------------------------------------------------------------

    def go_to_place(self, name: str) -> None:
        """Write gives the text most room, Prove the glass. Document, selection and moment stay."""
        if self._place in self._sizes and self.split.isVisible():
            self._sizes[self._place] = self.split.sizes()
        if self._place == "machine" and name != "machine":
            self.places.machine.if_made(MachinePlace.leave)
        self._place = name
        self.rail.choose(name)
        if self.document.job is None:
            # Nothing is open yet; what comes is laid out as this place wants it.
            self.split.setSizes(self._sizes.get(name, self._sizes["prove"]))
            return
        self.comparing.page.stop()
        if name == "setup":
            self.setting_up.show_place(self.stack)
            return
        if name == "machine":
            machine = self.places.machine()
            self.stack.setCurrentWidget(machine)
            machine.show_place()
            return
        if name == "hand-over":
            handing = self.places.handing()
            self.stack.setCurrentWidget(handing)
            handing.choose(handing.page)
            return
        self.stack.setCurrentWidget(self.work)
        self.right.setCurrentIndex(1 if name == "write" else 0)
        self._on_page_changed()
        self.split.setSizes(self._sizes[name])
        if name == "write":
            self.editor.setFocus()
        else:
            self.tape.setFocus()

    @property
    def place(self) -> str:
        return self._place

    @property
    def setup(self) -> SetupPlace:
        return self.places.setup()

    @property
    def own_setup(self) -> OwnSetup:
        return self.places.own_setup

    @property
    def machine(self) -> MachinePlace:
        return self.places.machine()

    @property
    def handing(self) -> HandOver:
        return self.places.handing()

    @property
    def file_page(self) -> FilePage:
        return self.places.handing().file

    def set_colours(self, palette: Palette) -> None:
        """Day or night, at once, everywhere."""
        self.colours = palette
        widths = self.split.sizes()
        self._dress()
        for part in (
            self.rail,
            self.header,
            self.program,
            self.side,
            self.places,
            self.guiding.bar,
            self.guiding.show_me,
            self.comparing.page,
            self.notice,
            self.glass,
            self.beside,
            self.findings,
            self.tape,
            self.transport,
        ):
            part.set_palette(palette)
        # A new style sheet makes the splitter forget what it was told.
        self.split.setSizes(widths)
        self._on_proof_changed()
        self.setting_up.count()
        self.glass_bar.set_palette(palette)
        self.looking.forget_places()
        self.settings.setValue("theme", palette.name)

    def _dress(self) -> None:
        """The style sheet comes first: what is put into the window later takes it on at once, and only once."""
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_theme(app, self, self.colours)

    def other_colours(self) -> None:
        self.set_colours(NIGHT if self.colours is DAY else DAY)

    def _recent_actions(self) -> list[QAction]:
        out = []
        for path in self.filing.recent():
            action = QAction(f"Open again: {path.parent.name}/{path.name}", self)
            action.triggered.connect(lambda _checked=False, p=path: self.open(p))
            out.append(action)
        return out

    def show_commands(self) -> None:
        palette = CommandPalette([*self.actions(), *self._recent_actions()], self.go_to_named, self)
        at = self.header.search.mapToGlobal(self.header.search.rect().bottomRight())
        palette.move(at.x() - palette.width(), at.y() + 4)
        palette.show()
        self.command_palette = palette

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._place == "machine" or not transport_key(self.player, event):
            super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.filing.may_let_go():
            event.ignore()
            return
        self.settings.setValue("geometry", self.saveGeometry())
        self.settings.setValue("page", self.side.page)
        self.places.close()
        self.filing.remember_bookmarks()
        self.player.stop()
        self.prover.close()
        event.accept()

    def when_still(self, then: Callable[[], None]) -> None:
        """Call ``then`` once nothing is being proved or drawn any more."""

        def look() -> None:
            glass = self.places.glass if self._place == "machine" else self.glass
            unseen = glass.why_dark or self.document.proof is None or not glass.isVisible() or not glass.isValid()
            if not self.prover.busy and (unseen or glass.still):
                then()
            else:
                QTimer.singleShot(30, look)

        QTimer.singleShot(60, look)
