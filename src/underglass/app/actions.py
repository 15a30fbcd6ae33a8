"""Every command of the window, by name, with its keys: the palette shows them all."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction, QKeySequence

from underglass.app.glass.colouring import COLOURINGS
from underglass.app.glass.measuring import MODES
from underglass.app.prove.side import PAGES as PAGES_BESIDE
from underglass.app.setup.place import PAGE_WORDS, PAGES
from underglass.app.write.program_editor import TEXT_EDITS
from underglass.core.compose.all import OPERATIONS
from underglass.core.files.setup_edit import SLIPS
from underglass.core.language import edits
from underglass.core.proof.halts import HALTS
from underglass.core.reckon.all import RECKONERS

if TYPE_CHECKING:
    from underglass.app.main_window import MainWindow


PAGE_KEYS = ("here", "fill", "reckon", "print", "texts")


def make_actions(w: MainWindow) -> None:
    """Give the window its commands."""

    def add(text: str, run: Callable[[], object], *keys: str | QKeySequence.StandardKey) -> None:
        action = QAction(text, w)
        action.triggered.connect(lambda _checked=False: run())
        if keys:
            action.setShortcuts([QKeySequence(k) for k in keys])
        w.addAction(action)

    add("New program", w.new_program, QKeySequence.StandardKey.New)
    add("Open a job or a program…", w.filing.ask_open, QKeySequence.StandardKey.Open)
    add("Save the program and its job", w.save, QKeySequence.StandardKey.Save)
    add("Save the program as…", w.filing.ask_save_as, QKeySequence.StandardKey.SaveAs)
    add("Save the job as…", w.filing.ask_save_job_as)
    for name, words in (
        ("vent-bracket-slip", "demo with one slip"),
        ("vent-bracket", "clean demo"),
        ("winder-cover", "demo with compensation"),
    ):
        add(f"Open the {words}", lambda n=name: w.open_demo(n))
    add("Prove again", lambda: w.prove(at_once=True), "F5")
    add("Stop the proof", w.stop_proof, "Shift+F5")
    add("Next finding", w.next_finding, "F8")
    add("Make the change offered", w.reader.make_fix, "Alt+Return")
    add("Previous finding", lambda: w.next_finding(-1), "Shift+F8")
    add("Go to place: Write", lambda: w.go_to_place("write"), "Ctrl+1")
    add("Go to place: Prove", lambda: w.go_to_place("prove"), "Ctrl+3")
    add("Go to place: Setup", lambda: w.go_to_place("setup"), "Ctrl+2")
    for name in PAGES:
        add(f"Setup: {PAGE_WORDS[name].lower()}", lambda n=name: w.setting_up.go_to(n))
    add("Tell the control what is on the bench", lambda: (w.go_to_place("setup"), w.setup.tell_control()))
    add("Take the control's word for what is on the bench", lambda: (w.go_to_place("setup"), w.setup.believe_control()))
    for kind, words in SLIPS.items():
        add(f"Slip on purpose, for practice: {words}", lambda k=kind: (w.go_to_place("setup"), w.setup.make_slip(k)))
    for name, word in (
        ("here", "what is in force at the cursor"),
        ("fill", "fill in an operation"),
        ("reckon", "reckon"),
        ("print", "work from the print"),
        ("texts", "the shop's own texts"),
    ):
        add(f"Write: {word}", lambda n=name: w.go_to_page(n), f"Alt+{len(PAGE_KEYS[: PAGE_KEYS.index(name)]) + 1}")
    add("Open a drawing or picture behind the path…", lambda: (w.go_to_page("print"), w.side.print.ask_load()))
    for reckoner in RECKONERS:
        add(f"Reckon: {reckoner.name}", lambda n=reckoner.name: (w.go_to_page("reckon"), w.side.reckon.choose(n)))
    for operation in OPERATIONS:
        add(f"Fill in: {operation.name}", lambda n=operation.name: (w.go_to_page("fill"), w.side.fill.choose(n)))
    add(
        "Open the form of the operation at the cursor",
        lambda: (w.go_to_page("fill"), w.side.fill.open_found()),
        "Ctrl+Shift+O",
    )
    add("Go to place: Hand over", lambda: w.go_to_place("hand-over"), "Ctrl+5")
    add("Compare with another program…", w.comparing.ask_other, "Ctrl+Shift+K")
    add("Compare with what is saved", w.comparing.compare_with_saved)
    add("Send the file to the memory stick", lambda: (w.go_to_place("hand-over"), w.file_page.send_it()))
    add("Play or pause", w.player.toggle, "Ctrl+Space")
    add("Play backwards, again for faster", lambda: w.player.shuttle(-1), "Ctrl+J")
    add("Play forwards, again for faster", lambda: w.player.shuttle(1), "Ctrl+L")
    add("On one block", lambda: w.player.step_block(1), "Alt+Right")
    add("Back one block", lambda: w.player.step_block(-1), "Alt+Left")
    look = w.looking
    for name, _word, tip in PAGES_BESIDE:
        add(f"Prove: {tip[:1].lower()}{tip[1:]}", lambda n=name: look.show_page(n))
    add("Start here: what has to be sent first", look.start_here, "Alt+Home")
    add("Hold this run to compare with", look.hold_run, "Ctrl+Shift+H")
    add("On one operation", lambda: look.step_operation(1), "Ctrl+Alt+Right")
    add("Back to the start of the operation, or the one before", lambda: look.step_operation(-1), "Ctrl+Alt+Left")
    add("Cut this operation alone, on fresh stock", lambda: look.cut_alone(look.operation_now()))
    add("Cut everything before the operation, too", lambda: look.cut_alone(None))
    add("Loop this operation, or no loop", look.loop_operation, "Ctrl+Shift+L")
    for kind, words in HALTS:
        add(f"Hold at, on or off: {words.lower()}", lambda k=kind: w.player.set_halt(k, k not in w.player.halts))
    add("On to the next place to hold at", lambda: w.player.step_halt(1), "Alt+PgDown")
    add("Back to the last place to hold at", lambda: w.player.step_halt(-1), "Alt+PgUp")
    add("On to the next tool change or stop", lambda: w.player.step_event(1), "Alt+Shift+Right")
    add("Back to the last tool change or stop", lambda: w.player.step_event(-1), "Alt+Shift+Left")
    for name in ("corner", "top", "front", "back", "left", "right"):
        add(f"Look from the {name}", lambda n=name: w.glass.view(n))
    add("Show everything in the glass", w.glass.fit, "Ctrl+0")
    add("Show or hide the stock", lambda: w.glass.set_shown(solid=not w.glass.show_solid))
    add("Show or hide the path", lambda: w.glass.set_shown(lines=not w.glass.show_lines))
    add("Parallel or perspective", lambda: w.glass.set_parallel(not w.glass.camera.parallel))
    g = w.glass
    for name, word in COLOURINGS:
        add(f"Colour cut faces by: {word.lower()}", lambda n=name: g.show_with(colouring=n))
    add("Section on or off", g.sawing.toggle)
    for axis, word in enumerate("XYZ"):
        add(f"Section across {word}", lambda a=axis: g.sawing.choose(a))
    add("Take the section's other side away", g.sawing.flip)
    add("Show or hide rapids", lambda: g.show_with(rapids=not g.showing.rapids))
    add("Show or hide the stock as clamped", lambda: g.show_with(ghost=not g.showing.ghost))
    add("Show or hide the tool", lambda: g.show_with(tool=not g.showing.tool))
    add("Show or hide the fixtures", lambda: g.show_with(fixtures=not g.showing.fixtures))
    add("What the glass shows…", w.glass_bar.open_panel)
    for name, word, _tip in MODES:
        add(f"Measure: {word.lower()}", lambda n=name: g.measuring.choose(n))
    for kind, words in (("png", "the picture"), ("stl", "the stock as STL"), ("gif", "a short animation")):
        add(f"Save {words}…", lambda k=kind: w.looking.ask_save(k))
    add("The glass alone, or everything", w.looking.glass_alone, "F11")
    add("Show or hide the program", lambda: w.looking.toggle_part(w.program))
    add("Show or hide the right-hand panels", lambda: w.looking.toggle_part(w.right))
    add("Show millimetres", lambda: w.document.set_units("mm"))
    add("Show inches", lambda: w.document.set_units("inch"))
    add("Day or night colours", w.other_colours, "Ctrl+Shift+D")
    for name, edit, whole in TEXT_EDITS:
        add(name, lambda e=edit, every=whole: w.change_text(e, every))
    add("Find and replace in the program", lambda: w.program.begin(w.find_bar), QKeySequence.StandardKey.Find, "Ctrl+H")
    add("Find the next", w.find_bar.go_on, "F3")
    add("Find the one before", lambda: w.find_bar.go_on(-1), "Shift+F3")
    add("Comment on or off", lambda: w.editor.change_line_here(edits.toggle_comments), "Ctrl+Shift+C")
    add("Change a word in many lines: times, plus, set", lambda: w.program.begin(w.program.word_bar), "Ctrl+Shift+F")
    add("Copy the selected lines, each copy lower", lambda: w.program.begin(w.program.pass_bar), "Ctrl+Shift+P")
    add("Number the blocks: first number and step", lambda: w.program.begin(w.program.number_bar))
    add("Put the cursor in the program", lambda: w.editor.setFocus(), "Ctrl+E")
    add("What may stand here", lambda: w.editor.offer_words(), "Ctrl+Return")
    add("Undo", w.setting_up.undo, QKeySequence.StandardKey.Undo)
    add("Redo", lambda: w.setting_up.undo(1), QKeySequence.StandardKey.Redo)
    add("Fold or unfold here: tool or subprogram", lambda: w.fold_here(), "Ctrl+.")
    add("Fold every tool", lambda: w.fold_all("tool"), "Ctrl+Shift+.")
    add("Fold every subprogram", lambda: w.fold_all("program"))
    add("Unfold everything", lambda: w.editor.unfold_all(), "Ctrl+Shift+,")
    add("Bookmark on or off", lambda: w.editor.toggle_bookmark(), "Ctrl+F2")
    add("Next bookmark", lambda: w.next_bookmark(1), "F2")
    add("Previous bookmark", lambda: w.next_bookmark(-1), "Shift+F2")
    add("One or two views of the program", w.program.split, "Ctrl+Shift+V")
    add("Search commands", w.show_commands, "Ctrl+K")
    add("Quit", w.close, QKeySequence.StandardKey.Quit)
