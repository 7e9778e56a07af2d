"""Stars where there were stars before: what a rig without a cloud sensor knows of cloud, dew and covers."""

import math
from datetime import datetime
from typing import Any

from vigil.documents.night import NightState
from vigil.engine.activities.look import Look
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.remedy import Hold, Remedy
from vigil.engine.view import View
from vigil.engine.wanted import Wanted
from vigil.planning.usual import FEWEST, usual_stars
from vigil.planning.verdict import counts_as_usual

_RESUMES = 1.5
"""To go on there have to be so many times the stars that would hold the night."""
_DARKEST_FILTER = 0.02
"""Of what any other filter shows: no filter is as dark as that."""
_COUNTS_SLOPE = 0.375
"""Against the sky's noise the limit goes with the square root of the time, 1.25 magnitudes a factor of ten;
star counts at these magnitudes grow by about 0.3 in the logarithm a magnitude (Bahcall & Soneira 1980, ApJS
44, 73): so their number goes with this power of the time."""


class StarsSeen(Condition):
    name = "enough stars"
    place = 25

    def remedy(self, view: View) -> Remedy:
        return Hold(self.check(view, view.at, view.at).words)

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        least, wanted = view.orders.stars_at_least_percent, view.wanted
        if least is None or wanted.place is None:
            return Check(Standing.MET, "not looked at")
        held = view.night.held_by == self.name
        if view.mount is not None and not view.mount.tracking and not held:
            return Check(Standing.MET, "the mount stands: the next frame tells")
        usual = usual_stars([frame["stars"] for frame in _frames(view.night, wanted.series)])
        seen = _seen_lately(view.night, wanted)
        if usual is None and seen is not None and (of_others := _of_other_filters(view.night, wanted)):
            limit_stars = math.ceil(_DARKEST_FILTER * of_others)
            gauge = Gauge("stars", seen[0], limit_stars, "", at_least=True)
            if seen[0] < limit_stars:
                words = f"{seen[0]} stars where other filters had {of_others:.0f}, limit {limit_stars}"
                return Check(Standing.NOT_MET, f"{words}: cloud, dew, or something before it", (gauge,))
        if usual is None or seen is None:
            return Check(Standing.MET, f"nothing to compare with before {FEWEST} frames of a line")
        stars, exposure_s = seen
        expected = usual * (exposure_s / wanted.exposure.exposure_s) ** _COUNTS_SLOPE
        limit = round(min(100.0, least * _RESUMES) if held else least)
        share = round(100 * stars / expected)
        gauge = Gauge("stars of the usual", share, limit, "%", at_least=True)
        words = f"{stars} stars where {expected:.0f} are usual, {share} %"
        if share < limit:
            return Check(
                Standing.NOT_MET, f"{words}, limit {limit}: cloud, dew, or something before it", (gauge,)
            )
        return Check(Standing.MET, words, (gauge,))

    def look(self, view: View) -> Look:
        wanted, place = view.wanted, view.wanted.placed
        stands = view.mount is not None and not view.mount.tracking
        where = (place.ra_deg, place.dec_deg) if stands else None
        focus = view.focus_position_for(wanted.filter)
        return Look(wanted.series, wanted.filter, focus, wanted.exposure, where)


def _of_other_filters(night: NightState, wanted: Wanted) -> float | None:
    """The usual number in the target's other series that has fewest; None before there are enough."""
    lines = {f["line"] for f in night.saved.values() if f["block"] == wanted.subject} - {wanted.series}
    counts = [usual_stars([*(f["stars"] for f in _frames(night, line)), 0]) for line in lines]
    known = [count for count in counts if count is not None]
    return min(known) if known else None


def _frames(night: NightState, series: str) -> list[dict[str, Any]]:
    return [f for f in night.saved.values() if f["line"] == series and "stars" in f and counts_as_usual(f)]


def _seen_lately(night: NightState, wanted: Wanted) -> tuple[int, float] | None:
    """Stars and seconds of the latest look or frame since the night last went on."""
    looked = night.looked
    if looked is not None and looked["line"] == wanted.series:
        return int(looked["stars"]), float(looked["exposure_s"])
    last = _frames(night, wanted.series)[-1:]
    if not last or (
        night.went_on is not None and datetime.fromisoformat(last[0]["started_at"]) < night.went_on
    ):
        return None
    return int(last[0]["stars"]), wanted.exposure.exposure_s
