"""What a frame's figures say of it."""

from typing import Any

import pytest

from vigil.planning.verdict import Mark, verdict


def frame(**values: Any) -> dict[str, Any]:
    usual = {"hfr_px": 2.0, "stars": 400, "background_adu": 500.0, "elongation": 1.1}
    return {**usual, **values}


BEFORE = [frame() for _ in range(5)]


@pytest.mark.parametrize(
    ("values", "mark", "because"),
    [
        ({}, Mark.GOOD, ""),
        ({"hfr_px": 2.7}, Mark.GOOD, ""),
        ({"hfr_px": 2.8}, Mark.DOUBTFUL, "stars of 2.80 px, before 2.00"),
        ({"stars": 190}, Mark.DOUBTFUL, "190 stars, before 400"),
        ({"stars": 0, "hfr_px": None}, Mark.DOUBTFUL, "no stars"),
        ({"background_adu": 900.0}, Mark.DOUBTFUL, "sky of 900 ADU"),
        ({"elongation": 1.7}, Mark.DOUBTFUL, "1.70 times as long"),
        ({"doubtful": "33 of 60 s: a cloud"}, Mark.UNCOUNTED, "33 of 60 s"),
        ({"doubtful": "33 of 60 s", "verdict": "kept"}, Mark.KEPT, ""),
        ({"verdict": "rejected"}, Mark.REJECTED, ""),
    ],
)
def test_a_frame_is_held_against_those_before(values: dict[str, Any], mark: Mark, because: str) -> None:
    told = verdict(frame(**values), BEFORE)
    assert told.mark is mark and because in told.because and bool(told.because) == bool(because)


def test_two_frames_are_no_measure_and_bad_ones_are_none_either() -> None:
    assert verdict(frame(stars=100), BEFORE[:2]).mark is Mark.GOOD
    bad = [frame(verdict="rejected"), frame(doubtful="short"), frame(stars=0, hfr_px=None)]
    assert verdict(frame(stars=100), bad + BEFORE[:2]).mark is Mark.GOOD
    assert verdict({"filter": "L"}, BEFORE).mark is Mark.PENDING
