"""The guider calibrated where that is quick and sure, before the target is slewed to."""

from datetime import datetime

from vigil.engine.activities.guide import CalibrateAway
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.remedy import Remedy
from vigil.engine.starlight import under_stars
from vigil.engine.view import View

_FAR_DEG = 60.0
"""So near a pole right ascension hardly moves a star, and a calibration there takes a quarter of an hour."""


class GuideCalibrated(Condition):
    name = "guide calibrated"
    place = 105

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        place, guided = view.wanted.place, view.guided
        if place is None or guided is None or view.orders.guide_calibrate == "never":
            return Check(Standing.MET, "no guide calibration is asked for")
        if not guided.uncalibrated:
            return Check(Standing.MET, "there is a guide calibration that serves")
        if not view.orders.guide_calibrate_away and abs(place.dec_deg) < _FAR_DEG:
            return Check(Standing.MET, f"calibrated where the target is: {guided.uncalibrated}")
        return Check(Standing.NOT_MET, guided.uncalibrated)

    def remedy(self, view: View) -> Remedy:
        return under_stars(view, CalibrateAway(), skippable=True)
