"""A report as PDF."""

import io
from importlib.resources import files
from typing import Any

from vigil.reports.axes import axes_of
from vigil.reports.night import Course, NightReport
from vigil.reports.page import TONES

_MARGIN_MM, _COURSE_MM = 16.0, 34.0
_PICTURE_MM = 84.0


def as_pdf(report: NightReport) -> bytes:
    """A4, with the fonts that ship with Vigil."""
    from fpdf import FPDF  # it takes a while, and few commands need it

    pdf: Any = FPDF(format="A4", unit="mm")
    pdf.set_margin(_MARGIN_MM)
    pdf.set_auto_page_break(True, _MARGIN_MM)
    fonts = files("vigil") / "data" / "fonts"
    pdf.add_font("Inter", "", str(fonts / "Inter-Regular.otf"))
    pdf.add_font("Inter", "B", str(fonts / "Inter-SemiBold.otf"))
    pdf.set_title(f"Night of {report.evening}, {report.rig}")
    pdf.set_creation_date(report.ends or report.begins)
    pdf.add_page()
    _say(pdf, f"Night of {report.evening}, {report.rig}", 16, "B")
    until = f" to {report.clock(report.ends)}" if report.ends else ""
    _say(pdf, f"{report.site}, {report.clock(report.begins)}{until} ({report.zone})", 9)
    pdf.ln(2)
    _table(pdf, [(name, value) for name, value in report.facts], (30, 148))
    _head(pdf, "Done")
    rows = [("target", "frames", "taken", "wanted", "kept", "hours", "")]
    rows += [
        (x.target, x.words, str(x.taken), x.wanted, str(x.kept), f"{x.kept_h:.2f}", x.why)
        for x in report.lines
    ]
    _table(pdf, rows, (36, 24, 14, 26, 14, 14, 50), heads=True)
    if report.lost:
        _head(pdf, "Time lost")
        _table(pdf, [(f"{seconds / 60:.0f} min", name) for name, seconds in report.lost], (20, 158))
    for number, picture in enumerate(report.pictures):
        if number == 0:
            _head(pdf, "Pictures")
        height = _PICTURE_MM * picture.height_px / picture.width_px
        if pdf.will_page_break(height + 8):
            pdf.add_page()
        pdf.image(io.BytesIO(picture.png), w=_PICTURE_MM)
        _say(pdf, picture.words, 8)
    for number, course in enumerate(report.courses):
        if number == 0:
            _head(pdf, "Through the night")
        _course(pdf, course, report)
    if report.doubtful:
        _head(pdf, "Not kept")
        _table(pdf, list(report.doubtful), (70, 108))
    if report.notes:
        _head(pdf, "Out of the ordinary")
        rows3 = [(report.clock(at), what, why if why != what else "") for at, what, why in report.notes]
        _table(pdf, rows3, (14, 82, 82))
    return bytes(pdf.output())


def _say(pdf: Any, text: str, size: float, style: str = "") -> None:
    pdf.set_font("Inter", style, size)
    pdf.multi_cell(0, size * 0.5, text, new_x="LMARGIN", new_y="NEXT")


def _head(pdf: Any, text: str) -> None:
    pdf.ln(3)
    if pdf.will_page_break(20):
        pdf.add_page()
    _say(pdf, text, 11, "B")
    pdf.ln(1)


def _table(pdf: Any, rows: list[Any], widths: tuple[float, ...], heads: bool = False) -> None:
    from fpdf.enums import TableBordersLayout
    from fpdf.fonts import FontFace

    pdf.set_font("Inter", "", 8.5)
    pdf.set_draw_color(0xD5, 0xDC, 0xE4)
    with pdf.table(
        col_widths=widths,
        width=sum(widths),
        align="LEFT",
        text_align="LEFT",
        borders_layout=TableBordersLayout.HORIZONTAL_LINES,
        first_row_as_headings=heads,
        headings_style=FontFace(emphasis="BOLD"),
        line_height=4.6,
    ) as table:
        for row in rows:
            table.row([str(cell) for cell in row])


def _course(pdf: Any, course: Course, report: NightReport) -> None:
    if pdf.will_page_break(_COURSE_MM + 8):
        pdf.add_page()
    axes = axes_of(course, report)
    left, top = _MARGIN_MM + 14, pdf.get_y() + 5
    width, height = pdf.w - _MARGIN_MM - left - 2, _COURSE_MM - 10
    pdf.set_font("Inter", "", 8)
    unit = f" ({course.unit})" if course.unit else ""
    pdf.text(left, top - 1.5, course.title + unit)
    x = left + width
    for number in reversed(range(len(course.series))):
        name = course.series[number].name or "no filter"
        x -= pdf.get_string_width(name)
        pdf.set_text_color(*_rgb(number))
        pdf.text(x, top - 1.5, name)
        x -= 4
    pdf.set_text_color(0x5A, 0x67, 0x75)
    pdf.set_line_width(0.15)
    pdf.set_draw_color(0xD5, 0xDC, 0xE4)
    for value, words in axes.values:
        y = top + (1 - axes.share_of_value(value)) * height
        pdf.line(left, y, left + width, y)
        pdf.text(left - 2 - pdf.get_string_width(words), y + 1, words)
    for moment, words in axes.hours:
        at = left + axes.share_of_time(moment) * width
        pdf.text(at - pdf.get_string_width(words) / 2, top + height + 4, words)
    for number, series in enumerate(course.series):
        pdf.set_draw_color(*_rgb(number))
        pdf.set_fill_color(*_rgb(number))
        for moment_at, value, kept in zip(series.at, series.values, series.kept, strict=True):
            px = left + axes.share_of_time(moment_at.timestamp()) * width
            py = top + (1 - axes.share_of_value(value)) * height
            if kept:
                pdf.circle(px, py, 0.55, style="F")
            else:
                pdf.line(px - 0.8, py - 0.8, px + 0.8, py + 0.8)
                pdf.line(px - 0.8, py + 0.8, px + 0.8, py - 0.8)
    pdf.set_text_color(0, 0, 0)
    pdf.set_y(top + height + 7)


def _rgb(number: int) -> tuple[int, int, int]:
    tone = TONES[number % len(TONES)]
    return int(tone[1:3], 16), int(tone[3:5], 16), int(tone[5:7], 16)
