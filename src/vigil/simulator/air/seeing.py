"""Seeing: how large stars are, and how fast they dance."""

from dataclasses import dataclass
from datetime import datetime

import numpy as np

from vigil.simulator.air.wandering import Mixture
from vigil.simulator.air.weather import Weather

_ARCSEC = 206264.806
_WAVELENGTH_M = 550e-9
_FWHM_PER_SIGMA = 2 * np.sqrt(2 * np.log(2))
# the dance has its power below the aperture's crossing frequency and a long tail towards slow: shares of the
# variance by memory that follow f^(−2/3) from 0.02 to 3 Hz (Tyler 1994, J. Opt. Soc. Am. A 11, 358), as sums
# of exponential memories
FLICKER_S = 2.0
"""How long a flicker of the seeing lasts."""
_PARTS = ((0.52, 0.12), (0.24, 0.5), (0.14, 2.0), (0.10, 8.0))


@dataclass(frozen=True, slots=True)
class Dance:
    """Where a star stands beside its mean place during an exposure, arc-seconds on two axes, and by how much
    the exposure spreads it round that place (FWHM)."""

    across_arcsec: float
    up_arcsec: float
    fwhm_arcsec: float


def motion_rms_arcsec(fwhm_arcsec: float, aperture_mm: float) -> float:
    """One-axis rms of a star's dance: σ² = 0.182 (D/r₀)^(5/3) (λ/D)² (Fried 1965; Tyson 2011, Principles of
    Adaptive Optics, 2.3), with the seeing's FWHM = 0.98 λ/r₀."""
    per_radian = fwhm_arcsec / _ARCSEC / 0.98
    diffraction = _WAVELENGTH_M / (aperture_mm / 1000.0)
    return float(_ARCSEC * np.sqrt(0.182) * per_radian ** (5 / 6) * diffraction ** (1 / 6))


class Seeing:
    """The two cameras see the same dance, each as much of it as its aperture lets through. `flickers` is by
    what share the width changes over seconds; long exposures average that."""

    def __init__(self, weather: Weather, seed: int, times_theory: float, flickers: float = 0.0) -> None:
        self._weather = weather
        self._times_theory = times_theory
        self._flickers, self._flicker = flickers, Mixture(((1.0, FLICKER_S),), seed, 380)
        self._axes = Mixture(_PARTS, seed, 300), Mixture(_PARTS, seed, 310)
        self._shakes = (
            Mixture(((0.6, 0.4), (0.4, 3.0)), seed, 320),
            Mixture(((0.6, 0.4), (0.4, 3.0)), seed, 330),
        )

    def rms_arcsec(self, at: datetime, air_mass: float, aperture_mm: float) -> float:
        """Of the dance at an instant, on one axis."""
        fwhm = self._weather.seeing_arcsec(at) * air_mass**0.6
        return self._times_theory * motion_rms_arcsec(fwhm, aperture_mm)

    def rms_of_mean_arcsec(
        self, at: datetime, air_mass: float, aperture_mm: float, exposure_s: float
    ) -> float:
        """Of star places measured on exposures that long: what a guider sees of the seeing."""
        left = np.sqrt(self._axes[0].variance_of_mean(exposure_s))
        return float(left * self.rms_arcsec(at, air_mass, aperture_mm))

    def dance(
        self, at: datetime, seconds: float, exposure_s: float, air_mass: float, aperture_mm: float
    ) -> Dance:
        """During an exposure that begins at `at`, `seconds` after the evening's beginning.

        The seeing's FWHM is that of a long exposure, the dance in it: a short one is sharper by what its
        star's mean place still moves.
        """
        rms = self.rms_arcsec(at, air_mass, aperture_mm)
        end = seconds + exposure_s
        moved = [rms * axis.mean(seconds, end) for axis in self._axes]
        long_fwhm = self._weather.seeing_arcsec(at) * air_mass**0.6
        if self._flickers:
            long_fwhm *= float(np.exp(self._flickers * self._flicker.mean(seconds, end)))
        still = self._axes[0].variance_of_mean(exposure_s) * rms**2
        sharp = max(long_fwhm**2 - _FWHM_PER_SIGMA**2 * still, (0.3 * long_fwhm) ** 2)
        shake_rms, shaken = self._weather.shake_rms_arcsec(at), 0.0
        if shake_rms:
            moved = [
                m + shake_rms * axis.mean(seconds, end) for m, axis in zip(moved, self._shakes, strict=True)
            ]
            shaken = shake_rms**2 * (1 - self._shakes[0].variance_of_mean(exposure_s))
        return Dance(moved[0], moved[1], float(np.sqrt(sharp + _FWHM_PER_SIGMA**2 * shaken)))
