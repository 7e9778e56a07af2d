"""Frames for focusing: taken where the run wants them, exposed so that enough stars are seen and few clip,
and measured with the same stars from frame to frame."""

import base64
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from vigil.engine.activities.moves import focuser_to, frame_exposure, is_mosaic, take
from vigil.engine.activity import Kit
from vigil.engine.focusing.plan import focus_optics
from vigil.focusing.fine import FinePlan, Measure, Taken
from vigil.focusing.samestars import StarList, same_stars
from vigil.imaging.focusframe import Cutout, FocusFrame
from vigil.imaging.sharpness import Sharpness

_ENOUGH_STARS, _FEW_STARS, _MOST_CLIPPED = 12, 5, 0.1
_LONGEST_S, _BLIND_S, _SHORTEST_S = 30.0, 10.0, 0.2
_ADAPTED = 4
_SCATTER_FLOOR = 0.002
_CLIPPED_SUBJECT, _BRIGHTEST_S, _SUBJECT_STARS = 0.001, 0.0005, 99
"""Of a subject that is no stars: how much may clip, the shortest exposure, and what stands for stars."""


@dataclass(slots=True)
class _Seen:
    """One frame, measured."""

    measure: Measure
    exposure_s: float
    found: FocusFrame
    stars: StarList


class FocusFrames:
    """The frames of one run, through one filter."""

    def __init__(self, kit: Kit, plan: FinePlan, exposure_s: float, directly: bool = False) -> None:
        """`directly`: positions are gone to without making up for backlash."""
        self._kit, self._plan, self._directly = kit, plan, directly
        self.exposure_s = exposure_s
        self._seen: list[_Seen] = []
        self.taken: tuple[Taken, ...] = ()

    async def take(self, measure: Measure) -> tuple[Taken, ...]:
        """Go there, expose, measure; of all frames so far, as they are known now."""
        await focuser_to(self._kit, measure.position, self._directly)
        found = await (self._blurred() if self._plan.starless else self._frame())
        if not self._plan.starless and measure.why in ("look", "sweep"):
            first = not self._seen
            for _ in range(_ADAPTED):
                wanted = _better_exposure_s(self.exposure_s, found, measure.why == "look", first)
                if wanted is None:
                    break
                self.exposure_s = wanted
                found = await self._frame()
        light = found.lights_adu / self.exposure_s
        stars = StarList(found.x_px, found.y_px, found.sizes_px, light)
        self._seen.append(_Seen(measure, self.exposure_s, found, stars))
        self.taken = self._all()
        return self.taken

    async def _frame(self) -> FocusFrame:
        kit = self._kit
        # unbinned whatever frames for framing have: sizes are told in the sensor's own pixels
        exposure = replace(frame_exposure(kit, self.exposure_s, "focusing"), binning=1)
        frame = await take(kit, exposure)
        return await kit.measurer.focus(frame.image, focus_optics(kit.rig, self._plan, is_mosaic(kit, frame)))

    async def _blurred(self) -> FocusFrame:
        """By the sharpness of whatever is seen; nothing clips."""
        kit = self._kit
        for _ in range(_ADAPTED):
            exposure = replace(frame_exposure(kit, self.exposure_s, "focusing"), binning=1)
            frame = await take(kit, exposure)
            full = kit.rig.camera.full_scale_adu if kit.rig.camera else 65535
            seen = await kit.measurer.sharpness(frame.image, full)
            if seen.clipped <= _CLIPPED_SUBJECT or self.exposure_s <= _BRIGHTEST_S:
                break
            self.exposure_s = max(self.exposure_s / 4, _BRIGHTEST_S)
        return subject_frame(seen)

    def _all(self) -> tuple[Taken, ...]:
        alike = any(len(seen.stars) for seen in self._seen)
        shared = same_stars([s.stars if len(s.stars) else None for s in self._seen]) if alike else []
        told = []
        for k, seen in enumerate(self._seen):
            found, same = seen.found, shared[k] if shared else None
            size = found.size_px if math.isfinite(found.size_px) and found.discs is None else 0.0
            scatter, stars = found.scatter_px if size else 0.0, found.stars if size else 0
            light = found.light if found.light is not None else 1.0
            if same is not None and size:
                size, scatter, stars, light = same.size_px, same.scatter_px, same.stars, same.light
            told.append(
                Taken(
                    position=seen.measure.position,
                    size=size,
                    scatter=max(scatter, _SCATTER_FLOOR * size) if math.isfinite(scatter) else 0.1 * size,
                    stars=stars,
                    light=light,
                    elongation=found.elongation if math.isfinite(found.elongation) else 1.0,
                    radius_px=found.discs.radius_px if found.discs else None,
                )
            )
        return tuple(told)

    def stars_of(self, which: Sequence[int]) -> tuple[list[int], list[StarList]]:
        """Positions and stars of some of the frames."""
        return [self._seen[k].measure.position for k in which], [self._seen[k].stars for k in which]

    def numbers(self) -> dict[str, Any]:
        """Of the last frame, for its event."""
        seen, taken = self._seen[-1], self.taken[-1]
        size = taken.size or (taken.radius_px or 0.0)
        told: dict[str, Any] = {
            "position": taken.position,
            "hfr_px": round(size, 3),
            "sigma_px": round(taken.scatter, 4),
            "stars": taken.stars,
            "why": seen.measure.why,
            "exposure_s": round(seen.exposure_s, 3),
            "light": round(taken.light, 3),
            "elongation": round(taken.elongation, 3),
        }
        if taken.radius_px is not None:
            told["disc_px"] = round(2 * taken.radius_px, 1)
        if seen.found.cutout is not None:
            told["cutout"] = as_text(seen.found.cutout)
        return told

    def words(self) -> str:
        """The same in a sentence."""
        taken = self.taken[-1]
        if taken.radius_px is not None:
            return f"discs of {2 * taken.radius_px:.0f} px at {taken.position}"
        if not taken.size:
            return f"no stars at {taken.position}"
        if self._plan.starless:
            return f"blur {taken.size:.2f} at {taken.position}"
        return f"{taken.size:.2f} px at {taken.position}, {taken.stars} stars"


