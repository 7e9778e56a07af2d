"""On target, by solved pixels: reached within a few pixels, kept within a few arc-minutes."""

from datetime import datetime

from vigil.devices.protocols import PierSide
from vigil.engine.activities.centre import Centre
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.view import View
from vigil.sky.angles import separation_deg

# the mount has been moved by something else when its word differs this much from where it was sent
_MOVED_ARCMIN = 1.0


class OnTarget(Condition):
    name = "on target"
    place = 140
    needs_stars = True

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        pointing = view.night.pointing
        if pointing is None or pointing.block != view.candidate.block.id:
            return Check(Standing.UNKNOWN, "not solved on this target yet")
        if view.mount is None:
            return Check(Standing.UNKNOWN, "mount not connected")
        told = view.mount.pier_side
        if pointing.side and told is not PierSide.UNKNOWN and told.value != pointing.side:
            return Check(
                Standing.UNKNOWN, f"the tube went {told.value} of the pier since the last solved frame"
            )
        keep = view.orders.target_keep_arcmin
        gauges: tuple[Gauge, ...] = ()
        if keep is not None:
            gauges = (Gauge("wandered", round(pointing.off_arcsec / 60, 2), keep, "′"),)
        moved_arcmin = 60 * float(
            separation_deg(view.mount.ra_deg, view.mount.dec_deg, pointing.aim_ra_deg, pointing.aim_dec_deg)
        )
        if moved_arcmin > _MOVED_ARCMIN:
            words = f"the mount was moved by {moved_arcmin:.1f}′ since the last solved frame"
            return Check(Standing.UNKNOWN, words, gauges)
        words = f"{pointing.off_px:.1f} px off by the last solved frame"
        met = keep is None or pointing.off_arcsec <= 60 * keep
        return Check(Standing.MET if met else Standing.NOT_MET, words, gauges)

    def ends_exposure(self, view: View, start: datetime, end: datetime) -> str | None:
        """Only when the mount went elsewhere: a slow wandering waits for the frame's end."""
        here, pointing = view.mount, view.night.pointing
        if here is None or pointing is None or pointing.block != view.candidate.block.id:
            return None
        check = self.check(view, start, end)
        return check.words if check.standing is Standing.UNKNOWN else None

    def activity(self, view: View) -> Centre:
        block = view.candidate.block
        focus = view.focus_position_for(view.rig.wheel.solve_through if view.rig.wheel else "")
        aim = view.night.aim_deg(block.id, block.target.ra_deg, block.target.dec_deg)
        return Centre(block.id, block.target.name, *aim, focus, view.orders.target_reach_px)
