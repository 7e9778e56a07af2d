"""Stars where there were stars before: what a rig without a cloud sensor knows of cloud, dew and covers."""

from datetime import datetime
from statistics import median
from typing import Any

from vigil.documents.night import NightState
from vigil.documents.plan import ExposureLine
from vigil.engine.activities.look import Look
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.lights import light_exposure
from vigil.engine.remedy import Hold, Remedy
from vigil.engine.view import View
from vigil.planning.verdict import counts_as_usual

_FEWEST, _BEFORE = 3, 9
_RESUMES = 1.5
"""To go on there have to be so many times the stars that would hold the night."""
_COUNTS_SLOPE = 0.375
"""Against the sky's noise the limit goes with the square root of the time, 1.25 magnitudes a factor of ten;
star counts at these magnitudes grow by about 0.3 in the logarithm a magnitude (Bahcall & Soneira 1980, ApJS
44, 73): so their number goes with this power of the time."""


class StarsSeen(Condition):
    name = "stars seen"
    place = 25

    def remedy(self, view: View) -> Remedy:
        return Hold(self.check(view, view.at, view.at).words)

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        least, line = view.orders.stars_at_least_percent, view.candidate.line
        if least is None:
            return Check(Standing.MET, "not looked at")
        held = view.night.held_by == self.name
        if view.mount is not None and not view.mount.tracking and not held:
            return Check(Standing.MET, "the mount stands: the next frame tells")
        usual = usual_stars(view.night, line)
        seen = _seen_lately(view.night, line)
        if usual is None or seen is None:
            return Check(Standing.MET, f"nothing to compare with before {_FEWEST} frames of a line")
        stars, exposure_s = seen
        expected = usual * (exposure_s / line.exposure_s) ** _COUNTS_SLOPE
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
        line, target = view.candidate.line, view.candidate.block.target
        exposure = light_exposure(view.rig, line)
        stands = view.mount is not None and not view.mount.tracking
        place = (target.ra_deg, target.dec_deg) if stands else None
        return Look(line.id, line.filter, view.focus_position_for(line.filter), exposure, place)


def usual_stars(night: NightState, line: ExposureLine) -> float | None:
    """Of the line's frames before the last one; None before there are enough."""
    frames = _frames(night, line)[:-1]
    counts = [frame["stars"] for frame in frames][-_BEFORE:]
    return median(counts) if len(counts) >= _FEWEST and median(counts) > 0 else None


def _frames(night: NightState, line: ExposureLine) -> list[dict[str, Any]]:
    return [f for f in night.saved.values() if f["line"] == line.id and "stars" in f and counts_as_usual(f)]


def _seen_lately(night: NightState, line: ExposureLine) -> tuple[int, float] | None:
    """Stars and seconds of the latest look or frame since the night last went on."""
    looked = night.looked
    if looked is not None and looked["line"] == line.id:
        return int(looked["stars"]), float(looked["exposure_s"])
    last = _frames(night, line)[-1:]
    if not last or (
        night.went_on is not None and datetime.fromisoformat(last[0]["started_at"]) < night.went_on
    ):
        return None
    return int(last[0]["stars"]), line.exposure_s
