"""A report as PDF: A4, fonts embedded, drawings as lines, no picture and no link."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import replace
from functools import cache
from importlib.resources import as_file, files
from typing import Any
from xml.sax.saxutils import escape

from reportlab.graphics.shapes import STATE_DEFAULTS, Circle, Drawing, Line, Rect, String
from reportlab.lib.colors import Color, HexColor
from reportlab.lib.enums import TA_RIGHT
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import (
    BaseDocTemplate,
    CondPageBreak,
    Flowable,
    Frame,
    KeepTogether,
    ListFlowable,
    ListItem,
    PageBreak,
    PageTemplate,
    Paragraph,
    Spacer,
    Table,
    TableStyle,
)

from even_static.core.report.blocks import (
    Block,
    ChangeDrawing,
    Chapter,
    ListBlock,
    Report,
    SpectrumDrawing,
    TableBlock,
    TextBlock,
)
from even_static.formats.as_read import USUAL, as_read

REGULAR, BOLD, OTHER = "EvenStaticReport", "EvenStaticReport-Bold", "EvenStaticReport-Other"
FILES = {REGULAR: "report-regular.ttf", BOLD: "report-bold.ttf", OTHER: "dejavu-sans.ttf"}
INK, SOFT, RULE, ACCENT = HexColor("#1f252b"), HexColor("#5b6067"), HexColor("#a99c80"), HexColor("#a8321a")
WASH = HexColor("#efe8d8")
MARGIN = 18 * mm
WIDTH = A4[0] - 2 * MARGIN
LEAST_LEFT = 28 * mm
MARKS = {"better": "+", "worse": "×", "inconclusive": "?"}


def write_report(report: Report, language: str = USUAL) -> bytes:
    """The report as the bytes of a PDF, its numbers and dates as readers of a language (BCP 47) write them."""
    _fonts()
    write = as_read(language)
    report = _written(report, write)
    out = io.BytesIO()
    document = BaseDocTemplate(
        out,
        pagesize=A4,
        leftMargin=MARGIN,
        rightMargin=MARGIN,
        topMargin=MARGIN,
        bottomMargin=MARGIN,
        title=report.title,
        author="Even Static",
        subject=report.headline,
        initialFontName=REGULAR,
    )
    frame = Frame(MARGIN, MARGIN, WIDTH, A4[1] - 2 * MARGIN, leftPadding=0, rightPadding=0, topPadding=0)

    def foot(canvas: Any, _: Any) -> None:
        canvas.setFont(REGULAR, 8)
        canvas.setFillColor(SOFT)
        canvas.drawString(MARGIN, 10 * mm, _plain(f"{report.title}. Made {write(report.made_at[:10])}"))
        canvas.drawRightString(A4[0] - MARGIN, 10 * mm, str(canvas.getPageNumber()))
        if report.mark:
            canvas.setFillColor(ACCENT)
            canvas.drawString(MARGIN, A4[1] - 10 * mm, _plain(report.mark))

    document.addPageTemplates([PageTemplate(id="page", frames=[frame], onPage=foot)])
    story: list[Flowable] = [
        _text(report.title, size=20, bold=True, after=2),
        _text(report.headline, size=13, bold=True, colour=ACCENT, after=6),
    ]
    for section in report.household:
        story += _section(section)
    if report.annex:
        story += [PageBreak(), _text("Technician's annex", size=18, bold=True, after=4)]
        for section in report.annex:
            story += _section(section, small=True)
    document.build(story)
    return out.getvalue()


def _written(report: Report, write: Callable[[str], str]) -> Report:
    """The report with every text of its chapters as its reader writes numbers and dates; titles stay as typed."""

    def block(b: Block) -> Block:
        if isinstance(b, TextBlock):
            return replace(b, text=write(b.text))
        if isinstance(b, ListBlock):
            return ListBlock(tuple(map(write, b.items)))
        if isinstance(b, TableBlock):
            return replace(b, rows=tuple(tuple(map(write, row)) for row in b.rows))
        if isinstance(b, ChangeDrawing):
            return replace(b, rows=tuple(replace(r, before=write(r.before), after=write(r.after)) for r in b.rows))
        return b

    def chapters(found: tuple[Chapter, ...]) -> tuple[Chapter, ...]:
        return tuple(replace(c, blocks=tuple(map(block, c.blocks))) for c in found)

    return replace(
        report,
        headline=write(report.headline),
        household=chapters(report.household),
        annex=chapters(report.annex),
    )


@cache
def _fonts() -> None:
    for name, file in FILES.items():
        with as_file(files("even_static.formats").joinpath("fonts", file)) as path:
            pdfmetrics.registerFont(TTFont(name, str(path)))
    # A drawing begins with this font; left as it is, one that is not embedded would be named in the file.
    STATE_DEFAULTS["fontName"] = REGULAR
    pdfmetrics.registerFontFamily(REGULAR, normal=REGULAR, bold=BOLD, italic=REGULAR, boldItalic=BOLD)


@cache
def _known(name: str) -> frozenset[int]:
    _fonts()
    return frozenset(pdfmetrics.getFont(name).face.charToGlyph)


def _plain(text: str) -> str:
    """Text for a drawing: what the report's font lacks becomes a question mark."""
    return "".join(c if ord(c) in _known(REGULAR) else "?" for c in text)


