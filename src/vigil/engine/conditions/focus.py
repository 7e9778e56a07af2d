"""Focus fresh: by temperature, by age, and by the stars themselves."""

from collections.abc import Sequence
from datetime import datetime
from functools import lru_cache
from itertools import combinations
from statistics import median

from vigil.documents.night import FocusRecord
from vigil.engine.activities.focus import Focus
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.focusing.elsewhere import RicherField, richer_field
from vigil.engine.remedy import Remedy
from vigil.engine.starlight import under_stars
from vigil.engine.view import View
from vigil.focusing.weigh import Known, Weighed, weigh
from vigil.planning.overheads import usual_overheads
from vigil.planning.usual import size_after_focus

_REFUSED_BEFORE_ELSEWHERE = 2
"""Refused so often in a row, a run begins at the last good position."""


class FocusFresh(Condition):
    name = "focus fresh"
    place = 120

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        focus = view.night.focus
        if focus is None:
            return Check(Standing.UNKNOWN, "not focused yet tonight")
        if view.night.refocus_asked:
            return Check(Standing.NOT_MET, "refocusing was asked for by hand")
        if view.focuser is None:
            return Check(Standing.UNKNOWN, "focuser not connected")
        gauges = _gauges(view, focus, start)
        if view.night.refocusing_paused:
            return Check(Standing.MET, "refocusing is paused, by hand", gauges)
        orders, wanted = view.orders, view.wanted
        if orders.focus_at_new_target and wanted.place is not None and focus.block != wanted.subject:
            return Check(Standing.NOT_MET, f"a new target: {wanted.place.name}", gauges)
        if orders.focus_at_filter_change and focus.filter != wanted.filter:
            return Check(Standing.NOT_MET, f"another filter: {wanted.filter}", gauges)
        for gauge in gauges:
            if not gauge.kept:
                value = f"{gauge.value:g} {gauge.unit}".rstrip()
                words = f"{gauge.words} {value}, limit {gauge.limit:g}"
                return Check(Standing.NOT_MET, words, gauges)
        return Check(Standing.MET, f"focused at {focus.position}, {focus.hfr_px:.2f} px", gauges)

    def remedy(self, view: View) -> Remedy:
        wheel, focuser, night = view.rig.wheel, view.rig.focuser, view.night
        through = wheel.focus_through if wheel else ""
        if view.orders.focus_at_filter_change and view.wanted.filter:
            through = view.wanted.filter
        here = view.focuser.position if view.focuser else focuser.start if focuser else 0
        start = view.focus_expected_for(through)
        if start is None and night.focus_astray is not None:
            # a run that was cut off has left the focuser anywhere
            start = night.focus_astray
        if night.focus_refused >= _REFUSED_BEFORE_ELSEWHERE and focuser is not None:
            start = view.last_good_position_for(through)
            start = focuser.start if start is None else start
        run = Focus(
            through,
            here if start is None else start,
            view.wanted.subject,
            here if night.focus_astray is None else night.focus_astray,
            night.last_focus.hfr_px if night.last_focus is not None else None,
            view.rig.guider is not None and view.rig.guider.kind == "off-axis",
            _elsewhere(view),
        )
        return under_stars(view, run, skippable=True)


def _elsewhere(view: View) -> RicherField | None:
    """A richer field, where the plan wants one and there are too few stars here."""
    mount = view.mount
    if not view.orders.focus_elsewhere or mount is None or view.rig.mount is None:
        return None
    return richer_field(view.rig, mount.ra_deg, mount.dec_deg, mount.pier_side.value, view.at)


def _gauges(view: View, focus: FocusRecord, start: datetime) -> tuple[Gauge, ...]:
    orders = view.orders
    gauges: list[Gauge] = []
    now_c = view.probe_c
    if orders.focus_colder_by_c is not None and now_c is not None and focus.temperature_c is not None:
        colder = round(abs(now_c - focus.temperature_c), 1)
        gauges.append(Gauge("temperature change", colder, orders.focus_colder_by_c, "°C"))
    if orders.focus_every_min is not None:
        since_min = round((start - focus.at).total_seconds() / 60, 1)
        gauges.append(Gauge("since focus", since_min, orders.focus_every_min, "min"))
    if orders.focus_every_frames is not None:
        since = view.night.frames_since_focus
        gauges.append(Gauge("frames since focus", since, orders.focus_every_frames, "", due_at=True))
    if orders.focus_grown_by_percent is not None:
        name = view.wanted.filter
        grown = grown_percent([x.hfr_px for x in view.night.lights_since_focus if x.filter == name])
        gauges.append(Gauge("stars grown by", round(grown, 1), orders.focus_grown_by_percent, "%"))
    if orders.focus_weighed and (worth := weighed(view, focus, start)) is not None:
        gained, costs = round(worth.gain_s / 60, 2), round(worth.cost_s / 60, 1)
        gauges.append(Gauge("lost to focus", gained, costs, "min", due_at=True))
    return tuple(gauges)


_STEPS_SINCE = 8
_WANDERS_OF_ZONE = 0.1
"""An hour, where the rig doesn't say by how much focus wanders: this share of the critical focus zone."""


def weighed(view: View, focus: FocusRecord, start: datetime) -> Weighed | None:
    """Exposure time lost to the blur that is expected since a run, against what another one takes; None where
    a run didn't tell how sizes grow. Between then and now the temperature is taken to have changed evenly."""
    focuser, zone = view.rig.focuser, view.rig.focus_zone_steps
    if focuser is None or zone is None or not focus.slope_px_step:
        return None
    by_c, error = focuser.steps_per_c, focuser.steps_per_c_error
    known = Known(
        best_size=focus.hfr_px,
        slope=focus.slope_px_step,
        sigma_steps=focus.sigma_steps or 0.0,
        unfollowed_steps_per_c=0.0 if view.follows else by_c or 0.0,
        sigma_steps_per_c=error or 0.0,
        wanders_steps_h=_WANDERS_OF_ZONE * zone
        if focuser.wanders_steps_h is None
        else focuser.wanders_steps_h,
    )
    passed_s = (start - focus.at).total_seconds()
    now_c = view.probe_c
    change_c = 0.0 if now_c is None or focus.temperature_c is None else now_c - focus.temperature_c
    shares = [(k + 1) / _STEPS_SINCE for k in range(_STEPS_SINCE)]
    return weigh(known, [(passed_s * s, change_c * s) for s in shares], usual_overheads(view.rig).focus_s)


_TREND_FRAMES, _FEWEST = 7, 3


def grown_percent(sizes: Sequence[float]) -> float:
    """Star sizes' growth since just after focusing, by their trend; 0 until three frames tell.

    The trend is Theil's and Sen's line (P. K. Sen, JASA 63, 1379, 1968) through the last frames, taken at the
    last one; the median of the last three keeps one bad frame at the end from being a trend.
    """
    if len(sizes) < _FEWEST:
        return 0.0
    before = size_after_focus(sizes)
    last = tuple(sizes[-_TREND_FRAMES:])
    now = min(_end_of_trend(last), median(last[-_FEWEST:]))
    return max(0.0, 100 * (now / before - 1))


@lru_cache(maxsize=64)
def _end_of_trend(sizes: tuple[float, ...]) -> float:
    """Of the line whose slope is the median of those between all pairs (Theil and Sen). Asked for again and
    again between two frames."""
    last = len(sizes) - 1
    slope = median((sizes[j] - sizes[i]) / (j - i) for i, j in combinations(range(last + 1), 2))
    return median(sizes) + slope * last / 2
