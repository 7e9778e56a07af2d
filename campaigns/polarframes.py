"""The polar axis by three frames and by two, on pixels, against how the simulated mount really stands."""

from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from campaigns.polarsetups import SetUp, set_up
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.planning.polarturns import pole_sign
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

SET_UPS = 300
_LIMITS = {3: (0.3, 0.01), 2: (1.0, 0.03)}
"""Arc-minutes, or that share of the error."""


def one_set_up(seed: int) -> dict[str, Any]:
    """Measured where it looks, 0 to 10° from the pole, at any hour angle from where two turns are clear."""
    made = set_up(seed)
    rng = np.random.default_rng([62, seed])
    dec, hour = float(rng.uniform(80, 90)), float(rng.uniform(-150, 150))
    turn = float(rng.choice([30.0, 30.0, 45.0, 60.0]))
    at, site = from_datetimes(made.at), made.rig.site.place()
    ra, icrs_dec = unobserve(hour, dec * pole_sign(made.rig), at, site)

    async def use(bench: Bench) -> dict[str, Any]:
        told: dict[str, Any] = {}
        for frames in (3, 2):
            wish = {"camera": made.camera, "turn_deg": turn, "frames": frames}
            ended = await bench.carry_out("polar axis", wish)
            if "no two turns are clear" in ended.reason:
                ended = await bench.carry_out("polar axis", {**wish, "goes": True})
            told[str(frames)] = _told(ended.values.get("polar"), ended.reason, made)
        return told

    order = Alone(made.rig, made.scenario, seed, made.at, near=(float(ra) % 360, float(icrs_dec)))
    found = on_the_bench(order, use)
    total = float(np.hypot(made.altitude_arcmin, made.azimuth_arcmin))
    return {"camera": made.camera, "dec_deg": round(dec, 2), "total_arcmin": round(total, 3), **found}


def _told(record: dict[str, Any] | None, reason: str, made: SetUp) -> dict[str, Any]:
    if record is None:
        return {"found": False, "reason": reason}
    offs = record["altitude_arcmin"] - made.altitude_arcmin, record["azimuth_arcmin"] - made.azimuth_arcmin
    sigmas = record["sigma_altitude_arcmin"], record["sigma_azimuth_arcmin"]
    return {
        "found": True,
        "off_arcmin": [round(off, 4) for off in offs],
        "sigmas": [round(sigma, 4) for sigma in sigmas],
        "notes": record["notes"],
    }


def _summary(results: list[dict[str, Any]], frames: int) -> dict[str, Any]:
    found = [r for r in results if r[str(frames)]["found"]]
    offs = np.abs([r[str(frames)]["off_arcmin"] for r in found])
    sigmas = np.array([r[str(frames)]["sigmas"] for r in found])
    least, share = _LIMITS[frames]
    limits = np.maximum(least, share * np.array([[r["total_arcmin"]] for r in found]))
    return {
        "measured": len(found),
        "each_axis_within_limit": int(np.all(offs <= limits, axis=1).sum()),
        "inside_interval_percent": round(100 * float((offs <= 1.96 * sigmas).mean()), 2),
        "median_off_arcmin": [round(v, 4) for v in np.median(offs, axis=0).tolist()],
        "worst_off_arcmin": [round(v, 4) for v in offs.max(axis=0).tolist()],
        "median_sigma_arcmin": [round(v, 4) for v in np.median(sigmas, axis=0).tolist()],
        "not_measured": sorted({r[str(frames)]["reason"] for r in results if not r[str(frames)]["found"]}),
    }


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "set_ups": len(results),
        "main_cameras": sum(r["camera"] == "main" for r in results),
        "three_frames": _summary(results, 3),
        "two_frames": _summary(results, 2),
    }


def campaign() -> dict[str, Any]:
    """300 set-ups on pixels."""
    items = [(f"set-up {n}", lambda n=n: one_set_up(n)) for n in range(SET_UPS)]
    return run_campaign("polarframes", items, summarise)
