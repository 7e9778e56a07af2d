"""Lights judged: what is wrong is found, what is only different is kept."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from campaigns.verdicts import lights_of, measured, project_of
from vigil.imaging.trails import trail_sigma
from vigil.verdicts.judging import Lights, Limits, Standing, judge

COUNT = 24


def lights(**columns: Any) -> Lights:
    """Two nights of twelve good lights each, with the scatter that lights have."""
    rng = np.random.default_rng(3)
    usual = {
        "night": np.repeat([0, 1], COUNT // 2),
        "at_s": np.arange(COUNT) * 130.0 + np.repeat([0, 86400], COUNT // 2),
        "size_px": 2.5 * np.exp(rng.normal(0, 0.03, COUNT)),
        "stars": np.rint(900 * np.exp(rng.normal(0, 0.03, COUNT))),
        "flux_adu": 20_000 * np.exp(rng.normal(0, 0.02, COUNT)),
        "noise_adu": np.full(COUNT, 8.0),
        "elongation": 1.05 + np.abs(rng.normal(0, 0.01, COUNT)),
        "background_adu": 500 + np.arange(COUNT) * 2.0,
        "guide_rms_arcsec": 0.6 * np.exp(rng.normal(0, 0.08, COUNT)),
        "air_mass": np.full(COUNT, 1.2),
        "trail_sigma": np.full(COUNT, 4.5),
    }
    return Lights(**usual | columns)


USUAL = Limits()


def standings(of: Lights, limits: Limits = USUAL) -> list[Standing]:
    return [v.standing for v in judge(of, limits)]


def altered(name: str, frame: int, factor: float) -> Lights:
    made = lights()
    column = getattr(made, name).copy()
    column[frame] *= factor
    return replace(made, **{name: column})


def test_good_lights_are_kept() -> None:
    assert set(standings(lights())) == {Standing.KEPT}
    assert judge(replace(lights(), **{n: np.empty(0) for n in Lights.__slots__})) == []


@pytest.mark.parametrize(
    ("name", "factor", "word"),
    [
        ("size_px", 1.45, "larger"),
        ("stars", 0.5, "of the stars are missing"),
        ("flux_adu", 0.55, "of the light is missing"),
        ("elongation", 1.25, "longer"),
        ("background_adu", 1.5, "brighter"),
        ("guide_rms_arcsec", 2.5, "guiding"),
        ("trail_sigma", 4.0, "trail"),
    ],
)
def test_what_is_wrong_is_said(name: str, factor: float, word: str) -> None:
    verdicts = judge(altered(name, 7, factor))
    assert verdicts[7].standing is not Standing.KEPT and word in verdicts[7].because
    assert all(v.standing is Standing.KEPT for k, v in enumerate(verdicts) if k != 7)


def test_what_is_hopeless_is_rejected() -> None:
    assert standings(altered("stars", 3, 0.1))[3] is Standing.REJECTED
    assert standings(altered("stars", 3, 0.0))[3] is Standing.REJECTED
    assert standings(altered("size_px", 3, 2.5))[3] is Standing.REJECTED


def test_a_frame_that_was_not_measured_is_no_frame_without_stars() -> None:
    made = lights()
    unknown = {n: np.where(np.arange(COUNT) == 5, np.nan, getattr(made, n))
               for n in ("stars", "size_px", "elongation", "flux_adu", "background_adu")}  # fmt: skip
    assert standings(replace(made, **unknown))[5] is Standing.KEPT


def test_altitude_and_moon_are_no_faults() -> None:
    air = np.tile(np.linspace(1.0, 2.0, COUNT // 2), 2)
    made = lights()
    low = replace(
        made,
        air_mass=air,
        size_px=made.size_px * air**0.6,
        stars=made.stars * np.exp(-0.12 * (air - 1)),
        background_adu=500 * np.exp(np.linspace(0, 0.8, COUNT)),
    )
    assert set(standings(low)) == {Standing.KEPT}
    moonlit = np.where(made.night == 1, 2.4, 1.0)
    bright = replace(
        made,
        noise_adu=made.noise_adu * moonlit,
        background_adu=made.background_adu * moonlit**2,
        stars=made.stars * moonlit**-0.7,
    )
    assert set(standings(bright)) == {Standing.KEPT}


def test_a_night_under_thin_cloud_is_no_measure_of_itself() -> None:
    made = lights()
    hazy = np.where(made.night == 1, 0.4, 1.0)
    said = judge(replace(made, stars=made.stars * hazy, flux_adu=made.flux_adu * hazy))
    assert all(v.standing is Standing.DOUBTFUL for v in said[COUNT // 2 :])
    assert all(v.standing is Standing.KEPT for v in said[: COUNT // 2])


def test_limits_that_are_off_ask_nothing() -> None:
    never = float("inf")
    off = Limits(grown=never, fewer=0.999999, longer=never, brighter=never, trails=False)
    for name, factor in (("size_px", 1.45), ("elongation", 1.3), ("trail_sigma", 5.0)):
        assert set(standings(altered(name, 7, factor), off)) == {Standing.KEPT}
    assert standings(lights(), Limits(guide_arcsec=0.1)) == [Standing.DOUBTFUL] * COUNT


def test_brightness_and_scale_make_no_difference() -> None:
    spoilt = altered("stars", 7, 0.4)
    other = replace(
        spoilt, size_px=3 * spoilt.size_px, stars=5 * spoilt.stars, flux_adu=0.1 * spoilt.flux_adu,
        background_adu=2 * spoilt.background_adu, noise_adu=2 * spoilt.noise_adu,
    )  # fmt: skip
    assert standings(other) == standings(spoilt)


def test_a_trail_is_told_from_stars_and_noise() -> None:
    rng = np.random.default_rng(5)
    image = rng.normal(500, 8, (300, 420))
    for x, y in rng.uniform(20, 280, (60, 2)):
        image[int(y) - 1 : int(y) + 2, int(x) - 1 : int(x) + 2] += 400
    assert trail_sigma(image) < 7
    rows, columns = np.mgrid[0:300, 0:420]
    for turn in (0.0, 0.6, np.pi / 2):
        across = (columns - 200) * np.cos(turn) + (rows - 150) * np.sin(turn)
        assert trail_sigma(image + 16 * np.exp(-((across / 1.5) ** 2))) > 12
    assert trail_sigma(np.full((50, 60), 7.0)) == 0.0


def test_a_night_of_the_campaign() -> None:
    """An evening of drawn and measured frames, with what was done to them."""
    every = list(enumerate(project_of(5)))
    spoilt = [sum(bool(t.fault) for _, t in every if t.night == night) for night in range(5)]
    chosen = [(k, t) for k, t in every if t.night == np.argmax(spoilt)]
    taken = [t for _, t in chosen]
    verdicts = judge(lights_of(taken, [measured(5, k, t) for k, t in chosen]))
    for light, verdict in zip(taken, verdicts, strict=True):
        assert (verdict.standing is Standing.KEPT) == (light.fault == ""), (light.fault, verdict)
    assert sum(bool(t.fault) for t in taken) >= 4
