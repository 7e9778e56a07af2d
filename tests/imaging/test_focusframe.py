"""What focusing takes from a frame, and what it leaves out."""

import numpy as np
from numpy.typing import NDArray

from vigil.imaging.focusframe import focus_frame
from vigil.simulator.frame.psf import Spot, half_flux_radius_px, stamps

SIDE, LEVEL, NOISE = 900, 500.0, 8.0
Floats = NDArray[np.float64]


def sky(seed: int) -> tuple[Floats, np.random.Generator]:
    rng = np.random.default_rng(seed)
    return LEVEL + NOISE * rng.normal(size=(SIDE, SIDE)), rng


def put(image: Floats, x: float, y: float, flux: float, spot: Spot) -> None:
    """A star centred on a pixel, as much of it as falls on the image."""
    light = stamps(spot, spot.half_px(bright=True))[3, 3]
    half = len(light) // 2
    column, row = round(x), round(y)
    rows, columns = (np.arange(at - half, at + half + 1) for at in (row, column))
    inside = np.ix_((rows >= 0) & (rows < SIDE), (columns >= 0) & (columns < SIDE))
    image[np.ix_(rows[(rows >= 0) & (rows < SIDE)], columns[(columns >= 0) & (columns < SIDE)])] += (
        flux * light[inside]
    )


def starry(seed: int, spot: Spot, count: int = 40, flux: float = 40_000.0) -> tuple[Floats, Floats]:
    image, rng = sky(seed)
    places = np.stack(np.meshgrid(np.linspace(90, 810, 7), np.linspace(90, 810, 6)), -1).reshape(-1, 2)[
        :count
    ]
    places = places + rng.uniform(-15, 15, places.shape)
    for x, y in places:
        put(image, x, y, flux * rng.uniform(0.6, 2.0), spot)
    return image, places


def test_sizes_are_those_of_single_whole_stars() -> None:
    for spot in (Spot(3.0, 0.0, 0.0, 4.0), Spot(3.0, 9.0, 0.35, 4.0)):
        image, _ = starry(1, spot)
        found = focus_frame(image, obstruction=0.35)
        truth = half_flux_radius_px(spot)
        assert found.stars >= 30 and abs(found.size_px / truth - 1) < 0.06
        assert found.discs is None and 0.9 < found.elongation < 1.15
        assert found.scatter_px < 0.03 * found.size_px


def test_clipped_doubled_cut_off_and_other_shapes_are_left_out() -> None:
    spot = Spot(3.0, 0.0, 0.0, 4.0)
    image, places = starry(2, spot, count=20)
    alone = focus_frame(image)
    for x, y in places[:6]:
        put(image, x + 8, y + 3, 30_000, spot)  # pairs now
    put(image, 450, 840, 3_000_000, spot)  # clips
    put(image, 500, 2, 60_000, spot)  # cut off
    yy, xx = np.mgrid[0:SIDE, 0:SIDE]
    image += 400 * np.exp(-(((xx - 200) / 40) ** 2 + ((yy - 850) / 12) ** 2))  # a nebula
    image[840, 700] += 9_000  # a hot pixel
    found = focus_frame(np.minimum(image, 65535), saturation_adu=60_000)
    assert found.clipped == 1 and found.stars <= alone.stars - 5
    assert abs(found.size_px / alone.size_px - 1) < 0.03
    assert np.hypot(found.x_px - 450, found.y_px - 840).min() > 20


def test_far_out_stars_are_discs() -> None:
    spot = Spot(3.0, 90.0, 0.35, 4.0)
    image, _ = starry(3, spot, count=5, flux=2_000_000)
    found = focus_frame(image, obstruction=0.35)
    assert found.discs is not None and abs(found.discs.radius_px / 45 - 1) < 0.1


def test_the_median_star_is_cut_out_in_shares_of_its_light() -> None:
    small, _ = starry(4, Spot(3.0, 0.0, 0.0, 4.0))
    large, _ = starry(4, Spot(3.0, 8.0, 0.0, 4.0))
    tops = []
    for image in (small, large):
        cutout = focus_frame(image, cut_px=24).cutout
        assert cutout is not None and cutout.pixels.shape == (33, 33) and cutout.scale == 1.0
        assert abs(float(cutout.pixels.sum()) - 1) < 0.1
        assert np.unravel_index(cutout.pixels.argmax(), (33, 33))[0] in range(12, 21)
        tops.append(float(cutout.pixels.max()))
    assert tops[0] > 2 * tops[1]


def test_an_empty_sky_has_nothing() -> None:
    image, _ = sky(5)
    found = focus_frame(image)
    assert found.stars == 0 and np.isnan(found.size_px) and found.cutout is None and found.discs is None
