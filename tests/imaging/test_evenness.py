"""A disc and a star are even; pieces of several aren't."""

import numpy as np

from vigil.imaging.evenness import evenness

_STAR = (0.0, 6.0), (9.0, 11.0)


def _frame(*discs: tuple[float, float, float]) -> np.ndarray:
    y, x = np.mgrid[:80, :80]
    rng = np.random.default_rng(4)
    frame = rng.normal(100.0, 1.0, (80, 80))
    for row, column, radius in discs:
        frame[np.hypot(y - row, x - column) < radius] += 20.0
    return frame


def test_a_disc_of_its_own_is_even() -> None:
    found = evenness(_frame((40, 40, 8)), 40, 40, *_STAR)
    assert found is not None and found.quarters < 0.05 and found.around < 0.05


def test_the_edge_of_a_larger_disc_is_not() -> None:
    found = evenness(_frame((40, 60, 22)), 40, 40, *_STAR)
    assert found is not None and found.quarters > 0.5


def test_the_middle_of_a_larger_disc_is_lit_all_around() -> None:
    found = evenness(_frame((40, 40, 12)), 40, 40, *_STAR)
    assert found is not None and found.around > 0.8


def test_no_light_is_not_even_and_the_edge_cannot_tell() -> None:
    dark = evenness(100.0 - _frame((40, 40, 8)), 40, 40, *_STAR)
    assert dark is not None and dark.quarters == np.inf
    assert evenness(_frame(), 5, 40, *_STAR) is None
