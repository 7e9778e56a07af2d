"""The camera at its set-point."""

from datetime import datetime

from vigil.engine.activities.cool import Cool
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.view import View


class Cold(Condition):
    name = "camera cold"
    slow = True

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        if view.camera is None:
            return Check(Standing.UNKNOWN, "camera not connected")
        wanted, within = view.rig.camera.set_point_c, view.plan.orders.camera_within_c
        off = round(abs(view.camera.temperature_c - wanted), 1)
        gauge = Gauge("off set-point", off, within, "°C")
        words = f"{view.camera.temperature_c:.1f} °C, wanted {wanted:.1f} ± {within:g}"
        cooling = view.camera.set_point_c == wanted
        return Check(Standing.MET if off <= within and cooling else Standing.NOT_MET, words, (gauge,))

    def activity(self, view: View) -> Cool:
        camera = view.rig.camera
        return Cool(camera.set_point_c, view.plan.orders.camera_within_c, camera.minutes_to_cool)
