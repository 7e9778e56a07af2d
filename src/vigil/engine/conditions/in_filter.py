"""The line's filter in the beam, and the focuser moved by its offset."""

from datetime import datetime

from vigil.engine.activities.change_filter import ChangeFilter
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.remedy import Do, Remedy
from vigil.engine.view import View

_SLACK_SHARE = 1 / 12
"""Of the critical focus zone: what the temperature asks for is saved up until it is worth a move."""


def slack_steps(view: View) -> float:
    """How far from where it belongs the focuser may be."""
    return max(1.0, _SLACK_SHARE * (view.rig.focus_zone_steps or 1.0)) if view.follows else 0.0


def _nearly_there(view: View) -> bool:
    position, focuser = view.focus_position_for(view.wanted.filter), view.focuser
    return (
        position is not None
        and focuser is not None
        and abs(focuser.position - position) < (view.rig.focus_zone_steps or 1.0)
    )


class InFilter(Condition):
    name = "filter"
    place = 160

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        name, holder = view.wanted.filter, view.rig.wheel
        if holder is not None and holder.kind == "wheel":
            if view.wheel is None:
                return Check(Standing.UNKNOWN, "filter wheel not connected")
            if name and view.wheel.slot != holder.filter(name).slot:
                return Check(Standing.NOT_MET, f"{name} is not in the beam")
        in_beam = f"{name} in the beam" if name else "no filter"
        if view.rig.focuser is None:
            return Check(Standing.MET, in_beam)
        if view.focuser is None:
            return Check(Standing.UNKNOWN, "focuser not connected")
        position = view.focus_position_for(name)
        if position is not None and abs(view.focuser.position - position) > slack_steps(view):
            words = f"focuser at {view.focuser.position}, {name or 'the last run'} focuses at {position}"
            return Check(Standing.NOT_MET, words)
        return Check(Standing.MET, f"{in_beam}, focuser at {view.focuser.position}")

    def ends_exposure(self, view: View, start: datetime, end: datetime) -> str | None:
        """What moved by itself: nothing of ours moves in an exposure."""
        # what the temperature asks for waits for the frame's end
        if view.follows and _nearly_there(view):
            return self._moved_wheel(view)
        check = self.check(view, start, end)
        return check.words if check.standing is Standing.NOT_MET else None

    def _moved_wheel(self, view: View) -> str | None:
        name, holder = view.wanted.filter, view.rig.wheel
        if holder is None or holder.kind != "wheel" or view.wheel is None or not name:
            return None
        return None if view.wheel.slot == holder.filter(name).slot else f"{name} is not in the beam"

    def remedy(self, view: View) -> Remedy:
        wanted = view.wanted.filter
        return Do(ChangeFilter(wanted, view.focus_position_for(wanted)))
