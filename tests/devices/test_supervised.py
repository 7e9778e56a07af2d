"""Supervision: time-outs with words, losses, lamps; and whatever a driver may throw."""

import asyncio
from typing import Any

import pytest

from vigil.devices.errors import DeviceFault, DeviceTimeout, NotCapable, NotConnected
from vigil.devices.protocols import Capabilities, Devices
from vigil.devices.supervised import Supervised, SupervisedDevices
from vigil.runtime.simulated import run_virtual


class Thing:
    """A device that counts, hangs and fails on demand."""

    def __init__(self) -> None:
        self.value, self.hangs, self.fails = 0, False, False

    async def connect(self) -> None:
        await self._answer()

    async def disconnect(self) -> None:
        await self._answer()

    async def capabilities(self) -> Capabilities:
        return Capabilities({"spin": "it has no motor"})

    async def read(self) -> int:
        await self._answer()
        return self.value

    async def turn(self, to: int) -> str:
        await asyncio.sleep(3)
        await self._answer()
        self.value = to
        return "turned"

    async def _answer(self) -> None:
        if self.hangs:
            await asyncio.sleep(1e9)
        if self.fails:
            raise DeviceFault("thing: broken")


def supervise(main: Any) -> Any:
    async def run() -> Any:
        thing = Thing()
        return await main(thing, Supervised("thing", thing))

    return run_virtual(run())


def test_state_is_fresh_after_each_call() -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        assert device.lamp == "not connected"
        await device.connect()
        assert (device.lamp, device.state) == ("ready", 0)
        turning = asyncio.ensure_future(device.do("turn", 10, lambda t: t.turn(7)))
        await asyncio.sleep(1)
        assert device.lamp == "busy"
        assert await turning == "turned"
        assert (device.lamp, device.state) == ("ready", 7)
        await device.disconnect()
        with pytest.raises(NotConnected, match="thing: turn: not connected"):
            await device.do("turn", 10, lambda t: t.turn(7))

    supervise(main)


def test_a_time_out_says_what_was_expected_and_last_seen() -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        await device.connect()
        thing.value = 5
        await device.refresh()
        thing.hangs = True
        with pytest.raises(DeviceTimeout, match=r"thing: turn to 9 not done within 10 s$"):
            await device.do("turn to 9", 10, lambda t: t.turn(9))
        assert device.lamp == "ready"

    supervise(main)


def test_lost_after_repeated_failures_and_found_again() -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        assert not await device.poll()
        await device.connect()
        thing.fails = True
        assert [await device.poll() for _ in range(4)] == [False, False, True, False]
        assert (device.lamp, device.connected, device.state) == ("fault", False, None)
        assert "broken" in device.fault
        thing.fails = False
        await device.connect()
        assert device.lamp == "ready"

    supervise(main)


def test_one_failed_read_is_nothing() -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        await device.connect()
        for _ in range(5):
            thing.fails = True
            assert not await device.poll()
            thing.fails = False
            assert not await device.poll()
        assert device.connected

    supervise(main)


def test_a_command_that_worked_stays_done_when_the_read_after_it_fails() -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        await device.connect()

        async def turn_then_break(t: Thing) -> str:
            said = await t.turn(3)
            t.fails = True
            return said

        assert await device.do("turn", 10, turn_then_break) == "turned"

    supervise(main)


def test_a_call_that_times_out_is_made_again_and_told() -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        await device.connect()
        told: list[str] = []
        stopped: list[int] = []
        device.recovered = told.append
        thing.hangs = True

        async def stop(t: Thing) -> None:
            stopped.append(1)

        calling = asyncio.ensure_future(device.do("turn to 4", 10, lambda t: t.turn(4), before_again=stop))
        await asyncio.sleep(11)
        assert device.doing == "turn to 4" and stopped == [1]
        thing.hangs = False
        assert await calling == "turned"
        assert told == ["thing: turn to 4 timed out after 10 s, done at try 2"]
        thing.hangs = True
        with pytest.raises(DeviceTimeout):
            await device.do("turn", 10, lambda t: t.turn(5), tries=1)
        assert len(told) == 1

    supervise(main)


