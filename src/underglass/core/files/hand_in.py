"""What somebody hands in of a practice job: a page or a PDF with the task, the answer, the findings, pictures, and a checksum."""

from __future__ import annotations

import base64
import hashlib
import html
import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from underglass.core.errors import UnusableFile
from underglass.core.files.practice import KINDS, Practice
from underglass.core.machine.checking import Verdict, solved
from underglass.core.proof.proof import Proof
from underglass.core.saving import write_whole
from underglass.core.units import show_clock


@dataclass(frozen=True, slots=True, kw_only=True)
class HandIn:
    """``tries`` checks were asked for and ``hints`` taken; ``made`` parts at the machine in ``morning_s`` seconds of its time."""

    practice: Practice
    proof: Proof
    verdicts: tuple[Verdict, ...]
    hints: int
    tries: int
    job_text: str
    made: int = 0
    morning_s: float = 0.0

    @property
    def checksum(self) -> str:
        """Over program and job, so that nobody hands in another's: the first half of their SHA-256."""
        text = "\n".join(self.proof.source.lines) + "\0" + self.job_text
        return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:32]


def _facts(report: HandIn) -> list[tuple[str, str]]:
    proof = report.proof
    return [
        ("Task", report.practice.task),
        ("Kind", KINDS[report.practice.kind]),
        ("Outcome", "solved" if solved(report.verdicts) else "not solved" if report.verdicts else "not checked"),
        ("Checks asked for, hints taken", f"{report.tries}, {report.hints}"),
        ("Program", f"{proof.source.name}, {len(proof.source.lines)} lines"),
        ("Machining time", show_clock(proof.timing.total)),
        *([("Made at the machine", f"{report.made}, in {show_clock(report.morning_s)}")] if report.morning_s else []),
        ("Checksum of program and job", report.checksum),
        ("Date", datetime.now().strftime("%Y-%m-%d %H:%M")),
    ]


def _findings(report: HandIn) -> list[tuple[str, str, str]]:
    return [(f.severity.word, f"line {f.line}" if f.line else "", f.message) for f in report.proof.troubles[:100]]


def as_page(report: HandIn, pictures: Sequence[tuple[str, bytes]]) -> str:
    """One HTML file with everything in it; ``pictures`` are a title and a PNG each."""
    e = html.escape
    facts = "".join(f"<tr><th>{e(name)}</th><td>{e(value)}</td></tr>" for name, value in _facts(report))
    verdicts = "".join(f"<li>{'yes' if v.holds else 'no'}: {e(v.said)}</li>" for v in report.verdicts)
    rows = "".join(f"<tr><td>{e(a)}</td><td>{e(b)}</td><td>{e(c)}</td></tr>" for a, b, c in _findings(report))
    shown = "".join(
        f'<figure><img alt="{e(title)}" src="data:image/png;base64,{base64.b64encode(data).decode()}"><figcaption>{e(title)}</figcaption></figure>'
        for title, data in pictures
    )
    program = e("\n".join(report.proof.source.lines))
    return f"""<!doctype html>
<html lang="en"><meta charset="utf-8"><title>{e(report.practice.title)}</title>
<style>body{{font:14px/1.5 sans-serif;color:#1E242B;max-width:52rem;margin:2rem auto}}th{{text-align:left;padding-right:1rem;font-weight:normal;color:#5D646C;vertical-align:top}}
td{{padding-right:1rem;vertical-align:top}}img{{max-width:100%}}pre{{font:12px/1.4 monospace;background:#F4F2EC;padding:1rem}}h2{{font-size:1rem;border-bottom:1px solid #CFC9BC}}</style>
<h1>{e(report.practice.title)}</h1><table>{facts}</table>
<h2>What the checker says</h2><ul>{verdicts or "<li>It has not been asked.</li>"}</ul>
<h2>Findings of the proof</h2><table>{rows or "<tr><td>None.</td></tr>"}</table>
{shown}
<h2>The program</h2><pre>{program}</pre>
</html>
"""


def write_hand_in(report: HandIn, path: Path, pictures: Sequence[tuple[str, bytes]]) -> None:
    """As a page, or as PDF by the file's ending. Raises ``UnusableFile``."""
    if path.suffix.lower() == ".pdf":
        write_whole(path, _pdf(report, pictures))
    elif path.suffix.lower() in (".html", ".htm"):
        write_whole(path, as_page(report, pictures).encode("utf-8", "replace"))
    else:
        raise UnusableFile(str(path), "write it as .html or .pdf")


def _pdf(report: HandIn, pictures: Sequence[tuple[str, bytes]]) -> bytes:
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.styles import getSampleStyleSheet
    from reportlab.platypus import Flowable, Image, Paragraph, Preformatted, SimpleDocTemplate, Spacer, Table

    styles = getSampleStyleSheet()
    e = html.escape
    plain, head = styles["BodyText"], styles["Heading3"]
    rows = [[Paragraph(e(a), plain), Paragraph(e(b), plain)] for a, b in _facts(report)]
    parts: list[Flowable] = [Paragraph(e(report.practice.title), styles["Title"]), Table(rows, colWidths=(150, 330))]
    parts.append(Paragraph("What the checker says", head))
    for v in report.verdicts:
        parts.append(Paragraph(f"{'yes' if v.holds else 'no'}: {e(v.said)}", plain))
    parts.append(Paragraph("Findings of the proof", head))
    for severity, where, said in _findings(report):
        parts.append(Paragraph(e(f"{severity}, {where}: {said}"), plain))
    for title, data in pictures:
        picture = Image(io.BytesIO(data))
        scale = min(480.0 / picture.imageWidth, 360.0 / picture.imageHeight)
        picture.drawWidth, picture.drawHeight = picture.imageWidth * scale, picture.imageHeight * scale
        parts += [Spacer(1, 8), picture, Paragraph(e(title), plain)]
    parts.append(Paragraph("The program", head))
    lines = [line[:100].encode("latin-1", "replace").decode("latin-1") for line in report.proof.source.lines[:2000]]
    parts += [Preformatted("\n".join(lines[k : k + 50]), styles["Code"]) for k in range(0, len(lines), 50)]
    out = io.BytesIO()
    SimpleDocTemplate(out, pagesize=A4, title=report.practice.title).build(parts)
    return out.getvalue()
