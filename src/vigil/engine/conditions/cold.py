"""The camera at its set-point."""

from datetime import datetime

from vigil.documents.figures import signed
from vigil.documents.rig.camera import CoolerPart
from vigil.engine.activities.cool import Cool
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.remedy import Do, Remedy
from vigil.engine.view import View


class Cold(Condition):
    name = "camera cold"
    place = 50
    slow = True

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        if view.wanted.set_point_c is None:
            return Check(Standing.MET, "at any temperature")
        if view.camera is None:
            return Check(Standing.UNKNOWN, "camera not connected")
        wanted, within = _set_point_c(view), view.orders.camera_within_c
        off = round(abs(view.camera.temperature_c - wanted), 1)
        gauge = Gauge("off set-point", off, within, "°C")
        words = f"{signed(view.camera.temperature_c, 1)} °C, wanted {signed(wanted, 1)} ± {within:g}"
        cooling = view.camera.set_point_c == wanted
        return Check(Standing.MET if off <= within and cooling else Standing.NOT_MET, words, (gauge,))

    def remedy(self, view: View) -> Remedy:
        cooler = _cooler(view)
        return Do(Cool(_set_point_c(view), view.orders.camera_within_c, cooler.minutes_to_cool))


def _set_point_c(view: View) -> float:
    wanted = view.wanted.set_point_c
    assert wanted is not None, "asked of frames with a set-point only"
    return wanted


def _cooler(view: View) -> CoolerPart:
    assert view.rig.camera is not None and view.rig.camera.cooler is not None, "only asked of cooled cameras"
    return view.rig.camera.cooler
