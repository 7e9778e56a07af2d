"""One hand on the devices: what is refused, what is begun, how it ends."""

import asyncio
import logging
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, replace
from itertools import count
from pathlib import Path
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.documents.hand import ALL, UnknownAction, find_action
from vigil.documents.messages import Deed, Stage
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.arbiter import Arbiter, Lease, Urgency
from vigil.engine.hand import deeds
from vigil.engine.hand.frames import take_frame
from vigil.engine.hand.limits import OutOfLimits, check_limits
from vigil.engine.measuring import MeasuringFailed
from vigil.runtime.workshop import Workshop

log = logging.getLogger(__name__)


class HandRefused(ValueError):
    """What was asked by hand can't be done now; the message says why."""


@dataclass(frozen=True, slots=True)
class Job:
    """Something under way by hand."""

    id: str
    device: str
    action: str
    words: str
    claims: frozenset[str]
    task: "asyncio.Task[None]"


Finished = Callable[[str, str, str, tuple[str, ...]], Awaitable[None]]


class Hand:
    """Works devices for people. `tell` gets every deed's stages, `finished` what is to be recorded."""

    def __init__(
        self,
        kit: Callable[[], Kit],
        workshop: Workshop,
        folder: Path,
        arbiter: Arbiter,
        tell: Callable[[Deed], None],
        finished: Finished,
    ) -> None:
        self._kit = kit
        self._workshop = workshop
        self._folder = folder
        self._arbiter = arbiter
        self._tell = tell
        self._finished = finished
        self._jobs: dict[str, Job] = {}

    @property
    def jobs(self) -> list[Job]:
        """What is under way."""
        return list(self._jobs.values())

    def begin(self, deed_id: str, device: str, action: str, values: dict[str, Any], night: str | None) -> str:
        """Check, then start. Returns in words what begins; raises HandRefused with the reason.

        `night` says why the devices are not free ("a night runs"), or is None.
        """
        try:
            found = find_action(device, action)
            for value in found.values:
                if value.default is not None:
                    values.setdefault(value.name, value.default)
            missing = [value.name for value in found.values if value.name not in values]
            if missing:
                raise HandRefused(f"{device} {found.usage}: {', '.join(missing)} is not given")
            values = {v.name: v.read(_text(values[v.name])) for v in found.values}
            if device == ALL:
                return self._begin_all(deed_id, action, night)
            supervised = self._kit().devices.named(device)
        except (UnknownAction, KeyError, ValueError) as problem:
            raise HandRefused(str(problem.args[0])) from None
        said = " ".join([device, action, *(_text(v) for v in values.values())])
        if action == "stop":
            return self._stop(deed_id, device, said)
        if night is not None:
            raise HandRefused(f"{device}: {night}; hold it first, only stop works meanwhile")
        if action != "connect":
            try:
                supervised.need(action)
                check_limits(self._kit().rig, device, action, values)
            except (DeviceError, OutOfLimits) as problem:
                text = str(problem)
                raise HandRefused(text if text.startswith(device) else f"{device}: {text}") from None
        claims = deeds.CLAIMS.get((device, action), frozenset({device}))
        begun = next((job.words for job in self.jobs if job.claims & claims), None)
        holder = begun or self._arbiter.taken(claims)
        if holder is not None:
            raise HandRefused(f"{device}: busy with {holder}; stop that first")
        self._start(deed_id, device, action, said, claims, self._work(deed_id, device, action, values, said))
        return said

    def _begin_all(self, deed_id: str, action: str, night: str | None) -> str:
        if night is not None:
            raise HandRefused(f"{night}; hold it first")
        devices = self._kit().devices.all()
        does = "disconnect" if action == "disconnect" else "connect"
        wanted = [d.name for d in devices if d.connected != (does == "connect")]
        if not wanted:
            raise HandRefused(f"every device is {does}ed already" if devices else "the rig has no devices")
        free = [name for name in wanted if self._arbiter.taken(frozenset({name})) is None]
        words = f"{does} {', '.join(free)}"
        self._start(deed_id, ALL, action, words, frozenset(free), self._connect_all(deed_id, action, free))
        return words

    def stop_loops(self) -> None:
        """Before a night takes the devices over."""
        for job in self.jobs:
            if job.action == "loop":
                job.task.cancel()

    async def stop_everything(self) -> None:
        """For the end: no work by hand outlives the keeper."""
        tasks = [job.task for job in self.jobs]
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)

    # -- what runs ------------------------------------------------------------------------------------

    def _start(
        self, deed_id: str, device: str, action: str, words: str, claims: frozenset[str], work: Any
    ) -> None:
        task = asyncio.ensure_future(self._carry_out(deed_id, device, action, words, claims, work))
        self._jobs[deed_id] = Job(deed_id, device, action, words, claims, task)

        def ended(done: "asyncio.Task[None]") -> None:
            self._jobs.pop(deed_id, None)
            if done.cancelled():  # before it began: nothing of it has run that could have told
                work.close()
                self._say(deed_id, device, action, words, Stage.STOPPED, "stopped before it began")

        task.add_done_callback(ended)

    async def _carry_out(
        self, deed_id: str, device: str, action: str, words: str, claims: frozenset[str], work: Any
    ) -> None:
        stage, reason, values = Stage.DONE, "", {}
        lease: Lease | None = None
        try:
            async with self._arbiter.claim(claims, words, Urgency.HAND) as lease:
                self._say(deed_id, device, action, words, Stage.BEGUN)
                reason, values = await work
        except asyncio.CancelledError:
            way = lease.gave_way if lease is not None else ""
            stage, reason = Stage.STOPPED, f"gave way: {way}" if way else "stopped"
        except (DeviceError, ActivityFailed, MeasuringFailed, OutOfLimits, OSError) as problem:
            stage, reason = Stage.FAILED, str(problem)
        except Exception as problem:
            log.exception("work by hand failed: %s", words)
            stage, reason = Stage.FAILED, f"an error in Vigil: {problem}"
        finally:
            work.close()
        self._say(deed_id, device, action, words, stage, reason, values)
        await self._finished(device, action, f"{words}: {reason}", deeds.DISTURBS.get(device, ()))

    def _say(
        self,
        deed_id: str,
        device: str,
        action: str,
        words: str,
        stage: Stage,
        reason: str = "",
        values: dict[str, Any] | None = None,
    ) -> None:
        at = self._kit().clock.utcnow()
        self._tell(
            Deed(
                id=deed_id, at=at, device=device, action=action, words=words, stage=stage, reason=reason,
                values=values or {},
            )
        )  # fmt: skip

    async def _work(
        self, deed_id: str, device: str, action: str, values: dict[str, Any], words: str
    ) -> tuple[str, dict[str, Any]]:
        kit = replace(self._kit(), step=self._step_of(deed_id, device, action, words))
        if action == "connect":
            return await deeds.connect(kit, device), {}
        if action == "disconnect":
            return await deeds.disconnect(kit, device), {}
        if action == "take":
            return await self._frame(device, values, None)
        if action == "loop":
            for number in count(1):
                reason, figures = await self._frame(device, values, number)
                figures["number"] = number
                self._say(deed_id, device, action, words, Stage.UNDER_WAY, reason, figures)
        return await deeds.DEEDS[(device, action)](kit, values), {}

    def _step_of(
        self, deed_id: str, device: str, action: str, words: str
    ) -> Callable[[dict[str, Any], str], Awaitable[None]]:
        """Steps of an activity are told as stages of the deed."""

        async def step(values: dict[str, Any], reason: str) -> None:
            self._say(deed_id, device, action, words, Stage.UNDER_WAY, reason, values)

        return step

    async def _frame(
        self, device: str, values: dict[str, Any], number: int | None
    ) -> tuple[str, dict[str, Any]]:
        return await take_frame(self._kit(), self._workshop, self._folder, device, values, number)

    async def _connect_all(self, deed_id: str, action: str, names: list[str]) -> tuple[str, dict[str, Any]]:
        """All in parallel; with "ready" cooling begins while the others still connect."""
        kit, problems = self._kit(), []
        does = deeds.disconnect if action == "disconnect" else deeds.connect
        cooler = kit.rig.camera.cooler if kit.rig.camera else None

        async def one(name: str) -> None:
            try:
                said = await does(kit, name)
                if name == "camera" and action == "ready" and cooler is not None:
                    said += ", " + await deeds.DEEDS[("camera", "cool")](
                        kit, {"set_point_c": cooler.set_point_c}
                    )
                self._say(deed_id, ALL, action, f"{action} all", Stage.UNDER_WAY, said)
            except DeviceError as problem:
                problems.append(str(problem))

        async with asyncio.TaskGroup() as group:
            for name in names:
                group.create_task(one(name))
        if problems:
            raise ActivityFailed("; ".join(problems))
        return f"{', '.join(names)} {'dis' if action == 'disconnect' else ''}connected", {}

    def _stop(self, deed_id: str, device: str, words: str) -> str:
        """Stopping needs no claim: it is what frees a device."""
        kit = self._kit()
        if not kit.devices.named(device).connected:
            raise HandRefused(f"{device}: stop: not connected")
        for job in self.jobs:
            if device in job.claims:
                job.task.cancel()

        async def stopping() -> tuple[str, dict[str, Any]]:
            return await deeds.stop(kit, device), {}

        self._start(deed_id, device, "stop", words, frozenset(), stopping())
        return words


def _text(value: Any) -> str:
    """As people would type it."""
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:.10g}" if isinstance(value, float) else str(value)
