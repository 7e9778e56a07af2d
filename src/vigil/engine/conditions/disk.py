"""Room on the disk for the frame."""

from datetime import datetime

from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.remedy import Hold, Remedy
from vigil.engine.view import View

RESERVE_BYTES = 200_000_000


class Disk(Condition):
    name = "room on disk"
    place = 40
    hard = True

    def remedy(self, view: View) -> Remedy:
        return Hold(self.check(view, view.at, view.at).words)

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        if view.disk_trouble:
            return Check(Standing.NOT_MET, view.disk_trouble)
        rows, columns = view.rig.field_px(view.wanted.exposure.binning)
        needed = 4 * rows * columns + RESERVE_BYTES
        gauge = Gauge(
            "free on disk", round(view.free_bytes / 1e9, 2), round(needed / 1e9, 2), "GB", at_least=True
        )
        if view.free_bytes < needed:
            return Check(
                Standing.NOT_MET,
                f"{gauge.value:g} GB free where {gauge.limit:g} are needed: make room, or move the folder",
                (gauge,),
            )
        return Check(Standing.MET, f"{gauge.value:g} GB free", (gauge,))
