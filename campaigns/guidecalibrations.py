"""Guide calibrations on set-ups of all kinds, against what the simulated mount and camera really do."""

import math
from datetime import timedelta
from typing import Any

import numpy as np

from campaigns.demo import quick_rig
from campaigns.figures import run_campaign
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.air import AirEffects
from vigil.documents.scenario.mount import MountEffects
from vigil.guiding.calibration import SIDEREAL_ARCSEC_S
from vigil.simulator.looking import looks_of, rows_angle_deg
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

SET_UPS = 200
_INTO_THE_NIGHT = timedelta(hours=5)


def set_up(seed: int) -> tuple[Rig, Scenario, tuple[float, float]]:
    """Guide scopes and off-axis guiders, both hemispheres, any camera angle (by the seed), gears with play;
    and where the mount looks: hour angle and declination, on both sides of the meridian."""
    rng = np.random.default_rng([41, seed])
    base = quick_rig()
    south = seed % 3 == 0
    off_axis = seed % 4 == 1
    latitude = abs(base.site.latitude_deg) * (-1 if south else 1)
    rig = with_values(
        base,
        {
            ("site", "latitude_deg"): latitude,
            ("guider", "kind"): "off-axis" if off_axis else "guide scope",
            ("guider", "focal_length_mm"): None if off_axis else round(float(rng.uniform(120, 400)), 1),
            ("guider", "pixel_um"): round(float(rng.uniform(2.4, 5.5)), 2),
            ("mount", "guide_rate"): round(float(rng.uniform(0.3, 1.0)), 2),
        },
    )
    scenario = Scenario(
        mount=MountEffects(
            dec_backlash_arcsec=round(float(rng.uniform(4, 25)), 2),
            polar_altitude_arcmin=round(float(rng.normal(0, 2)), 2),
            polar_azimuth_arcmin=round(float(rng.normal(0, 2)), 2),
        ),
        air=AirEffects(seeing_arcsec=round(float(rng.uniform(1.5, 3.5)), 2)),
    )
    hour = float(rng.uniform(8, 30) * rng.choice([-1, 1]))
    dec = float(rng.uniform(-25, 40)) * (-1 if south else 1)
    return rig, scenario, (hour, dec)


def one_set_up(seed: int) -> dict[str, Any]:
    """Angles against the camera's on the sky, rates and play against the mount's."""
    rig, scenario, (hour, dec) = set_up(seed)
    assert rig.simulated is not None and rig.mount is not None
    at = rig.simulated.starts_at + _INTO_THE_NIGHT
    ra, icrs_dec = unobserve(hour, dec, from_datetimes(at), rig.site.place())
    truth: dict[str, float] = {}

    async def use(bench: Bench) -> dict[str, Any]:
        observatory = bench.observatory
        ended = await bench.carry_out("guide calibration", {"exposure_s": 2.0})
        mount, gear = observatory.truth.mount, observatory.truth.gear
        looks = mount.looks(bench.clock.utcnow(), guides=True)
        chip = observatory.truth.guide_camera._chip(0)
        truth["dec_deg"] = float(looks_of(gear, mount, chip, bench.clock.utcnow()).dec_deg[0])
        truth["rows_deg"] = float(rows_angle_deg(looks, gear, mount, chip)[0])
        return {"reason": ended.reason, **ended.values}

    order = Alone(rig, scenario, seed, at, near=(float(ra) % 360, float(icrs_dec)), quick=True)
    ended = on_the_bench(order, use)
    found = ended.get("calibration")
    if found is None:
        return {"found": False, "reason": ended["reason"]}
    rate = rig.mount.guide_rate * SIDEREAL_ARCSEC_S
    # a star goes where the tube comes from: a pulse north moves it south in the frame, one west to the east
    off_dec = _apart(found["dec_angle_deg"], _pixel_angle_deg(180.0, truth["rows_deg"]))
    off_ra = _apart(found["ra_angle_deg"], _pixel_angle_deg(90.0, truth["rows_deg"]))
    play = scenario.mount.dec_backlash_arcsec
    # the guide camera's own declination: off-axis it looks beside the mount
    cos = math.cos(math.radians(truth["dec_deg"]))
    return {
        "found": True,
        "good": found["good"],
        "dec_deg": found["dec_deg"],
        "side": found["pier_side"],
        "angle_off_deg": round(max(abs(off_ra), abs(off_dec)), 3),
        "rate_off": round(
            max(
                abs(found["ra_rate_arcsec_s"] / (rate * cos) - 1), abs(found["dec_rate_arcsec_s"] / rate - 1)
            ),
            4,
        ),
        "backlash_arcsec": play,
        "backlash_off": round(abs(found["backlash_arcsec"] / play - 1), 4),
        "backlash_sigmas": round(
            (found["backlash_arcsec"] - play) / max(found["backlash_error_arcsec"], 1e-3), 2
        ),
        "scale_arcsec_px": found["scale_arcsec_px"],
    }


def _pixel_angle_deg(position_angle_deg: float, rows_deg: float) -> float:
    """Of a direction on the sky, from the columns' direction towards the rows': rows rise at `rows_deg`, and
    columns run 90° clockwise of that (west where the rows rise north)."""
    return 90.0 + (position_angle_deg - rows_deg)


def _apart(one_deg: float, other_deg: float) -> float:
    return (one_deg - other_deg + 180) % 360 - 180


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    found = [r for r in results if r["found"]]
    return {
        "set_ups": len(results),
        "found": len(found),
        "good": sum(r["good"] for r in found),
        "angles_within_1_degree": sum(r["angle_off_deg"] <= 1 for r in found),
        "worst_angle_deg": max(r["angle_off_deg"] for r in found),
        "rates_within_2_percent": sum(r["rate_off"] <= 0.02 for r in found),
        "worst_rate_percent": round(100 * max(r["rate_off"] for r in found), 2),
        "backlash_within_10_percent": sum(r["backlash_off"] <= 0.1 for r in found),
        "median_backlash_percent": round(100 * float(np.median([r["backlash_off"] for r in found])), 2),
        "backlash_scatter_in_sigmas": round(float(np.std([r["backlash_sigmas"] for r in found])), 2),
        "sides": sorted({r["side"] for r in found}),
    }


def campaign() -> dict[str, Any]:
    """200 set-ups in quick measurement."""
    items = [(f"set-up {n}", lambda n=n: one_set_up(n)) for n in range(SET_UPS)]
    return run_campaign("guidecalibrations", items, summarise)
