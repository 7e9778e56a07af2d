"""Lights judged: 5,000 frames drawn and measured, some of them spoilt, against what was done to them."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from campaigns.demo import demo_rig
from campaigns.figures import run_campaign
from vigil.imaging.figures import FrameFigures
from vigil.imaging.measuring import measure_image
from vigil.simulator.above.light import OPEN_BAND, Light
from vigil.simulator.chance import generator
from vigil.simulator.frame.draw import draw
from vigil.simulator.frame.scene import Aim, Blur, Scene, Sensor, Shade, Sky
from vigil.verdicts.judging import Lights, Standing, judge

PROJECTS, NIGHTS, EACH = 50, 5, 20
FAULTS = ("cloud", "trailing", "dew", "gust", "satellite")
_SHAPE = (480, 640)
_SCALE_ARCSEC_PX = 1.3
_EXPOSURE_S = 120.0
_GUIDE_ARCSEC = 0.55


@dataclass(frozen=True)
class Taken:
    """A light as it was taken: what it was like, and what was wrong with it."""

    night: int
    at_s: float
    air_mass: float
    fwhm_px: float
    sky_mag: float
    guide_arcsec: float
    cloud_mag: float = 0.0
    cloud_drift: float = 0.0
    dimmed: float = 1.0
    walk_px: tuple[tuple[float, float], ...] = ()
    trail: float = 0.0
    fault: str = ""


def project_of(number: int) -> list[Taken]:
    """Five nights of twenty lights on one target. About an eighth are spoilt: clouds in spells, dew growing
    at a night's end, single gusts and satellites, trailing for a few frames."""
    rng = generator(21, "verdicts", number)
    frames: list[Taken] = []
    moon = float(rng.uniform(0, 0.8))
    for night in range(NIGHTS):
        seeing, sky = float(rng.uniform(1.9, 3.2)), float(rng.uniform(20.6, 21.3)) - moon * night / NIGHTS
        low, high = sorted(rng.uniform(1.02, 1.9, 2))
        drift = float(rng.normal(0, 0.08))
        taken = []
        for k in range(EACH):
            air = float(np.interp(k, [0, EACH - 1], [high, low] if night % 2 else [low, high]))
            fwhm = seeing * air**0.6 * (1 + drift * k / EACH) * float(np.exp(rng.normal(0, 0.04)))
            taken.append(
                Taken(
                    night,
                    86400.0 * night + k * (_EXPOSURE_S + 8),
                    air,
                    fwhm,
                    sky - 0.25 * (air - 1) - 0.3 * moon * k / EACH,
                    _GUIDE_ARCSEC * float(np.exp(rng.normal(0, 0.12))),
                    walk_px=_walk(rng, _GUIDE_ARCSEC / _SCALE_ARCSEC_PX),
                )
            )
        frames += _spoilt(taken, rng)
    return frames


def _walk(rng: np.random.Generator, rms_px: float, more: Any = None) -> tuple[tuple[float, float], ...]:
    """Where the star stood in each part of the exposure."""
    at = rng.normal(0, rms_px / np.sqrt(2), (24, 2))
    if more is not None:
        at = at + more
    return tuple((float(x), float(y)) for x, y in at)


def _spoilt(taken: list[Taken], rng: np.random.Generator) -> list[Taken]:
    found = list(taken)

    def put(k: int, fault: str, **values: Any) -> None:
        if not found[k].fault:
            found[k] = replace(found[k], fault=fault, **values)

    if rng.random() < 0.35:  # a spell of cloud
        first, long = int(rng.integers(0, EACH - 2)), int(rng.integers(1, 5))
        for k in range(first, min(EACH, first + long)):
            put(k, "cloud", cloud_mag=float(rng.uniform(0.6, 2.5)), cloud_drift=float(rng.uniform(0, 9)))
    if rng.random() < 0.12:  # dew, from a light haze on to most of the light
        first = int(rng.integers(EACH - 6, EACH - 1))
        for n, k in enumerate(range(first, EACH)):
            left = float(0.6 ** (n + 1))
            haze = 1 + 0.12 * (n + 1)
            put(k, "dew", dimmed=left, fwhm_px=found[k].fwhm_px * haze)
    for k in range(EACH):
        chance = rng.random()
        turn = float(rng.uniform(0, 2 * np.pi))
        way = np.array([np.cos(turn), np.sin(turn)])
        if chance < 0.02:  # the mount runs off while nothing guides
            far = float(rng.uniform(3, 12)) / _SCALE_ARCSEC_PX
            more = np.linspace(-0.5, 0.5, 24)[:, None] * far * way
            put(
                k,
                "trailing",
                walk_px=_walk(rng, _GUIDE_ARCSEC / _SCALE_ARCSEC_PX, more),
                guide_arcsec=float(np.hypot(found[k].guide_arcsec, far * _SCALE_ARCSEC_PX / np.sqrt(12))),
            )
        elif chance < 0.045:  # wind shakes the tube for a part of the exposure
            part = rng.integers(5, 20)
            size = float(rng.uniform(2.0, 6.0)) / _SCALE_ARCSEC_PX
            shaken = rng.normal(0, size, (24, 1)) * way * (np.arange(24) < part)[:, None]
            guided = float(
                np.hypot(found[k].guide_arcsec, np.sqrt(np.mean(shaken**2) * 2) * _SCALE_ARCSEC_PX)
            )
            put(k, "gust", walk_px=_walk(rng, _GUIDE_ARCSEC / _SCALE_ARCSEC_PX, shaken), guide_arcsec=guided)
        elif chance < 0.07:
            put(k, "satellite", trail=float(rng.uniform(1.0, 6.0)))
    return found


