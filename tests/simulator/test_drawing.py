"""Drawn frames against what was to be drawn."""

from dataclasses import replace

import numpy as np
import pytest

from campaigns.demo import demo_rig
from campaigns.solvefields import field_scene
from vigil.files.starcatalogue import star_catalogue
from vigil.imaging.stars import measure_field
from vigil.simulator.above.counts import stars_per_deg2
from vigil.simulator.above.stars import true_stars
from vigil.simulator.chance import generator, normal_of, uniform_of
from vigil.simulator.frame.draw import draw
from vigil.simulator.frame.psf import Spot, half_flux_radius_px, points_on, put_down, smear, stamps
from vigil.simulator.frame.scene import Region, Scene, Shade, to_pixels
from vigil.sky.angles import separation_deg
from vigil.solving.wcs import Wcs

FIELD = field_scene(demo_rig(), 1)
SCENE = replace(
    FIELD,
    aim=replace(FIELD.aim, ra_deg=79.1, dec_deg=34.4),
    sensor=replace(FIELD.sensor, shape=(700, 900)),
    blur=replace(FIELD.blur, fwhm_px=2.5),
    shade=Shade(),
)


def on_sensor(scene: Scene, **changes: object) -> Scene:
    return replace(scene, sensor=replace(scene.sensor, **changes))


def test_stars_are_where_the_sky_says() -> None:
    field = measure_field(draw(SCENE))
    assert SCENE.sky is not None
    sky = true_stars(SCENE.aim.ra_deg, SCENE.aim.dec_deg, 0.5, SCENE.sky.seed)
    x, y, _ = to_pixels(sky.ra_deg, sky.dec_deg, SCENE)
    bright = [k for k in np.argsort(sky.mag) if 20 < x[k] < 880 and 20 < y[k] < 680][:30]
    apart = [np.hypot(field.stars.x_px - x[k], field.stars.y_px - y[k]).min() for k in bright]
    assert np.median(apart) < 0.06


