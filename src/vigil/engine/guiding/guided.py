"""How a night's guiding stands, and what carries it out: frames and pulses, or a rehearsal's short cut."""

from collections import deque
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, Protocol

from vigil.documents.rig import Rig
from vigil.documents.rig.guider import GuiderPart

if TYPE_CHECKING:
    from vigil.engine.activity import Kit
    from vigil.engine.guiding.loop import Sample

Calibrate = Literal["when needed", "on each side", "always", "never"]
Tell = Callable[[dict[str, Any], str], Awaitable[None]]


class GuideStanding(StrEnum):
    """How far it is."""

    OFF = "not guiding"
    BEGINNING = "beginning"
    SETTLING = "settling"
    SETTLED = "settled"
    LOST = "no star"


@dataclass(frozen=True, slots=True)
class Guided:
    """One moment of it. `error_arcsec` is the rms of the last few frames, on both axes together,
    `within_arcsec` what it settles to; `sent_arcsec` how far corrections have moved the mount since it was
    sent where it is."""

    standing: GuideStanding
    words: str
    error_arcsec: float | None = None
    within_arcsec: float | None = None
    sent_arcsec: float = 0.0
    uncalibrated: str = ""
    """Why there is no calibration that serves; empty where there is one."""
    recent: tuple[tuple[datetime, float | None], ...] = ()
    """The last frames: how far the star stood off, None where none was seen."""

    def over_s(self, limit_arcsec: float) -> float:
        """For how long every frame has been farther off than this, or without a star."""
        began: datetime | None = None
        for at, off in reversed(self.recent):
            if off is not None and off <= limit_arcsec:
                break
            began = at
        return 0.0 if began is None else (self.recent[-1][0] - began).total_seconds()


@dataclass(frozen=True, slots=True)
class GuideFigures:
    """Of the frames during an exposure, arc-seconds on the sky."""

    ra_rms_arcsec: float
    dec_rms_arcsec: float
    frames: int

    @property
    def rms_arcsec(self) -> float:
        return float((self.ra_rms_arcsec**2 + self.dec_rms_arcsec**2) ** 0.5)


class GuideWork(Protocol):
    """Guiding under way: frames and pulses (`GuideLoop`), or a rehearsal's."""

    target_arcsec: tuple[float, float]
    """Where the star should stand against its first place: dithers."""

    @property
    def settled(self) -> bool:
        """Whether it has, since it began and since the last move."""
        ...

    @property
    def within_arcsec(self) -> float | None:
        """What it settles to, once it has begun to."""
        ...

    async def run(self) -> None:
        """Until it is cancelled. Raises ActivityFailed and what devices raise where it has to be given up."""
        ...

    def move(self, to_arcsec: tuple[float, float], words: str, values: dict[str, Any]) -> None:
        """The star belongs there from now on."""
        ...

    async def settle(self) -> bool:
        """Until it has settled, or not in the time that the rig gives it."""
        ...


@dataclass(frozen=True, slots=True)
class Beginning:
    """What guiding is begun with. `recent` outlives a pause: the night's own rms is known by it."""

    kit: "Kit"
    folder: Path
    """Where calibrations and darks are kept."""
    calibrate: Calibrate
    tell: Tell
    sampled: "Callable[[Sample], None]"
    recent: "deque[Sample]"
    guider_now: Callable[[], GuiderPart | None]
    rest: Callable[[float], Awaitable[None]]
    """Waits, before a frame of so many seconds, while the main camera is read out."""


class Guides(Protocol):
    """A night's way of guiding: with frames, or a rehearsal's short cut. Raises ActivityFailed and what
    devices raise."""

    def uncalibrated(self, rig: Rig, folder: Path) -> str:
        """Why there is no calibration that serves; empty where there is one."""
        ...

    async def calibrate(self, asked: Beginning) -> str:
        """Make one where the mount looks; how it is, in words."""
        ...

    async def begin(self, asked: Beginning) -> GuideWork:
        """Choose stars, calibrate where need be."""
        ...


class Guider(Protocol):
    """What activities and conditions of a night have of its guider."""

    async def calibrated_here(self) -> str:
        """Make a calibration where the mount looks; how it is, in words. Raises ActivityFailed."""
        ...

    async def settled(self, calibrate: Calibrate, within_arcsec: float | None) -> str:
        """Guide, and wait until it has settled; how, in words. Raises ActivityFailed."""
        ...

    def dither(self, east_arcsec: float, north_arcsec: float) -> None:
        """Point so far beside where it points, from the next frame on. Raises ActivityFailed while nothing
        guides."""
        ...
