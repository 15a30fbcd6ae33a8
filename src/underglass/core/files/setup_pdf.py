"""The setup sheet as PDF: two pages for a plain job, drawn without a window."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path

from reportlab.graphics.shapes import Circle, Drawing, Group, Line, String
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFError, TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Image, KeepTogether, Paragraph, SimpleDocTemplate, Spacer
from reportlab.platypus import Table as Grid

from underglass.core.data import data_folder
from underglass.core.errors import UnusableFile
from underglass.core.files.setup_pictures import HIGH, INK, WIDE, measured, scale_of
from underglass.core.files.setup_sheet import SetupSheet, Table, as_html
from underglass.core.proof.held_picture import HeldPicture
from underglass.core.units import Unit

_SCALE = 0.72
_QUIET, _RULE = colors.HexColor("#636A72"), colors.HexColor("#CFC9BC")


def _fonts() -> tuple[str, str]:
    """(words, figures): the shipped figures' face; the words' face is no TrueType, so the standard one stands for it."""
    try:
        pdfmetrics.registerFont(TTFont("Figures", str(data_folder() / "fonts" / "JetBrainsMono-Regular.ttf")))
        return "Helvetica", "Figures"
    except (TTFError, OSError):
        return "Helvetica", "Courier"


def _drawing(picture: HeldPicture, unit: Unit) -> Drawing:
    out, inner = Drawing(WIDE * _SCALE, HIGH * _SCALE), Group()
    k, dx, dy = scale_of(picture)
    for s in picture.strokes:
        at = [v * k + (dx if n % 2 == 0 else dy) for n, v in enumerate(s.at)]
        ink = colors.HexColor(INK.get(s.style, INK["part"]))
        if s.kind == "dot":
            inner.add(Circle(at[0], at[1], 3, strokeColor=ink, fillColor=None))
            continue
        line = Line(*at[:4], strokeColor=ink, strokeWidth=1.4 if s.style == "part" else 0.8)
        if s.style == "help":
            line.strokeDashArray = [4, 3]
        inner.add(line)
        if s.kind == "measure":
            x, y = (at[0] + at[2]) / 2.0, (at[1] + at[3]) / 2.0
            upright = abs(at[2] - at[0]) < abs(at[3] - at[1])
            words = String(0, 0, measured(s, unit), fontSize=11, fillColor=ink, textAnchor="middle")
            held = Group(words)
            held.translate(x + (12 if upright else 0), y - (0 if upright else 13))
            if upright:
                held.rotate(90)
            inner.add(held)
    inner.scale(_SCALE, _SCALE)
    out.add(inner)
    return out


def as_pdf(sheet: SetupSheet) -> bytes:
    """The sheet as a PDF file's bytes. Raises ``UnusableFile`` for a logo that is no picture."""
    words, figures = _fonts()
    plain = ParagraphStyle("plain", fontName=words, fontSize=8.5, leading=11)
    small = ParagraphStyle("small", parent=plain, fontSize=7.5, leading=9.5, textColor=_QUIET)
    cell = ParagraphStyle("cell", parent=plain, fontSize=7.5, leading=9.5)
    right = ParagraphStyle("right", parent=cell, fontName=figures, alignment=2)
    head = ParagraphStyle(
        "head", parent=plain, fontName="Helvetica-Bold", fontSize=10, leading=13, spaceBefore=7, spaceAfter=2
    )
    title = ParagraphStyle("title", parent=head, fontSize=17, leading=21, spaceBefore=0)

    def text(said: str) -> str:
        return said.replace("&", "&amp;").replace("<", "&lt;")

    story: list[object] = []
    if sheet.logo:
        try:
            wide, high = ImageReader(sheet.logo).getSize()
        except OSError as error:
            raise UnusableFile(sheet.logo, (error.strerror or "this is no picture that can be read").lower()) from None
        story.append(Image(sheet.logo, width=28.0 * wide / max(high, 1), height=28.0, hAlign="RIGHT"))
    story += [
        Paragraph(text(sheet.title), title),
        Paragraph(text(f"Setup sheet{', ' + sheet.shop if sheet.shop else ''}, {sheet.date}"), small),
        Spacer(1, 4),
    ]
    facts = [[Paragraph(text(k), small), Paragraph(text(v), plain)] for k, v in sheet.facts]
    held = [[Paragraph(text(k), small), Paragraph(text(v), plain)] for k, v in sheet.held]
    pair = Grid([[_pairs(facts), _pairs(held)]], colWidths=[250, 275])
    pair.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)])
    story.append(pair)
    if sheet.touch:
        story += [Paragraph("Where the zero is", head), *(Paragraph(text(s), plain) for s in sheet.touch)]
    if sheet.pictures:
        drawn = [
            [_drawing(p, sheet.unit) for p in sheet.pictures],
            [Paragraph(text(p.title), small) for p in sheet.pictures],
        ]
        story.append(Grid(drawn))
    for table in sheet.tables:
        story.append(_table(table, head, small, cell, right, text))
    if sheet.guessed:
        story.append(Paragraph(text("Guessed, and not confirmed: " + ", ".join(sheet.guessed)), small))
    raw = io.BytesIO()

    def foot(canvas: Canvas, document: SimpleDocTemplate) -> None:
        canvas.setFont(words, 7)
        canvas.setFillColor(_QUIET)
        canvas.drawString(35, 22, f"{sheet.program}  {sheet.checksum}")
        canvas.drawRightString(A4[0] - 35, 22, f"page {document.page}")

    made = SimpleDocTemplate(
        raw,
        pagesize=A4,
        leftMargin=35,
        rightMargin=35,
        topMargin=34,
        bottomMargin=38,
        title=sheet.title,
        author=sheet.shop,
    )
    made.build(story, onFirstPage=foot, onLaterPages=foot)
    return raw.getvalue()


