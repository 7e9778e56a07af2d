"""The simulated gear beside the train: what it can, what it refuses, what it remembers."""

import asyncio
from pathlib import Path
from typing import Any

import pytest

from campaigns.rigs import example
from vigil.devices.errors import DeviceError, NotConnected, Refused
from vigil.devices.protocols import Exposure, PierSide
from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_value, with_values
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import run_virtual
from vigil.runtime.workshop import Workshop
from vigil.simulator.chip import guide_chip, main_chip
from vigil.simulator.faulty import Faulty
from vigil.simulator.looking import scene_of
from vigil.simulator.observatory import SimObservatory
from vigil.sky.angles import separation_deg, wrap_180

STORK, TERN = example("stork-1600"), example("tern-135")
SMALL = {
    ("camera", "columns"): 256,
    ("camera", "rows"): 256,
    ("guider", "columns"): 256,
    ("guider", "rows"): 256,
}


def at_the_site(main: Any, rig: Rig = STORK, path: Path | None = None) -> Any:
    """Run a coroutine function of (observatory, clock) with every device connected."""

    async def run() -> Any:
        assert rig.simulated is not None
        clock = ScenarioClock(rig.simulated.starts_at)
        sim = SimObservatory(rig, 1, clock, Workshop(0), path)
        for device in sim.devices.named().values():
            await device.connect()
        return await main(sim, clock)

    return run_virtual(run())


def test_the_rig_decides_which_devices_there_are() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        assert set(sim.devices.named()) == set(DEVICE_KINDS)
        sim.take_rig(TERN)
        assert set(sim.devices.named()) == {"camera", "mount"}
        by_hand = with_values(STORK, {("rotator", "by"): "hand", ("wheel", "kind"): "drawer",
                                      ("panel", "dimmed_by"): "person"})  # fmt: skip
        sim.take_rig(by_hand)
        assert set(DEVICE_KINDS) - set(sim.devices.named()) == {"rotator", "filter wheel", "flat panel"}

    at_the_site(main)


def test_nothing_beside_works_without_a_connection() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        devices = sim.devices
        for name, device in devices.named().items():
            await device.disconnect()
            with pytest.raises(NotConnected, match=name):
                await device.read()
        for call in (
            devices.rotator.move_to(10), devices.panel.set_level(5), devices.cover.open(),
            devices.roof.close(), devices.heaters.set_level("secondary mirror", 5),
            devices.power.switch("lamp", True),
        ):  # fmt: skip
            with pytest.raises(NotConnected):
                await call

    at_the_site(main)


def test_the_rotator_turns_at_its_pace_within_its_range_and_turns_the_field() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        rotator, began = sim.devices.rotator, clock.utcnow()
        await rotator.move_to(60)
        assert (clock.utcnow() - began).total_seconds() == pytest.approx(15, abs=0.6)
        assert (await rotator.read()).angle_deg == 60
        with pytest.raises(Refused, match=r"400° is outside its range 0…360°"):
            await rotator.move_to(400)
        turning = asyncio.ensure_future(rotator.move_to(200))
        await clock.sleep(3)
        assert (await rotator.read()).moving
        with pytest.raises(Refused, match="already moving"):
            await rotator.move_to(10)
        await rotator.stop()
        await turning
        assert 60 < (await rotator.read()).angle_deg < 90
        turned, angle = sim.truth.position_angle_deg(), (await rotator.read()).angle_deg
        sim.truth.gear.state.rotator_deg = 0.0
        assert wrap_180(turned - sim.truth.position_angle_deg()) == pytest.approx(angle, abs=0.1)

    at_the_site(main)


def test_the_panel_has_steps_or_only_on_and_off() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        panel = sim.devices.panel
        await panel.set_level(4095)
        assert (await panel.read()).level == 4095
        with pytest.raises(Refused, match="step 4096 does not exist, it has 0 to 4095"):
            await panel.set_level(4096)
        assert (await panel.capabilities()).figures == {"panel.levels": 4095}
        sim.take_rig(with_values(STORK, {("panel", "levels"): 0, ("panel", "highest_level"): None,
                                         ("panel", "lowest_level"): 0}))  # fmt: skip
        assert "on or off only" in (await panel.capabilities()).cannot["level"]
        with pytest.raises(Refused, match="0 to 1"):
            await panel.set_level(2)

    at_the_site(main)


