"""Guiding begun or gone on with, until it has settled."""

from dataclasses import dataclass
from typing import Any

from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.engine.guiding.calibrating import go_to_the_place
from vigil.engine.guiding.guided import Calibrate
from vigil.engine.policy import POLICIES, AfterTries, Policy
from vigil.planning.overheads import CALIBRATE_S, GUIDE_S

_AFTER_TRIES = {
    "go on without": AfterTries.WAIVE,
    "try again later": AfterTries.PUT_OFF,
    "hold": AfterTries.HOLD,
}


@dataclass(frozen=True)
class Guide(Activity):
    """Claims nothing: the guider has a claim of its own, beside whatever else is done. Cut off, guiding goes
    on as it is."""

    KIND = "guide"
    DEVICES = frozenset()
    words = "settling the guiding"
    expected_s = GUIDE_S

    calibrate: Calibrate
    within_arcsec: float | None
    otherwise: str
    """What follows when it doesn't settle."""

    @property
    def policy(self) -> Policy:
        usual = POLICIES[self.KIND]
        return Policy(usual.tries, usual.pauses_s, _AFTER_TRIES[self.otherwise], usual.later_s)

    async def run(self, kit: Kit) -> dict[str, Any]:
        if kit.guider is None:
            raise ActivityFailed(f"{kit.rig.name} has nothing to guide with")
        return {"summary": await kit.guider.settled(self.calibrate, self.within_arcsec)}


@dataclass(frozen=True)
class CalibrateAway(Activity):
    """The guider calibrated near the equator and the meridian, where that is quick and sure. Cut off, the
    last calibration stays in force."""

    KIND = "calibrate guiding"
    DEVICES = frozenset({"mount", "guide camera"})
    DISTURBS = ("pointing",)
    words = "calibrating the guider"
    expected_s = CALIBRATE_S

    async def run(self, kit: Kit) -> dict[str, Any]:
        if kit.guider is None:
            raise ActivityFailed(f"{kit.rig.name} has nothing to guide with")
        await kit.step({}, "going to the calibration place")
        side = await go_to_the_place(kit)
        return {"side": side, "summary": await kit.guider.calibrated_here()}