def scene_of(number: int, k: int, taken: Taken) -> Scene:
    """The scene that a light shows."""
    rig = demo_rig()
    assert rig.camera is not None and rig.telescope is not None and rig.telescope.aperture_mm
    rng, point = generator(21, "place", number), rig.camera.at_gain(100)
    return Scene(
        noise_key=(21, f"verdict {number}", k),
        aim=Aim(float(rng.uniform(0, 360)), float(rng.uniform(-10, 75)), float(rng.uniform(0, 360))),
        scale_arcsec_px=_SCALE_ARCSEC_PX,
        exposure_s=_EXPOSURE_S,
        light=Light(
            np.pi / 400 * rig.telescope.aperture_mm**2,
            0.6 * 10 ** (-0.4 * 0.2 * taken.air_mass),
            OPEN_BAND,
            0.0,
            0.0,
        ),
        sensor=Sensor(
            shape=_SHAPE,
            pixel_um=rig.camera.pixel_um,
            binning=1,
            electrons_per_adu=point.electrons_per_adu,
            bias_adu=500.0,
            read_noise_e=point.read_noise_e,
            full_well_e=point.full_well_e,
            full_scale_adu=rig.camera.full_scale_adu,
            dark_e_s=0.002,
        ),
        blur=Blur(round(taken.fwhm_px, 2), walk_px=taken.walk_px),
        shade=Shade(0.18, 6, number),
        sky=Sky(
            number,
            taken.sky_mag,
            18.5,
            cloud_mag=taken.cloud_mag,
            cloud_drift=taken.cloud_drift,
            dimmed=taken.dimmed,
        ),
    )


def with_trail(
    image: NDArray[np.uint16], strength: float, width_px: float, noise_adu: float, rng: np.random.Generator
) -> NDArray[np.uint16]:
    """A straight line across, as wide as a star, its ridge so many times the noise of a pixel."""
    rows, columns = image.shape
    turn = rng.uniform(0, np.pi)
    x0, y0 = rng.uniform(0.25, 0.75) * columns, rng.uniform(0.25, 0.75) * rows
    y, x = np.mgrid[0:rows, 0:columns]
    across = (x - x0) * np.cos(turn) + (y - y0) * np.sin(turn)
    ridge = strength * noise_adu * np.exp(-4 * np.log(2) * (across / max(width_px, 1.5)) ** 2)
    return np.clip(image + rng.poisson(ridge), 0, 65535).astype(np.uint16)


def measured(number: int, k: int, taken: Taken) -> FrameFigures:
    """Drawn, and measured as a night does."""
    image = draw(scene_of(number, k, taken))
    if taken.trail:
        noise = 1.4826 * float(np.median(np.abs(image - np.median(image))))
        image = with_trail(image, taken.trail, taken.fwhm_px, noise, generator(21, f"trail {number}", k))
    return measure_image(image, 65535)


def lights_of(taken: list[Taken], figures: list[FrameFigures]) -> Lights:
    """As the ledger has them."""

    def column(values: list[float]) -> NDArray[np.float64]:
        return np.array(values, dtype=float)

    return Lights(
        night=np.array([t.night for t in taken]),
        at_s=column([t.at_s for t in taken]),
        size_px=column([f.fwhm_px for f in figures]),
        stars=column([f.stars for f in figures]),
        flux_adu=column([f.bright_flux_adu for f in figures]),
        noise_adu=column([f.noise_adu for f in figures]),
        elongation=column([f.elongation for f in figures]),
        background_adu=column([f.background_adu for f in figures]),
        guide_rms_arcsec=column([t.guide_arcsec for t in taken]),
        air_mass=column([t.air_mass for t in taken]),
        trail_sigma=column([f.trail_sigma for f in figures]),
    )


def try_project(number: int) -> dict[str, Any]:
    taken = project_of(number)
    verdicts = judge(lights_of(taken, [measured(number, k, t) for k, t in enumerate(taken)]))
    flagged = [v.standing is not Standing.KEPT for v in verdicts]
    missed = [
        {
            "frame": k,
            "fault": t.fault,
            "cloud_mag": round(t.cloud_mag, 2),
            "trail": round(t.trail, 2),
            "guide_arcsec": round(t.guide_arcsec, 2),
            "dimmed": round(t.dimmed, 2),
        }
        for k, (t, flag) in enumerate(zip(taken, flagged, strict=True))
        if t.fault and not flag
    ]
    false = [
        {"frame": k, "because": v.because}
        for k, (t, v) in enumerate(zip(taken, verdicts, strict=True))
        if not t.fault and v.standing is not Standing.KEPT
    ]
    return {
        "project": number,
        "frames": len(taken),
        "faulty": {name: sum(t.fault == name for t in taken) for name in FAULTS},
        "missed": missed,
        "false": false,
    }


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    faulty = {name: sum(r["faulty"][name] for r in results) for name in FAULTS}
    missed = [m for r in results for m in r["missed"]]
    frames, false = sum(r["frames"] for r in results), sum(len(r["false"]) for r in results)
    by_fault = {
        name: round(1 - sum(m["fault"] == name for m in missed) / max(count, 1), 4)
        for name, count in faulty.items()
    }
    total = sum(faulty.values())
    return {
        "frames": frames,
        "faulty": faulty,
        "recall": round(1 - len(missed) / max(total, 1), 4),
        "recall_by_fault": by_fault,
        "false": false,
        "false_share": round(false / max(frames - total, 1), 4),
    }


def items(count: int = PROJECTS) -> Iterator[tuple[str, Callable[[], dict[str, Any]]]]:
    for number in range(count):
        yield f"project {number}", lambda number=number: try_project(number)


def campaign() -> dict[str, Any]:
    return run_campaign("verdicts", items(), summarise)
