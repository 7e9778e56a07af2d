"""The mount awake and following the sky."""

from datetime import datetime

from vigil.engine.activities.wake_mount import WakeMount
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.conditions.pointed import ANY_PLACE, NEAR_DEG
from vigil.engine.remedy import Remedy
from vigil.engine.starlight import by_night
from vigil.engine.view import View
from vigil.sky.angles import separation_deg


class Tracking(Condition):
    name = "tracking"
    place = 100

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        place = view.wanted.place
        if place is None:
            return Check(Standing.MET, ANY_PLACE)
        if view.mount is None:
            return Check(Standing.UNKNOWN, "mount not connected")
        if view.mount.parked:
            return Check(Standing.NOT_MET, "parked")
        away = separation_deg(view.mount.ra_deg, view.mount.dec_deg, place.ra_deg, place.dec_deg)
        if not view.mount.tracking and float(away) > NEAR_DEG:
            return Check(Standing.MET, "standing; the slew to the target sets it tracking")
        if not view.mount.tracking:
            return Check(Standing.NOT_MET, "tracking is off")
        return Check(Standing.MET, "tracking")

    def ends_exposure(self, view: View, start: datetime, end: datetime) -> str | None:
        check = self.check(view, start, end)
        return check.words if check.standing is Standing.NOT_MET else None

    def remedy(self, view: View) -> Remedy:
        return by_night(view, WakeMount())
