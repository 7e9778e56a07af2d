"""Angles as people write them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigil.sky.angles import (
    fits_sexagesimal,
    format_dec,
    format_ra,
    parse_dec_deg,
    parse_position_deg,
    parse_ra_deg,
)


@pytest.mark.parametrize(
    "text",
    [
        "05h 16m 12s +34° 27′ 00″",
        "05:16:12 +34:27:00",
        "5 16 12 34 27 0",
        "05h16m12s,34d27m",
        "79.05 +34.45",
        "79.05, 34.45",
        "5.27h +34.45",
    ],
)
def test_positions_in_many_forms(text: str) -> None:
    assert parse_position_deg(text) == pytest.approx((79.05, 34.45), abs=1e-9)


def test_a_declination_just_south_keeps_its_sign() -> None:
    assert parse_dec_deg("-00° 30′") == -0.5
    assert parse_dec_deg("−00:30") == -0.5
    assert format_dec(-0.5) == "−00° 30′ 00″"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("somewhere", "not a position"),
        ("12h 61m 00s +10", "from 0 to below 60"),
        ("25h +10", "outside 0…24 h"),
        ("10h +95", "outside −90…\\+90"),
        ("ten h +10", "not a right ascension"),
        ("", "not a position"),
    ],
)
def test_bad_positions_say_what_is_wrong(text: str, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        parse_position_deg(text)


@given(st.floats(0, 359.9999), st.floats(-90, 90))
def test_written_and_read_again(ra_deg: float, dec_deg: float) -> None:
    ra_text, dec_text = fits_sexagesimal(ra_deg, dec_deg)
    assert abs((parse_ra_deg(ra_text) - ra_deg + 180) % 360 - 180) < 0.01 / 3600 * 15
    assert parse_dec_deg(dec_text) == pytest.approx(dec_deg, abs=0.06 / 3600)
    assert "60" not in format_ra(ra_deg)[4:] and "60" not in format_dec(dec_deg)[5:]
