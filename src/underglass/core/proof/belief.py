"""Truth against belief, register by register: what is on the bench, what is in the control, and by how much it is out.

Glossary
    truth     the real place, length or radius; mm (a diameter where the control's D registers hold diameters)
    belief    what the register holds, without wear
    out by    belief and wear, less truth
    follows   the job sets no such register: it is taken to equal the truth
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal, NamedTuple

from underglass.core.bench.tool import Tool
from underglass.core.control.words import OFFSETS_IN_ORDER
from underglass.core.language.block import read_block
from underglass.core.proof.job import Job
from underglass.core.proof.length_ways import perfect_length, perfect_offset
from underglass.core.proof.proof import Proof
from underglass.core.tolerances import TOLERANCES

Group = Literal["work", "length", "touched", "radius", "left"]
Verdict = Literal["same", "wear", "wrong", "unset", "unknown"]

GROUP_WORDS: dict[Group, tuple[str, str]] = {
    "work": ("Part zero", "machine coordinates"),
    "length": ("Tool length", "gauge line to tip"),
    "touched": ("Z touched off", "gauge line, where the tip is on the zero"),
    "radius": ("Cutter radius", "as the control compensates"),
    "left": ("Left over from the last job", "what the last job left in the control"),
}


def group_words(group: Group, job: Job) -> tuple[str, str]:
    """A group's head, and what its figures are: a length is measured from where the job's way of setting says."""
    head, quiet = GROUP_WORDS[group]
    if group == "length":
        quiet = {
            "first-tool": f"how much longer than T{job.z_tool}, which Z was touched with",
            "each-tool": "nothing, where Z is touched off with each tool",
            "to-part": "gauge line, where the tip is on the first part's zero",
        }.get(job.z_by, quiet)
    return head, quiet


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """One figure on both sides. ``key`` is the register (G54, H3, D2, T2 touched, shift), ``axis`` x, y, z or empty.

    ``tool`` is the number that is called, ``real`` the number of the tool that then comes (0: none). ``line`` is where it
    is read first, ``overwritten`` where a G10 of the program sets it; 0: nowhere. Lengths mm, a rotation degrees.
    """

    group: Group
    key: str
    axis: str
    what: str
    tool: int
    real: int
    truth: float | None
    belief: float | None
    wear: float
    verdict: Verdict
    note: str
    line: int
    overwritten: int
    follows: bool

    @property
    def off(self) -> float | None:
        """Out by so much; None where one side is not known."""
        return None if self.truth is None or self.belief is None else self.belief + self.wear - self.truth

    @property
    def wrong(self) -> bool:
        return self.verdict in ("wrong", "unset")


class Overwriting(NamedTuple):
    """A register that a G10 of the program sets, and the line."""

    key: str
    line: int


_P = re.compile(r"G\s*10(?![\d.])", re.IGNORECASE)


def overwritten(lines: Sequence[str]) -> tuple[Overwriting, ...]:
    """The registers that the program itself sets by G10 with a plain P (NISTIR 6556 for L2; L10 to L13 common practice, no source)."""
    out = []
    for number, text in enumerate(lines, 1):
        if "10" not in text or ("L" not in text and "l" not in text) or _P.search(text) is None:
            continue
        block = read_block(text, number)
        words = {w.letter: w.value for w in block.words}
        kind, which = words.get("L"), words.get("P")
        if kind is None or which is None or which != int(which):
            continue
        if kind == 2.0 and 1 <= which <= len(OFFSETS_IN_ORDER):
            out.append(Overwriting(OFFSETS_IN_ORDER[int(which) - 1], number))
        elif kind in (10.0, 11.0):
            out.append(Overwriting(f"H{int(which)}", number))
        elif kind in (12.0, 13.0):
            out.append(Overwriting(f"D{int(which)}", number))
    return tuple(out)


def _verdict(off: float | None, within: float, *, known: bool) -> Verdict:
    if off is None:
        return "unknown" if known else "unset"
    if abs(off) <= TOLERANCES.same_register_mm:
        return "same"
    return "wear" if abs(off) <= within else "wrong"


def _order(name: str) -> tuple[int, str]:
    return (OFFSETS_IN_ORDER.index(name) if name in OFFSETS_IN_ORDER else 99, name.zfill(12))


def rows(job: Job, proof: Proof | None, by_program: Mapping[str, int] | None = None) -> tuple[Row, ...]:
    """Every row of the comparison, in the order in which a setter reads it.

    ``proof`` says what the program calls; without one every tool is shown with the registers of its own number.
    ``by_program``: what the program sets anew, by register; None: looked for in its text.
    """
    if by_program is None:
        by_program = {o.key: o.line for o in overwritten(proof.source.lines)} if proof is not None else {}
    meant = {
        str(f.evidence.get("register") or f.evidence.get("offset")): f.accepted
        for f in (proof.findings if proof is not None else ())
        if f.accepted
    }
    found = (
        *_work(job, proof, by_program),
        *_lengths(job, proof, by_program),
        *_touched(job, proof),
        *_radii(job, proof, by_program),
        *_left(job),
    )
    # What a person has accepted is no fault any more; it says why.
    return tuple(
        replace(row, verdict="wear", note=f"accepted: {meant[row.key]}") if row.wrong and row.key in meant else row
        for row in found
    )


def _work(job: Job, proof: Proof | None, by_program: Mapping[str, int]) -> Iterator[Row]:
    called: dict[str, int] = {}
    for use in proof.motions.offsets_used if proof is not None else ():
        called.setdefault(use.name, use.line)
    names = {*job.bench.zero, *called, *(k for k in job.set_registers if k.startswith("G"))}
    for name in sorted(names, key=_order):
        zero, held = perfect_offset(job, name), job.registers.work.get(name)
        line = called.get(name, 0)
        note = "" if line or proof is None else "nothing calls it"
        if zero is None and held is None:
            note = f"called at line {line}, and never set"
        elif zero is None:
            note = "no part stands there, as far as the bench says"
        for k, axis in enumerate("xyz"):
            truth = None if zero is None else zero[k]
            belief = None if held is None else held[k]
            off = None if truth is None or belief is None else belief - truth
            verdict = _verdict(off, job.settings.tolerance.work_offset, known=held is not None)
            if not line and proof is not None and verdict == "wrong":
                verdict = "wear"  # nothing reads it: worth a look, no danger
            yield Row(
                group="work", key=name, axis=axis, what=f"{name} {axis.upper()}", tool=0, real=0, truth=truth, belief=belief, wear=0.0, verdict=verdict, note=note if not k else "",
                line=line, overwritten=by_program.get(name, 0), follows=name not in job.set_registers,
            )  # fmt: skip


def _named(job: Job, called: int) -> tuple[str, Tool | None]:
    """What a tool number brings, in words."""
    tool = job.bench.really_in_spindle(called)
    if tool is None:
        return f"T{called}", None
    other = f", really T{tool.number}" if tool.number != called else ""
    return f"T{called}{other} {tool.name}", tool


def _tools_called(job: Job, proof: Proof | None) -> dict[int, int]:
    """Tool numbers by the line that first puts them in the spindle."""
    if proof is None:
        return dict.fromkeys(sorted(job.bench.tools), 0)
    out: dict[int, int] = {}
    for event in proof.motions.events:
        if event.kind == "tool-change" and event.tool:
            out.setdefault(event.tool, event.line)
    return out


def _lengths(job: Job, proof: Proof | None, by_program: Mapping[str, int]) -> Iterator[Row]:
    called = _tools_called(job, proof)
    uses: dict[tuple[int, int], int] = {}
    if proof is not None:
        for use in proof.motions.lengths_used:
            if use.number:
                uses.setdefault((use.tool, use.number), use.line)
    elif job.z_by != "each-tool":
        uses = {(n, n): 0 for n in called}
    told: set[int] = set()
    within = job.settings.tolerance.length
    for number in sorted({*called, *(t for t, _h in uses), *job.bench.tools}):
        mine = [(h, line) for (t, h), line in uses.items() if t == number]
        what, tool = _named(job, number)
        if not mine and job.z_by == "each-tool":
            continue  # no register is meant; its row is what Z was touched off at
        if not mine:
            note = "called, but never with a length offset" if number in called else "not called"
            if tool is None:
                note = f"called at line {called.get(number, 0)}, not on the bench"
            mine = [(number, 0)]
        else:
            note = "" if tool is not None else f"called at line {called.get(number, mine[0][1])}, not on the bench"
        for h, line in mine:
            told.add(h)
            held = job.registers.length.get(h)
            wear = job.wear.get(f"H{h}", 0.0)
            belief = None if held is None else held - wear
            truth = None if tool is None else perfect_length(job, tool)
            off = None if truth is None or held is None else held - truth
            verdict = _verdict(off, within, known=held is not None)
            if not line and proof is not None and verdict in ("wrong", "unset"):
                verdict = "wear" if verdict == "wrong" else "unknown"
            said = note or (f"T{number} runs on H{h}" if h != number else "")
            yield Row(
                group="length", key=f"H{h}", axis="", what=what, tool=number, real=tool.number if tool is not None else 0, truth=truth, belief=belief, wear=wear,
                verdict=verdict, note=said, line=line, overwritten=by_program.get(f"H{h}", 0), follows=f"H{h}" not in job.set_registers,
            )  # fmt: skip
    yield from _unread(job, proof, "length", told, by_program)


def _touched(job: Job, proof: Proof | None) -> Iterator[Row]:
    """Where Z is touched anew with each tool: where it was, against where this tool's tip is on the zero."""
    if job.z_by != "each-tool":
        return
    zero = next((f.z for f in job.bench.zero.values()), 0.0)
    called = _tools_called(job, proof)
    for number in sorted({*called, *job.bench.tools}):
        what, tool = _named(job, number)
        off = job.touched.get(number, 0.0)
        truth = None if tool is None else zero + tool.length
        line = called.get(number, 0)
        verdict = "unknown" if tool is None else _verdict(off, job.settings.tolerance.work_offset, known=True)
        if number not in called and verdict == "wrong":
            verdict = "wear"
        note = "" if number in called else "not called"
        if tool is None:
            note = f"called at line {line}, not on the bench"
        yield Row(
            group="touched", key=f"T{number}", axis="", what=what, tool=number, real=tool.number if tool is not None else 0, truth=truth,
            belief=None if truth is None else truth + off, wear=0.0, verdict=verdict, note=note, line=line, overwritten=0, follows=number not in job.touched,
        )  # fmt: skip


