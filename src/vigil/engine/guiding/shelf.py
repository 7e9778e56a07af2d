"""The rig's last guide calibration and its guide darks: kept, and found again where they still serve."""

import logging
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from vigil.documents.guiding import KeptCalibration, kept
from vigil.documents.rig import Rig
from vigil.documents.store import DocumentError, load, save
from vigil.engine.activity import Kit
from vigil.engine.guiding.calibrating import Made, pier_side_of
from vigil.files.fits import read_fits
from vigil.guiding.calibration import GuideCalibration

log = logging.getLogger(__name__)


def train_of(rig: Rig) -> str:
    """What a calibration depends on of the rig, as one text."""
    guider = rig.guider
    if guider is None:
        return ""
    length = rig.guide_focal_length_mm
    return f"{guider.name}, {guider.kind}, {length:g} mm, {guider.pixel_um:g} µm" if length else guider.name


def calibration_path(rig: Rig, folder: Path) -> Path:
    return folder / f"guide-calibration_{rig.id}.json"


def dark_path(rig: Rig, folder: Path, exposure_s: float, binning: int) -> Path:
    """Of the guide camera's dark for such frames."""
    gain = rig.guider.gain if rig.guider else 0
    return folder / f"guide-dark_{rig.id}_{exposure_s:g}s_gain{gain}_bin{binning}.fits"


def dark_of(rig: Rig, folder: Path, exposure_s: float, binning: int) -> NDArray[np.float32] | None:
    """None where there is none that can be read."""
    path = dark_path(rig, folder, exposure_s, binning)
    try:
        return np.asarray(read_fits(path).image, dtype=np.float32) if path.exists() else None
    except (OSError, ValueError) as problem:
        log.warning("%s: %s; guiding goes without it", path, problem)
        return None


def keep(kit: Kit, folder: Path, made: Made) -> None:
    """Raises OSError."""
    part = kit.rig.mount
    folder.mkdir(parents=True, exist_ok=True)
    document = kept(
        made.calibration,
        kit.clock.utcnow(),
        train_of(kit.rig),
        part.guide_rate if part else 0.5,
        made.judged.good,
        list(made.judged.words),
    )
    save(document, calibration_path(kit.rig, folder))


def valid(kit: Kit, folder: Path, binning: int, mirrors: bool = True) -> tuple[GuideCalibration | None, str]:
    """As it serves where the mount looks now; or None, and why there is none. One from the other side of the
    pier serves where it `mirrors`."""
    document, reason = _kept(kit.rig, folder, binning)
    if document is None:
        return None, reason
    here = pier_side_of(kit)
    if not mirrors and document.pier_side and here and here != document.pier_side:
        return None, f"it was made {document.pier_side} of the pier"
    return as_it_serves(kit, document.calibration), ""


def why_none(rig: Rig, folder: Path) -> str:
    """Why there is no calibration that serves, wherever the mount looks; empty where there is one."""
    return _kept(rig, folder, 1)[1]


def _kept(rig: Rig, folder: Path, binning: int) -> tuple[KeptCalibration | None, str]:
    path = calibration_path(rig, folder)
    try:
        document = _read(path, path.stat().st_mtime_ns)
    except FileNotFoundError:
        return None, "none was made yet"
    except (DocumentError, OSError) as problem:
        return None, str(problem)
    reason = _why_not(rig, document, binning)
    return (None, reason) if reason else (document, "")


@lru_cache(maxsize=8)
def _read(path: Path, changed_ns: int) -> KeptCalibration:
    """A night asks for it before every frame."""
    return load(KeptCalibration, path)


def _why_not(rig: Rig, document: KeptCalibration, binning: int) -> str:
    train, part = train_of(rig), rig.mount
    if not document.good:
        return f"the last one is of no use: {'; '.join(document.words)}"
    if document.train != train:
        return f"it was made with {document.train}; now there is {train}"
    if part is not None and document.guide_rate != part.guide_rate:
        return f"the guide rate was {document.guide_rate:g} ×, now it is {part.guide_rate:g} ×"
    if document.binning != binning:
        return f"it was made with binning {document.binning}, now it is {binning}"
    return ""


def as_it_serves(kit: Kit, found: GuideCalibration) -> GuideCalibration:
    """At this declination, on this side of the pier, with the rotator as it stands."""
    mount, rotator = kit.devices.named("mount").state, kit.devices.rotator
    if mount is None:
        return found
    serves = found.at_declination(mount.dec_deg).on_side(pier_side_of(kit))
    turns = kit.rig.guider is not None and kit.rig.guider.kind == "off-axis"
    if turns and rotator is not None and rotator.state is not None:
        serves = serves.turned_to(rotator.state.angle_deg)
    return serves
