"""A star's drift in declination watched until it says enough of one axis; nothing is corrected meanwhile."""

from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from vigil.devices.errors import DeviceError
from vigil.documents.polar import DriftWish
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.guiding.bench import guide_frames
from vigil.engine.guiding.frames import GuideFrames, Seen
from vigil.engine.measuring import MeasuringFailed
from vigil.engine.polar.camera import PolarCamera, SolvedFrame
from vigil.engine.polar.measure import site_of
from vigil.polar.adjusters import AdjusterName, turn_words
from vigil.polar.attitude import attitude
from vigil.polar.drift import Drift, NoDrift, drift_of
from vigil.polar.error import PolarError
from vigil.polar.turning import Frame, way_of
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

_EVERY_FRAMES = 5
_SEARCH_PX, _WIDE_PX, _LOST_FRAMES = 12.0, 40.0, 8
_DEVICE_TRIES, _DEVICE_WAIT_S = 5, 3.0
_STARTS = 4
_JUMP_LEAST_ARCSEC, _JUMP_SIGMAS = 6.0, 8.0
_AHEAD_DEG, _SIDEREAL_DEG_S = 0.05, 15.041067 / 3600
_UNKNOWN_ARCMIN = 15.0
"""What the other axis may be off while nobody knows."""
Tell = Callable[[dict[str, Any], str], Awaitable[None]]


@dataclass
class DriftLoop:
    """`sampled` hears of each frame."""

    kit: Kit
    wish: DriftWish
    folder: Path
    tell: Tell
    sampled: Callable[[dict[str, Any]], None]
    other: tuple[float, float] | None = None
    """Of the other axis: its error and standard error (arc-minutes), where they are known."""
    _at_s: list[float] = field(default_factory=list)
    _dec: list[float] = field(default_factory=list)

    async def begin(self) -> None:
        """Stars chosen, and the frame solved: so north is known, whatever pulses do on this side of the pier.
        Raises ActivityFailed."""
        self._frames: GuideFrames = guide_frames(self.kit, self.folder, self.wish.exposure_s, 1)
        choice = await self._frames.choose()
        camera = PolarCamera(self.kit, "guide", self._frames.exposure_s)
        solved: SolvedFrame | None = None
        for longer in (1.0, 2.0, 4.0):
            solved = await camera.take(longer=longer)
            if solved.wcs is not None:
                break
        if solved is None or solved.wcs is None or solved.sighting is None:
            reason = solved.solution.reason if solved else ""
            raise ActivityFailed(f"where north is on the frame isn't known: not solved, {reason}")
        wcs, site, at = solved.wcs, site_of(self.kit), from_datetimes(solved.at)
        rows, columns = wcs.shape
        self._middle = (columns - 1) / 2, (rows - 1) / 2
        ahead = wcs.to_pixel(wcs.ra_deg, wcs.dec_deg + _AHEAD_DEG)
        north = np.array([float(ahead[0]) - self._middle[0], float(ahead[1]) - self._middle[1]])
        self._north = north / float(np.hypot(*north))
        self._solved_at = solved.at
        self._scale = wcs.scale_arcsec_px
        self._pose = Frame(attitude(solved.sighting, site), wcs.scale_arcsec_px, wcs.mirrored)
        seen = observe(wcs.ra_deg, wcs.dec_deg, at, site)
        self.hour_angle_deg, self.dec_deg = float(seen.hour_angle_deg), float(seen.dec_deg)
        self._pressure_hpa = site.pressure_hpa
        self._first = choice.stars[0].x_px, choice.stars[0].y_px
        self._last_px = (0.0, 0.0)
        await self.tell(
            {"stars": len(choice.stars), "hour_angle_deg": round(self.hour_angle_deg, 2)},
            f"{len(choice.stars)} stars with {self._frames.exposure_s:g} s; nothing is corrected meanwhile",
        )

    async def measure(self) -> Drift:
        """Until it is enough, or the time is over: then as well as it is known. Raises ActivityFailed."""
        self._clear()
        last: Drift | None = None
        starts = 0
        while True:
            seen = await self._seen()
            if seen is None or self._jumped(seen):
                starts += 1
                if starts >= _STARTS:
                    raise ActivityFailed("the star was lost or jumped again and again: a cloud, or a hand?")
                why = "the star was lost" if seen is None else "the star jumped (was an adjuster turned?)"
                await self.tell({}, f"{why}; measured again from here")
                await self._frames.choose(adapt=False)
                assert self._frames.choice is not None, "it was chosen"
                star = self._frames.choice.stars[0]
                self._first, self._last_px = (star.x_px, star.y_px), (0.0, 0.0)
                self._clear()
                last = None
                continue
            self._keep(seen)
            told = self._frame_told(seen)
            if len(self._at_s) % _EVERY_FRAMES == 0 and (found := self._drift()) is not None:
                last = found
                told |= drift_told(found, self.wish.axis)
            self.sampled(told)
            if last is not None and last.enough:
                return last
            if self._at_s and self._at_s[-1] > self.wish.longest_s:
                if last is None:
                    raise ActivityFailed("the drift can't be told from these frames")
                return last

    async def watch(self, found: Drift, until: Callable[[], bool]) -> None:
        """While somebody turns the adjuster: how far the star still has to go. The mark is where it stands
        once this axis is right."""
        begins = self._star_px()
        mark = self.mark_px(found.error_arcmin, begins)
        while not until():
            seen = await self._seen()
            told: dict[str, Any] = {"at": self._now().isoformat(), "phase": "turning", "mark": _pair(mark)}
            if seen is None:
                told["reason"] = "no star: it has gone too far, or a cloud is before it"
            else:
                x, y = self._star_px()
                away = float(np.hypot(mark[0] - x, mark[1] - y))
                told |= {"star": _pair((x, y)), "begins": _pair(begins), "away_px": round(away, 1)}
                told["away_arcmin"] = round(away * self._scale / 60, 2)
            self.sampled(told)

    def mark_px(self, error_arcmin: float, star: tuple[float, float]) -> tuple[float, float]:
        """Where a star (px) goes when this axis is put right."""
        only = (
            PolarError(error_arcmin, 0.0) if self.wish.axis == "altitude" else PolarError(0.0, error_arcmin)
        )
        place = star[0] - self._middle[0], star[1] - self._middle[1]
        way = way_of(self._pose, place, only, self.kit.rig.site.latitude_deg)
        return way.mark[0] + self._middle[0], way.mark[1] + self._middle[1]

    @property
    def _later_deg(self) -> float:
        """By how much the sky has turned from the solved frame to the middle of the samples."""
        began = self._began or self._solved_at
        middle_s = (self._at_s[0] + self._at_s[-1]) / 2
        return ((began - self._solved_at).total_seconds() + middle_s) * _SIDEREAL_DEG_S

    @property
    def frames(self) -> int:
        """Of the last measurement."""
        return len(self._at_s)

    # -- a frame ---------------------------------------------------------------------------------------

    def _now(self) -> datetime:
        return self.kit.clock.utcnow()

    def _clear(self) -> None:
        self._at_s.clear()
        self._dec.clear()
        self._began: datetime | None = None

    async def _seen(self) -> Seen | None:
        """None where the star is not to be found any more."""
        failed = 0
        for attempt in range(_LOST_FRAMES):
            try:
                seen = await self._frames.look(self._last_px, _WIDE_PX if attempt > 1 else _SEARCH_PX)
            except (DeviceError, MeasuringFailed) as problem:
                failed += 1
                if failed >= _DEVICE_TRIES:
                    raise ActivityFailed(f"no guide frame: {problem}") from None
                await self.kit.clock.sleep(_DEVICE_WAIT_S)
                continue
            if seen.shift is not None:
                self._last_px = seen.shift.dx_px, seen.shift.dy_px
                return seen
        return None

    def _dec_of(self, seen: Seen) -> float:
        assert seen.shift is not None, "it was seen"
        return float(self._north @ (seen.shift.dx_px, seen.shift.dy_px)) * self._scale

    def _keep(self, seen: Seen) -> None:
        self._began = self._began or seen.at
        self._at_s.append((seen.at - self._began).total_seconds())
        self._dec.append(self._dec_of(seen))

    def _jumped(self, seen: Seen) -> bool:
        """By far more than the last frames scatter."""
        if len(self._dec) < 6:
            return False
        steps = np.diff(self._dec[-20:])
        usual = 1.4826 * float(np.median(np.abs(steps - np.median(steps))))
        step = self._dec_of(seen) - self._dec[-1] - float(np.median(steps))
        return abs(step) > max(_JUMP_LEAST_ARCSEC, _JUMP_SIGMAS * usual)

    def _star_px(self) -> tuple[float, float]:
        return self._first[0] + self._last_px[0], self._first[1] + self._last_px[1]

    def _frame_told(self, seen: Seen) -> dict[str, Any]:
        best = max((place for place in seen.places if place is not None), key=lambda place: place.snr)
        return {
            "at": seen.at.isoformat(),
            "phase": "measuring",
            "at_s": round(self._at_s[-1], 2),
            "dec_arcsec": round(self._dec[-1], 3),
            "star": _pair(self._star_px()),
            "snr": round(best.snr, 1),
        }

    def _drift(self) -> Drift | None:
        try:
            return drift_of(
                np.array(self._at_s),
                np.array(self._dec),
                self.wish.axis,
                self.kit.rig.site.latitude_deg,
                self.hour_angle_deg + self._later_deg,
                self.dec_deg,
                self._pressure_hpa,
                self.wish.within_arcmin,
                *(self.other or (0.0, _UNKNOWN_ARCMIN)),
            )
        except NoDrift as problem:
            if "samples" in str(problem):
                return None
            raise ActivityFailed(str(problem)) from None


