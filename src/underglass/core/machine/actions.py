"""What a person does at the machine: one value an action, that can be kept in a file and done again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from typing import Any, Literal, get_args, get_type_hints

from underglass.core.errors import UnusableFile

Rate = Literal["slow", "fast", "rapid"]
SWITCHES = ("single-block", "optional-stop", "block-skip", "dry-run", "hold-first-z")
"""Those of the run, by name."""


@dataclass(frozen=True, slots=True)
class Power:
    on: bool = True


@dataclass(frozen=True, slots=True)
class EmergencyStop:
    """Pressed, or turned free again."""

    pressed: bool = True


@dataclass(frozen=True, slots=True)
class Home:
    """Every axis to its home, the one along the tool first."""


@dataclass(frozen=True, slots=True)
class Guard:
    open: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class PutIn:
    """The work goes in; ``fresh``: a new piece, uncut. ``off_stop`` and ``chip`` are mm beside the stop and under the piece; ``turned`` degrees."""

    turned: int = 0
    off_stop: float = 0.0
    chip: float = 0.0
    fresh: bool = False


@dataclass(frozen=True, slots=True)
class TakeOut:
    """The work comes out."""


@dataclass(frozen=True, slots=True)
class Clamp:
    shut: bool


@dataclass(frozen=True, slots=True)
class Drawbar:
    free: bool


@dataclass(frozen=True, slots=True)
class PutTool:
    """By its number on the bench, or an instrument's; 0 takes the tool out."""

    number: int


@dataclass(frozen=True, slots=True)
class Jog:
    """A jog button held down: ``axis`` x, y or z; ``way`` +1 or -1."""

    axis: str
    way: int
    rate: Rate = "slow"


@dataclass(frozen=True, slots=True)
class LetGo:
    """The jog button let go."""


@dataclass(frozen=True, slots=True)
class Step:
    """So far and no farther, mm with sign (a diameter's half where X is one): a step, or so many clicks of the hand wheel."""

    axis: str
    by: float


@dataclass(frozen=True, slots=True)
class Spindle:
    way: Literal["off", "clockwise", "counter-clockwise"]
    speed: float = 0.0


@dataclass(frozen=True, slots=True)
class Overrides:
    """Shares of 1."""

    feed: float = 1.0
    rapid: float = 1.0
    spindle: float = 1.0


@dataclass(frozen=True, slots=True)
class Switch:
    name: str
    on: bool


@dataclass(frozen=True, slots=True)
class Mdi:
    """One line, typed and run."""

    text: str


@dataclass(frozen=True, slots=True)
class CycleStart:
    """Start, or go on. ``line`` (from 1): the program from there; ``knowing``: what that leaves out has been shown."""

    line: int = 0
    knowing: bool = False


@dataclass(frozen=True, slots=True)
class Hold:
    """Feed hold."""


@dataclass(frozen=True, slots=True)
class BackToHeld:
    """Back to where the program was held: first across, then along the tool."""


@dataclass(frozen=True, slots=True)
class StopProgram:
    """The program is given up; the control forgets its modal words, but no shift and no register."""


@dataclass(frozen=True, slots=True)
class Clear:
    """The alarm is read and cleared."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SetFigure:
    """A figure of the control, mm (radii for X of a lathe and for D): ``group`` work, length, radius or geometry; ``axis`` of work and geometry."""

    group: Literal["work", "length", "radius", "geometry"]
    key: str
    value: float
    axis: str = ""


@dataclass(frozen=True, slots=True)
class Load:
    """A program is taken into the control's memory: its file's name and its text."""

    name: str
    text: str


Action = (
    Power | EmergencyStop | Home | Guard | PutIn | TakeOut | Clamp | Drawbar | PutTool | Jog | LetGo | Step | Spindle | Overrides
    | Switch | Mdi | CycleStart | Hold | BackToHeld | StopProgram | Clear | SetFigure | Load
)  # fmt: skip

ACTIONS: Mapping[str, type[Any]] = {kind.__name__: kind for kind in get_args(Action)}
"""Every kind of action, by its name."""


def as_data(action: Action) -> dict[str, Any]:
    """As plain values."""
    return {"do": type(action).__name__, **asdict(action)}


def from_data(data: Mapping[str, Any], where: str) -> Action:
    """From plain values. Raises ``UnusableFile`` where they are no action."""
    name = data.get("do")
    kind = ACTIONS.get(name) if isinstance(name, str) else None
    if kind is None:
        raise UnusableFile(where, f"there is nothing to do called {name!r}")
    hints = get_type_hints(kind)
    given: dict[str, Any] = {}
    known = {f.name for f in fields(kind)}
    for key, value in data.items():
        if key == "do":
            continue
        if key not in known:
            raise UnusableFile(where, f"{name} has no {key!r}")
        given[key] = _checked(value, hints[key], f"{where}: {key!r} of {name}")
    try:
        return kind(**given)  # type: ignore[no-any-return]
    except TypeError as error:
        raise UnusableFile(where, f"{name} lacks something: {error}") from None


def _checked(value: Any, hint: Any, where: str) -> Any:
    choices = get_args(hint)
    if choices:
        if value not in choices:
            raise UnusableFile(where, f"that is one of {', '.join(map(str, choices))}, not {value!r}")
        return value
    if hint is float and isinstance(value, int) and not isinstance(value, bool):
        value = float(value)
    if not isinstance(value, hint) or (hint is int and isinstance(value, bool)):
        raise UnusableFile(where, f"that cannot be {value!r}")
    if hint is float and not abs(value) < 1e6:
        raise UnusableFile(where, "that is too large")
    return value
