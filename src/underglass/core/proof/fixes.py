"""Changes of the text that put a finding right, where one change is the plain answer. Shown before they are made.

Changes of the text, and of a register where the control believes something else than what is measured on the bench. The
bench itself is never changed: it is what is really there.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from underglass.core.control.state import Vector
from underglass.core.finding import Finding
from underglass.core.language import writing
from underglass.core.language.block import Block, Word, read_block
from underglass.core.proof.job import Job
from underglass.core.proof.length_ways import perfect_offset
from underglass.core.units import show_length


@dataclass(frozen=True, slots=True, kw_only=True)
class Fix:
    """Lines ``line`` to ``line + len(before) - 1`` become ``after``. With ``before`` empty, ``after`` goes in before ``line``.

    ``title`` says what is done, in a few words.
    """

    title: str
    line: int
    before: tuple[str, ...]
    after: tuple[str, ...]

    def apply(self, lines: Sequence[str]) -> tuple[str, ...]:
        """The program with the change made."""
        at = self.line - 1
        return (*lines[:at], *self.after, *lines[at + len(self.before) :])


def fix_for(finding: Finding, lines: Sequence[str]) -> Fix | None:
    """The change that puts a finding right, for the text as it is now; None where there is no plain one."""
    make = _FIXES.get(finding.code)
    if make is None or not 1 <= finding.line <= len(lines):
        return None
    fix = make(finding, lines)
    if fix is None or finding.because is not None:
        return None
    return replace(
        fix,
        after=tuple(
            _in_their_hand(new, old, lines) for new, old in zip(fix.after, (*fix.before, *[""] * len(fix.after)))
        ),
    )


def _in_their_hand(new: str, old: str, lines: Sequence[str]) -> str:
    """What a change adds, written as the program is written; what stood there before stays as it is."""
    begin = 0
    while begin < min(len(new), len(old)) and new[begin] == old[begin]:
        begin += 1
    end = 0
    while end < min(len(new), len(old)) - begin and new[len(new) - 1 - end] == old[len(old) - 1 - end]:
        end += 1
    last = len(new) - end
    return new[:begin] + writing.in_the_hand_of(new[begin:last], lines) + new[last:]


def _insert(word: str, finding: Finding, lines: Sequence[str]) -> Fix:
    """A block of its own before the finding's, numbered if that one is."""
    number = read_block(lines[finding.line - 1], finding.line).word("N")
    free = int(number.value) - 1 if number is not None else 0
    taken = re.compile(rf"\s*+/?+\d?+\s*+N0*+{free}(?!\d)", re.IGNORECASE)
    text = f"N{free} {word}" if free > 0 and not any(taken.match(line) for line in lines) else word
    return Fix(title=f"Insert {word} before this block", line=finding.line, before=(), after=(text,))


def _change(title: str, finding: Finding, lines: Sequence[str], new: str) -> Fix | None:
    old = lines[finding.line - 1]
    return Fix(title=title, line=finding.line, before=(old,), after=(new,)) if new != old else None


def _after_word(finding: Finding, lines: Sequence[str], word: Word, text: str) -> Fix | None:
    old = lines[finding.line - 1]
    return _change(f"Add {text}", finding, lines, f"{old[: word.end]} {text}{old[word.end :]}")


def _replace(finding: Finding, lines: Sequence[str], word: Word, text: str) -> Fix | None:
    old = lines[finding.line - 1]
    return _change(f"Write {text} for {word.text.upper()}", finding, lines, old[: word.start] + text + old[word.end :])


def _word_at(finding: Finding, lines: Sequence[str]) -> tuple[Block, Word | None]:
    block = read_block(lines[finding.line - 1], finding.line)
    return block, next((w for w in block.words if w.start == finding.column - 1), None)


def _before_this(word: str) -> Callable[[Finding, Sequence[str]], Fix | None]:
    return lambda finding, lines: _insert(word, finding, lines)


def _written_before(finding: Finding, lines: Sequence[str]) -> Fix | None:
    """The words that the finding itself says, in a block of their own; where they are several things, nobody can tell which."""
    words = str(finding.evidence.get("write") or "")
    several = finding.code == "rotation-left-on" and len([w for w in words.split() if w.startswith("G")]) > 1
    return _insert(words, finding, lines) if words and not several else None


