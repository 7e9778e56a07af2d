"""Trial frames of a light source, and what they say of its brightness."""

from dataclasses import dataclass

_CLIPPED_SHARE = 0.97
_LEAST_SIGNAL_ADU, _LEAST_SIGNAL_SHARE = 20.0, 0.01
"""Over the bias; of the full scale where that is little."""


@dataclass(frozen=True, slots=True)
class Camera:
    """`bias_adu` is what a frame without light shows, `full_scale_adu` the highest value."""

    bias_adu: float
    full_scale_adu: float

    def share_adu(self, percent: float) -> float:
        """A level in per cent of full scale, in ADU."""
        return percent / 100 * self.full_scale_adu


@dataclass(frozen=True, slots=True)
class Trial:
    """One frame through a filter, the panel at a level (a whole step), and its mean."""

    filter: str
    level: int
    exposure_s: float
    mean_adu: float

    def clipped(self, camera: Camera) -> bool:
        """Whether it is too bright to say how bright."""
        return self.mean_adu >= _CLIPPED_SHARE * camera.full_scale_adu

    def too_dark(self, camera: Camera) -> bool:
        """Whether it is too dark to say how bright."""
        least = min(_LEAST_SIGNAL_ADU, _LEAST_SIGNAL_SHARE * camera.full_scale_adu)
        return self.mean_adu - camera.bias_adu < least

    def rate_adu_s(self, camera: Camera) -> float:
        """Light a second; of a clipped frame the least that it can be."""
        return max(self.mean_adu - camera.bias_adu, 1e-3) / self.exposure_s
