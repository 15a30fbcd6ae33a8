"""A bare turning program as a job: what tells that it is one, and the bar, chuck and tools that would make it right.

What the comments say of bar and tools is taken for true; the rest is guessed from what each tool does. All of it is common
practice, no source.

Glossary
    passes   long feeds along the axis
    plunge   a feed straight towards the axis
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.machine import Machine
from underglass.core.control.interpret import Control
from underglass.core.control.motions import Motions
from underglass.core.control.profile import ControlProfile
from underglass.core.control.state import Registers
from underglass.core.proof.job import Bare, BareAsk
from underglass.core.trades.turning.dialect import LATHE
from underglass.core.trades.turning.stated import ASIDE, READ, Said, stated_bar, stated_tools
from underglass.core.trades.turning.tool_entry import highest_number
from underglass.core.units import MM_PER_INCH, Unit, show_length

Floats = NDArray[np.float64]

_Y = re.compile(r"(?<![A-Z])Y\s?[-+.\d#\[]")
_TURNED = re.compile(
    r"(?<![A-Z])T\d{3,4}(?!\d)(?!.*M0?6(?!\d))|(?<![A-Z])G0?96(?![\d.])|(?<![A-Z])G50\s?S|(?<![A-Z])G7[0-6](?![\d.]).*P\s?\d+.*Q\s?\d+"
)
_INCREMENTS = re.compile(r"(?<![A-Z])[UW]\s?[-+.\d]")
_BARS_MM = (6.0, 8.0, 10.0, 12.0, 14.0, 16.0, 18.0, 20.0, 22.0, 25.0, 28.0, 30.0, 32.0, 35.0, 36.0, 38.0, 40.0, 42.0, 45.0, 48.0, 50.0, 55.0,
            60.0, 65.0, 70.0, 75.0, 80.0, 90.0, 100.0, 110.0, 120.0, 140.0, 160.0, 180.0, 200.0)  # fmt: skip
_BARS_INCH = tuple(k / 8.0 * MM_PER_INCH for k in range(2, 65))
_FACED_MM = 1.0
"""What a face takes off, where nothing says."""
_FACED_DOWN_MM = 3.0
"""Below this a tool that only goes towards the axis is a blade."""
_AROUND_A_BORE_MM = 8.0
_LEAST_WALL_MM = 1.0
_GRIPPED_MM = 30.0
_FROM_JAWS_MM = 10.0
"""How far the jaws stand from the lowest place that a tool comes to."""
_DRILL_MM = {"mm": 10.0, "inch": 0.375 * MM_PER_INCH}
_BLADE_MM = 3.0
_EDGE_MM = 12.0


def recognises(lines: Sequence[str]) -> bool:
    """Whether a program is a lathe's: it never says Y, and has words that only lathes use or X and Z with U and W."""
    found = False
    for text in lines[:READ]:
        words = ASIDE.sub("", text).upper()
        if _Y.search(words):
            return False
        found = found or _TURNED.search(words) is not None
        found = found or (
            _INCREMENTS.search(words) is not None and "G43" not in words and ("X" in words or "Z" in words)
        )
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class _Work:
    """What one tool does, in the coordinates of the program, X as a radius, mm: rows of feeds, and all its rows."""

    start: Floats
    end: Floats
    fed: NDArray[np.bool_]
    bent: NDArray[np.bool_]
    radius: Floats
    ways: Floats
    """(k, 2) unit ways at the ends of feeds."""
    lead: float

    @property
    def along(self) -> NDArray[np.bool_]:
        """Feeds along the axis."""
        out: NDArray[np.bool_] = self.fed & (np.abs(self.end - self.start)[:, 1] > 0.3)
        return out

    @property
    def plunges(self) -> NDArray[np.bool_]:
        way = self.end - self.start
        out: NDArray[np.bool_] = self.fed & (np.abs(way[:, 1]) < 1e-6) & (way[:, 0] < -0.1)
        return out

    @property
    def on_the_axis(self) -> bool:
        return bool(self.along.any()) and bool((np.abs(self.end[self.fed][:, 0]) < 0.02).all())

    @property
    def inside(self) -> bool:
        """Whether it leaves what it turned towards the axis."""
        outward = inward = 0
        rows = np.flatnonzero(self.along & (self.end[:, 1] < self.start[:, 1]))
        for k in rows.tolist():
            for after in range(k + 1, min(k + 3, len(self.end))):
                step = float(self.end[after, 0] - self.start[after, 0])
                if abs(step) > 0.02 and not self.along[after]:
                    outward, inward = outward + (step > 0.0), inward + (step < 0.0)
                    break
        return inward > outward


