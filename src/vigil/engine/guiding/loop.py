"""The guiding loop: a frame, where the stars stand, two pulses, again; and what to do when that fails."""

import asyncio
import contextlib
import math
from collections import deque
from collections.abc import Awaitable, Callable
from dataclasses import asdict, dataclass, field
from datetime import datetime
from statistics import median
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.devices.supervised import LOST_AFTER_FAILURES
from vigil.documents.rig.guider import GuideAxis, GuiderPart
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.guiding.frames import DIRECTIONS, GuideFrames, Seen, pulse, scale_of
from vigil.engine.measuring import MeasuringFailed
from vigil.guiding.calibration import GuideCalibration
from vigil.guiding.laws import AxisSettings, Law, law_of
from vigil.guiding.settling import Settled, Settling, overshoot_share, usual_tolerance_arcsec
from vigil.guiding.watch import GuideWatch, Mean, Verdict

_SEARCH_PX, _WIDE_PX = 8.0, 40.0
_SHORTEST_PULSE_MS = 10
RECENT_FRAMES = 60
_DEVICE_TRIES, _DEVICE_WAIT_S = 5, 4.0
_OTHERS_EVERY = 4
"""Looks through a cloud, after which other stars are sought."""
_STAR_EVERY = 5
SETTLING = "settling"
"""How frames are marked that follow a move."""
_HOLDS_AFTER = 10
"""Frames with a star, after which a loss begins at the ladder's foot again."""

Tell = Callable[[dict[str, Any], str], Awaitable[None]]
Found = tuple[GuideCalibration, tuple[float, float]]
"""A calibration as it serves here, and how far its making has left the star from its place (px)."""
Recalibrate = Callable[[], Awaitable[Found]]


@dataclass(frozen=True, slots=True)
class Sample:
    """One frame. Arc-seconds on the sky: where the star stood against where it should, and against its first
    place; what was sent (ms, + moves the star to smaller values). `mark` says what it was beside a good
    frame."""

    at: datetime
    error_arcsec: tuple[float, float] | None
    place_arcsec: tuple[float, float] | None
    pulse_ms: tuple[int, int]
    rates_arcsec_s: tuple[float, float]
    snr: float
    light_adu: float
    stars: int
    mark: str = ""
    late_ms: float = 0.0
    """From the frame's arrival to the first pulse's leaving."""
    star: dict[str, Any] | None = None
    """How the best star looks, every few frames."""
    choice: int = 0
    """How often stars were chosen again: places are told from the first one of the last choice."""


def told(sample: Sample) -> dict[str, Any]:
    """For the stream."""
    values: dict[str, Any] = {
        "at": sample.at.isoformat(),
        "pulse_ms": list(sample.pulse_ms),
        "rates": [round(rate, 4) for rate in sample.rates_arcsec_s],
        "snr": round(sample.snr, 1),
        "light": round(sample.light_adu, 1),
        "stars": sample.stars,
        "late_ms": round(sample.late_ms, 1),
        "choice": sample.choice,
    }
    if sample.error_arcsec is not None and sample.place_arcsec is not None:
        values["error"] = [round(v, 4) for v in sample.error_arcsec]
        values["place"] = [round(v, 4) for v in sample.place_arcsec]
    if sample.star is not None:
        values["star"] = sample.star
    if sample.mark:
        values["mark"] = sample.mark
    return values


def settings_of(axis: GuideAxis) -> AxisSettings:
    """For a law."""
    return AxisSettings(
        axis.law,
        axis.strength,
        axis.dead_band_arcsec,
        axis.longest_pulse_ms,
        axis.period_s,
        axis.wave_arcsec,
    )


def _changed_words(before: AxisSettings, now: AxisSettings) -> str:
    told = [
        f"{words} {getattr(before, name)} → {getattr(now, name)}{unit}"
        for name, words, unit in (
            ("law", "method", ""),
            ("strength", "strength", ""),
            ("dead_band_arcsec", "dead band", "″"),
            ("longest_pulse_ms", "longest pulse", " ms"),
            ("period_s", "worm's period", " s"),
            ("wave_arcsec", "worm's wave", "″"),
        )
        if getattr(before, name) != getattr(now, name)
    ]
    return ", ".join(told)


async def no_rest(exposure_s: float) -> None:
    """Where nothing else is read out."""


