"""Plate solving: shapes, fit, search."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from astropy.io.fits import Header
from astropy.wcs import WCS
from hypothesis import given
from hypothesis import strategies as st

from campaigns.solving import cases, try_accuracy, try_case, try_nothing
from vigil.files.fits import read_wcs, wcs_header
from vigil.files.starcatalogue import star_catalogue
from vigil.sky.angles import separation_deg
from vigil.sky.stars import SkyStars
from vigil.sky.tangent import deproject
from vigil.solving.blind import Breadth, solve_blind
from vigil.solving.near import Hint, solve_near
from vigil.solving.plane import (
    directions,
    gnomonic_from_stereographic,
    stereographic,
    stereographic_from_gnomonic,
)
from vigil.solving.quads import all_quads, build_quads
from vigil.solving.skytable import CELLS, LEVELS, SkyTable, level_stars, quads_in_chunks, vectors_of
from vigil.solving.solution import BLIND, Solution
from vigil.solving.wcs import Sip, Wcs, fit_wcs

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


def true_wcs(rng: np.random.Generator, mirrored: bool) -> Wcs:
    turn = rng.uniform(0, 2 * np.pi)
    cd = SCALE / 3600 * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    if not mirrored:
        cd = cd @ np.diag([-1, 1])
    ra, dec = rng.uniform(0, 360), np.degrees(np.arcsin(rng.uniform(-1, 1)))
    (a, b), (c, d) = cd.tolist()
    return Wcs(float(ra), float(dec), ((a, b), (c, d)), (SIZE, SIZE))


def seen_stars(wcs: Wcs, rng: np.random.Generator, missing: float, spurious: float):
    """Columns, rows and fluxes of what a camera would find there."""
    stars = star_catalogue().cone(wcs.ra_deg, wcs.dec_deg, SIZE * SCALE / 3600 * 0.75)
    x, y = wcs.to_pixel(stars.ra_deg, stars.dec_deg)
    kept = (x > 0) & (x < SIZE) & (y > 0) & (y < SIZE) & (rng.random(len(x)) > missing)
    extra = int(spurious * kept.sum()) + 60
    x = np.concatenate([x[kept] + rng.normal(0, 0.4, kept.sum()), rng.uniform(0, SIZE, extra)])
    y = np.concatenate([y[kept] + rng.normal(0, 0.4, kept.sum()), rng.uniform(0, SIZE, extra)])
    mag = np.concatenate([stars.mag[kept] + rng.normal(0, 0.3, kept.sum()), rng.uniform(11, 14, extra)])
    return x, y, 10 ** (-0.4 * mag)


def solve(wcs: Wcs, hint: Hint, seen) -> Solution:
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
    assert "only 3 found" in solve_near(few, few, few, (100, 100), hint, nowhere).reason
    many = np.linspace(1, 99, 20)
    assert "catalogue" in solve_near(many, many, many, (100, 100), hint, nowhere).reason


@pytest.mark.parametrize(("low", "high", "within"), [(0, 1, 3), (2, 1, 3), (1, 2, 0), (1, 2, 90)])
def test_impossible_hints_are_refused(low: float, high: float, within: float) -> None:
    with pytest.raises(ValueError):
        Hint(0, 0, low, high, within)


def bent(wcs: Wcs, strength: float = 1.0) -> Wcs:
    """With a distortion of some twelve pixels in the corners."""
    a = (1e-6, -4e-7, 2e-7, 3e-10, 1e-10, 8e-10, -2e-10)
    b = (-3e-7, 6e-7, 5e-7, 2e-10, 9e-10, -1e-10, 7e-10)
    return replace(wcs, sip=Sip(3, tuple(strength * v for v in a), tuple(strength * v for v in b)))


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("distorted", [False, True])
def test_our_wcs_is_the_standard_one(mirrored: bool, distorted: bool) -> None:
    wcs = true_wcs(np.random.default_rng(5), mirrored)
    wcs = bent(wcs) if distorted else wcs
    standard = WCS(Header({k: v for k, (v, _) in wcs_header(wcs).items()} | {"NAXIS1": SIZE, "NAXIS2": SIZE}))
    column, row = np.array([0.0, 1500.5, 3007.0]), np.array([0.0, 20.0, 3007.0])
    theirs = standard.all_pix2world(column, row, 0)
    assert np.allclose(wcs.to_sky(column, row), theirs, atol=1e-9)
    assert np.allclose(wcs.to_pixel(*theirs), (column, row), atol=1e-4)
    back = read_wcs({k: v for k, (v, _) in wcs_header(wcs).items()}, wcs.shape)
    assert back is not None
    centre = float(separation_deg(back.ra_deg, back.dec_deg, wcs.ra_deg, wcs.dec_deg))
    assert centre < 1e-8 and back.mirrored == wcs.mirrored
    assert back.scale_arcsec_px == pytest.approx(wcs.scale_arcsec_px, rel=1e-4 if distorted else 1e-7)


@pytest.mark.parametrize("distorted", [False, True])
def test_rows_counted_from_the_other_end_are_the_same_sky(distorted: bool) -> None:
    wcs = true_wcs(np.random.default_rng(6), mirrored=False)
    wcs = bent(wcs) if distorted else wcs
    column, row = np.array([3.0, 700.0, 2900.0]), np.array([10.0, 2500.0, 1800.0])
    turned = wcs.upside_down()
    assert np.allclose(turned.to_sky(column, SIZE - 1 - row), wcs.to_sky(column, row), atol=1e-11)
    assert turned.mirrored != wcs.mirrored


def fitted(wcs: Wcs, count: int, highest_order: int = 3, noise_px: float = 0.0, seed: int = 6):
    rng = np.random.default_rng(seed)
    column, row = rng.uniform(0, SIZE, count), rng.uniform(0, SIZE, count)
    ra, dec = wcs.to_sky(column, row)
    column, row = column + rng.normal(0, noise_px, count), row + rng.normal(0, noise_px, count)
    start = (wcs.ra_deg + 0.02, max(-89.0, wcs.dec_deg - 0.02))
    return fit_wcs(column, row, ra, dec, (SIZE, SIZE), start, highest_order)


def test_a_distortion_is_found_where_the_stars_support_it() -> None:
    wcs = bent(true_wcs(np.random.default_rng(7), mirrored=False))
    fit = fitted(wcs, 80, noise_px=0.1)
    assert fit.wcs.sip is not None and fit.wcs.sip.order == 3
    corner = fit.wcs.to_pixel(*wcs.to_sky(np.array([40.0, 2950.0]), np.array([60.0, 2900.0])))
    assert np.allclose(corner, ([40.0, 2950.0], [60.0, 2900.0]), atol=0.25)
    assert fitted(wcs, 12, noise_px=0.1).wcs.sip is None
    straight = replace(wcs, sip=None)
    assert all(fitted(straight, 80, noise_px=0.3, seed=s).wcs.sip is None for s in range(8))


def test_few_stars_give_scale_and_rotation_only() -> None:
    for mirrored in (False, True):
        wcs = true_wcs(np.random.default_rng(8), mirrored)
        fit = fitted(wcs, 6, noise_px=0.2)
        assert fit.parameters == 4 and fit.wcs.mirrored == mirrored
        assert fit.wcs.scale_arcsec_px == pytest.approx(SCALE, rel=5e-4)
        (a, b), (c, d) = fit.wcs.cd_deg_px
        assert abs(a * b + c * d) < 1e-9 * (a * a + c * c)


def test_the_fit_leaves_outliers_out() -> None:
    rng = np.random.default_rng(6)
    wcs = true_wcs(rng, mirrored=False)
    column, row = rng.uniform(0, SIZE, 40), rng.uniform(0, SIZE, 40)
    ra, dec = wcs.to_sky(column, row)
    column[:3] += 40
    fit = fit_wcs(column, row, ra, dec, (SIZE, SIZE), (wcs.ra_deg + 0.2, max(-89, wcs.dec_deg - 0.2)))
    assert not fit.kept[:3].any() and fit.kept[3:].all()
    assert fit.rms_arcsec < 1e-3
    assert float(separation_deg(fit.wcs.ra_deg, fit.wcs.dec_deg, wcs.ra_deg, wcs.dec_deg)) < 1e-7
    with pytest.raises(ValueError, match="three"):
        fit_wcs(column[:2], row[:2], ra[:2], dec[:2], (SIZE, SIZE), (0, 0))


@given(st.floats(-30, 30), st.floats(-30, 30))
def test_the_two_planes_say_the_same_directions(x: float, y: float) -> None:
    spot = np.array([complex(x, y)])
    assert np.allclose(stereographic_from_gnomonic(gnomonic_from_stereographic(spot)), spot, atol=1e-9)


def test_directions_undo_vectors() -> None:
    ra, dec = directions(np.array([[0.0, 2.0, 0.0], [0.0, 0.0, -3.0], [1.0, -1.0, np.sqrt(2)]]))
    assert np.allclose(ra, (90, 0, 315)) and np.allclose(dec, (0, -90, 45))


def test_all_quads_of_six_points_are_fifteen() -> None:
    points = np.random.default_rng(1).uniform(0, 9, 6) + 1j * np.random.default_rng(2).uniform(0, 9, 6)
    assert len(all_quads(points)) == 15 and len(all_quads(points[:3])) == 0


@pytest.fixture(scope="module")
def small_table() -> SkyTable:
    """The table of some thousand square degrees: the whole sky takes a minute to make."""
    stars = star_catalogue().cone(79.0, 34.0, 20.0)
    used = np.unique(np.concatenate([level_stars(stars, *level) for level in LEVELS]))
    chosen, vectors = stars.where(used), vectors_of(stars.where(used))
    parts = [
        (cells, records)
        for level in LEVELS
        for cells, records, _ in quads_in_chunks(vectors.astype(float), level_stars(chosen, *level))
    ]
    cells, records = (np.concatenate(p) for p in zip(*parts, strict=True))
    order = np.argsort(cells, kind="stable")
    ends = np.cumsum(np.bincount(cells, minlength=CELLS)).astype(np.uint32)
    return SkyTable(vectors, ends, records[order])


def test_a_quad_of_the_table_is_found_by_its_shape(small_table: SkyTable) -> None:
    stars = star_catalogue().cone(79.0, 34.0, 1.0)
    plane = stereographic(stars.ra_deg, stars.dec_deg, 79.0, 34.0)
    quads = build_quads(plane[level_stars(stars, 64, 8)])
    tolerance = np.full(len(quads), 0.002)
    which, records = small_table.alike(quads.shape, tolerance)
    length = np.radians(np.abs(quads.second - quads.first))
    chord = small_table.vectors[records["first"]] - small_table.vectors[records["second"]]
    same = np.abs(np.linalg.norm(chord, axis=1) / length[which] - 1) < 1e-3
    # quads at the cone's edge have other neighbours in the table
    assert len(np.unique(which[same])) > 0.3 * len(quads)


def test_a_level_holds_every_quad_once() -> None:
    stars = star_catalogue().cone(79.0, 34.0, 10.0)
    (cells, records, share), *more = quads_in_chunks(
        vectors_of(stars).astype(float), level_stars(stars, 32, 8)
    )
    assert share == 1.0 and not more
    key = np.rec.fromarrays([cells, *records["rest"].T, records["first"], records["second"]])
    assert len(np.unique(key)) == len(key) > 2000


@pytest.mark.parametrize("seed", range(4))
def test_blind_solves_where_nothing_is_known(seed: int, small_table: SkyTable) -> None:
    rng = np.random.default_rng([3, seed])
    wcs = true_wcs(rng, mirrored=bool(seed % 2))
    ra, dec = deproject(*rng.uniform(-4, 4, 2), 79.0, 34.0)
    wcs = replace(wcs, ra_deg=float(ra), dec_deg=float(dec))
    seen = seen_stars(wcs, rng, missing=0.3, spurious=0.3)
    found = solve_blind(*seen, (SIZE, SIZE), small_table, star_catalogue().cone)
    assert found.solved and found.wcs is not None and found.method == BLIND, found.reason
    assert 3600 * separation_deg(found.wcs.ra_deg, found.wcs.dec_deg, wcs.ra_deg, wcs.dec_deg) < 1.0
    assert found.wcs.mirrored == wcs.mirrored and found.matches is not None
    assert len(found.matches) == found.stars_matched
    shuffled = solve_blind(
        seen[0], rng.permutation(seen[1]), seen[2], (SIZE, SIZE), small_table, star_catalogue().cone
    )
    assert not shuffled.solved
    narrow = Breadth(3.0, 4.0)
    assert not solve_blind(*seen, (SIZE, SIZE), small_table, star_catalogue().cone, narrow).solved


def test_a_poor_field_is_said() -> None:
    rng = np.random.default_rng(4)
    pole = Hint(192.9, 27.1, 0.2, 0.25, within_deg=1.0)
    stars = star_catalogue().cone(pole.ra_deg, pole.dec_deg, pole.catalogue_radius_deg((1000, 1000)))
    found = solve_near(*rng.uniform(0, 1000, (3, 30)), (1000, 1000), pole, stars)
    assert not found.solved and "too few stars: the catalogue has some" in found.reason


@pytest.mark.parametrize(("least", "most"), [(0, 1), (2, 1), (1, 90)])
def test_impossible_breadths_are_refused(least: float, most: float) -> None:
    with pytest.raises(ValueError):
        Breadth(least, most)


def test_a_sample_of_the_campaign(monkeypatch: pytest.MonkeyPatch, small_table: SkyTable) -> None:
    monkeypatch.setattr("vigil.files.solver._table", lambda cache: small_table)
    monkeypatch.setattr("campaigns.solving.table_cache", Path)
    (case,) = cases("11 to 20", 1)
    found = try_case(case)
    assert found["near"]["solved"] and not found["near"]["wrong"], (case.troubles, found)
    assert not found["blind"]["wrong"]
    assert not try_nothing(3)["near"]["wrong"]
    exact = try_accuracy(5)
    assert exact["solved"] and exact["centre_arcsec"] < 1 and exact["scale_percent"] < 0.02, exact
    assert exact["rotation_deg"] < 0.02