def _work_of(motions: Motions, station: int) -> _Work:
    mine = motions.tool_of() == station
    shift = motions.shifts()[mine][:, [0, 2]]
    start, end = motions.start[mine][:, [0, 2]] - shift, motions.end[mine][:, [0, 2]] - shift
    fed = (~motions.rapid() & (motions.dwell == 0.0))[mine]
    bent = motions.sweep[mine] != 0.0
    ways: list[tuple[float, float]] = []
    for move in np.flatnonzero(mine & ~motions.rapid() & (motions.dwell == 0.0)).tolist():
        count = 1 if motions.sweep[move] == 0.0 else 8
        places = np.array([motions.at(move, k / count) for k in range(count + 1)])[:, [0, 2]]
        ways += [(float(x), float(z)) for x, z in np.diff(places, axis=0)]
    leads = [s.station.lead if s.station else 0.0 for s in motions.in_force]
    lead = np.array(leads or [0.0])[motions.state[mine]]
    return _Work(
        start=start, end=end, fed=fed, bent=bent, radius=motions.radius()[mine], ways=np.array(ways or [(0.0, 0.0)]), lead=float(lead.max()) if mine.any() else 0.0
    )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class _Tool:
    number: int
    kind: str
    size: float
    pitch: float
    work: _Work
    said: bool
    insert: str = ""
    """As the comments state it, and its nose in mm; "" and 0 where they do not."""
    nose: float = 0.0

    @property
    def outer(self) -> bool:
        return self.kind == "turning"


def _tool(number: int, work: _Work, said: Said | None, unit: Unit) -> _Tool:
    """What a station most likely holds."""
    kind = said.kind if said is not None else ""
    if (kind == "threading") != bool(work.lead) and kind != "tap":
        kind = ""
    if not kind:
        if work.on_the_axis:
            kind = "tap" if work.lead else "drill"
        elif work.lead:
            kind = "threading"
        elif (
            work.plunges.any() and not work.along.any() and float(work.end[work.plunges][:, 1].max()) < -_FACED_DOWN_MM
        ):
            kind = "parting" if float(work.end[work.plunges][:, 0].min()) < 0.5 else "grooving"
        else:
            kind = "boring" if work.inside else "turning"
    size = said.size if said is not None else 0.0
    pitch = (said.pitch if said is not None else 0.0) or work.lead
    if kind in ("drill", "reamer", "spot-drill", "centre-drill", "tap") and not size:
        size = _DRILL_MM[unit] if kind != "centre-drill" else 4.0
    if kind in ("grooving", "parting") and not size:
        steps = np.abs(np.diff(np.unique(np.round(work.end[work.plunges][:, 1], 3))))
        near = steps[(steps > 0.05) & (steps < 8.0)]
        size = max(_BLADE_MM, math.ceil(float(near.max()))) if len(near) else _BLADE_MM
    insert, nose = (said.insert, said.nose) if said is not None else ("", 0.0)
    return _Tool(
        number=number, kind=kind, size=size, pitch=pitch, work=work, said=said is not None and bool(said.size), insert=insert, nose=nose
    )  # fmt: skip


def _descent(work: _Work, inside: bool) -> float:
    """The steepest that a tool goes into the work on its way towards the chuck, degrees from the axis."""
    x = work.ways[:, 0] * (-1.0 if inside else 1.0)
    z = work.ways[:, 1]
    into = (x < -1e-6) & (z < -1e-6)
    return float(np.degrees(np.arctan2(-x[into], -z[into])).max()) if into.any() else 0.0


_KAPR = {"C": 95.0, "W": 95.0, "D": 93.0, "V": 93.0, "T": 91.0, "S": 75.0}
"""How the inserts usually stand (common practice, no source)."""


