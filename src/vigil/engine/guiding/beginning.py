"""Guiding begun: stars chosen, a calibration found or made, the loop."""

from pathlib import Path

from vigil.documents.rig import Rig
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.guiding.bench import guide_frames
from vigil.engine.guiding.calibrating import Made, calibrate
from vigil.engine.guiding.frames import GuideFrames
from vigil.engine.guiding.guided import Beginning, Calibrate, Tell
from vigil.engine.guiding.loop import Found, GuideLoop
from vigil.engine.guiding.shelf import as_it_serves, keep, valid, why_none


async def calibration_for(
    kit: Kit, folder: Path, frames: GuideFrames, wanted: Calibrate, tell: Tell, step: Tell | None = None
) -> Found:
    """The one that is kept, where it is true and that is wanted, else a new one. Raises ActivityFailed."""
    if wanted != "always":
        found, why = valid(kit, folder, frames.binning, mirrors=wanted != "on each side")
        if found is not None:
            return found, (0.0, 0.0)
        if wanted == "never":
            raise ActivityFailed(f"no calibration that is valid: {why}")
        await tell({}, f"calibrating: {why}")
    return await made_anew(kit, folder, frames, tell, step)


async def made_anew(
    kit: Kit, folder: Path, frames: GuideFrames, tell: Tell, step: Tell | None = None
) -> Found:
    """`step` hears of each move, `tell` how it ends. Raises ActivityFailed."""
    try:
        made = await _good_one(kit, folder, frames, step or tell)
    except BaseException:  # cut off, or of no use
        await tell({"disturbed": ["pointing"]}, "calibrating has left the mount beside its place")
        raise
    await tell({}, "; ".join(made.judged.words))
    return as_it_serves(kit, made.calibration), made.left_px


async def _good_one(kit: Kit, folder: Path, frames: GuideFrames, step: Tell) -> Made:
    """Made, and kept where it is of use. Raises ActivityFailed."""
    made = await calibrate(kit, frames, step)
    if not made.judged.good:
        raise ActivityFailed(f"the calibration is of no use: {'; '.join(made.judged.words)}")
    keep(kit, folder, made)
    return made


class FrameGuides:
    """With frames of the guide camera."""

    def uncalibrated(self, rig: Rig, folder: Path) -> str:
        return why_none(rig, folder)

    async def calibrate(self, asked: Beginning) -> str:
        frames = guide_frames(asked.kit, asked.folder, None, 1)
        await frames.choose()
        made = await _good_one(asked.kit, asked.folder, frames, _shown(asked.kit))
        return "; ".join(made.judged.words)

    async def begin(self, asked: Beginning) -> GuideLoop:
        kit = asked.kit
        frames = guide_frames(kit, asked.folder, None, 1)
        choice = await frames.choose()

        async def again() -> Found:
            return await made_anew(kit, asked.folder, frames, asked.tell, _unseen)

        calibration, left_px = await calibration_for(
            kit, asked.folder, frames, asked.calibrate, asked.tell, _shown(kit)
        )
        loop = GuideLoop(
            kit,
            frames,
            calibration,
            asked.tell,
            asked.sampled,
            None if asked.calibrate == "never" else again,
            asked.guider_now,
            recent=asked.recent,
            rest=asked.rest,
        )
        loop.begin_at(left_px)
        stars = len(choice.stars)
        await asked.tell({"stars": stars}, f"guiding by {stars} star{'s' * (stars != 1)}")
        return loop


def _shown(kit: Kit) -> Tell:
    """Moves of a calibration are no events of a night, only its progress."""

    async def shown(values: dict[str, object], words: str) -> None:
        kit.progress.run("guide", words, 0.0)

    return shown


async def _unseen(values: dict[str, object], words: str) -> None:
    """While a frame is exposed, whose progress is shown."""
