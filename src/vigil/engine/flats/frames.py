"""Calibration frames taken and kept, each whole on disk before the next one begins."""

from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np

from vigil.calibration.flatlook import FlatLook, look
from vigil.calibration.masters import middle_of
from vigil.devices.errors import DeviceError
from vigil.devices.protocols import Exposure, RawFrame
from vigil.engine.activities.moves import take
from vigil.engine.activity import Kit
from vigil.engine.header import frame_header
from vigil.engine.wanted import FrameKind, Wanted
from vigil.files.fits import write_frame
from vigil.files.names import evening_date, safe
from vigil.runtime.workshop import Workshop

Judged = tuple[float, float, str]
"""What a flat is judged with: bias and full scale, ADU, and the Bayer pattern."""


@dataclass(frozen=True, slots=True)
class Kept:
    """A frame on disk, its mean level in the middle, ADU, and when its exposure began."""

    path: Path
    mean_adu: float
    begun: datetime
    look: FlatLook | None = None
    """Of a flat, where it is large enough to be judged."""


def middle_level(frame: RawFrame) -> float:
    """Mean of the middle of the field, ADU."""
    rows, columns = frame.image.shape
    return float(frame.image[middle_of((rows, columns))].mean())


def histogram(frame: RawFrame, full_scale_adu: float, bins: int = 128) -> list[int]:
    """Pixels from 0 to full scale, in so many equal steps."""
    counts, _ = np.histogram(frame.image[::2, ::2], bins=bins, range=(0, full_scale_adu))
    return [int(n) for n in counts]


async def keep(
    kit: Kit,
    workshop: Workshop,
    folder: Path,
    kind: FrameKind,
    exposure: Exposure,
    number: int,
    filter_name: str = "",
    set_point_c: float | None = None,
    source: str = "",
    judge: Judged | None = None,
    level: int | None = None,
) -> Kept:
    """Take one and write it under `folder`; `source` is what shone, `level` the panel's, with `judge` it is
    looked at as a flat. Raises DeviceError, OSError."""
    frame = await take(kit, exposure)
    date = evening_date(frame.started_at, kit.rig.site.time_zone)
    words = [kind.replace(" ", "-"), filter_name, f"{exposure.exposure_s:g}s", f"g{exposure.gain}"]
    words += [f"{exposure.binning}x{exposure.binning}", f"{frame.started_at:%H%M%S}", f"{number:04d}"]
    name = "_".join(safe(word) for word in words if word)
    path = folder / date / kind.replace(" ", "-") / f"{name}.fits"
    wanted = Wanted(kind, kind, kind, kind, exposure, filter_name, set_point_c)
    if kit.devices.mount is not None and kit.devices.mount.connected:
        with suppress(DeviceError):  # standing still, it looks elsewhere from frame to frame
            await kit.devices.mount.refresh()
    mount = kit.devices.mount.state if kit.devices.mount else None
    focuser = kit.devices.focuser.state if kit.devices.focuser else None
    rotator = kit.devices.rotator.state if kit.devices.rotator else None
    header = frame_header(name, frame, wanted, kit.rig, mount, focuser, rotator=rotator)
    if level:
        header["FLATLEV"] = (level, "step of the flat panel")
    if source:
        header["FLATSRC"] = (source, "what the flats are of")
    await workshop.run(_write, path, frame.image, header)
    found = await workshop.run(_looked_at, frame.image, judge) if judge is not None else None
    return Kept(path, middle_level(frame), frame.started_at, found)


def _write(path: Path, image: "np.ndarray", header: dict[str, tuple[object, str]]) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    write_frame(path, image, header)


def _looked_at(image: "np.ndarray", judge: Judged) -> FlatLook | None:
    try:
        return look(image, *judge)
    except ValueError:
        return None  # too small, or black