def _insert(tool: _Tool) -> tuple[str, float]:
    """(letter of ISO 1832, KAPR): as it is stated, else the strongest insert that reaches down the slopes that are programmed."""
    down = _descent(tool.work, tool.kind == "boring")
    if tool.insert in _KAPR:
        # A slim one that is to go down steeply stands in the middle of its holder.
        steep = {"D": (31.0, 62.5), "V": (51.0, 72.5)}.get(tool.insert)
        return tool.insert, steep[1] if steep is not None and down > steep[0] else _KAPR[tool.insert]
    for letter, kapr, free in (("C", 95.0, 4.5), ("D", 93.0, 31.0), ("V", 93.0, 51.0)):
        if down <= free:
            return letter, kapr
    return "V", 72.5


def _front(tools: Sequence[_Tool]) -> float:
    """Z of the bar's front: so much above the first face as its passes are apart, or 1 mm; 0 where nothing is faced."""
    heights: set[float] = set()
    for tool in tools:
        rows = tool.work.plunges & (np.abs(tool.work.end[:, 0]) < 2.0) if tool.outer else np.zeros(0, dtype=np.bool_)
        heights |= {round(z, 4) for z in tool.work.end[rows][:, 1].tolist()} if len(rows) else set()
    if not heights:
        return 0.0
    order = sorted(heights, reverse=True)
    run = [order[0], *(z for z in order[1:] if order[0] - z < 12.0)]
    step = run[0] - run[1] if len(run) > 1 else _FACED_MM
    return run[0] + min(step, 2.0) if run[0] > -5.0 else 0.0


def _diameter(tools: Sequence[_Tool], unit: Unit) -> float:
    """Of the bar, mm: the largest usual one that is more than what is turned and less than where the tools come from."""
    turned, least = 0.0, math.inf
    for tool in tools:
        work = tool.work
        if tool.kind not in ("turning", "grooving", "parting", "threading"):
            bored = float(work.end[work.fed][:, 0].max()) if work.fed.any() else 0.0
            turned = max(turned, tool.size + _AROUND_A_BORE_MM, 2.0 * bored + _AROUND_A_BORE_MM)
            continue
        if tool.outer and work.along.any():
            below = work.along & (np.minimum(work.start[:, 1], work.end[:, 1]) < -0.01)
            if below.any():
                turned = max(turned, 2.0 * float(np.minimum(work.start, work.end)[below][:, 0].max()))
        froms = work.start[work.plunges & (np.roll(~work.fed, 1) | (np.arange(len(work.fed)) == 0))][:, 0]
        if len(froms) and not tool.outer:
            turned = max(turned, 2.0 * float(froms.max()) - 6.0)
        if tool.outer and work.fed.any():
            first = int(np.argmax(work.fed))
            # From where the first face, or the first pass, is begun.
            least = min(least, 2.0 * float(max(work.start[first, 0], work.end[: first + 1, 0].min())))
            faces = work.plunges & (work.end[:, 0] < 1.0)
            if faces.any():
                least = min(least, 2.0 * float(work.start[faces][:, 0].max()))
    sizes = _BARS_INCH if unit == "inch" else _BARS_MM
    if math.isinf(least):
        least = turned + 6.0
    fits = [s for s in sizes if turned + 0.5 <= s <= least - 0.9]
    return fits[-1] if fits else min((s for s in sizes if s >= turned + 0.5), default=turned + 2.0)


def _figure(mm: float, unit: Unit) -> str:
    return repr(round(mm / (MM_PER_INCH if unit == "inch" else 1.0), 4 if unit == "mm" else 5))


