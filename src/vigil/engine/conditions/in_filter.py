"""The line's filter in the beam, and the focuser moved by its offset."""

from datetime import datetime

from vigil.engine.activities.change_filter import ChangeFilter
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.view import View


class InFilter(Condition):
    name = "filter"

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        if view.wheel is None or view.focuser is None:
            return Check(Standing.UNKNOWN, "filter wheel or focuser not connected")
        wanted = view.rig.wheel.filter(view.candidate.line.filter)
        position = view.focus_position_for(wanted.name)
        if view.wheel.slot != wanted.slot:
            return Check(Standing.NOT_MET, f"{wanted.name} is not in the beam")
        if position is not None and view.focuser.position != position:
            words = f"focuser at {view.focuser.position}, {wanted.name} focuses at {position}"
            return Check(Standing.NOT_MET, words)
        return Check(Standing.MET, f"{wanted.name} in the beam, focuser at {view.focuser.position}")

    def activity(self, view: View) -> ChangeFilter:
        wanted = view.candidate.line.filter
        return ChangeFilter(wanted, view.focus_position_for(wanted))
