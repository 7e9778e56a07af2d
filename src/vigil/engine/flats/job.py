"""A job of flats: what every filter needs is found before the first frame is kept, then filter after filter,
then dark flats with the panel off."""

import statistics
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.devices.protocols import Exposure
from vigil.documents.flats import FlatsWish
from vigil.documents.rig import Rig
from vigil.engine.activities.moves import filter_to, focuser_to, take
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.flats.frames import Kept, histogram, keep, middle_level
from vigil.engine.flats.light import PanelLight
from vigil.levels.advice import FilterAdvice, Limits
from vigil.levels.search import next_try
from vigil.levels.trials import Camera, Trial
from vigil.runtime.workshop import Workshop

_LEAK_SHARE = 0.004
"""Of full scale: a dark flat that is so much over the bias has light in it."""
_MOST_MISSES = 5
"""Frames outside the window, one after another, until a filter is given up."""


@dataclass
class FlatsJob:
    """`folder` is where frames are kept. `have` and `have_dark` count by filter."""

    kit: Kit
    wish: FlatsWish
    workshop: Workshop
    folder: Path
    light: PanelLight
    set_point_c: float | None
    have: dict[str, int] = field(default_factory=dict)
    have_dark: dict[str, int] = field(default_factory=dict)
    trials: list[Trial] = field(default_factory=list)
    advice: dict[str, FilterAdvice] = field(default_factory=dict)
    failed: dict[str, str] = field(default_factory=dict)
    leaks: list[str] = field(default_factory=list)

    async def run(self) -> None:
        """Raises DeviceError, ActivityFailed, OSError; one filter's failure doesn't stop the others."""
        self.have, self.have_dark = dict(self.wish.have), dict(self.wish.have_dark)
        kit, names = self.kit, filters_of(self.kit.rig, self.wish)
        self._begin_progress(names)
        self.camera = await self._measured_camera()
        self.limits = limits_of(kit.rig, self.wish, self.camera)
        for name in names:
            try:
                await self._search(name)
            except DeviceError as problem:
                self.advice[name] = FilterAdvice(name, False, reason=str(problem), change="that mended")
        await self._tell_feasible()
        if self.wish.trial:
            return
        for name in names:
            if self.advice[name].feasible and self.have.get(name, 0) < self.wish.count:
                await self._flats(name)
        await self.light.set(0)
        for name in names:
            if self.advice[name].feasible and name not in self.failed:
                await self._dark_flats(name)

    # -- before the first ---------------------------------------------------------------------------

    async def _measured_camera(self) -> Camera:
        """Bias by a frame without light."""
        part = self.kit.rig.camera
        assert part is not None, "asked for before"
        await self.light.set(0)
        frame = await take(self.kit, self._exposure(max(part.shortest_exposure_s, 0.001), "", light=False))
        return Camera(middle_level(frame), float(part.full_scale_adu))

    async def _search(self, name: str) -> None:
        """Raises what devices raise; what can't be done is in `advice`."""
        if name in self.wish.found:
            level, exposure_s = self.wish.found[name]
            words = f"level {level}, {exposure_s:.3g} s, as before"
            self.advice[name] = FilterAdvice(name, True, level, exposure_s, self.limits.aim_adu, 0.0, words)
            return
        await self._through(name)
        widths = {f.name: f.width_nm for f in self.kit.rig.wheel.filters} if self.kit.rig.wheel else {}
        while True:
            step = next_try(name, self.trials, self.camera, self.limits, widths, self.wish.count)
            if isinstance(step, FilterAdvice):
                self.advice[name] = step
                return
            await self.light.set(step.level)
            frame = await take(self.kit, self._exposure(step.exposure_s, name))
            mean = middle_level(frame)
            self.trials.append(Trial(name, step.level, step.exposure_s, mean))
            told = {
                "filter": name,
                "level": step.level,
                "exposure_s": step.exposure_s,
                "mean_adu": round(mean, 1),
                "histogram": histogram(frame, self.camera.full_scale_adu),
                "low_adu": self.limits.low_adu,
                "high_adu": self.limits.high_adu,
                "full_scale_adu": self.camera.full_scale_adu,
                "bias_adu": round(self.camera.bias_adu, 1),
                "exposures_s": [self.limits.least_exposure_s, self.limits.most_exposure_s],
            }
            await self.kit.step(
                {"trial": told},
                f"{name or 'no filter'}: {_share(mean, self.camera)} at level {step.level} in "
                f"{step.exposure_s:.3g} s ({step.why})",
            )

    async def _tell_feasible(self) -> None:
        """Of all filters, before the first one is kept."""
        impossible = [one for one in self.advice.values() if not one.feasible]
        words = f"{len(self.advice) - len(impossible)} of {len(self.advice)} filters can be done"
        for one in impossible:
            words += f"; {one.filter or 'without a filter'}: {one.reason}. What would help: {one.change}"
        await self.kit.step({"advice": [one.told() for one in self.advice.values()]}, words)

    # -- frames -------------------------------------------------------------------------------------

    async def _flats(self, name: str) -> None:
        found = self.advice[name]
        assert found.level is not None and found.exposure_s is not None
        exposure_s, misses = found.exposure_s, 0
        try:
            await self._through(name)
            await self.light.set(found.level)
            while self.have.get(name, 0) < self.wish.count:
                kept = await self._keep("flat", name, exposure_s, self.have.get(name, 0) + 1)
                inside = self.limits.low_adu <= kept.mean_adu <= self.limits.high_adu
                if inside:
                    misses = 0
                    self.have[name] = self.have.get(name, 0) + 1
                else:
                    kept.path.unlink(missing_ok=True)
                    misses += 1
                await self._tell_frame("flat", name, kept, inside, exposure_s)
                if misses >= _MOST_MISSES:
                    raise ActivityFailed(f"{misses} frames one after another were outside the window")
                exposure_s = self._corrected(exposure_s, kept.mean_adu)
        except (DeviceError, ActivityFailed) as problem:
            self.failed[name] = str(problem)
            await self.kit.step({"failed": name}, f"{name}: {problem}; the other filters go on")
            return
        self.advice[name] = FilterAdvice(name, True, found.level, exposure_s, None, 0.0, found.reason)

    def _corrected(self, exposure_s: float, mean_adu: float) -> float:
        """A lamp that warms up is followed; small differences are left alone, so that dark flats match."""
        bias = self.camera.bias_adu
        ratio = (self.limits.aim_adu - bias) / max(mean_adu - bias, 1.0)
        spare = min(mean_adu - self.limits.low_adu, self.limits.high_adu - mean_adu)
        if spare > 0.2 * (self.limits.high_adu - self.limits.low_adu):
            return exposure_s
        wanted = exposure_s * min(max(ratio, 0.25), 4.0)
        return min(max(wanted, self.limits.least_exposure_s), self.limits.most_exposure_s)

    async def _dark_flats(self, name: str) -> None:
        """As the flats, with the panel off: same exposure, whatever filter is in."""
        count = self.wish.count if self.wish.dark_flats is None else self.wish.dark_flats
        exposure_s = self.advice[name].exposure_s
        assert exposure_s is not None
        means: list[float] = []
        while self.have_dark.get(name, 0) < count:
            kept = await self._keep("dark flat", name, exposure_s, self.have_dark.get(name, 0) + 1)
            self.have_dark[name] = self.have_dark.get(name, 0) + 1
            means.append(kept.mean_adu)
            await self._tell_frame("dark flat", name, kept, True, exposure_s)
        if (
            means
            and statistics.median(means) - self.camera.bias_adu > _LEAK_SHARE * self.camera.full_scale_adu
        ):
            over = statistics.median(means) - self.camera.bias_adu
            self.leaks.append(name)
            await self.kit.step(
                {"leak": name}, f"{name}: the dark flats are {over:.0f} ADU over the bias: light"
            )

    async def _keep(self, kind: Any, name: str, exposure_s: float, number: int) -> Kept:
        light = kind == "flat"
        exposure = self._exposure(exposure_s, name, light)
        return await keep(
            self.kit, self.workshop, self.folder, kind, exposure, number, name, self.set_point_c
        )

    async def _tell_frame(self, kind: str, name: str, kept: Kept, good: bool, exposure_s: float) -> None:
        have = (self.have if kind == "flat" else self.have_dark).get(name, 0)
        values = {
            "frame": {
                "kind": kind,
                "filter": name,
                "path": str(kept.path),
                "mean_adu": round(kept.mean_adu, 1),
                "exposure_s": exposure_s,
                "level": self.light.level,
                "kept": good,
                "have": have,
            }
        }
        self.kit.progress.current = sum(self.have.values()) + sum(self.have_dark.values())
        said = "" if good else ", outside the window: not kept"
        await self.kit.step(values, f"{kind} {have}, {name}: {_share(kept.mean_adu, self.camera)}{said}")

    # -- with what ----------------------------------------------------------------------------------

    def _begin_progress(self, names: Iterable[str]) -> None:
        names = list(names)
        each = self.wish.count + (self.wish.count if self.wish.dark_flats is None else self.wish.dark_flats)
        total = 0 if self.wish.trial else each * len(names)
        self.kit.progress.begin("flats", "flats", 0, total, "frames")

    def _exposure(self, exposure_s: float, name: str, light: bool = True) -> Exposure:
        lights = self.kit.rig.camera.settings_for("lights") if self.kit.rig.camera else None
        gain = self.wish.gain if self.wish.gain is not None else (lights.gain if lights else 0)
        offset = lights.offset if lights else 0
        return Exposure(exposure_s, gain or 0, offset or 0, self.wish.binning, light=light)

    async def _through(self, name: str) -> None:
        """The filter in, and focus where the lights have it: the offset between the two filters."""
        wheel, focuser = self.kit.rig.wheel, self.kit.devices.focuser
        if wheel is None or not name:
            return
        before = (
            self.kit.devices.wheel.state.slot
            if self.kit.devices.wheel and self.kit.devices.wheel.state
            else None
        )
        await filter_to(self.kit, name)
        was = next((f for f in wheel.filters if f.slot is not None and f.slot == before), None)
        if was is None or focuser is None or focuser.state is None:
            return
        steps = wheel.filter(name).focus_offset_steps - was.focus_offset_steps
        if steps:
            await focuser_to(self.kit, focuser.state.position + steps)


def filters_of(rig: Rig, wish: FlatsWish) -> list[str]:
    """In the order of the slots, so that the wheel turns one way; without a wheel one nameless filter."""
    if rig.wheel is None:
        return [""]
    there = sorted((f for f in rig.wheel.filters if f.slot is not None), key=lambda f: f.slot or 0)
    return [f.name for f in there if not wish.filters or f.name in wish.filters]


def limits_of(rig: Rig, wish: FlatsWish, camera: Camera) -> Limits:
    """Levels, exposures and window of a job."""
    panel, part = rig.panel, rig.camera
    assert panel is not None and part is not None, "asked for before"
    least = max(panel.shortest_exposure_s, part.shortest_exposure_s)
    return Limits(
        max(panel.lowest_level, 1),
        panel.top,
        max(wish.least_exposure_s if wish.least_exposure_s is not None else least, 0.001),
        wish.most_exposure_s,
        camera.share_adu(wish.low_percent),
        camera.share_adu(wish.high_percent),
    )


def _share(mean_adu: float, camera: Camera) -> str:
    return f"{100 * mean_adu / camera.full_scale_adu:.1f} %"
