"""What tonight offers."""

from dataclasses import replace

import numpy as np
import pytest

from campaigns import offers as offers_campaign
from campaigns.demo import demo_rig
from vigil.documents.plan import Span, SunMoment
from vigil.files.deepsky import DeepSkyObject, find_object
from vigil.planning.offer import (
    Weights,
    Wish,
    columns_of,
    dark_times,
    rank,
    surface_mag_arcsec2,
    whole_catalogue,
)
from vigil.planning.tonight import tonight
from vigil.sky.bodies import observe_moon
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_unix

RIG = demo_rig()
AT = RIG.simulated.starts_at
DARK = Span(opens=SunMoment(), minimum_altitude_deg=0)


def made(
    ra: float, dec: float, kind: str = "galaxy", major: float = 30.0, name: str = "X 1"
) -> DeepSkyObject:
    return DeepSkyObject(name, (), "", kind, ra, dec, "Aur", major, major / 2, surface_brightness_mag=22.0)


def offers(*entries: DeepSkyObject, **wish: object):
    return rank(columns_of(entries), RIG, AT, Wish(**{"least_hours": 0.0, **wish})).offers


def test_hours_are_those_of_the_single_object() -> None:
    for name in ("IC 405", "M 42", "M 82"):
        entry = find_object(name)
        (offer,) = offers(entry)
        intervals = tonight(entry.ra_deg, entry.dec_deg, RIG, AT, DARK).intervals
        hours = sum((i.closes - i.opens).total_seconds() for i in intervals) / 3600
        assert offer.hours == pytest.approx(hours, abs=0.1)
    assert not offers(made(80, -80))


def test_size_counts_against_the_frame() -> None:
    small, fits, large, unknown = (offers(made(80, 34, major=size))[0] for size in (3.0, 40.0, 200.0, 0.0))
    assert (small.fit, fits.fit, unknown.fit) == ("small", "in one frame", "size unknown")
    assert large.fit.endswith("panels") and large.panels is not None and max(large.panels) >= 3
    assert fits.score > max(small.score, large.score)


def test_the_moon_takes_from_what_is_near_it() -> None:
    middle = from_unix(float(np.median(dark_times(RIG, AT, "astronomical"))))
    moon = observe_moon(middle, RIG.site.place())
    full = rank(columns_of((made(80, 34),)), RIG, AT)
    assert 0 < full.moon_lit < 1
    ra, dec = unobserve(moon.hour_angle_deg, moon.dec_deg, middle, RIG.site.place())
    near = offers(made(float(ra), float(dec), name="near"))
    if near:
        assert near[0].moon_deg < 15
        assert not offers(made(float(ra), float(dec)), least_moon_deg=40.0)


def test_narrowband_lifts_emission_only() -> None:
    broad = offers(made(80, 34, "emission nebula"))[0]
    narrow = offers(made(80, 34, "emission nebula"), light="narrowband")[0]
    assert narrow.contrast_mag == pytest.approx(broad.contrast_mag + 2.5 * np.log10(300 / 7))
    galaxy = offers(made(80, 34), light="narrowband")[0]
    assert galaxy.contrast_mag == pytest.approx(offers(made(80, 34))[0].contrast_mag)
    assert galaxy.score < offers(made(80, 34))[0].score


def test_filters_leave_out_what_is_not_wished() -> None:
    one, other = made(80, 34, "galaxy", name="A 1"), made(82, 30, "emission nebula", 10.0, "B 2")
    names = lambda **wish: {o.entry.name for o in offers(one, other, **wish)}  # noqa: E731
    assert names() == {"A 1", "B 2"}
    assert names(kinds=frozenset({"galaxy"})) == {"A 1"}
    assert names(least_arcmin=20.0) == {"A 1"} and names(most_arcmin=20.0) == {"B 2"}
    assert names(constellation="Ori") == set()
    shot = rank(columns_of((one, other)), RIG, AT, Wish(not_yet_shot=True), shot=("A 1",))
    assert [o.entry.name for o in shot.offers] == ["B 2"]


def test_weights_change_the_order() -> None:
    long_small, short_fits = made(80, 50, major=2.0, name="long"), made(180, 10, major=40.0, name="short")
    by_time = offers(long_small, short_fits, weights=Weights(3, 0, 0))
    by_size = offers(long_small, short_fits, weights=Weights(0, 3, 0))
    assert by_time[0].entry.name == "long" and by_size[0].entry.name == "short"


def test_the_whole_catalogue_is_ranked_best_first() -> None:
    found = rank(whole_catalogue(), RIG, AT)
    scores = [o.score for o in found.offers]
    assert scores == sorted(scores, reverse=True) and scores[-1] > 0 and scores[0] <= 1
    assert 8000 < found.considered < 18191 and found.dark_h > 10


def test_what_stands_first_is_what_people_photograph() -> None:
    """A sample of the campaign."""
    broad = offers_campaign.offered("heron-480", 1, "broadband")
    line = offers_campaign.offered("heron-480", 1, "narrowband")
    for told in (broad, line):
        assert told["known_by_sight"] >= 36 and told["ties"] == 0
    first = [" ".join(words.split(" ")[1:3]) for words in broad["first"]]
    assert first[0].startswith("C 14") or "M 42" in first[:3]
    for name in ("M 42", "M 31", "NGC 2238", "M 81,"):
        assert any(words.startswith(name.strip(",")) for words in first), name


def test_what_a_picture_of_another_shows_is_no_offer_of_its_own() -> None:
    whole, part, patch = made(80, 34, "emission nebula", 60, "A"), made(80.2, 34, "nebula", 20, "B"), None
    patch = made(80.1, 34.1, "emission nebula", 10, "LBN 1")
    part = replace(part, part_of="A", showpiece=True)
    whole = replace(whole, showpiece=True)
    assert [o.entry.name for o in offers(whole, part, patch)] == ["A"]
    everything = rank(columns_of((whole, part, patch)), RIG, AT, Wish(least_hours=0), each_once=False).offers
    assert {o.entry.name for o in everything} == {"A", "B", "LBN 1"}


def test_without_darkness_nothing_is_offered() -> None:
    north = RIG.model_copy(update={"site": RIG.site.model_copy(update={"latitude_deg": 70.0})})
    summer = AT.replace(month=6, day=21)
    assert rank(whole_catalogue(), north, summer).offers == ()


def test_surface_brightness_is_known_computed_usual_or_unknown() -> None:
    entry = made(0, 0)
    assert surface_mag_arcsec2(entry) == 22.0
    bare = replace(entry, surface_brightness_mag=None, mag=8.0, major_arcmin=10.0, minor_arcmin=10.0)
    assert surface_mag_arcsec2(bare) == pytest.approx(8 + 2.5 * np.log10(np.pi / 4 * 100 * 3600))
    assert surface_mag_arcsec2(replace(bare, kind="open cluster")) == surface_mag_arcsec2(bare)
    # a nebula's magnitude is that of the star within it
    assert surface_mag_arcsec2(replace(bare, kind="emission nebula")) == 24.5
    assert surface_mag_arcsec2(replace(bare, mag=None)) is None
