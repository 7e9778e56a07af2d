"""Mounts set up afresh, for the campaigns of the polar axis: anywhere between 20° and 65°, off by up to
degrees."""

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from campaigns.demo import demo_rig
from vigil.cli.benchalone import Bench
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.air import AirEffects
from vigil.documents.scenario.mount import MountEffects

_INTO_THE_NIGHT = timedelta(hours=5)
_HALF_A_YEAR = timedelta(days=182)
_MAIN = {("camera", "columns"): 2000, ("camera", "rows"): 1500}


@dataclass(frozen=True, slots=True)
class SetUp:
    """`altitude_arcmin` and `azimuth_arcmin` are the axis's, on the sky."""

    rig: Rig
    scenario: Scenario
    at: datetime
    camera: str
    altitude_arcmin: float
    azimuth_arcmin: float

    @property
    def cos(self) -> float:
        return math.cos(math.radians(self.rig.site.latitude_deg))


def set_up(seed: int, most_arcmin: float = 180.0, **mount: Any) -> SetUp:
    """By the seed: both hemispheres, guide scopes and main cameras, sags, seeing, weather's temperature."""
    rng = np.random.default_rng([61, seed])
    base = demo_rig()
    main = seed % 3 == 0
    latitude = float(rng.uniform(20, 65)) * (1 if seed % 2 else -1)
    values: dict[Any, Any] = {
        ("site", "latitude_deg"): round(latitude, 3),
        ("site", "horizon"): [],
        ("guider", "focal_length_mm"): round(float(rng.uniform(120, 250)), 1),
        **_MAIN,
    }
    if main:
        values["telescope", "focal_length_mm"] = round(float(rng.uniform(300, 600)), 1)
    rig = with_values(base, values)
    total = math.exp(rng.uniform(math.log(0.2), math.log(most_arcmin)))
    way = float(rng.uniform(0, 2 * math.pi))
    altitude, azimuth = total * math.sin(way), total * math.cos(way)
    about_zenith = azimuth / math.cos(math.radians(latitude))
    scenario = Scenario(
        mount=MountEffects(
            polar_altitude_arcmin=round(altitude, 4),
            polar_azimuth_arcmin=round(about_zenith, 4),
            flexure_arcsec=round(float(rng.uniform(0, 15)), 2),
            guide_flexure_arcsec=round(float(rng.uniform(0, 5)), 2),
            **mount,
        ),
        air=AirEffects(seeing_arcsec=round(float(rng.uniform(1.5, 4)), 2)),
    )
    assert rig.simulated is not None
    at = rig.simulated.starts_at + _INTO_THE_NIGHT
    if latitude < 0:
        at += _HALF_A_YEAR  # else the sun would not set
    return SetUp(rig, scenario, at, "main" if main else "guide", altitude, azimuth)


def left_arcmin(bench: Bench, made: SetUp) -> tuple[float, float]:
    """How far the axis really is from the pole, the adjusters having been turned."""
    higher, east = bench.observatory.truth.gear.state.adjusted_arcmin
    return made.altitude_arcmin + higher, made.azimuth_arcmin + east * made.cos
