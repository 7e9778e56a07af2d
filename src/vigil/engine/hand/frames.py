"""Frames taken by hand: kept when single, in a short ring of files when looped, always measured."""

from pathlib import Path
from typing import Any, Literal

from vigil.devices.protocols import Exposure, RawFrame
from vigil.documents.rig import Rig
from vigil.engine.activities.moves import is_mosaic, take
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.header import bare_header
from vigil.engine.measuring import in_words, plain
from vigil.files.fits import Header, write_frame
from vigil.runtime.workshop import Workshop

_RING = 3


async def take_frame(
    kit: Kit, workshop: Workshop, folder: Path, name: str, values: dict[str, Any], number: int | None
) -> tuple[str, dict[str, Any]]:
    """One frame of the camera `name`; `number` counts in a loop. Returns a sentence and its figures."""
    exposure = _exposure(kit.rig, name, values, "lights" if number is None else "focusing")
    frame = await take(kit, exposure, name=name)
    stem = name.replace(" ", "-")
    if number is None:
        path = folder / f"{stem}_{frame.started_at:%Y-%m-%d_%H%M%S}.fits"
    else:
        path = folder / f"{stem}_loop-{number % _RING}.fits"
    guides = name == "guide camera"
    await write_trial(workshop, kit.rig, path, frame, guides)
    full_scale = _full_scale_adu(kit.rig, guides)
    mosaic = not guides and is_mosaic(kit, frame)
    figures = await kit.measurer.measure(frame.image, full_scale, mosaic)
    return f"{exposure.exposure_s:g} s: {in_words(figures)}", {
        "path": str(path),
        "stars": figures.stars,
        "hfr_px": plain(round(figures.hfr_px, 3)),
        "background_adu": round(figures.background_adu, 1),
        "exposure_s": exposure.exposure_s,
    }


def _exposure(rig: Rig, name: str, values: dict[str, Any], use: Literal["lights", "focusing"]) -> Exposure:
    if name == "guide camera":
        gain = rig.guider.gain if rig.guider else 0
        return Exposure(values["exposure_s"], gain, 20, values["binning"])
    if rig.camera is None:
        raise ActivityFailed("the rig has no camera")
    chosen = rig.camera.settings_for(use)
    return Exposure(values["exposure_s"], chosen.gain or 0, chosen.offset or 0, values["binning"])


def _full_scale_adu(rig: Rig, guides: bool) -> int:
    if guides:
        return int(2 ** (rig.guider.bit_depth if rig.guider else 16)) - 1
    return rig.camera.full_scale_adu if rig.camera else 65535


async def write_trial(
    workshop: Workshop, rig: Rig, path: Path, frame: RawFrame, guides: bool = False
) -> None:
    """Put a frame that belongs to no night on disk."""
    await workshop.run(_write, path, frame, bare_header(rig, frame, guides))


def _write(path: Path, frame: RawFrame, header: Header) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    write_frame(path, frame.image, header)
