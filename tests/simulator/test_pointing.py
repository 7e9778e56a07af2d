"""The mount's axes and gears: where the tube looks, against geometry done by hand."""

import math
from typing import Any

import numpy as np
import pytest

from campaigns.demo import quick_rig
from campaigns.rigs import example
from campaigns.shooting import scenario_with, under_the_sky
from vigil.cli.files import scenario_wanted
from vigil.devices.errors import Refused
from vigil.devices.protocols import PierSide
from vigil.documents.scenario.mount import Harmonic
from vigil.runtime.clock import ScenarioClock
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.pointing.axes import AxisErrors, Looks, beside, looks_at, vector
from vigil.simulator.pointing.gears import adjusted_arcmin, periodic_error_arcsec, take_up
from vigil.sky.angles import separation_deg, wrap_180
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

RIG = quick_rig()
PERFECT = scenario_wanted("laboratory")


def tracking(work: Any, hour_angle_deg: float = -20.0, dec_deg: float = 35.0, **changes: Any) -> Any:
    """Run `work(sim, clock, mount)` after a slew to a place, all perfect but for `changes`."""

    async def run(sim: SimObservatory, clock: ScenarioClock) -> Any:
        mount = sim.devices.mount
        await mount.connect()
        await mount.unpark()
        ra, dec = unobserve(hour_angle_deg, dec_deg, from_datetimes(clock.utcnow()), RIG.site.place())
        await mount.slew(float(ra % 360), float(dec))
        return await work(sim, clock, mount)

    return under_the_sky(RIG, scenario_with(PERFECT, **changes), run)


@pytest.mark.parametrize("side", [1, -1])
def test_a_perfect_mount_looks_where_its_encoders_say(side: int) -> None:
    looks = looks_at(np.array([-30.0, 20.0]), np.array([40.0, 70.0]), AxisErrors(47.0, side))
    assert looks.hour_angle_deg == pytest.approx([-30, 20]) and looks.dec_deg == pytest.approx([40, 70])
    assert looks.up_deg == pytest.approx([0, 0] if side == 1 else [180, 180], abs=1e-6)


@pytest.mark.parametrize("latitude_deg", [47.0, -35.0])
def test_an_axis_aimed_too_high_and_too_far_east(latitude_deg: float) -> None:
    pole = math.copysign(90.0, latitude_deg)
    high = looks_at(0.0, pole, AxisErrors(latitude_deg, 1, polar_altitude_deg=1.0))
    up = vector(high.hour_angle_deg, high.dec_deg) @ vector(0.0, latitude_deg)
    assert math.degrees(math.asin(up)) == pytest.approx(abs(latitude_deg) + 1)
    east = looks_at(0.0, pole, AxisErrors(latitude_deg, 1, polar_azimuth_deg=1.0))
    assert abs(east.dec_deg) == pytest.approx(90 - math.cos(math.radians(latitude_deg)), abs=0.01)
    assert east.hour_angle_deg == pytest.approx(-90, abs=1), "east of the meridian"


def test_cone_and_index_errors_change_sign_with_the_side() -> None:
    for side in (1, -1):
        cone = looks_at(10.0, 40.0, AxisErrors(47.0, side, cone_deg=0.1))
        off = (cone.hour_angle_deg - 10) * math.cos(math.radians(40))
        assert off == pytest.approx(-side * 0.1, abs=1e-3)
        index = looks_at(10.0, 40.0, AxisErrors(47.0, side, index_dec_deg=0.2))
        assert index.dec_deg == pytest.approx(40 + side * 0.2)


def test_a_tube_sags_towards_the_ground() -> None:
    looks = looks_at(-60.0, 10.0, AxisErrors(47.0, 1, flexure_deg=0.1))

    def altitude(ha: Any, dec: Any) -> float:
        return math.degrees(math.asin(float(vector(ha, dec) @ vector(0.0, 47.0))))

    before = altitude(-60.0, 10.0)
    sag = before - altitude(looks.hour_angle_deg, looks.dec_deg)
    assert sag == pytest.approx(0.1 * math.cos(math.radians(before)), rel=0.01)


def test_beside_the_tube_is_up_and_to_the_right() -> None:
    looks = looks_at(10.0, 0.0, AxisErrors(47.0, 1))
    there = beside(looks, 0.5, 1.0)
    assert (there.hour_angle_deg, there.dec_deg) == (
        pytest.approx(10.5, abs=1e-3),
        pytest.approx(1, abs=1e-3),
    ), "right is west with north up"


