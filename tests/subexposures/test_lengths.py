"""How long to expose."""

import numpy as np
import pytest

from campaigns.subexposures import numerical_s, try_case
from vigil.subexposures.advice import (
    Measured,
    advise,
    clipping_s,
    cost_of,
    curve,
    length_of_cost,
    sky_e_s,
    sky_e_s_by_noise,
)


def measured(light: float = 0.5, read: float = 3.0, peaks: tuple[float, ...] = (100.0, 50.0)) -> Measured:
    return Measured(light, read, np.array(peaks), 50_000.0)


def test_known_answer() -> None:
    # R² / (light (1.05² − 1)): 9 / (0.5 × 0.1025)
    assert length_of_cost(0.05, 0.5, 3.0) == pytest.approx(175.61, abs=0.01)
    assert float(cost_of(175.61, 0.5, 3.0)) == pytest.approx(0.05, abs=1e-5)
    assert length_of_cost(0.05, 0.5, 3.0) == pytest.approx(numerical_s(0.5, 3.0, 0.05), rel=1e-6)


def test_what_makes_it_longer() -> None:
    assert length_of_cost(0.05, 0.25, 3.0) == 2 * length_of_cost(0.05, 0.5, 3.0)
    assert length_of_cost(0.05, 0.5, 6.0) == 4 * length_of_cost(0.05, 0.5, 3.0)
    assert length_of_cost(0.05, 0.0, 3.0) == float("inf")
    with pytest.raises(ValueError, match="over 0"):
        length_of_cost(0.0, 0.5, 3.0)


def test_the_sky_by_level_and_by_noise() -> None:
    assert sky_e_s(700, 500, 0.5, 100) == pytest.approx(1.0)
    assert sky_e_s(400, 500, 0.5, 100) == 0.0
    # 100 s of 1 e/s and 3 e of read noise: √109 e
    assert sky_e_s_by_noise(np.sqrt(109) / 0.5, 0.5, 3.0, 100) == pytest.approx(1.0)
    assert sky_e_s_by_noise(1.0, 0.5, 3.0, 100) == 0.0


def test_which_stars_clip() -> None:
    assert clipping_s(measured()) == pytest.approx([50_000 / 100.5, 50_000 / 50.5])
    advice = advise(measured(peaks=(1000.0,)))
    assert advice.many_clip_s == pytest.approx(50_000 / 1000.5)
    assert "clips" in advice.words and advice.clips_s == advice.many_clip_s
    assert "clips" not in advise(measured(peaks=(1.0,))).words
    assert advise(measured(peaks=())).clips_s is None


def test_a_sky_too_dark_for_it_is_said() -> None:
    advice = advise(measured(light=0.01))
    assert advice.exposure_s > 900 and "900 s still" in advice.words
    assert advise(measured(light=0.0)).exposure_s == float("inf")


def test_the_curve() -> None:
    found = curve(measured(), 10, 1000, 5)
    assert found.exposure_s[0] == pytest.approx(10) and found.exposure_s[-1] == pytest.approx(1000)
    assert np.all(np.diff(found.cost) < 0)
    assert found.clipped.tolist() == [0, 0, 0, 0, 2]


def test_a_sample_of_the_campaign() -> None:
    for number in (0, 3):
        assert abs(try_case(number)["off"]) < 0.06