def _length_missing(finding: Finding, lines: Sequence[str]) -> Fix | None:
    block, word = _word_at(finding, lines)
    if word is None or not finding.tool:
        return None
    old = lines[finding.line - 1]
    if any(w.letter == "G" and w.value in (43.0, 44.0) for w in block.words):
        return None
    text = f"G43 H{finding.tool}"
    return _change(f"Write {text} with this move", finding, lines, f"{old[: word.start]}{text} {old[word.start :]}")


def _length_other(finding: Finding, lines: Sequence[str]) -> Fix | None:
    _block, word = _word_at(finding, lines)
    if finding.evidence.get("odd") == "T":
        called = int(finding.evidence.get("tool_line") or 0)
        there = replace(finding, line=called)
        tool = read_block(lines[called - 1], called).word("T") if 1 <= called <= len(lines) else None
        number = str(finding.evidence.get("register", "H"))[1:]
        return _replace(there, lines, tool, f"T{number}") if tool is not None else None
    return _replace(finding, lines, word, f"H{finding.tool}") if word is not None and word.letter == "H" else None


def _number(letter: str) -> Callable[[Finding, Sequence[str]], Fix | None]:
    def make(finding: Finding, lines: Sequence[str]) -> Fix | None:
        _block, word = _word_at(finding, lines)
        return (
            _after_word(finding, lines, word, f"{letter}{finding.tool}") if word is not None and finding.tool else None
        )

    return make


def _point(finding: Finding, lines: Sequence[str]) -> Fix | None:
    _block, word = _word_at(finding, lines)
    return _replace(finding, lines, word, word.text + ".") if word is not None and "." not in word.text else None


def _drop(finding: Finding, lines: Sequence[str]) -> Fix | None:
    _block, word = _word_at(finding, lines)
    if word is None:
        return None
    old = lines[finding.line - 1]
    new = re.sub(r"  +", " ", old[: word.start] + old[word.end :]).rstrip()
    return _change(f"Take {word.text.upper()} away", finding, lines, new)


def _highest_speed(finding: Finding, lines: Sequence[str]) -> Fix | None:
    _block, word = _word_at(finding, lines)
    limit = finding.evidence.get("highest_rpm")
    if word is None or word.letter != "S" or not isinstance(limit, (int, float)):
        return None
    return _replace(finding, lines, word, f"S{limit:g}")


def _highest_feed(finding: Finding, lines: Sequence[str]) -> Fix | None:
    _block, word = _word_at(finding, lines)
    text = str(finding.evidence.get("write") or "")
    return _replace(finding, lines, word, text) if word is not None and word.letter == "F" and text else None


def _tap(finding: Finding, lines: Sequence[str]) -> Fix | None:
    text = str(finding.evidence.get("write") or "")
    block = read_block(lines[finding.line - 1], finding.line)
    if not text or not block.words:
        return None
    word = block.word("F")
    return (
        _replace(finding, lines, word, text) if word is not None else _after_word(finding, lines, block.words[-1], text)
    )


def _end(finding: Finding, lines: Sequence[str]) -> Fix | None:
    _block, word = _word_at(finding, lines)
    if word is not None and word.letter == "M" and word.value == 99.0:
        return _replace(finding, lines, word, "M30")
    if word is not None and word.letter == "M" and word.value in (2.0, 30.0):
        return _replace(finding, lines, word, "M30" if word.value == 2.0 else "M2")
    last = len(lines)
    while last and not lines[last - 1].strip():
        last -= 1
    mark = last and lines[last - 1].strip() == "%" and last > 1
    return Fix(title="Write M30 as the last block", line=last if mark else last + 1, before=(), after=("M30",))


def _safe_line(finding: Finding, lines: Sequence[str]) -> Fix | None:
    words = str(finding.evidence.get("write") or "")
    if not words:
        return None
    first = next(
        (k for k, text in enumerate(lines, 1) if any(w.letter not in "O" for w in read_block(text, k).words)), 1
    )
    return Fix(title=f"Insert {words} at the start", line=first, before=(), after=(words,))


def _as_meant(finding: Finding, lines: Sequence[str]) -> Fix | None:
    """What was slipped on in typing, where it is plain what was meant: the letter O for a 0, a comma for a point."""
    write, old = str(finding.evidence.get("write") or ""), lines[finding.line - 1]
    first, last = finding.column - 1, finding.end_column - 1
    if not write or last > len(old):
        return None
    word = re.search(r"[A-Za-z]?[^A-Za-z\s]*$", old[:first])
    begun = word.group() if word is not None and old[first - 1 : first].strip() else ""
    title = f"Write {(begun + write).upper()} for {(begun + old[first:last]).upper()}"
    return _change(title, finding, lines, old[:first] + write + old[last:])


