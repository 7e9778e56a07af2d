"""What all jobs of flats have in common: the filter in and focused, a frame kept and told of, dark flats."""

import statistics
from abc import ABC, abstractmethod
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

from vigil.calibration.flatlook import FlatLook, set_faults
from vigil.devices.protocols import Exposure, RawFrame
from vigil.documents.flats import FlatsWish
from vigil.engine.activities.moves import filter_to, focuser_to, rotator_to, take
from vigil.engine.activity import Kit
from vigil.engine.flats.aslights import LightsHad
from vigil.engine.flats.frames import Kept, histogram, keep, middle_level
from vigil.levels.advice import FilterAdvice
from vigil.levels.trials import Camera, Trial
from vigil.runtime.workshop import Workshop

_TURNED_DEG = 0.5
_LEAK_SHARE = 0.004
"""Of full scale: a dark flat that is so much over the bias has light in it."""


@dataclass
class FlatsTaking(ABC):
    """`folder` is where frames are kept. `have` counts by filter, `have_dark` by what they are for."""

    kit: Kit
    wish: FlatsWish
    workshop: Workshop
    folder: Path
    set_point_c: float | None
    have: dict[str, int] = field(default_factory=dict)
    have_dark: dict[str, int] = field(default_factory=dict)
    trials: list[Trial] = field(default_factory=list)
    advice: dict[str, FilterAdvice] = field(default_factory=dict)
    failed: dict[str, str] = field(default_factory=dict)
    leaks: list[str] = field(default_factory=list)
    had: LightsHad = field(default_factory=LightsHad)
    looks: dict[str, list[FlatLook]] = field(default_factory=dict)
    faults: dict[str, list[str]] = field(default_factory=dict)
    camera: Camera = field(default_factory=lambda: Camera(0.0, 65535.0))
    source: str = ""
    """Of the light, where frames say it."""
    several: bool = False
    """Whether other binnings are taken too: filters are told of with theirs then."""

    def __post_init__(self) -> None:
        self.have, self.have_dark = dict(self.wish.have), dict(self.wish.have_dark)

    @abstractmethod
    async def take_flats(self) -> None:
        """Raises DeviceError, ActivityFailed, OSError; one filter's failure doesn't stop the others."""

    @abstractmethod
    async def take_dark_flats(self) -> None:
        """Once it is dark. Raises as `take_flats`."""

    @property
    def dark_flats_wanted(self) -> int:
        """Of each kind."""
        return self.wish.count if self.wish.dark_flats is None else self.wish.dark_flats

    def label(self, name: str) -> str:
        """A filter as it is told of."""
        return f"{name}@{self.wish.binning}" if self.several else name

    async def measure_camera(self) -> None:
        """Bias by a frame without light."""
        part = self.kit.rig.camera
        assert part is not None, "asked for before"
        frame = await take(self.kit, self.exposure(max(part.shortest_exposure_s, 0.001), light=False))
        self.camera = Camera(middle_level(frame), float(part.full_scale_adu))

    async def through(self, name: str) -> None:
        """The filter in, camera and focus where its lights had them; where none says, focus by the offset
        between the two filters."""
        wheel, focuser = self.kit.rig.wheel, self.kit.devices.focuser
        before = self.kit.devices.wheel.state if self.kit.devices.wheel else None
        if wheel is not None and name:
            await filter_to(self.kit, name)
        await self._turn_as_lights(name)
        if focuser is None or focuser.state is None:
            return
        here, wanted = focuser.state.position, self.had.focus.get(name)
        if wanted is None and wheel is not None and name and before is not None:
            was = next((f for f in wheel.filters if f.slot is not None and f.slot == before.slot), None)
            if was is not None:
                wanted = here + wheel.filter(name).focus_offset_steps - was.focus_offset_steps
        if wanted is not None and wanted != here:
            await focuser_to(self.kit, wanted)

    async def _turn_as_lights(self, name: str) -> None:
        """Half a turn is the same; a camera that a person turns stays as it is."""
        wanted, rotator = self.had.rotator_deg.get(name), self.kit.devices.rotator
        if wanted is None or rotator is None or rotator.state is None:
            return
        off_deg = abs((rotator.state.angle_deg - wanted + 90) % 180 - 90)
        if off_deg > _TURNED_DEG:
            await self.kit.step(
                {"turned": round(off_deg, 1)}, f"{name}: turned by {off_deg:.0f}° as the lights were"
            )
            await rotator_to(self.kit, wanted)

    def exposure(self, exposure_s: float, light: bool = True) -> Exposure:
        """With the gain of the flats and the lights' offset."""
        lights = self.kit.rig.camera.settings_for("lights") if self.kit.rig.camera else None
        gain = self.wish.gain if self.wish.gain is not None else (lights.gain if lights else 0)
        offset = lights.offset if lights else 0
        return Exposure(exposure_s, gain or 0, offset or 0, self.wish.binning, light=light)

    async def keep(
        self,
        kind: Literal["flat", "dark flat"],
        name: str,
        exposure_s: float,
        number: int,
        level: int | None = None,
    ) -> Kept:
        """Take one and keep it; `level` is the panel's."""
        part, judge = self.kit.rig.camera, None
        exposure = self.exposure(exposure_s, kind == "flat")
        if kind == "flat" and part is not None:
            bayer = part.bayer if part.bayer is not None and exposure.binning == 1 else ""
            judge = self.camera.bias_adu, self.camera.full_scale_adu, bayer
        return await keep(
            self.kit, self.workshop, self.folder, kind, exposure, number, name, self.set_point_c, self.source,
            judge, level,
        )  # fmt: skip

    # -- telling ------------------------------------------------------------------------------------

    def begin_progress(self, names: Iterable[str]) -> None:
        total = 0 if self.wish.trial else (self.wish.count + self.dark_flats_wanted) * len(list(names))
        self.kit.progress.begin("flats", "flats", 0, total, "frames")

    async def tell_trial(
        self,
        trial: Trial,
        frame: RawFrame,
        window_adu: tuple[float, float],
        exposures_s: list[float],
        why: str,
    ) -> None:
        """A frame that only shows how bright it is."""
        self.trials.append(trial)
        told = {
            "filter": self.label(trial.filter),
            "level": trial.level,
            "exposure_s": trial.exposure_s,
            "mean_adu": round(trial.mean_adu, 1),
            "histogram": histogram(frame, self.camera.full_scale_adu),
            "low_adu": window_adu[0],
            "high_adu": window_adu[1],
            "full_scale_adu": self.camera.full_scale_adu,
            "bias_adu": round(self.camera.bias_adu, 1),
            "exposures_s": exposures_s,
        }
        at = f" at level {trial.level}" if trial.level else ""
        await self.kit.step(
            {"trial": told},
            f"{trial.filter or 'no filter'}: {share_words(trial.mean_adu, self.camera)}{at} in "
            f"{trial.exposure_s:.3g} s ({why})",
        )

    async def tell_frame(
        self, kind: str, name: str, kept: Kept, good: bool, exposure_s: float, level: int | None = None
    ) -> None:
        """Of a flat its filter is `name`, of a dark flat what it is for."""
        have = (self.have if kind == "flat" else self.have_dark).get(name, 0)
        frame: dict[str, Any] = {
            "kind": kind,
            "filter": self.label(name),
            "path": str(kept.path),
            "mean_adu": round(kept.mean_adu, 1),
            "exposure_s": exposure_s,
            "level": level,
            "kept": good,
            "have": have,
        }
        if good and kept.look is not None:
            self.looks.setdefault(name, []).append(kept.look)
        self.kit.progress.current = sum(self.have.values()) + sum(self.have_dark.values())
        said = "" if good else ", outside the window: not kept"
        words = f"{kind} {have}, {name}: {share_words(kept.mean_adu, self.camera)}{said}"
        await self.kit.step({"frame": frame}, words)

    async def tell_judged(self, name: str) -> None:
        """How good a filter's flats of this job are, once they are there."""
        looks = self.looks.get(name, [])
        if not looks:
            return
        last = looks[-1]
        faults = [*last.faults(), *set_faults(looks)]
        judged = {
            "filter": self.label(name),
            "faults": faults,
            "vignetting_percent": round(100 * last.vignetting, 2),
            "gradient_percent": round(100 * last.gradient, 2),
            "uneven_percent": round(100 * last.uneven, 2),
            "bands_percent": round(100 * last.bands, 3),
            "levels_adu": {colour: round(level, 1) for colour, level in last.levels_adu.items()},
        }
        if faults:
            self.faults[name] = faults
        said = "; ".join(faults) or f"even, {100 * last.vignetting:.0f} % darker in the corners"
        await self.kit.step({"judged": judged}, f"{name or 'no filter'}: {said}")

    # -- dark flats ---------------------------------------------------------------------------------

    async def dark_flats(self, key: str, exposure_s: float, filter_name: str = "") -> None:
        """So many as are missing, without light; whether there was some is looked at."""
        means: list[float] = []
        while self.have_dark.get(key, 0) < self.dark_flats_wanted:
            kept = await self.keep("dark flat", filter_name, exposure_s, self.have_dark.get(key, 0) + 1)
            self.have_dark[key] = self.have_dark.get(key, 0) + 1
            means.append(kept.mean_adu)
            await self.tell_frame("dark flat", key, kept, True, exposure_s)
        over = statistics.median(means) - self.camera.bias_adu if means else 0.0
        if over > _LEAK_SHARE * self.camera.full_scale_adu:
            self.leaks.append(key)
            await self.kit.step(
                {"leak": key}, f"{key}: the dark flats are {over:.0f} ADU over the bias: light"
            )


def share_words(mean_adu: float, camera: Camera) -> str:
    """ "35.2 %"."""
    return f"{100 * mean_adu / camera.full_scale_adu:.1f} %"
