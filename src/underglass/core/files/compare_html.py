"""Two runs against each other as one HTML page: same part or not, where they differ, what path and time come to."""

from __future__ import annotations

from underglass.core.files.filled_in import page_of
from underglass.core.files.place_svg import as_svg
from underglass.core.files.setup_sheet import checksum_of
from underglass.core.proof.compare import Comparison, Worst
from underglass.core.proof.place_picture import COMPARED
from underglass.core.proof.proof import Proof
from underglass.core.units import Unit, show_clock, show_length


def _place(worst: Worst | None, unit: Unit) -> str:
    if worst is None:
        return "nothing"
    where = " ".join(f"{a} {show_length(v, unit)}" for a, v in zip("XYZ", worst.place))
    return f"up to {show_length(worst.depth_mm, unit)} {unit}, {worst.volume_mm3:.1f} mm3 in all; most at {where}"


def comparison_page(one: Proof, two: Proof, found: Comparison, date: str) -> str:
    """The page of a comparison of two proofs."""
    unit = one.job.units
    names = [p.job.title or p.source.name for p in (one, two)]
    rows = [
        ("Program", *(f"{p.source.name}, {len(p.source.lines)} lines" for p in (one, two))),
        ("Checksum", *(checksum_of(p) for p in (one, two))),
        ("Outcome", one.outcome, two.outcome),
        ("Time", show_clock(found.time_a_s), show_clock(found.time_b_s)),
        ("Moves", f"{found.moves_a:,}", f"{found.moves_b:,}"),
        ("Way at feed", *(f"{show_length(v, unit)} {unit}" for v in (found.feed_a_mm, found.feed_b_mm))),
    ]
    facts = [
        ("Part", "the same" if found.same_part else f"not the same: {found.apart_mm3:.1f} mm3 differ"),
        ("A has more", _place(found.a_left, unit)),
        ("A has less", _place(found.a_lacks, unit)),
        ("Held", f"within cells of {found.cell_mm:g} mm" if found.cell_mm else "exactly"),
        ("Path", "the same" if found.first_difference is None else "first differs at line {} of A, line {} of B".format(*found.first_difference)),
    ]  # fmt: skip
    differ = []
    if found.first_difference is not None:
        for proof, line, name in zip((one, two), found.first_difference, "AB"):
            first = max(1, line - 2)
            differ.append(
                (name, [(n, text, n == line) for n, text in enumerate(proof.source.lines[first - 1 : line + 2], first)])
            )
    pictures = [(p.title, as_svg(p, unit)) for p in COMPARED[one.job.trade.name](one, two)]
    return page_of(
        "comparison",
        names=names,
        rows=rows,
        facts=facts,
        differ=differ,
        pictures=pictures,
        date=date,
        same=found.same_part,
    )
