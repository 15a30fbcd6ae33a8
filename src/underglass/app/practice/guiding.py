"""Practice in the window: the list, the bar, Show me, the walk through the places, and handing in."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QWidget

from underglass.app.commands import Command
from underglass.app.practice.bar import PracticeBar
from underglass.app.practice.page import PracticePage
from underglass.app.practice.practising import Practising
from underglass.app.practice.show_me import Guide, Pointer, ShowMe, in_order
from underglass.app.shell import Fittings, Shell
from underglass.core.errors import UnderGlassError
from underglass.core.files.hand_in import HandIn, write_hand_in
from underglass.core.files.practice import Practice
from underglass.core.machine.actions import CycleStart, Drawbar, Guard, PutTool
from underglass.core.machine.interlocks import why_not
from underglass.core.machine.ready import conditions
from underglass.core.machine.stand import Stand


class Guiding(QObject):
    """Belongs to one window."""

    def __init__(self, window: Shell, parts: Fittings, folder: Path) -> None:
        super().__init__(window.widget)
        self._window, self._parts = window, parts
        self.practising = Practising(window.document, window.settings, folder, self)
        self.page = PracticePage(self.practising)
        self.bar = PracticeBar(self.practising, window.colours)
        self.show_me = ShowMe(window.widget, window.colours)
        one = self.practising
        one.open_ = window.open
        one.save = parts.filing.save
        one.stand = self._stand
        one.trouble.connect(window.say_trouble)
        self.page.start_asked.connect(self.start)
        self.bar.list_asked.connect(self.show_list)
        self.bar.show_me_asked.connect(self.point)
        self.bar.hand_in_asked.connect(self.ask_hand_in)
        parts.first_page.practice_asked.connect(self.show_list)
        parts.first_page.walk_asked.connect(self.walk)

    def _stand(self) -> Stand | None:
        """The machine as it stands; None where nobody has been at it."""
        machine = self._parts.machine.made
        return machine.session.stand if machine is not None else None

    def show_list(self) -> None:
        """The jobs to choose from."""
        self.page.refresh()
        self._window.show_instead(self.page)
        self.page.list.setFocus()

    def start(self, practice: Practice) -> None:
        """Open one of them, where its work is done."""
        if self.practising.start(practice):
            place = {"first-cut": "machine", "write-it": "write"}.get(practice.kind, "prove")
            self._window.go_to_place(place)

    # -- pointing ----------------------------------------------------------------------------------------------------------

    def point(self) -> None:
        """Point at what is to be used next for the job under way."""
        practice = self.practising.practice
        if practice is None:
            return
        guide = self._first_cut if practice.kind == "first-cut" else in_order(self._find(practice))
        self.show_me.set_palette(self._window.colours)
        self.show_me.run(guide)

    def _first_cut(self) -> Pointer | None:
        """At the machine: the next condition that is not met, then what the program asks for."""
        parts = self._parts
        if self.practising.solved:
            return None
        if self._window.place != "machine":
            return Pointer(at=lambda: parts.rail.buttons["machine"], said="The machine stands here: go to it.")
        machine = parts.machine()
        stand = machine.session.stand
        if stand is None or machine.session.busy:
            return Pointer(at=lambda: None, said="One moment.")
        if stand.parts:
            return Pointer(at=lambda: self.bar.check, said="The label is cut. Have it checked.")
        before = machine.before
        if stand.moving:
            return Pointer(at=lambda: machine.run.speed, said="It moves. Let it, or make time run faster here.")
        asked = stand.waiting.number if stand.waiting is not None and stand.waiting.kind == "tool-change" else 0
        if asked and stand.tool != asked:
            if not why_not(stand, Guard(True)):
                return Pointer(
                    at=lambda: before.guard_open, said=f"The program calls T{asked}. Open the guard to put it in."
                )
            if not why_not(stand, Drawbar(True)):
                return Pointer(at=lambda: before.bar_free, said="Free the drawbar, which holds the tool.")
            if not why_not(stand, PutTool(asked)):
                return Pointer(at=lambda: before.put_tool, said=f"T{asked} is chosen: put it in.")
        for one in conditions(stand):
            if not one.done and one.action is not None:
                name = one.name
                if why_not(stand, one.action) and not stand.guard_open:
                    return Pointer(at=lambda: before.guard_open, said=f"{one.said}. Open the guard first.")
                return Pointer(at=lambda n=name: before.offered(n), said=f"{one.said}. {one.words}.")
        if not why_not(stand, CycleStart()):
            return Pointer(at=lambda: machine.run.start, said="Nothing is in the way any more: start.")
        return Pointer(at=lambda: before.next, said=why_not(stand, CycleStart()))

    def _find(self, practice: Practice) -> list[Pointer]:
        """Finding, line, mending, checking."""
        parts, window = self._parts, self._window
        writes = practice.kind == "write-it"
        tried = self.practising.tries

        def there(place: str) -> Pointer:
            words = {
                "prove": "The proof is shown here: go to Prove.",
                "write": "The program is written here: go to Write.",
            }
            return Pointer(at=lambda: parts.rail.buttons[place], said=words[place], done=lambda: window.place == place)

        found = [
            there("write" if writes else "prove"),
            Pointer(at=lambda: parts.program, said=practice.hints[0], by_hand=True)
            if writes
            else Pointer(
                at=lambda: parts.findings,
                said="What the proof finds stands here. Choose it: its line and its place are shown.",
                by_hand=True,
            ),
        ]
        if not writes:
            found.append(
                Pointer(
                    at=lambda: parts.tape,
                    said="Drag the tape back a little and watch what happens there.",
                    by_hand=True,
                )
            )
        found.append(
            Pointer(
                at=lambda: parts.program,
                said="Mend it in the text, or the figure in Setup. The proof follows as you type.",
                by_hand=True,
            )
        )
        found.append(
            Pointer(at=lambda: self.bar.hint, said="Where to look is told by the hints, one by one.", by_hand=True)
        )
        found.append(
            Pointer(at=lambda: self.bar.check, said="Then have it checked.", done=lambda: self.practising.tries > tried)
        )
        return found

    def walk(self) -> None:
        """Two minutes through the five places; it can be left at any point, and comes only when it is asked for."""
        window, parts = self._window, self._parts
        if window.document.job is None:
            parts.first_page.demo_asked.emit("vent-bracket-slip")
        rail = parts.rail.buttons

        def place(name: str, said: str) -> Pointer:
            return Pointer(at=lambda: rail[name], said=said, done=lambda: window.place == name)

        def about(widget: QWidget, said: str) -> Pointer:
            return over(lambda: widget, said)

        def over(widget: Callable[[], QWidget], said: str) -> Pointer:
            return Pointer(at=widget, said=said, by_hand=True)

        guide: Guide = in_order(
            [
                place("write", "Five places, one program. First Write: go there."),
                about(parts.program, "Here is the program. What you type is proved as you type it; the marks in the margin tell cut, rapid and finding."),
                about(parts.side, "Beside it: operations to fill in, sums, drawings, texts. They write blocks, and you may change them."),
                place("setup", "Now Setup: what is really on the bench, against what the control has been told."),
                over(parts.setup, "Each row is a figure: the truth on one side, the belief on the other. Where they differ, machines crash."),
                place("prove", "Now Prove: the cut, at any moment."),
                about(parts.tape, "The tape is the whole program laid out by time. Drag it, forwards and backwards. The flag is the crash."),
                about(parts.findings, "What was found, the worst first. A click leads to the line and the place."),
                place("machine", "Now Machine: a stand-in for the real one."),
                over(lambda: parts.machine().before, "What is still in the way of the cut, from the top down. Nothing here can be broken for good."),
                place("hand-over", "Last, Hand over: the file as the control wants it, the setup sheet, the stick."),
                Pointer(at=lambda: None, said="That is all. Practice jobs wait on the first page and under Find a command. F1 tells every key.", by_hand=True),
            ]
        )  # fmt: skip
        self.show_me.set_palette(window.colours)
        self.show_me.run(guide)

    # -- handing in --------------------------------------------------------------------------------------------------------

    def ask_hand_in(self) -> None:
        """Choose a file for the report."""
        practice = self.practising.practice
        if practice is None:
            return
        start = str(Path.home() / f"{practice.name}.html")
        name, _kind = QFileDialog.getSaveFileName(self._window.widget, "Hand in", start, "Page (*.html);;PDF (*.pdf)")
        if name:
            self.hand_in(Path(name))

    def hand_in(self, path: Path) -> bool:
        """Write the report of the practice job under way. False, with a sentence, where that cannot be."""
        one, document = self.practising, self._window.document
        if one.practice is None or document.proof is None:
            return False
        parts = self._parts
        pictures = []
        glass = parts.machine().glass if self._window.place == "machine" else parts.glass
        image = glass.grab().toImage()
        if not image.isNull() and image.width() > 10:
            pictures.append(("As it stands", image))
        stand = self._stand()
        report = HandIn(
            practice=one.practice, proof=document.proof, verdicts=one.verdicts, hints=one.hints, tries=one.tries, job_text=document.job_text,
            made=stand.parts if stand is not None else 0, morning_s=stand.clock_s if stand is not None else 0.0,
        )  # fmt: skip
        try:
            write_hand_in(report, path, [(title, _as_png(picture)) for title, picture in pictures])
        except UnderGlassError as error:
            self._window.say_trouble(str(error))
            return False
        self._window.say_trouble(f"Handed in: {path}", calm=True)
        return True

    def commands(self) -> list[Command]:
        return [
            Command("Practice jobs", self.show_list),
            Command("Show me (practice)", self.point),
            Command("Check the practice job", self.practising.check),
            Command("A walk through the five places", self.walk),
        ]


def _as_png(image: object) -> bytes:
    from PySide6.QtCore import QBuffer, QByteArray, QIODevice

    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[attr-defined]
    return bytes(data.data())