def _unread(
    job: Job, proof: Proof | None, group: Group, told: set[int], by_program: Mapping[str, int]
) -> Iterator[Row]:
    letter = "H" if group == "length" else "D"
    scale = 2.0 if group == "radius" and job.control.d_register == "diameter" else 1.0
    table = job.registers.length if group == "length" else job.registers.radius
    for name in sorted((k for k in job.set_registers if k[0] == letter), key=lambda k: int(k[1:])):
        number = int(name[1:])
        if number not in told:
            wear = job.wear.get(name, 0.0)
            yield Row(
                group=group, key=name, axis="", what="set, but nothing calls it", tool=0, real=0, truth=None, belief=(table.get(number, 0.0) - wear) * scale,
                wear=wear * scale, verdict="unknown", note="", line=0, overwritten=by_program.get(name, 0), follows=False,
            )  # fmt: skip


def _radii(job: Job, proof: Proof | None, by_program: Mapping[str, int]) -> Iterator[Row]:
    scale = 2.0 if job.control.d_register == "diameter" else 1.0
    uses: dict[tuple[int, int], int] = {}
    for use in proof.motions.radii_used if proof is not None else ():
        uses.setdefault((use.tool, use.number), use.line)
    if proof is None:
        uses = {(int(k[1:]), int(k[1:])): 0 for k in job.set_registers if k[0] == "D"}
    told: set[int] = set()
    for (number, d), line in sorted(uses.items()):
        told.add(d)
        what, tool = _named(job, number)
        held, wear = job.registers.radius.get(d), job.wear.get(f"D{d}", 0.0)
        truth = None if tool is None else tool.radius * scale
        belief = None if held is None else (held - wear) * scale
        off = None if tool is None or held is None else held - tool.radius
        yield Row(
            group="radius", key=f"D{d}", axis="", what=what, tool=number, real=tool.number if tool is not None else 0, truth=truth, belief=belief, wear=wear * scale,
            verdict=_verdict(off, job.settings.tolerance.radius, known=held is not None),
            note=f"T{number} runs on D{d}" if d != number else "", line=line, overwritten=by_program.get(f"D{d}", 0),
            follows=f"D{d}" not in job.set_registers,
        )  # fmt: skip
    yield from _unread(job, proof, "radius", told, by_program)


