"""Dithered every so many frames, or once a round."""

from datetime import datetime

from vigil.engine.activities.dither import Dither
from vigil.engine.check import Check, Condition, Gauge, Standing
from vigil.engine.view import View


class Dithered(Condition):
    name = "dithered"
    place = 150
    skippable = True

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        every = view.orders.dither_every(view.candidate.block)
        if every is None:
            return Check(Standing.MET, "dithering is off")
        since = view.night.frames_since_dither
        gauge = Gauge("frames since", since, every, "")
        words = f"{since} of {every} frames since the last dither"
        return Check(Standing.MET if since < every else Standing.NOT_MET, words, (gauge,))

    def activity(self, view: View) -> Dither | None:
        block, pointing, dither = view.candidate.block, view.night.pointing, view.night.dither
        if pointing is None:
            return None
        here = dither is not None and dither.block == block.id
        return Dither(
            block.id,
            block.target.name,
            1 + (dither.number if dither is not None else 0),
            view.orders.dither_px,
            pointing.aim_ra_deg,
            pointing.aim_dec_deg,
            (dither.east_arcsec, dither.north_arcsec) if dither is not None and here else (0.0, 0.0),
            pointing.off_px,
            pointing.off_arcsec,
        )
