"""Drawn frames against what was to be drawn."""

from dataclasses import replace

import numpy as np
import pytest

from campaigns.demo import demo_rig
from campaigns.solvefields import field_scene
from vigil.files.starcatalogue import star_catalogue
from vigil.imaging.stars import measure_field
from vigil.simulator.chance import generator, normal_of, uniform_of
from vigil.simulator.draw import draw, electrons_per_s, to_pixels
from vigil.simulator.psf import half_flux_radius_px, stamp_half_px, stamps
from vigil.simulator.truesky import true_stars
from vigil.sky.angles import separation_deg
from vigil.solving.wcs import LinearWcs

SCENE = replace(field_scene(demo_rig(), 1), shape=(700, 900), ra_deg=79.1, dec_deg=34.4, fwhm_px=2.5)


def test_stars_are_where_the_sky_says() -> None:
    field = measure_field(draw(SCENE))
    sky = true_stars(SCENE.ra_deg, SCENE.dec_deg, 0.5, SCENE.sky_seed)
    x, y = to_pixels(sky.ra_deg, sky.dec_deg, SCENE)
    bright = np.argsort(sky.mag)
    bright = [k for k in bright if 20 < x[k] < 880 and 20 < y[k] < 680][:30]
    apart = [np.hypot(field.stars.x_px - x[k], field.stars.y_px - y[k]).min() for k in bright]
    assert np.median(apart) < 0.15