def _marked(text: str) -> str:
    """Text as a paragraph's markup: what the report's font lacks is set in the other one."""
    own, parts, run = _known(REGULAR), [], ""
    for c in text:
        if ord(c) in own or c == "\n":
            if run:
                parts.append(f'<font name="{OTHER}">{escape(run)}</font>')
                run = ""
            parts.append("<br/>" if c == "\n" else escape(c))
        else:
            run += c
    if run:
        parts.append(f'<font name="{OTHER}">{escape(run)}</font>')
    return "".join(parts)


def _style(
    size: float, bold: bool = False, colour: Color = INK, right: bool = False, after: float = 3
) -> ParagraphStyle:
    return ParagraphStyle(
        "text",
        fontName=BOLD if bold else REGULAR,
        fontSize=size,
        leading=size * 1.32,
        textColor=colour,
        spaceAfter=after,
        alignment=TA_RIGHT if right else 0,
        splitLongWords=1,
        bulletFontName=REGULAR,
    )


def _text(text: str, size: float = 10.5, *, bold: bool = False, colour: Color = INK, after: float = 3) -> Paragraph:
    return Paragraph(_marked(text), _style(size, bold, colour, after=after))


def _section(section: Chapter, small: bool = False) -> list[Flowable]:
    size = 9.0 if small else 10.5
    head = _text(section.title, size=12 if small else 14, bold=True, after=2)
    body = [part for block in section.blocks for part in _block(block, size)]
    # A heading does not stand alone at the foot of a page.
    return [CondPageBreak(LEAST_LEFT), Spacer(0, 7), head, *body]


def _block(block: Block, size: float) -> list[Flowable]:
    if isinstance(block, TextBlock):
        return [_text(block.text, size, bold=block.strong)]
    if isinstance(block, ListBlock):
        items = [ListItem(_text(i, size, after=1), bulletFontName=REGULAR) for i in block.items]
        return [ListFlowable(items, bulletType="bullet", start="•", leftIndent=12, bulletFontName=REGULAR)]
    if isinstance(block, TableBlock):
        return [_table(block, size - 0.5), Spacer(0, 4)]
    if isinstance(block, ChangeDrawing):
        return [KeepTogether([_text(block.title, size, bold=True, after=1), _change(block)])]
    title = _text(f"{block.band} to scale", size, bold=True, after=1)
    return [KeepTogether([Spacer(0, 6), title, _spectrum(block)])]


def _table(block: TableBlock, size: float) -> Table:
    def cell(text: str, column: int, bold: bool) -> Paragraph:
        style = _style(size, bold, SOFT if bold else INK, column in block.figures, after=0)
        return Paragraph(_marked(text), style)

    rows = [[cell(h, c, True) for c, h in enumerate(block.head)]]
    rows += [[cell(v, c, False) for c, v in enumerate(row)] for row in block.rows]
    weights = [
        min(max(len(x) for x in (block.head[c], *(row[c] for row in block.rows[:60]))), 46) + 3
        for c in range(len(block.head))
    ]
    table = Table(rows, colWidths=[WIDTH * w / sum(weights) for w in weights], repeatRows=1)
    table.setStyle(
        TableStyle(
            [
                ("FONT", (0, 0), (-1, -1), REGULAR, size),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LINEBELOW", (0, 0), (-1, 0), 0.8, RULE),
                ("LINEBELOW", (0, 1), (-1, -1), 0.3, RULE),
                ("LEFTPADDING", (0, 0), (-1, -1), 2),
                ("RIGHTPADDING", (0, 0), (-1, -1), 4),
                ("TOPPADDING", (0, 0), (-1, -1), 1.5),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
            ]
        )
    )
    return table


