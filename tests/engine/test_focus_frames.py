"""How long frames for focusing are exposed, and what is kept of them."""

from dataclasses import replace

import numpy as np
import pytest

from vigil.documents.focusruns import pixels_of
from vigil.engine.focusing.frames import _better_exposure_s, as_text, star_frame
from vigil.imaging.focusframe import Cutout, FocusFrame


def frame(stars: int, found: int, clipped: int = 0) -> FocusFrame:
    return replace(star_frame(2.0, stars), found=found, clipped=clipped)


@pytest.mark.parametrize(
    ("seen", "at_look", "first", "wanted_s"),
    [
        (frame(60, 80), True, True, None),
        (frame(60, 80, clipped=4), True, True, None),  # some bright star always does
        (frame(20, 40, clipped=20), True, True, 4 / 3),
        (frame(4, 6), True, True, 4 * 2**2.3),
        (frame(6, 8), False, False, None),  # enough for a position of a sweep
        (frame(2, 3), False, False, 4 * 2**2.3),
        (frame(7, 9), True, True, 10.0),  # not in many small steps
        (frame(0, 0), True, True, 10.0),
        (frame(0, 0), True, False, None),  # under a cloud more time shows nothing more
    ],
)
def test_shorter_where_much_clips_longer_where_stars_are_few(
    seen: FocusFrame, at_look: bool, first: bool, wanted_s: float | None
) -> None:
    found = _better_exposure_s(4.0, seen, at_look, first)
    assert found == (None if wanted_s is None else pytest.approx(wanted_s))


def test_it_ends_at_the_longest_and_the_shortest() -> None:
    assert _better_exposure_s(30.0, frame(3, 4), True, True) is None
    assert _better_exposure_s(10.0, frame(0, 0), True, True) is None
    assert _better_exposure_s(0.2, frame(2, 40, clipped=30), True, True) is None


def test_a_cut_out_comes_back_from_its_event_nearly_as_it_was() -> None:
    y, x = np.mgrid[-8:9, -8:9]
    pixels = np.exp(-(x**2 + y**2) / 6.0).astype(np.float32)
    pixels /= pixels.sum()
    told = as_text(Cutout(pixels, 2.0))
    assert len(told["pixels"]) < 600
    back, scale = pixels_of(told)
    assert scale == 2.0 and np.abs(back - pixels).max() < 0.01 * pixels.max()
