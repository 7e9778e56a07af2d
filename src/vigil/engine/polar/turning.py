"""Frames while somebody turns the adjusters: what is left, where the star stands, and where it has to go."""

from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from datetime import datetime
from itertools import pairwise
from typing import Any

import numpy as np

from vigil.devices.errors import DeviceError
from vigil.documents.polar import PolarRecord, Stood, TurningWish
from vigil.documents.rig import Rig
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.guiding.eye import GuideOptics
from vigil.engine.guiding.frames import eye_of
from vigil.engine.measuring import MeasuringFailed
from vigil.engine.polar.camera import PolarCamera, SolvedFrame, shown
from vigil.engine.polar.measure import site_of
from vigil.polar.adjusters import AdjusterName, Turn
from vigil.polar.attitude import Sighting, attitude
from vigil.polar.error import PolarError
from vigil.polar.hands import HandWatch
from vigil.polar.turning import Frame, Turned, Way, left_of, tracked, way_of
from vigil.solving.wcs import Wcs

_DEVICE_TRIES, _DEVICE_WAIT_S, _LOST_FRAMES = 5, 2.0, 3
_LIVE_COLUMNS, _MOST_BINNING = 1600, 4
_ELSEWHERE_DEG = 1.0
"""The mount's own word may change by so much, and still it has only tracked."""
_SLIPPED_DEG = 5.0
_MARGIN_PX = 20.0
Tell = Callable[[dict[str, Any], str], Awaitable[None]]
Turnt = Callable[[AdjusterName, Turn], Awaitable[None]]


