"""Demo nights that guide, on pixels: do their frames stay where they are to be, and their stars round?"""

import math
from collections.abc import Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np

from campaigns.demo import demo_plan, demo_rig
from campaigns.figures import run_campaign
from campaigns.night import play
from vigil.documents.events import Event, Kind
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.mount import MountEffects
from vigil.files.fits import read_frame
from vigil.guiding.dithers import reached_places
from vigil.sky.tangent import project

NIGHTS = 10
_STAYS_ARCSEC, _ROUNDER, _REACHED_PX = 3.0, 1.05, 0.5
_STILL = MountEffects(
    periodic_error=[], drift_arcsec_min=0.0, polar_altitude_arcmin=0.0, polar_azimuth_arcmin=0.0,
    flexure_arcsec=0.0, guide_flexure_arcsec=0.0, dec_backlash_arcsec=0.0, settle_arcsec=0.0,
)  # fmt: skip
"""A mount without error: its stars are as round as the air lets them be."""


def one_night(rig: Rig, plan: NightPlan, seed: int) -> dict[str, Any]:
    """With the scenario's usual mount, guided; and with one that has no errors, held."""
    with TemporaryDirectory() as folder:
        played = play(rig, plan, Path(folder), seed, guides=True)
        strayed = strayed_arcsec(played.events, played.frames)
    with TemporaryDirectory() as folder:
        still = play(rig, plan, Path(folder), seed, scenario=Scenario(mount=_STILL))
    elongation, best = (float(np.median([f["elongation"] for f in p.frames])) for p in (played, still))
    missed = missed_px(played.events, rig.scale_arcsec_px())
    rms = [f["guide_rms_arcsec"] for f in played.frames if f["guide_rms_arcsec"] is not None]
    return {
        "seed": seed,
        "frames": len(played.frames),
        "guided": len(rms),
        "guide_rms_arcsec": round(float(np.median(rms)), 2) if rms else None,
        "strayed_arcsec": round(max(strayed, default=0.0), 2),
        "elongation": round(elongation, 3),
        "elongation_without_errors": round(best, 3),
        "dithers": len(missed),
        "dithers_missed_px": round(max(missed, default=0.0), 2),
        "right": played.events[-1].values["frames"] == plan.wanted
        and len(rms) == len(played.frames)
        and max(strayed, default=0.0) <= _STAYS_ARCSEC
        and elongation <= _ROUNDER * best
        and max(missed, default=0.0) <= _REACHED_PX,
    }


def strayed_arcsec(events: Sequence[Event], frames: Sequence[dict[str, Any]]) -> list[float]:
    """How far each light's centre, by the solution in its file, lies from that of the first after the last
    centring; dithers taken out as they were asked for."""
    centred = [e.at for e in events if e.kind is Kind.ACTIVITY_ENDED and e.values.get("kind") == "centre"]
    saved = {e.values["frame_id"]: e.values for e in events if e.kind is Kind.FRAME_SAVED}
    first: dict[int, tuple[float, float]] = {}
    told = []
    for frame in frames:
        header = read_frame(Path(frame["path"])).header
        if "CRVAL1" not in header:
            continue
        values = saved[frame["frame_id"]]
        number = sum(at.isoformat() <= values["started_at"] for at in centred)
        east, north = values.get("dither_arcsec") or (0.0, 0.0)
        aim = first.setdefault(-1, (float(header["CRVAL1"]), float(header["CRVAL2"])))
        xi, eta = project(header["CRVAL1"], header["CRVAL2"], *aim)
        place = 3600 * float(xi) - east, 3600 * float(eta) - north
        told.append(math.dist(place, first.setdefault(number, place)))
    return told


def missed_px(events: Sequence[Event], scale_arcsec_px: float) -> list[float]:
    """Of each place dithered to, by how much the frames' solved centres missed it, main px."""
    saved = {e.values["frame_id"]: e.values for e in events if e.kind is Kind.FRAME_SAVED}
    frames = []
    for event in events:
        if event.kind is not Kind.FRAME_MEASURED or not event.values.get("beside_arcsec"):
            continue
        asked = saved[event.values["frame_id"]].get("dither_arcsec") or (0.0, 0.0)
        beside = event.values["beside_arcsec"]
        frames.append(
            (
                (asked[0] / scale_arcsec_px, asked[1] / scale_arcsec_px),
                (beside[0] / scale_arcsec_px, beside[1] / scale_arcsec_px),
            )
        )
    return [place.missed_px for place in reached_places(frames)]


def dithered_plan() -> NightPlan:
    plan = demo_plan()
    return plan.model_copy(
        update={"orders": plan.orders.model_copy(update={"dither_every_frames": 2, "dither_px": 8.0})}
    )


def _summary(results: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "nights": len(results),
        "right": sum(r["right"] for r in results),
        "frames": sum(r["frames"] for r in results),
        "worst_strayed_arcsec": max(r["strayed_arcsec"] for r in results),
        "worst_elongation_ratio": round(
            max(r["elongation"] / r["elongation_without_errors"] for r in results), 3
        ),
        "worst_dither_missed_px": max(r["dithers_missed_px"] for r in results),
        "guide_rms_arcsec": [r["guide_rms_arcsec"] for r in results],
        "each": results,
    }


def campaign() -> dict[str, Any]:
    rig, plan = demo_rig(), dithered_plan()
    items = ((f"night {seed}", lambda s=seed: one_night(rig, plan, s)) for seed in range(1, NIGHTS + 1))
    return run_campaign("guidednights", items, _summary)  # type: ignore[arg-type]
