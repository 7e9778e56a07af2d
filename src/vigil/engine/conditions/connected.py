"""All devices connected."""

from datetime import datetime

from vigil.engine.activities.connect import Connect
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.view import View


class Connected(Condition):
    name = "connected"

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        states = {
            "camera": view.camera,
            "filter wheel": view.wheel,
            "focuser": view.focuser,
            "mount": view.mount,
        }
        missing = [name for name, state in states.items() if state is None]
        if missing:
            return Check(Standing.NOT_MET, f"not connected: {', '.join(missing)}")
        return Check(Standing.MET, "all devices connected")

    def activity(self, view: View) -> Connect:
        return Connect()
