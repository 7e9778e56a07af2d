"""Guiding settled: the guide star stands where it belongs, to within the plan's limit."""

from datetime import datetime

from vigil.engine.activities.guide import Guide
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.guiding.guided import Guided, GuideStanding
from vigil.engine.remedy import Remedy
from vigil.engine.starlight import under_stars
from vigil.engine.view import View

_OVER_MIN_S = 5.0


class GuidingSettled(Condition):
    name = "guiding settled"
    place = 170

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        guided = view.guided
        if view.wanted.place is None:
            return Check(Standing.MET, "guiding isn't asked for")
        if guided is None:
            return Check(Standing.UNKNOWN, "nothing guides yet")
        gauges = _gauges(guided)
        if guided.standing is not GuideStanding.SETTLED:
            return Check(Standing.NOT_MET, guided.words, gauges)
        if any(not gauge.kept for gauge in gauges):
            return Check(Standing.NOT_MET, guided.words, gauges)
        return Check(Standing.MET, guided.words, gauges)

    def ends_exposure(self, view: View, start: datetime, end: datetime) -> str | None:
        """Where the plan wants that: not for one gust, but for what lasts."""
        guided, limit = view.guided, view.orders.guide_error_arcsec
        if guided is None or limit is None:
            return None
        over_s = guided.over_s(limit)
        if over_s < max(view.orders.guide_error_s, _OVER_MIN_S):
            return None
        return f"guiding was off by more than {limit:g}″ for {over_s:.0f} s"

    def remedy(self, view: View) -> Remedy:
        orders = view.orders
        activity = Guide(orders.guide_calibrate, orders.guide_within_arcsec, orders.guide_unsettled)
        return under_stars(view, activity, skippable=True)


def _gauges(guided: Guided) -> tuple[Gauge, ...]:
    if guided.error_arcsec is None or guided.within_arcsec is None:
        return ()
    error, within = round(guided.error_arcsec, 2), round(guided.within_arcsec, 2)
    return (Gauge("guide star off", error, within, "″"),)
