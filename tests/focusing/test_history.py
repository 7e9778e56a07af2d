"""What many runs say together: slopes and offsets with their uncertainty, and when they say nothing."""

import numpy as np
import pytest

from vigil.focusing.history import NoHistory, Run, learn

OFFSETS = {"L": 0.0, "Ha": 31.0, "O3": -9.0}


def runs(count: int, slope: float, seed: int, scatter: float = 6.0, span_c: float = 9.0) -> list[Run]:
    """Of one winter: temperatures falling through the nights, the filters by turns."""
    rng = np.random.default_rng(seed)
    names = list(OFFSETS)
    made = []
    for k in range(count):
        celsius = 4.0 - span_c * rng.random()
        name = names[k % len(names)]
        position = 6000 + OFFSETS[name] + slope * celsius + scatter * rng.standard_normal()
        made.append(Run(round(position), round(celsius, 1), name))
    return made


def test_slopes_of_five_hundred_histories() -> None:
    """Twenty runs each, three in a hundred of them spoilt."""
    rng = np.random.default_rng(3)
    errors, inside = [], 0
    for seed in range(500):
        slope = float(rng.uniform(5, 25) * rng.choice([-1, 1]))
        given = runs(20, slope, seed)
        for k in np.flatnonzero(rng.random(20) < 0.03):
            given[k] = Run(given[k].position + 300, given[k].temperature_c, given[k].filter)
        found = learn(given).slope
        assert found is not None
        errors.append(abs(found.value / slope - 1))
        inside += found.interval[0] <= slope <= found.interval[1]
    assert np.median(errors) <= 0.05
    assert 465 <= inside <= 485


def test_offsets_are_found_while_the_temperature_falls() -> None:
    found = learn(runs(30, -12.0, 4, scatter=3.0), reference="L")
    for name, truth in OFFSETS.items():
        low, high = found.offsets[name].interval
        assert low - 1e-9 <= truth <= high + 1e-9 and found.offsets[name].half < 5
    assert found.offsets["L"].value == 0.0


def test_a_run_that_does_not_belong_is_left_out() -> None:
    given = runs(12, -8.0, 5, scatter=2.0)
    given[7] = Run(given[7].position - 200, given[7].temperature_c, given[7].filter)
    assert learn(given).left_out == (7,)


def test_what_the_runs_do_not_support_is_said() -> None:
    even = learn(runs(12, -8.0, 6, span_c=1.0))
    assert even.slope is None and "°C only" in even.why_no_slope
    none = learn(runs(12, 0.0, 7))
    assert none.slope is None and "don't tell it from none" in none.why_no_slope
    with pytest.raises(NoHistory, match="at least 5"):
        learn(runs(3, -8.0, 8))


def test_offsets_count_from_the_filter_with_most_runs_where_the_reference_has_none() -> None:
    given = [run for run in runs(20, -8.0, 9) if run.filter != "L"]
    found = learn(given, reference="L")
    assert found.offsets["Ha"].value == 0.0 and found.offsets["O3"].value == pytest.approx(-40, abs=12)
