"""Focus fresh: by temperature, by age, and by the stars themselves."""

from datetime import datetime
from statistics import median

from vigil.documents.rig import Rig
from vigil.engine.activities.focus import Focus
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.view import View


class FocusFresh(Condition):
    name = "focus fresh"
    place = 120
    needs_stars = True
    skippable = True

    @classmethod
    def wanted(cls, rig: Rig) -> bool:
        return rig.focuser is not None

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        focus = view.night.focus
        if focus is None:
            return Check(Standing.UNKNOWN, "not focused yet tonight")
        if view.night.refocus_asked:
            return Check(Standing.NOT_MET, "refocusing was asked for by hand")
        if view.focuser is None:
            return Check(Standing.UNKNOWN, "focuser not connected")
        orders = view.plan.orders
        now_c, then_c = view.focuser.temperature_c, focus.temperature_c
        gauges: tuple[Gauge, ...] = ()
        if now_c is not None and then_c is not None:
            colder = round(abs(now_c - then_c), 1)
            gauges = (Gauge("colder or warmer by", colder, orders.focus_colder_by_c, "°C"),)
        gauges += (
            Gauge(
                "since focus",
                round((start - focus.at).total_seconds() / 60, 1),
                orders.focus_every_min,
                "min",
            ),
            Gauge("stars grown by", round(_grown_percent(view), 1), orders.focus_grown_by_percent, "%"),
        )
        if view.night.refocusing_paused:
            return Check(Standing.MET, "refocusing is paused, by hand", gauges)
        for gauge in gauges:
            if gauge.value > gauge.limit:
                words = f"{gauge.words} {gauge.value:g} {gauge.unit}, limit {gauge.limit:g}"
                return Check(Standing.NOT_MET, words, gauges)
        return Check(Standing.MET, f"focused at {focus.position}, {focus.hfr_px:.2f} px", gauges)

    def activity(self, view: View) -> Focus:
        wheel, focuser = view.rig.wheel, view.rig.focuser
        through = wheel.focus_through if wheel else ""
        here = view.focuser.position if view.focuser else focuser.start if focuser else 0
        start = view.focus_position_for(through)
        return Focus(through, here if start is None else start)


def _grown_percent(view: View) -> float:
    """Star size now against just after focusing, through this line's filter; 0 until two frames tell."""
    sizes = [
        light.hfr_px for light in view.night.lights_since_focus if light.filter == view.candidate.line.filter
    ]
    if len(sizes) < 2:
        return 0.0
    return max(0.0, 100 * (median(sizes[-3:]) / sizes[0] - 1))