def _tool_text(tool: _Tool, gauge: float, depth: float, unit: Unit) -> Iterator[str]:
    """A ``[[tool]]`` entry. ``depth``: from the bar's front to the lowest place that anything reaches, mm."""

    def mm(value: float) -> str:
        return _figure(value, unit)

    yield from ("", "[[tool]]", f"number = {tool.number}", f'kind = "{tool.kind}"', 'turns = "either"')
    work = tool.work
    deep = -float(work.end[work.fed][:, 1].min()) if work.fed.any() else depth
    if tool.kind in ("drill", "reamer", "tap", "spot-drill", "centre-drill"):
        flutes = max(5.0 * tool.size, deep + 15.0)
        yield from (f"DC = {mm(tool.size)}", f"APMX = {mm(flutes)}", f"gauge = {{ x = 0.0, z = {mm(flutes + 40.0)} }}")
        if tool.pitch:
            yield f"TP = {mm(tool.pitch)}"
        return
    x = f"gauge = {{ x = {mm(gauge)}, z = {mm(60.0)} }}"
    if tool.kind in ("grooving", "parting"):
        rows = work.plunges
        reach = float((work.start - work.end)[rows][:, 0].max()) if rows.any() else 6.0
        yield from (
            f"width = {mm(tool.size)}",
            f"depth = {mm(max(10.0, reach + 5.0))}",
            "orientation = 3",
            f"RE = {mm(0.1)}",
            x,
        )
        yield f"holder = {{ width = {mm(max(tool.size, 8.0))}, length = {mm(80.0)} }}"
        return
    if tool.kind == "threading":
        inside = work.inside or _goes_out(work)
        yield from ("SIG = 60", f"orientation = {6 if inside else 8}", x)
        return
    inside = tool.kind == "boring"
    letter, kapr = _insert(tool)
    nose = tool.nose or 0.4
    concave = work.radius[work.bent & work.fed]
    if not tool.nose and len(concave) and float(concave.min()) < 0.5:
        nose = 0.2
    back = work.along & (work.end[:, 1] > work.start[:, 1])
    ahead = work.along & (work.end[:, 1] < work.start[:, 1])
    ways = np.abs(work.end - work.start)
    from_the_back = float(ways[back][:, 1].sum())
    towards_tail = not inside and from_the_back > 3.0 * float(ways[ahead][:, 1].sum()) + float(
        ways[work.plunges][:, 0].sum()
    )
    side = 2 if inside else 4 if towards_tail else 3
    yield from (
        f'insert = "{letter}"',
        f"RE = {mm(nose)}",
        f"L = {mm(6.0 if inside else _EDGE_MM)}",
        f"KAPR = {kapr}",
        f"orientation = {side}",
    )
    if inside:
        yield f"gauge = {{ x = {mm(10.0)}, z = {mm(max(60.0, deep + 50.0))} }}"
        return
    yield x
    yield f"holder = {{ width = {mm(20.0)}, length = {mm(100.0)} }}"


def _goes_out(work: _Work) -> bool:
    """Whether passes of a thread go outward one after the other."""
    rows = work.along
    if not rows.any():
        return False
    x = work.end[rows][:, 0]
    return bool(x[-1] > x[0] + 1e-6)


