"""Lights: announced, exposed, saved in the background, counted."""

import asyncio
import logging
from collections.abc import Callable, Coroutine
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, Protocol

from vigil.devices.errors import DeviceError, NotConnected
from vigil.devices.protocols import RawFrame
from vigil.documents.events import Kind
from vigil.documents.plan import NightPlan, of_wanted
from vigil.engine.activities.moves import take
from vigil.engine.activityrunner import ActivityRunner
from vigil.engine.arbiter import Mode
from vigil.engine.ending import to_the_end
from vigil.engine.guiding.guided import GuideFigures
from vigil.engine.header import frame_header
from vigil.engine.recorder import NightRecorder
from vigil.engine.saving import FrameToSave, NotSaved, Saver
from vigil.engine.wanted import light_exposure, light_wanted, orders_for
from vigil.files.names import evening_date, frame_path
from vigil.planning.choice import Candidate

log = logging.getLogger(__name__)
_CUT_S = 10.0
_LETS_GO_S = 2.0
"""Who has to move the mount waits so long for the shutter."""
_SAME_S = 0.05

Spawn = Callable[[Coroutine[Any, Any, None]], "asyncio.Task[None]"]


class ExposureGuide(Protocol):
    """What exposures have to do with guiding."""

    def figures(self, begins: datetime, lasts_s: float) -> GuideFigures | None:
        """How well one was guided; None where it wasn't."""
        ...

    def rests_from(self, moment: datetime) -> None:
        """The camera is read out from then on, which some rigs bear no guide frame beside."""
        ...

    def rests_no_more(self) -> None: ...


