"""Roof and cover open."""

from datetime import datetime
from typing import ClassVar

from vigil.devices.protocols import ShutterState
from vigil.engine.activities.open import Open
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.remedy import Remedy
from vigil.engine.starlight import by_night
from vigil.engine.view import View


class _Open(Condition):
    device: ClassVar[str]

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        state: ShutterState | None = view.states.get(self.device)
        if state is None:
            return Check(Standing.UNKNOWN, f"{self.device} not connected")
        met = state.shutter == "open"
        return Check(Standing.MET if met else Standing.NOT_MET, f"{self.device} {state.shutter}")

    def ends_exposure(self, view: View, start: datetime, end: datetime) -> str | None:
        check = self.check(view, start, end)
        return check.words if check.standing is Standing.NOT_MET else None

    def remedy(self, view: View) -> Remedy:
        part = view.rig.roof if self.device == "roof" else view.rig.cover
        return by_night(view, Open(self.device, part.moves_in_s if part else 30.0))


class RoofOpen(_Open):
    name = "roof open"
    place = 60
    device = "roof"


class CoverOpen(_Open):
    name = "cover open"
    place = 80
    device = "cover"
