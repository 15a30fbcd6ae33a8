"""Starting in the middle: the whole state before a line, and what a person at the machine has to send first.

Glossary
    need    something that is in force before the line and that a control fresh from power-on does not have
    given   a need that the program from the line on states itself before it moves
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from underglass.core.control.block_words import BlockWords
from underglass.core.control.interpret import Control
from underglass.core.control.modal import Modal
from underglass.core.control.places import programmed
from underglass.core.control.state import InForce, Vector
from underglass.core.finding import Finding
from underglass.core.language import writing
from underglass.core.language.block import read_block
from underglass.core.proof.outputs import outputs_of
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import control_for
from underglass.core.proof.restart_blocks import feed_figure, leading_blocks, offset_words, same_state, transform_words
from underglass.core.units import Unit

_NEAR = 12
"""Lines, and tool changes, that are tried for an earlier start."""

_LOOK = 200
"""Blocks that are looked through for what the program states itself: no safe line is longer."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Need:
    """``what`` in words; ``words`` as they are sent; ``group`` is the modal group, or tool, spindle, feed, place…"""

    group: str
    what: str
    words: str
    given: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
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
            code="restart-unsafe",
            line=self.line,
            message=f"a start from here would leave out: {said}",
            remedy=f"send first: {' / '.join(self.blocks)}",
            tool=self.state.tool or None,
            evidence={"missing": len(missing), "instead_line": self.instead},
        )


def restart(proof: Proof, line: int) -> Restart:
    """Everything about a start from a line of the main program.

    Blocks are offered only where a fresh control, sent them, was seen to come to the very state that a run up to the line
    is in; else the nearest earlier line from which that is so is named.
    """
    control = control_for(proof.job)
    reached = control.stand_before(proof.source.lines, line, proof.source.name, proof.run)
    m = control.modal
    place = programmed(control)
    if not reached:
        return Restart(line=line, reached=False, state=m.freeze(), place=place, machine=control.at, feed=m.feed)
    given = _given(control, proof.source.lines[line - 1 :])
    own = outputs_of(proof)
    if own is not None:
        needs = tuple(Need(group=g, what=what, words=words, given=g in given) for g, what, words in own.needs(control))
    else:
        needs = tuple(_needs(control, given, place))
    variables = {k: v for k, v in control.flow.variables.items() if v}
    fresh = same_state(control, control_for(proof.job))
    instead, why = (None, "") if fresh else _instead(control, line)
    blocks = () if why or fresh else leading_blocks(proof, control)
    if blocks is None:
        why = "what is in force here cannot be brought about by a few blocks"
    if blocks is None or (why and (instead is None or _blocks_of(proof, instead) is None)):
        instead = _earlier(proof, min(instead or line, line))
    return Restart(
        line=line, reached=True, state=m.freeze(), place=place, machine=control.at, feed=m.feed, needs=needs, blocks=blocks or (), variables=variables,
        instead=None if instead == line else instead, why=why,
    )  # fmt: skip


def _blocks_of(proof: Proof, line: int) -> tuple[str, ...] | None:
    """What is to be sent before a line; None where it is no place to start from."""
    control = control_for(proof.job)
    if not control.stand_before(proof.source.lines, line, proof.source.name, proof.run):
        return None
    if same_state(control, control_for(proof.job)):
        return ()
    return None if _instead(control, line)[1] else leading_blocks(proof, control)


def _earlier(proof: Proof, line: int) -> int:
    """The nearest line before from which a start can be made: just before it, at a tool change, or the top."""
    changes = sorted(
        {int(e.line) for e in proof.motions.events if e.kind == "tool-change" and e.line < line}, reverse=True
    )
    tries: list[int] = [*range(line - 1, max(line - _NEAR, 0), -1), *changes[:_NEAR]]
    for at in tries:
        if proof.run.ran(at) and _blocks_of(proof, at) is not None:
            return at
    return 1


def _instead(control: Control, line: int) -> tuple[int | None, str]:
    if control.path.compensated:
        return control.comp_line or None, "radius compensation is on here; it can only be begun on its way in"
    if control.real != control.at:
        return control.comp_line or None, "the tool still stands beside the path that compensation has just left"
    if control.modal.motion in control.profile.cycle_by_name:
        return control.cycle_line or None, "a cycle is on here; it can only be begun with all its words"
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
        if "T" in words.letters and control.modal.station is not None:
            out.add("tool")
        if words.has("XYZ") and "non-modal" not in words.g:
            out |= {f"place {axis}" for axis in "XYZ" if axis in words.letters and "distance" in out}
            break
    return out


def _needs(c: Control, given: set[str], place: Vector) -> list[Need]:
    """What is in force and would not be after power-on, in the order in which it is sent."""
    m, fresh = c.modal, Modal.at_power_on(c.profile.power_on)
    unit: Unit = m.units
    out: list[Need] = []

    def need(group: str, what: str, words: str, differs: bool = True) -> None:
        if differs:
            out.append(Need(group=group, what=what, words=words, given=group in given))

    need("units", "inch" if unit == "inch" else "metric", "G20" if unit == "inch" else "G21", m.units != fresh.units)
    need("plane", f"plane G{m.plane}", f"G{m.plane}", m.plane != fresh.plane)
    need("distance", "G90" if m.absolute else "G91", "G90" if m.absolute else "G91", m.absolute != fresh.absolute)
    need("feed mode", m.feed_mode, m.feed_mode, m.feed_mode != fresh.feed_mode)
    need("cycle return", m.return_to, m.return_to, m.return_to != fresh.return_to)
    need("path control", "exact stop G61", "G61", m.exact and not fresh.exact)
    need("tool", f"tool {m.tool} in the spindle", f"T{m.tool} M6", m.tool != 0)
    need("work offset", f"work offset {m.offset}", offset_words(m.offset), m.offset != fresh.offset)
    for group, what, words in transform_words(c, unit):
        need(group, what, words)
    turn = "M3" if m.spindle == "clockwise" else "M4"
    need("spindle", f"spindle on, S{m.speed:g} {turn}", f"S{m.speed:g} {turn}", m.spindle != "off")
    need("speed", f"speed S{m.speed:g}", f"S{m.speed:g}", m.spindle == "off" and m.speed > 0.0)
    need("coolant", "coolant", "M8", m.coolant)
    length = f"{m.freeze().length_word} H{m.h_number}"
    need(
        "length compensation",
        f"length offset {'H' if m.h_sign > 0 else 'G44 H'}{m.h_number}",
        length,
        m.h_number is not None,
    )
    if m.comp != "off":
        word = "G41" if m.comp == "left" else "G42"
        need("radius compensation", f"radius compensation {word} D{m.d_number}", f"{word} D{m.d_number}")
    need(
        "feed",
        f"feed F{feed_figure(m.feed, unit, m.feed_mode)}",
        f"F{feed_figure(m.feed, unit, m.feed_mode)}",
        m.feed > 0.0,
    )
    cycle = m.motion in c.profile.cycle_by_name
    need("motion", f"{'cycle ' if cycle else ''}{m.motion} in force", m.motion, m.motion != fresh.motion)
    if c.at != c.machine.home and not all(f"place {axis}" in given for axis in "XYZ"):
        said = " ".join(f"{axis}{writing.length(v, unit)}" for axis, v in zip("XYZ", place))
        out.append(Need(group="place", what=f"the tool at {said}", words=said))
    return out
