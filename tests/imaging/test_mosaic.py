"""Colour sensors' frames without their pattern."""

import numpy as np
import pytest

from vigil.imaging.mosaic import luminance


def test_the_pattern_is_gone_everywhere_edges_included() -> None:
    pattern = np.tile(np.array([[300.0, 400.0], [420.0, 250.0]]), (20, 30))
    assert luminance(pattern) == pytest.approx(np.full((40, 60), (300 + 400 + 420 + 250) / 4))


@pytest.mark.parametrize(("row", "column"), [(20, 20), (20, 21), (21, 20), (21, 21)])
def test_a_star_stays_where_it_is(row: int, column: int) -> None:
    image = np.zeros((40, 40), np.uint16)
    image[row, column] = 1600
    smooth = luminance(image)
    rows, columns = np.mgrid[:40, :40]
    assert smooth.sum() == pytest.approx(1600) and smooth[row, column] == 400
    assert (smooth * rows).sum() / 1600 == row and (smooth * columns).sum() / 1600 == column
    # the kernel's own variance: half a pixel each way
    assert (smooth * (rows - row) ** 2).sum() / 1600 == pytest.approx(0.5)