def guess(ask: BareAsk, lines: Sequence[str], unit: Unit, cancelled: Callable[[], bool]) -> Bare:
    """A job's text around a bare turning program, and what was guessed. Raises ``Cancelled``."""
    motions = _trial(ask.machine, ask.control, lines, cancelled)
    said = stated_tools(lines, unit)
    shift = motions.shifts()[:, [0, 2]] if len(motions) else np.zeros((0, 2))
    ends = (motions.end[:, [0, 2]] - shift) if len(motions) else np.zeros((0, 2))
    called = motions.tool_of()
    highest = highest_number(ask.machine.more)
    stations = list(dict.fromkeys(int(n) for n in called.tolist() if 0 < n <= highest))
    works = {n: _work_of(motions, n) for n in stations}
    tools = [_tool(n, works[n], said.get(n), unit) for n in stations]
    front = _front(tools)
    fed = ~motions.rapid() & (motions.dwell == 0.0) if len(motions) else np.zeros(0, dtype=np.bool_)
    low = min(0.0, float(ends[fed][:, 1].min())) if fed.any() else -20.0
    diameter, length, line = stated_bar(lines, unit)
    known = frozenset({"stock"}) if diameter else frozenset()
    stated = diameter
    diameter = diameter or _diameter(tools, unit)
    face = low - _FROM_JAWS_MM
    if not length or front - length > face - 5.0:
        length = front - face + _GRIPPED_MM
    home = ask.machine.home[0]
    # A gauge with which the farthest place that the program names is within travel (home itself is one of the machine's own).
    named = ends[motions.end[:, 0] < home - 1e-3][:, 0] if len(ends) else np.zeros(0)
    gauge = min(120.0, max(20.0, 2.0 * (home - float(named.max(initial=0.0)))))
    bore = _bore(tools)
    # What is stated of the bar goes before what is bored out of it.
    bore = bore if bore < diameter - _LEAST_WALL_MM else 0.0
    size = [diameter, *([bore] if bore else []), length]
    text = ["format = 1", f'title = "{_plain(ask.name)}"', f'units = "{unit}"', f'machine = "{ask.machine.name}"',
            f'control = "{ask.control.name}"', f'program = "{_plain(ask.name)}"', ""]  # fmt: skip
    open_points = ["stock", "zero", "machine", *(f"T{n}" for n in stations)]
    text.insert(6, "guessed = [" + ", ".join(f'"{n}"' for n in open_points) + "]")
    text += ["[zero]", f"G54 = {{ z = {_figure(-450.0 - face, unit)} }}", "", "[stock]", f'shape = "{"tube" if bore else "bar"}"',
             f"size = [{', '.join(_figure(v, unit) for v in size)}]", f"place = {_figure(front, unit)}", "", "[chuck]", 'kind = "jaws"',
             f"face = {_figure(face, unit)}", f"diameter = {_figure(max(160.0, diameter + 60.0), unit)}",
             f"jaws = {{ length = {_figure(_GRIPPED_MM, unit)}, height = {_figure(25.0, unit)} }}"]  # fmt: skip
    # Nobody has said how far the holders stand from the edges: how near they pass is no news.
    text += ["", "[proof]", "clearance = 0.0"]
    for tool in tools:
        text += _tool_text(tool, gauge, front - low, unit)
    shown = " x ".join(f"{show_length(v, unit)}" for v in size)
    about = f"stock: a {'tube' if bore else 'bar'} {shown} {unit}"
    about += f", as line {line} states" if stated else ", around what is turned"
    told = [about, f"chuck: jaws, their front end at Z{show_length(face, unit)}", "registers: all right"]
    told += [f"tool {t.number}: {_words(t, unit)}" for t in tools]
    return Bare(
        text="\n".join(text) + "\n", said=tuple(told), unconfirmed=frozenset(open_points),
        stated=known | {f"T{t.number}" for t in tools if t.said},
    )  # fmt: skip


def _words(tool: _Tool, unit: Unit) -> str:
    names = {
        "turning": "turning tool",
        "boring": "boring bar",
        "grooving": "grooving tool",
        "parting": "parting tool",
        "threading": "threading tool",
    }
    name = names.get(tool.kind, tool.kind.replace("-", " "))
    if tool.kind in ("turning", "boring"):
        nose = f", nose {show_length(tool.nose, unit)}" if tool.nose else ""
        return f"{name}, insert {_insert(tool)[0]}{nose}"
    return f"{name} {show_length(tool.size, unit)}" if tool.size else name


def _bore(tools: Sequence[_Tool]) -> float:
    """The bore that is there before a boring bar comes into what nobody has drilled, mm; 0: none needed."""
    for tool in tools:
        if tool.kind in ("drill", "reamer"):
            return 0.0
        if tool.kind == "boring" and len(tool.work.end):
            below = tool.work.end[tool.work.end[:, 1] < -0.5]
            return 2.0 * float(below[:, 0].min()) if len(below) and below[:, 0].min() > 1.0 else 0.0
    return 0.0


def _plain(text: str) -> str:
    return text.replace("\\", "\\\\").replace('"', '\\"')


def _trial(machine: Machine, control: ControlProfile, lines: Sequence[str], cancelled: Callable[[], bool]) -> Motions:
    """The program's moves with every gauge, wear and nose at nothing: what is programmed is the contour itself."""
    limits = replace(control.limits, jumps=20_000, work=50_000, pecks=2_000)
    registers = Registers(work={f"G{n}": (0.0, 0.0, -380.0) for n in range(54, 60)})
    return Control(replace(control, limits=limits), machine, registers, dialect=LATHE).run(lines, cancelled).motions
