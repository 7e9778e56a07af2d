"""Cameras, main and guide: what falls on them is drawn when the exposure ends."""

import asyncio
import math
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from vigil.devices.errors import NotCapable, Refused
from vigil.devices.protocols import CameraState, Capabilities, Exposure, RawFrame
from vigil.documents.scenario import FaultKind
from vigil.simulator.chance import generator
from vigil.simulator.chip import Chip, guide_chip, main_chip
from vigil.simulator.frame.draw import draw
from vigil.simulator.frame.scene import Scene
from vigil.simulator.gear import Gear
from vigil.simulator.looking import MOST_PLACES, scene_of
from vigil.simulator.simmount import SimMount

_DEEPEST_BELOW_AIR_C = 35.0
_NO_COOLER, _NO_PORT = "it has no cooler", "it has no guide port"
_NEVER_S = 1e6
_TORN_SHARE = 0.6
_QUICK_PLACES = 5
_SHORTEST_S = 0.001


class SimCamera:
    """The main camera, or with `guides` the guide camera, which has no cooler."""

    def __init__(self, gear: Gear, mount: SimMount, guides: bool = False) -> None:
        self._gear = gear
        self._mount = mount
        self._guides = guides
        self._name = "guide camera" if guides else "camera"
        self.draws: Callable[[Scene], NDArray[np.uint16]] = draw
        """Makes a frame of its scene; in rehearsals one without pixels."""
        self._activity = "idle"
        self._abort = asyncio.Event()
        self._cut = asyncio.Event()
        self._probe_read = (0, 0.0)
        self.on_frame: Callable[[RawFrame, Scene], None] = lambda frame, scene: None
        """Told of every frame with what it was drawn from."""

    @property
    def _cooled(self) -> bool:
        camera = self._gear.rig.camera
        return not self._guides and camera is not None and camera.cooler is not None

    def _chip(self, gain: int) -> Chip:
        return (guide_chip if self._guides else main_chip)(self._gear.rig, gain)

    async def connect(self) -> None:
        await self._gear.connect(self._name, 3.0)

    async def disconnect(self) -> None:
        self._gear.disconnect(self._name)

    async def capabilities(self) -> Capabilities:
        cannot = {} if self._cooled else {"cool": _NO_COOLER, "warm": _NO_COOLER}
        cannot |= {} if self._guides else {"pulse": _NO_PORT}
        return Capabilities(cannot, self._chip(0).figures)

    async def read(self) -> CameraState:
        gear = self._gear
        gear.need(self._name)
        now = gear.clock.utcnow()
        sensor_c = self.sensor_c(now)
        below = gear.weather.temperature_c(now) - sensor_c
        cooling = self._cooled and gear.state.set_point_c is not None
        power = min(max(below / self._deepest_c, 0.0), 1.0) if cooling else 0.0
        shown_c = round(sensor_c + self._probe_noise_c(int(now.timestamp()) // 10), 1)
        return CameraState(shown_c, gear.state.set_point_c if cooling else None, power, self._activity)

    def _probe_noise_c(self, ten_seconds: int) -> float:
        if ten_seconds != self._probe_read[0]:
            noise_c = float(generator(self._gear.state.seed, "probe", ten_seconds).normal(0, 0.03))
            self._probe_read = ten_seconds, noise_c
        return self._probe_read[1]

    @property
    def _deepest_c(self) -> float:
        gear, camera = self._gear, self._gear.rig.camera
        weak = gear.faults.active(FaultKind.COOLER_WEAK, self._name, gear.minutes(gear.clock.utcnow()))
        if weak is not None:
            return max(1.0, weak.amount)
        cooler = camera.cooler if camera else None
        return cooler.deepest_below_ambient_c if cooler else _DEEPEST_BELOW_AIR_C

    async def cool(self, set_point_c: float | None) -> None:
        gear = self._gear
        gear.need(self._name)
        if not self._cooled:
            raise NotCapable(f"{self._name}: {_NO_COOLER}")
        self.sensor_c(gear.clock.utcnow())
        gear.state.set_point_c = set_point_c
        gear.save()

    def sensor_c(self, now: datetime) -> float:
        """The sensor's temperature, carried on to `now`, which may not lie before what was asked last: a ramp
        with the cooler on, else towards the air; a sensor without a cooler is a little warmer than that."""
        state = self._gear.state
        minutes = max(0.0, (now - state.sensor_at).total_seconds() / 60)
        air_c = self._gear.weather.temperature_c(now)
        if not self._cooled:
            return air_c + 6.0
        if state.set_point_c is None:
            state.sensor_c = air_c + (state.sensor_c - air_c) * math.exp(-minutes / 8)
        else:
            # a cooler can't heat: above the air there is nothing it can hold
            goal = min(max(state.set_point_c, air_c - self._deepest_c), air_c)
            step = self._gear.scenario.camera.cooler_c_per_min * minutes
            state.sensor_c = min(max(goal, state.sensor_c - step), state.sensor_c + step)
        state.sensor_at = now
        return state.sensor_c

    async def pulse(self, direction: str, duration_ms: int) -> None:
        self._gear.need(self._name)
        if not self._guides:
            raise NotCapable(f"{self._name}: {_NO_PORT}")
        await self._mount.pulse_by_port(direction, duration_ms)

    async def abort(self) -> None:
        self._gear.need(self._name)
        self._abort.set()

    async def cut_short(self) -> None:
        gear = self._gear
        gear.need(self._name)
        if gear.faults.active(FaultKind.CANT_END, self._name, gear.minutes(gear.clock.utcnow())):
            raise NotCapable(f"{self._name}: it has no way to end an exposure early")
        if self._activity == "exposing":
            self._cut.set()

    async def expose(self, exposure: Exposure) -> RawFrame:
        gear = self._gear
        gear.need(self._name)
        if self._activity != "idle":
            raise Refused(f"{self._name}: {self._activity}, not ready for another exposure")
        if exposure.exposure_s <= 0:
            raise Refused(f"{self._name}: an exposure of {exposure.exposure_s} s is not possible")
        count = gear.state.next_count(self._name)
        gear.save()
        started_at = gear.clock.utcnow()
        sensor_c = self.sensor_c(started_at)
        chip = self._chip(exposure.gain)
        self._abort.clear()
        self._cut.clear()
        try:
            self._activity = "exposing"
            await self._wait(exposure.exposure_s)
            if self._cut.is_set():
                lasted_s = max((gear.clock.utcnow() - started_at).total_seconds(), _SHORTEST_S)
                exposure = replace(exposure, exposure_s=round(lasted_s, 3))
                self._cut.clear()
            places = MOST_PLACES if self.draws is draw else _QUICK_PLACES
            scene = scene_of(gear, self._mount, chip, exposure, started_at, count, sensor_c, places)
            self._activity = "downloading"
            await self._wait(chip.download_s(exposure.binning) * gear.scenario.camera.download_times)
            minute = gear.minutes(gear.clock.utcnow())
            if gear.faults.hits(FaultKind.FRAME_LOST, self._name, minute, count):
                await self._wait(_NEVER_S)
            image = await gear.workshop.run(self.draws, scene)
        finally:
            self._activity = "idle"
        if gear.faults.hits(FaultKind.FRAME_TORN, self._name, minute, count):
            image = image[: int(_TORN_SHARE * image.shape[0])]
        frame = RawFrame(image, started_at, exposure, round(sensor_c, 1))
        self.on_frame(frame, scene)
        return frame

    async def _wait(self, seconds: float) -> None:
        """Less when it is cut short; raises Refused when the exposure is aborted meanwhile."""
        waits = [
            asyncio.ensure_future(wait)
            for wait in (self._abort.wait(), self._cut.wait(), self._gear.clock.sleep(seconds))
        ]
        try:
            await asyncio.wait(waits, return_when=asyncio.FIRST_COMPLETED)
        finally:
            for wait in waits:
                wait.cancel()
        if self._abort.is_set():
            raise Refused(f"{self._name}: the exposure was aborted")
