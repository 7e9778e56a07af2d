"""Lights: announced, exposed, saved in the background, counted."""

import asyncio
from collections.abc import Callable, Coroutine
from pathlib import Path
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.devices.protocols import Exposure
from vigil.documents.events import Kind
from vigil.documents.plan import ExposureLine, of_wanted
from vigil.documents.rig import Rig
from vigil.engine.activities.moves import take
from vigil.engine.carrying import Carrier
from vigil.engine.ending import to_the_end
from vigil.engine.header import light_header
from vigil.engine.recorder import Recorder
from vigil.engine.saving import NotSaved, Saver, Taken
from vigil.files.names import evening_date, frame_path
from vigil.planning.choice import Candidate

_CUT_S = 10.0
_SAME_S = 0.05

Spawn = Callable[[Coroutine[Any, Any, None]], "asyncio.Task[None]"]


def light_exposure(rig: Rig, line: ExposureLine) -> Exposure:
    """A line's exposure."""
    return Exposure(line.exposure_s, *line.settings_on(rig), line.binning)


class Lights:
    """Takes lights for candidates. `trouble` is told when a frame could not go where it belongs."""

    def __init__(
        self,
        carrier: Carrier,
        recorder: Recorder,
        saver: Saver,
        frames_folder: Path,
        trouble: Callable[[str], None],
    ) -> None:
        self._carrier = carrier
        self._recorder = recorder
        self._saver = saver
        self._frames_folder = frames_folder
        self._trouble = trouble
        self._on_the_way: set[str] = set()
        self._cut_because: str | None = None
        self._saves: set[asyncio.Task[None]] = set()

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

    async def cut_short(self, because: str) -> None:
        """End the exposure under way; its frame is kept as doubtful. Raises DeviceError."""
        camera = self._carrier.kit().devices.camera
        if camera is None or self._cut_because is not None:
            return
        self._cut_because = because
        await camera.do("end the exposure", _CUT_S, lambda c: c.cut_short(), tries=1)

    async def take(self, candidate: Candidate, follows: dict[str, Any], spawn: Spawn) -> str | None:
        """One light. Returns what went wrong, or None; saving goes on in a spawned task.

        `follows` says in the announcement when it ends and what comes then.
        """
        kit, line = self._carrier.kit(), candidate.line
        announced = self._announcement(candidate)
        frame_id = announced["frame_id"]
        target = candidate.block.target
        words = f"{target.name} · {line.words} · {of_wanted(line, candidate.number)}"
        exposure = light_exposure(kit.rig, line)
        async with self._carrier.arbiter.claim(frozenset({"camera"}), words):
            outcome, reason, problem = "done", words, None
            self._cut_because = doubtful = None
            try:
                await self._recorder.record(Kind.EXPOSURE_STARTED, {**announced, **follows}, words)
                self._carrier.doing.now(f"exposing {words}", "all conditions are met")
                self._carrier.progress.begin("exposure", f"exposing {words}", 0, line.exposure_s, "s")
                frame = await take(kit, exposure, tries=1)
                lasted_s = frame.exposure.exposure_s
                if lasted_s < line.exposure_s - _SAME_S:
                    outcome, reason = "short", f"{words}: ended after {lasted_s:.0f} s, {self._cut_because}"
                    doubtful = f"{lasted_s:.0f} of {line.exposure_s:g} s: {self._cut_because}"
                else:
                    self._on_the_way.add(frame_id)
            except asyncio.CancelledError:
                outcome, reason = "cancelled", f"{words}: abandoned"
                raise
            except DeviceError as failure:
                outcome, reason, problem = "failed", str(failure), f"exposing: {failure}"
            finally:
                self._carrier.progress.clear()
                await self._recorder.record(
                    Kind.EXPOSURE_ENDED, {"frame_id": frame_id, "outcome": outcome}, reason
                )
        if problem is None:
            mount = kit.devices.mount.state if kit.devices.mount else None
            focuser = kit.devices.focuser.state if kit.devices.focuser else None
            taken = Taken(
                image=frame.image,
                header=light_header(frame_id, frame, candidate, kit.rig, mount, focuser),
                announced=announced,
                started_at=frame.started_at.isoformat(),
                temperature_c=frame.temperature_c,
                focus_position=focuser.position if focuser else None,
                doubtful=doubtful,
                target_deg=self._recorder.state.aim_deg(candidate.block.id, target.ra_deg, target.dec_deg),
            )
            save = spawn(self._save(taken))
            self._saves.add(save)
            save.add_done_callback(self._saves.discard)
        return problem

    def _announcement(self, candidate: Candidate) -> dict[str, Any]:
        """A frame's identity and where it will be, recorded before the shutter opens."""
        kit, line, block = self._carrier.kit(), candidate.line, candidate.block
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

    async def _save(self, taken: Taken) -> None:
        """Not cut short by anything: a frame that was taken is kept."""
        try:
            trouble = await to_the_end(self._saver.save(taken))
        except NotSaved as problem:
            trouble = str(problem)
        finally:
            self._on_the_way.discard(taken.announced["frame_id"])
        if trouble is not None:
            self._trouble(trouble)