def _string(x: float, y: float, text: str, size: float = 8, colour: Color = INK, anchor: str = "start") -> String:
    return String(x, y, _plain(text), fontName=REGULAR, fontSize=size, fillColor=colour, textAnchor=anchor)


def _change(block: ChangeDrawing) -> Drawing:
    """Before (open circle) and after (full) on one line, with both values and the verdict's mark."""
    step, left, right = 15.0, 120.0, 118.0
    height = step * len(block.rows) + 4
    drawing = Drawing(WIDTH, height)
    span = WIDTH - left - right
    for n, row in enumerate(block.rows):
        y = height - step * (n + 0.7)
        drawing.add(_string(0, y - 3, row.name[:26]))
        drawing.add(Line(left, y, left + span, y, strokeColor=RULE, strokeWidth=0.4))
        a, b = left + span * row.before_at, left + span * row.after_at
        drawing.add(Line(a, y, b, y, strokeColor=INK, strokeWidth=1.6))
        drawing.add(Circle(a, y, 3, fillColor=HexColor("#ffffff"), strokeColor=INK, strokeWidth=1))
        drawing.add(Circle(b, y, 3, fillColor=ACCENT, strokeColor=ACCENT))
        drawing.add(_string(left + span + 8, y - 3, f"{row.before} to {row.after}"))
        drawing.add(_string(WIDTH, y - 3, f"{MARKS.get(row.verdict, '')} {row.verdict}", anchor="end"))
    return drawing


def _spectrum(block: SpectrumDrawing) -> Drawing:
    """Lanes over the band: own stretches full, Zigbee narrow, the others hatched with their letters."""
    left, lane_height = 78.0, 13.0
    height = sum(max(len(lane.rows), 1) for lane in block.lanes) * lane_height + 16
    drawing = Drawing(WIDTH, height)
    span = WIDTH - left

    def x(mhz: float) -> float:
        return float(left + span * (mhz - block.low_mhz) / (block.high_mhz - block.low_mhz))

    y = height - lane_height
    for lane in block.lanes:
        drawing.add(_string(0, y + 3, lane.name, colour=SOFT))
        for row in lane.rows or ((),):
            for s in row:
                a, b = x(s.low_mhz), x(s.high_mhz)
                fill = {"own": ACCENT, "zigbee": INK, "others": WASH}[s.style]
                box = Rect(a, y + 1, max(b - a, 1.5), lane_height - 3, fillColor=fill, strokeColor=INK, strokeWidth=0.5)
                drawing.add(box)
                if s.style == "others":
                    for k in range(int((b - a) // 6) + 1):
                        at = a + 6 * k
                        reach = min(at + lane_height - 3, b)
                        drawing.add(Line(at, y + 1, reach, y + 1 + reach - at, strokeColor=RULE, strokeWidth=0.4))
                room = int((b - a) / 4.6)
                if room >= len(s.who) or s.style == "others":
                    light = HexColor("#ffffff") if s.style == "own" else INK
                    drawing.add(_string((a + b) / 2, y + 3.5, s.who[: max(room, 2)], 7, light, "middle"))
                else:
                    drawing.add(_string(b + 3, y + 3.5, s.who, 7))
            y -= lane_height
    drawing.add(Line(left, 12, WIDTH, 12, strokeColor=INK, strokeWidth=0.6))
    step = next(s for s in (10, 20, 50, 100, 200, 500) if (block.high_mhz - block.low_mhz) / s <= 14)
    tick = -(-block.low_mhz // step) * step
    while tick <= block.high_mhz:
        drawing.add(Line(x(tick), 9, x(tick), 12, strokeColor=INK, strokeWidth=0.6))
        drawing.add(_string(x(tick), 1, f"{tick:.0f}", 7, SOFT, "middle"))
        tick += step
    drawing.add(_string(0, 1, "MHz", 7, SOFT))
    return drawing