def _pairs(rows: list[list[Paragraph]]) -> Grid:
    out = Grid(rows or [["", ""]], colWidths=[68, 180])
    out.setStyle(
        [
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("TOPPADDING", (0, 0), (-1, -1), 1),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 1),
            ("LEFTPADDING", (0, 0), (-1, -1), 0),
        ]
    )
    return out


def _table(
    table: Table,
    head: ParagraphStyle,
    small: ParagraphStyle,
    cell: ParagraphStyle,
    right: ParagraphStyle,
    text: Callable[[str], str],
) -> KeepTogether:
    parts: list[object] = [Paragraph(text(table.title), head)]
    if not table.rows:
        return KeepTogether([*parts, Paragraph(text(table.empty or "None."), cell)])
    widths = [
        max(len(table.heads[c]) * 0.62, *(min(len(r[c]), 70) for r in table.rows)) + 3 for c in range(len(table.heads))
    ]
    whole = 525.0 / sum(widths)
    over = ParagraphStyle("over", parent=small, alignment=2)
    rows = [[Paragraph(text(h), over if c in table.right else small) for c, h in enumerate(table.heads)]]
    rows += [[Paragraph(text(v), right if c in table.right else cell) for c, v in enumerate(r)] for r in table.rows]
    grid = Grid(rows, colWidths=[w * whole for w in widths], repeatRows=1)
    grid.setStyle([
        ("LINEBELOW", (0, 0), (-1, -1), 0.4, _RULE), ("TOPPADDING", (0, 0), (-1, -1), 1.5), ("BOTTOMPADDING", (0, 0), (-1, -1), 1.5),
        ("LEFTPADDING", (0, 0), (-1, -1), 2), ("RIGHTPADDING", (0, 0), (-1, -1), 4), ("VALIGN", (0, 0), (-1, -1), "TOP"),
    ])  # fmt: skip
    return KeepTogether([*parts, grid])


def write_sheet(sheet: SetupSheet, path: Path, template: Path | None = None) -> bytes:
    """The bytes of a sheet by its file's suffix: .html or .pdf. Raises ``UnusableFile``."""
    suffix = path.suffix.lower()
    if suffix in (".html", ".htm"):
        return as_html(sheet, template).encode("utf-8")
    if suffix == ".pdf":
        return as_pdf(sheet)
    raise UnusableFile(str(path), "a setup sheet ends in .html or .pdf")
