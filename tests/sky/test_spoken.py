"""Positions as people paste them."""

from datetime import UTC, datetime

import astropy.units as u
import pytest
from astropy.coordinates import TETE, SkyCoord
from astropy.time import Time

from campaigns.oracle import stay_offline
from vigil.sky.angles import separation_deg
from vigil.sky.instants import from_datetimes
from vigil.sky.spoken import looks_like_position, parse_spoken, to_date

MOMENT = datetime(2027, 1, 12, 21, tzinfo=UTC)
NOW = from_datetimes(MOMENT)


@pytest.mark.parametrize(
    "text",
    [
        "05 16 12 +34 27",
        "5h16.2m 34°27'",
        "79.05 34.45",
        "79.05, +34.45",
        "5h16m12s+34d27m",
        "05:16:12 +34:27:00",
        "05 16 12 34 27",
        "RA 05h16m12s Dec +34° 27′ 00″",
        "α=05h16m12s δ=34°27′",
        "(79.05 +34.45) J2000",
        "5h 16.2m 34° 27'",
        "05h16m12s 34d27m",
        "ra: 05:16:12, dec: 34:27:00 ICRS",
    ],
)
def test_every_notation_is_one_place(text: str) -> None:
    spoken = parse_spoken(text, NOW)
    assert (spoken.ra_deg, spoken.dec_deg) == pytest.approx((79.05, 34.45)) and not spoken.of_date
    assert looks_like_position(text)


def test_southern_positions_keep_their_sign() -> None:
    for text in ("05 16 12 -34 27", "05 16 12 −34 27", "5h16m12s -34d27m", "79.05 -34.45", "79.05,-34.45"):
        assert parse_spoken(text, NOW).dec_deg == pytest.approx(-34.45)
    assert parse_spoken("0 0 1 -0 30", NOW).dec_deg == pytest.approx(-0.5)


@pytest.mark.parametrize("mark", ["of date", "JNow", "apparent"])
def test_positions_of_date_are_astropys(mark: str) -> None:
    stay_offline()
    spoken = parse_spoken(f"05 16 12 +34 27 00 {mark}", NOW)
    assert spoken.of_date
    theirs = SkyCoord(79.05 * u.deg, 34.45 * u.deg, frame=TETE(obstime=Time(MOMENT))).icrs
    assert 3600 * separation_deg(spoken.ra_deg, spoken.dec_deg, theirs.ra.deg, theirs.dec.deg) < 0.05
    assert to_date(spoken.ra_deg, spoken.dec_deg, NOW) == pytest.approx((79.05, 34.45), abs=1e-8)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("rubbish", "not a position"),
        ("25h 0m +3", "outside 0…24 h"),
        ("5h16m 97°", "outside −90…"),
        ("5 70 1 +3 0", "0 to below 60"),
    ],
)
def test_what_is_no_position_says_why(text: str, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        parse_spoken(text, NOW)


@pytest.mark.parametrize("text", ["M 31", "NGC 7000", "Sh2-240", "IC 405", "veil"])
def test_names_are_no_positions(text: str) -> None:
    assert not looks_like_position(text)