def _better_exposure_s(exposure_s: float, found: FocusFrame, at_look: bool, first: bool) -> float | None:
    """Shorter where much clips, longer where stars are few; None where it does. Where there is nothing at all
    it is tried with the first frame only: far out of focus, or under a cloud, time shows nothing more."""
    clips = found.clipped > _MOST_CLIPPED * max(found.found, 1) and found.clipped >= 1
    if clips and exposure_s > _SHORTEST_S:
        return max(exposure_s / 3, _SHORTEST_S)
    enough = _ENOUGH_STARS if at_look else _FEW_STARS
    few = found.stars < enough and found.discs is None and (first or found.found > 0)
    longest_s = _LONGEST_S if found.found else _BLIND_S
    if few and not found.clipped and exposure_s < longest_s:
        return min(2.5 * exposure_s, longest_s)
    return None


def subject_frame(seen: Sharpness) -> FocusFrame:
    """A blur in the place of stars' size."""
    none = np.empty(0)
    return FocusFrame(
        size_px=seen.blur,
        scatter_px=seen.scatter * seen.blur,
        stars=_SUBJECT_STARS,
        elongation=1.0,
        found=_SUBJECT_STARS,
        clipped=0,
        brightest_adu=0.0,
        background_adu=0.0,
        noise_adu=0.0,
        x_px=none,
        y_px=none,
        sizes_px=none,
        lights_adu=none,
    )


def as_text(cutout: Cutout) -> dict[str, Any]:
    """A cut-out small enough for an event: square roots in 255 steps of the highest pixel's."""
    pixels = np.maximum(cutout.pixels, 0.0)
    top = float(pixels.max())
    steps = np.rint(255 * np.sqrt(pixels / top)).astype(np.uint8) if top > 0 else pixels.astype(np.uint8)
    text = base64.b64encode(steps.tobytes()).decode()
    return {"side": len(steps), "scale": cutout.scale, "top": round(top, 7), "pixels": text}
