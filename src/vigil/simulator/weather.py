"""The air: temperature through the night, and seeing."""

from datetime import datetime

import numpy as np

from vigil.simulator.chance import generator


class Weather:
    """Smooth, seeded, and a function of time alone."""

    def __init__(self, seed: int, starts_at: datetime) -> None:
        rng = generator(seed, "weather")
        self._starts_at = starts_at
        self._evening_c = rng.uniform(1.0, 4.0)
        self._drop_c = rng.uniform(4.0, 7.0)
        self._seeing_arcsec = rng.uniform(2.2, 2.9)
        self._waves = [(rng.uniform(1, 5), rng.uniform(0, 2 * np.pi), rng.normal(0, 0.04)) for _ in range(6)]

    def _hours(self, at: datetime) -> float:
        return (at - self._starts_at).total_seconds() / 3600

    def temperature_c(self, at: datetime) -> float:
        """Air temperature: an exponential fall after sunset with small waves."""
        hours = self._hours(at)
        return float(self._evening_c - self._drop_c * (1 - np.exp(-hours / 4)) + 3 * self._wave(hours))

    def seeing_arcsec(self, at: datetime) -> float:
        """Seeing FWHM at the zenith, wandering by some ten per cent over hours."""
        return float(self._seeing_arcsec * np.exp(self._wave(self._hours(at))))

    def _wave(self, hours: float) -> float:
        return float(sum(a * np.sin(2 * np.pi * hours / period + phase) for period, phase, a in self._waves))

    def humidity_percent(self, at: datetime) -> float:
        """Rising as the air cools."""
        cooled_c = self._evening_c - self.temperature_c(at)
        return float(np.clip(62 + 3 * cooled_c, 20, 100))

    def wind_m_s(self, at: datetime) -> float:
        """A light wind that comes and goes."""
        return float(max(0.0, 2.0 + 12 * self._wave(self._hours(at) + 7)))

    def cloud_percent(self, at: datetime) -> float:
        """Clear nights only, so far."""
        return float(np.clip(4 + 20 * self._wave(self._hours(at) + 3), 0, 15))
