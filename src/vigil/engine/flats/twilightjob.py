"""Flats of the twilight sky: each filter in its turn, the exposure following the light."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

from vigil.engine.activities.moves import take
from vigil.engine.flats.frames import middle_level
from vigil.engine.flats.taking import FlatsTaking
from vigil.levels.advice import FilterAdvice
from vigil.levels.trials import Trial
from vigil.levels.twilight import (
    SkyBelief,
    SkyCourse,
    SkyShot,
    TwilightLimits,
    dark_lengths_s,
    next_frame,
    next_shot,
)
from vigil.planning.skyflats import CHANGE_S, SkyWindow, aim_share, sky_course, sky_filters, twilight_limits
from vigil.planning.spans import site_time

_LOOK_EVERY_S, _LOOK_BEFORE_S = 180.0, 20.0
"""While a turn is waited for, the sky is looked at so often, and not just before it."""
_SHOWS_FROM, _SHOWS_TO = 0.03, 0.85
"""Of full scale: a look that is expected outside of it tells nothing."""


@dataclass
class TwilightJob(FlatsTaking):
    """`window` is the twilight; seconds count from its beginning."""

    window: SkyWindow = field(kw_only=True)

    def __post_init__(self) -> None:
        super().__post_init__()
        self.source = "twilight"
        self.names = self.wish.filters_in(self.kit.rig.wheel)
        self.taken_s: list[float] = list(self.wish.taken_s)
        self.course: SkyCourse = sky_course(self.kit.rig, self.window)
        gain = self.exposure(1.0).gain
        self._filters = sky_filters(self.kit.rig, self.names, self.wish.binning, gain)
        self.belief = SkyBelief(tuple(self._filters))
        self.in_beam = ""
        self.looked_s = -1e9

    @property
    def missing(self) -> Mapping[str, int]:
        return {name: self.wish.count - self.have.get(name, 0) for name in self.names}

    @property
    def limits(self) -> TwilightLimits:
        """With the drift where the mount stands."""
        mount = self.kit.devices.mount
        dec_deg = mount.state.dec_deg if mount is not None and mount.state is not None else 0.0
        return twilight_limits(self.kit.rig, self.wish, self.camera, dec_deg)

    def first(self) -> SkyShot | None:
        """What will be taken first, and when."""
        return next_shot(
            self.belief.filters, self.course, self.limits, self.missing, self._now_s(), "", CHANGE_S
        )

    def at(self, seconds: float) -> datetime:
        return self.window.begins + timedelta(seconds=seconds)

    async def measure_camera(self) -> None:
        """Before anything else: what counts as the aim goes by its bias and full scale."""
        await super().measure_camera()
        shares = [replace(one, adu_s=one.adu_s * self._share(one.name)) for one in self._filters]
        self.belief = SkyBelief(tuple(shares))

    async def take_flats(self) -> None:
        """Raises DeviceError, OSError. Filters that get too few are in `failed`."""
        self.begin_progress(self.names)
        while True:
            now_s = self._now_s()
            shot = next_shot(
                self.belief.filters, self.course, self.limits, self.missing, now_s, self.in_beam, CHANGE_S
            )
            if shot is None:
                break
            if shot.name != self.in_beam:
                await self.through(shot.name)
                self.in_beam = shot.name
            elif shot.at_s > now_s + _LOOK_BEFORE_S:
                await self._look_or_wait(shot)
            else:
                await self.kit.clock.sleep(max(shot.at_s - now_s, 0.0))
                await self._flat(shot.name)
        self._tell_missing()
        for name in self.names:
            await self.tell_judged(name)

    async def take_dark_flats(self) -> None:
        """Of the lengths that serve all of them, whatever filter is in. Raises as `take_flats`."""
        if self.dark_flats_wanted:
            for length_s in dark_lengths_s(self.taken_s):
                await self.dark_flats(f"{length_s:g} s", length_s)

    # -- one frame --------------------------------------------------------------------------------------

    async def _flat(self, name: str) -> None:
        found = next_frame(self.belief.of(name), self.course, self.limits, self._now_s())
        if found is None or found[0] > self._now_s() + _LOOK_BEFORE_S:
            return  # the wheel took its time: another filter's turn, or not yet
        exposure_s = round(found[1], 3)
        kept = await self.keep("flat", name, exposure_s, self.have.get(name, 0) + 1)
        low, high = self._window_adu(name)
        inside = low <= kept.mean_adu <= high
        if inside:
            self.have[name] = self.have.get(name, 0) + 1
            self.taken_s.append(exposure_s)
        else:
            kept.path.unlink(missing_ok=True)
        await self.tell_frame("flat", name, kept, inside, exposure_s)
        self._learn(name, kept.begun, exposure_s, kept.mean_adu)

    async def _look_or_wait(self, shot: SkyShot) -> None:
        """A short frame of how bright it is, or a pause."""
        now_s, limits = self._now_s(), self.limits
        one = self.belief.of(shot.name)
        wanted_s = self.course.exposure_s(now_s, limits.aim_adu / one.adu_s)
        exposure_s = round(min(max(wanted_s, limits.least_exposure_s), limits.most_exposure_s), 3)
        expected = self._expected_adu(shot.name, now_s, exposure_s)
        shows = _SHOWS_FROM < expected / self._share(shot.name) / self.camera.full_scale_adu < _SHOWS_TO
        if shows and now_s - self.looked_s >= _LOOK_EVERY_S:
            self.looked_s = now_s
            frame = await take(self.kit, self.exposure(exposure_s))
            mean = middle_level(frame)
            trial = Trial(shot.name, 0, exposure_s, mean)
            exposures_s = [limits.least_exposure_s, limits.most_exposure_s]
            why = f"how bright the sky is; its turn is at {self._clock(shot.at_s)}"
            await self.tell_trial(trial, frame, self._window_adu(shot.name), exposures_s, why)
            self._learn(shot.name, frame.started_at, exposure_s, mean)
            return
        pause_s = min(shot.at_s - now_s - _LOOK_BEFORE_S, _LOOK_EVERY_S)
        await self.kit.clock.sleep(max(pause_s, 1.0))

    def _learn(self, name: str, begun: datetime, exposure_s: float, mean_adu: float) -> None:
        at_s = (begun - self.window.begins).total_seconds()
        expected = self._expected_adu(name, at_s, exposure_s)
        shown = (mean_adu - self.camera.bias_adu) * self._share(name)
        self.belief = self.belief.after(name, shown, expected)

    def _window_adu(self, name: str) -> tuple[float, float]:
        window = self.wish.window_of(name)
        return self.camera.share_adu(window.low_percent), self.camera.share_adu(window.high_percent)

    def _share(self, name: str) -> float:
        """By what a filter's light counts more, or less, so that all have one aim."""
        return aim_share(self.wish, self.camera, name)

    def _expected_adu(self, name: str, at_s: float, exposure_s: float) -> float:
        """Over the bias, as it counts."""
        gathered = self.course.gathered(at_s + exposure_s) - self.course.gathered(at_s)
        return max(self.belief.of(name).adu_s * float(gathered), 1e-3)

    def _tell_missing(self) -> None:
        why = "dark" if self.window.when == "dusk" else "bright"
        for name, missing in self.missing.items():
            self.advice[name] = FilterAdvice(name, True)
            if missing > 0:
                self.failed[name] = (
                    f"{self.have.get(name, 0)} of {self.wish.count}, then the sky was too {why}"
                )

    # -- when and where ---------------------------------------------------------------------------------

    def _now_s(self) -> float:
        return (self.kit.clock.utcnow() - self.window.begins).total_seconds()

    def _clock(self, seconds: float) -> str:
        return site_time(self.at(seconds), self.kit.rig)
