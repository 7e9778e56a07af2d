"""On target, by solved pixels: reached within a few pixels, kept within a few arc-minutes."""

from datetime import datetime, timedelta

from vigil.devices.protocols import PierSide
from vigil.engine.activities.centre import Centre
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.conditions.pointed import ANY_PLACE
from vigil.engine.conditions.side import flip_for, side_of
from vigil.engine.remedy import NotBefore, Remedy
from vigil.engine.starlight import under_stars
from vigil.engine.view import View
from vigil.planning.flip import SIDEREAL_RATE, hour_angle_min, rule_of
from vigil.planning.sides import beyond_min, may_change_side, window_on
from vigil.sky.angles import separation_deg

_SHORT, _DAY, _A_MINUTE = timedelta(minutes=30), timedelta(hours=12), timedelta(minutes=1)
_NEAR_MIN = 5.0
"""A flip that comes so soon waits by itself."""
# the mount has been moved by something else when its word differs this much from where it was sent
_MOVED_ARCMIN = 1.0


class OnTarget(Condition):
    name = "on target"
    place = 140

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        pointing = view.night.pointing
        if view.wanted.place is None:
            return Check(Standing.MET, ANY_PLACE)
        if pointing is None or pointing.block != view.wanted.subject:
            return Check(Standing.UNKNOWN, "not solved on this target yet")
        if view.mount is None:
            return Check(Standing.UNKNOWN, "mount not connected")
        told = view.mount.pier_side
        if pointing.side and told is not PierSide.UNKNOWN and told.value != pointing.side:
            return Check(
                Standing.UNKNOWN,
                f"the tube is now {told.value} of the pier; the last solved frame was on the other side",
            )
        keep = view.orders.target_keep_arcmin
        gauges: tuple[Gauge, ...] = ()
        if keep is not None:
            gauges = (Gauge("off target", round(pointing.off_arcsec / 60, 2), keep, "′"),)
        moved_arcmin = 60 * float(
            separation_deg(view.mount.ra_deg, view.mount.dec_deg, pointing.aim_ra_deg, pointing.aim_dec_deg)
        )
        guided_arcmin = view.guided.sent_arcsec / 60 if view.guided is not None else 0.0
        if moved_arcmin > _MOVED_ARCMIN + guided_arcmin:
            words = f"the mount was moved by {moved_arcmin:.1f}′ since the last solved frame"
            return Check(Standing.UNKNOWN, words, gauges)
        words = f"{pointing.off_px:.1f} px off by the last solved frame"
        if keep is not None and pointing.off_arcsec + pointing.wanders_arcsec > 60 * keep:
            if pointing.off_arcsec <= 60 * keep:
                words += f", and wandering by {pointing.wanders_arcsec / 60:.2f}′ a frame"
            return Check(Standing.NOT_MET, words, gauges)
        return Check(Standing.MET, words, gauges)

    def ends_exposure(self, view: View, start: datetime, end: datetime) -> str | None:
        """Only when the mount went elsewhere: a slow wandering waits for the frame's end."""
        here, pointing = view.mount, view.night.pointing
        if here is None or pointing is None or pointing.block != view.wanted.subject:
            return None
        check = self.check(view, start, end)
        return check.words if check.standing is Standing.UNKNOWN else None

    def remedy(self, view: View) -> Remedy:
        """Centring, if that leaves the tube on its side; else the flip, or what is open until it may be."""
        subject, place = view.wanted.subject, view.wanted.placed
        focus = view.focus_position_for(view.rig.wheel.solve_through if view.rig.wheel else "")
        aim = view.night.aim_deg(subject, place.ra_deg, place.dec_deg)
        centre = Centre(subject, place.name, *aim, focus, view.orders.target_reach_px)
        side = side_of(view).value
        if not may_change_side(view.rig, side, *aim, view.at):
            return under_stars(view, centre)
        window = window_on(view.rig, side)
        here = beyond_min(side, hour_angle_min(*aim, view.rig, view.at))
        if abs(here) > 720 - _NEAR_MIN:  # it has just come over: a little later it stays
            return NotBefore(view.at + _A_MINUTE, "so near the meridian it might go back")
        opens = rule_of(window).earliest_min if window is not None else 0.0
        wait = timedelta(minutes=(opens - here) / SIDEREAL_RATE)
        if -_DAY < wait < _SHORT:
            return under_stars(view, flip_for(view))
        return NotBefore(view.at + wait, "centring would change sides before the flip may be")
