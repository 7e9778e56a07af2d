"""Where guide stars stand: one by one, and several as one."""

import numpy as np
import pytest

from tests.guiding.starfield import frame
from vigil.guiding.centroid import Place, Profile, least_error_px, place_of
from vigil.guiding.choose import better_exposure_s, choose
from vigil.guiding.several import StarGroup


@pytest.mark.parametrize("profile", [Profile(1.6, 30.0), Profile(3.0, 3.0), Profile(4.0, 4.0, 1.5, 30.0)])
@pytest.mark.parametrize("light", [900.0, 40_000.0])
def test_a_place_is_as_exact_as_light_allows_and_says_how_exact(profile: Profile, light: float) -> None:
    rng = np.random.default_rng(2)
    off, told = [], []
    for _ in range(120):
        x, y = 60 + rng.uniform(-0.5, 0.5, 2)
        image = frame(profile, [(x, y, light)], rng, (120, 120))
        found = place_of(image, (60 + rng.normal(0, 1), 60 + rng.normal(0, 1)), profile)
        assert found is not None
        off += [found.x_px - x, found.y_px - y]
        told.append(found.error_px)
    bound = least_error_px(profile, light, 60.0, 1.5)
    assert np.std(off) < 1.2 * bound and abs(np.mean(off)) < 0.3 * bound
    assert np.mean(told) == pytest.approx(np.std(off), rel=0.25)


def test_nothing_there_is_no_star() -> None:
    rng = np.random.default_rng(3)
    image = frame(Profile(3.0), [], rng)
    assert place_of(image, (200.0, 150.0), Profile(3.0)) is None
    assert place_of(image, (2000.0, 150.0), Profile(3.0)) is None


def place(x: float, y: float, error: float = 0.05) -> Place:
    return Place(x, y, error, 1000.0, 100.0, 10.0, 50.0)


@pytest.mark.parametrize("count", [1, 4, 9])
def test_several_stars_lower_what_each_has_for_itself_as_their_root(count: int) -> None:
    rng = np.random.default_rng(4)
    homes = rng.uniform(50, 900, (count, 2))
    group, off = StarGroup.at([(x, y) for x, y in homes]), []
    for _ in range(600):
        moved = rng.normal(0, 0.8, 2)
        shift = group.shift_of([place(*(home + moved + rng.normal(0, 0.2, 2))) for home in homes])
        assert shift is not None and shift.counted == count
        off += [shift.dx_px - moved[0], shift.dy_px - moved[1]]
    assert np.std(off[100:]) == pytest.approx(0.2 / np.sqrt(count), rel=0.1)


def test_a_wild_one_does_not_count_a_noisy_one_hardly_and_a_lost_one_comes_back() -> None:
    rng = np.random.default_rng(5)
    homes = [(100.0, 100.0), (300.0, 90.0), (200.0, 250.0), (50.0, 200.0)]
    group = StarGroup.at(homes)
    quiet = [0.05, 0.05, 0.05, 0.6]
    for _ in range(100):
        group.shift_of(
            [place(*(np.array(h) + rng.normal(0, s, 2))) for h, s in zip(homes, quiet, strict=True)]
        )
    wild = group.shift_of([place(100, 100), place(304, 90), place(200, 250), place(50, 200)])
    assert wild is not None and wild.wild == (1,) and abs(wild.dx_px) < 0.05
    noisy = group.shift_of([place(100, 100), place(300, 90), place(200, 250), place(50.9, 200)])
    assert noisy is not None and abs(noisy.dx_px) < 0.05, "its own noise is known"
    for _ in range(30):
        group.shift_of([place(101, 100), place(301, 90), place(201, 250), None])
    back = group.shift_of([place(101, 100), place(301, 90), place(201, 250), place(48, 200)])
    assert back is not None and back.dx_px == pytest.approx(1.0, abs=0.02), "its place is learnt anew"
    again = group.shift_of([None, None, None, place(49, 200)])
    assert again is not None and again.dx_px == pytest.approx(2.0, abs=0.1)
    assert group.shift_of([None] * 4) is None


def test_clear_whole_single_stars_are_chosen() -> None:
    rng = np.random.default_rng(6)
    profile = Profile(2.6, 3.5)
    stars = [
        (200.0, 150.0, 60_000.0),  # clips at 12 bit
        (100.0, 100.0, 9000.0),
        (300.0, 200.0, 12_000.0),
        (308.0, 204.0, 6000.0),  # a companion to that
        (5.0, 60.0, 15_000.0),  # at the edge
        (60.0, 220.0, 5000.0),
    ]
    image = frame(profile, stars, rng, full=4095.0)
    for _ in range(25):
        image[rng.integers(20, 280), rng.integers(20, 380)] = rng.uniform(400, 4000)
    found = choose(image, 4095.0)
    assert found is not None
    assert [(round(s.x_px), round(s.y_px)) for s in found.stars] == [(100, 100), (60, 220)]
    assert found.profile.fwhm_px == pytest.approx(2.6, rel=0.12)
    assert "1 clipped" in found.words and "1 at the edge" in found.words
    wanted = choose(image, 4095.0, near=(199.0, 151.0))
    assert wanted is not None and round(wanted.stars[0].x_px) == 200, "by hand a clipped one too"
    assert better_exposure_s(found, 1.0, 0.1, 10.0) > 1.0
    assert better_exposure_s(None, 1.0, 0.1, 2.0) == 2.0
    with pytest.raises(ValueError, match="no dark for a frame"):
        choose(image, 4095.0, dark=np.zeros((5, 5)))


def test_a_dark_takes_hot_pixels_out_and_a_flat_top_is_seen_without_being_told_the_maximum() -> None:
    rng = np.random.default_rng(7)
    profile = Profile(3.0)
    hot = np.zeros((300, 400))
    hot[rng.integers(20, 280, 40), rng.integers(20, 380, 40)] = 900.0
    image = frame(profile, [(150.0, 120.0, 8000.0), (250.0, 80.0, 90_000.0)], rng, full=2000.0) + hot
    found = choose(np.minimum(image, 2000), 65_535.0, dark=hot)
    assert found is not None and [round(s.x_px) for s in found.stars] == [150]
    assert found.refused["clipped"] == 1 and found.refused["hot pixels"] == 0
