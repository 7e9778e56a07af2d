"""Focus runs against what was true: telescopes and seeing of all kinds, from near and from anywhere."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

import numpy as np

from campaigns.demo import demo_rig
from campaigns.figures import run_campaign
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.errands import Outcome
from vigil.documents.events import Event
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Scenario
from vigil.optics.train import critical_focus_zone_um
from vigil.simulator.air.seeing import FLICKER_S
from vigil.simulator.air.wandering import variance_of_mean
from vigil.simulator.quick import star_size_px

QUICK_RUNS, PIXEL_RUNS, FINDINGS, FAULTS = 1000, 60, 200, 200
SIZE_SHARE, OF_ZONE = 1.05, 1 / 6
_LEAST_SCATTER, _MOST_SCATTER = 0.04, 0.07
_EXPOSURE_S = 4.0
_PIXELS_UM = (2.9, 3.8, 4.6, 5.4)
_SIDE_PX = (1000, 750)
_INTO_THE_NIGHT = timedelta(hours=5)


@dataclass(frozen=True)
class Case:
    """A telescope, a sky, and where the focuser begins."""

    rig: Rig
    scenario: Scenario
    start: int | None
    """None: so many steps from the best focus there is."""
    off: float
    seed: int
    zone_steps: float
    told: dict[str, Any]


def case(seed: int, anywhere: bool = False) -> Case:
    """Drawn by its seed. The focuser begins up to eight critical focus zones off, or anywhere. The air keeps
    its temperature: what focus moves while a run goes on is the temperature model's matter."""
    rng = np.random.default_rng([17, seed])
    ratio = float(rng.uniform(2.8, 10.0))
    aperture_mm = float(rng.uniform(60, 220) if ratio < 6 else rng.uniform(80, 280))
    covered = float(rng.choice([0.0, rng.uniform(0.25, 0.45)]))
    zone_um = critical_focus_zone_um(ratio)
    um_per_step = float(min(rng.choice([0.5, 1.0, 2.0, 4.0]), zone_um / 10))
    backlash = int(rng.uniform(0, 400))
    # a travel of some centimetres, as drawtubes have it
    highest = int(min(100_000, 24_000 / um_per_step))
    focus = int(rng.uniform(0.3, 0.7) * highest)
    scatter = float(rng.uniform(_LEAST_SCATTER, _MOST_SCATTER))
    seeing = float(rng.uniform(1.5, 5.0))
    base = demo_rig()
    assert base.simulated is not None
    rig = with_values(
        base,
        {
            ("telescope", "aperture_mm"): round(aperture_mm, 1),
            ("telescope", "focal_length_mm"): round(aperture_mm * ratio, 1),
            ("telescope", "obstruction_mm"): round(covered * aperture_mm, 1),
            ("reducer",): None,
            ("camera", "columns"): _SIDE_PX[0],
            ("camera", "rows"): _SIDE_PX[1],
            ("camera", "pixel_um"): float(rng.choice(_PIXELS_UM)),
            ("focuser", "um_per_step"): um_per_step,
            ("focuser", "lowest"): 0,
            ("focuser", "highest"): highest,
            ("focuser", "start"): focus,
            ("focuser", "approach"): str(rng.choice(["upward", "downward"])),
            ("focuser", "overshoot_steps"): math.ceil(1.3 * backlash),
            ("focuser", "steps_per_c"): None,
        },
    )
    scenario = Scenario.model_validate(
        {
            "name": "focusing",
            "air": {
                "seeing_arcsec": seeing,
                "seeing_wanders": 0.0,
                "falls_c": 0.0,
                "seeing_flickers": scatter / math.sqrt(variance_of_mean(FLICKER_S, _EXPOSURE_S)),
            },
            "focuser": {"backlash_steps": backlash, "steps_per_s": 20_000},
            # best focus is told where the whole field has it
            "optics": {"tilt_um": [0, 0], "curvature_um": 0},
        }
    )
    zone_steps = zone_um / um_per_step
    off = float(rng.uniform(-8, 8) * zone_steps)
    start = int(rng.uniform(0, highest)) if anywhere else None
    told = {
        "focal_ratio": round(ratio, 2),
        "aperture_mm": round(aperture_mm),
        "seeing_arcsec": round(seeing, 2),
        "scatter": round(scatter, 3),
        "backlash_steps": backlash,
        "obstruction": round(covered, 2),
        "start_zones": round((off if start is None else start - focus) / zone_steps, 1),
    }
    return Case(rig, scenario, start, off, seed, zone_steps, told)


def carried_events(
    drawn: Case,
    kind: str,
    pixels: bool,
    near: tuple[float, float] | None = None,
    before: Callable[[Bench], None] = lambda bench: None,
    after: Callable[[Bench], None] = lambda bench: None,
    **values: Any,
) -> list[Event]:
    """An errand of the focus bench; `before` and `after` look at what is true."""
    assert drawn.rig.simulated is not None

    async def use(bench: Bench) -> list[Event]:
        before(bench)
        await bench.carry_out(kind, values)
        after(bench)
        return bench.events

    at = drawn.rig.simulated.starts_at + _INTO_THE_NIGHT
    order = Alone(
        drawn.rig,
        drawn.scenario,
        drawn.seed,
        at,
        near,
        quick=not pixels,
        focuser_at=drawn.start,
        focuser_off=drawn.off if drawn.start is None else None,
    )
    return on_the_bench(order, use)


