"""Starting in the middle: the whole state before a line, and what a person at the machine has to send first.

Glossary
    need    something that is in force before the line and that a control fresh from power-on does not have
    given   a need that the program from the line on states itself before it moves
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from underglass.core.control.block_words import BlockWords
from underglass.core.control.interpret import Control
from underglass.core.control.modal import Modal
from underglass.core.control.places import programmed
from underglass.core.control.state import InForce, Vector
from underglass.core.finding import Finding
from underglass.core.language.block import read_block
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import control_for
from underglass.core.units import MM_PER_INCH, Unit, show_length

_CLEAR_MM = 2.0
"""How high above the stock a tool is brought at rapid (common practice, no source)."""

_LOOK = 200
"""Blocks that are looked through for what the program states itself: no safe line is longer."""


@dataclass(frozen=True, slots=True)
class Need:
    """``what`` in words; ``words`` as they are sent; ``group`` is the modal group, or tool, spindle, feed, place…"""

    group: str
    what: str
    words: str
    given: bool = False


@dataclass(frozen=True, slots=True)
class Restart:
    """A start from ``line``. ``place`` is where the program is then, as it would say it, mm; ``blocks`` what to send first.

    ``instead`` is a line from which a start is simpler, and ``why`` the reason, where this one lies inside a compensated
    contour, a loop or a subprogram; None where the line is as good as any. ``reached`` is False where the program never
    comes to the line: then nothing else holds.
    """

    line: int
    reached: bool
    state: InForce
    place: Vector
    machine: Vector
    feed: float
    needs: tuple[Need, ...] = ()
    blocks: tuple[str, ...] = ()
    variables: Mapping[int, float] | None = None
    instead: int | None = None
    why: str = ""

    @property
    def missing(self) -> tuple[Need, ...]:
        """What a bare start from the line would leave out."""
        return tuple(need for need in self.needs if not need.given)

    def finding(self) -> Finding | None:
        """The note that such a start deserves; None where nothing would be left out."""
        missing = self.missing
        if not self.reached or not missing:
            return None
        said = ", ".join(need.what for need in missing)
        return Finding(
            "restart-unsafe",
            self.line,
            f"a start from here would leave out: {said}",
            f"send first: {' / '.join(self.blocks)}",
            tool=self.state.tool or None,
            evidence={"missing": len(missing), "instead_line": self.instead},
        )


def restart(proof: Proof, line: int) -> Restart:
    """Everything about a start from a line of the main program."""
    control = control_for(proof.job)
    reached = control.stand_before(proof.source.lines, line, proof.source.name, proof.run)
    m = control.modal
    place = programmed(control)
    if not reached:
        return Restart(line, False, m.freeze(), place, control.at, m.feed)
    given = _given(control, proof.source.lines[line - 1 :])
    needs = tuple(_needs(control, given, place))
    top = max((solid.top for solid in proof.job.bench.stocks), default=0.0)
    over = m.mapping.back((0.0, 0.0, top - m.shift[2]))[2] + _CLEAR_MM
    instead, why = _instead(control, line)
    variables = {k: v for k, v in control.flow.variables.items() if v}
    return Restart(
        line, True, m.freeze(), place, control.at, m.feed, needs, _blocks(control, place, over, variables), variables, instead, why
    )  # fmt: skip


def _instead(control: Control, line: int) -> tuple[int | None, str]:
    if control.comp is not None:
        return control.comp_line or None, "radius compensation is on here; it can only be begun on its way in"
    if not control.flow.at_top:
        first = control.flow.outermost
        return (first if first != line else None), "this line lies in a loop or a subprogram"
    return None, ""


def _given(control: Control, lines: tuple[str, ...] | list[str]) -> set[str]:
    """Groups that the program states itself, up to and with the first block that moves."""
    out: set[str] = set()
    for text in lines[:_LOOK]:
        block = read_block(text, 1)
        words = BlockWords(block, control.profile, lambda _code, _word, _message, _remedy: None)
        out |= set(words.g)
        if "tool change" in words.m and "T" in words.letters:
            out.add("tool")
        if "spindle" in words.m:
            out.add("spindle")
        if "S" in words.letters:
            out.add("speed")
        if "coolant" in words.m:
            out.add("coolant")
        if "F" in words.letters:
            out.add("feed")
        if words.has("XYZ") and "non-modal" not in words.g:
            out |= {f"place {axis}" for axis in "XYZ" if axis in words.letters and "distance" in out}
            break
    return out


def _needs(c: Control, given: set[str], place: Vector) -> list[Need]:
    """What is in force and would not be after power-on, in the order in which it is sent."""
    m, fresh = c.modal, Modal(c.profile)
    unit: Unit = m.units
    out: list[Need] = []

    def need(group: str, what: str, words: str, differs: bool = True) -> None:
        if differs:
            out.append(Need(group, what, words, group in given))

    need("units", "inch" if unit == "inch" else "metric", "G20" if unit == "inch" else "G21", m.units != fresh.units)
    need("plane", f"plane G{m.plane}", f"G{m.plane}", m.plane != fresh.plane)
    need("distance", "G90" if m.absolute else "G91", "G90" if m.absolute else "G91", m.absolute != fresh.absolute)
    need("feed mode", m.feed_mode, m.feed_mode, m.feed_mode != fresh.feed_mode)
    need("cycle return", m.return_to, m.return_to, m.return_to != fresh.return_to)
    need("path control", "exact stop G61", "G61", m.exact and not fresh.exact)
    need("tool", f"tool {m.tool} in the spindle", f"T{m.tool} M6", m.tool != 0)
    need("work offset", f"work offset {m.offset}", _offset_words(m.offset), m.offset != fresh.offset)
    for group, what, words in _transform_words(c, unit):
        need(group, what, words)
    turn = "M3" if m.spindle == "clockwise" else "M4"
    need("spindle", f"spindle on, S{m.speed:g} {turn}", f"S{m.speed:g} {turn}", m.spindle != "off")
    need("speed", f"speed S{m.speed:g}", f"S{m.speed:g}", m.spindle == "off" and m.speed > 0.0)
    need("coolant", "coolant", "M8", m.coolant)
    need("length compensation", f"length offset H{m.h_number}", f"G43 H{m.h_number}", m.h_number is not None)
    if m.comp != "off":
        word = "G41" if m.comp == "left" else "G42"
        need("radius compensation", f"radius compensation {word} D{m.d_number}", f"{word} D{m.d_number}")
    need("feed", f"feed F{_rate(m.feed, unit)}", f"F{_rate(m.feed, unit)}", m.feed > 0.0)
    cycle = m.motion in c.profile.cycle_by_name
    need("motion", f"{'cycle ' if cycle else ''}{m.motion} in force", m.motion, m.motion != fresh.motion)
    if c.at != c.machine.home and not all(f"place {axis}" in given for axis in "XYZ"):
        said = " ".join(f"{axis}{_figure(v, unit)}" for axis, v in zip("XYZ", place))
        out.append(Need("place", f"the tool at {said}", said))
    return out


def _offset_words(name: str) -> str:
    return name.replace("P", " P") if name.startswith("G54.1P") else name


def _figure(value_mm: float, unit: Unit) -> str:
    """A figure as a program has it, its point kept."""
    return show_length(value_mm, unit).rstrip("0")


def _rate(feed: float, unit: Unit) -> str:
    return f"{feed / (MM_PER_INCH if unit == 'inch' else 1.0):g}"


def _transform_words(c: Control, unit: Unit) -> list[tuple[str, str, str]]:
    t = c.modal.mapping.transform
    out = []

    def axes(values: tuple[float, ...]) -> str:
        return " ".join(f"{axis}{_figure(v, unit)}" for axis, v in zip("XYZ", values))

    if t.local != (0.0, 0.0, 0.0):
        out.append(("local shift", "the local shift of G52", f"G52 {axes(t.local)}"))
    if t.preset != (0.0, 0.0, 0.0):
        out.append(("preset", "the shift of G92", f"G52 {axes(t.shift)}"))
    if t.scale != (1.0, 1.0, 1.0):
        i, j, k = t.scale
        factor = f"P{i:g}" if i == j == k else f"I{i:g} J{j:g} K{k:g}"
        said = f"{i:g}" if i == j == k else f"{i:g}, {j:g} and {k:g}"
        out.append(("scaling", f"scaling by {said}", f"G51 {axes(t.scale_centre)} {factor}"))
    mirrored = [axis for axis, factor in enumerate(t.mirror) if factor < 0.0]
    if mirrored:
        said = " ".join(f"{'XYZ'[axis]}{_figure(t.mirror_centre[axis], unit)}" for axis in mirrored)
        out.append(("mirror", "mirror", f"G51.1 {said}"))
    if t.angle:
        out.append(("rotation", "rotation", f"G68 {axes(t.pivot)} R{math.degrees(t.angle):g}"))
    return out


def _blocks(c: Control, place: Vector, over: float, variables: Mapping[int, float]) -> tuple[str, ...]:
    """What to send, a block a line: states, tool, offsets, spindle, over the place, down to it, feed, motion."""
    m = c.modal
    unit: Unit = m.units
    x, y, z = (_figure(v, unit) for v in place)
    out = [f"#{k}={v:g}" for k, v in sorted(variables.items())]
    units = "G20" if unit == "inch" else "G21"
    out.append(f"{units} G{m.plane} G90 {m.feed_mode} G40 G49 G80 {m.return_to}" + (" G61" if m.exact else ""))
    if m.tool:
        out.append(f"T{m.tool} M6")
    out.append(_offset_words(m.offset))
    out += [words for _group, _what, words in _transform_words(c, unit)]
    if m.spindle != "off":
        out.append(f"S{m.speed:g} {'M3' if m.spindle == 'clockwise' else 'M4'}")
    elif m.speed > 0.0:
        out.append(f"S{m.speed:g}")
    out.append(f"G0 X{x} Y{y}")
    length = f"G43 H{m.h_number} " if m.h_number is not None else ""
    if place[2] >= over or m.feed <= 0.0:
        out.append(f"G0 {length}Z{z}")
    else:
        # At rapid to just above the stock, from there at feed: what is below may be cut or not.
        out += [f"G0 {length}Z{_figure(over, unit)}", f"G1 Z{z} F{_rate(m.feed, unit)}"]
    if m.coolant:
        out.append("M8")
    if not m.absolute:
        out.append("G91")
    if m.motion in ("G0", "G1", "G2", "G3"):
        out.append(m.motion)
    return tuple(out)
