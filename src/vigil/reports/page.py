"""A report as one HTML page: no script, no other file, to be read by day and printed."""

import base64
from html import escape

from vigil.reports.axes import Axes, axes_of
from vigil.reports.night import Course, NightReport

_WIDTH, _HEIGHT = 760.0, 150.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 48.0, 12.0, 10.0, 24.0
_STYLE = """
body { font: 15px/1.5 sans-serif; color: #1b2530; max-width: 820px; margin: 2em auto; padding: 0 1em }
h1 { font-size: 1.5em; margin-bottom: 0 } h2 { font-size: 1.1em; margin: 1.6em 0 .4em }
p.where { color: #5a6775; margin-top: .2em }
table { border-collapse: collapse; width: 100% } th { text-align: left; font-weight: 600 }
td, th { padding: .15em .8em .15em 0; vertical-align: top; border-bottom: 1px solid #e3e8ee }
td.n, th.n { text-align: right; font-variant-numeric: tabular-nums } td.why { color: #5a6775 }
dl { display: grid; grid-template-columns: max-content 1fr; gap: .1em 1.2em } dt { color: #5a6775 }
dd { margin: 0 } figure { display: inline-block; margin: 0 1em 1em 0 } figcaption { color: #5a6775 }
img { max-width: 100%; height: auto } svg { width: 100%; height: auto }
svg text { font: 11px sans-serif; fill: #5a6775 }
@media print { body { margin: 0 } h2 { break-after: avoid } tr, figure, svg { break-inside: avoid } }
"""
TONES = ("#1d6f8a", "#b4552d", "#5b7f2b", "#7b4d9e", "#9a7a12", "#40566e", "#a13f63")
"""One for each filter in turn; their names stand beside the picture."""


def as_page(report: NightReport) -> str:
    """The whole page."""
    title = f"Night of {report.evening}, {report.rig}"
    until = f" to {report.clock(report.ends)}" if report.ends else ""
    where = f"{report.site}, {report.clock(report.begins)}{until} ({report.zone})"
    facts = "".join(f"<dt>{escape(n)}</dt><dd>{escape(v)}</dd>" for n, v in report.facts)
    parts = [f"<h1>{escape(title)}</h1><p class=where>{escape(where)}</p><dl>{facts}</dl>"]
    rows = "".join(
        f"<tr><td>{escape(x.target)}</td><td>{escape(x.words)}</td><td class=n>{x.taken}</td>"
        f"<td class=n>{escape(x.wanted)}</td><td class=n>{x.kept}</td><td class=n>{x.kept_h:.2f} h</td>"
        f"<td class=why>{escape(x.why)}</td></tr>"
        for x in report.lines
    )
    head = "<th>target<th>frames<th class=n>taken<th class=n>wanted<th class=n>kept<th class=n>hours<th>"
    parts.append(f"<h2>Done</h2><table><tr>{head}</tr>{rows}</table>")
    if report.lost:
        lost = "".join(
            f"<tr><td class=n>{seconds / 60:.0f} min</td><td>{escape(name)}</td></tr>"
            for name, seconds in report.lost
        )
        parts.append(f"<h2>Time lost</h2><table>{lost}</table>")
    if report.pictures:
        shown = "".join(
            f"<figure><img width={p.width_px} height={p.height_px} alt='{escape(p.words, True)}' "
            f"src='data:image/png;base64,{base64.b64encode(p.png).decode()}'>"
            f"<figcaption>{escape(p.words)}</figcaption></figure>"
            for p in report.pictures
        )
        parts.append(f"<h2>Pictures</h2>{shown}")
    if report.courses:
        parts.append("<h2>Through the night</h2>" + "".join(_svg(c, report) for c in report.courses))
    if report.doubtful:
        rows = "".join(
            f"<tr><td>{escape(frame)}</td><td class=why>{escape(why)}</td></tr>"
            for frame, why in report.doubtful
        )
        parts.append(f"<h2>Not kept</h2><table>{rows}</table>")
    if report.notes:
        rows = "".join(
            f"<tr><td class=n>{report.clock(at)}</td><td>{escape(what)}</td>"
            f"<td class=why>{escape(why if why != what else '')}</td></tr>"
            for at, what, why in report.notes
        )
        parts.append(f"<h2>Out of the ordinary</h2><table>{rows}</table>")
    body = "\n".join(parts)
    return (
        f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(title)}</title>"
        f"<style>{_STYLE}</style><body>{body}</body></html>\n"
    )


def _svg(course: Course, report: NightReport) -> str:
    axes = axes_of(course, report)
    out = [f'<svg viewBox="0 0 {_WIDTH:g} {_HEIGHT + 22:g}" role="img" aria-label="{escape(course.title)}">']
    unit = f" ({course.unit})" if course.unit else ""
    out.append(f'<text x="{_LEFT:g}" y="12" style="fill:#1b2530">{escape(course.title + unit)}</text>')
    x = _WIDTH - _RIGHT
    for number in reversed(range(len(course.series))):
        name = course.series[number].name or "no filter"
        tone = TONES[number % len(TONES)]
        out.append(f'<text x="{x:g}" y="12" text-anchor="end" style="fill:{tone}">{escape(name)}</text>')
        x -= 8 * len(name) + 14
    for value, words in axes.values:
        y = _y(axes, value)
        out.append(
            f'<line x1="{_LEFT:g}" x2="{_WIDTH - _RIGHT:g}" y1="{y:.1f}" y2="{y:.1f}" stroke="#e3e8ee"/>'
        )
        out.append(f'<text x="{_LEFT - 6:g}" y="{y + 4:.1f}" text-anchor="end">{words}</text>')
    for moment, words in axes.hours:
        x = _x(axes, moment)
        out.append(f'<text x="{x:.1f}" y="{_HEIGHT + 18:g}" text-anchor="middle">{words}</text>')
    for number, series in enumerate(course.series):
        tone = TONES[number % len(TONES)]
        for at, value, kept in zip(series.at, series.values, series.kept, strict=True):
            px, py = _x(axes, at.timestamp()), _y(axes, value)
            if kept:
                out.append(f'<circle cx="{px:.1f}" cy="{py:.1f}" r="2.4" fill="{tone}"/>')
            else:
                out.append(f'<path d="M{px - 3:.1f} {py - 3:.1f}l6 6m0-6l-6 6" stroke="{tone}" fill="none"/>')
    return "".join([*out, "</svg>"])


def _x(axes: Axes, unix_s: float) -> float:
    return _LEFT + axes.share_of_time(unix_s) * (_WIDTH - _LEFT - _RIGHT)


def _y(axes: Axes, value: float) -> float:
    return 16 + _TOP + (1 - axes.share_of_value(value)) * (_HEIGHT - _TOP - _BOTTOM)
