"""The operations of a program in their order: found in its text, moved, copied, switched off, taken out; tools changed once.

Nothing is kept but the text. What is between two operations stays before the one that it stood before.
"""

from __future__ import annotations

import contextlib
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from difflib import SequenceMatcher

from underglass.core.compose.operation import OFF, Around, Found, Operation, find_all
from underglass.core.language.block import read_block
from underglass.core.language.edits import strip_numbers
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import CannotBe
from underglass.core.units import Unit

_OFFSET = re.compile(r"G5[4-9](?:\.\d)?|G54\.1 ?P\d+")


@dataclass(frozen=True, slots=True, kw_only=True)
class Listed:
    """An operation of a program as a row: ``first``, ``last`` lines from 0; ``seconds`` None where it was not run."""

    found: Found
    tool: str
    offset: str
    seconds: float | None
    worst: str
    """The gravest severity among the findings in its lines; empty for none."""

    @property
    def name(self) -> str:
        return self.found.operation.name

    @property
    def off(self) -> bool:
        return self.found.entered.get(OFF) == "yes"


def _tools(entered: dict[str, str]) -> list[str]:
    return [entered[k] for k in ("t", "t1", "t2", "t3") if entered.get(k)]


def tool_after(lines: Sequence[str], before: int | None, around: Around) -> int | None:
    """The last tool that lines bring in."""
    for text in reversed(lines):
        if "T" in text.upper():
            word = read_block(text, 1).word("T")
            if word is not None:
                value = int(word.value)
                # T0404 of a lathe is station 4; a mill's T101 is tool 101.
                return value // 100 if "{TT}" in around.texts.tool_start and value >= 100 else value
    return before


def listed(lines: Sequence[str], operations: Sequence[Operation], proof: Proof | None = None) -> tuple[Listed, ...]:
    """Every operation of a program with what the proof says of it, if there is one of this text."""
    out = []
    offset = "G54"
    at = 0
    for found in find_all(lines, operations):
        for text in lines[at : found.first]:
            said = _OFFSET.findall(text)
            offset = said[-1] if said else offset
        at = found.last + 1
        seconds, worst = None, ""
        if proof is not None:
            line = proof.motions.line
            mine = (line > found.first) & (line <= found.last + 1)
            if mine.any():
                starts = proof.timing.start
                ends = [*starts[1:].tolist(), proof.timing.total]
                seconds = float(sum(e - s for s, e, m in zip(starts.tolist(), ends, mine.tolist(), strict=True) if m))
            here = [f for f in proof.troubles if found.first < f.line <= found.last + 1]
            worst = max(here, key=lambda f: f.severity).severity.word if here else ""
        tools = ", ".join(f"T{t}" for t in _used(found))
        out.append(Listed(found=found, tool=tools, offset=offset, seconds=seconds, worst=worst))
    return tuple(out)


def _used(found: Found) -> list[str]:
    asked = {f.key for f in found.operation.asked(found.entered)}
    return [v for k, v in found.entered.items() if k in ("t", "t1", "t2", "t3") and k in asked and v]


def _pieces(lines: Sequence[str], rows: Sequence[Found]) -> tuple[list[list[str]], list[list[str]], list[str]]:
    """(what stands before each operation, each operation's lines, what follows the last one)."""
    before, own, at = [], [], 0
    for found in rows:
        before.append(list(lines[at : found.first]))
        own.append(list(lines[found.first : found.last + 1]))
        at = found.last + 1
    return before, own, list(lines[at:])


Rewrite = Callable[[Found, Around], Sequence[str]]


def retooled(lines: Sequence[str], operations: Sequence[Operation], unit: Unit, around: Around) -> tuple[str, ...]:
    """The program with every untouched operation written anew: its tool brought in where another one is in, and only there."""
    rows = list(find_all(lines, operations))
    before, own, rest = _pieces(lines, rows)
    out: list[str] = []
    tool: int | None = None
    for ahead, text, found in zip(before, own, rows, strict=True):
        out += ahead
        tool = tool_after(ahead, tool, around)
        if not found.edited:
            # One that cannot be written stays as it is; its form says why.
            with contextlib.suppress(CannotBe):
                text = list(
                    found.operation.text(
                        found.operation.only_asked(found.entered), unit, replace(around, bring=True, tool_before=tool)
                    )
                )
        out += text
        tool = tool_after(text, tool, around)
    return (*out, *rest)


