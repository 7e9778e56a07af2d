"""The polar axis measured, and a person asked to turn the adjusters until it is near enough."""

import asyncio
import contextlib
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from vigil.documents.polar import TURNING, AxisWish, CameraName, TurningWish, figures, record_said
from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.engine.guiding.frames import eye_of
from vigil.engine.polar.measure import Measured, measure
from vigil.engine.polar.shelf import keep_polar, kept_polar
from vigil.engine.polar.turning import TurningLoop
from vigil.engine.policy import POLICIES, AfterTries, Policy
from vigil.planning.overheads import POLAR_S
from vigil.polar.adjusters import AdjusterName, Turn, turn_words

_AGAIN, _AS_IT_IS = "measure again", "go on as it is"


@dataclass(frozen=True)
class AlignPolar(Activity):
    """Cut off, the mount tracks where it is; what was measured is on record, and it begins again."""

    KIND = "align polar axis"
    DEVICES = frozenset({"mount", "guide camera", "camera", "filter wheel"})
    DISTURBS = ("pointing",)
    PATIENT = True
    words = "measuring the polar axis"
    expected_s = POLAR_S

    within_arcmin: float
    wait_min: float
    unanswered: str

    @property
    def policy(self) -> Policy | None:
        usual = POLICIES[self.KIND]
        if self.unanswered != "hold":
            return None
        return Policy(usual.tries, usual.pauses_s, AfterTries.HOLD, usual.later_s)

    async def run(self, kit: Kit) -> dict[str, Any]:
        camera: CameraName = "guide" if kit.rig.guide_scale_arcsec_px is not None else "main"
        goes = True
        while True:
            made = await measure(kit, AxisWish(camera=camera, goes=goes), kit.step)
            goes = False
            said = record_said(made.record)
            await kit.step({"polar": figures(made.record)}, said)
            self._keep(kit, made)
            total = made.record.total_arcmin
            if total is None or total <= self.within_arcmin:
                return {"summary": said}
            answer = await self._asked(kit, made, camera)
            if answer == _AS_IT_IS:
                return {"polar_accepted": True, "summary": f"{said}; left as it is, as was wanted"}
            if answer is None and self.unanswered == "hold":
                raise ActivityFailed(f"{said}; nobody has turned the adjusters in {self.wait_min:g} min")
            if answer is None:
                return {"polar_accepted": True, "summary": f"{said}; nobody was there, left as it is"}

    def _keep(self, kit: Kit, made: Measured) -> None:
        folder = kit.tools.kept
        if folder is not None:
            kept = kept_polar(kit.rig, folder)
            keep_polar(kept.model_copy(update={"last": made.record, "stood": made.stood}), kit.rig, folder)

    async def _asked(self, kit: Kit, made: Measured, camera: CameraName) -> str | None:
        """At the adjusters: what is left is told frame by frame meanwhile."""
        record, wait = made.record, timedelta(minutes=self.wait_min)
        ways = (
            ("altitude", record.altitude_arcmin or 0.0),
            ("azimuth", record.azimuth_arcmin or 0.0),
        )
        told = "; ".join(turn_words(name, error) for name, error in ways)  # type: ignore[arg-type]
        words = f"The polar axis is {record.total_arcmin:.1f}′ off: {told}. Turn them (Tune › Polar), then:"
        otherwise = "the night is held" if self.unanswered == "hold" else "it stays as it is"
        kit.progress.run("ask", "waiting for you at the adjusters", wait.total_seconds())

        async def turned(name: AdjusterName, turn: Turn) -> None:
            return None

        loop = TurningLoop(
            kit,
            TurningWish(camera=camera),
            record,
            made.stood,
            kit.step,
            lambda values: kit.tools.sample(TURNING, values),
            turned,
        )
        # where nobody is there to turn anything, in a rehearsal, there is nothing to be watched
        watching = asyncio.create_task(loop.run()) if kit.tools.kept is not None else None
        try:
            async with kit.questions.ask(words, (_AGAIN, _AS_IT_IS), wait, otherwise) as question:
                return await question.wait(kit.clock.utcnow() + wait)
        finally:
            if watching is not None:
                watching.cancel()
                with contextlib.suppress(asyncio.CancelledError, ActivityFailed):
                    await watching
                eye_of(kit).close()
