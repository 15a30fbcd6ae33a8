"""What Prove does besides showing: pictures saved, a run held, panels hidden, a stretch looped."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QTimer
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from underglass.app.commands import Command
from underglass.app.glass.saving import KINDS, Animation, save_outlines, save_picture, save_stock
from underglass.app.prove.findings_list import PICTURE
from underglass.app.prove.side import PAGES as PAGES_BESIDE
from underglass.app.shell import Fittings, Shell
from underglass.app.tape.player import BLOCK_A_PRESS, FASTEST, SPEEDS
from underglass.core.errors import BadEntry, UnderGlassError
from underglass.core.files.own_profile import add_machine_word
from underglass.core.finding import Finding
from underglass.core.proof.fixes import Fix, RegisterFix, WordFix
from underglass.core.proof.halts import HALTS
from underglass.core.proof.lens import place_of
from underglass.core.proof.operations import Operation
from underglass.core.proof.proof import Proof

_PLACE_MS = 300
"""So long nothing must have changed before a finding's place is pictured."""

_KEPT = ("rapids", "fixtures", "tool", "legend", "ghost")
"""What of the glass is shown the next time as it was the last time."""


def _key(finding: Finding) -> tuple[object, ...]:
    return (finding.code, finding.line, finding.column, finding.time_s, finding.message)


