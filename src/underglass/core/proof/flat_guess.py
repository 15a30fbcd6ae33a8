"""A bare program of a sheet machine as a job: what it has in common, whatever works the sheet. All of it is common practice, no source.

What the comments say of the sheet is taken for true as far as everything fits on it; the rest is guessed so that it does.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.machine import Machine
from underglass.core.control.dialect import Dialect
from underglass.core.control.interpret import Control
from underglass.core.control.motions import Motions
from underglass.core.control.profile import ControlProfile
from underglass.core.control.state import Registers, Start
from underglass.core.language.stated_tool import NUMBER, figure_mm
from underglass.core.proof.job import Bare, BareAsk
from underglass.core.units import MM_PER_INCH, Unit, show_length

Floats = NDArray[np.float64]

READ = 3000
ASIDE = re.compile(r"\([^()]*\)|;.*")
XY = re.compile(r"(?<![A-Z])([XY])\s?[-+.\d#\[]")
_COMMENT = re.compile(r"\(([^()]*)\)|;(.*)$")
_UNIT = r"\s*(MM\b|IN(?:CH(?:ES)?)?\b|\"|'')?"
_METALS = {
    "steel": r"MILD STEEL|STEEL|\bM\.?S\.?\b",
    "stainless": r"STAINLESS(?: STEEL)?|\bS\.?S\.?\b|INOX",
    "aluminium": r"ALUMINI?UM|\bALU?\b",
    "brass": r"BRASS",
    "copper": r"COPPER",
}
_METAL = "|".join(_METALS.values())
_OF_A_SHEET = re.compile(rf"\b(?:SHEET|PLATE|STOCK|BLANK|REMNANT|OUT OF)\b|{_METAL}|\bTHI?CK|\bTHK\b")
_SIZE = re.compile(rf"({NUMBER}){_UNIT}\s*[X*\u00d7]\s*({NUMBER}){_UNIT}(?:\s*[X*\u00d7]\s*({NUMBER}){_UNIT})?")
_THICK = re.compile(
    rf"({NUMBER}){_UNIT}\s*(?:THI?CK\b|THK\b|{_METAL}|PLATE|SHEET)|(?:{_METAL}|THI?CK(?:NESS)?|THK|PLATE|SHEET)\s*[=:]?\s*({NUMBER})\s*(MM\b|IN\b|\")"
)
THIN_MM = 0.001
"""The radius with which compensation is followed for a guess."""
_BETWEEN_MM = 20.0
"""What is left between two sheets side by side."""
_ROOM_MM = 15.0
"""What is left beside the outermost cut, where nothing says."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SaidSheet:
    """What comments state: (along X, along Y), thickness, mm, and material; None, 0 and "" where they do not; the first line of it."""

    size: tuple[float, float] | None = None
    thickness: float = 0.0
    material: str = ""
    line: int = 0


def code(lines: Sequence[str]) -> Iterator[str]:
    """What stands in the lines that are read beside their comments, in capitals."""
    for text in lines[:READ]:
        yield ASIDE.sub("", text).upper()


def comments(line: str) -> str:
    return " ".join(m[1] or m[2] or "" for m in _COMMENT.finditer(line.upper()))[:200]


def stated_sheet(lines: Sequence[str], unit: Unit) -> SaidSheet:
    """What a program's comments say of the sheet."""
    out = SaidSheet()
    for k, text in enumerate(lines[:READ], 1):
        said = comments(text) if "(" in text or ";" in text else ""
        if not said or _OF_A_SHEET.search(said) is None:
            continue
        sized, thick = _SIZE.search(said), _THICK.search(_SIZE.sub(" ", said))
        if sized is not None and out.size is None:
            last = sized[6] or sized[4] or sized[2]
            x, y = figure_mm(sized[1], sized[2] or last, unit), figure_mm(sized[3], sized[4] or last, unit)
            if min(x, y) >= 10.0 and max(x, y) <= 20_000.0:
                third = figure_mm(sized[5], sized[6] or last, unit) if sized[5] else 0.0
                out = replace(out, size=(x, y), thickness=out.thickness or third, line=out.line or k)
        if thick is not None and not out.thickness:
            thickness = figure_mm(thick[1] or thick[3], thick[2] or thick[4], unit)
            if 0.2 <= thickness <= 150.0:
                out = replace(out, thickness=thickness, line=out.line or k)
        metal = next((name for name, words in reversed(_METALS.items()) if re.search(words, said)), "")
        out = replace(out, material=out.material or metal)
    return out


def trial(ask: BareAsk, dialect: Dialect, lines: Sequence[str], cancelled: Callable[[], bool], tool: int) -> Motions:
    """The program's moves with every zero at the machine's and next to nothing compensated: what is programmed is the contour itself.

    ``tool`` is at work before the program says one. Raises ``Cancelled``.
    """
    control: ControlProfile = replace(ask.control, d_default="tool")
    registers = Registers(
        work={f"G{n}": (0.0, 0.0, 0.0) for n in range(54, 60)}, radius=dict.fromkeys(range(1000), THIN_MM)
    )
    return (
        Control(control, ask.machine, registers, start=Start(tool=tool), dialect=dialect).run(lines, cancelled).motions
    )


