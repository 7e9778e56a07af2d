"""Darks and bias frames taken set after set, by an errand or at a night's end."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from vigil.devices.protocols import Exposure
from vigil.documents.flats import DarkSet
from vigil.engine.activity import Kit
from vigil.engine.flats.frames import keep
from vigil.engine.flats.prepare import cold
from vigil.engine.wanted import FrameKind
from vigil.runtime.workshop import Workshop

_LEAK_SHARE = 0.01
_HANDLING_S = 1.0


@dataclass
class DarksJob:
    """`have` counts by the set's place; `leaks` says what speaks of light. With `until` no frame is begun
    that would end later."""

    kit: Kit
    workshop: Workshop
    folder: Path
    sets: Sequence[DarkSet]
    have: dict[str, int] = field(default_factory=dict)
    until: datetime | None = None
    leaks: list[str] = field(default_factory=list)

    async def take(self) -> None:
        """It is dark. Raises DeviceError, OSError."""
        wanted = sum(one.count for one in self.sets)
        words = ", ".join(one.words for one in self.sets)
        self.kit.progress.begin("darks", words, sum(self.have.values()), wanted, "frames")
        for number, one in enumerate(self.sets):
            await self._take_set(str(number), one)

    async def _take_set(self, key: str, one: DarkSet) -> None:
        kit, part = self.kit, self.kit.rig.camera
        assert part is not None, "asked for before"
        is_bias = one.exposure_s == 0
        exposure_s = part.shortest_exposure_s or 0.001 if is_bias else one.exposure_s
        if self.have.get(key, 0) >= one.count or self._too_late(exposure_s, one.binning):
            return
        set_point_c = await cold(kit, one.temperature_c)
        lights = part.settings_for("lights")
        gain = one.gain if one.gain is not None else lights.gain
        offset = one.offset if one.offset is not None else lights.offset
        exposure = Exposure(exposure_s, gain or 0, offset or 0, one.binning, light=False)
        kind: FrameKind = "bias" if is_bias else "dark"
        first: float | None = None
        leak = ""
        while self.have.get(key, 0) < one.count and not self._too_late(exposure_s, one.binning):
            number = self.have.get(key, 0) + 1
            kept = await keep(
                kit, self.workshop, self.folder, kind, exposure, number, set_point_c=set_point_c
            )
            self.have[key] = number
            first = kept.mean_adu if first is None else first
            kit.progress.current = sum(self.have.values())
            if abs(kept.mean_adu - first) > _LEAK_SHARE * part.full_scale_adu:
                leak = f"{one.words}: the level changed by {kept.mean_adu - first:+.0f} ADU: light, or warmth"
            frame = {
                "set": key, "kind": kind, "path": str(kept.path), "have": number,
                "mean_adu": round(kept.mean_adu, 1), "exposure_s": exposure_s,
            }  # fmt: skip
            await kit.step({"frame": frame}, f"{kind} {number} of {one.count}: {kept.mean_adu:.0f} ADU")
        self.leaks += [leak] if leak else []

    def _too_late(self, exposure_s: float, binning: int) -> bool:
        if self.until is None:
            return False
        takes_s = exposure_s + self.kit.rig.readout_s(binning) + _HANDLING_S
        return (self.until - self.kit.clock.utcnow()).total_seconds() < takes_s
