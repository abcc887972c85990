"""The report as a page to hand over: PDF, with a picture of the surface. Written by ReportLab (BSD)."""

from __future__ import annotations

import io
from html import escape
from pathlib import Path

from limus.report.condition import Condition, PartCondition, Thickness

#: Source Sans 3 at its usual weight, made from the variable font beside it: the library takes no others.
_FONT = Path(__file__).parent.parent / "fonts" / "source-sans-3.ttf"


def as_pdf(found: Condition, picture: bytes | None = None) -> bytes:
    """PDF, A4. ``picture``: PNG of the surface in that year."""
    # Takes a third of a second to load.
    from reportlab.lib import colors
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.styles import ParagraphStyle, getSampleStyleSheet
    from reportlab.lib.units import mm
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont
    from reportlab.platypus import Flowable, Image, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

    if "Limus" not in pdfmetrics.getRegisteredFontNames():
        pdfmetrics.registerFont(TTFont("Limus", str(_FONT)))
    base = getSampleStyleSheet()["Normal"]
    text = ParagraphStyle("text", parent=base, fontName="Limus", fontSize=9, leading=12)
    small = ParagraphStyle("small", parent=text, fontSize=7.5, leading=10, textColor=colors.HexColor("#6c7176"))
    head = ParagraphStyle("head", parent=text, fontSize=16, leading=20)
    second = ParagraphStyle("second", parent=text, fontSize=11, leading=15, spaceBefore=8, spaceAfter=3)

    def table(part: PartCondition) -> Table:
        rows: list[list[object]] = [["Coat", "Shows", "m²", "Lies", "Mean µm", "5 to 95 %, µm"]]
        for coat in part.coats:
            t = coat.thickness_um
            rows.append(
                [
                    Paragraph(escape(coat.name), text), _percent(coat.shows), f"{coat.area_m2:.3g}",
                    _percent(coat.lies), f"{t.mean:.3g}" if t else "", _range(t),
                ]
            )  # fmt: skip
        out = Table(rows, colWidths=[70 * mm, 18 * mm, 20 * mm, 18 * mm, 20 * mm, 28 * mm], repeatRows=1)
        out.setStyle(
            TableStyle(
                [
                    ("FONT", (0, 0), (-1, -1), "Limus", 8.5),
                    ("TEXTCOLOR", (0, 0), (-1, 0), colors.HexColor("#6c7176")),
                    ("LINEBELOW", (0, 0), (-1, -1), 0.4, colors.HexColor("#dcdcd8")),
                    ("ALIGN", (1, 0), (-1, -1), "RIGHT"),
                    ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
                ]
            )
        )
        return out

    out = io.BytesIO()
    pages: list[Flowable] = [
        Paragraph(f"Condition of {escape(found.object)}", head),
        Paragraph(f"{found.year:g} years after it was made, measured at {found.resolution} texels a side", small),
        Spacer(1, 4 * mm),
    ]
    if picture:
        pages += [Image(io.BytesIO(picture), width=120 * mm, height=80 * mm, kind="proportional"), Spacer(1, 3 * mm)]
    for part in (found.whole, *found.parts):
        pages.append(Paragraph(escape(part.name) or "All of it", second))
        pages.append(Paragraph(escape(words(part)), text))
        pages.append(table(part))
    for layer, width, grade in found.cracks:
        pages.append(Paragraph(f"Cracks of {escape(layer)}: {width:g} mm wide, size class {grade} (ISO 4628-4)", text))
    pages.append(Spacer(1, 4 * mm))
    pages += [Paragraph(f"{escape(note)}.", small) for note in found.notes]
    SimpleDocTemplate(
        out, pagesize=A4, leftMargin=18 * mm, rightMargin=18 * mm, title=f"Condition of {found.object}", invariant=1
    ).build(pages)
    return out.getvalue()


def words(part: PartCondition) -> str:
    """Area and grades of a part in one line."""
    said = [
        f"{part.area_m2:.3g} m²",
        f"rust {_percent(part.rusted)}: {part.rust_iso} (ISO 4628-3), {part.rust_astm} (ASTM D610)",
    ]
    if part.flaked is not None:
        said.append(f"flaked {_percent(part.flaked)} of the paint: class {part.flaking_iso} (ISO 4628-5)")
    if part.film_um is not None:
        said.append(f"paint {part.film_um.mean:.3g} µm on average")
    return "; ".join(said)


def _percent(share: float) -> str:
    p = 100.0 * share
    return "0" if p == 0 else "< 0.1 %" if p < 0.1 else f"{p:.1f} %" if p < 10 else f"{p:.0f} %"


def _range(t: Thickness | None) -> str:
    return f"{t.low:.3g} to {t.high:.3g}" if t else ""