def test_cover_and_roof_take_their_time_and_can_be_stopped() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        roof, cover, began = sim.devices.roof, sim.devices.cover, clock.utcnow()
        assert (await cover.read()).shutter == "closed"
        await cover.open()
        assert (clock.utcnow() - began).total_seconds() == pytest.approx(10, abs=0.6)
        await cover.open()
        assert (clock.utcnow() - began).total_seconds() == pytest.approx(10, abs=0.6), "open already"
        opening = asyncio.ensure_future(roof.open())
        await clock.sleep(5)
        assert (await roof.read()).shutter == "opening"
        await roof.stop()
        await opening
        assert (await roof.read()).shutter == "stopped"
        await roof.open()
        await sim.devices.mount.unpark()
        with pytest.raises(Refused, match="park the mount first"):
            await roof.close()
        sim.take_rig(with_value(STORK, ("roof", "clears_telescope"), True))
        await roof.close()
        assert (await roof.read()).shutter == "closed"

    at_the_site(main)


@pytest.mark.parametrize(
    ("opened", "main_dark", "guide_dark"),
    [((), True, True), (("roof",), True, True), (("roof", "cover"), False, False)],
)  # fmt: skip
def test_a_closed_roof_or_cover_keeps_the_sky_out(
    opened: tuple[str, ...], main_dark: bool, guide_dark: bool
) -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        for name in opened:
            await sim.devices.named()[name].open()  # type: ignore[attr-defined]
        frame = await sim.devices.camera.expose(Exposure(20.0, 100, 50))
        guide = await sim.devices.guide_camera.expose(Exposure(20.0, 100, 20))
        assert bool(frame.image.mean() < 505) is main_dark
        assert bool(guide.image.mean() < 205) is guide_dark, "an off-axis guider looks through the same cover"

    at_the_site(main, with_values(STORK, SMALL))


def test_heaters_and_outlets_by_name() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        devices = sim.devices
        await devices.heaters.set_level("secondary mirror", 35)
        assert (await devices.heaters.read()).levels_percent == {"secondary mirror": 35}
        with pytest.raises(Refused, match="none is called 'nose'; there are secondary mirror"):
            await devices.heaters.set_level("nose", 35)
        with pytest.raises(Refused, match="0 to 100"):
            await devices.heaters.set_level("secondary mirror", 101)
        on = {"mount": True, "camera": True, "heaters": True, "lamp": False}
        assert (await devices.power.read()).on == on
        await devices.power.switch("lamp", True)
        assert (await devices.power.read()).on == {**on, "lamp": True}
        with pytest.raises(Refused, match="no outlet is called 'moon'"):
            await devices.power.switch("moon", True)
        await devices.power.switch("camera", False)
        with pytest.raises(NotConnected, match="camera"):
            await devices.camera.read()

    at_the_site(main)


def test_weather_and_safety_say_when_they_measured() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        air = await sim.devices.weather.read()
        assert air.measured_at == clock.utcnow() and 20 <= air.humidity_percent <= 100
        assert air.wind_m_s >= 0 and 0 <= air.cloud_percent <= 100
        safety = await sim.devices.safety.read()
        assert safety.safe and safety.measured_at == clock.utcnow()

    at_the_site(main)


def test_the_mount_moves_by_hand_parks_where_the_rig_says_and_may_hide_its_side() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        mount = sim.devices.mount
        with pytest.raises(Refused, match="parked, unpark it before moving it"):
            await mount.move_axis(0, 0.1)
        await mount.unpark()
        await mount.slew(79.0, 34.0)
        await mount.move_axis(1, 0.01)
        await clock.sleep(100)
        await mount.move_axis(1, 0.0)
        await clock.sleep(100)
        state = await mount.read()
        assert (state.ra_deg, state.dec_deg) == pytest.approx((79.0, 35.0), abs=0.01)
        await mount.move_axis(0, 0.01)
        await clock.sleep(100)
        await mount.stop()
        assert (await mount.read()).ra_deg == pytest.approx(78.0, abs=0.01), "west is towards smaller RA"
        await mount.park()
        assert (await mount.read()).dec_deg == pytest.approx(88, abs=0.2), "the stored position"
        sim.take_rig(with_value(STORK, ("mount", "reports_pier_side"), False))
        assert (await mount.read()).pier_side is PierSide.UNKNOWN
        assert (await mount.capabilities()).figures["mount.reports_pier_side"] is False

    at_the_site(main)


