"""What the lights were taken with, and what worked for flats last time, by the headers of frames."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from statistics import median
from typing import Any

from vigil.documents.rig import Rig
from vigil.files.madeframes import made_frames
from vigil.levels.advice import Limits
from vigil.levels.matching import Made
from vigil.levels.search import Try


@dataclass(frozen=True, slots=True)
class LightsHad:
    """By filter: the focuser's position, the rotator's angle and the air's temperature of its newest light,
    and its newest flat of a panel."""

    focus: dict[str, int] = field(default_factory=dict)
    rotator_deg: dict[str, float] = field(default_factory=dict)
    flats: dict[str, Made] = field(default_factory=dict)
    ambient_c: dict[str, float] = field(default_factory=dict)

    def warmer_c(self, now_c: float | None) -> float | None:
        """By how much it is warmer now than with the lights in the middle; None where that isn't known."""
        if now_c is None or not self.ambient_c:
            return None
        return now_c - median(self.ambient_c.values())

    def first_try(self, name: str, rig: Rig, gain: int, binning: int, limits: Limits) -> Try | None:
        """Level and exposure of the last flat, scaled for another gain and binning; None where there is none,
        or the level is not in use."""
        last, camera = self.flats.get(name), rig.camera
        if last is None or last.panel_level is None or last.exposure_s is None or camera is None:
            return None
        if not limits.lowest_level <= last.panel_level <= limits.highest_level:
            return None
        gained = 1.0
        if last.gain is not None and last.gain != gain:
            gained = camera.at_gain(gain).electrons_per_adu / camera.at_gain(last.gain).electrons_per_adu
        exposure_s = last.exposure_s * gained * last.binning**2 / binning**2
        exposure_s = min(max(exposure_s, limits.least_exposure_s), limits.most_exposure_s)
        return Try(last.panel_level, exposure_s, "as it worked last time")


def lights_had(folders: Iterable[Path], rig: Rig) -> LightsHad:
    """Of frames of this rig's camera; folders that aren't there are passed over."""
    found, newest = LightsHad(), dict[tuple[str, str], float]()
    name = rig.camera.name if rig.camera is not None else ""
    for made in made_frames(folder for folder in folders if folder.exists()):
        when = made.at.timestamp() if made.at is not None else 0.0
        if made.camera != name or when < newest.get((made.kind, made.filter), -1.0):
            continue
        if made.kind == "flat" and made.panel_level is not None:
            found.flats[made.filter] = made
        elif made.kind == "light":
            _put(found.focus, made.filter, made.focus_position)
            _put(found.rotator_deg, made.filter, made.rotator_deg)
            _put(found.ambient_c, made.filter, made.ambient_c)
        else:
            continue
        newest[made.kind, made.filter] = when
    return found


def _put(there: dict[str, Any], name: str, value: float | None) -> None:
    if value is not None:
        there[name] = value
