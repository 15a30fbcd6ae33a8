"""A job, and the trade that it is of. A job: truth (the bench), belief (registers, control), the program's name, and how it is to be proved."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from underglass.core.bench.bench import Bench
from underglass.core.bench.machine import Machine
from underglass.core.bench.mesh import Mesh
from underglass.core.control.dialect import Dialect
from underglass.core.control.motions import Motions
from underglass.core.control.profile import ControlProfile
from underglass.core.control.state import AtStop, Registers, Start, Switches
from underglass.core.control.timing import Timing, time_motions
from underglass.core.control.words import MILL_WORDS, Vocabulary
from underglass.core.entries.ground import Ground
from underglass.core.proof.cut_order import CutOrder
from underglass.core.removal.stock import History
from underglass.core.tolerances import TOLERANCES
from underglass.core.units import Unit


@dataclass(frozen=True, slots=True)
class RegisterTolerance:
    """How far a register may be from the truth and still count as wear, mm."""

    length: float = TOLERANCES.register_default_mm
    radius: float = 0.02
    work_offset: float = 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class ProofSettings:
    """``cell`` None: chosen from the stock's size. ``clearance`` in mm: closer than this is a close pass.

    ``lowest_z`` and, for single tools, ``lowest_z_of``: how low the tip may go above the part's zero, mm.
    ``target`` is the wanted shape in part-zero coordinates; of a turned part its ``profile``: closed outlines of the half section,
    (X as a radius, Z).
    """

    cell: float | None = None
    clearance: float = 1.0
    lowest_z: float | None = None
    lowest_z_of: Mapping[int, float] = field(default_factory=dict)
    tolerance: RegisterTolerance = field(default_factory=RegisterTolerance)
    target: Mesh | None = None
    target_tolerance: float = 0.05
    profile: tuple[tuple[tuple[float, float], ...], ...] = ()


@dataclass(frozen=True, slots=True)
class Accepted:
    """A finding that is meant: its code, the text of its block, and why."""

    code: str
    block: str
    reason: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Job:
    """Everything but the program's text. ``folder`` is where the relative paths start.

    ``set_registers`` names what the job file itself puts in the control (as G55, H3, D1); everything else in
    ``registers`` equals the truth. ``guessed`` lists, in plain words, what was assumed for a bare program.
    ``not_held`` lists what the job asks for and this version cannot simulate. ``wear`` is what is added in for wear by
    register (H1, D1), mm, radii for D; ``registers`` holds the sums. ``unconfirmed`` names what was guessed once and
    nobody has confirmed: stock, zero, T3. ``accepted`` are the findings that a person means so; ``at_stops`` what is
    corrected at program stops. ``z_by`` is how Z knows the tool (see ``length_ways``), ``z_tool`` the tool that Z was touched
    with (``z_tool_said``: the job names it), ``touched`` by how much Z of each tool was touched off wrong, mm.
    ``stated`` are those of the unconfirmed guesses that the program's own comments say. ``base_registers`` are the H and D that the job sets apart from their wear.
    ``text``: a bare program's guesses as a job file, where its trade writes them so; empty otherwise.
    """

    title: str
    units: Unit
    file: str
    folder: str
    program: str
    bench: Bench
    control: ControlProfile
    registers: Registers
    trade: Trade
    switches: Switches = field(default_factory=Switches)
    start: Start = field(default_factory=Start)
    settings: ProofSettings = field(default_factory=ProofSettings)
    set_registers: frozenset[str] = frozenset()
    guessed: tuple[str, ...] = ()
    not_held: tuple[str, ...] = ()
    wear: Mapping[str, float] = field(default_factory=dict)
    unconfirmed: frozenset[str] = frozenset()
    accepted: tuple[Accepted, ...] = ()
    at_stops: tuple[AtStop, ...] = ()
    z_by: str = "length-registers"
    z_tool: int = 0
    z_tool_said: bool = False
    touched: Mapping[int, float] = field(default_factory=dict)
    base_registers: frozenset[str] = frozenset()
    stated: frozenset[str] = frozenset()
    text: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Bare:
    """What was guessed around a bare program: a job file's text, each guess in words, and the names of those nobody has confirmed
    (``stated``: which of them the program's own comments say)."""

    text: str
    said: tuple[str, ...]
    unconfirmed: frozenset[str]
    stated: frozenset[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class BareAsk:
    """For what a guess is made: the program's file name, and the machine and control it is to run on."""

    name: str
    machine: Machine
    control: ControlProfile


@dataclass(frozen=True, slots=True, kw_only=True)
class BarePrograms:
    """How a trade knows its own bare programs, and what it guesses around one. ``guess`` raises ``Cancelled``."""

    recognises: Callable[[Sequence[str]], bool]
    guess: Callable[[BareAsk, Sequence[str], Unit, Callable[[], bool]], Bare]


@dataclass(frozen=True, slots=True, kw_only=True)
class Trade:
    """``kind`` is what a machine profile calls its machines; ``title`` how a person reads it, ``machines`` what it is done on.

    ``usual_control``, ``usual_machine``: the shipped control and machine of a job that names none. ``read`` takes what is left of a job's file into a job
    that has what every job has, and raises ``BadEntry``. ``bare``: left out, no bare program is taken for one of this trade.
    """

    name: str
    kind: str
    title: str
    machines: str
    usual_control: str
    usual_machine: str
    read: Callable[[Ground, Job], Job]
    dialect: Dialect
    words: Vocabulary = MILL_WORDS
    time: Callable[[Motions, Machine, float, float, tuple[Timing, int] | None], Timing] = time_motions
    cut: Callable[[CutOrder], tuple[History, ...]]
    bare: BarePrograms | None = None
    without: frozenset[str] = frozenset()
    """Codes of the shared rules that make no sense here."""
    switches: frozenset[str] = frozenset()
    """Switches that the operator of such a machine has besides."""
