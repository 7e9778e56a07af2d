"""Ways of the mount: round the sun and the limits, or refused with the number."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from campaigns.demo import demo_rig
from vigil.devices.errors import Refused
from vigil.devices.protocols import MountState, PierSide
from vigil.devices.safemount import SafeMount
from vigil.devices.ways import SUN_CLEARANCE_DEG, Keep, Place, keep_at, sun_at, way, worse
from vigil.runtime.simulated import run_virtual
from vigil.sky.angles import separation_deg, wrap_180
from vigil.sky.horizontal import observe, unobserve
from vigil.sky.instants import from_datetimes

RIG = demo_rig()
NOON, MIDNIGHT = datetime(2027, 6, 12, 11, tzinfo=UTC), datetime(2027, 1, 12, 22, tzinfo=UTC)
WINTER_NOON = Keep(47.25, 5.0, 91.0, (0.0, -21.6))


def least(keep: Keep, places: Sequence[Place]) -> float:
    assert keep.sun is not None
    found = []
    for (ha0, dec0), (ha1, dec1) in pairwise(places):
        for share in np.linspace(0, 1, 300):
            ha = ha0 + share * float(wrap_180(ha1 - ha0))
            found.append(float(separation_deg(ha, dec0 + share * (dec1 - dec0), *keep.sun)))
    return min(found)


@pytest.mark.parametrize(
    ("start", "end", "how"),
    [
        ((-90, 80), (0, -20), "refused"),  # ends beside the sun
        ((-60, -15), (60, -15), "round"),  # passes it
        ((-60, 60), (60, 60), "straight"),
        ((-90, 80), (-90, 10), "straight"),
    ],
)
def test_no_slew_meets_the_sun(start: Place, end: Place, how: str) -> None:
    keep = replace(WINTER_NOON, lowest_deg=-20.0)
    if how == "refused":
        with pytest.raises(Refused, match=r"is 2° from the sun, 20° is the least allowed"):
            way(keep, start, end)
        return
    found = way(keep, start, end)
    assert (len(found) == 1) == (how == "straight") and found[-1] == end
    assert least(keep, [start, *found]) >= SUN_CLEARANCE_DEG - 0.6


@settings(max_examples=150, deadline=None)
@given(
    st.tuples(st.floats(-170, 170), st.floats(-60, 88)),
    st.tuples(st.floats(-170, 170), st.floats(-60, 88)),
    st.floats(-110, 110),
)
def test_a_way_is_found_that_keeps_to_all_limits_or_it_is_refused(
    start: Place, end: Place, sun_ha: float
) -> None:
    keep = Keep(47.25, 5.0, 80.0, (sun_ha, 15.0))
    try:
        found = way(keep, start, end)
    except Refused:
        return
    hours, decs = [], []
    for (ha0, dec0), (ha1, dec1) in pairwise([start, *found]):
        share = np.linspace(0, 1, 300)
        hours.append(ha0 + share * float(wrap_180(ha1 - ha0)))
        decs.append(dec0 + share * (dec1 - dec0))
    ha, dec = np.concatenate(hours), np.concatenate(decs)
    sun, past = keep.near_sun_deg(ha, dec), keep.past_altitude_deg(ha, dec)
    assert sun.max() <= max(0.0, sun[0]) + 0.7, "never nearer to the sun than it began"
    assert past.max() <= max(0.0, past[0]) + 0.7
    assert sun[-1] <= 0.01 and past[-1] <= 0.01


def test_out_of_the_sun_a_tube_may_go_and_not_farther_in() -> None:
    keep = replace(WINTER_NOON, lowest_deg=-20.0)
    assert way(keep, (10.0, -20.0), (-90.0, 80.0), parks=True)
    assert worse(keep, (15.0, -20.0), (12.0, -20.0)) is not None
    assert worse(keep, (15.0, -20.0), (18.0, -20.0)) is None


def test_by_night_only_the_altitudes_count() -> None:
    keep = keep_at(RIG, MIDNIGHT)
    assert keep.sun is None and sun_at(RIG.site.place(), NOON) is not None
    assert way(keep, (-30.0, 40.0), (30.0, 10.0)) == [(30.0, 10.0)]
    with pytest.raises(Refused, match="high, limit 5°"):
        way(keep, (-30.0, 40.0), (100.0, -10.0))
    assert RIG.mount is not None
    low = RIG.model_copy(update={"mount": RIG.mount.model_copy(update={"highest_altitude_deg": 75.0})})
    with pytest.raises(Refused, match="over its limit 75°"):
        way(keep_at(low, MIDNIGHT), (-30.0, 40.0), (0.0, 47.0))
    over = way(keep_at(low, MIDNIGHT), (-40.0, 47.0), (40.0, 47.0))
    assert len(over) > 1, "round the zenith"


class Bare:
    """A mount that goes wherever it is sent, and remembers."""

    def __init__(self, at: datetime, start: Place) -> None:
        ra, dec = unobserve(*start, from_datetimes(at), RIG.site.place().airless())
        self.place, self.went, self.rates = (float(ra), float(dec)), [], []  # type: ignore[var-annotated]

    async def read(self) -> MountState:
        return MountState(*self.place, True, False, False, PierSide.WEST)

    async def slew(self, ra_deg: float, dec_deg: float) -> None:
        self.place = ra_deg, dec_deg
        self.went.append((ra_deg, dec_deg))

    async def park(self) -> None:
        self.went.append("parked")

    async def move_axis(self, axis: int, rate: float) -> None:
        self.rates.append((axis, rate))


def test_every_motion_of_a_mount_keeps_out_of_the_sun() -> None:
    """June noon: the sun stands at +23°, 0 h."""
    site = RIG.site.place().airless()

    def icrs(place: Place) -> tuple[float, float]:
        ra, dec = unobserve(*place, from_datetimes(NOON), site)
        return float(ra), float(dec)

    async def main() -> Any:
        bare = Bare(NOON, (-50.0, 23.0))
        mount = SafeMount(bare, RIG, lambda: NOON)  # type: ignore[arg-type]
        await mount.slew(*icrs((50.0, 23.0)))
        assert len(bare.went) == 2, "round it"
        via = observe(*bare.went[0], from_datetimes(NOON), site)
        assert sun_at(site, NOON) is not None
        assert separation_deg(via.hour_angle_deg, via.dec_deg, *sun_at(site, NOON)) > SUN_CLEARANCE_DEG
        with pytest.raises(Refused, match="from the sun"):
            await mount.slew(*icrs((3.0, 20.0)))
        low = Bare(NOON, (0.0, -5.0))
        await SafeMount(low, RIG, lambda: NOON).park()  # type: ignore[arg-type]
        assert low.went[-1] == "parked" and len(low.went) > 1, "not straight north through it"
        near = Bare(NOON, (22.5, 23.0))
        hand = SafeMount(near, RIG, lambda: NOON)  # type: ignore[arg-type]
        with pytest.raises(Refused, match="this move would pass"):
            await hand.move_axis(0, -1.0)
        await hand.move_axis(0, 1.0)
        await hand.move_axis(0, 0.0)
        assert near.rates == [(0, 1.0), (0, 0.0)]

    run_virtual(main())