def test_a_fork_stays_on_its_side() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        mount, turned = sim.devices.mount, []
        await mount.unpark()
        for ra_deg in (79.0, 340.0):
            await mount.slew(ra_deg, 40.0)
            turned.append(sim.truth.position_angle_deg())
        assert abs(wrap_180(turned[1] - turned[0])) < 2
        assert separation_deg(*sim.truth.pointing_deg(), 340.0, 40.0) < 1

    at_the_site(main, TERN)


def test_a_wheel_that_turns_one_way_goes_the_long_way_round() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        began = clock.utcnow()
        await sim.devices.wheel.move_to(7)
        assert (clock.utcnow() - began).total_seconds() == pytest.approx(6 * 1.2)

    at_the_site(main, with_value(STORK, ("wheel", "one_way"), True))


def test_an_uncooled_camera_follows_the_air_and_refuses_to_cool() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        camera = sim.devices.camera
        state = await camera.read()
        air_c = sim.truth.gear.weather.temperature_c(clock.utcnow())
        assert state.temperature_c == pytest.approx(air_c + 6, abs=0.3) and state.cooler_power == 0
        with pytest.raises(DeviceError, match="it has no cooler"):
            await camera.cool(-10)
        assert set((await camera.capabilities()).cannot) == {"cool", "warm", "pulse"}

    at_the_site(main, TERN)


def test_an_aborted_exposure_ends_at_once() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        camera, began = sim.devices.camera, clock.utcnow()
        exposing = asyncio.ensure_future(camera.expose(Exposure(300.0, 100, 50)))
        await clock.sleep(10)
        await camera.abort()
        with pytest.raises(Refused, match="aborted"):
            await exposing
        assert (clock.utcnow() - began).total_seconds() == pytest.approx(10, abs=0.1)
        assert (await camera.read()).activity == "idle"

    at_the_site(main)


def test_main_and_guide_camera_see_the_same_sky_each_through_its_own_optics() -> None:
    async def main(sim: SimObservatory, clock: ScenarioClock) -> None:
        truth = sim.truth
        scenes = [
            scene_of(truth.gear, truth.mount, chip, Exposure(1, 100, 50), clock.utcnow(), 1, -10.0)
            for chip in (main_chip(truth.gear.rig, 100), guide_chip(truth.gear.rig, 100))
        ]
        aims = [scene.aim for scene in scenes]
        apart_deg = separation_deg(aims[0].ra_deg, aims[0].dec_deg, aims[1].ra_deg, aims[1].dec_deg)
        assert 0.005 < apart_deg < 0.5, "the guide scope is screwed on by hand"
        assert scenes[0].scale_arcsec_px == pytest.approx(1.6329, abs=1e-4)
        assert scenes[1].scale_arcsec_px == pytest.approx(4.5837, abs=1e-4)

    at_the_site(main, example("heron-480"))


def test_a_share_of_calls_hangs_the_same_ones_for_a_seed() -> None:
    class Counter:
        async def read(self) -> int:
            return 1

    async def answered(share: float) -> list[bool]:
        clock = ScenarioClock(STORK.simulated.starts_at)  # type: ignore[union-attr]
        rig = with_value(STORK, ("simulated", "times_out"), {"mount": share})
        sim = SimObservatory(rig, 1, clock, Workshop(0))
        device, told = Faulty(Counter(), "mount", sim.truth.gear), []
        for _ in range(400):
            try:
                async with asyncio.timeout(1):
                    told.append(await device.read() == 1)
            except TimeoutError:
                told.append(False)
        return told

    first, again = run_virtual(answered(0.05)), run_virtual(answered(0.05))
    assert first == again and 8 <= first.count(False) <= 34
    assert all(run_virtual(answered(0.0)))
