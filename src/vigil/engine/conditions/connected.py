"""All devices connected."""

from datetime import datetime

from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.engine.activities.connect import Connect
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.remedy import Do, Remedy
from vigil.engine.view import View


class Connected(Condition):
    name = "connected"
    place = 10

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        wanted = [name for name in view.rig.device_names if DEVICE_KINDS[name].needed]
        missing = [name for name in wanted if view.states.get(name) is None]
        if missing:
            return Check(Standing.NOT_MET, f"not connected: {', '.join(missing)}")
        return Check(Standing.MET, "all devices connected")

    def remedy(self, view: View) -> Remedy:
        return Do(Connect(tuple(n for n in view.rig.device_names if view.states.get(n) is None)))
