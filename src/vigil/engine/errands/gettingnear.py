"""Short frames in a loop with one star looked at closely, while a person turns the focuser."""

import base64
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vigil.devices.protocols import Exposure
from vigil.documents.focusruns import NEAR
from vigil.documents.focuswish import NearWish
from vigil.documents.rig import Rig
from vigil.engine.activities.moves import filter_to, frame_exposure, is_mosaic, take
from vigil.engine.activity import Kit
from vigil.engine.errand import ErrandRefused
from vigil.engine.focusing.bench import FocusBench, needs, through
from vigil.engine.focusing.plan import obstruction
from vigil.engine.measuring import FocusOptics, MeasuringFailed
from vigil.imaging.onestar import OneStar

_SPIKES_HALF_PX = 90


def _wide_cutout(image: NDArray[np.generic], star: OneStar, binning: int) -> dict[str, Any]:
    """As much around the star as its spikes are looked at in; what is brighter than they are is white."""
    half = _SPIKES_HALF_PX
    data = np.pad(np.asarray(image, dtype=float), half, mode="edge")
    row, column = round(star.y_px), round(star.x_px)
    part = data[row : row + 2 * half, column : column + 2 * half]
    part = part.reshape(half, 2, half, 2).mean(axis=(1, 3)) - star.background_adu
    top = max(float(np.percentile(part, 98.5)), 1.0)
    steps = np.rint(255 * np.clip(part / top, 0, 1)).astype(np.uint8)
    return {"side": half, "scale": 2.0 * binning, "pixels": base64.b64encode(steps.tobytes()).decode()}


class GettingNear(FocusBench[NearWish]):
    """Until somebody stops it, or so many frames are taken. The focuser is not claimed: it is moved by hand
    meanwhile. Each frame is a row of the stream `NEAR`, none is an event."""

    KIND = "getting near"
    WISH = NearWish

    @classmethod
    def checked(cls, rig: Rig, wish: NearWish) -> NearWish:
        if not wish.guides:
            needs(rig, "telescope", "camera")
            return wish.model_copy(update={"filter": through(rig, wish.filter)})
        if rig.guider is None:
            raise ErrandRefused(f"{rig.name} has no guide camera")
        return wish

    @classmethod
    def words_of(cls, wish: NearWish) -> str:
        return f"looking at a star with the {'guide camera' if wish.guides else 'camera'}"

    @classmethod
    def uses(cls, wish: NearWish) -> tuple[str, ...]:
        return ("guide camera",) if wish.guides else ("camera", "filter wheel")

    async def work(self, kit: Kit) -> dict[str, Any]:
        wish, camera = self.wish, "guide camera" if self.wish.guides else "camera"
        if wish.filter:
            await filter_to(kit, wish.filter)
        near = (wish.x, wish.y) if wish.x is not None and wish.y is not None else None
        number = 0
        while not wish.frames or number < wish.frames:
            number += 1
            exposure = self._exposure(kit, near)
            frame = await take(kit, exposure, name=camera)
            left, bottom = exposure.region[:2] if exposure.region else (0, 0)
            inside = near and (near[0] / wish.binning - left, near[1] / wish.binning - bottom)
            full = kit.rig.camera.full_scale_adu if kit.rig.camera and not wish.guides else 65535
            optics = FocusOptics(full)
            if not wish.guides:
                optics = FocusOptics(full, obstruction(kit.rig), is_mosaic(kit, frame))
            star = await kit.measurer.one_star(frame.image, optics, inside)
            focuser = kit.devices.focuser
            position = focuser.state.position if focuser is not None and focuser.state is not None else None
            told: dict[str, Any] = {"number": number, "position": position, "exposure_s": wish.exposure_s}
            if star is not None:
                told |= self._numbers(kit, star, (left, bottom), full)
                if wish.mask:
                    told |= await self._mask(kit, frame.image, star)
                if near is not None or wish.window:
                    near = told["x_px"], told["y_px"]  # it drifts
            else:
                seen = await kit.measurer.sharpness(frame.image, full)
                told["blur"] = round(seen.blur, 3)
            self.sample(NEAR, told)
        return {"summary": f"{number} frames looked at"}

    def _exposure(self, kit: Kit, near: tuple[float, float] | None) -> Exposure:
        wish, rig = self.wish, kit.rig
        if wish.guides:
            assert rig.guider is not None, "asked for before"
            exposure = Exposure(wish.exposure_s, rig.guider.gain, 20, wish.binning)
            rows, columns = rig.guider.rows, rig.guider.columns
        else:
            exposure = replace(frame_exposure(kit, wish.exposure_s, "focusing"), binning=wish.binning)
            rows, columns = rig.field_px()
        if not wish.window or near is None:
            return exposure
        side = max(64, wish.window // wish.binning)
        wide, high = columns // wish.binning, rows // wish.binning
        left = int(np.clip(near[0] / wish.binning - side / 2, 0, max(0, wide - side)))
        bottom = int(np.clip(near[1] / wish.binning - side / 2, 0, max(0, high - side)))
        return replace(exposure, region=(left, bottom, min(side, wide), min(side, high)))

    async def _mask(self, kit: Kit, image: NDArray[np.generic], star: OneStar) -> dict[str, Any]:
        """How far the middle spike stands beside the others' crossing, and where all three are (from the
        star, in the sensor's pixels)."""
        wide = _wide_cutout(image, star, self.wish.binning)
        try:
            found = await kit.measurer.mask(image, star.x_px, star.y_px)
        except (MeasuringFailed, ValueError) as problem:
            said = str(problem).removeprefix("the frame could not be measured: ")
            return {"cutout": wide, "mask": {"reason": said}}
        binning = self.wish.binning
        lines = [
            [(a.x_px - star.x_px) * binning, (a.y_px - star.y_px) * binning, a.angle_deg] for a in found.lines
        ]
        return {
            "cutout": wide,
            "mask": {
                "offset_px": round(found.offset_px * binning, 2),
                "error_px": round(found.error_px * binning, 2),
                "lines": [[round(v, 2) for v in line] for line in lines],
            },
        }

    def _numbers(self, kit: Kit, star: OneStar, corner: tuple[int, int], full_adu: float) -> dict[str, Any]:
        """In the sensor's own pixels, whatever the binning."""
        binning, rig = self.wish.binning, kit.rig
        if self.wish.guides:
            scale = rig.guide_scale_arcsec_px
        else:
            scale = rig.scale_arcsec_px()
        size = star.size_px * binning
        told: dict[str, Any] = {
            "x_px": round((star.x_px + corner[0] + 0.5) * binning - 0.5, 2),
            "y_px": round((star.y_px + corner[1] + 0.5) * binning - 0.5, 2),
            "size_px": round(size, 3),
            "disc": star.disc,
            "peak_share": round((star.peak_adu + star.background_adu) / full_adu, 4),
            "clipped": star.clipped,
        }
        if scale:
            told["size_arcsec"] = round(size * scale, 2)
        if star.cutout is not None:
            steps = np.rint(255 * star.cutout).astype(np.uint8)
            pixels = base64.b64encode(steps.tobytes()).decode()
            told["cutout"] = {"side": len(steps), "scale": star.cut_scale * binning, "pixels": pixels}
            told["profile"] = list(star.profile)
            told["profile_px"] = round(star.profile_px * binning, 2)
        return told
