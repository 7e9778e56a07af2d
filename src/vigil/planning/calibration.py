"""Calibration frames that a plan's lights will want, and those of them that are not there."""

from collections.abc import Sequence

from vigil.documents.figures import signed
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.files.calibrationframes import CalibrationFrame

_WITHIN_C, _WITHIN_SHARE = 1.0, 0.01


def missing_calibration(plan: NightPlan, rig: Rig, have: Sequence[CalibrationFrame]) -> list[str]:
    """In words, each kind once: "darks of 300 s at gain 100, −10 °C", "flats through Ha".

    Darks match by exposure (to a hundredth), gain, offset, binning, and where the camera is cooled by
    temperature (to a degree); flats by filter and binning.
    """
    missing: dict[str, None] = {}
    flats: dict[str, None] = {}
    for block in plan.blocks:
        for line in block.active_lines:
            gain, offset = line.settings_on(rig)
            cold = block.set_point_on(rig)
            wanted = (line.exposure_s, gain, offset, line.binning, cold)
            if not any(_is_dark_for(frame, *wanted) for frame in have):
                at = f", {signed(cold)} °C" if cold is not None else ""
                binned = f", binned {line.binning}" if line.binning > 1 else ""
                missing[f"darks of {line.exposure_s:g} s at gain {gain}{binned}{at}"] = None
            through = line.filter or "no filter"
            if not any(_is_flat_for(frame, line.filter, line.binning) for frame in have):
                flats[through] = None
    return [*missing, *([f"flats through {', '.join(flats)}"] if flats else [])]


def _is_dark_for(
    frame: CalibrationFrame, exposure_s: float, gain: int, offset: int, binning: int, cold_c: float | None
) -> bool:
    return (
        frame.kind == "dark"
        and frame.exposure_s is not None
        and abs(frame.exposure_s - exposure_s) <= _WITHIN_SHARE * exposure_s
        and frame.gain in (gain, None)
        and frame.offset in (offset, None)
        and (frame.binning or 1) == binning
        and (cold_c is None or frame.temperature_c is None or abs(frame.temperature_c - cold_c) <= _WITHIN_C)
    )


def _is_flat_for(frame: CalibrationFrame, through: str, binning: int) -> bool:
    return frame.kind == "flat" and frame.filter == through and (frame.binning or 1) == binning
