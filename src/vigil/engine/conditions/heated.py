"""Dew heaters at the rig's levels."""

from datetime import datetime

from vigil.devices.protocols import HeatersState
from vigil.engine.activities.heat import Heat
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.remedy import Do, Remedy
from vigil.engine.view import View


class Heated(Condition):
    name = "heaters"
    place = 70

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        state: HeatersState | None = view.states.get("heaters")
        part = view.rig.heaters
        if state is None or part is None:
            return Check(Standing.MET, "the night goes on without the heaters: not connected")
        wrong = [
            f"{o.name} at {state.levels_percent.get(o.name, 0.0):g} %, wanted {o.level_percent:g}"
            for o in part.outputs
            if state.levels_percent.get(o.name) != o.level_percent
        ]
        if wrong:
            return Check(Standing.NOT_MET, "; ".join(wrong))
        levels = ", ".join(f"{o.name} {o.level_percent:g} %" for o in part.outputs)
        return Check(Standing.MET, levels)

    def remedy(self, view: View) -> Remedy:
        part = view.rig.heaters
        return Do(Heat(tuple((o.name, o.level_percent) for o in part.outputs) if part else ()))