def drift_told(found: Drift, axis: AdjusterName) -> dict[str, Any]:
    """For the stream."""
    low, high = found.interval_95
    return {
        "error_arcmin": round(found.error_arcmin, 3),
        "interval_95": [round(low, 3), round(high, 3)],
        "rate_arcsec_min": round(found.rate_arcsec_min, 4),
        "half_rate_arcsec_min": round(found.half_rate_arcsec_min, 4),
        "enough": found.enough,
        "seconds_more": round(found.seconds_more, 1),
        "sign_known": found.sign_known,
        "words": drift_words(found, axis),
    }


def drift_words(found: Drift, axis: AdjusterName) -> str:
    """ "azimuth 6.2′ ± 0.8′ east; enough in about 40 s"."""
    ways = ("too low", "too high") if axis == "altitude" else ("west", "east")
    if found.sign_known:
        way = ways[found.error_arcmin > 0]
        said = f"{axis} {abs(found.error_arcmin):.1f}′ ± {found.half_arcmin:.1f}′ {way}"
    else:
        low, high = found.interval_95
        most = max(abs(low), abs(high))
        said = f"{axis} within {most:.1f}′ of the pole; which side isn't known"
        if not found.enough:
            said += " yet"
    if found.enough:
        return (
            f"{said}: {turn_words(axis, found.error_arcmin)}" if found.sign_known else f"{said}, nor matters"
        )
    return f"{said}; enough in about {found.seconds_more:.0f} s"


def _pair(place: tuple[float, float]) -> tuple[float, float]:
    return round(place[0], 2), round(place[1], 2)
