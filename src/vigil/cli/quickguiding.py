"""Guiding in rehearsals: the star is held where it stands, without a frame every two seconds."""

from pathlib import Path
from typing import Any

from vigil.devices.errors import NotConnected
from vigil.documents.rig import Rig
from vigil.engine.activity import ActivityFailed
from vigil.engine.guiding.calibrating import pier_side_of
from vigil.engine.guiding.guided import Beginning, GuideWork
from vigil.simulator.observatory import SimObservatory, Truth

_LOOK_S, _CALIBRATES_S, _CLOUD_MAG, _MOST_CLOUD_S = 60.0, 240.0, 4.0, 600.0
_FRAMES_TO_CHOOSE, _FRAMES_TO_MOVE = 2, 3
_DEAD_TIME_S = 0.6
"""Of a guide frame: read out, looked at, corrected."""


class QuickGuides:
    """For one observatory; a calibration lasts the night, on its side of the pier where that is asked for."""

    def __init__(self, observatory: SimObservatory) -> None:
        self._truth = observatory.truth
        self._calibrated: set[str] = set()

    def uncalibrated(self, rig: Rig, folder: Path) -> str:
        return "" if self._calibrated else "none was made yet"

    async def calibrate(self, asked: Beginning) -> str:
        await QuickGuiding(asked, self._truth).chosen()
        await asked.kit.clock.sleep(_CALIBRATES_S)
        self._calibrated.add(pier_side_of(asked.kit))
        return "calibrated"

    async def begin(self, asked: Beginning) -> GuideWork:
        work = QuickGuiding(asked, self._truth)
        await work.chosen()
        if not self._calibrated and asked.calibrate == "never":
            raise ActivityFailed("no calibration that is valid: none was made yet")
        of_this_side = asked.calibrate != "on each side" or pier_side_of(asked.kit) in self._calibrated
        if not self._calibrated or not of_this_side or asked.calibrate == "always":
            await asked.tell({}, await self.calibrate(asked))
        await asked.tell({}, "guiding")
        return work


class QuickGuiding:
    """What the mount does meanwhile doesn't show; clouds and cables end it as they would end guiding."""

    def __init__(self, asked: Beginning, truth: Truth) -> None:
        guider = asked.guider_now()
        assert guider is not None, "the rig guides"
        self._asked, self._truth, self._guider = asked, truth, guider
        self._frame_s = guider.exposure_s + _DEAD_TIME_S
        self._settled = False
        self.target_arcsec = (0.0, 0.0)
        self.within_arcsec: float | None = None

    async def chosen(self) -> None:
        """Raises ActivityFailed where no star is seen."""
        self._need_camera()
        await self._asked.kit.clock.sleep(_FRAMES_TO_CHOOSE * self._frame_s)
        if self._clouded():
            raise ActivityFailed("no star to guide by: cloud")

    @property
    def settled(self) -> bool:
        return self._settled

    async def run(self) -> None:
        mount, clock = self._truth.mount, self._asked.kit.clock
        mount.hold_star()
        clouded_s = 0.0
        try:
            while True:
                await clock.sleep(_LOOK_S)
                self._need_camera()
                clouded_s = clouded_s + _LOOK_S if self._clouded() else 0.0
                if clouded_s > _MOST_CLOUD_S:
                    raise ActivityFailed(f"cloud for {clouded_s / 60:.0f} min")
                mount.hold_star()  # where it was knocked to
        finally:
            mount.let_star_go()

    def move(self, to_arcsec: tuple[float, float], words: str, values: dict[str, Any]) -> None:
        was, self.target_arcsec = self.target_arcsec, to_arcsec
        self._settled = False
        self._truth.mount.move_held(to_arcsec[0] - was[0], was[1] - to_arcsec[1])

    async def settle(self) -> bool:
        await self._asked.kit.clock.sleep(_FRAMES_TO_MOVE * self._frame_s + self._guider.settle_dwell_s)
        while self._clouded():
            await self._asked.kit.clock.sleep(_LOOK_S)
        self._settled = True
        return True

    def _clouded(self) -> bool:
        gear = self._truth.gear
        return gear.weather.cloud_mag(gear.clock.utcnow()) > _CLOUD_MAG

    def _need_camera(self) -> None:
        camera = self._asked.kit.devices.named("guide camera")
        if not camera.connected:
            raise NotConnected("guide camera: not connected")
