"""What was measured and seen at the machine, as a TOML file; and the answer to why, as text and as plain values."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from underglass.core.entries.checked import Table, read_toml
from underglass.core.errors import UnusableFile
from underglass.core.proof.features import TURNED, TWO_PLACES, WHATS, Feature
from underglass.core.proof.question import SIGHTS, Measured, Question, Seen, Sight
from underglass.core.proof.why import Answer
from underglass.core.units import MM_PER_INCH, Unit, show_length

_MOST = 50
_WHOLE = 0.97
"""A cause that explains less leaves something open."""


def read_measured(path: Path, unit: Unit) -> Question:
    """Lengths stand in the job's unit. Raises ``UnusableFile`` or ``BadEntry``: one sentence with file, key and line.

    ``[[measured]]`` what, at, z, along (degrees), is, wanted, within; ``[[seen]]`` line, with.
    """
    top = read_toml(path)
    scale = MM_PER_INCH if unit == "inch" else 1.0
    measured = tuple(_measured(entry, scale) for entry in top.tables("measured"))
    seen = tuple(_seen(entry, scale) for entry in top.tables("seen"))
    top.done()
    if not measured and not seen:
        raise UnusableFile(str(path), "nothing was measured or seen: write [[measured]] or [[seen]]")
    if len(measured) + len(seen) > _MOST:
        raise UnusableFile(str(path), f"no more than {_MOST} sizes and sights are looked into at once")
    return Question(measured=measured, seen=seen)


def _measured(entry: Table, scale: float) -> Measured:
    what = entry.choice("what", list(WHATS))
    at = entry.raw("at")
    if what == "face":
        at = [entry.need_number("diameter"), 0.0]
    elif what == "taper" and at is None:
        at = [0.0, 0.0]  # on a lathe
    elif what not in TURNED and not _is_place(at):
        raise entry.bad("at", "this must be a place, as in [60.0, 40.0]")
    to = entry.raw("to")
    if what == "taper":
        to = [entry.need_number("to_z"), 0.0]
    elif what in TWO_PLACES and not _is_place(to):
        raise entry.bad("to", "this must be the second place, as in [60.0, 40.0]")
    wanted = entry.raw("wanted")
    if wanted is not None and not _is_number(wanted):
        raise entry.bad("wanted", "this must be a number")
    feature = Feature(
        what=what,  # type: ignore[arg-type]
        at=(float(at[0]) * scale, float(at[1]) * scale) if isinstance(at, list) else (0.0, 0.0),
        z=entry.number("z", 0.0) * scale,
        way_deg=entry.number("along", 180.0 if what == "face" else 0.0),
        to=(float(to[0]) * scale, float(to[1]) * scale) if isinstance(to, list) else (0.0, 0.0),
    )
    # An angle is degrees in every unit.
    size = 1.0 if what == "angle" else scale
    out = Measured(
        feature=feature,
        value=entry.need_number("is") * size,
        within=entry.number("within", 0.02 / size, least=1e-4) * size,
        wanted=float(wanted) * size if wanted is not None else None,
    )
    entry.done()
    return out


def _seen(entry: Table, scale: float) -> Seen:
    what: Sight = entry.choice("what", list(SIGHTS), "touched")  # type: ignore[assignment]
    at = entry.raw("at")
    if what in ("ridge", "rounded", "aside") and not _is_place(at):
        raise entry.bad("at", "this must be where it is, or how far aside, as in [60.0, 40.0]")
    place = (float(at[0]) * scale, float(at[1]) * scale) if isinstance(at, list) else (0.0, 0.0)
    out = Seen(what=what, line=entry.whole("line", 0) or 0, thing=entry.text("with", "") or "", at=place)
    entry.done()
    return out


def _is_place(value: object) -> bool:
    return isinstance(value, list) and len(value) == 2 and all(_is_number(v) for v in value)


def _is_number(value: object) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool)


def answer_as_dict(answer: Answer) -> Mapping[str, Any]:
    """Lengths in mm."""
    question = answer.question
    return {
        "against": answer.against,
        "proofs": answer.proofs,
        "apart": answer.apart,
        "measured": [
            {"what": m.feature.words, "is_mm": m.value, "wanted_mm": m.wanted, "as_proved_mm": found}
            for m, found in zip(question.measured, answer.as_proved)
        ],
        "seen": [{"what": s.what, "line": s.line, "with": s.thing, "as_proved": found} for s, found in zip(question.seen, answer.as_seen)],
        "causes": [
            {
                "answer": c.answer, "kind": c.sort, "words": c.words, "also": list(c.also), "explains": round(c.explains, 4), "by_mm": c.by_mm, "line": c.line, "check": c.check,
                "sizes_mm": list(c.sizes), "seen": list(c.seen),
            }
            for c in answer.causes
        ],
    }  # fmt: skip


def answer_as_text(answer: Answer, unit: Unit) -> str:
    """A table of sizes, then the causes, the best first; those that nothing tells apart stand under one number."""
    question = answer.question

    def said(value: float | None) -> str:
        return "none" if value is None else show_length(value, unit)

    lines = [f"{'':52} {'is':>10} {'wanted':>10} {'proved':>10}"]
    for m, found in zip(question.measured, answer.as_proved):
        lines.append(
            f"{m.feature.words[:52]:52} {said(m.value):>10} {said(m.wanted) if m.wanted is not None else '':>10} {said(found):>10}"
        )
    for s, there in zip(question.seen, answer.as_seen):
        lines.append(f"{s.words[:52]:52} {'yes':>10} {'':>10} {'yes' if there else 'no':>10}")
    if answer.against == "wanted":
        lines.append("The proof has these very sizes: looked for is what makes the part as it was wanted.")
    lines.append("")
    if not answer.causes:
        lines.append("Nothing that was tried explains this.")
    last = 0
    for cause in answer.causes:
        would = ", ".join(said(v) for v in cause.sizes)
        number = f"{cause.answer:2}" if cause.answer != last else "or"
        last = cause.answer
        lines.append(f"{number}  {cause.explains:4.0%}  {cause.words}" + (f"  ({would})" if would else ""))
        lines += [f"          in it, for one of the two: {words}" for words in cause.also]
    if answer.causes and answer.causes[0].explains < _WHOLE:
        lines.append(
            f"None of these explains all of it: of what is out, the best leaves {1.0 - answer.causes[0].explains:.0%}."
        )
    if answer.apart:
        lines += ["", answer.apart]
    return "\n".join(lines) + "\n"
