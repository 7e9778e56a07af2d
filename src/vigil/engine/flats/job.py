"""Flats of a steady light: what every filter needs is found before the first frame is kept, then filter after
filter, then dark flats without light."""

from dataclasses import dataclass, field

from vigil.devices.errors import DeviceError
from vigil.documents.flats import FlatsWish
from vigil.documents.rig import Rig
from vigil.engine.activities.moves import take
from vigil.engine.activity import ActivityFailed
from vigil.engine.flats.frames import middle_level
from vigil.engine.flats.light import Light, SteadyLight
from vigil.engine.flats.taking import FlatsTaking
from vigil.levels.advice import FilterAdvice, Limits
from vigil.levels.search import next_try
from vigil.levels.trials import Camera, Trial

_MOST_MISSES = 5
"""Frames outside the window, one after another, until a filter is given up."""


@dataclass
class FlatsJob(FlatsTaking):
    """Light of a panel, or of a cloth by day that has one level only."""

    light: Light = field(default_factory=SteadyLight)
    _judged_by: dict[str, Limits] = field(default_factory=dict)

    async def take_flats(self) -> None:
        """Raises DeviceError, ActivityFailed, OSError; one filter's failure doesn't stop the others."""
        names = self.wish.filters_in(self.kit.rig.wheel)
        self.begin_progress(names)
        await self.light.set(0)
        await self.measure_camera()
        for name in names:
            await self._searched(name)
        await self._tell_feasible()
        if self.wish.trial:
            return
        for name in names:
            if self._judged_by.get(name) != self.limits_of(name):
                await self._searched(name)  # the limits were changed meanwhile
                await self._tell_feasible()
            if self.advice[name].feasible and self.have.get(name, 0) < self.wish.count:
                await self._flats(name)

    def limits_of(self, name: str) -> Limits:
        """As they are wanted now."""
        return limits_of(self.kit.rig, self.wish, self.camera, name)

    async def take_dark_flats(self) -> None:
        """As the flats, the light off: same exposure, whatever filter is in. Raises as `take_flats`."""
        await self.light.set(0)
        for name, found in self.advice.items():
            if found.feasible and name not in self.failed and not self.wish.trial:
                assert found.exposure_s is not None
                await self.dark_flats(name, found.exposure_s, name)

    # -- before the first ---------------------------------------------------------------------------

    async def _searched(self, name: str) -> None:
        self._judged_by[name] = self.limits_of(name)
        try:
            await self._search(name)
        except DeviceError as problem:
            self.advice[name] = FilterAdvice(name, False, reason=str(problem), change="that mended")

    async def _search(self, name: str) -> None:
        """Raises what devices raise; what can't be done is in `advice`."""
        if name in self.wish.found:
            level, exposure_s = self.wish.found[name]
            words = f"level {level}, {exposure_s:.3g} s, as before"
            self.advice[name] = FilterAdvice(
                name, True, level, exposure_s, self.limits_of(name).aim_adu, 0.0, words
            )
            return
        await self.through(name)
        widths = {f.name: f.width_nm for f in self.kit.rig.wheel.filters} if self.kit.rig.wheel else {}
        while True:
            limits = self.limits_of(name)
            step = next_try(name, self.trials, self.camera, limits, widths, self.wish.count)
            if not any(trial.filter == name for trial in self.trials):
                gain = self.exposure(1.0).gain
                step = self.had.first_try(name, self.kit.rig, gain, self.wish.binning, limits) or step
            if isinstance(step, FilterAdvice):
                self.advice[name] = step
                return
            await self.light.set(step.level)
            frame = await take(self.kit, self.exposure(step.exposure_s))
            trial = Trial(name, step.level, step.exposure_s, middle_level(frame))
            exposures_s = [limits.least_exposure_s, limits.most_exposure_s]
            await self.tell_trial(trial, frame, (limits.low_adu, limits.high_adu), exposures_s, step.why)

    async def _tell_feasible(self) -> None:
        """Of all filters, before the first one is kept."""
        impossible = [one for one in self.advice.values() if not one.feasible]
        words = f"{len(self.advice) - len(impossible)} of {len(self.advice)} filters can be done"
        for one in impossible:
            words += f"; {one.filter or 'without a filter'}: {one.reason}. What would help: {one.change}"
        await self.kit.step(
            {"advice": [{**one.told(), "filter": self.label(one.filter)} for one in self.advice.values()]},
            words,
        )

    # -- frames -------------------------------------------------------------------------------------

    async def _flats(self, name: str) -> None:
        found = self.advice[name]
        assert found.level is not None and found.exposure_s is not None
        exposure_s, misses = found.exposure_s, 0
        try:
            await self.through(name)
            await self.light.set(found.level)
            while self.have.get(name, 0) < self.wish.count:
                level = None if self.source == "cloth" else self.light.level
                kept = await self.keep("flat", name, exposure_s, self.have.get(name, 0) + 1, level)
                limits = self.limits_of(name)
                inside = limits.low_adu <= kept.mean_adu <= limits.high_adu
                if inside:
                    misses = 0
                    self.have[name] = self.have.get(name, 0) + 1
                else:
                    kept.path.unlink(missing_ok=True)
                    misses += 1
                await self.tell_frame("flat", name, kept, inside, exposure_s, self.light.level)
                if misses >= _MOST_MISSES:
                    raise ActivityFailed(f"{misses} frames one after another were outside the window")
                exposure_s = self._corrected(exposure_s, kept.mean_adu, limits)
        except (DeviceError, ActivityFailed) as problem:
            self.failed[name] = str(problem)
            await self.kit.step({"failed": name}, f"{name}: {problem}; the other filters go on")
            return
        self.advice[name] = FilterAdvice(name, True, found.level, exposure_s, None, 0.0, found.reason)
        await self.tell_judged(name)

    def _corrected(self, exposure_s: float, mean_adu: float, limits: Limits) -> float:
        """A lamp that warms up is followed; small differences are left alone, so that dark flats match."""
        bias = self.camera.bias_adu
        ratio = (limits.aim_adu - bias) / max(mean_adu - bias, 1.0)
        spare = min(mean_adu - limits.low_adu, limits.high_adu - mean_adu)
        if spare > 0.2 * (limits.high_adu - limits.low_adu):
            return exposure_s
        wanted = exposure_s * min(max(ratio, 0.25), 4.0)
        return min(max(wanted, limits.least_exposure_s), limits.most_exposure_s)


def limits_of(rig: Rig, wish: FlatsWish, camera: Camera, name: str) -> Limits:
    """Levels, exposures and window of a job through a filter."""
    window = wish.window_of(name)
    panel, part = (None if wish.source == "cloth" else rig.panel), rig.camera
    assert part is not None, "asked for before"
    least = max(panel.shortest_exposure_s if panel is not None else 0.0, part.shortest_exposure_s)
    return Limits(
        max(panel.lowest_level, 1) if panel is not None else 1,
        panel.top if panel is not None else 1,
        max(wish.least_exposure_s if wish.least_exposure_s is not None else least, 0.001),
        wish.most_exposure_s,
        camera.share_adu(window.low_percent),
        camera.share_adu(window.high_percent),
        camera.share_adu(window.aim_percent),
    )
