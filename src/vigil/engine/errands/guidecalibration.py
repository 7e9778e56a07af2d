"""The guide calibration, asked for by a person."""

from typing import Any

from vigil.documents.guiding import CALIBRATION, CalibrationWish
from vigil.engine.activity import Kit
from vigil.engine.focusing.bench import stars_stand_still
from vigil.engine.guiding.bench import GuideBench, guide_frames
from vigil.engine.guiding.calibrating import Made, calibrate, go_to_the_place
from vigil.engine.guiding.frames import eye_of
from vigil.engine.guiding.shelf import keep


class CalibrateGuiding(GuideBench[CalibrationWish]):
    """Cut off, the mount tracks on; the last calibration stays in force."""

    KIND = CALIBRATION
    WISH = CalibrationWish

    @classmethod
    def words_of(cls, wish: CalibrationWish) -> str:
        return "calibrating the guider"

    async def work(self, kit: Kit) -> dict[str, Any]:
        await stars_stand_still(kit)
        try:
            if self.wish.goes:
                await self.step({}, "going to the calibration place")
                await go_to_the_place(kit, self.wish.side)
            frames = guide_frames(kit, self._place.folder, self.wish.exposure_s, self.wish.binning)
            choice = await frames.choose()
            await self.step(
                {"stars": len(choice.stars), "exposure_s": round(frames.exposure_s, 2)},
                f"{len(choice.stars)} stars with {frames.exposure_s:g} s",
            )
            made = await calibrate(kit, frames, self.step)
        finally:
            eye_of(kit).close()
        keep(kit, self._place.folder, made)
        return numbers(made)


def numbers(made: Made) -> dict[str, Any]:
    """Of the errand's end; the moves for its picture."""
    found, scale = made.calibration, made.scale_arcsec_px
    ra_rate, dec_rate = found.rates_arcsec_s(scale)
    return {
        "calibration": {
            "good": made.judged.good,
            "words": list(made.judged.words),
            "ra_rate_px_s": round(found.ra.rate_px_s, 4),
            "dec_rate_px_s": round(found.dec.rate_px_s, 4),
            "ra_rate_arcsec_s": round(ra_rate, 4),
            "dec_rate_arcsec_s": round(dec_rate, 4),
            "ra_angle_deg": round(found.ra.angle_deg, 3),
            "dec_angle_deg": round(found.dec.angle_deg, 3),
            "square_off_deg": round(found.square_off_deg, 3),
            "ra_crooked": round(found.ra.crooked, 4),
            "dec_crooked": round(found.dec.crooked, 4),
            "backlash_s": round(found.backlash_s, 3),
            "backlash_arcsec": round(found.backlash_s * dec_rate, 2),
            "backlash_error_arcsec": round(found.backlash_error_s * dec_rate, 2),
            "drift_px_s": [round(v, 5) for v in found.drift_px_s],
            "dec_deg": round(found.dec_deg, 3),
            "pier_side": found.pier_side,
            "binning": found.binning,
            "rotator_deg": found.rotator_deg,
            "scale_arcsec_px": round(scale, 4),
            "moves": [
                [m.direction, m.pulse_s, round(m.x_px, 3), round(m.y_px, 3), round(m.at_s, 2)]
                for m in made.moves
            ],
        },
        "summary": f"{'good' if made.judged.good else 'of no use'}: {'; '.join(made.judged.words)}",
    }