def test_the_picture_has_the_rotation_that_a_wcs_reports() -> None:
    """The same convention as the solver's, by another path: a WCS built by hand."""
    angle = np.radians(SCENE.aim.position_angle_deg)
    scale = SCENE.scale_arcsec_px / 3600
    cd = scale * np.array([[-np.cos(angle), np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    (a, b), (c, d) = cd.tolist()
    wcs = Wcs(SCENE.aim.ra_deg, SCENE.aim.dec_deg, ((a, b), (c, d)), SCENE.sensor.shape)
    assert wcs.position_angle_deg == pytest.approx(SCENE.aim.position_angle_deg) and not wcs.mirrored
    ra, dec = wcs.to_sky(np.array([100.0, 800.0]), np.array([650.0, 30.0]))
    assert np.allclose(to_pixels(ra, dec, SCENE)[:2], [[100, 800], [650, 30]], atol=1e-6)


def test_a_few_large_images_are_the_same_put_down_singly() -> None:
    spot, (rows, columns) = Spot(3.0, 60.0, 0.4), (180, 240)
    half = spot.half_px(True)
    x, y, light = np.array([20.3, 119.7, 260.1]), np.array([-5.2, 90.5, 60.0]), np.array([1e4, 2e4, 3e4])
    at_once = smear(points_on((rows + 2 * half, columns + 2 * half), x + half, y + half, light), spot, half)
    singly = np.zeros((rows, columns), np.float32)
    put_down(singly, x, y, light, spot, half)
    assert np.allclose(singly, at_once[half:-half, half:-half], atol=1e-3)


@pytest.mark.parametrize("often", [False, True])
@pytest.mark.parametrize("sky_mag", [18.0, 21.3])
def test_light_and_noise_are_those_of_photons(sky_mag: float, often: bool) -> None:
    """Above and below the level where counts are taken as normal; and of guide frames, whose noise comes from
    a bank."""
    assert SCENE.sky is not None
    scene = on_sensor(SCENE, often=often)
    bare = replace(scene, exposure_s=20.0, sky=replace(SCENE.sky, mag_arcsec2=sky_mag, faint_to_mag=None))
    frames = [draw(replace(bare, noise_key=(1, "camera", n))).astype(float) for n in range(2)]
    sky_e = bare.light.sky_e_s_arcsec2(sky_mag) * bare.scale_arcsec_px**2 * 20 + 20 * bare.sensor.dark_e_s
    level = np.median(frames[0]) - bare.sensor.bias_adu
    # the median of Poisson's counts lies a third of a count under their mean
    assert level == pytest.approx((sky_e - 1 / 3) / bare.sensor.electrons_per_adu, rel=0.01, abs=0.5)
    # the difference of two frames has the noise of both and no stars
    difference = frames[0] - frames[1]
    quiet = np.abs(difference) < 8 * 1.4826 * np.median(np.abs(difference))
    spread = difference[quiet].std() / np.sqrt(2) * bare.sensor.electrons_per_adu
    quantum = bare.sensor.electrons_per_adu**2 / 12
    assert spread == pytest.approx(
        np.sqrt(sky_e + bare.sensor.read_noise_e**2 + quantum), rel=0.02 + often * 0.02
    )


def test_faint_counts_are_poissons() -> None:
    """By table, by the few beyond it, and as normal deviates: means, variances, skewness."""
    for mean_e in (0.05, 0.3, 3.1, 12.4, 29.9, 31.0):
        dark = replace(SCENE, sky=None, exposure_s=1.0)
        # a dark current that rises over the frame takes the general way, an even one the table's
        scene = on_sensor(dark, dark_e_s=mean_e, hot_share=0.0, read_noise_e=0.0, electrons_per_adu=1.0)
        even = draw(scene).astype(float) - scene.sensor.bias_adu
        lit = replace(scene, panel_e_s_px=mean_e, shade=Shade(vignetting=1e-4))
        uneven = draw(on_sensor(lit, dark_e_s=0.0)).astype(float) - scene.sensor.bias_adu
        for counts in (even, uneven):
            assert counts.mean() == pytest.approx(mean_e, abs=4 * np.sqrt(mean_e / counts.size) + 1e-3)
            assert counts.var() == pytest.approx(mean_e, rel=0.02)
            if mean_e < 30:
                skewness = ((counts - counts.mean()) ** 3).mean() / counts.std() ** 3
                assert skewness == pytest.approx(mean_e**-0.5, rel=0.05, abs=0.01)


def test_darks_show_the_same_hot_pixels() -> None:
    dark = replace(SCENE, sky=None, exposure_s=600.0, noise_key=(1, "camera", 1))
    first, second = draw(dark), draw(replace(dark, noise_key=(1, "camera", 2)))
    hot = [set(np.flatnonzero(f > dark.sensor.bias_adu + 60)) for f in (first, second)]
    assert len(hot[0]) > 30
    assert len(hot[0] & hot[1]) > 0.8 * len(hot[0])


def test_a_subframe_is_a_part_of_the_whole_frame() -> None:
    quiet = on_sensor(replace(SCENE, shade=Shade(0.2, 5, 1, bands=(0.1, 30.0, 0.5))), noise=False)
    part = draw(on_sensor(quiet, region=Region(121, 77, 300, 200)))
    whole = draw(quiet)[77:277, 121:421]
    assert np.abs(part.astype(int) - whole).max() <= 1, "but for rounding"
    colour = on_sensor(quiet, bayer="RGGB")
    part = draw(on_sensor(colour, region=Region(121, 77, 300, 200)))
    whole = draw(colour)[77:277, 121:421]
    assert np.abs(part.astype(int) - whole).max() <= 1


def test_vignetting_dust_and_bands_shade_a_flat() -> None:
    flat = on_sensor(replace(SCENE, sky=None, panel_e_s_px=2000.0), noise=False, hot_share=0.0)
    clear = draw(flat).astype(float)
    dim = draw(replace(flat, shade=Shade(vignetting=0.3))).astype(float) - flat.sensor.bias_adu
    assert dim[0, 0] / dim[350, 450] == pytest.approx(0.7, abs=0.005)
    specks = clear - draw(replace(flat, shade=Shade(specks=4, seed=2)))
    assert 0.01 < specks.max() / (clear.max() - flat.sensor.bias_adu) < 0.25, "four may lie on one another"
    moved = clear - draw(replace(flat, shade=Shade(specks=4, seed=2, shift_um=(60.0, 0.0))))
    assert not np.array_equal(specks, moved), "dust on the filter goes with it"
    banded = draw(replace(flat, shade=Shade(bands=(0.05, 40.0, 0.0)))).mean(axis=1) - flat.sensor.bias_adu
    assert np.ptp(banded) / banded.mean() == pytest.approx(0.1, rel=0.02)


def test_a_frame_depends_on_its_key_alone() -> None:
    assert np.array_equal(draw(SCENE), draw(SCENE))
    assert not np.array_equal(draw(SCENE), draw(replace(SCENE, noise_key=(405, "field", 99))))


def test_bright_stars_saturate() -> None:
    # Alcyone, two minutes through L
    bright = replace(SCENE, aim=replace(SCENE.aim, ra_deg=56.87, dec_deg=24.11), exposure_s=120.0)
    frame, sensor = draw(bright), SCENE.sensor
    full_adu = sensor.full_well_e / sensor.electrons_per_adu + sensor.bias_adu
    assert frame.max() == pytest.approx(full_adu, rel=0.01)
    assert measure_field(frame, saturation_adu=0.98 * frame.max()).saturated >= 1


@pytest.mark.parametrize(
    "spot",
    [
        Spot(1.8),
        Spot(1.8, 6.0),
        Spot(3.0, 20.0, obstruction=0.4),
        Spot(2.0, beta=2.5),
        Spot(2.0, walk_px=((-3.0, 1.0), (3.0, -1.0))),
    ],
)
def test_stamps_hold_all_the_light_at_the_right_place(spot: Spot) -> None:
    half = spot.half_px(bright=True)
    kernel = stamps(spot, half)
    grid = np.arange(-half, half + 1)
    for i, j in ((3, 3), (0, 6), (5, 2)):
        stamp = kernel[i, j]
        assert stamp.sum() == pytest.approx(1, abs=1e-4)
        assert (stamp.sum(axis=0) * grid).sum() / stamp.sum() == pytest.approx((j - 3) / 5, abs=0.02)
        assert (stamp.sum(axis=1) * grid).sum() / stamp.sum() == pytest.approx((i - 3) / 5, abs=0.02)


def test_an_obstructed_telescope_makes_rings() -> None:
    middle = [stamps(Spot(1.5, 30.0, obstruction), 30)[3, 3][30, 30] for obstruction in (0.0, 0.5)]
    assert middle[1] < 0.05 * middle[0]


def test_half_flux_radii_of_known_profiles() -> None:
    # far out of focus the disc rules: half of a uniform disc's light is inside R/√2
    assert half_flux_radius_px(Spot(0.5, 30.0)) == pytest.approx(15 / np.sqrt(2), rel=0.02)
    # a Moffat of β = 4: (1 + r²/a²)^−3 = 1/2 at the half-flux radius
    width = 4.0 / (2 * np.sqrt(2**0.25 - 1))
    assert half_flux_radius_px(Spot(4.0)) == pytest.approx(width * np.sqrt(2 ** (1 / 3) - 1), rel=0.03)


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


def test_faint_stars_crowd_towards_the_milky_way() -> None:
    """Counts grow with magnitude as the model's do at that latitude, faster in the plane than at its pole."""

    def per_known(ra_deg: float, dec_deg: float) -> float:
        sky = true_stars(ra_deg, dec_deg, 2.0, 7, faint_to_mag=17.0, catalogue_errors=False)
        return np.count_nonzero(sky.number < 0) / np.count_nonzero(sky.number >= 0)

    pole, plane = per_known(192.86, 27.13), per_known(310.0, 42.0)
    expected = stars_per_deg2(17.0, 0.0, 90.0) / stars_per_deg2(12.3, 0.0, 90.0) - 1
    assert pole == pytest.approx(float(expected), rel=0.15)
    assert plane > 1.5 * pole
    assert len(true_stars(192.86, 27.13, 2.0, 7, faint_to_mag=None)) < 500


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