def test_a_fault_is_not_tried_again() -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        await device.connect()
        thing.fails = True
        with pytest.raises(DeviceFault):
            await device.do("turn", 10, lambda t: t.turn(1))
        assert device.lamp == "ready", "the poll says when it is lost"

    supervise(main)


def test_what_it_cannot_do_is_refused_before_it_is_asked() -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        with pytest.raises(NotConnected, match="thing: spin: not connected"):
            device.need("spin")
        await device.connect()
        with pytest.raises(NotCapable, match="thing: spin: it has no motor"):
            device.need("spin")
        device.need("turn")

    supervise(main)


def test_a_connection_that_fails_says_what_was_tried() -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        thing.hangs = True
        connecting = asyncio.ensure_future(device.connect())
        await asyncio.sleep(1)
        assert (device.lamp, device.doing) == ("busy", "connecting")
        with pytest.raises(DeviceTimeout, match=r"connect not done within 30 s, tried 2 times"):
            await connecting
        assert device.lamp == "fault" and not device.connected
        thing.hangs = False
        await device.connect()
        assert device.lamp == "ready" and device.fault == ""

    supervise(main)


def test_devices_of_a_changed_rig_keep_what_stays() -> None:
    class Named(Thing):
        pass

    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        first, second = Named(), Named()
        rigged = SupervisedDevices(Devices(camera=first, mount=second))  # type: ignore[arg-type]
        assert rigged.camera is not None and rigged.focuser is None
        await rigged.camera.connect()
        third = Named()
        rigged.renew(Devices(camera=third, focuser=second))  # type: ignore[arg-type]
        assert rigged.camera.connected and rigged.mount is None and rigged.focuser is not None
        assert rigged.lamps() == {"camera": "ready", "focuser": "not connected"}
        third.value = 9
        await rigged.camera.refresh()
        assert rigged.camera.state == 9
        with pytest.raises(KeyError, match="the rig has no roof; it has camera, focuser"):
            rigged.named("roof")

    supervise(main)


@pytest.mark.parametrize(
    "thrown",
    [
        ConnectionResetError(104, "reset by peer"),
        ValueError("bad reply"),
        KeyError("x"),
        asyncio.CancelledError(),
    ],
)
@pytest.mark.parametrize("at_once", [False, True])
def test_whatever_a_driver_throws_is_a_device_error(thrown: BaseException, at_once: bool) -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        await device.connect()

        async def throw(*values: Any) -> None:
            raise thrown

        with pytest.raises(DeviceFault, match="thing: turn failed: "):
            await device.do("turn", 10, throw)
        thing.read = throw  # type: ignore[method-assign]
        if isinstance(thrown, asyncio.CancelledError) and at_once:
            return  # a read that never waits can't be cancelled
        thing.reads_at_once = at_once  # type: ignore[attr-defined]
        assert [await device.poll() for _ in range(3)] == [False, False, True]
        assert "thing: read failed" in device.fault and device.lamp == "fault" and device.last_seen == 0

    supervise(main)


def test_a_cancellation_of_ours_is_none_of_the_drivers() -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        await device.connect()
        task = asyncio.ensure_future(device.do("turn", 10, lambda t: t.turn(1)))
        await asyncio.sleep(1)
        task.cancel()
        with pytest.raises(asyncio.CancelledError):
            await task

    supervise(main)


def test_the_age_of_a_state_is_known() -> None:
    async def main(thing: Thing, device: Supervised[Any, Any]) -> None:
        assert device.age_s == float("inf")
        await device.connect()
        await asyncio.sleep(7)
        assert device.age_s == pytest.approx(7)

    supervise(main)
