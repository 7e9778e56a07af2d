"""The watch over a night, every second of its time: devices read, losses noticed, limits guarded, and frames
ended that something has spoilt."""

import asyncio
import logging
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from vigil.devices.errors import DeviceError
from vigil.devices.supervised import POLL_S, Rigged
from vigil.documents.events import Kind
from vigil.documents.rig import Rig
from vigil.engine.guarding import LimitGuard
from vigil.engine.lights import Lights
from vigil.engine.outlook import Outlook
from vigil.engine.progress import Progress
from vigil.engine.recorder import Recorder
from vigil.planning.choice import Candidate
from vigil.runtime.clock import Clock

log = logging.getLogger(__name__)

# devices that rest, and can't harm anything by themselves, are looked at every so many times
_RESTING_LOOKS = 5
_EXPOSURE = "exposure"


@dataclass(frozen=True, slots=True)
class Exposing:
    """The frame under way."""

    candidate: Candidate
    start: datetime
    end: datetime


class Watch:
    """By itself it only stops motion and ends frames; what follows is the night's to decide. `at_limit` is
    told when a limit stopped the mount, `unsafe` when the sky no longer is, `wake` set when something was
    lost."""

    def __init__(
        self,
        rig: Rig,
        devices: Rigged,
        clock: Clock,
        recorder: Recorder,
        progress: Progress,
        outlook: Outlook,
        lights: Lights,
        at_limit: Callable[[str], None],
        unsafe: Callable[[], None],
        wake: asyncio.Event,
        look_every_s: float,
    ) -> None:
        self.exposing: Exposing | None = None
        self._rig = rig
        self._devices = devices
        self._clock = clock
        self._recorder = recorder
        self._progress = progress
        self._outlook = outlook
        self._lights = lights
        self._at_limit = at_limit
        self._unsafe = unsafe
        self._was_safe = True
        self._wake = wake
        self._look_every_s = look_every_s
        self._limit = LimitGuard()
        self._worried = ""

    def take_rig(self, rig: Rig) -> None:
        self._rig = rig

    async def keep_on(self) -> None:
        """Until cancelled."""
        looks = 0
        while True:
            await self._clock.sleep(self._look_every_s)
            progress = self._progress
            if progress.topic == _EXPOSURE:
                progress.current = min(progress.current + self._look_every_s, progress.target)
            looks += 1
            every = looks % _RESTING_LOOKS == 0
            lost = await self._read_devices(every)
            await self._guard_limits()
            self._guard_safety()
            if every:
                self._take_temperature()
                await self._watch_exposure()
            for name, reason in lost:
                await self._recorder.record(Kind.DEVICE_LOST, {"device": name}, reason)
                self._wake.set()

    async def _read_devices(self, every: bool) -> list[tuple[str, str]]:
        """Those that were lost, each with the reason."""
        devices = [d for d in self._devices.all() if every or d.restless]
        waiting = [device for device in devices if not device.reads_at_once]
        gone = {device.name for device in devices if device.reads_at_once and await device.poll()}
        if waiting:
            # together: one that hangs must not keep the others from being looked at
            polled = await asyncio.gather(*(device.poll() for device in waiting))
            gone |= {device.name for device, lost in zip(waiting, polled, strict=True) if lost}
        return [(d.name, f"{d.name} lost: {d.fault}; {d.advice}") for d in devices if d.name in gone]

    def _take_temperature(self) -> None:
        focuser = self._devices.focuser
        state = focuser.state if focuser is not None and focuser.connected else None
        if state is not None and state.temperature_c is not None:
            self._outlook.tube.add(self._clock.utcnow(), state.temperature_c)

    async def _watch_exposure(self) -> None:
        """Conditions that are watched while a frame is exposed may end it: what there is of it is kept."""
        if self.exposing is None or self._progress.topic != _EXPOSURE:
            self._worried = ""
            return
        candidate = self.exposing.candidate
        view = self._outlook.view(candidate, self._clock.utcnow())
        for condition in self._outlook.conditions(candidate.block):
            words = condition.ends_exposure(view, self.exposing.start, self.exposing.end)
            if words is None:
                continue
            # a hard one at once; others when they still say so at the next look
            if condition.hard or self._worried == condition.name:
                try:
                    await self._lights.cut_short(words)
                except DeviceError as problem:
                    log.error("the exposure could not be ended: %s", problem)
            self._worried = condition.name
            return
        self._worried = ""

    def _guard_safety(self) -> None:
        safe = self._outlook.unsafe(self._clock.utcnow()) is None
        if self._was_safe and not safe:
            self._unsafe()
        self._was_safe = safe

    async def _guard_limits(self) -> None:
        """A tube that would track past the mount's limit stands still, whatever goes on."""
        mount = self._devices.mount
        if mount is None or mount.state is None or not mount.connected:
            return
        side = self._recorder.state.side
        words = self._limit.crossed(self._rig, mount.state, side, self._clock.utcnow())
        if words is None:
            return
        try:
            await mount.do("stop tracking", POLL_S * 10, lambda m: m.track(False), tries=1)
        except DeviceError as problem:
            # the next second tries again: a guard never ends the night's own watch
            log.error("the mount at its limit would not stop tracking: %s", problem)
            return
        values = {"device": "mount", "guard": "limit"}
        await self._recorder.record_if_possible(Kind.GUARDED, values, words)
        self._at_limit(words)
