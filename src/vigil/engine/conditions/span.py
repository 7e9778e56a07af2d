"""Dark enough and high enough, from the first photon to the end of the readout."""

from datetime import datetime

from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.remedy import NotBefore, NotNow, Remedy
from vigil.engine.view import View
from vigil.planning.spans import site_time


class InSpan(Condition):
    name = "in its span"
    place = 30
    hard = True

    def remedy(self, view: View) -> Remedy:
        opens, closes = view.wanted.opens, view.wanted.closes
        if opens is not None and view.at < opens:
            return NotBefore(opens, f"opens at {site_time(opens, view.rig)}")
        if closes is None:
            return NotBefore(view.at, "at any time")
        return NotNow(closes, f"no further frame fits before {site_time(closes, view.rig)}")

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        opens, closes = view.wanted.opens, view.wanted.closes
        if opens is None or closes is None:
            return Check(Standing.MET, "at any time")
        spare_min = (closes - end).total_seconds() / 60
        gauge = Gauge("span still open for", round(spare_min, 1), 0.0, "min", at_least=True)
        if start < opens:
            return Check(Standing.NOT_MET, f"opens at {site_time(opens, view.rig)}", (gauge,))
        if view.wanted.may_overrun and start < closes:
            words = f"the last frame may end after {site_time(closes, view.rig)}"
            return Check(Standing.MET, words, (gauge,))
        if end > closes:
            late_s = (end - closes).total_seconds()
            return Check(Standing.NOT_MET, f"another frame would end {late_s:.0f} s late", (gauge,))
        return Check(Standing.MET, f"dark and high enough until {site_time(closes, view.rig)}", (gauge,))
