"""The right side of the pier for the whole exposure."""

import math
from datetime import datetime

from vigil.devices.protocols import PierSide
from vigil.engine.activities.flip import Flip
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.conditions.pointed import NEAR_DEG
from vigil.engine.view import View
from vigil.planning.flip import Next, decide, hour_angle_min, rule_for
from vigil.sky.angles import separation_deg


class RightSide(Condition):
    name = "pier side"
    place = 90
    hard = True
    needs_stars = True

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        rule, target = rule_for(view.rig), view.candidate.block.target
        if rule is None:
            return Check(Standing.MET, "this mount needs no flip")
        if view.mount is None:
            return Check(Standing.UNKNOWN, "mount not connected")
        away = separation_deg(view.mount.ra_deg, view.mount.dec_deg, target.ra_deg, target.dec_deg)
        if view.mount.parked or float(away) > NEAR_DEG:
            return Check(Standing.MET, "the slew to the target chooses it")
        # the window is the mount's own: near the pole its axis may stand minutes beside the target's hour
        # angle
        here = hour_angle_min(view.mount.ra_deg, view.mount.dec_deg, view.rig, start)
        side = side_of(view)
        if side is PierSide.UNKNOWN:
            return Check(Standing.MET, "the mount says nothing, and no slew of ours was made")
        if side is PierSide.EAST:
            return Check(Standing.MET, "tube east of the pier, as it is after the meridian")
        if abs(here) > 360:
            return Check(Standing.MET, "far from the meridian")
        told = decide(rule, here, (end - start).total_seconds())
        limit = rule.last_min if math.isfinite(rule.last_min) else rule.wanted_min
        gauge = Gauge("after the meridian", round(here, 1), round(limit, 1), "min")
        if told.next is Next.SHOOT:
            return Check(Standing.MET, f"tube {side.value} of the pier; {told.words}", (gauge,))
        return Check(Standing.NOT_MET, told.words, (gauge,))

    def activity(self, view: View) -> Flip:
        block, angle, mount = view.candidate.block, view.night.angle, view.mount
        target, orders = block.target, view.orders
        place = (mount.ra_deg, mount.dec_deg) if mount is not None else (target.ra_deg, target.dec_deg)
        focus = view.focus_position_for(view.rig.wheel.solve_through if view.rig.wheel else "")
        before = angle.position_angle_deg if angle is not None else None
        aim = view.night.aim_deg(block.id, target.ra_deg, target.dec_deg)
        settles_for = None if orders.centre_after_flip else (block.id, *aim)
        return Flip(target.name, *place, focus, before, orders.focus_after_flip, settles_for)


def side_of(view: View) -> PierSide:
    """As the mount reports it; one that doesn't is where its last slew left it."""
    mount = view.mount
    if mount is not None and mount.pier_side is not PierSide.UNKNOWN:
        return mount.pier_side
    return PierSide(view.night.side or "unknown")
