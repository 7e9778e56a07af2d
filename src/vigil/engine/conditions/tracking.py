"""The mount awake and following the sky."""

from datetime import datetime

from vigil.engine.activities.wake_mount import WakeMount
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.view import View


class Tracking(Condition):
    name = "tracking"

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        if view.mount is None:
            return Check(Standing.UNKNOWN, "mount not connected")
        if view.mount.parked:
            return Check(Standing.NOT_MET, "parked")
        if not view.mount.tracking:
            return Check(Standing.NOT_MET, "tracking is off")
        return Check(Standing.MET, "tracking")

    def activity(self, view: View) -> WakeMount:
        return WakeMount()
