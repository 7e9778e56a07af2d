"""What of the frames is followed through the night."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from vigil.ui import words

Values = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Quantity:
    """`value` of a frame's values and the rig's scale (″ a pixel), None where it isn't known; `least` is the
    least height of its scale. That begins at 0 unless it `floats`, or is drawn around its values where so
    `much` a share of them is a change that matters."""

    name: str
    unit: str
    value: Callable[[Values, float], float | None]
    form: str
    least: float
    floats: bool = False
    much: float = 0.0

    @property
    def title(self) -> str:
        return f"{self.name}, {self.unit}" if self.unit else self.name

    def shown(self, value: float) -> str:
        text = self.form.format(value)
        return text.replace("-", words.MINUS) if self.form != "{:,.0f}" else words.grouped(value)

    def scale(self, values: list[float], limit: float | None = None) -> tuple[float, float]:
        """(lowest, highest) of its axis, with its limit in it."""
        if self.much:
            middle = sum(values) / len(values)
            low, high = min(*values, middle * (1 - self.much)), max(*values, middle * (1 + self.much))
        elif self.floats:
            low, high = self.around(values)
        else:
            low, high = 0.0, max(self.least, 1.15 * max(values))
        if limit is not None:
            low, high = min(low, limit), max(high, limit)
        margin = 0.06 * (high - low)
        return low - margin * bool(low), high + margin

    def around(self, values: list[float]) -> tuple[float, float]:
        """(lowest, highest) of an axis that need not begin at 0."""
        least = self.least if self.floats else self.least / 10
        middle, half = (max(values) + min(values)) / 2, max(least, max(values) - min(values)) * 0.6
        return middle - half, middle + half


def _of(name: str) -> Callable[[Values, float], float | None]:
    def value(values: Values, scale_arcsec_px: float) -> float | None:
        found = values.get(name)
        return None if found is None else float(found)

    return value


def _size_arcsec(values: Values, scale_arcsec_px: float) -> float | None:
    size = values.get("hfr_px")
    return None if size is None else float(size) * scale_arcsec_px


QUANTITIES: tuple[Quantity, ...] = (
    Quantity("star size", "px", _of("hfr_px"), "{:.2f}", 4.0, much=0.25),
    Quantity("star size", "″", _size_arcsec, "{:.2f}", 4.0, much=0.25),
    Quantity("stars", "", _of("stars"), "{:,.0f}", 500.0, much=0.4),
    Quantity("background", "ADU", _of("background_adu"), "{:,.0f}", 1000.0, much=0.3),
    Quantity("elongation", "", _of("elongation"), "{:.2f}", 0.2, floats=True),
    Quantity("guide rms", "″", _of("guide_rms_arcsec"), "{:.2f}", 1.0),
    Quantity("temperature", "°C", _of("tube_c"), "{:.1f}", 2.0, floats=True),
    Quantity("camera", "°C", _of("temperature_c"), "{:.1f}", 2.0, floats=True),
    Quantity("focus position", "steps", _of("focus_position"), "{:,.0f}", 20.0, floats=True),
    Quantity("off target", "px", _of("off_px"), "{:.1f}", 8.0),
    Quantity("free on disk", "GB", _of("free_gb"), "{:.1f}", 1.0),
)


def quantity(title: str) -> Quantity:
    """By its name and unit."""
    return next(each for each in QUANTITIES if each.title == title)
