"""What was measured and seen at the machine, as a TOML file; and the answer to why, as text and as plain values."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any, Literal

from underglass.core.entries.checked import Table, read_toml
from underglass.core.errors import UnusableFile
from underglass.core.proof.features import WHATS, Feature
from underglass.core.proof.question import Measured, Question, Seen
from underglass.core.proof.why import Answer
from underglass.core.units import MM_PER_INCH, Unit, show_length

_MOST = 50


def read_measured(path: Path, unit: Unit) -> Question:
    """Lengths stand in the job's unit. Raises ``UnusableFile`` or ``BadEntry``: one sentence with file, key and line.

    ``[[measured]]`` what, at, z, along (degrees), is, wanted, within; ``[[seen]]`` line, with.
    """
    top = read_toml(path)
    scale = MM_PER_INCH if unit == "inch" else 1.0
    measured = tuple(_measured(entry, scale) for entry in top.tables("measured"))
    seen = tuple(_seen(entry) for entry in top.tables("seen"))
    top.done()
    if not measured and not seen:
        raise UnusableFile(str(path), "nothing was measured or seen: write [[measured]] or [[seen]]")
    if len(measured) + len(seen) > _MOST:
        raise UnusableFile(str(path), f"no more than {_MOST} sizes and sights are looked into at once")
    return Question(measured=measured, seen=seen)


def _measured(entry: Table, scale: float) -> Measured:
    what = entry.choice("what", list(WHATS))
    at = entry.raw("at")
    turned = what in ("turned", "bore")
    if not turned and (not isinstance(at, list) or len(at) != 2 or not all(_is_number(v) for v in at)):
        raise entry.bad("at", "this must be a place, as in [60.0, 40.0]")
    wanted = entry.raw("wanted")
    if wanted is not None and not _is_number(wanted):
        raise entry.bad("wanted", "this must be a number")
    feature = Feature(
        what=what,  # type: ignore[arg-type]
        at=(float(at[0]) * scale, float(at[1]) * scale) if isinstance(at, list) and not turned else (0.0, 0.0),
        z=entry.number("z", 0.0) * scale,
        way_deg=entry.number("along", 0.0),
    )
    out = Measured(
        feature=feature,
        value=entry.need_number("is") * scale,
        within=entry.number("within", 0.02 / scale, least=1e-4) * scale,
        wanted=float(wanted) * scale if wanted is not None else None,
    )
    entry.done()
    return out


def _seen(entry: Table) -> Seen:
    what: Literal["touched", "air"] = (
        "air" if entry.choice("what", ["touched", "air"], "touched") == "air" else "touched"
    )
    out = Seen(what=what, line=entry.whole("line", 0) or 0, thing=entry.text("with", "") or "")
    entry.done()
    return out


def _is_number(value: object) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool)


def answer_as_dict(answer: Answer, question: Question, unit: Unit) -> Mapping[str, Any]:
    """Lengths in mm."""
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
                "kind": c.sort, "words": c.words, "explains": round(c.explains, 4), "by_mm": c.by_mm, "line": c.line, "check": c.check,
                "sizes_mm": list(c.sizes), "seen": list(c.seen),
            }
            for c in answer.causes
        ],
    }  # fmt: skip


def answer_as_text(answer: Answer, question: Question, unit: Unit) -> str:
    """A table of sizes, then the causes, the best first."""

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
    for k, cause in enumerate(answer.causes, 1):
        would = ", ".join(said(v) for v in cause.sizes)
        lines.append(f"{k:2}  {cause.explains:4.0%}  {cause.words}" + (f"  ({would})" if would else ""))
    if answer.apart:
        lines += ["", answer.apart]
    return "\n".join(lines) + "\n"
