"""A study: what of the record is air and what the mount, and the mount's error left under every exposure and
strength, as a surface with its lowest place."""

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter

from vigil.guiding.study import AxisStudy, Study, Tried
from vigil.ui.picture import CENTRE, RIGHT, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

_AXES = (("ra", "right ascension", "warn"), ("dec", "declination", "dec"))


class StudyPicture(Picture):
    """A surface for each axis; brighter is less. The advised exposure and strength are ringed."""

    def __init__(self) -> None:
        super().__init__()
        self._study: Study | None = None
        self._said = ""
        self.setAccessibleName("Study of the guide record")

    def sizeHint(self) -> QSize:
        return QSize(720, 460)

    def show_study(self, found: Study | None, said: str) -> None:
        """`said` stands where there is none."""
        self._study, self._said = found, said
        self.setAccessibleDescription(said)
        self.update()

    def copy_text(self) -> str:
        if self._study is None:
            return ""
        lines = [
            f"{name}\t{t.exposure_s}\t{t.settings.law}\t{t.settings.strength}\t{t.settings.dead_band_arcsec}\t"
            f"{t.slow_rms_arcsec:.4f}\t{t.measured_rms_arcsec:.4f}"
            for name, axis in (("ra", self._study.ra), ("dec", self._study.dec))
            for t in axis.tried
        ]
        head = "axis\texposure_s\tlaw\tstrength\tdead_band_arcsec\tslow_rms_arcsec\tmeasured_rms_arcsec"
        return "\n".join([head, *lines])

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        found = self._study
        if found is None:
            write(painter, QPointF(self.rect().center()), self._said, "soft", None, CENTRE)
            return
        width = (self.width() - 3 * 48.0) / 2
        for k, (name, words, role) in enumerate(_AXES):
            axis: AxisStudy = getattr(found, name)
            left = 48 + k * (width + 48)
            self._paint_parts(painter, QRectF(left, 16, width, 96), axis, words, role)
            box = QRectF(left, 144, width, self.height() - 144 - 44)
            self._paint_surface(painter, box, axis, role)

    def _paint_parts(self, painter: QPainter, box: QRectF, axis: AxisStudy, words: str, role: str) -> None:
        parts, small = axis.parts, text_font(Size.SMALL)
        write(painter, box.topLeft() + QPointF(0, 16), words, role, text_font(Size.HEAD, True))
        said = f"seeing {parts.seeing_rms_arcsec:.2f}″, the mount's own error {parts.slow_rms_arcsec:.2f}″"
        write(painter, box.topLeft() + QPointF(0, 38), said, "text")
        waves = ", ".join(f"{w.amplitude_arcsec:.1f}″ in {w.period_s:.0f} s" for w in parts.waves[:3])
        drift = f"drifts by {parts.drift_arcsec_min:+.1f}″/min".replace("-", "−")
        write(painter, box.topLeft() + QPointF(0, 58), f"{drift}; waves: {waves or 'none'}", "soft", small)
        best = axis.best
        said = (
            f"best: {best.settings.law}, strength {best.settings.strength:g}, "
            f"dead band {best.settings.dead_band_arcsec:g}″"
        )
        write(painter, box.topLeft() + QPointF(0, 80), said, "accent", small)
        left = f"leaves {best.promised_rms_arcsec:.2f} ± {best.error_arcsec:.2f}″ of the mount's error"
        write(painter, box.topLeft() + QPointF(0, 96), left, "accent", small)

    def _paint_surface(self, painter: QPainter, box: QRectF, axis: AxisStudy, role: str) -> None:
        exposures, strengths, values = surface(axis.tried)
        small = number_font(Size.SMALL)
        cell_w, cell_h = box.width() / len(exposures), box.height() / len(strengths)
        low, high = float(np.nanmin(values)), float(np.nanmax(values))
        for i, exposure in enumerate(exposures):
            for k, _ in enumerate(strengths):
                value = values[i, k]
                # a logarithm, for the worst are many times the best
                share = 1 - np.log(value / low) / max(np.log(high / low), 1e-6) if low > 0 else 0.5
                cell = QRectF(
                    box.left() + i * cell_w, box.bottom() - (k + 1) * cell_h, cell_w - 1, cell_h - 1
                )
                ground = theme.laid_over("well", role, 0.08 + 0.8 * float(share) ** 2)
                painter.fillRect(cell, ground)
                if cell_w > 38 and cell_h > 15:
                    place = cell.center() + QPointF(0, 4)
                    write(painter, place, f"{value:.2f}", theme.read_on(ground), small, CENTRE)
            text = f"{exposure:g} s"
            write(
                painter,
                QPointF(box.left() + (i + 0.5) * cell_w, box.bottom() + 16),
                text,
                "soft",
                small,
                CENTRE,
            )
        for k, strength in enumerate(strengths):
            if k % 2:
                place = QPointF(box.left() - 6, box.bottom() - (k + 0.5) * cell_h + 4)
                write(painter, place, f"{strength:g}", "soft", small, RIGHT)
        best = axis.best
        if best.exposure_s in exposures and best.settings.strength in strengths:
            i, k = exposures.index(best.exposure_s), strengths.index(best.settings.strength)
            painter.setPen(theme.pen("accent", 2.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(
                QRectF(
                    box.left() + i * cell_w - 1, box.bottom() - (k + 1) * cell_h - 1, cell_w + 1, cell_h + 1
                )
            )
        words = "strength (up) and exposure: ″ of the mount's error left"
        if box.width() > 320:
            write(painter, QPointF(box.left(), box.top() - 8), words, "soft", text_font(Size.SMALL))


def surface(tried: Sequence[Tried]) -> tuple[list[float], list[float], np.ndarray]:
    """Of the proportional law: exposures, strengths, and the least left [exposure, strength]."""
    plain = [t for t in tried if t.settings.law == "proportional"]
    exposures = sorted({t.exposure_s for t in plain})
    strengths = sorted({t.settings.strength for t in plain})
    values = np.full((len(exposures), len(strengths)), np.nan)
    for t in plain:
        i, k = exposures.index(t.exposure_s), strengths.index(t.settings.strength)
        values[i, k] = np.nanmin([values[i, k], t.slow_rms_arcsec])
    return exposures, strengths, values
