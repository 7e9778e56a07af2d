"""Guiding asked for by a person: until it is stopped."""

import math
from typing import Any

import numpy as np

from vigil.documents.guiding import GUIDE, GUIDING, GuidingWish
from vigil.documents.night import NotAllowed
from vigil.engine.activity import Kit
from vigil.engine.focusing.bench import stars_stand_still
from vigil.engine.guiding.beginning import calibration_for, made_anew
from vigil.engine.guiding.bench import GuideBench, guide_frames
from vigil.engine.guiding.frames import eye_of
from vigil.engine.guiding.loop import Found, GuideLoop, Sample, told
from vigil.guiding.dithers import next_place
from vigil.guiding.figures import figures_of

MOST_DITHER_PX = 200.0
_TEST_RMS, _LEAST_TEST_ARCSEC = 6.0, 5.0


class Guiding(GuideBench[GuidingWish]):
    """Cut off, the mount tracks on without corrections."""

    KIND = GUIDING
    WISH = GuidingWish
    _loop: GuideLoop | None = None

    @classmethod
    def words_of(cls, wish: GuidingWish) -> str:
        return "guiding" if wish.corrects else "watching a star without corrections"

    async def work(self, kit: Kit) -> dict[str, Any]:
        await stars_stand_still(kit)
        wish = self.wish
        self._samples: list[Sample] = []
        self._places: list[tuple[float, float]] = []
        self._rng = np.random.default_rng(list(self.id.encode()))
        frames = guide_frames(kit, self._place.folder, wish.exposure_s, wish.binning)
        near = None if wish.x is None or wish.y is None else (wish.x / wish.binning, wish.y / wish.binning)
        try:
            choice = await frames.choose(near, adapt=wish.exposure_s is None)
            refused = f" (not {choice.words})" if choice.words else ""
            await self.step(
                {"stars": len(choice.stars), "exposure_s": round(frames.exposure_s, 2)},
                f"{len(choice.stars)} stars with {frames.exposure_s:g} s{refused}",
            )
            folder = self._place.folder
            calibration, _ = await calibration_for(kit, folder, frames, wish.calibrate, self.step)
            if near is not None:  # calibrating may have moved it out of its place
                await frames.choose((choice.stars[0].x_px, choice.stars[0].y_px), adapt=False)
            else:
                await frames.choose(adapt=False)

            async def again() -> Found:
                return await made_anew(kit, folder, frames, self.step)

            loop = GuideLoop(
                kit,
                frames,
                calibration,
                self.step,
                self._keep,
                again if wish.calibrate != "never" else None,
                lambda: self._place.kit().rig.guider,
                wish.corrects,
                wish.frames,
                by_hand=near is not None,
            )
            self._loop = loop
            await loop.run()
        finally:
            eye_of(kit).close()
        return self._numbers()

    def tell(self, values: dict[str, Any]) -> str:
        """A dither (`px`: to within so many pixels of the main camera; else as the rig has it), or a test of
        an axis's answer (`axis`)."""
        if self._loop is None:
            raise NotAllowed("no star is guided by yet")
        if self._loop.settling:
            raise NotAllowed("it has not settled yet after the last move")
        if values.get("what") == "dither":
            return self._dither(self._loop, values.get("px"))
        if values.get("what") == "response" and values.get("axis") in ("ra", "dec"):
            return self._test(self._loop, values["axis"])
        raise NotAllowed(f"{self.words}: it knows dither, and response with an axis, not {values}")

    def _dither(self, loop: GuideLoop, wanted_px: Any) -> str:
        rig = self._place.kit().rig
        guider = rig.guider
        assert guider is not None, "asked for before"
        try:
            scale, most_px = rig.scale_arcsec_px(), float(wanted_px or guider.dither_px)
        except (TypeError, ValueError) as problem:
            raise NotAllowed(str(problem)) from None
        if not 0 < most_px <= MOST_DITHER_PX:
            raise NotAllowed(f"a dither of {most_px:g} px can't be: up to {MOST_DITHER_PX:g}")
        place = next_place(guider.dither_way, most_px, self._places, self._rng)
        self._places.append(place)
        east, north = place
        away_arcsec = math.hypot(*place) * scale
        guide_px = away_arcsec / (rig.guide_scale_arcsec_px or scale)
        words = (
            f"dither {len(self._places)}: to {east:+.1f} px east, {north:+.1f} px north "
            f"({away_arcsec:.1f}″, {guide_px:.1f} px of the guide camera)"
        )
        told = {"number": len(self._places), "east_px": round(east, 3), "north_px": round(north, 3)}
        # a star stands where the telescope doesn't: to point north it must stand south of its place
        loop.move((east * scale, -north * scale), words, {"dither": told})
        return words

    def _test(self, loop: GuideLoop, axis: str) -> str:
        """There and, when it is asked again, back: a move that stands out of the air's scatter."""
        rms = loop.rms_arcsec() or 1.0
        by = max(_TEST_RMS * rms, _LEAST_TEST_ARCSEC)
        k = ("ra", "dec").index(axis)
        target = list(loop.target_arcsec)
        target[k] += -by if target[k] > 0 else by
        name = "right ascension" if axis == "ra" else "declination"
        words = f"testing the answer of {name}: a move of {by:.1f}″"
        loop.move((target[0], target[1]), words, {"tests": axis}, axis)
        return words

    def _keep(self, sample: Sample) -> None:
        self._samples.append(sample)
        self.sample(GUIDE, told(sample))

    def _numbers(self) -> dict[str, Any]:
        seen = [s for s in self._samples if s.error_arcsec is not None]
        numbers: dict[str, Any] = {"frames": len(self._samples)}
        for k, name in enumerate(("ra", "dec")):
            found = figures_of(
                [(s.at - seen[0].at).total_seconds() for s in seen],
                [s.error_arcsec[k] for s in seen if s.error_arcsec is not None],
                [s.pulse_ms[k] / 1000 * s.rates_arcsec_s[k] for s in seen],
                [not s.mark for s in seen],
            )
            if found is None:
                return numbers
            numbers[f"{name}_rms_arcsec"] = round(found.rms_arcsec, 3)
            numbers[f"{name}_corrections_min"] = round(found.corrections_min, 1)
        total = (numbers["ra_rms_arcsec"] ** 2 + numbers["dec_rms_arcsec"] ** 2) ** 0.5
        numbers["rms_arcsec"] = round(total, 3)
        numbers["summary"] = (
            f"{len(seen)} frames, {total:.2f}″ ({numbers['ra_rms_arcsec']:.2f}″ in right ascension, "
            f"{numbers['dec_rms_arcsec']:.2f}″ in declination)"
        )
        return numbers
