"""The line's filter in the beam, and the focuser moved by its offset."""

from datetime import datetime

from vigil.engine.activities.change_filter import ChangeFilter
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.remedy import Do, Remedy
from vigil.engine.view import View


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
        if position is not None and view.focuser.position != position:
            words = f"focuser at {view.focuser.position}, {name or 'the last run'} focuses at {position}"
            return Check(Standing.NOT_MET, words)
        return Check(Standing.MET, f"{in_beam}, focuser at {view.focuser.position}")

    def ends_exposure(self, view: View, start: datetime, end: datetime) -> str | None:
        """What moved by itself: nothing of ours moves in an exposure."""
        check = self.check(view, start, end)
        return check.words if check.standing is Standing.NOT_MET else None

    def remedy(self, view: View) -> Remedy:
        wanted = view.wanted.filter
        return Do(ChangeFilter(wanted, view.focus_position_for(wanted)))
