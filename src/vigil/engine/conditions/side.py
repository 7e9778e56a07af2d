"""The right side of the pier for the whole exposure."""

import math
from datetime import datetime, timedelta

from vigil.devices.protocols import PierSide
from vigil.engine.activities.flip import Flip
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.conditions.pointed import ANY_PLACE, NEAR_DEG
from vigil.engine.remedy import NotBefore, Remedy
from vigil.engine.starlight import under_stars
from vigil.engine.view import View
from vigil.planning.flip import Next, decide, hour_angle_min, rule_of
from vigil.planning.sides import beyond_min, window_on
from vigil.sky.angles import separation_deg

_FAR_MIN, _LONG_WAIT_MIN = 360.0, 30.0


class RightSide(Condition):
    name = "pier side"
    place = 90
    hard = True

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        place = view.wanted.place
        if place is None:
            return Check(Standing.MET, ANY_PLACE)
        if view.rig.mount is None or window_on(view.rig, "west") is None:
            return Check(Standing.MET, "this mount needs no flip")
        if view.mount is None:
            return Check(Standing.UNKNOWN, "mount not connected")
        away = separation_deg(view.mount.ra_deg, view.mount.dec_deg, place.ra_deg, place.dec_deg)
        if view.mount.parked or float(away) > NEAR_DEG:
            return Check(Standing.MET, "the slew to the target chooses it")
        # the window is the mount's own: near the pole its axis may stand minutes beside the target's hour
        # angle
        side = side_of(view)
        window = window_on(view.rig, side.value)
        if window is None:
            return Check(Standing.MET, "the mount says nothing, and no slew of ours was made")
        rule = rule_of(window)
        here = beyond_min(side, hour_angle_min(view.mount.ra_deg, view.mount.dec_deg, view.rig, start))
        if abs(here) > _FAR_MIN:
            if side is PierSide.EAST:
                return Check(Standing.MET, "tube east of the pier, as it is after the meridian")
            return Check(Standing.MET, "far from the meridian")
        told = decide(rule, here, (end - start).total_seconds())
        limit = rule.last_min if math.isfinite(rule.last_min) else rule.wanted_min
        gauge = Gauge("until the flip's limit", round(limit - here, 1), 0.0, "min", at_least=True)
        if told.next is Next.SHOOT:
            return Check(Standing.MET, f"tube {side.value} of the pier; {told.words}", (gauge,))
        return Check(Standing.NOT_MET, told.words, (gauge,))

    def remedy(self, view: View) -> Remedy:
        """The flip, which waits for its window if that is soon."""
        side, mount = side_of(view).value, view.mount
        window = window_on(view.rig, side)
        if mount is not None and window is not None:
            here = beyond_min(side, hour_angle_min(mount.ra_deg, mount.dec_deg, view.rig, view.at))
            wait_min = decide(rule_of(window), here, 0.0).wait_min
            if wait_min > _LONG_WAIT_MIN:
                return NotBefore(view.at + timedelta(minutes=wait_min), "the flip may begin then")
        return under_stars(view, flip_for(view))


def flip_for(view: View) -> Flip:
    """The flip at the place where the mount is."""
    angle, mount, place, orders = view.night.angle, view.mount, view.wanted.placed, view.orders
    where = (mount.ra_deg, mount.dec_deg) if mount is not None else (place.ra_deg, place.dec_deg)
    focus = view.focus_position_for(view.rig.wheel.solve_through if view.rig.wheel else "")
    before = angle.position_angle_deg if angle is not None else None
    subject = view.wanted.subject
    aim = view.night.aim_deg(subject, place.ra_deg, place.dec_deg)
    settles_for = None if orders.centre_after_flip else (subject, *aim)
    side = side_of(view).value
    return Flip(place.name, *where, focus, before, orders.focus_after_flip, settles_for, side)


def side_of(view: View) -> PierSide:
    """As the mount reports it; one that doesn't is where its last slew left it."""
    mount = view.mount
    if mount is not None and mount.pier_side is not PierSide.UNKNOWN:
        return mount.pier_side
    return PierSide(view.night.side or "unknown")
