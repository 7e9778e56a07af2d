"""Dithered every so many frames, or once a round."""

from datetime import datetime

import numpy as np

from vigil.engine.activities.dither import Dither, DitherPlace, GuidedDither
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.conditions.side import side_of
from vigil.engine.guiding.guided import GuideStanding
from vigil.engine.remedy import Do, Remedy
from vigil.engine.view import View
from vigil.guiding.dithers import next_place
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
        guided = view.guided
        if guided is not None and guided.standing in (GuideStanding.LOST, GuideStanding.BEGINNING):
            return Check(Standing.MET, f"{words}; put off: {guided.words}", (gauge,))
        if may_change_side(view.rig, side_of(view).value, *_aim(view), view.at):
            return Check(Standing.MET, f"{words}; put off, the mount would change sides", (gauge,))
        return Check(Standing.NOT_MET, words, (gauge,))

    def remedy(self, view: View) -> Remedy:
        subject, pointing, dither = view.wanted.subject, view.night.pointing, view.night.dither
        here = dither is not None and dither.block == subject
        number = 1 + (dither.number if dither is not None else 0)
        guider = view.rig.guider
        scale = view.rig.scale_arcsec_px()
        before = [place[1:] for place in view.night.dithered if place[0] == subject]
        places = [(0.0, 0.0), *((east / scale, north / scale) for east, north in before)]
        # the same night dithers the same way
        rng = np.random.default_rng([*view.night.night.encode(), number])
        east, north = next_place(
            guider.dither_way if guider is not None else "random", view.orders.dither_px, places, rng
        )
        was = (dither.east_arcsec, dither.north_arcsec) if dither is not None and here else (0.0, 0.0)
        place = DitherPlace(
            subject, view.wanted.placed.name, number, (east * scale, north * scale), was, scale
        )
        if view.guided is not None and view.guided.standing is not GuideStanding.OFF:
            return Do(GuidedDither(place), skippable=True)
        off = (pointing.off_px, pointing.off_arcsec) if pointing is not None else None
        return Do(Dither(place, *_aim(view), off), skippable=True)


def _aim(view: View) -> tuple[float, float]:
    """Where the mount was sent; where it says that it is where guiding has moved it since, or nobody
    centres."""
    pointing, mount, place = view.night.pointing, view.mount, view.wanted.placed
    corrected = view.guided is not None and view.guided.sent_arcsec > 0
    if pointing is not None and not corrected:
        return pointing.aim_ra_deg, pointing.aim_dec_deg
    return (mount.ra_deg, mount.dec_deg) if mount is not None else (place.ra_deg, place.dec_deg)