def _left(job: Job) -> Iterator[Row]:
    for k, axis in enumerate("xyz"):
        value = job.start.shift[k]
        yield Row(
            group="left", key="shift", axis=axis, what=f"shift {axis.upper()}", tool=0, real=0, truth=0.0, belief=value, wear=0.0, verdict="wrong" if value else "same", note="", line=0, overwritten=0,
            follows=not value,
        )  # fmt: skip
    turned = math.degrees(job.start.rotation)
    yield Row(
        group="left",
        key="rotation",
        axis="",
        what="rotation",
        tool=0,
        real=0,
        truth=0.0,
        belief=turned,
        wear=0.0,
        verdict="wrong" if turned else "same",
        note="",
        line=0,
        overwritten=0,
        follows=not turned,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Apart:
    """Two work offsets against each other, mm: how far apart in X, Y and Z, and how far that is from what was meant."""

    one: str
    two: str
    apart: tuple[float, float, float]
    off: tuple[float, float, float]


def offsets_apart(offsets: Sequence[tuple[str, tuple[float, float, float]]], pitch: float | None) -> tuple[Apart, ...]:
    """Neighbouring offsets of parts side by side: the same Y and Z, and the known pitch in X (None: any).

    ``off`` is what is left of each axis after that; parts usually stand so on a fixture plate (common practice, no source).
    """
    out = []
    for (one, a), (two, b) in pairwise(offsets):
        apart = (b[0] - a[0], b[1] - a[1], b[2] - a[2])
        along = 0.0 if pitch is None else apart[0] - math.copysign(pitch, apart[0])
        out.append(Apart(one=one, two=two, apart=apart, off=(along, apart[1], apart[2])))
    return tuple(out)