@dataclass
class GuideLoop:
    """Runs until it is cancelled; raises ActivityFailed where guiding has to be given up. Between frames
    others may change its settings, and dither it."""

    kit: Kit
    frames: GuideFrames
    calibration: GuideCalibration
    tell: Tell
    sampled: Callable[[Sample], None]
    recalibrate: Recalibrate | None = None
    guider_now: Callable[[], GuiderPart | None] = lambda: None
    """As the rig in force has it: its settings may change while it is guided."""
    corrects: bool = True
    frames_wanted: int = 0
    rest: Callable[[float], Awaitable[None]] = no_rest
    """Before each frame of so many seconds."""
    by_hand: bool = False
    """Whether somebody chose the star: then no other one will do."""
    target_arcsec: tuple[float, float] = (0.0, 0.0)
    """Where the star should stand against its first place: dithers."""
    recent: deque[Sample] = field(default_factory=lambda: deque(maxlen=RECENT_FRAMES))
    _taken: int = 0
    _good: int = 0
    _cloudy: int = 0
    _choices: int = 0
    _undone: bool = False

    def __post_init__(self) -> None:
        self._watch = GuideWatch(may_calibrate=self.recalibrate is not None)
        guider = self.guider_now() or self.kit.rig.guider
        assert guider is not None, "asked for before"
        self._settings = {"ra": settings_of(guider.ra), "dec": settings_of(guider.dec)}
        self._exposure_s = guider.exposure_s
        self._laws: dict[str, Law] = {name: law_of(settings) for name, settings in self._settings.items()}
        self._began = self._moved_at = self.kit.clock.utcnow()
        self._moved_arcsec, self._tests = (0.0, 0.0), ""
        self._last_arcsec: tuple[float, float] | None = None
        self._settling: Settling | None = None
        self._within_arcsec: float | None = None
        self._settled: Settled | None = None
        self._settle_over = asyncio.Event()
        self._to_tell: list[tuple[dict[str, Any], str]] = []

    def set_axis(self, name: str, settings: AxisSettings) -> None:
        """From the next frame on; what the law has learnt is forgotten when its method changes."""
        before, self._settings[name] = self._settings[name], settings
        if settings.law == before.law:
            law = self._laws[name]
            law.strength, law.dead_band_arcsec = settings.strength, settings.dead_band_arcsec
        else:
            self._laws[name] = law_of(settings)

    def move(
        self, to_arcsec: tuple[float, float], words: str, values: dict[str, Any], tests: str = ""
    ) -> None:
        """The star belongs there from the next frame on, against its first place: a dither, or a test of one
        axis's answer. That is told, and how it settles."""
        self._to_tell.append((values, words))
        by = to_arcsec[0] - self.target_arcsec[0], to_arcsec[1] - self.target_arcsec[1]
        self.target_arcsec = to_arcsec
        self._watch.moved_on_purpose()
        for name, settings in self._settings.items():
            if settings.law != "predictive":  # what that one has learnt of the mount is true elsewhere too
                self._laws[name] = law_of(settings)
        self._settles(by, tests)

    def _settles(self, by: tuple[float, float], tests: str = "") -> None:
        """From now on, after such a move."""
        guider = self.guider_now() or self.kit.rig.guider
        assert guider is not None, "asked for before"
        within = guider.settle_within_arcsec or usual_tolerance_arcsec(
            self.rms_arcsec(), scale_of(self.kit, self.frames.binning)
        )
        self._settling = Settling(within, guider.settle_dwell_s, guider.settle_longest_s)
        self._settled, self._within_arcsec = None, within
        self._settle_over.clear()
        self._moved_at, self._moved_arcsec, self._tests = self.kit.clock.utcnow(), by, tests
        self._offs: list[tuple[float, float]] = []

    def begin_at(self, from_first_px: tuple[float, float]) -> None:
        """The star stands there now, and is to go back to its first place."""
        scale = scale_of(self.kit, self.frames.binning)
        self._last_arcsec = self.calibration.sky_arcsec(*from_first_px, scale)

    @property
    def settling(self) -> bool:
        """Whether it was moved and has not settled yet."""
        return self._settling is not None

    @property
    def settled(self) -> bool:
        """Whether it has since it was asked to, and since stars were chosen."""
        return self._settled is Settled.YES

    @property
    def within_arcsec(self) -> float | None:
        return self._within_arcsec

    async def settle(self) -> bool:
        """Until it has settled, or not in time; begins to where it was not moved."""
        if self._settling is None:
            self._settles((0.0, 0.0))
        await self._settle_over.wait()
        return self.settled

    async def _settle(self, at: datetime, error: tuple[float, float] | None) -> None:
        """Tell how a move ends."""
        settling = self._settling
        after_s = (at - self._moved_at).total_seconds()
        if settling is None or after_s < 0:
            return
        if error is not None:
            self._offs.append(error)
        how = settling.frame(after_s, None if error is None else math.hypot(*error))
        if how is Settled.NOT_YET:
            return
        self._settling, self._settled = None, how
        self._settle_over.set()
        if self._moved_arcsec == (0.0, 0.0):  # who asked for it says so
            return
        took_s = settling.took_s if settling.took_s is not None else after_s
        said = f"{how.value} {took_s:.0f} s after a move of {math.hypot(*self._moved_arcsec):.1f}″"
        if how is Settled.TOO_LONG:
            said = f"not settled within {settling.tolerance_arcsec:.2f}″ in {after_s:.0f} s"
        values: dict[str, Any] = {
            "settled": how is Settled.YES,
            "took_s": round(took_s, 1),
            "within_arcsec": round(settling.tolerance_arcsec, 2),
        }
        if self._tests:
            k = ("ra", "dec").index(self._tests)
            share = overshoot_share([off[k] for off in self._offs], self._moved_arcsec[k])
            values["response"] = {
                "axis": self._tests,
                "overshoot_share": round(share, 3),
                "took_s": round(took_s, 1),
            }
            said = f"{said}; it went {100 * share:.0f} % too far"
        await self.tell(values, said)

    def rms_arcsec(self) -> float | None:
        """Total, of the last frames with a star; None where they are too few. By the median of the squares,
        which a knock doesn't change: with axes alike they are distributed exponentially, mean and median of
        which are as 1 to ln 2."""
        offs = [s.error_arcsec for s in self.recent if s.error_arcsec is not None and not s.mark]
        if len(offs) < 3:
            return None
        return math.sqrt(median(ra * ra + dec * dec for ra, dec in offs) / math.log(2))

    async def run(self) -> None:
        while not self.frames_wanted or self._taken < self.frames_wanted:
            await self._take_settings()
            await self.rest(self.frames.exposure_s)
            await self.once()

    async def _take_settings(self) -> None:
        """What somebody has changed in the rig meanwhile; each change is told, and dithers are."""
        while self._to_tell:
            await self.tell(*self._to_tell.pop(0))
        guider = self.guider_now()
        if guider is None:
            return
        for name, words, axis in (("ra", "right ascension", guider.ra), ("dec", "declination", guider.dec)):
            before, wanted = self._settings[name], settings_of(axis)
            if wanted != before:
                self.set_axis(name, wanted)
                await self.tell(
                    {"changed": name, "before": asdict(before), "now": asdict(wanted)},
                    f"{words}: {_changed_words(before, wanted)}",
                )
        if guider.exposure_s != self._exposure_s:
            before_s, self._exposure_s = self.frames.exposure_s, guider.exposure_s
            self.frames.exposure_s = guider.exposure_s
            words = f"exposure {before_s:g} s → {guider.exposure_s:g} s"
            await self.tell({"changed": "exposure", "before": before_s, "now": guider.exposure_s}, words)
            await self._anew()

    async def once(self) -> None:
        """One frame and what comes of it."""
        seen, arrived = await self._seen(_WIDE_PX if self._cloudy else _SEARCH_PX)
        self._taken += 1
        verdict = self._watch.frame(self._seconds(seen.at), self._error(seen), seen.light_adu)
        if verdict.mean is Mean.SEARCH:
            seen, arrived = await self._seen(_WIDE_PX)
            if seen.shift is not None:
                verdict = self._watch.frame(self._seconds(seen.at), self._error(seen), seen.light_adu)
        if verdict.mean is Mean.CORRECT:
            await self._correct(seen, arrived, verdict.words)
            return
        self._good = 0
        if verdict.mean is Mean.CALIBRATE:  # it was seen, if far off
            self._last_arcsec = self._place(seen)
        self._sample(seen, (0, 0), verdict.mean.value, 0.0)
        await self._settle(seen.at, None)
        await self._trouble(verdict)

    # -- a frame -----------------------------------------------------------------------------------------

    async def _seen(self, search_px: float) -> tuple[Seen, float]:
        """With the loop's time of its arrival; a camera that fails is given time to come back."""
        for attempt in range(_DEVICE_TRIES):
            try:
                seen = await self.frames.look(self._expected_px(), search_px)
                return seen, asyncio.get_running_loop().time()
            except (DeviceError, MeasuringFailed) as problem:
                if attempt == _DEVICE_TRIES - 1:
                    raise ActivityFailed(f"no guide frame: {problem}") from None
                await self.kit.clock.sleep(_DEVICE_WAIT_S)
                await self._connect_again()
        raise AssertionError("unreachable")

    async def _connect_again(self) -> None:
        """A cable that was touched: the camera is there again, but must be asked. Whether it really is gone
        its state says, read as often as it takes to be sure."""
        camera = self.kit.devices.named("guide camera")
        for _ in range(LOST_AFTER_FAILURES):
            await camera.poll()
        if not camera.connected:
            with contextlib.suppress(DeviceError):
                await camera.connect()

    def _expected_px(self) -> tuple[float, float]:
        """Where the stars should stand against their first places: where they were seen last, less what was
        sent since."""
        scale = scale_of(self.kit, self.frames.binning)
        return self.calibration.pixels(*(self._last_arcsec or self.target_arcsec), scale)

    def _seconds(self, at: datetime) -> float:
        return (at - self._began).total_seconds()

    def _place(self, seen: Seen) -> tuple[float, float] | None:
        if seen.shift is None:
            return None
        scale = scale_of(self.kit, self.frames.binning)
        return self.calibration.sky_arcsec(seen.shift.dx_px, seen.shift.dy_px, scale)

    def _error(self, seen: Seen) -> tuple[float, float] | None:
        place = self._place(seen)
        return None if place is None else (place[0] - self.target_arcsec[0], place[1] - self.target_arcsec[1])

    @property
    def _rates(self) -> tuple[float, float]:
        return self.calibration.rates_arcsec_s(scale_of(self.kit, self.frames.binning))

    async def _correct(self, seen: Seen, arrived: float, words: str) -> None:
        error = self._error(seen)
        assert error is not None, "it was seen"
        pulses, sent = [0, 0], [0.0, 0.0]
        if self.corrects:
            every_s = self._every_s(seen.at)
            for k, (name, rate) in enumerate(zip(("ra", "dec"), self._rates, strict=True)):
                wanted = self._laws[name].correction(error[k], self._seconds(seen.at), every_s)
                pulses[k] = self._pulse_ms(name, wanted, rate)
                sent[k] = pulses[k] / 1000 * rate
        place = self._place(seen)
        assert place is not None, "it was seen"
        late_ms = 1000 * (asyncio.get_running_loop().time() - arrived)
        pulses = await self._send(pulses)
        for k, name in enumerate(("ra", "dec")):
            sent[k] = sent[k] if pulses[k] else 0.0
            self._laws[name].took(sent[k])
        self._last_arcsec = place[0] - sent[0], place[1] - sent[1]
        mark = SETTLING if self._settling is not None else "dimmed" if words else ""
        self._sample(seen, (pulses[0], pulses[1]), mark, late_ms)
        self._watch.corrected(error, (sent[0], sent[1]))
        self._good, self._cloudy = self._good + 1, 0
        if self._good == _HOLDS_AFTER:
            self._watch.found_again()
        await self._settle(seen.at, error)
        for law in self._laws.values():
            law.rest()

    def _every_s(self, at: datetime) -> float:
        """From the middle of this frame to that of the next, as it was last time."""
        if (
            self.recent
            and (gap := (at - self.recent[-1].at).total_seconds()) < 3 * self.frames.exposure_s + 5
        ):
            return max(gap, 0.1)
        return self.frames.exposure_s + 0.5

    def _pulse_ms(self, name: str, arcsec: float, rate_arcsec_s: float) -> int:
        most = self._settings[name].longest_pulse_ms
        wanted = round(1000 * arcsec / rate_arcsec_s)
        return 0 if abs(wanted) < _SHORTEST_PULSE_MS else max(-most, min(most, wanted))

    async def _send(self, pulses: list[int]) -> list[int]:
        """Both axes at once. A mount that fails once is no reason to give up: the next frame shows it."""

        async def one(name: str, duration_ms: int) -> int:
            onward, back = DIRECTIONS[name]
            try:
                await pulse(self.kit, onward if duration_ms > 0 else back, abs(duration_ms))
            except DeviceError as problem:
                if not self._undone:  # the first of a row
                    self._undone = True
                    await self.tell({}, f"a pulse was not done: {problem}")
                return 0
            self._undone = False
            return duration_ms

        wanted = [(k, name, p) for k, (name, p) in enumerate(zip(("ra", "dec"), pulses, strict=True)) if p]
        done = await asyncio.gather(*(one(name, p) for _, name, p in wanted))
        told = [0, 0]
        for (k, _, _), sent in zip(wanted, done, strict=True):
            told[k] = sent
        return told

    def _sample(self, seen: Seen, pulses: tuple[int, int], mark: str, late_ms: float) -> None:
        sample = Sample(
            at=seen.at,
            error_arcsec=self._error(seen),
            place_arcsec=self._place(seen),
            pulse_ms=pulses,
            rates_arcsec_s=self._rates,
            snr=seen.snr,
            light_adu=seen.light_adu,
            stars=seen.shift.counted if seen.shift else 0,
            mark=mark,
            late_ms=late_ms,
            star=self._star(seen),
            choice=self._choices,
        )
        self.recent.append(sample)
        self.sampled(sample)

    def _star(self, seen: Seen) -> dict[str, Any] | None:
        """Now and then: people want to see it, and nobody has to keep it."""
        found = [place for place in seen.places if place is not None]
        if not found or self._taken % _STAR_EVERY != 1:
            return None
        return self.frames.star(max(found, key=lambda place: place.snr))

    # -- the ladder ---------------------------------------------------------------------------------------

    async def _trouble(self, verdict: Verdict) -> None:
        if verdict.mean is Mean.HOLD:
            raise ActivityFailed(verdict.words)
        if verdict.mean in (Mean.OTHER, Mean.CALIBRATE) or (verdict.mean is Mean.CLOUD and not self._cloudy):
            await self.tell({"mark": verdict.mean.value}, verdict.words)
        if verdict.wait_s:
            await self.kit.clock.sleep(verdict.wait_s)
        if verdict.mean is Mean.CALIBRATE:
            await self._calibrate()
        elif verdict.mean is Mean.OTHER:
            try:
                await self._anew(lost=True)
            except ActivityFailed as none:
                await self.tell({}, str(none))
                self._watch.nothing_there(self._seconds(self.kit.clock.utcnow()))
        elif verdict.mean is Mean.CLOUD:
            await self._through_a_cloud()

    async def _through_a_cloud(self) -> None:
        """The same stars, where the mount has drifted to meanwhile; now and then others."""
        self._cloudy += 1
        if self._cloudy % _OTHERS_EVERY:
            return
        with contextlib.suppress(ActivityFailed):
            await self._anew(lost=True)

    async def _calibrate(self) -> None:
        """Where the star was seen in pixels is true whatever the calibration was."""
        assert self.recalibrate is not None, "else it would not be asked for"
        stood_px = self._expected_px()
        await self._choose(stood_px)  # they are far from their first places
        self.calibration, left_px = await self.recalibrate()
        self._watch.calibrated()
        await self._go_on(stood_px, left_px)

    async def _anew(self, lost: bool = False) -> None:
        """Other stars, or the same with another exposure. Where they were `lost`, nobody knows how far the
        mount went meanwhile."""
        stood_px = self._expected_px()
        await self._choose(stood_px)
        await self._go_on(stood_px, lost=lost)

    async def _choose(self, stood_px: tuple[float, float]) -> None:
        near = self.frames.group.expected(stood_px)[0] if self.by_hand else None
        await self.frames.choose(near, adapt=False)

    async def _go_on(
        self, stood_px: tuple[float, float], left_px: tuple[float, float] = (0.0, 0.0), lost: bool = False
    ) -> None:
        """With stars that were chosen where the former ones stood so far from their first places, and stand
        so far from where they were chosen: what a dither asked for holds on."""
        scale = scale_of(self.kit, self.frames.binning)
        stood = self.calibration.sky_arcsec(*stood_px, scale)
        self.target_arcsec = self.target_arcsec[0] - stood[0], self.target_arcsec[1] - stood[1]
        self.begin_at(left_px)
        self._settled = None
        if self._settling is not None:
            self._settles(self._moved_arcsec, self._tests)
        self._choices += 1
        self._watch.chosen()
        for name, settings in self._settings.items():
            self._laws[name] = law_of(settings)
        stars = len(self.frames.group.stars)
        words = f"guiding by {stars} star{'s' * (stars != 1)}, chosen again"
        if lost:
            words += "; the pointing is uncertain now"
        await self.tell({"stars": stars, **({"disturbed": ["pointing"]} if lost else {})}, words)
