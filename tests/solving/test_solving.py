"""Plate solving: shapes, fit, search."""

import numpy as np
import pytest
from astropy.wcs import WCS
from hypothesis import given
from hypothesis import strategies as st

from campaigns.demo import demo_rig
from campaigns.solvefields import try_empty, try_field
from vigil.files.fits import wcs_header
from vigil.files.starcatalogue import star_catalogue
from vigil.sky.angles import separation_deg
from vigil.sky.stars import SkyStars
from vigil.sky.tangent import deproject
from vigil.solving.near import Hint, Solution, solve_near
from vigil.solving.quads import build_quads
from vigil.solving.wcs import LinearWcs, fit_wcs

SIZE, SCALE = 3008, 1.6157


@given(st.floats(0, 2 * np.pi), st.floats(0.1, 10), st.integers(0, 1000))
def test_shapes_of_quads_survive_shift_turn_and_scale(angle: float, scale: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    points = rng.uniform(0, 1000, 12) + 1j * rng.uniform(0, 1000, 12)
    moved = scale * np.exp(1j * angle) * points + (300 - 200j)
    before, after = build_quads(points), build_quads(moved)
    assert len(before) == len(after) > 0
    order = np.lexsort(before.shape.T.round(6)), np.lexsort(after.shape.T.round(6))
    assert np.allclose(before.shape[order[0]], after.shape[order[1]], atol=1e-5)


def test_a_mirror_image_has_other_quads() -> None:
    points = np.array([0, 10, 3 + 4j, 6 - 1j])
    assert not np.allclose(build_quads(points).shape, build_quads(points.conj()).shape)


def test_three_points_make_no_quad() -> None:
    assert len(build_quads(np.array([0, 1, 1j]))) == 0


def true_wcs(rng: np.random.Generator, mirrored: bool) -> LinearWcs:
    turn = rng.uniform(0, 2 * np.pi)
    cd = SCALE / 3600 * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    if not mirrored:
        cd = cd @ np.diag([-1, 1])
    ra, dec = rng.uniform(0, 360), np.degrees(np.arcsin(rng.uniform(-1, 1)))
    (a, b), (c, d) = cd.tolist()
    return LinearWcs(float(ra), float(dec), ((a, b), (c, d)), (SIZE, SIZE))


def seen_stars(wcs: LinearWcs, rng: np.random.Generator, missing: float, spurious: float):
    """Columns, rows and fluxes of what a camera would find there."""
    stars = star_catalogue().cone(wcs.ra_deg, wcs.dec_deg, SIZE * SCALE / 3600 * 0.75)
    x, y = wcs.to_pixel(stars.ra_deg, stars.dec_deg)
    kept = (x > 0) & (x < SIZE) & (y > 0) & (y < SIZE) & (rng.random(len(x)) > missing)
    extra = int(spurious * kept.sum()) + 60
    x = np.concatenate([x[kept] + rng.normal(0, 0.4, kept.sum()), rng.uniform(0, SIZE, extra)])
    y = np.concatenate([y[kept] + rng.normal(0, 0.4, kept.sum()), rng.uniform(0, SIZE, extra)])
    mag = np.concatenate([stars.mag[kept] + rng.normal(0, 0.3, kept.sum()), rng.uniform(11, 14, extra)])
    return x, y, 10 ** (-0.4 * mag)


def solve(wcs: LinearWcs, hint: Hint, seen) -> Solution:
    radius = hint.catalogue_radius_deg((SIZE, SIZE))
    return solve_near(*seen, (SIZE, SIZE), hint, star_catalogue().cone(hint.ra_deg, hint.dec_deg, radius))


@pytest.mark.parametrize("seed", range(16))
def test_three_degrees_and_ten_percent_off_still_solves(seed: int) -> None:
    rng = np.random.default_rng([1, seed])
    wcs = true_wcs(rng, mirrored=bool(seed % 2))
    way = rng.uniform(0, 2 * np.pi)
    ra, dec = deproject(2.97 * np.sin(way), 2.97 * np.cos(way), wcs.ra_deg, wcs.dec_deg)
    scale = SCALE * (1.1 if seed % 4 < 2 else 0.9)
    hint = Hint(float(ra), float(dec), 0.88 * scale, 1.12 * scale)
    found = solve(wcs, hint, seen_stars(wcs, rng, missing=0.2, spurious=0.2))
    assert found.solved and found.wcs is not None, found.reason
    assert 3600 * separation_deg(found.wcs.ra_deg, found.wcs.dec_deg, wcs.ra_deg, wcs.dec_deg) < 1.0
    assert found.wcs.scale_arcsec_px == pytest.approx(SCALE, rel=5e-4)
    turned = (found.wcs.position_angle_deg - wcs.position_angle_deg + 180) % 360 - 180
    assert abs(turned) < 0.05
    assert found.wcs.mirrored == wcs.mirrored
    assert found.rms_arcsec < 2 and found.chance_log10 < -9


@pytest.mark.parametrize("seed", range(8))
def test_another_piece_of_sky_is_not_solved(seed: int) -> None:
    rng = np.random.default_rng([2, seed])
    wcs = true_wcs(rng, mirrored=False)
    hint = Hint((wcs.ra_deg + 90) % 360, -wcs.dec_deg * 0.9, 0.9 * SCALE, 1.1 * SCALE)
    found = solve(wcs, hint, seen_stars(wcs, rng, 0.1, 0.1))
    assert not found.solved and found.wcs is None
    assert found.reason


def test_too_few_stars_are_said() -> None:
    few = np.array([10.0, 50.0, 90.0])
    nowhere = SkyStars(np.empty(0), np.empty(0), np.empty(0), np.empty(0, np.int64))
    hint = Hint(10, 10, 1, 2)
    assert "only 3 stars" in solve_near(few, few, few, (100, 100), hint, nowhere).reason
    many = np.linspace(1, 99, 20)
    assert "catalogue" in solve_near(many, many, many, (100, 100), hint, nowhere).reason


@pytest.mark.parametrize(("low", "high", "within"), [(0, 1, 3), (2, 1, 3), (1, 2, 0), (1, 2, 90)])
def test_impossible_hints_are_refused(low: float, high: float, within: float) -> None:
    with pytest.raises(ValueError):
        Hint(0, 0, low, high, within)


def test_our_wcs_is_the_standard_one() -> None:
    wcs = true_wcs(np.random.default_rng(5), mirrored=False)
    standard = WCS({k: v for k, (v, _) in wcs_header(wcs).items()} | {"NAXIS1": SIZE, "NAXIS2": SIZE})
    column, row = np.array([0.0, 1500.5, 3007.0]), np.array([0.0, 20.0, 3007.0])
    theirs = standard.all_pix2world(column, row, 0)
    assert np.allclose(wcs.to_sky(column, row), theirs, atol=1e-9)
    assert np.allclose(wcs.to_pixel(*theirs), (column, row), atol=1e-6)


def test_the_fit_leaves_outliers_out() -> None:
    rng = np.random.default_rng(6)
    wcs = true_wcs(rng, mirrored=False)
    column, row = rng.uniform(0, SIZE, 40), rng.uniform(0, SIZE, 40)
    ra, dec = wcs.to_sky(column, row)
    column[:3] += 40
    fitted, kept, rms = fit_wcs(
        column, row, ra, dec, (SIZE, SIZE), (wcs.ra_deg + 0.2, max(-89, wcs.dec_deg - 0.2))
    )
    assert not kept[:3].any() and kept[3:].all()
    assert rms < 1e-3
    assert float(separation_deg(fitted.ra_deg, fitted.dec_deg, wcs.ra_deg, wcs.dec_deg)) < 1e-7
    with pytest.raises(ValueError, match="three"):
        fit_wcs(column[:2], row[:2], ra[:2], dec[:2], (SIZE, SIZE), (0, 0))


def test_a_sample_of_the_campaign() -> None:
    rig = demo_rig()
    for case in ("1° off", "mirrored, 1° off"):
        result = try_field(rig, 3, case)
        assert result["solved"] and not result["wrong"], result
    assert not try_empty(rig, 4)["wrong"]
