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
from underglass.core.compose.writer import parts_of
from underglass.core.language.block import read_block
from underglass.core.language.edits import strip_numbers
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import CannotBe, plain
from underglass.core.units import Unit, from_mm

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


_PARTS = ("parts", "shifts", "pxn", "px", "pyn", "py", "without")
"""The entries that say at which parts an operation is cut."""


def _cut_at_parts(rows: Sequence[Found]) -> list[Found]:
    """Those that are on and are asked at which parts they are cut; not the program's head, which cuts nothing."""
    return [
        r for r in rows if r.entered.get(OFF) != "yes" and "parts" in {f.key for f in r.operation.fields} and not r.operation.shared
    ]  # fmt: skip


def _parts_said(found: Found) -> tuple[str, ...]:
    asked = found.operation.only_asked(found.entered)
    return tuple(asked.get(key, "") for key in _PARTS)


def part_by_part(lines: Sequence[str], rows: Sequence[Found], unit: Unit) -> tuple[str, ...]:
    """Every part finished with all tools before the next: each operation once for each part, in the order in which they stand.

    The tools are not brought in yet (``retooled``). Raises ``CannotBe``.
    """
    mine = _cut_at_parts(rows)
    places = _places_of(mine, unit)
    first, last = rows.index(mine[0]), rows.index(mine[-1])
    if any(r not in mine for r in rows[first : last + 1]):
        raise CannotBe("among the operations stands one that is switched off or knows no parts: move it first")
    between = [text for ahead in _pieces(lines, rows)[0][first + 1 : last + 1] for text in ahead]
    if any(read_block(text, 1).words for text in between):
        raise CannotBe("blocks that were written by hand stand between the operations: move them first")
    out = list(lines[: mine[0].first])
    for k, (x, y) in enumerate(places, 1):
        out.append(f"(PART {k} OF {len(places)})")
        for found in mine:
            entered = {key: v for key, v in found.entered.items() if key not in _PARTS} | {
                "parts": "list",
                "shifts": f"{_shown(x, unit)} {_shown(y, unit)}",
            }
            out += found.operation.text(found.operation.only_asked(entered), unit)
    return (*out, *lines[mine[-1].last + 1 :])


def tool_by_tool(lines: Sequence[str], rows: Sequence[Found], unit: Unit) -> tuple[str, ...]:
    """The other way: operations that stand once for each part become one at all parts. Raises ``CannotBe``."""
    mine = _cut_at_parts(rows)
    count = _round_of(mine)
    if not count:
        raise CannotBe("the operations do not stand once for each part, one part after the other")
    if any(found.edited for found in mine):
        raise CannotBe("an operation was changed by hand: that would be lost")
    shifts = [mine[k].entered["shifts"] for k in range(0, len(mine), count)]
    out = [text for text in lines[: mine[0].first] if not _PART_SAID.fullmatch(text.strip())]
    for found in mine[:count]:
        entered = {**found.entered, "parts": "list", "shifts": "\n".join(shifts)}
        out += found.operation.text(found.operation.only_asked(entered), unit)
    return (*out, *lines[mine[-1].last + 1 :])


def goes_by_parts(rows: Sequence[Found]) -> bool | None:
    """Whether the program finishes part after part (True) or tool after tool (False); None where it is for one part."""
    mine = _cut_at_parts(rows)
    if _round_of(mine):
        return True
    return False if len(mine) > 1 and all(r.entered.get("parts", "one") != "one" for r in mine) else None


_PART_SAID = re.compile(r"\(PART \d+ OF \d+\)")


def _round_of(mine: Sequence[Found]) -> int:
    """How many operations stand for one part before they begin anew at the next one; 0 where they do not."""
    if len(mine) < 2 or any(r.entered.get("parts") != "list" or "\n" in r.entered.get("shifts", "\n") for r in mine):
        return 0
    plain = [(r.operation.key, {k: v for k, v in r.entered.items() if k != "shifts"}) for r in mine]
    first = mine[0].entered["shifts"]
    count = next((k for k, r in enumerate(mine) if r.entered["shifts"] != first), 0)
    whole = bool(count) and len(mine) % count == 0
    same = whole and all(plain[k] == plain[k % count] for k in range(len(mine)))
    each = whole and all(r.entered["shifts"] == mine[k - k % count].entered["shifts"] for k, r in enumerate(mine))
    return count if same and each else 0


def _places_of(mine: Sequence[Found], unit: Unit) -> tuple[tuple[float, float], ...]:
    """The parts' shifts, mm, the same of all operations. Raises ``CannotBe``."""
    if len(mine) < 2:
        raise CannotBe("with one operation it makes no difference")
    if any(found.edited for found in mine):
        raise CannotBe("an operation was changed by hand: that would be lost")
    if len({_parts_said(r) for r in mine}) > 1:
        raise CannotBe("the operations are not cut at the same parts")
    found = mine[0]
    places = parts_of(found.operation.entries(found.operation.only_asked(found.entered), unit))
    if len(places) < 2:
        raise CannotBe("the operations are cut at one part alone")
    return places


def _shown(mm: float, unit: Unit) -> str:
    return plain(from_mm(mm, unit), 4)


def differing_parts(rows: Sequence[Found]) -> str:
    """A sentence where operations are cut at different parts; empty where all are at the same ones, or part after part is finished."""
    on = [r for r in rows if r.entered.get(OFF) != "yes" and "parts" in {f.key for f in r.operation.fields}]
    if _round_of(_cut_at_parts(rows)):
        return ""
    seen = [_parts_said(r) for r in on]
    for k, one in enumerate(seen[1:], 2):
        if one != seen[0]:
            return f"Operations 1 and {k} are not cut at the same parts: metal may be left where the next tool runs."
    return ""
