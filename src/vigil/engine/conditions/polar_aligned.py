"""The mount's polar axis measured tonight, and near enough to the pole."""

import math
from datetime import datetime

from vigil.documents.polar import PolarRecord, record_said
from vigil.engine.activities.polar import AlignPolar
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.remedy import Remedy
from vigil.engine.starlight import under_stars
from vigil.engine.view import View
from vigil.files.names import evening_date


class PolarAligned(Condition):
    name = "polar aligned"
    place = 103

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        within = view.orders.polar_within_arcmin
        if within is None or view.wanted.place is None:
            return Check(Standing.MET, "nobody asks for the polar axis")
        if view.night.polar_accepted:
            return Check(Standing.MET, "left as it is, as somebody wanted")
        record = view.polar
        if record is None or not _tonight(view, record) or record.total_arcmin is None:
            return Check(Standing.NOT_MET, "the polar axis was not measured tonight")
        gauge = Gauge("polar axis", record.total_arcmin, within, "′")
        met = record.total_arcmin <= within
        return Check(Standing.MET if met else Standing.NOT_MET, record_said(record), (gauge,))

    def remedy(self, view: View) -> Remedy:
        orders = view.orders
        within = math.inf if orders.polar_within_arcmin is None else orders.polar_within_arcmin
        return under_stars(view, AlignPolar(within, orders.polar_wait_min, orders.polar_unanswered))


def _tonight(view: View, record: PolarRecord) -> bool:
    zone = view.rig.site.time_zone
    return evening_date(record.at, zone) == evening_date(view.at, zone)
