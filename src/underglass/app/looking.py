"""What Prove does besides showing: pictures saved, a run held, panels hidden, a stretch looped."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from underglass.app.glass.saving import KINDS, Animation, save_picture, save_stock
from underglass.app.prove.findings_list import PICTURE
from underglass.app.tape.player import BLOCK_A_PRESS, FASTEST, SPEEDS
from underglass.core.errors import BadEntry, UnderGlassError
from underglass.core.files.own_profile import add_machine_word
from underglass.core.finding import Finding
from underglass.core.proof.fixes import Fix, RegisterFix, WordFix
from underglass.core.proof.halts import HALTS
from underglass.core.proof.lens import place_of
from underglass.core.proof.operations import Operation
from underglass.core.proof.proof import Proof

if TYPE_CHECKING:
    from underglass.app.main_window import MainWindow


_PLACE_MS = 300
"""So long nothing must have changed before a finding's place is pictured."""

_KEPT = ("rapids", "fixtures", "tool", "legend", "ghost")
"""What of the glass is shown the next time as it was the last time."""


def _key(finding: Finding) -> tuple[object, ...]:
    return (finding.code, finding.line, finding.column, finding.time_s, finding.message)


class Looking(QObject):
    """Belongs to one window."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.animation: Animation | None = None
        self.wide = False
        self._places: dict[tuple[object, ...], QImage] = {}
        self._soon_place = QTimer(self)
        self._soon_place.setSingleShot(True)
        # Not while one types: a picture of a long program's place takes longer than a stroke.
        self._soon_place.setInterval(_PLACE_MS)
        self._soon_place.timeout.connect(self._take_place)
        document = window.document
        document.proof_changed.connect(self._on_proof_changed)
        document.line_changed.connect(self._on_line_changed)
        document.units_changed.connect(lambda: window.transport.set_unit(document.units))
        window.player.held.connect(lambda why: window.say_trouble(why, calm=True))
        window.player.changed.connect(self._remember)

    def begin(self) -> None:
        """Once the window is laid out: menus, and what was set the last time."""
        w = self._window
        w.tape.fill_menu = self.fill_menu
        w.program.upper.more_menu = self.line_menu
        w.transport.switch_asked.connect(self.set_switch)
        for signal in (w.document.job_changed, w.document.setup_changed):
            signal.connect(self._show_switches)
        w.transport.loop_menu.aboutToShow.connect(self._fill_loop_menu)
        kept = str(w.settings.value("hold_at") or "")
        w.player.halts = frozenset(k for k in kept.split() if k in dict(HALTS))
        speed = w.settings.value("speed")
        if speed is not None:
            known = (*SPEEDS, BLOCK_A_PRESS, FASTEST)
            w.player.speed = next((s for s in known if f"{s:g}" == str(speed)), w.player.speed)
        flags = str(w.settings.value("glass_shows") or "").split()
        changes = {n: f"{n}" in flags for n in _KEPT} if w.settings.contains("glass_shows") else {}
        w.glass.show_with(**changes)
        w.glass.look_changed.connect(self._remember)
        w.transport.refresh()
        beside = w.beside
        beside.runs.held_changed.connect(self._on_held)
        beside.runs.colour_asked.connect(lambda kind: w.glass.show_with(colouring=kind))
        beside.stop.measure_asked.connect(self._on_measure_asked)
        beside.stop.go_on_asked.connect(w.player.play)
        w.glass.measuring.changed.connect(self._on_measured)
        w.findings.fix_asked.connect(self.make_fix)
        w.findings.show_places_with(lambda finding: self._places.get(_key(finding)))
        w.document.finding_changed.connect(self._soon_place.start)

    def _take_place(self) -> None:
        """A picture of the chosen finding's place, beside its sentence."""
        w = self._window
        finding, proof = w.document.finding, w.document.proof
        if finding is None or proof is None or _key(finding) in self._places or not w.findings.isVisible():
            return
        picture = w.glass.photographs.of_finding(proof, finding, PICTURE, w.colours)
        if picture is not None:
            self._places[_key(finding)] = picture
            w.findings.show_chosen()

    def make_fix(self, fix: Fix | RegisterFix | WordFix) -> None:
        """The change that a finding offers, in the text, in the control, or in a profile of one's own."""
        w = self._window
        if isinstance(fix, WordFix):
            self._know_word(fix)
            return
        if isinstance(fix, RegisterFix):
            w.document.set_register(fix)
        else:
            w.editor.make_fix(fix)

    def _know_word(self, fix: WordFix) -> None:
        """A copy of the control's profile beside the job knows one word more; the job names it."""
        document = self._window.document
        if document.job is None:
            return
        control = str(document.job_data.get("control", "word-address-mill"))
        try:
            name = add_machine_word(control, Path(document.job.folder), fix.word)
            edit = document.job_edit()
            # The same file with other contents is named anew, so that the job is read again.
            edit.put(f"./{name}" if control == name else name, "control")
            document.change_job(edit.text, f"let {name} know {fix.word}")
        except UnderGlassError as error:
            self._window.say_trouble(str(error))

    def _show_switches(self) -> None:
        job = self._window.document.job
        if job is not None:
            self._window.transport.show_switches(job.switches)

    def set_switch(self, name: str, value: object) -> None:
        """A switch of the machine's panel, kept in the job: ``feed_override``, ``rapid_override``, ``optional_stop``, ``block_skip``."""
        document = self._window.document
        if document.job is None:
            return
        edit = document.job_edit()
        edit.put(round(value, 3) if isinstance(value, float) else value, "switches", name)
        try:
            document.change_job(edit.text, f"set {name.replace('_', ' ')}", key=name)
        except BadEntry as error:
            self._window.transport.refuse(name, error.why)
        except UnderGlassError as error:
            self._window.say_trouble(str(error))

    def show_page(self, name: str) -> None:
        """A page beside the glass."""
        self._window.go_to_place("prove")
        self._window.beside.choose(name)

    def _on_held(self, proof: object) -> None:
        w = self._window
        held = proof if isinstance(proof, Proof) else None
        w.glass.hold(held)
        w.tape.held = held
        w.tape.update()

    def hold_run(self) -> None:
        """Hold the run that is shown, and say what differs from now on."""
        self.show_page("runs")
        self._window.beside.runs.hold_now()

    def _on_measure_asked(self, mode: str) -> None:
        self._window.glass.measuring.choose(mode)

    def _on_measured(self) -> None:
        w = self._window
        result = w.glass.measuring.result
        if result is not None and result.value is not None and w.beside.page == "stop":
            w.beside.stop.take_figure(result.value)

    def start_here(self) -> None:
        """What a start at the line with the cursor needs."""
        self.show_page("start")

    def _remember(self) -> None:
        w = self._window
        w.settings.setValue("hold_at", " ".join(sorted(w.player.halts)))
        w.settings.setValue("speed", f"{w.player.speed:g}")
        w.settings.setValue("glass_shows", " ".join(n for n in _KEPT if getattr(w.glass.showing, n)))

    # -- operations and loops ------------------------------------------------------------------------------------------

    def forget_places(self) -> None:
        """Pictures of findings' places are of another proof, or of other colours."""
        self._places.clear()
        self._soon_place.start()

    def _on_proof_changed(self) -> None:
        w = self._window
        self.forget_places()
        found = w.glass.stage.operations
        alone = w.player.alone
        if alone is not None:
            same = [o for o in w.tape.operations if (o.tool, o.name) == (alone.tool, alone.name)]
            now = [o for o in found if (o.tool, o.name) == (alone.tool, alone.name)]
            nth = same.index(alone) if alone in same else 0
            w.player.alone = now[nth] if nth < len(now) else None
            w.glass.show_alone(w.player.alone)
        w.tape.operations = found
        if w.player.loop is not None and w.player.loop[1] > w.tape.total:
            w.player.set_loop(None)

    def _on_line_changed(self, line: int) -> None:
        if self._window.document.by_line:
            self._window.player.mark_line(line)

    def operation_now(self) -> Operation | None:
        w = self._window
        return w.tape.operation_at(w.document.moment)

    def cut_alone(self, operation: Operation | None) -> None:
        """Only this operation, on fresh stock; None: everything before it, again."""
        w = self._window
        w.player.stop()
        w.player.alone = operation
        w.glass.show_alone(operation)
        w.player.changed.emit()
        if operation is not None:
            w.document.set_moment(operation.start_s)
            w.say_trouble(
                f"Only {operation.title} is cut, on fresh stock: what it looks like is not what the machine will make.",
                calm=True,
                offers=[("With everything before it", lambda: self.cut_alone(None))],
            )
        else:
            w.say_trouble("")

    def go_to_operation(self, operation: Operation) -> None:
        """To where it begins, with everything before it cut."""
        w = self._window
        if w.player.alone is not None:
            self.cut_alone(None)
        w.player.stop()
        w.document.set_moment(operation.start_s)

    def step_operation(self, way: int) -> None:
        """To the start of the next operation, or of this one or the one before."""
        w = self._window
        starts = [o.start_s for o in w.tape.operations]
        here = w.document.moment
        after = [s for s in starts if s > here + 1e-6]
        before = [s for s in starts if s < here - 1e-6]
        w.player.stop()
        if way > 0 and after:
            w.document.set_moment(after[0])
        elif way < 0:
            w.document.set_moment(before[-1] if before else 0.0)

    def loop_operation(self) -> None:
        """Play the operation at this moment over and over; again: no longer."""
        w = self._window
        operation = self.operation_now()
        if w.player.loop is not None or operation is None:
            w.player.set_loop(None)
        else:
            w.player.set_loop((operation.start_s, operation.end_s))

    def fill_menu(self, menu: QMenu, moment: float) -> None:
        """What can be done with a moment of the tape."""
        w = self._window
        operation = w.tape.operation_at(moment)
        if operation is not None:
            title = operation.title
            menu.addAction(f"Go to the start of {title}", lambda: self.go_to_operation(operation))
            menu.addAction(f"Cut {title} alone, on fresh stock", lambda: self.cut_alone(operation))
        if w.player.alone is not None:
            menu.addAction("Everything before it cut, too", lambda: self.cut_alone(None))
        menu.addSeparator()
        self._loop_actions(menu, moment)

    def line_menu(self, menu: QMenu, line: int) -> None:
        """What can be proved about a line of the program."""
        w = self._window
        proof = w.document.proof
        if proof is None:
            return
        menu.addSeparator()
        begins = proof.moment_of_line(line)
        if begins is not None:
            menu.addAction("Play from here", lambda: (w.document.set_moment(begins), w.player.play()))
            operation = w.tape.operation_at(begins + 1e-6)
            if operation is not None:
                menu.addAction("Cut this operation alone", lambda: self.cut_alone(operation))
        menu.addAction("Hold here when playing", lambda: self.hold_at_line(line))
        menu.addAction("Start here: what to send first\tAlt+Home", lambda: self._about_line(line, "start"))
        if place_of(proof, line) is not None:
            menu.addAction("The compensation lens", lambda: self._about_line(line, "lens"))

    def _about_line(self, line: int, page: str) -> None:
        self._window.document.select_line(line)
        self.show_page(page)

    def hold_at_line(self, line: int) -> None:
        """Playing stops before this line."""
        w = self._window
        w.player.mark_line(line)
        w.player.set_halt("line", True)
        w.say_trouble(f"Playing stops before line {line}.", calm=True)

    def _fill_loop_menu(self) -> None:
        menu = self._window.transport.loop_menu
        menu.clear()
        self._loop_actions(menu, self._window.document.moment)

    def _loop_actions(self, menu: QMenu, moment: float) -> None:
        w = self._window
        total = w.tape.total
        loop = w.player.loop or (0.0, total)
        operation = w.tape.operation_at(moment)
        if operation is not None:
            span = (operation.start_s, operation.end_s)
            menu.addAction(f"Loop {operation.title}", lambda: w.player.set_loop(span))
        ten = (max(0.0, moment - 5.0), min(total, moment + 5.0))
        menu.addAction("Loop five seconds on either side", lambda: w.player.set_loop(ten))
        menu.addAction("Loop from here", lambda: w.player.set_loop((moment, loop[1] if loop[1] > moment else total)))
        menu.addAction("Loop to here", lambda: w.player.set_loop((loop[0] if loop[0] < moment else 0.0, moment)))
        if w.player.loop is not None:
            menu.addAction("No loop", lambda: w.player.set_loop(None))

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
        self.wide = not self.wide
        for part in (w.program, w.right):
            part.setVisible(not self.wide)
        if not self.wide:
            w.go_to_place(w.place)