def around_of(lines: Sequence[str], found: Found, around: Around) -> Around:
    """What stands around an operation that is in a program: the tool it found, and whether its text brings its own in."""
    own = tool_after(lines[found.first : found.last + 1], None, around)
    before = tool_after(lines[: found.first], None, around)
    # Where its own tool is in already and it brings it in all the same, there was no other one to put away.
    return replace(around, bring=own is not None, tool_before=None if before == own else before)


@dataclass(frozen=True, slots=True, kw_only=True)
class HandEdit:
    """Where an operation's text is not what its form writes: ``line`` from 1, what stands there, what the form would put."""

    line: int
    here: str
    form: str


def hand_edits(lines: Sequence[str], found: Found, unit: Unit, around: Around) -> tuple[HandEdit, ...]:
    """What was changed by hand in an operation since its form wrote it, in order; nothing where it is as written."""
    here = [text.strip() for text in strip_numbers(tuple(lines[found.first : found.last]))]
    try:
        form = list(
            found.operation.text(found.operation.only_asked(found.entered), unit, around_of(lines, found, around))
        )[:-1]
    except CannotBe:
        return ()
    out: list[HandEdit] = []
    for tag, a0, a1, b0, b1 in SequenceMatcher(None, here, form, autojunk=False).get_opcodes():
        if tag == "equal":
            continue
        for k in range(max(a1 - a0, b1 - b0)):
            line = found.first + 1 + min(a0 + k, max(a1 - 1, a0))
            out.append(
                HandEdit(line=line, here=here[a0 + k] if a0 + k < a1 else "", form=form[b0 + k] if b0 + k < b1 else "")
            )
    return tuple(out)


def moved(lines: Sequence[str], rows: Sequence[Found], which: int, to: int) -> tuple[str, ...]:
    """One operation put where another one stands; what was written by hand between them keeps its place in the row."""
    before, own, rest = _pieces(lines, rows)
    text = own.pop(which)
    own.insert(to, text)
    out: list[str] = []
    for ahead, mine in zip(before, own, strict=True):
        out += [*ahead, *mine]
    return (*out, *rest)


def copied(lines: Sequence[str], rows: Sequence[Found], which: int) -> tuple[str, ...]:
    """One operation once more, behind itself."""
    found = rows[which]
    text = lines[found.first : found.last + 1]
    return (*lines[: found.last + 1], *text, *lines[found.last + 1 :])


def taken_out(lines: Sequence[str], rows: Sequence[Found], which: int) -> tuple[str, ...]:
    """Without one operation."""
    found = rows[which]
    return (*lines[: found.first], *lines[found.last + 1 :])


def switched(lines: Sequence[str], rows: Sequence[Found], which: int, unit: Unit, around: Around) -> tuple[str, ...]:
    """One operation switched off (its entries stay, its blocks go) or on again. Raises ``CannotBe``."""
    found = rows[which]
    off = found.entered.get(OFF) == "yes"
    if found.edited:
        raise CannotBe("its blocks were changed by hand: switched off, they would be lost")
    entered = {k: v for k, v in found.entered.items() if k != OFF} | ({} if off else {OFF: "yes"})
    text = found.operation.text(found.operation.only_asked(entered), unit, replace(around, bring=True))
    return (*lines[: found.first], *text, *lines[found.last + 1 :])


def differing_parts(rows: Sequence[Found]) -> str:
    """A sentence where operations are cut at different parts; empty where all are at the same ones."""
    keys = ("parts", "shifts", "pxn", "px", "pyn", "py", "without")
    on = [r for r in rows if r.entered.get(OFF) != "yes" and "parts" in {f.key for f in r.operation.fields}]
    seen = [tuple(r.operation.only_asked(r.entered).get(k, "") for k in keys) for r in on]
    for k, one in enumerate(seen[1:], 2):
        if one != seen[0]:
            return f"Operations 1 and {k} are not cut at the same parts: metal may be left where the next tool runs."
    return ""