class Lights:
    """Takes lights for candidates. `trouble` is told when a frame could not go where it belongs; `guide`
    says how well an exposure was guided."""

    def __init__(
        self,
        carrier: ActivityRunner,
        plan: NightPlan,
        recorder: NightRecorder,
        saver: Saver,
        frames_folder: Path,
        trouble: Callable[[str], None],
        guide: ExposureGuide,
    ) -> None:
        self._runner = carrier
        self._plan = plan
        self._recorder = recorder
        self._saver = saver
        self._frames_folder = frames_folder
        self._trouble = trouble
        self._guide = guide
        self._on_the_way: set[str] = set()
        self._cut_because: str | None = None
        self._exposing: asyncio.Task[Any] | None = None
        self._ending: asyncio.Task[None] | None = None
        self._saves: set[asyncio.Task[None]] = set()

    def take_plan(self, plan: NightPlan) -> None:
        """From the next frame on."""
        self._plan = plan

    @property
    def exposing(self) -> bool:
        """Whether a frame is being exposed now."""
        return self._exposing is not None

    def count(self, line_id: str) -> int:
        """Frames of a line that are whole on disk or on their way there."""
        state = self._recorder.state
        on_the_way = sum(
            1 for i in self._on_the_way if i not in state.saved and state.announced[i]["line"] == line_id
        )
        return state.done(line_id) + on_the_way

    async def settle(self) -> None:
        """Until every frame that was taken is on disk."""
        while self._saves:
            await asyncio.wait(self._saves)

    def cut_short(self, because: str) -> None:
        """End the exposure under way: what there is of it is kept as doubtful, or where the camera can't do
        that it is abandoned."""
        if self._exposing is None or self._cut_because is not None:
            return
        self._cut_because = because
        self._ending = asyncio.ensure_future(self._end(self._exposing))

    async def _end(self, exposing: "asyncio.Task[Any]") -> None:
        camera = self._runner.kit().devices.camera
        try:
            if camera is None:
                raise NotConnected("camera: there is none")
            camera.need("end the exposure")
            await camera.do("end the exposure", _CUT_S, lambda c: c.cut_short(), tries=1)
        except DeviceError as problem:
            log.warning("the exposure is abandoned, it could not be ended early: %s", problem)
            exposing.cancel()

    async def take(self, candidate: Candidate, follows: dict[str, Any], spawn: Spawn) -> str | None:
        """One light. Returns what went wrong, or None; saving goes on in a spawned task.

        `follows` says in the announcement when it ends and what comes then. Nobody moves the mount meanwhile:
        who has to may take it, and the exposure ends."""
        words = _words(candidate)
        arbiter = self._runner.arbiter
        async with (
            arbiter.claim({"camera": Mode.USED}, words, yields=self.cut_short, grace_s=_CUT_S),
            arbiter.claim(
                {"mount": Mode.STEADY}, words, yields=self.cut_short, grace_s=_LETS_GO_S, cancels=False
            ),
        ):
            return await self._expose(candidate, words, follows, spawn)

    async def _expose(
        self, candidate: Candidate, words: str, follows: dict[str, Any], spawn: Spawn
    ) -> str | None:
        kit, line = self._runner.kit(), candidate.line
        announced = self._announcement(candidate)
        frame_id = announced["frame_id"]
        exposure = light_exposure(kit.rig, line)
        outcome, reason, problem = "done", words, None
        self._cut_because = None
        ended, arrived = asyncio.Event(), False
        try:
            await self._recorder.record(Kind.EXPOSURE_STARTED, {**announced, **follows}, words)
            self._runner.doing.now(f"exposing {words}", "all conditions are met")
            self._runner.progress.run("exposure", f"exposing {words}", line.exposure_s)
            self._exposing = asyncio.current_task()
            self._guide.rests_from(kit.clock.utcnow() + timedelta(seconds=line.exposure_s))
            frame = await take(kit, exposure, tries=1)
            # from here to the spawned saving nothing is waited for: a frame that has come is kept
            self._exposing, arrived = None, True
            lasted_s, doubtful = frame.exposure.exposure_s, None
            if lasted_s < line.exposure_s - _SAME_S:
                outcome, reason = "short", f"{words}: ended after {lasted_s:.0f} s, {self._cut_because}"
                doubtful = f"{lasted_s:.0f} of {line.exposure_s:g} s: {self._cut_because}"
            else:
                self._on_the_way.add(frame_id)
            save = spawn(self._save(self._taken(candidate, announced, frame, doubtful), ended))
            self._saves.add(save)
            save.add_done_callback(self._saves.discard)
        except asyncio.CancelledError:
            if not arrived:
                outcome, reason = "cancelled", f"{words}: abandoned"
                if self._cut_because:
                    reason += f", {self._cut_because}"
            raise
        except DeviceError as failure:
            outcome, reason, problem = "failed", str(failure), f"exposing: {failure}"
        finally:
            self._exposing = None
            self._guide.rests_no_more()
            self._runner.progress.clear()
            try:
                await self._recorder.record(
                    Kind.EXPOSURE_ENDED, {"frame_id": frame_id, "outcome": outcome}, reason
                )
            finally:
                ended.set()
        return problem

    def _taken(
        self, candidate: Candidate, announced: dict[str, Any], frame: RawFrame, doubtful: str | None
    ) -> FrameToSave:
        kit = self._runner.kit()
        wanted = light_wanted(candidate, kit.rig, self._plan)
        place = wanted.placed
        mount = kit.devices.mount.state if kit.devices.mount else None
        focuser = kit.devices.focuser.state if kit.devices.focuser else None
        rotator = kit.devices.rotator.state if kit.devices.rotator else None
        orders = orders_for(candidate.block, self._plan)
        guided = self._guide.figures(frame.started_at, frame.exposure.exposure_s)
        return FrameToSave(
            image=frame.image,
            header=frame_header(
                announced["frame_id"], frame, wanted, kit.rig, mount, focuser, guided, rotator
            ),
            guided=guided,
            dither_arcsec=self._recorder.state.dither_of(wanted.subject),
            announced=announced,
            started_at=frame.started_at.isoformat(),
            temperature_c=frame.temperature_c,
            focus_position=focuser.position if focuser else None,
            doubtful=doubtful,
            target_deg=self._recorder.state.aim_deg(wanted.subject, place.ra_deg, place.dec_deg),
            wanted_deg=(place.ra_deg, place.dec_deg),
            off_limit_arcmin=orders.target_keep_arcmin if self._looks_at_target() else None,
        )

    def _looks_at_target(self) -> bool:
        return not any(item.name == "on target" and item.off for item in self._plan.conditions)

    def _announcement(self, candidate: Candidate) -> dict[str, Any]:
        """A frame's identity and where it will be, recorded before the shutter opens."""
        kit, line, block = self._runner.kit(), candidate.line, candidate.block
        state, now = self._recorder.state, kit.clock.utcnow()
        serial = len(state.announced) + 1
        exposure = light_exposure(kit.rig, line)
        camera, focuser = kit.devices.camera, kit.devices.focuser
        values = {
            "date": evening_date(now, kit.rig.site.time_zone),
            "time": f"{now:%H%M%S}",
            "target": block.target.name,
            "rig": kit.rig.name,
            "kind": "light",
            "filter": line.filter,
            "exposure": f"{line.exposure_s:g}s",
            "gain": f"g{exposure.gain}",
            "binning": f"{line.binning}x{line.binning}",
            "temperature": f"{camera.state.temperature_c:.1f}C" if camera and camera.state else "",
            "focus": f"f{focuser.state.position}" if focuser and focuser.state else "",
            "number": f"{candidate.number:04d}",
        }
        announced = {frame["path"] for frame in state.announced.values()}
        path = frame_path(
            self._frames_folder, kit.rig.frames.pattern, values, lambda p: str(p) in announced or p.exists()
        )
        return {
            "frame_id": f"{state.night}-{serial:04d}",
            "kind": "light",
            "path": str(path),
            "block": block.id,
            "line": line.id,
            "target": block.target.name,
            "filter": line.filter,
            "exposure_s": line.exposure_s,
            "number": candidate.number,
            "of": None if line.as_long_as_it_lasts else line.count,
        }

    async def _save(self, taken: FrameToSave, ended: asyncio.Event) -> None:
        """Not cut short by anything: a frame that was taken is kept. Its exposure is on record first."""
        trouble: str | None
        try:
            trouble = await to_the_end(self._saved(taken, ended))
        except NotSaved as problem:
            trouble = str(problem)
        finally:
            self._on_the_way.discard(taken.announced["frame_id"])
        if trouble is not None:
            self._trouble(trouble)

    async def _saved(self, taken: FrameToSave, ended: asyncio.Event) -> str | None:
        await ended.wait()
        return await self._saver.save(taken)


def _words(candidate: Candidate) -> str:
    line = candidate.line
    return f"{candidate.block.target.name} · {line.words} · {of_wanted(line, candidate.number)}"
