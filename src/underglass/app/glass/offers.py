"""What the glass offers to the command palette."""

from __future__ import annotations

from underglass.app.commands import Command
from underglass.app.glass.colouring import COLOURINGS
from underglass.app.glass.measuring import MODES
from underglass.app.glass.widget import Glass


def glass_commands(glass: Glass) -> list[Command]:
    """What one can do in the glass."""

    def flip(name: str) -> object:
        return glass.show_with(**{name: not getattr(glass.showing, name)})

    return [
        *(
            Command(f"Look from the {name}", lambda n=name: glass.view(n))  # type: ignore[misc]
            for name in ("corner", "top", "front", "back", "left", "right")
        ),
        Command("Fit all in the glass", glass.fit, ("Ctrl+0",)),
        Command("Show or hide the stock", lambda: glass.set_shown(solid=not glass.show_solid)),
        Command("Show or hide the path", lambda: glass.set_shown(lines=not glass.show_lines)),
        Command("On the drawing plane, with figures at the cursor", glass.on_the_plane, ("Ctrl+Shift+D",)),
        Command("Parallel or perspective", lambda: glass.set_parallel(not glass.camera.parallel)),
        *(
            Command(f"Colour cut faces by: {word.lower()}", lambda n=name: glass.show_with(colouring=n))  # type: ignore[misc]
            for name, word in COLOURINGS
        ),
        Command("Section on or off", glass.sawing.toggle),
        *(
            Command(f"Section across {word}", lambda a=axis: glass.sawing.choose(a))  # type: ignore[misc]
            for axis, word in enumerate("XYZ")
        ),
        Command("Flip the section", glass.sawing.flip),
        *(
            Command(f"Show or hide {words}", lambda n=name: flip(n))  # type: ignore[misc]
            for name, words in (
                ("rapids", "rapids"), ("ghost", "the stock as clamped"), ("tool", "the tool"), ("fixtures", "the fixtures"),
            )
        ),
        *(
            Command(f"Measure: {word.lower()}", lambda n=name: glass.measuring.choose(n))  # type: ignore[misc]
            for name, word, _tip in MODES
        ),
    ]  # fmt: skip