class Looking(QObject):
    """Belongs to one window."""

    def __init__(self, window: Shell, parts: Fittings) -> None:
        super().__init__(window.widget)
        self._window = window
        self._shown_held: Proof | None = None
        self._parts = parts
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
        document.units_changed.connect(lambda: parts.transport.set_unit(document.units))
        parts.player.held.connect(lambda why: window.say_trouble(why, calm=True))
        parts.player.changed.connect(self._remember)

    def begin(self) -> None:
        """Once the window is laid out: menus, and what was set the last time."""
        w, f = self._window, self._parts
        f.tape.fill_menu = self.fill_menu
        f.program.upper.more_menu = self.line_menu
        f.transport.switch_asked.connect(self.set_switch)
        for signal in (w.document.job_changed, w.document.setup_changed):
            signal.connect(self._show_switches)
        f.transport.loop_menu.aboutToShow.connect(self._fill_loop_menu)
        kept = str(w.settings.value("hold_at") or "")
        f.player.halts = frozenset(k for k in kept.split() if k in dict(HALTS))
        speed = w.settings.value("speed")
        if speed is not None:
            known = (*SPEEDS, BLOCK_A_PRESS, FASTEST)
            f.player.speed = next((s for s in known if f"{s:g}" == str(speed)), f.player.speed)
        flags = str(w.settings.value("glass_shows") or "").split()
        changes = {n: f"{n}" in flags for n in _KEPT} if w.settings.contains("glass_shows") else {}
        f.glass.show_with(**changes)
        f.glass.look_changed.connect(self._remember)
        f.transport.refresh()
        beside = f.beside
        beside.late_runs.when_made(lambda runs: runs.held_changed.connect(self._on_held))
        beside.late_runs.when_made(
            lambda runs: runs.colour_asked.connect(lambda kind: f.glass.show_with(colouring=kind))
        )
        beside.late_why.when_made(lambda why: why.take_asked.connect(self._on_why_take))
        beside.late_why.when_made(lambda why: why.run_chosen.connect(self._on_held))
        beside.late_stop.when_made(lambda stop: stop.measure_asked.connect(self._on_measure_asked))
        beside.late_stop.when_made(lambda stop: stop.go_on_asked.connect(f.player.play))
        f.glass.measuring.changed.connect(self._on_measured)
        f.findings.fix_asked.connect(self.make_fix)
        f.findings.show_places_with(lambda finding: self._places.get(_key(finding)))
        w.document.finding_changed.connect(self._soon_place.start)

    def _take_place(self) -> None:
        """A picture of the chosen finding's place, beside its sentence."""
        w, f = self._window, self._parts
        finding, proof = w.document.finding, w.document.proof
        if finding is None or proof is None or _key(finding) in self._places or not f.findings.isVisible():
            return
        picture = f.glass.photographs.of_finding(proof, finding, PICTURE, w.colours)
        if picture is not None:
            self._places[_key(finding)] = picture
            f.findings.show_chosen()

    def make_fix(self, fix: Fix | RegisterFix | WordFix) -> None:
        """The change that a finding offers, in the text, in the control, or in a profile of one's own."""
        w, f = self._window, self._parts
        if isinstance(fix, WordFix):
            self._know_word(fix)
            return
        if isinstance(fix, RegisterFix):
            w.document.set_register(fix)
        else:
            f.program.editor.make_fix(fix)

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
            self._parts.transport.show_switches(job.switches)

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
            self._parts.transport.refuse(name, error.why)
        except UnderGlassError as error:
            self._window.say_trouble(str(error))

    def show_page(self, name: str) -> None:
        """A page beside the glass."""
        self._window.go_to_place("prove")
        self._parts.beside.choose(name)

    def _on_held(self, proof: object) -> None:
        f = self._parts
        held = proof if isinstance(proof, Proof) else None
        self._shown_held = held
        f.glass.hold(held)
        f.tape.held = held
        f.tape.update()

    def show_tried(self, proof: object) -> None:
        """The way that a form would make, drawn beside the run; else the run that is held."""
        wanted = proof if isinstance(proof, Proof) else self._parts.beside.held
        if wanted is not self._shown_held:
            self._shown_held = wanted
            self._parts.glass.hold(wanted)

    def hold_run(self) -> None:
        """Hold the run that is shown, and say what differs from now on."""
        self.show_page("runs")
        self._parts.beside.runs.hold_now()

    def _on_why_take(self) -> None:
        """What was measured last in the glass, as a size to ask about; else measuring begins."""
        glass, page = self._parts.glass, self._parts.beside.why
        feature = glass.measuring.feature()
        if feature is None:
            glass.measuring.choose("across")
            self._window.say_trouble(
                "Measure it in the glass first: a point, a diameter or a width; then take it from there.", calm=True
            )
            return
        page.take_feature(feature, page.proved(feature))

    def _on_measure_asked(self, mode: str) -> None:
        self._parts.glass.measuring.choose(mode)

    def _on_measured(self) -> None:
        f = self._parts
        result = f.glass.measuring.result
        if result is not None and result.value is not None and f.beside.page == "stop":
            f.beside.stop.take_figure(result.value)

    def start_here(self) -> None:
        """What a start at the line with the cursor needs."""
        self.show_page("start")

    def _remember(self) -> None:
        w, f = self._window, self._parts
        w.settings.setValue("hold_at", " ".join(sorted(f.player.halts)))
        w.settings.setValue("speed", f"{f.player.speed:g}")
        w.settings.setValue("glass_shows", " ".join(n for n in _KEPT if getattr(f.glass.showing, n)))

    # -- operations and loops ------------------------------------------------------------------------------------------

    def forget_places(self) -> None:
        """Pictures of findings' places are of another proof, or of other colours."""
        self._places.clear()
        self._soon_place.start()

    def _on_proof_changed(self) -> None:
        f = self._parts
        self.forget_places()
        found = f.glass.stage.operations
        alone = f.player.alone
        if alone is not None:
            same = [o for o in f.tape.operations if (o.tool, o.name) == (alone.tool, alone.name)]
            now = [o for o in found if (o.tool, o.name) == (alone.tool, alone.name)]
            nth = same.index(alone) if alone in same else 0
            f.player.alone = now[nth] if nth < len(now) else None
            f.glass.show_alone(f.player.alone)
        f.tape.operations = found
        if f.player.loop is not None and f.player.loop[1] > f.tape.total:
            f.player.set_loop(None)

    def _on_line_changed(self, line: int) -> None:
        if self._window.document.by_line:
            self._parts.player.mark_line(line)

    def operation_now(self) -> Operation | None:
        w, f = self._window, self._parts
        return f.tape.operation_at(w.document.moment)

    def cut_alone(self, operation: Operation | None) -> None:
        """Only this operation, on fresh stock; None: everything before it, again."""
        w, f = self._window, self._parts
        f.player.stop()
        f.player.alone = operation
        f.glass.show_alone(operation)
        f.player.changed.emit()
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
        w, f = self._window, self._parts
        if f.player.alone is not None:
            self.cut_alone(None)
        f.player.stop()
        w.document.set_moment(operation.start_s)

    def step_operation(self, way: int) -> None:
        """To the start of the next operation, or of this one or the one before."""
        w, f = self._window, self._parts
        starts = [o.start_s for o in f.tape.operations]
        here = w.document.moment
        after = [s for s in starts if s > here + 1e-6]
        before = [s for s in starts if s < here - 1e-6]
        f.player.stop()
        if way > 0 and after:
            w.document.set_moment(after[0])
        elif way < 0:
            w.document.set_moment(before[-1] if before else 0.0)

    def loop_operation(self) -> None:
        """Play the operation at this moment over and over; again: no longer."""
        f = self._parts
        operation = self.operation_now()
        if f.player.loop is not None or operation is None:
            f.player.set_loop(None)
        else:
            f.player.set_loop((operation.start_s, operation.end_s))

    def fill_menu(self, menu: QMenu, moment: float) -> None:
        """What can be done with a moment of the tape."""
        f = self._parts
        operation = f.tape.operation_at(moment)
        if operation is not None:
            title = operation.title
            menu.addAction(f"Go to the start of {title}", lambda: self.go_to_operation(operation))
            menu.addAction(f"Cut {title} alone, on fresh stock", lambda: self.cut_alone(operation))
        if f.player.alone is not None:
            menu.addAction("Everything before it cut, too", lambda: self.cut_alone(None))
        menu.addSeparator()
        self._loop_actions(menu, moment)

    def line_menu(self, menu: QMenu, line: int) -> None:
        """What can be proved about a line of the program."""
        w, f = self._window, self._parts
        proof = w.document.proof
        if proof is None:
            return
        menu.addSeparator()
        begins = proof.moment_of_line(line)
        if begins is not None:
            menu.addAction("Play from here", lambda: (w.document.set_moment(begins), f.player.play()))
            operation = f.tape.operation_at(begins + 1e-6)
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
        w, f = self._window, self._parts
        f.player.mark_line(line)
        f.player.set_halt("line", True)
        w.say_trouble(f"Playing stops before line {line}.", calm=True)

    def _fill_loop_menu(self) -> None:
        menu = self._parts.transport.loop_menu
        menu.clear()
        self._loop_actions(menu, self._window.document.moment)

    def _loop_actions(self, menu: QMenu, moment: float) -> None:
        f = self._parts
        total = f.tape.total
        loop = f.player.loop or (0.0, total)
        operation = f.tape.operation_at(moment)
        if operation is not None:
            span = (operation.start_s, operation.end_s)
            menu.addAction(f"Loop {operation.title}", lambda: f.player.set_loop(span))
        ten = (max(0.0, moment - 5.0), min(total, moment + 5.0))
        menu.addAction("Loop five seconds on either side", lambda: f.player.set_loop(ten))
        menu.addAction("Loop from here", lambda: f.player.set_loop((moment, loop[1] if loop[1] > moment else total)))
        menu.addAction("Loop to here", lambda: f.player.set_loop((loop[0] if loop[0] < moment else 0.0, moment)))
        if f.player.loop is not None:
            menu.addAction("No loop", lambda: f.player.set_loop(None))

    # -- saving what is seen -----------------------------------------------------------------------------------------

    def ask_save(self, kind: str) -> None:
        """Ask for a name and save the picture ("png"), the stock ("stl"), a sheet's outlines ("dxf") or an animation ("gif")."""
        w = self._window
        if w.document.proof is None:
            w.say_trouble("There is nothing to save yet: open a job or a program.", calm=True)
            return
        base = w.document.program_path or Path.home() / "glass"
        name, _kind = QFileDialog.getSaveFileName(
            w.widget, "Save what the glass shows", str(base.with_suffix(f".{kind}")), KINDS[kind]
        )
        if name:
            path = Path(name)
            self.save(kind, path if path.suffix else path.with_suffix(f".{kind}"))

    def save(self, kind: str, path: Path) -> None:
        """Save it; what went wrong is said in the window."""
        w, f = self._window, self._parts
        try:
            if kind == "png":
                save_picture(f.glass, path, lambda: [f.glass_bar, f.glass_bar.strip, f.glass_bar.panel])
                w.say_trouble(f"{path.name} holds the picture.", calm=True)
            elif kind == "stl":
                count = save_stock(f.glass, w.document, path)
                w.say_trouble(f"{path.name} holds the stock as it stands, {count:,} triangles.", calm=True)
            elif kind == "dxf":
                count = save_outlines(w.document, path)
                w.say_trouble(f"{path.name} holds what is left of the sheet, {count:,} outlines.", calm=True)
            else:
                self._animate(path)
        except (OSError, UnderGlassError) as error:
            said = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
            w.say_trouble(f"{path.name} could not be written: {said}.")

    def _animate(self, path: Path) -> None:
        w, f = self._window, self._parts
        if self.animation is not None:
            self.animation.cancel()
        begin, end = f.player.loop or (0.0, f.tape.total)
        self.animation = Animation(f.glass, w.document, path, begin, end)
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
        w, f = self._window, self._parts
        self.wide = not self.wide
        for part in (f.program, f.right):
            part.setVisible(not self.wide)
        if not self.wide:
            w.go_to_place(w.place)

    def commands(self) -> list[Command]:
        f = self._parts
        player = f.player
        return [
            *(
                Command(f"Prove: {tip[:1].lower()}{tip[1:]}", lambda n=name: self.show_page(n))  # type: ignore[misc]
                for name, _word, tip in PAGES_BESIDE
            ),
            Command("Start here: what has to be sent first", self.start_here, ("Alt+Home",)),
            Command("Keep this run to compare with", self.hold_run, ("Ctrl+Shift+H",)),
            Command("On one operation", lambda: self.step_operation(1), ("Ctrl+Alt+Right",)),
            Command(
                "Previous operation",
                lambda: self.step_operation(-1),
                ("Ctrl+Alt+Left",),
            ),
            Command("Cut this operation alone, on fresh stock", lambda: self.cut_alone(self.operation_now())),
            Command("Cut everything before the operation, too", lambda: self.cut_alone(None)),
            Command("Loop this operation, or no loop", self.loop_operation, ("Ctrl+Shift+L",)),
            *(
                Command(f"Stop at, on or off: {words}", lambda k=kind: player.set_halt(k, k not in player.halts))  # type: ignore[misc]
                for kind, words in HALTS
            ),
            *(
                Command(f"Save {words}…", lambda k=kind: self.ask_save(k))  # type: ignore[misc]
                for kind, words in (
                    ("png", "the picture"),
                    ("stl", "the stock as STL"),
                    ("dxf", "what is left of the sheet as DXF"),
                    ("gif", "a short animation"),
                )
            ),
            Command("What the glass shows…", f.glass_bar.open_panel),
            Command("The glass alone, or everything", self.glass_alone, ("F11",)),
            Command("Show or hide the program", lambda: self.toggle_part(f.program)),
            Command("Show or hide the right-hand panels", lambda: self.toggle_part(f.right)),
        ]
