"""Demo nights with many seeds, judged by the simulator's truth."""

import tempfile
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.demo import demo_plan, demo_rig
from campaigns.figures import run_campaign
from campaigns.night import Played, play
from vigil.documents.events import Event, Kind
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.files.starcatalogue import star_catalogue
from vigil.optics.train import defocus_disc_um
from vigil.simulator.chip import main_chip
from vigil.simulator.frame.psf import Spot, half_flux_radius_px
from vigil.simulator.observatory import Truth
from vigil.sky.angles import separation_deg, wrap_180

SEEDS = range(1, 11)


def judge(rig: Rig, plan: NightPlan, seed: int) -> dict[str, Any]:
    """Run one night and compare what it did with what really was."""
    seen: dict[str, Any] = {}
    target = plan.blocks[0].target
    star_catalogue()

    def look(event: Event, played: Played) -> None:
        if event.kind is not Kind.ACTIVITY_ENDED or event.values["outcome"] != "done":
            return
        truth = played.truth
        if event.values["kind"] == "centre" and "centred_px" not in seen:
            off_deg = separation_deg(*truth.pointing_deg(), target.ra_deg, target.dec_deg)
            seen["centred_px"] = round(3600 * float(off_deg) / rig.scale_arcsec_px(), 3)
            seen["centring_frames"] = event.values["frames"]
            solved = [e.values for e in played.of(Kind.ACTIVITY_STEP) if "scale_arcsec_px" in e.values][-1]
            seen["scale_error_percent"] = round(
                100 * (solved["scale_arcsec_px"] / rig.scale_arcsec_px() - 1), 5
            )
            turned = wrap_180(solved["position_angle_deg"] - truth.position_angle_deg())
            seen["rotation_error_deg"] = round(float(turned), 5)
        if event.values["kind"] == "focus" and "size_over_best" not in seen:
            slot = rig.wheel.filter(rig.wheel.focus_through).slot
            best, found = truth.focus(slot, event.at)
            seen["focus_off_steps"] = round(found - best, 2)
            seen["size_over_best"] = round(_size_over_best(rig, truth, found - best, event.at), 4)
            low, high = event.values["run"]["interval_95"]
            sigma = (high - low) / 3.92
            seen["focus_sigma_steps"] = round(sigma, 2)

    with tempfile.TemporaryDirectory() as folder:
        played = play(rig, plan, Path(folder), seed, on_event=look)
        on_disk = sum(1 for frame in played.frames if Path(frame["path"]).exists())
    gear = played.truth.gear
    air_c = gear.weather.temperature_c(gear.clock.utcnow())
    warm_enough_c = min(rig.camera.cooler.warm_to_c, air_c) - 1.0
    return {
        "seed": seed,
        **seen,
        "frames": on_disk,
        "wanted": plan.wanted,
        "parked": gear.state.parked,
        "sensor_c": round(played.truth.sensor_c(), 2),
        "air_c": round(air_c, 2),
        "warm": bool(played.truth.sensor_c() >= warm_enough_c and gear.state.set_point_c is None),
    }


def _size_over_best(rig: Rig, truth: Truth, off_steps: float, at: datetime) -> float:
    """True star size so many steps off the best position, over that at the best, in the seeing then."""
    seeing = truth.gear.weather.seeing_arcsec(at)
    optics = main_chip(rig, 0).optics
    core_px = optics.core_px(seeing * 1.2**0.6, 1)
    disc_px = defocus_disc_um(off_steps * rig.focuser.um_per_step, optics.focal_ratio) / optics.pixel_um
    return half_flux_radius_px(Spot(core_px, disc_px)) / half_flux_radius_px(Spot(core_px))


def meets_limits(night: dict[str, Any]) -> bool:
    """The limits that a night must keep."""
    return bool(
        night["centred_px"] <= 4.0
        and night["centring_frames"] <= 4
        and abs(night["scale_error_percent"]) <= 0.1
        and abs(night["rotation_error_deg"]) <= 0.1
        and night["size_over_best"] <= 1.05
        and night["frames"] == night["wanted"]
        and night["parked"]
        and night["warm"]
    )


def campaign() -> dict[str, Any]:
    """Ten demo nights."""
    rig, plan = demo_rig(), demo_plan()
    return run_campaign(
        "nights", ((f"seed {seed}", lambda seed=seed: judge(rig, plan, seed)) for seed in SEEDS), _summary
    )


def _summary(nights: list[dict[str, Any]]) -> dict[str, Any]:
    def worst(key: str) -> float:
        return float(np.max(np.abs([night[key] for night in nights])))

    keys = (
        "centred_px",
        "centring_frames",
        "scale_error_percent",
        "rotation_error_deg",
        "focus_off_steps",
        "size_over_best",
    )
    return {
        "nights": len(nights),
        "within_all_limits": sum(meets_limits(night) for night in nights),
        **{f"worst_{key}": worst(key) for key in keys},
    }
