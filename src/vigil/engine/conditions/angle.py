"""The camera at the target's position angle; half a turn is the same."""

from datetime import datetime

from vigil.engine.activities.turn import TurnByHand, TurnCamera
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.remedy import Remedy
from vigil.engine.starlight import under_stars
from vigil.engine.view import View
from vigil.sky.turns import turn_to_deg


class AtAngle(Condition):
    name = "camera angle"
    place = 130

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        place, angle = view.wanted.place, view.night.angle
        wanted = place.position_angle_deg if place is not None else None
        if wanted is None:
            return Check(Standing.MET, "any angle will do")
        if angle is None:
            return Check(Standing.UNKNOWN, "not solved yet: the camera's angle is unknown")
        off = turn_to_deg(angle.position_angle_deg, wanted)
        gauge = Gauge("off the angle", round(abs(off), 2), view.orders.angle_within_deg, "°")
        words = (
            f"at {angle.position_angle_deg % 180:.1f}°, {abs(off):.1f}° from the target's {wanted % 180:.1f}°"
        )
        if angle.accepted_for == view.wanted.subject:
            return Check(Standing.MET, f"{words}; taken as it is", (gauge,))
        met = abs(off) <= view.orders.angle_within_deg
        return Check(Standing.MET if met else Standing.NOT_MET, words, (gauge,))

    def remedy(self, view: View) -> Remedy:
        at, rotator = view.wanted.placed, view.rig.rotator
        focus = view.focus_position_for(view.rig.wheel.solve_through if view.rig.wheel else "")
        wanted, orders = at.position_angle_deg or 0.0, view.orders
        place = view.wanted.subject, at.name, at.ra_deg, at.dec_deg
        where = *place, wanted, focus, orders.angle_within_deg
        if rotator is not None and rotator.by == "motor":
            return under_stars(view, TurnCamera(*where))
        return under_stars(view, TurnByHand(*where, orders.turn_wait_min, orders.turn_unanswered))