def _cycle(finding: Finding, lines: Sequence[str]) -> Fix | None:
    """At a tool change or the end. What a move of Z alone was meant to be, at rapid or at feed, nobody can tell."""
    _block, word = _word_at(finding, lines)
    return _insert("G80", finding, lines) if word is not None and word.letter in "MT" else None


_FIXES: dict[str, Callable[[Finding, Sequence[str]], Fix | None]] = {
    "comp-left-on": _before_this("G40"),
    "comp-plane-change": _before_this("G40"),
    "comp-units-change": _before_this("G40"),
    "cycle-left-on": _cycle,
    "rotation-left-on": _written_before,
    "shift-left-over": _written_before,
    "length-offset-missing": _length_missing,
    "length-offset-other": _length_other,
    "length-number-missing": _number("H"),
    "comp-register-missing": _number("D"),
    "number-no-decimal": _point,
    "modal-conflict": _drop,
    "syntax": _as_meant,
    "over-speed": _highest_speed,
    "over-feed": _highest_feed,
    "tap-feed": _tap,
    "end-missing": _end,
    "units-not-stated": _safe_line,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class RegisterFix:
    """``key`` (H2, D1, G55) is set from ``before`` to ``after``, mm, wear included; what it was may be unknown."""

    title: str
    group: Literal["length", "radius", "work"]
    key: str
    before: float | Vector | None
    after: float | Vector


def register_fix_for(finding: Finding, job: Job) -> RegisterFix | None:
    """The register set to the truth, where a finding says that it holds something else; None where that is no help."""
    evidence = finding.evidence
    if finding.code in ("length-register-wrong", "radius-register-wrong"):
        key = str(evidence.get("register", ""))
        if finding.because is not None or evidence.get("number_is_wrong"):
            return None
        real = evidence.get("right_mm", evidence.get("real_radius_mm"))
        if key[:1] not in ("H", "D") or not key[1:].isdigit() or not isinstance(real, int | float):
            return None
        length = key[0] == "H"
        held = (job.registers.length if length else job.registers.radius).get(int(key[1:]))
        value = real if length or job.control.d_register == "radius" else 2.0 * real
        title = f"Set {key} to {show_length(value, job.units)}, as on the bench"
        return RegisterFix(title=title, group="length" if length else "radius", key=key, before=held, after=float(real))
    if finding.code in ("work-offset-wrong", "work-offset-unset"):
        name = str(evidence.get("offset", ""))
        zero = job.bench.zero.get(name)
        if zero is None or "part_degrees" in evidence:
            return None
        after = perfect_offset(job, name) or (zero.x, zero.y, zero.z)
        said = " ".join(f"{axis}{show_length(v, job.units)}" for axis, v in zip("XYZ", after))
        return RegisterFix(
            title=f"Set {name} to {said}, as on the bench",
            group="work",
            key=name,
            before=job.registers.work.get(name),
            after=after,
        )
    return None


@dataclass(frozen=True, slots=True)
class WordFix:
    """A word that this control knows and that moves nothing: to be written into a profile of one's own, as ``word``."""

    title: str
    word: str


def word_fix_for(finding: Finding, lines: Sequence[str]) -> WordFix | None:
    """For a G- or M-word that the profile lacks: that it moves nothing, as many of a machine's own words do."""
    if finding.code != "word-unknown" or not 1 <= finding.line <= len(lines):
        return None
    _block, word = _word_at(finding, lines)
    if word is None or word.letter not in "GM" or word.value < 0.0 or round(word.value * 10) != word.value * 10:
        return None
    name = f"{word.letter}{word.value:g}"
    return WordFix(f"{name} is known here, and it moves nothing", name)


def with_register(job: Job, fix: RegisterFix) -> Job:
    """The job with the register set."""
    registers = job.registers
    if fix.group == "work":
        assert isinstance(fix.after, tuple)
        registers = replace(registers, work={**registers.work, fix.key: fix.after})
    else:
        assert isinstance(fix.after, float)
        number = int(fix.key[1:])
        if fix.group == "length":
            registers = replace(registers, length={**registers.length, number: fix.after})
        else:
            registers = replace(registers, radius={**registers.radius, number: fix.after})
    return replace(job, registers=registers, set_registers=job.set_registers | {fix.key})