def carried_out(
    drawn: Case, kind: str, pixels: bool, near: tuple[float, float] | None = None, **values: Any
) -> dict[str, Any]:
    """The same, and how well it ended."""
    offs: list[float] = []

    def look(bench: Bench) -> None:
        truth = bench.observatory.truth
        best, stands = truth.focus(truth.gear.state.slot, bench.clock.utcnow())
        offs.append(stands - best)

    ended = carried_events(drawn, kind, pixels, near, look, look, **values)[-1]
    before, off = offs
    run = ended.values.get("run") or {}
    told: dict[str, Any] = {
        **drawn.told,
        "accepted": ended.values["outcome"] == Outcome.DONE.value,
        "reason": ended.reason,
        "frames": run.get("frames"),
        "exposures": run.get("exposures"),
        "seconds": run.get("seconds"),
        "off_of_zone": round(off / drawn.zone_steps, 4),
        "size_over_best": round(_size_over_best(drawn, off), 4),
        "before_over_best": round(_size_over_best(drawn, before), 4),
    }
    if told["accepted"] and run.get("interval_95"):
        low, high = run["interval_95"]
        told["inside"] = bool(low <= run["position"] - off <= high)
        told["half_of_zone"] = round((high - low) / 2 / drawn.zone_steps, 4)
    return told


def _size_over_best(drawn: Case, off_steps: float) -> float:
    """Of stars so many steps off, in this seeing."""
    rig, focuser = drawn.rig, drawn.rig.focuser
    assert focuser is not None and rig.focal_ratio is not None and rig.camera is not None
    fwhm_px = drawn.told["seeing_arcsec"] / rig.scale_arcsec_px()
    disc_px = abs(off_steps) * focuser.um_per_step / rig.focal_ratio / rig.camera.pixel_um
    sizes = [star_size_px(fwhm_px, disc, drawn.told["obstruction"], 4.0) for disc in (disc_px, 0.0)]
    return sizes[0] / sizes[1]


def one_run(seed: int, pixels: bool) -> dict[str, Any]:
    """A fine run from up to eight zones off."""
    return carried_out(case(seed), "focus", pixels)


def _good(result: dict[str, Any]) -> bool:
    near = abs(result["off_of_zone"]) <= OF_ZONE and result["size_over_best"] <= SIZE_SHARE
    return bool(result["accepted"] and near)


def summarise_runs(results: list[dict[str, Any]]) -> dict[str, Any]:
    told: dict[str, Any] = {}
    for name, pixels in (("quick", False), ("pixels", True)):
        some = [r for r in results if r["pixels"] is pixels]
        if not some:
            continue
        accepted = [r for r in some if r["accepted"]]
        told[name] = {
            "runs": len(some),
            "accepted": len(accepted),
            "size_within_5_percent": sum(r["accepted"] and r["size_over_best"] <= SIZE_SHARE for r in some),
            "within_a_sixth_of_the_zone": sum(
                r["accepted"] and abs(r["off_of_zone"]) <= OF_ZONE for r in some
            ),
            "both": sum(map(_good, some)),
            "interval_true_percent": round(100 * np.mean([r["inside"] for r in accepted]), 1),
            "frames_median": float(np.median([r["frames"] for r in accepted])),
            "frames_95_percent": float(np.percentile([r["frames"] for r in accepted], 95)),
        }
    return told


def campaign() -> dict[str, Any]:
    """1,000 runs in quick measurement and 60 with pixels."""
    quick = [(f"quick {n}", lambda n=n: {**one_run(n, False), "pixels": False}) for n in range(QUICK_RUNS)]
    pixels = [
        (f"pixels {n}", lambda n=n: {**one_run(5000 + n, True), "pixels": True}) for n in range(PIXEL_RUNS)
    ]
    return run_campaign("focus", quick + pixels, summarise_runs)


def one_finding(seed: int, pixels: bool = True) -> dict[str, Any]:
    """Find focus from anywhere in the travel; a field with too few stars is left for a richer one by rule."""
    return carried_out(case(seed, anywhere=True), "find focus", pixels, elsewhere="always")


def summarise_findings(results: list[dict[str, Any]]) -> dict[str, Any]:
    found = [r for r in results if _good(r)]
    return {
        "runs": len(results),
        "in_focus": len(found),
        "percent": round(100 * len(found) / len(results), 1),
        "frames_median": float(np.median([r["frames"] for r in found])) if found else None,
        "exposures_median": float(np.median([r["exposures"] for r in found])) if found else None,
        "not_found": [r["reason"] for r in results if not _good(r)],
    }


def finding_campaign() -> dict[str, Any]:
    """200 with pixels."""
    items = [(f"find {n}", lambda n=n: one_finding(n)) for n in range(FINDINGS)]
    return run_campaign("findfocus", items, summarise_findings)
