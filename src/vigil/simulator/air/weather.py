"""The air: temperature through the night, seeing, wind, humidity, clouds."""

import math
from datetime import datetime

from vigil.documents.scenario.air import AirEffects, Cloud
from vigil.simulator.air.wandering import Wanderer
from vigil.simulator.chance import generator

_OPAQUE_MAG = 3.0
_PATCHY = 0.45
_RISES_AFTER_H = 16.0
"""From the evening, when a night in winter is over."""


class Weather:
    """A function of time alone: waves over hours by seed, gusts and patches over seconds and minutes."""

    def __init__(self, seed: int, starts_at: datetime, effects: AirEffects | None = None) -> None:
        air = effects or AirEffects()
        rng = generator(seed, "weather")
        self._air = air
        self._starts_at = starts_at
        evening_c, falls_c, seeing = rng.uniform(1.0, 4.0), rng.uniform(4.0, 7.0), rng.uniform(2.2, 2.9)
        self._evening_c = evening_c if air.evening_c is None else air.evening_c
        self._falls_c = falls_c if air.falls_c is None else air.falls_c
        self._seeing_arcsec = seeing if air.seeing_arcsec is None else air.seeing_arcsec
        self._waves = [(rng.uniform(1, 5), rng.uniform(0, 2 * math.pi), rng.normal(0, 0.4)) for _ in range(6)]
        self._gusts = Wanderer(seed, 340, 20.0, 2.0)
        self._probe = Wanderer(seed, 350, 90.0, 5.0)
        self._patches = Wanderer(seed, 360, 150.0, 10.0)

    def seconds(self, at: datetime) -> float:
        """Since the evening's beginning."""
        return (at - self._starts_at).total_seconds()

    def _hours(self, at: datetime) -> float:
        return self.seconds(at) / 3600

    def _wave(self, hours: float) -> float:
        """Of unit size, more or less; there are no waves at the very beginning of time, only phases."""
        return float(
            sum(a * math.sin(2 * math.pi * hours / period + phase) for period, phase, a in self._waves)
        )

    def temperature_c(self, at: datetime) -> float:
        """Air temperature: an exponential fall from the evening on, by day up again, every day the same, with
        small waves."""
        hours = self._hours(at)
        waves = 0.3 * self._wave(hours) if self._falls_c else 0.0
        since_evening = hours % 24
        fallen = 1 - math.exp(-min(since_evening, _RISES_AFTER_H) / 4)
        if since_evening > _RISES_AFTER_H:
            fallen *= 0.5 + 0.5 * math.cos(math.pi * (since_evening - _RISES_AFTER_H) / (24 - _RISES_AFTER_H))
        return float(self._evening_c - self._falls_c * fallen + waves)

    def probe_c(self, at: datetime) -> float:
        """What a probe in the wind reads."""
        gust = self._air.probe_gusts_c * self._probe.at(self.seconds(at)) if self._air.probe_gusts_c else 0.0
        return self.temperature_c(at) + gust

    def seeing_arcsec(self, at: datetime) -> float:
        """Seeing FWHM at the zenith of a long exposure, wandering over hours."""
        return float(self._seeing_arcsec * math.exp(self._air.seeing_wanders * self._wave(self._hours(at))))

    def humidity_percent(self, at: datetime) -> float:
        """Rising as the air cools."""
        if self._air.humidity_percent is not None:
            return self._air.humidity_percent
        cooled_c = self._evening_c - self.temperature_c(at)
        return min(max(62 + 3 * cooled_c, 20.0), 100.0)

    def dew_point_c(self, at: datetime) -> float:
        """Magnus's formula with the constants of Alduchov & Eskridge 1996, J. Appl. Meteor. 35, 601."""
        temperature_c = self.temperature_c(at)
        humidity = max(self.humidity_percent(at), 1.0)
        gamma = math.log(humidity / 100) + 17.625 * temperature_c / (243.04 + temperature_c)
        return float(243.04 * gamma / (17.625 - gamma))

    def wind_m_s(self, at: datetime) -> float:
        """With its gusts."""
        mean = self._air.wind_m_s
        if mean is None:
            mean = max(0.0, 2.0 + 1.2 * self._wave(self._hours(at) + 7))
        gust = self._air.gusts * self._gusts.at(self.seconds(at)) if self._air.gusts else 0.0
        return float(mean * max(0.0, 1 + gust))

    def shake_rms_arcsec(self, at: datetime) -> float:
        """How much the wind shakes the mount: wind pressure grows as the square of its speed."""
        return self._air.shake_arcsec * (self.wind_m_s(at) / 10.0) ** 2

    def cloud_mag(self, at: datetime) -> float:
        """By how much clouds dim the sky, patches passing."""
        minutes = self.seconds(at) / 60
        thick = self._air.overcast_mag + sum(_thickness(cloud, minutes) for cloud in self._air.clouds)
        if thick <= 0:
            return 0.0
        return float(thick * math.exp(_PATCHY * self._patches.at(self.seconds(at))))

    def cloud_percent(self, at: datetime) -> float:
        """As a sensor that looks at the sky's warmth tells it; three magnitudes are all it can tell."""
        haze = min(max(4 + 2 * self._wave(self._hours(at) + 3), 0.0), 15.0)
        cloud = 100 * (1 - math.exp(-self.cloud_mag(at) / (_OPAQUE_MAG / 3)))
        return min(max(haze + cloud, 0.0), 100.0)


def _thickness(cloud: Cloud, minutes: float) -> float:
    inside = min(minutes - cloud.arrives_min, cloud.arrives_min + cloud.minutes - minutes)
    if inside <= 0:
        return 0.0
    edge = cloud.edge_min
    rise = 1.0 if edge == 0 or inside >= edge else inside / edge
    return cloud.thickness_mag * rise**2 * (3 - 2 * rise)