def test_the_picture_has_the_rotation_that_a_wcs_reports() -> None:
    """The same convention as the solver's, by another path: a WCS built by hand."""
    angle = np.radians(SCENE.position_angle_deg)
    scale = SCENE.scale_arcsec_px / 3600
    cd = scale * np.array([[-np.cos(angle), np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    (a, b), (c, d) = cd.tolist()
    wcs = LinearWcs(SCENE.ra_deg, SCENE.dec_deg, ((a, b), (c, d)), SCENE.shape)
    assert wcs.position_angle_deg == pytest.approx(SCENE.position_angle_deg) and not wcs.mirrored
    ra, dec = wcs.to_sky(np.array([100.0, 800.0]), np.array([650.0, 30.0]))
    assert np.allclose(to_pixels(ra, dec, SCENE), [[100, 800], [650, 30]], atol=1e-6)


def test_light_and_noise_are_those_of_photons() -> None:
    sky_only = replace(SCENE, exposure_s=60.0, sky_mag_arcsec2=18.0, sky_seed=1)
    frames = [draw(replace(sky_only, noise_key=(1, "camera", n))).astype(float) for n in range(2)]
    sky_e = float(electrons_per_s(18.0, sky_only)) * sky_only.scale_arcsec_px**2 * 60
    level = np.median(frames[0]) - sky_only.bias_adu
    assert level == pytest.approx(sky_e / sky_only.electrons_per_adu, rel=0.01)
    # the difference of two frames has the noise of both and no stars
    difference = frames[0] - frames[1]
    spread = 1.4826 * np.median(np.abs(difference)) / np.sqrt(2) * sky_only.electrons_per_adu
    assert spread == pytest.approx(np.hypot(np.sqrt(sky_e), sky_only.read_noise_e), rel=0.03)


def test_darks_show_the_same_hot_pixels_and_double_with_warmth() -> None:
    dark = replace(SCENE, light=False, exposure_s=600.0, noise_key=(1, "camera", 1))
    first, second = draw(dark), draw(replace(dark, noise_key=(1, "camera", 2)))
    hot = [set(np.flatnonzero(f > dark.bias_adu + 60)) for f in (first, second)]
    assert len(hot[0]) > 30
    assert len(hot[0] & hot[1]) > 0.8 * len(hot[0])
    warm = draw(replace(dark, sensor_c=3.0))
    rise = [f.mean() - dark.bias_adu for f in (first, warm)]
    assert rise[1] == pytest.approx(4 * rise[0], rel=0.15)


def test_a_frame_depends_on_its_key_alone() -> None:
    assert np.array_equal(draw(SCENE), draw(SCENE))
    assert not np.array_equal(draw(SCENE), draw(replace(SCENE, noise_key=(405, "field", 99))))


def test_bright_stars_saturate() -> None:
    # Alcyone, two minutes through L
    bright = replace(SCENE, ra_deg=56.87, dec_deg=24.11, exposure_s=120.0)
    frame = draw(bright)
    assert frame.max() == pytest.approx(
        bright.full_well_e / bright.electrons_per_adu + bright.bias_adu, rel=0.01
    )
    assert measure_field(frame, saturation_adu=0.98 * frame.max()).saturated >= 1


@pytest.mark.parametrize(("fwhm_px", "disc_px"), [(1.8, 0.0), (1.8, 6.0), (3.0, 20.0)])
def test_stamps_hold_all_the_light_at_the_right_place(fwhm_px: float, disc_px: float) -> None:
    half = stamp_half_px(fwhm_px, disc_px, bright=True)
    kernel = stamps(fwhm_px, disc_px, half)
    grid = np.arange(-half, half + 1)
    for i, j in ((2, 2), (0, 4), (4, 1)):
        stamp = kernel[i, j]
        assert stamp.sum() == pytest.approx(1, abs=0.01)
        assert (stamp.sum(axis=0) * grid).sum() / stamp.sum() == pytest.approx((j - 2) / 5, abs=0.02)
        assert (stamp.sum(axis=1) * grid).sum() / stamp.sum() == pytest.approx((i - 2) / 5, abs=0.02)


def test_half_flux_radii_of_known_profiles() -> None:
    # far out of focus the disc rules: half of a uniform disc's light is inside R/√2
    assert half_flux_radius_px(0.5, 30.0) == pytest.approx(15 / np.sqrt(2), rel=0.02)
    # a Moffat of β = 4: (1 + r²/a²)^−3 = 1/2 at the half-flux radius
    width = 4.0 / (2 * np.sqrt(2**0.25 - 1))
    assert half_flux_radius_px(4.0, 0.0) == pytest.approx(width * np.sqrt(2 ** (1 / 3) - 1), rel=0.03)


def test_the_true_sky_differs_from_the_catalogue_as_it_should() -> None:
    true = true_stars(79.1, 34.4, 3.0, 7)
    known = star_catalogue().cone(79.1, 34.4, 3.0)
    mine = {int(n): k for k, n in enumerate(true.number)}
    shared = [(k, mine[int(n)]) for k, n in enumerate(known.number) if int(n) in mine]
    missing = 1 - len(shared) / len(known)
    assert missing == pytest.approx(0.03, abs=0.012)
    there, here = np.array(shared).T
    moved = 3600 * separation_deg(
        known.ra_deg[there], known.dec_deg[there], true.ra_deg[here], true.dec_deg[here]
    )
    slow = moved[moved < 3]
    assert np.sqrt(np.mean(slow**2)) == pytest.approx(0.5, rel=0.1)
    assert np.mean(moved >= 3) == pytest.approx(0.01, abs=0.008)
    assert np.std(true.mag[here] - known.mag[there]) == pytest.approx(0.3, rel=0.1)
    faint = true.mag[true.number < 0]
    assert faint.size > 5 * len(known) and faint.min() > 12.2 and faint.max() < 16.1


def test_the_true_sky_does_not_depend_on_where_one_looks_from() -> None:
    def inner(ra_deg: float) -> set[tuple[int, float]]:
        sky = true_stars(ra_deg, 34.4, 1.0, 7)
        close = separation_deg(79.1, 34.4, sky.ra_deg, sky.dec_deg) < 0.3
        return set(zip(sky.number[close].tolist(), sky.ra_deg[close].tolist(), strict=True))

    assert inner(79.1) == inner(79.6)


def test_chance_is_even_and_keyed() -> None:
    numbers = np.arange(20000)
    uniform = uniform_of(numbers, 1, 2)
    assert uniform.min() >= 0 and uniform.max() < 1
    assert np.histogram(uniform, 10, (0, 1))[0] == pytest.approx(2000, rel=0.1)
    normal = normal_of(numbers, 1, 3)
    assert (normal.mean(), normal.std()) == pytest.approx((0, 1), abs=0.03)
    assert not np.array_equal(uniform, uniform_of(numbers, 2, 2))
    assert generator(1, "a", 2).random() == generator(1, "a", 2).random() != generator(1, "a", 3).random()
