"""Frames of the guide camera, their stars, and pulses: what calibration and loop are made of."""

import base64
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from vigil.devices.protocols import Exposure, RawFrame
from vigil.engine.activities.moves import take
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.guiding.eye import GuideEye, GuideOptics, Image
from vigil.guiding.centroid import Place, Profile
from vigil.guiding.choose import Choice, better_exposure_s
from vigil.guiding.several import Shift, StarGroup

_OFFSET = 20
_SHORTEST_S, _LONGEST_S, _ADAPTED = 0.2, 8.0, 4
_CLIPPED_SHARE, _FAINT_ERROR_PX = 0.85, 0.15
_PULSE_MARGIN_S = 15.0
_SHOWN_PX = 15
DIRECTIONS = {"ra": ("west", "east"), "dec": ("north", "south")}
"""Where a pulse of + milliseconds goes, and one of −."""


def scale_of(kit: Kit, binning: int = 1) -> float:
    """Arc-seconds a binned pixel. Raises ActivityFailed where the rig doesn't say."""
    scale = kit.rig.guide_scale_arcsec_px
    if scale is None:
        raise ActivityFailed(f"{kit.rig.name} has no guide camera, or its focal length isn't known")
    return scale * binning


def eye_of(kit: Kit) -> GuideEye:
    assert kit.eye is not None, "every kit of an errand has one"
    return kit.eye


@dataclass(frozen=True, slots=True)
class Seen:
    """One frame: when its middle was, where the stars were (None: not seen), and how far all of them stand
    beside their first places."""

    at: datetime
    places: tuple[Place | None, ...]
    shift: Shift | None

    @property
    def snr(self) -> float:
        """Of the best star; 0 without any."""
        return max((place.snr for place in self.places if place is not None), default=0.0)

    @property
    def light_adu(self) -> float:
        """Of all stars that are seen."""
        return sum(place.light_adu for place in self.places if place is not None)


@dataclass(slots=True)
class GuideFrames:
    """Takes frames and follows the chosen stars through them."""

    kit: Kit
    exposure_s: float
    binning: int = 1
    choice: Choice | None = None
    group: StarGroup = field(default_factory=StarGroup)
    dark_for: Callable[[float, int], Image | None] = lambda exposure_s, binning: None
    """The dark for an exposure and a binning, where there is one."""
    dark: Image | None = None
    image: Image | None = None
    """The last frame's."""

    @property
    def _optics(self) -> GuideOptics:
        guider = self.kit.rig.guider
        return GuideOptics(2.0 ** (guider.bit_depth if guider else 16) - 1)

    @property
    def profile(self) -> Profile:
        assert self.choice is not None, "stars were chosen before"
        return self.choice.profile

    async def take(self) -> RawFrame:
        """Raises DeviceError."""
        guider = self.kit.rig.guider
        exposure = Exposure(self.exposure_s, guider.gain if guider else 0, _OFFSET, self.binning)
        return await take(self.kit, exposure, name="guide camera")

    async def choose(self, near: tuple[float, float] | None = None, adapt: bool = True) -> Choice:
        """Take frames until there are stars that suit, exposing longer or shorter where `adapt` allows; a
        star by hand stays alone. Raises ActivityFailed where there is none."""
        for attempt in range(_ADAPTED):
            self.dark = self.dark_for(self.exposure_s, self.binning)
            frame = await self.take()
            choice = await eye_of(self.kit).choose(frame.image, self._optics, self.dark, near)
            wanted_s = better_exposure_s(choice, self.exposure_s, _SHORTEST_S, _LONGEST_S)
            best = choice.stars[0] if choice else None
            clips = best is not None and best.full_share > _CLIPPED_SHARE and near is not None
            faint = best is None or best.error_px > _FAINT_ERROR_PX
            if not adapt or not (clips or faint) or wanted_s == self.exposure_s or attempt == _ADAPTED - 1:
                break
            self.exposure_s = wanted_s
        if choice is None:
            raise ActivityFailed(f"no star to guide by, with exposures up to {self.exposure_s:g} s")
        stars = choice.stars[:1] if near is not None else choice.stars
        self.choice = choice
        self.group = StarGroup.at([(star.x_px, star.y_px) for star in stars])
        return choice

    async def look(self, expected: tuple[float, float] = (0.0, 0.0), search_px: float = 6.0) -> Seen:
        """A frame, and where the stars are; they are looked for so far beside their first places."""
        frame = await self.take()
        self.image = frame.image
        places = await eye_of(self.kit).places(
            frame.image, self.group.expected(expected), self.profile, self._optics, self.dark, search_px
        )
        middle = frame.started_at + timedelta(seconds=frame.exposure.exposure_s / 2)
        return Seen(middle, tuple(places), self.group.shift_of(places))

    def star(self, place: Place) -> dict[str, Any] | None:
        """What is around a star of the last frame, for people to see: square roots in 255 steps of its
        highest pixel's; None where there is no picture."""
        assert self.image is not None, "it was looked at"
        x, y = round(place.x_px), round(place.y_px)
        half = _SHOWN_PX // 2
        part = np.asarray(
            self.image[max(0, y - half) : y + half + 1, max(0, x - half) : x + half + 1], dtype=float
        )
        if part.shape != (_SHOWN_PX, _SHOWN_PX):
            return None
        over = np.maximum(part - place.background_adu, 0.0)
        top = float(over.max())
        if top <= 0:
            return None
        steps = np.rint(255 * np.sqrt(over / top)).astype(np.uint8)
        return {
            "side": _SHOWN_PX,
            "pixels": base64.b64encode(steps.tobytes()).decode(),
            "peak_adu": round(top),
        }


async def pulse(kit: Kit, direction: str, duration_ms: int) -> None:
    """Move the star, by the mount's own line or through the guide camera's port, as the rig has it; over when
    that is done. Raises DeviceError."""
    part = kit.rig.mount
    by_port = part is not None and part.corrections == "guide camera's port"
    device = kit.devices.named("guide camera" if by_port else "mount")
    await device.do(
        f"pulse {direction}",
        duration_ms / 1000 + _PULSE_MARGIN_S,
        lambda d: d.pulse(direction, duration_ms),
        tries=1,
    )