def test_gears() -> None:
    waves = [Harmonic(order=1, amplitude_arcsec=5.0), Harmonic(order=3, amplitude_arcsec=1.0, phase_deg=90)]
    turn_deg = 480 * 15.041067 / 3600
    angles = np.linspace(0, 3 * turn_deg, 600, endpoint=False)
    error = periodic_error_arcsec(angles, 480.0, waves)
    assert error.std() == pytest.approx(math.sqrt((25 + 1) / 2), rel=1e-3)
    assert periodic_error_arcsec(7.0, 480.0, waves) == pytest.approx(
        periodic_error_arcsec(7.0 + turn_deg, 480.0, waves)
    )
    assert [take_up(0.0, drive, 4.0) for drive in (1.0, 3.0, -5.0)] == [0.0, 1.0, -3.0]
    assert adjusted_arcmin(0.2, 0.3, 0.1, 1.0) == 0.0 and adjusted_arcmin(2.0, 0.3, 0.1, -1.0) == 1.8


def test_polar_misalignment_makes_stars_drift_as_the_textbook_says() -> None:
    """At the meridian an azimuth error e moves declination at 15.041″/s · e · cos φ."""

    async def work(sim: SimObservatory, clock: ScenarioClock, mount: Any) -> tuple[float, float]:
        before = sim.truth.pointing_deg()
        await clock.sleep(600)
        after = sim.truth.pointing_deg()
        return after[1] - before[1], separation_deg(*before, *after)

    moved_deg, _ = tracking(
        work, -1.25, 30.0, mount__polar_azimuth_arcmin=10.0, sky__refraction=False, mount__clock_off_s=0.0
    )
    rate = 15.041 * math.radians(10 / 60) * math.cos(math.radians(RIG.site.latitude_deg))
    assert abs(moved_deg) * 3600 == pytest.approx(600 * rate, rel=0.03)
    still = tracking(work, -1.25, 30.0, sky__refraction=False)
    assert still[1] * 3600 < 0.5, "a perfect mount under no air follows the sky"


def test_turned_adjusters_mend_the_axis() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock, mount: Any) -> list[float]:
        offs = []
        for _ in range(2):
            looks = sim.truth.mount.looks(clock.utcnow())
            offs.append(float(looks.dec_deg[0]))
            assert sim.truth.mount.turn_adjusters(0.1, 0.0) == (0.0, 0.0), "it sticks"
            assert sim.truth.mount.turn_adjusters(-30.0, 0.0) == (-30.0, 0.0)
        return offs

    off, mended = tracking(
        work, 0.0, 30.0, mount__polar_altitude_arcmin=30.0, mount__adjuster_jumps=0.0, sky__refraction=False
    )
    assert abs(off - mended) == pytest.approx(0.5, abs=0.01)


def test_pulses_move_by_the_guide_rate_and_play_is_taken_up_first() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock, mount: Any) -> list[float]:
        moves, here = [], sim.truth.pointing_deg()
        for direction in ("west", "north", "north", "south", "south"):
            await mount.pulse(direction, 2000)
            there = sim.truth.pointing_deg()
            moves.append(3600 * float(separation_deg(*here, *there)))
            here = there
        with pytest.raises(Refused, match="no pulse goes 'up'"):
            await mount.pulse("up", 100)
        await mount.pulse("north", 2)
        assert sim.truth.pointing_deg() == pytest.approx(here, abs=2e-6), "too short to be felt"
        await mount.track(False)
        with pytest.raises(Refused, match="does not track"):
            await mount.pulse("west", 500)
        return moves

    moves = tracking(
        work, mount__dec_backlash_arcsec=10.0, sky__refraction=False, mount__pulse_response=(0.9, 1.0)
    )
    step = 0.5 * 15.041067 * 2
    assert moves[0] == pytest.approx(0.9 * step * math.cos(math.radians(35)), rel=0.02)
    assert moves[1] + moves[2] > step - 1 and moves[2] == pytest.approx(step, rel=0.02)
    assert moves[3] == pytest.approx(step - 10, abs=0.3) and moves[4] == pytest.approx(step, rel=0.02)


