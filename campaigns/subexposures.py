"""The advised length of a sub-exposure, from frames that are drawn and measured, against the length that the
true sky, dark current and read noise of the scene have it."""

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

import numpy as np
from scipy.optimize import brentq

from campaigns.figures import run_campaign
from campaigns.verdicts import Taken, scene_of
from vigil.imaging.measuring import measure_image
from vigil.simulator.chance import generator
from vigil.simulator.frame.draw import draw
from vigil.simulator.frame.scene import Scene
from vigil.subexposures.advice import Measured, advise, sky_e_s_by_noise

CASES = 100
_FRAMES = 6
_COST = 0.05


def scene(number: int, frame: int) -> Scene:
    """A sky, a camera and an exposure of the case's own; a field of its own for each frame."""
    rng = generator(24, "subs", number)
    taken = Taken(0, 0.0, 1.1, float(rng.uniform(2.0, 3.5)), float(rng.uniform(18.5, 21.8)), 0.6)
    made = scene_of(200 + number, frame, taken)
    sensor = replace(
        made.sensor,
        read_noise_e=float(rng.uniform(1.2, 9.0)),
        electrons_per_adu=float(rng.uniform(0.25, 1.5)),
        dark_e_s=float(10 ** rng.uniform(-3.5, -1.5)),
    )
    return replace(made, sensor=sensor, exposure_s=float(rng.choice([60.0, 120.0, 180.0, 300.0])))


def true_light_e_s(of: Scene) -> float:
    """Sky and dark current of a pixel where the field is lit best, by the scene alone."""
    assert of.sky is not None
    sky = of.light.sky_e_s_arcsec2(of.sky.mag_arcsec2) * of.scale_arcsec_px**2
    return sky + of.sensor.dark_e_s


def numerical_s(light_e_s: float, read_noise_e: float, cost: float) -> float:
    """Where a stack of an hour has so much more noise than one without read noise, by adding up frames."""

    def over(length_s: float) -> float:
        frames = 3600.0 / length_s
        return float(
            np.sqrt(frames * (light_e_s * length_s + read_noise_e**2) / (light_e_s * 3600.0)) - 1 - cost
        )

    return float(brentq(over, 1e-3, 1e7))


def try_case(number: int) -> dict[str, Any]:
    frames = [scene(number, k) for k in range(_FRAMES)]
    sensor = frames[0].sensor
    light = [
        sky_e_s_by_noise(
            measure_image(draw(f), sensor.full_scale_adu).pixel_noise_adu,
            sensor.electrons_per_adu,
            sensor.read_noise_e,
            f.exposure_s,
        )
        for f in frames
    ]
    measured = Measured(float(np.median(light)), sensor.read_noise_e, np.empty(0), sensor.full_well_e)
    advised = advise(measured, _COST, 1e9).exposure_s
    # by the same light that the frames were measured to have, and by the scene's own
    best = numerical_s(true_light_e_s(frames[0]) * _even(frames[0]), sensor.read_noise_e, _COST)
    return {
        "case": number,
        "light_e_s": round(measured.light_e_s, 4),
        "read_noise_e": round(sensor.read_noise_e, 2),
        "exposure_s": frames[0].exposure_s,
        "advised_s": round(advised, 2),
        "best_s": round(best, 2),
        "off": round(advised / best - 1, 4),
        "arithmetic_off": round(advised / numerical_s(measured.light_e_s, sensor.read_noise_e, _COST) - 1, 6),
    }


def _even(of: Scene) -> float:
    """Vignetting's mean over the frame: a noise over the whole frame is that of the mean light."""
    from vigil.simulator.frame.evenlight import grid_of, shading

    return float(np.mean(shading(of, grid_of(of))))


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    off = np.abs([r["off"] for r in results])
    return {
        "cases": len(results),
        "off_percent_median": round(100 * float(np.median(off)), 2),
        "off_percent_95": round(100 * float(np.quantile(off, 0.95)), 2),
        "within_3_percent": int(np.sum(off <= 0.03)),
        "arithmetic_off_percent_most": round(100 * max(abs(r["arithmetic_off"]) for r in results), 4),
    }


def items(count: int = CASES) -> Iterator[tuple[str, Callable[[], dict[str, Any]]]]:
    for number in range(count):
        yield f"case {number}", lambda number=number: try_case(number)


def campaign() -> dict[str, Any]:
    return run_campaign("subexposures", items(), summarise)
