"""Frames for focusing: taken where the run wants them, exposed so that enough stars are seen and few clip,
and measured with the same stars from frame to frame."""

import base64
import math
from collections.abc import Awaitable, Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vigil.calibration.masters import middle_of
from vigil.devices.protocols import RawFrame
from vigil.engine.activities.moves import focuser_to, frame_exposure, is_mosaic, take
from vigil.engine.activity import Kit
from vigil.engine.focusing.plan import LONGEST_S, focus_optics
from vigil.focusing.fine import LEAST_STARS, FinePlan, Measure, Taken
from vigil.focusing.samestars import StarList, same_stars
from vigil.imaging.focusframe import Cutout, FocusFrame
from vigil.imaging.richestpart import Region
from vigil.imaging.sharpness import Sharpness
from vigil.planning.focustime import ONE_STAR_PX

_ENOUGH_STARS, _FEW_STARS, _MOST_CLIPPED = 8, 4, 0.1
_BLIND_S, _SHORTEST_S = 10.0, 0.2
_LIT_SHARE = 0.06
"""Of full scale: no night sky is so bright in so short a frame."""
_ADAPTED = 4
_TIME_FOR_STARS, _LEAST_LONGER = 2.3, 2.5
"""So many times the stars ask for that power of it in time: their number grows as 10^(0.35 m), see
`elsewhere.py`, the depth m under a sky's noise as 1.25 log t."""
_SCATTER_FLOOR = 0.002
_ONE_STAR_SCATTER = 0.03
_CLIPPED_SUBJECT, _BRIGHTEST_S, _SUBJECT_STARS = 0.001, 0.0005, 99
"""Of a subject that is no stars: how much may clip, the shortest exposure, and what stands for stars."""
_SUBJECT_PX = 768
"""Side of the part of it that is read out."""


Keep = Callable[[Kit, RawFrame, int, int], Awaitable[None]]
"""Is given each frame with its position and number."""


@dataclass(slots=True)
class _Seen:
    """One frame, measured."""

    measure: Measure
    exposure_s: float
    found: FocusFrame
    stars: StarList


class FocusFrames:
    """The frames of one run, through one filter."""

    def __init__(
        self,
        kit: Kit,
        plan: FinePlan,
        exposure_s: float,
        directly: bool = False,
        one_star: bool = False,
        keep: Keep | None = None,
        longest_s: float = LONGEST_S,
    ) -> None:
        """`directly`: positions are gone to without making up for backlash. `one_star` measures the brightest
        that doesn't clip, in a subframe around it. Where stars are few it is exposed up to `longest_s`."""
        self._kit, self._plan, self._directly = kit, plan, directly
        self._one_star, self._keep = one_star, keep
        self._longest_s = longest_s
        self._star: tuple[float, float] | None = None
        self._part: Region | None = None
        self._taken_frames = 0
        self._filled = 0.0
        """Mean of the middle of the last frame, ADU."""
        self.exposure_s = exposure_s
        self._seen: list[_Seen] = []
        self.taken: tuple[Taken, ...] = ()

    async def take(self, measure: Measure) -> tuple[Taken, ...]:
        """Go there, expose, measure; of all frames so far, as they are known now."""
        await focuser_to(self._kit, measure.position, self._directly)
        found = await self._looked_at(measure.position)
        if not (self._plan.starless or self._one_star) and measure.why in ("look", "sweep"):
            first = not self._seen
            for _ in range(_ADAPTED):
                wanted = _better_exposure_s(
                    self.exposure_s, found, measure.why == "look", first, self._longest_s
                )
                if wanted is None:
                    break
                self.exposure_s = wanted
                found = await self._frame(measure.position)
        light = found.lights_adu / self.exposure_s
        stars = StarList(found.x_px, found.y_px, found.sizes_px, light)
        self._seen.append(_Seen(measure, self.exposure_s, found, stars))
        self.taken = self._all()
        return self.taken

    async def _looked_at(self, position: int) -> FocusFrame:
        if self._plan.starless:
            return await self._blurred(position)
        return await (self._starred(position) if self._one_star else self._frame(position))

    async def _exposed(self, position: int, region: Region | None = None) -> RawFrame:
        """Unbinned whatever frames for framing have: sizes are told in the sensor's own pixels."""
        exposure = frame_exposure(self._kit, self.exposure_s, "focusing")
        frame = await take(self._kit, replace(exposure, binning=1, region=region))
        self._taken_frames += 1
        if self._keep is not None:
            await self._keep(self._kit, frame, position, self._taken_frames)
        return frame

    async def _starred(self, position: int) -> FocusFrame:
        """One star: found on a whole frame, then followed in its subframe; where it is lost, found again."""
        kit = self._kit
        rows, columns = kit.rig.field_px()
        region = None
        if self._star is not None:
            side = min(ONE_STAR_PX, rows, columns)
            left, bottom = (
                int(np.clip(at - side / 2, 0, most - side))
                for at, most in zip(self._star, (columns, rows), strict=True)
            )
            region = (left, bottom, side, side)
        frame = await self._exposed(position, region)
        corner = np.array(region[:2] if region else (0, 0))
        near = None if self._star is None else tuple(self._star - corner)
        optics = focus_optics(kit.rig, self._plan, is_mosaic(kit, frame))
        star = await kit.measurer.one_star(frame.image, optics, near)
        if star is None:
            self._star = None
            return star_frame(float("nan"), 0)
        self._star = (star.x_px + corner[0], star.y_px + corner[1])
        return star_frame(star.size_px, 1, star.cutout)

    async def _frame(self, position: int) -> FocusFrame:
        kit = self._kit
        frame = await self._exposed(position)
        self._filled = float(frame.image[middle_of(frame.image.shape)].mean())
        return await kit.measurer.focus(frame.image, focus_optics(kit.rig, self._plan, is_mosaic(kit, frame)))

    async def _blurred(self, position: int) -> FocusFrame:
        """By the sharpness of whatever is seen, where it shows most and nothing clips: after the first frame
        only that part is read out."""
        measurer, full = self._kit.measurer, self._kit.rig.camera.full_scale_adu  # type: ignore[union-attr]
        for _ in range(_ADAPTED):
            frame = await self._exposed(position, self._part)
            image = frame.image
            if not self.taken:
                self._part = await measurer.richest_part(image, _SUBJECT_PX, full)
                if self._part is not None:
                    left, bottom, columns, rows = self._part
                    image = image[bottom : bottom + rows, left : left + columns]
            seen = await measurer.sharpness(image, full)
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
                    scatter=max(scatter, _least_scatter(size, stars))
                    if math.isfinite(scatter)
                    else 0.1 * size,
                    stars=stars,
                    light=light,
                    elongation=found.elongation if math.isfinite(found.elongation) else 1.0,
                    radius_px=found.discs.radius_px if found.discs else None,
                )
            )
        return tuple(told)

    @property
    def exposures(self) -> int:
        """How many were made."""
        return self._taken_frames

    @property
    def fwhm_px(self) -> float | None:
        """Of the last frame."""
        found = self._seen[-1].found.fwhm_px if self._seen else math.nan
        return round(found, 3) if math.isfinite(found) else None

    def stars_of(self, which: Sequence[int]) -> tuple[list[int], list[StarList]]:
        """Positions and stars of some of the frames."""
        chosen = [self._seen[number] for number in which]
        return [seen.measure.position for seen in chosen], [seen.stars for seen in chosen]

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

    def _panel_words(self) -> str:
        """A flat panel that was left lit before the telescope shows as light without stars."""
        camera, panel = self._kit.rig.camera, self._kit.rig.panel
        if panel is None or camera is None or self._filled < _LIT_SHARE * camera.full_scale_adu:
            return ""
        share = 100 * self._filled / camera.full_scale_adu
        return f", in a light that fills them to {share:.0f} %: is {panel.name} still on the telescope?"

    def words(self) -> str:
        """The same in a sentence."""
        taken = self.taken[-1]
        if taken.radius_px is not None:
            return f"discs of {2 * taken.radius_px:.0f} px at {taken.position}"
        if not taken.size:
            return f"no stars at {taken.position}{self._panel_words()}"
        if self._plan.starless:
            said = f"blur {taken.size:.2f} at {taken.position}"
            if self._part is None or len(self.taken) > 1:
                return said
            left, bottom, columns, rows = self._part
            middle = f"{left + columns // 2}, {bottom + rows // 2}"
            return f"{said}; only {columns} × {rows} px around {middle} are read out from now on"
        return f"{taken.size:.2f} px at {taken.position}, {taken.stars} stars"


