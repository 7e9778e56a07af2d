"""The polar axis out of frames: a mount turned by hand on paper, in both hemispheres."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from vigil.polar.attitude import Sighting, attitude, ground_vector
from vigil.polar.axis import NoAxis, axis_of
from vigil.polar.error import PolarError, axis_direction, error_of, refracted_pole_deg, true_pole_deg
from vigil.polar.turning import Frame, left_of, tracked, way_of
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes
from vigil.sky.site import Site
from vigil.sky.tangent import project

AT = datetime(2027, 1, 12, 20, tzinfo=UTC)
NORTH = Site(47.25, 11.0, 800.0, 920.0, 2.0)
SOUTH = Site(-33.0, 150.0, 100.0, 1000.0, 15.0)
ERROR = PolarError(12.0, -25.0)


def sighting(stands: np.ndarray, at: datetime, site: Site) -> Sighting:
    """The frame of a camera that stands so."""

    def icrs(direction: np.ndarray) -> tuple[float, float]:
        lat = np.radians(site.latitude_deg)
        east, north, up = direction / np.linalg.norm(direction)
        dec = np.arcsin(up * np.sin(lat) + north * np.cos(lat))
        hour = np.arctan2(-east, up * np.cos(lat) - north * np.sin(lat))
        ra, declination = unobserve(float(np.degrees(hour)), float(np.degrees(dec)), from_datetimes(at), site)
        return float(ra), float(declination)

    here = icrs(stands[0])
    above = icrs(stands[0] + np.radians(0.05) * stands[1])
    xi, eta = project(*above, *here)
    return Sighting(at, *here, float(np.degrees(np.arctan2(xi, eta)) % 360))


def frames(
    site: Site, error: PolarError, turns: tuple[float, ...] = (30.0, 30.0), from_pole_deg: float = 6.0
) -> list[Sighting]:
    """A camera beside the axis, turned westward about it by so much more than the sky each time, a minute
    apart."""
    axis = axis_direction(error, true_pole_deg(site))
    across = np.cross(axis, [0.3, 0.1, 1.0])
    ahead = Rotation.from_rotvec(np.radians(from_pole_deg) * across / np.linalg.norm(across)).apply(axis)
    up = np.cross(ahead, [0.7, -0.2, 0.4])
    up /= np.linalg.norm(up)
    stands = np.stack([ahead, up, np.cross(ahead, up)])
    made, at = [sighting(stands, AT, site)], AT
    for turn in turns:
        at += timedelta(minutes=1)
        west = -np.sign(site.latitude_deg) * (turn + 15.041067 / 60)
        stands = stands @ Rotation.from_rotvec(np.radians(west) * axis).as_matrix().T
        made.append(sighting(stands, at, site))
    return made


@pytest.mark.parametrize("site", [NORTH, SOUTH])
@pytest.mark.parametrize("turns", [(30.0, 30.0), (-40.0, -35.0), (45.0,)])
@pytest.mark.parametrize("from_pole_deg", [0.2, 8.0])
def test_the_error_comes_out_with_its_sign(
    site: Site, turns: tuple[float, ...], from_pole_deg: float
) -> None:
    found = axis_of(frames(site, ERROR, turns, from_pole_deg), site)
    told = error_of(found, true_pole_deg(site))
    assert told.altitude_arcmin == pytest.approx(12.0, abs=0.01)
    assert told.azimuth_arcmin == pytest.approx(-25.0, abs=0.05), "on the sky; a cosine changes on the way up"
    assert found.turns_deg == pytest.approx([t + 0.2507 for t in turns], abs=0.002) and found.fits


def test_the_refracted_pole_stands_higher() -> None:
    """By 58.3″ · tan(42.75°) · 920/1010 · 283/275 or so (Meeus, Astronomical Algorithms, ch. 16)."""
    altitude, azimuth = refracted_pole_deg(NORTH, from_datetimes(AT))
    raised = 60 * (altitude - 47.25)
    assert raised == pytest.approx(58.3 * np.tan(np.radians(42.75)) * 920 / 1010 * 283 / 275 / 60, rel=0.02)
    assert azimuth == 0.0
    found = axis_of(frames(NORTH, ERROR), NORTH)
    against_true, against_seen = (
        error_of(found, pole)
        for pole in (true_pole_deg(NORTH), refracted_pole_deg(NORTH, from_datetimes(AT)))
    )
    assert against_true.altitude_arcmin - against_seen.altitude_arcmin == pytest.approx(raised, abs=1e-6)


def test_the_stated_error_is_the_true_one() -> None:
    """Over noisy frames: the interval holds the truth as often as it says."""
    rng = np.random.default_rng(4)
    clean, inside, offs = frames(NORTH, ERROR), 0, []
    for _ in range(70):
        noisy = [
            replace(
                s,
                ra_deg=s.ra_deg + rng.normal(0, s.sigma_arcsec) / 3600 / np.cos(np.radians(s.dec_deg)),
                dec_deg=s.dec_deg + rng.normal(0, s.sigma_arcsec) / 3600,
                # the frame's turn against north, which itself turns where right ascension is off
                position_angle_deg=s.position_angle_deg + rng.normal(0, s.sigma_turn_arcsec) / 3600,
            )
            for s in clean
        ]
        told = error_of(axis_of(noisy, NORTH), true_pole_deg(NORTH))
        offs.append((told.altitude_arcmin - 12.0) / told.sigma_altitude_arcmin)
        inside += abs(offs[-1]) < 1.96
    assert 0.88 < inside / 70 <= 1.0 and 0.7 < np.std(offs) < 1.2


def test_a_mount_that_did_not_turn_is_noticed() -> None:
    with pytest.raises(NoAxis, match="did the mount turn"):
        axis_of(frames(NORTH, ERROR, (0.5, 0.5)), NORTH)
    with pytest.raises(NoAxis, match="an axis takes two"):
        axis_of(frames(NORTH, ERROR)[:1], NORTH)
    slipped = frames(NORTH, ERROR)
    slipped[2] = replace(slipped[2], dec_deg=slipped[2].dec_deg - 0.1)
    assert not axis_of(slipped, NORTH).fits, "declination was moved meanwhile"


@pytest.mark.parametrize("site", [NORTH, SOUTH])
def test_a_star_s_way_leads_the_axis_to_the_pole_and_tells_what_is_left(site: Site) -> None:
    stands = attitude(frames(site, ERROR)[0], site)
    frame, star = Frame(stands, 3.0), (200.0, -150.0)
    way = way_of(frame, star, ERROR, site.latitude_deg)
    assert np.hypot(*np.subtract(way.mark, way.star)) * 3 / 60 > 10, "arc-minutes on the frame"
    # the mount turned as the adjusters would turn it: its axis is at the pole then
    south = site.latitude_deg < 0
    azimuth = np.radians(-25.0 / 60) / np.cos(np.radians(site.latitude_deg))
    axis = axis_direction(ERROR, true_pole_deg(site))
    turned = Frame(np.stack([axis, stands[1], stands[2]]), 3.0)
    there = turned.raised(-np.radians(12.0 / 60), azimuth, south).swung(-azimuth, south).attitude[0]
    assert there == pytest.approx(ground_vector(*true_pole_deg(site)), abs=1e-9)


@pytest.mark.parametrize("site", [NORTH, SOUTH])
@pytest.mark.parametrize("slipped_deg", [0.0, -0.4])
def test_what_is_left_follows_from_how_the_camera_stands(site: Site, slipped_deg: float) -> None:
    """Ten minutes later, both adjusters turned a little, in either order, and perhaps a clutch slipped."""
    south, latitude = site.latitude_deg < 0, site.latitude_deg
    stands, axis = attitude(frames(site, ERROR)[0], site), axis_direction(ERROR, true_pole_deg(site))
    later = tracked(stands, axis, 600.0, latitude)
    slip = tracked(later, axis, slipped_deg / 15.041067 * 3600, latitude)
    azimuth = np.radians(-25.0 / 60) / np.cos(np.radians(latitude))
    raised, swung = np.radians(-5.0 / 60), 0.5 * azimuth
    now = Frame(slip, 1.0).raised(raised, azimuth, south).swung(-swung, south)
    told = left_of(later, now.attitude, ERROR, axis, latitude)
    assert told.left.altitude_arcmin == pytest.approx(7.0, abs=0.01)
    assert told.left.azimuth_arcmin == pytest.approx(-12.5, abs=0.01)
    assert told.slipped_deg == pytest.approx(slipped_deg, abs=1e-3)
