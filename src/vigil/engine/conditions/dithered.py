"""Dithered every so many frames, or once a round."""

from datetime import datetime

from vigil.engine.activities.dither import Dither
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.conditions.side import side_of
from vigil.engine.remedy import Do, Remedy
from vigil.engine.view import View
from vigil.planning.sides import may_change_side


class Dithered(Condition):
    name = "dithered"
    place = 150

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        every = view.wanted.dither_every
        if every is None:
            return Check(Standing.MET, "dithering is off")
        since = view.night.frames_since_dither
        gauge = Gauge("frames since dither", since, every, "", due_at=True)
        words = f"{since} of {every} frames since the last dither"
        if since < every:
            return Check(Standing.MET, words, (gauge,))
        if may_change_side(view.rig, side_of(view).value, *_aim(view), view.at):
            return Check(Standing.MET, f"{words}; put off, the mount would change sides", (gauge,))
        return Check(Standing.NOT_MET, words, (gauge,))

    def remedy(self, view: View) -> Remedy:
        subject, pointing, dither = view.wanted.subject, view.night.pointing, view.night.dither
        here = dither is not None and dither.block == subject
        return Do(
            Dither(
                subject,
                view.wanted.placed.name,
                1 + (dither.number if dither is not None else 0),
                view.orders.dither_px,
                *_aim(view),
                (dither.east_arcsec, dither.north_arcsec) if dither is not None and here else (0.0, 0.0),
                (pointing.off_px, pointing.off_arcsec) if pointing is not None else None,
            ),
            skippable=True,
        )


def _aim(view: View) -> tuple[float, float]:
    """Where the mount was sent; where nobody centres, where it says that it is."""
    pointing, mount, place = view.night.pointing, view.mount, view.wanted.placed
    if pointing is not None:
        return pointing.aim_ra_deg, pointing.aim_dec_deg
    return (mount.ra_deg, mount.dec_deg) if mount is not None else (place.ra_deg, place.dec_deg)
