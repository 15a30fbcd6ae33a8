"""Setup in the window: how its changes are proved, said and taken back, and what is let fall on the window."""

from __future__ import annotations

import os
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QStackedWidget, QWidget

from underglass.app.commands import Command
from underglass.app.setup.own_place import OwnPlace
from underglass.app.setup.place import PAGE_WORDS, PAGES, SetupPlace
from underglass.app.shell import Fittings, Shell
from underglass.app.write.print_panel import DRAWN
from underglass.core.errors import UnderGlassError
from underglass.core.files.setup_edit import SLIPS
from underglass.core.proof.belief import rows
from underglass.core.proof.bench_rows import ROWS

MESHES = {".stl", ".ply", ".3mf"}


class SettingUp(QObject):
    """Between the window and its place Setup."""

    def __init__(self, window: Shell, parts: Fittings) -> None:
        super().__init__(window.widget)
        self._window = window
        self._parts = parts
        self._stack: QStackedWidget | None = None
        self._setup_at = -1
        """The program's revision at which the setup was changed last."""
        document = window.document
        parts.setup.when_made(lambda place: place.line_chosen.connect(self._on_line))
        parts.setup.when_made(lambda place: place.trouble.connect(window.say_trouble))
        parts.own_setup.trouble.connect(window.say_trouble)
        parts.own_setup.line_chosen.connect(self._on_line)
        document.setup_changed.connect(self._on_setup_changed)
        document.job_changed.connect(self._on_job_changed)
        for signal in (document.job_changed, document.setup_changed, document.proof_changed):
            signal.connect(self.count)
        parts.filing.show_guesses = lambda: self.go_to("stock")
        parts.findings.guess_asked.connect(self.confirm_guess)

    def count(self) -> None:
        """The rail tells how many figures of the setup are wrong, seen or not."""
        job, proof = self._window.document.job, self._window.document.proof
        if job is None:
            return
        own = ROWS.get(job.trade.name) if job.bench.more is not None else None
        found = own.rows(job, proof) if own is not None else rows(job, proof, {})
        wrong = len({(r.group, r.key) for r in found if r.wrong})
        self._parts.rail.set_count("setup", wrong, self._window.colours.fault)

    @property
    def _own(self) -> bool:
        """Whether the trade of the job that is open has a bench of its own, and so a place Setup of its own."""
        job = self._window.document.job
        return job is not None and job.bench.more is not None

    @property
    def place(self) -> QWidget:
        """The place Setup of the job that is open."""
        return self._parts.own_setup if self._own else self._parts.setup()

    @property
    def now(self) -> SetupPlace | OwnPlace:
        """The same, without what it stands in."""
        return self._parts.own_setup.now if self._own else self._parts.setup()

    def show_place(self, stack: QStackedWidget) -> None:
        """Bring it to the front."""
        self._stack = stack
        now = self.now
        stack.setCurrentWidget(self.place)
        now.refresh()
        now.table.setFocus()

    def _on_job_changed(self) -> None:
        if self._stack is not None and self._window.place == "setup":
            self.show_place(self._stack)

    def _on_line(self, line: int) -> None:
        self._window.go_to_place("prove")
        self._window.document.select_line(line)

    def _on_setup_changed(self) -> None:
        """A change of the setup is proved; one made elsewhere than in Setup says so and can be taken back."""
        window, history = self._window, self._window.document.history
        self._setup_at = window.document.buffer.revision
        if window.place == "setup":
            window.say_trouble("")
            window.prove()
            return
        if history.at:
            what = history.steps[history.at - 1].what
            window.say_trouble(
                f"{what[:1].upper()}{what[1:]}: the job file has it with the next save.",
                calm=True,
                offers=[("Take it back", window.document.undo_setup)],
            )
        else:
            window.say_trouble("")
        window.prove(at_once=True)

    def confirm_guess(self, name: str) -> None:
        """Setup's page where a guess (stock, zero, machine, T3) is confirmed or changed."""
        if name[:1] == "T" and name[1:].isdigit():
            self.go_to("tools")
            self.now.choose_tool(int(name[1:]))
        else:
            self.go_to(name if name in ("stock", "zero", "machine") else "stock")

    def go_to(self, page: str) -> None:
        """Setup, with one of its pages."""
        self._window.go_to_place("setup")
        self.now.choose(page)

    def undo(self, way: int = -1) -> None:
        """Take back, or make again, the last change: of the setup in Setup, of the program in Write, of either in Prove."""
        window = self._window
        history = window.document.history
        # Where a finding was mended in the control, and nothing typed since, that is the last change.
        latest = window.place == "prove" and self._setup_at == window.document.buffer.revision
        mine = latest and (history.at > 0 if way < 0 else history.at < len(history.steps))
        if window.place != "setup" and not mine:
            if way < 0:
                self._parts.program.editor.undo()
            else:
                self._parts.program.editor.redo()
            return
        what = window.document.undo_setup() if way < 0 else window.document.redo_setup()
        if what:
            window.say_trouble(f"{'Taken back' if way < 0 else 'Made again'}: {what}.", calm=True)
        else:
            window.say_trouble("Nothing to take back." if way < 0 else "Nothing to make again.", calm=True)

    def tell_control(self) -> None:
        """Truth into belief, in the place that is open."""
        self._window.go_to_place("setup")
        self.now.tell_control()

    def commands(self) -> list[Command]:
        go = self._window.go_to_place
        return [
            *(Command(f"Setup: {PAGE_WORDS[name].lower()}", lambda n=name: self.go_to(n)) for name in PAGES),  # type: ignore[misc]
            Command("Copy what is on the bench to the control", self.tell_control),
            Command("Copy what the control says to the bench", lambda: (go("setup"), self.now.believe_control())),
            *(
                Command(f"Practice error: {words}", lambda k=kind: (go("setup"), self.now.make_slip(k)))  # type: ignore[misc]
                for kind, words in SLIPS.items()
            ),
            Command("Undo", self.undo, (QKeySequence.StandardKey.Undo,)),
            Command("Redo", lambda: self.undo(1), (QKeySequence.StandardKey.Redo,)),
        ]

    # -- let fall on the window ----------------------------------------------------------------------------------------

    def drop(self, path: Path) -> None:
        """A program or a job is opened, a drawing goes behind the path, a shape or tools go where one says."""
        window = self._window
        kind = path.suffix.lower()
        if window.document.job is None or kind not in {*DRAWN, *MESHES, ".csv"}:
            window.open(path)
        elif kind in DRAWN:
            window.go_to_page("print")
            self._parts.side.print.load_file(path)
        elif kind == ".csv":
            self.go_to("tools")
            self._parts.setup().tools.read_from(path)
        else:
            window.say_trouble(
                f"{path.name} is a shape. What is it here?",
                calm=True,
                offers=[
                    ("The stock", lambda: self._shape(path, "stock")),
                    ("A fixture", lambda: self._shape(path, "fixtures")),
                    ("The wanted part", lambda: self._wanted(path)),
                ],
            )

    def _shape(self, path: Path, page: str) -> None:
        self.go_to(page)
        setup = self._parts.setup()
        why = setup.stock.use_mesh(path) if page == "stock" else setup.fixtures.add_mesh(path)
        if why:
            self._window.say_trouble(why)

    def _wanted(self, path: Path) -> None:
        """The finished stock is compared with this shape from now on."""
        document = self._window.document
        if document.job is None:
            return
        try:
            edit = document.job_edit()
            edit.put(os.path.relpath(path, document.job.folder), "proof", "target")
            document.change_job(edit.text, f"{path.name} is the wanted part")
        except UnderGlassError as error:
            self._window.say_trouble(str(error))
