"""The mount where, by its own word, the target is: near enough to focus and to solve there."""

from datetime import datetime

from vigil.engine.activities.slew import Slew
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.remedy import Do, Remedy
from vigil.engine.view import View
from vigil.sky.angles import separation_deg

ANY_PLACE = "any place will do"
NEAR_DEG = 1.0


class Pointed(Condition):
    name = "pointed"
    place = 110

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        place = view.wanted.place
        if place is None:
            return Check(Standing.MET, ANY_PLACE)
        if view.mount is None:
            return Check(Standing.UNKNOWN, "mount not connected")
        away = float(separation_deg(view.mount.ra_deg, view.mount.dec_deg, place.ra_deg, place.dec_deg))
        gauge = Gauge("mount from target", round(away, 2), NEAR_DEG, "°")
        words = f"the mount says {away:.2f}° from {place.name}"
        return Check(Standing.MET if away <= NEAR_DEG else Standing.NOT_MET, words, (gauge,))

    def remedy(self, view: View) -> Remedy:
        place = view.wanted.placed
        return Do(Slew(place.ra_deg, place.dec_deg, place.name))
