"""The search as it converges: each filter's newest histogram against its level window, trials as ticks."""

from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPolygonF

from vigil.ui.flats.seen import FlatsSeen
from vigil.ui.picture import CENTRE, RIGHT, Picture, elided, wrapped, write
from vigil.ui.theme import Size, number_font, text_font, theme

_MOST_ROW_PX, _LEAST_ROW_PX = 84.0, 30.0
_NAME_PX, _WORDS_PX = 64.0, 310.0


class SearchPicture(Picture):
    """One filter under the other, on one axis from dark to full scale."""

    def __init__(self) -> None:
        super().__init__()
        self._seen, self._said = FlatsSeen(), ""
        self.setAccessibleName("Levels of the trials, by filter")

    def show_seen(self, seen: FlatsSeen, said: str) -> None:
        """`said` where there is nothing yet."""
        self._seen, self._said = seen, said
        inside = sum(one["feasible"] for one in seen.advice.values())
        told = f"{inside} of {len(seen.advice)} filters can be done" if seen.advice else ""
        number = sum(len(trials) for trials in seen.trials.values())
        self.setAccessibleDescription(told or (f"{number} trials" if number else said))
        self.update()

    def copy_text(self) -> str:
        lines = ["filter,level,exposure_s,mean_adu"]
        for name, trials in self._seen.trials.items():
            lines += [f"{name},{t['level']},{t['exposure_s']:g},{t['mean_adu']:g}" for t in trials]
        return "\n".join(lines) if len(lines) > 1 else ""

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        small = text_font(Size.SMALL)
        names = list(dict.fromkeys([*self._seen.trials, *self._seen.advice]))
        if not names:
            write(painter, QPointF(Size.MARGIN, 32), self._said, "soft")
            return
        left, right = Size.MARGIN + _NAME_PX, self.width() - Size.MARGIN - _WORDS_PX
        row = min(_MOST_ROW_PX, max(_LEAST_ROW_PX, (self.height() - 56) / len(names)))
        some = next((t[-1] for t in self._seen.trials.values() if t), None)
        full = some["full_scale_adu"] if some else 65535.0
        for k, name in enumerate(names):
            box = QRectF(left, 14 + k * row, right - left, row - 10)
            self._paint_filter(painter, name, box, full)
        base = 14 + len(names) * row + 8
        for percent in (0, 25, 50, 75, 100):
            x = left + percent / 100 * (right - left)
            write(painter, QPointF(x, base + 6), f"{percent} %", "faint", number_font(Size.SMALL), CENTRE)
        key = (
            "of full scale; the band is the level window, ticks are trials, tall what is taken or the newest"
        )
        write(painter, QPointF(left, base + 24), key, "soft", small)

    def _paint_filter(self, painter: QPainter, name: str, box: QRectF, full: float) -> None:
        trials, advice = self._seen.trials.get(name, []), self._seen.advice.get(name)
        painter.setPen(theme.pen("line"))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        write(
            painter,
            QPointF(box.left() - 10, box.bottom() - 6),
            name or "–",
            "text",
            text_font(Size.BODY),
            RIGHT,
        )

        def x(adu: float) -> float:
            return box.left() + min(max(adu / full, 0.0), 1.0) * box.width()

        shown = _shown(trials, advice)
        if shown is not None:
            low, high = x(shown["low_adu"]), x(shown["high_adu"])
            painter.fillRect(QRectF(low, box.top(), high - low, box.height()), theme.colour("accent", 0.16))
            _paint_histogram(painter, shown["histogram"], box)
        for trial in trials:
            newest = trial is shown
            inside = trial["low_adu"] <= trial["mean_adu"] <= trial["high_adu"]
            painter.setPen(theme.pen("accent" if inside else "warn" if newest else "faint", 2.0))
            at, tall = x(trial["mean_adu"]), box.height() if newest else 10.0
            painter.drawLine(QPointF(at, box.bottom()), QPointF(at, box.bottom() - tall))
        self._paint_words(painter, name, advice, box)

    def _paint_words(self, painter: QPainter, name: str, advice: dict[str, Any] | None, box: QRectF) -> None:
        at, small, room = box.right() + 14, text_font(Size.SMALL), _WORDS_PX - 14
        middle = box.top() + box.height() / 2
        have = self._seen.have.get(("flat", name), 0), self._seen.have.get(("dark flat", name), 0)
        if advice is None:
            last = self._seen.trials[name][-1]
            inside = last["low_adu"] <= last["mean_adu"] <= last["high_adu"]
            words = f"inside: level {last['level']}, {last['exposure_s']:.3g} s" if inside else "searching …"
            write(painter, QPointF(at, middle + 4), words, "soft", small)
            return
        if not advice["feasible"]:
            reason, change = str(advice["reason"]), str(advice["change"])
            tall = box.height() > 50
            wrapped(painter, QRectF(at, box.top(), room, 32 if tall else 16), reason, "warn")
            wrapped(painter, QRectF(at, box.top() + (33 if tall else 15), room, 32), change)
            return
        write(
            painter, QPointF(at, middle - 4),
            f"level {advice['level']}, {advice['exposure_s']:.3g} s", "text", number_font(Size.SMALL),
        )  # fmt: skip
        taken = f"{have[0]} flats, {have[1]} dark flats" if any(have) else "none taken yet"
        judged = self._seen.judged.get(name)
        if judged is None or not judged["faults"]:
            even = f"; even, corners {judged['vignetting_percent']:.0f} % darker" if judged else ""
            write(painter, QPointF(at, middle + 13), elided(taken + even, small, room), "soft", small)
            return
        faults = "; ".join(judged["faults"])
        wrapped(
            painter, QRectF(at, middle + 2, room, box.bottom() - middle + 8), f"{taken}; {faults}", "warn"
        )


def _shown(trials: list[dict[str, Any]], advice: dict[str, Any] | None) -> dict[str, Any] | None:
    """The one that is taken as it was, else the newest."""
    for trial in reversed(trials):
        if advice and (trial["level"], trial["exposure_s"]) == (advice["level"], advice["exposure_s"]):
            return trial
    return trials[-1] if trials else None


def _paint_histogram(painter: QPainter, counts: list[int], box: QRectF) -> None:
    most = max(counts, default=0)
    if not most:
        return
    # the fourth root: a narrow peak and its wide foot are both seen
    points = [box.bottomLeft()]
    for k, count in enumerate(counts):
        at = box.left() + (k + 0.5) / len(counts) * box.width()
        points.append(QPointF(at, box.bottom() - (count / most) ** 0.25 * (box.height() - 4)))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("select", 0.35))
    painter.drawPolygon(QPolygonF([*points, box.bottomRight()]))
    painter.setBrush(Qt.BrushStyle.NoBrush)