def _better_exposure_s(
    exposure_s: float, found: FocusFrame, at_look: bool, first: bool, most_s: float = LONGEST_S
) -> float | None:
    """Shorter where much clips, longer where stars are few; None where it does. Where there is nothing at all
    it is tried with the first frame only: far out of focus, or under a cloud, time shows nothing more."""
    clips = found.clipped > _MOST_CLIPPED * max(found.found, 1) and found.clipped >= 1
    if clips and exposure_s > _SHORTEST_S:
        return max(exposure_s / 3, _SHORTEST_S)
    enough = _ENOUGH_STARS if at_look else _FEW_STARS
    few = found.stars < enough and found.discs is None and (first or found.found > 0)
    longest_s = most_s if found.found else _BLIND_S
    if few and not found.clipped and exposure_s < longest_s:
        longer = float((enough / max(found.stars, 1)) ** _TIME_FOR_STARS)
        return min(max(longer, _LEAST_LONGER) * exposure_s, longest_s)
    return None


def _least_scatter(size: float, stars: int) -> float:
    """Of so few that they can't tell it themselves, what one star's usually is."""
    if stars >= LEAST_STARS:
        return _SCATTER_FLOOR * size
    return _ONE_STAR_SCATTER * size / math.sqrt(max(stars, 1))


def subject_frame(seen: Sharpness) -> FocusFrame:
    """A blur in the place of stars' size."""
    return replace(star_frame(seen.blur, _SUBJECT_STARS), scatter_px=seen.scatter * seen.blur)


def star_frame(size_px: float, stars: int, cutout: NDArray[np.float32] | None = None) -> FocusFrame:
    """Of a size that is known by itself; `cutout` is in shares of its brightest pixel."""
    none = np.empty(0)
    shares = None if cutout is None else cutout / max(float(cutout.sum()), 1e-9)
    return FocusFrame(
        size_px=size_px,
        scatter_px=_ONE_STAR_SCATTER * size_px,
        stars=stars,
        elongation=1.0,
        found=stars,
        clipped=0,
        brightest_adu=0.0,
        background_adu=0.0,
        noise_adu=0.0,
        x_px=none,
        y_px=none,
        sizes_px=none,
        lights_adu=none,
        cutout=None if shares is None else Cutout(shares, 1.0),
    )


def as_text(cutout: Cutout) -> dict[str, Any]:
    """A cut-out small enough for an event: square roots in 255 steps of the highest pixel's."""
    pixels = np.maximum(cutout.pixels, 0.0)
    top = float(pixels.max())
    steps = np.rint(255 * np.sqrt(pixels / top)).astype(np.uint8) if top > 0 else pixels.astype(np.uint8)
    text = base64.b64encode(steps.tobytes()).decode()
    return {"side": len(steps), "scale": cutout.scale, "top": round(top, 7), "pixels": text}