def test_an_exposure_that_ends_later_knows_where_the_tube_was_before_each_pulse() -> None:
    """Frames are drawn when they end: their stars walk as the pulses came, not as if all had come at once."""

    async def work(sim: SimObservatory, clock: ScenarioClock, mount: Any) -> tuple[float, float]:
        told = []
        for direction in ("west", "north", "south", "south", "east"):
            await clock.sleep(7)
            told.append((clock.utcnow(), vector_of(sim.truth.mount.looks(clock.utcnow()))))
            await mount.pulse(direction, 1000)
        await clock.sleep(7)
        first = told[0][0]
        later_s = np.array([(at - first).total_seconds() for at, _ in told])
        again = sim.truth.mount.looks(first, later_s)
        ways = [apart(vector_of(again.at(k)), was) for k, (_, was) in enumerate(told)]
        return max(ways), apart(told[0][1], told[2][1])

    def apart(one: Any, other: Any) -> float:
        """On the turning sky as the site sees it, arc-seconds."""
        return 3600 * math.degrees(2 * math.asin(float(np.linalg.norm(one - other)) / 2))

    def vector_of(looks: Looks) -> Any:
        return vector(looks.hour_angle_deg[0], looks.dec_deg[0])

    missed, walked = tracking(work, mount__dec_backlash_arcsec=4.0, sky__refraction=False)
    assert missed < 0.1 and walked > 3


def test_a_mount_whose_clock_is_off_points_beside_by_that_time() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock, mount: Any) -> float:
        believed = await mount.read()
        assert (await mount.capabilities()).clock_off_s == 20.0
        return float(wrap_180(sim.truth.pointing_deg()[0] - believed.ra_deg))

    off_deg = tracking(work, sky__refraction=False, mount__clock_off_s=20.0)
    assert abs(off_deg) * 3600 == pytest.approx(20 * 15.041, rel=0.01)


def test_a_tube_that_tracks_on_hits_the_pier_and_stays_lost() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock, mount: Any) -> None:
        here = sim.truth.pointing_deg()
        await clock.sleep(9 * 60)
        assert not sim.truth.mount.at_the_pier(clock.utcnow())
        await clock.sleep(11 * 60)
        assert sim.truth.mount.at_the_pier(clock.utcnow())
        assert (await mount.read()).tracking, "it reports nothing"
        drifted = wrap_180(sim.truth.pointing_deg()[0] - here[0])
        # from not quite 4 min before the meridian to 8 min after it; then it stands, for over 8 min
        assert 8.0 < drifted * 4 < 9.0
        await mount.slew(here[0], here[1] + 1)
        lost = wrap_180(sim.truth.pointing_deg()[0] - here[0])
        assert 8.0 < lost * 4 < 9.5, "lost steps stay until a solve"
        assert (await mount.read()).pier_side is PierSide.EAST

    tracking(work, -1.0, 35.0, mount__hits_pier_after_min=8.0, sky__refraction=False)


def test_a_slew_swings_out_and_scatters() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock, mount: Any) -> list[tuple[float, float]]:
        state, now = sim.truth.gear.state, clock.utcnow()
        assert state.arrived is not None
        early = sim.truth.mount.looks(state.arrived)
        late = sim.truth.mount.looks(now)
        return [(float(x.hour_angle_deg[0]), float(x.dec_deg[0])) for x in (early, late)]

    early, late = tracking(work, mount__settle_arcsec=40.0, mount__settle_s=0.5)
    assert abs(early[1] - late[1]) * 3600 == pytest.approx(0.8 * 40, rel=0.1)


def test_a_mount_of_few_rates_takes_the_nearest() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock, mount: Any) -> float:
        before = (await mount.read()).dec_deg
        await mount.move_axis(1, 10 * 15.041067 / 3600)
        await clock.sleep(10)
        await mount.stop()
        return float((await mount.read()).dec_deg - before)

    moved = tracking(work, mount__own_rates=[1.0, 16.0])
    assert moved == pytest.approx(16 * 15.041067 / 3600 * 10, rel=0.01)


def test_a_mount_that_tells_no_side_and_a_mirror_that_flops() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock) -> tuple[Any, Any]:
        mount = sim.devices.mount
        await mount.connect()
        await mount.unpark()
        for hour_angle in (-30.0, 30.0):
            at = from_datetimes(clock.utcnow())
            ra, dec = unobserve(hour_angle, 40.0, at, stork.site.place())
            await mount.slew(float(ra % 360), float(dec))
        return (await mount.read()).pier_side, sim.truth.gear.state.mirror_arcsec

    stork = example("stork-1600")
    moves = stork.telescope.model_copy(update={"mirror_moves": True})
    stork = stork.model_copy(update={"telescope": moves})
    side, mirror = under_the_sky(stork, scenario_with(PERFECT, mount__tells_pier_side=False), work)
    assert side is PierSide.UNKNOWN
    assert math.hypot(*mirror) > 1