def live_binning(rig: Rig, wish: TurningWish) -> int | None:
    """So much that a frame is small enough to be read and solved in a second; the rig's where that is so."""
    if wish.binning is not None or wish.camera == "guide" or rig.camera is None:
        return wish.binning
    return min(_MOST_BINNING, max(1, -(-rig.camera.columns // _LIVE_COLUMNS)))


@dataclass
class TurningLoop:
    """Until it is cancelled, or so many frames are taken. `sampled` hears of each frame, `turned` of each
    turn that was seen."""

    kit: Kit
    wish: TurningWish
    record: PolarRecord
    stood: Stood
    tell: Tell
    sampled: Callable[[dict[str, Any]], None]
    turned: Turnt
    left: PolarError | None = None
    """After the last frame that was solved."""
    _hands: HandWatch = field(default_factory=HandWatch)
    _star: tuple[float, float] | None = None
    _wanted_px: tuple[float, float] | None = None
    _last: Sighting | None = None
    _unsolved: int = 0
    _outside: bool = False
    """Whether the star's way leads out of the frame."""

    def __post_init__(self) -> None:
        wish = self.wish
        self._camera = PolarCamera(
            self.kit, wish.camera, wish.exposure_s, wish.gain, live_binning(self.kit.rig, wish), wish.filter
        )
        self._latitude = self.kit.rig.site.latitude_deg
        self._attitude = np.array(self.stood.attitude)
        self._axis = np.array(self.stood.axis)
        record = self.record
        self._error = PolarError(
            record.altitude_arcmin or 0.0,
            record.azimuth_arcmin or 0.0,
            record.sigma_altitude_arcmin or 0.0,
            record.sigma_azimuth_arcmin or 0.0,
        )
        if wish.x is not None and wish.y is not None:
            self._wanted_px = wish.x / self._camera.exposure.binning, wish.y / self._camera.exposure.binning

    def choose(self, x: float, y: float) -> None:
        """Another star, near a place of the frame (unbinned px): its mark moves with it."""
        binning = self._camera.exposure.binning
        self._wanted_px, self._star = (x / binning, y / binning), None

    async def run(self) -> None:
        """Raises ActivityFailed where the camera doesn't answer any more, or the mount was sent elsewhere."""
        self._as_it_stood()
        await self._camera.ready()
        number = 0
        while not self.wish.frames or number < self.wish.frames:
            number += 1
            frame = await self._frame()
            await self._take(number, frame)

    def _as_it_stood(self) -> None:
        """The mount has only tracked since."""
        mount = self.kit.devices.mount
        state = mount.state if mount is not None else None
        if state is None:
            raise ActivityFailed("the mount's position is unknown")
        if not state.tracking or state.parked:
            raise ActivityFailed("the mount doesn't track any more: measure again")
        ra = (state.ra_deg - self.stood.mount_ra_deg + 180) % 360 - 180
        away = np.hypot(ra * np.cos(np.radians(state.dec_deg)), state.dec_deg - self.stood.mount_dec_deg)
        if away > _ELSEWHERE_DEG:
            raise ActivityFailed(
                f"the mount was sent elsewhere since the axis was measured, by {away:.0f}°: measure again"
            )

    async def _frame(self) -> SolvedFrame:
        for attempt in range(_DEVICE_TRIES):
            try:
                return await self._camera.take(near=self._last)
            except (DeviceError, MeasuringFailed) as problem:
                self.sampled({"at": self._now().isoformat(), "solved": False, "reason": str(problem)})
                if attempt == _DEVICE_TRIES - 1:
                    raise ActivityFailed(f"no frame: {problem}") from None
                await self.kit.clock.sleep(_DEVICE_WAIT_S)
        raise AssertionError("unreachable")

    def _now(self) -> datetime:
        return self.kit.clock.utcnow()

    async def _take(self, number: int, frame: SolvedFrame) -> None:
        rows, columns = frame.frame.image.shape
        told: dict[str, Any] = {
            "at": frame.at.isoformat(),
            "number": number,
            "rows": rows,
            "columns": columns,
            "binning": frame.frame.exposure.binning,
            "solved": frame.wcs is not None,
        }
        if any(frame.frame.image.strides):  # one without pixels, of a rehearsal, has nothing to show
            told["image"] = shown(frame.frame.image)
        if frame.wcs is None or frame.sighting is None:
            self._unsolved += 1
            if self._unsolved >= _LOST_FRAMES:
                self._last = None  # the field has jumped: it is looked for all round the pole
            told["reason"] = _why(frame, self._unsolved)
            self.sampled(told)
            return
        self._unsolved, self._last = 0, frame.sighting
        found = self._left(frame.sighting)
        self.left = found.left
        if abs(found.slipped_deg) > _SLIPPED_DEG:
            raise ActivityFailed(
                f"the mount has turned by {found.slipped_deg:+.0f}° in right ascension since the axis was "
                "measured: measure again"
            )
        told |= {
            "altitude_arcmin": round(found.left.altitude_arcmin, 3),
            "azimuth_arcmin": round(found.left.azimuth_arcmin, 3),
            "total_arcmin": round(found.left.total_arcmin, 3),
            "sigma_altitude_arcmin": round(self._error.sigma_altitude_arcmin, 3),
            "sigma_azimuth_arcmin": round(self._error.sigma_azimuth_arcmin, 3),
        }
        told |= await self._star_told(frame, frame.wcs, found.left)
        ended = list(self._hands.frame(found.left))
        told["moving"] = self._hands.moving
        self.sampled(told)
        for name, turn in ended:
            await self.turned(name, turn)

    def _left(self, sighting: Sighting) -> Turned:
        now = attitude(sighting, site_of(self.kit))
        seconds = (sighting.at - self.stood.at).total_seconds()
        without = tracked(self._attitude, self._axis, seconds, self._latitude)
        return left_of(without, now, self._error, self._axis, self._latitude)

    # -- the star --------------------------------------------------------------------------------------

    async def _star_told(self, frame: SolvedFrame, wcs: Wcs, left: PolarError) -> dict[str, Any]:
        """Where it stands, where it has to go, and how far that is."""
        assert frame.sighting is not None, "it was solved"
        rows, columns = wcs.shape
        middle = (columns - 1) / 2, (rows - 1) / 2
        pose = Frame(attitude(frame.sighting, site_of(self.kit)), wcs.scale_arcsec_px, wcs.mirrored)

        def way(x: float, y: float) -> Way:
            return way_of(pose, (x - middle[0], y - middle[1]), left, self._latitude)

        if self._star is None or not _inside(self._pixel(wcs, self._star), wcs.shape):
            chosen = await self._choose(frame, way, middle)
            if chosen is None:
                return {"reason": "no star that suits is in the frame"}
            ra, dec = wcs.to_sky(*chosen)
            self._star = float(ra), float(dec)
        x, y = self._pixel(wcs, self._star)
        found = way(x, y)
        away_px = float(np.hypot(found.mark[0] - found.star[0], found.mark[1] - found.star[1]))
        return {
            "star": _whole(found.star, middle),
            "turn": _whole(found.turn, middle),
            "mark": _whole(found.mark, middle),
            "away_px": round(away_px, 1),
            "away_arcmin": round(away_px * wcs.scale_arcsec_px / 60, 2),
            "leads_out": self._outside,
        }

    @staticmethod
    def _pixel(wcs: Wcs, star: tuple[float, float]) -> tuple[float, float]:
        x, y = wcs.to_pixel(*star)
        return float(x), float(y)

    async def _choose(
        self, frame: SolvedFrame, way: Callable[[float, float], Way], middle: tuple[float, float]
    ) -> tuple[float, float] | None:
        """The star that is wanted; else the clearest one whose whole way lies in the frame, and where none
        does, the one that stays in it longest."""
        image = frame.frame.image
        try:
            choice = await eye_of(self.kit).choose(image, self._optics(), None, self._wanted_px)
        except MeasuringFailed:
            return None
        if choice is None:
            return None
        stars = [(star.x_px, star.y_px) for star in choice.stars]
        if self._wanted_px is not None:
            self._wanted_px, self._outside = None, False
            return stars[0]
        shape = image.shape[0], image.shape[1]

        def share(place: tuple[float, float]) -> float:
            found = way(*place)
            return _inside_share([_whole(p, middle) for p in (found.star, found.turn, found.mark)], shape)

        best = max(stars, key=share)  # the first of equals: the clearest
        self._outside = share(best) < 1.0
        return best

    def _optics(self) -> GuideOptics:
        rig = self.kit.rig
        if self.wish.camera == "main":
            return GuideOptics(rig.camera.full_scale_adu if rig.camera else 65535.0)
        return GuideOptics(2.0 ** (rig.guider.bit_depth if rig.guider else 16) - 1)


def _why(frame: SolvedFrame, times: int) -> str:
    said = frame.solution.reason
    if times >= _LOST_FRAMES:
        said += "; a cloud, or a hand before it? Nothing is lost"
    return said


def _whole(place: tuple[float, float], middle: tuple[float, float]) -> tuple[float, float]:
    return round(place[0] + middle[0], 2), round(place[1] + middle[1], 2)


def _inside(place: tuple[float, float], shape: tuple[int, int]) -> bool:
    rows, columns = shape
    return 0 <= place[0] < columns and 0 <= place[1] < rows


def _inside_share(places: list[tuple[float, float]], shape: tuple[int, int]) -> float:
    """How much of a way through these places lies inside, away from the border."""
    rows, columns = shape
    steps = np.linspace(0, 1, 11)[:, None]
    legs = [np.array(a) + steps * (np.array(b) - np.array(a)) for a, b in pairwise(places)]
    way = np.concatenate(legs)
    inside = (
        (way[:, 0] >= _MARGIN_PX)
        & (way[:, 0] < columns - _MARGIN_PX)
        & (way[:, 1] >= _MARGIN_PX)
        & (way[:, 1] < rows - _MARGIN_PX)
    )
    return float(inside.mean())
