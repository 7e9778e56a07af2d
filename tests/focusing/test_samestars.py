"""The same stars from frame to frame."""

import numpy as np

from vigil.focusing.samestars import StarList, same_stars


def field(
    rng: np.random.Generator, size: float, shift: tuple[float, float] = (0.0, 0.0), light: float = 1.0
) -> StarList:
    """Forty stars of one size with 3 % noise, always at the same places but for a shift."""
    places = np.random.default_rng(7).uniform(0, 1000, (40, 2))
    lights = np.random.default_rng(8).uniform(1, 100, 40)
    sizes = size * np.exp(0.03 * rng.normal(size=40))
    return StarList(places[:, 0] + shift[0], places[:, 1] + shift[1], sizes, light * lights)


def test_sizes_and_light_follow_the_stars_through_shifts() -> None:
    rng = np.random.default_rng(1)
    wanted = [(2.0, 1.0), (3.0, 0.9), (1.5, 0.4), (2.5, 1.0)]
    frames = [field(rng, s, (9.0 * k, -6.0 * k), light) for k, (s, light) in enumerate(wanted)]
    for found, (size, light) in zip(same_stars(frames), wanted, strict=True):
        assert found is not None and found.stars == 40
        assert abs(found.size_px / size - 1) < 0.02 and abs(found.light - light) < 0.05
        assert 0 < found.scatter_px < 0.03 * size


def test_a_star_that_comes_and_goes_does_not_pull() -> None:
    """Large ones are found in some frames only: the plain median would jump."""
    rng = np.random.default_rng(2)
    whole = [field(rng, 2.0) for _ in range(6)]
    for k, frame in enumerate(whole):
        frame.size_px[:12] *= 1.5
        if k % 2:
            whole[k] = StarList(*(a[12:] for a in (frame.x_px, frame.y_px, frame.size_px, frame.light)))
    sizes = [found.size_px for found in same_stars(whole) if found is not None]
    assert len(sizes) == 6 and max(sizes) / min(sizes) < 1.03


def test_too_few_shared_stars_are_no_size() -> None:
    rng = np.random.default_rng(3)
    alone = field(rng, 2.0)
    few = StarList(*(a[:2] for a in (alone.x_px, alone.y_px, alone.size_px, alone.light)))
    assert same_stars([alone]) == [None] and same_stars([None, None]) == [None, None]
    told = same_stars([alone, field(rng, 3.0), few, None])
    assert told[0] is not None and told[1] is not None and told[2:] == [None, None]


def test_in_a_field_with_two_stars_these_are_enough() -> None:
    rng = np.random.default_rng(3)

    def two(size: float, which: slice) -> StarList:
        whole = field(rng, size)
        return StarList(*(a[:2][which] for a in (whole.x_px, whole.y_px, whole.size_px, whole.light)))

    sizes = [1.5, 2.0, 3.0, 2.5]
    both = [two(size, slice(0, 2)) for size in sizes[:3]] + [two(sizes[3], slice(1, 2))]
    for found, size in zip(same_stars(both), sizes, strict=True):
        assert found is not None and abs(found.size_px / size - 1) < 0.1