def places(motions: Motions) -> tuple[Floats, Floats]:
    """Lowest and highest place of each move as the machine stands, seen from the zero: (n, 2) twice, mm."""
    low, high = motions.boxes() if len(motions) else (np.zeros((0, 3)), np.zeros((0, 3)))
    return low[:, :2], high[:, :2]


def figure(mm: float, unit: Unit) -> str:
    return repr(round(mm / (MM_PER_INCH if unit == "inch" else 1.0), 5))


def _sheet_for(said: SaidSheet, low: Floats, high: Floats) -> tuple[Floats, Floats, bool]:
    """(minimum corner from the zero, size, whether it is the stated one) of the sheet for what lies between two places."""
    span = high - low
    if said.size is not None and (np.array(said.size) >= span - 1e-6).all():
        size = np.array(said.size)
        corner = np.where((low >= -1e-6) & (high <= size + 1e-6), 0.0, low - (size - span) / 2.0)
        return corner, size, True
    corner = low - _ROOM_MM
    size = span + 2.0 * _ROOM_MM
    # A zero at the sheet's corner: as far from the far side as from the near one.
    at_corner = (low > 0.0) & (low <= 0.6 * span)
    return np.where(at_corner, 0.0, corner), np.where(at_corner, high + low, size), False


def _zeros_for(machine: Machine, low: Floats, high: Floats, size: Floats, count: int) -> list[Floats]:
    """Where zeros lie on the machine so that each sees every place from the lowest to the highest within travel, a sheet at each:
    side by side along X or Y, all in one place where there is no room for that."""
    least, most = np.array(machine.travel_min[:2]) - low, np.array(machine.travel_max[:2]) - high
    first = np.where(least <= most, np.clip(0.0, least, most), least)
    for axis in (0, 1):
        step = np.zeros(2)
        step[axis] = size[axis] + _BETWEEN_MM
        if count > 1 and first[axis] + step[axis] * (count - 1) <= most[axis]:
            return [first + step * k for k in range(count)]
    return [first] * count


def bare_job(
    ask: BareAsk,
    unit: Unit,
    said: SaidSheet,
    *,
    motions: Motions,
    works: NDArray[np.bool_],
    reach: tuple[Floats, Floats],
    named: tuple[Floats, Floats],
    thickness: float,
    tools: Mapping[int, Sequence[str]],
    told: Sequence[str],
    stated: frozenset[str],
) -> Bare:
    """The job: a sheet for what is worked within ``reach``, zeros for all places that are ``named``, the tools' entries by number.

    ``works``: which moves cut or strike; under more than one offset, a sheet lies at each.
    """
    corner, size, known = _sheet_for(said, *(np.round(place, 2) for place in reach))
    offsets = np.array([s.offset for s in motions.in_force] or ["G54"])[motions.state]
    names = list(dict.fromkeys(offsets[works].tolist())) or ["G54"]
    zeros = dict(
        zip(
            names,
            _zeros_for(
                ask.machine, np.minimum(named[0], corner), np.maximum(named[1], corner + size), size, len(names)
            ),
        )
    )
    lying = names if len({tuple(z.tolist()) for z in zeros.values()}) == len(names) else names[:1]
    for name in sorted({u.name for u in motions.offsets_used} | {"G54"}):
        zeros.setdefault(name, zeros[names[0]])
    thick = said.thickness or thickness
    open_points = ["stock", "zero", "machine", *(f"T{n}" for n in tools)]
    row = ", ".join(figure(v, unit) for v in (*size.tolist(), thick))
    text = [
        "format = 1", f'title = "{_plain(ask.name)}"', f'units = "{unit}"', f'machine = "{ask.machine.name}"', f'control = "{ask.control.name}"',
        f'program = "{_plain(ask.name)}"', "guessed = [" + ", ".join(f'"{n}"' for n in open_points) + "]", "",
        "[zero]", *(f'"{n}" = {{ x = {figure(float(z[0]), unit)}, y = {figure(float(z[1]), unit)} }}' for n, z in zeros.items()), "", "[stock]", 'shape = "sheet"', f"size = [{row}]",
        f"place = [{', '.join(figure(v, unit) for v in corner.tolist())}]",
    ]  # fmt: skip
    if lying != ["G54"]:
        text.append("repeat_at = [" + ", ".join(f'"{n}"' for n in lying) + "]")
    if said.material:
        text.append(f'material = "{said.material}"')
    for number, entry in tools.items():
        text += ["", "[[tool]]", f"number = {number}", *entry]
    shown = " x ".join(show_length(v, unit) for v in (*size.tolist(), thick))
    about = f"sheet: {shown} {unit}, " + (f"as line {said.line} states" if known else "around what is cut")
    return Bare(
        text="\n".join(text) + "\n", said=(about, *(f"zero: another sheet at {n}" for n in lying[1:]), "clamps and things on the table: none", *told), unconfirmed=frozenset(open_points),
        stated=stated | ({"stock"} if known and said.thickness else set()),
    )  # fmt: skip


def _plain(text: str) -> str:
    return text.replace("\\", "\\\\").replace('"', '\\"')
