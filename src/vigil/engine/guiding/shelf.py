"""The rig's last guide calibration and its guide darks: kept, and found again where they still serve."""

import logging
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from vigil.documents.guiding import KeptCalibration, kept
from vigil.documents.rig import Rig
from vigil.documents.store import DocumentError, load, save
from vigil.engine.activity import Kit
from vigil.engine.guiding.calibrating import Made
from vigil.files.fits import read_fits
from vigil.guiding.calibration import GuideCalibration, Side

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


def valid(kit: Kit, folder: Path, binning: int) -> tuple[GuideCalibration | None, str]:
    """As it serves where the mount looks now; or None, and why there is none."""
    path = calibration_path(kit.rig, folder)
    if not path.exists():
        return None, "none was made yet"
    try:
        document = load(KeptCalibration, path)
    except DocumentError as problem:
        return None, str(problem)
    reason = _why_not(kit, document, binning)
    if reason:
        return None, reason
    return as_it_serves(kit, document.calibration), ""


def _why_not(kit: Kit, document: KeptCalibration, binning: int) -> str:
    train, part = train_of(kit.rig), kit.rig.mount
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
    side: Side = mount.pier_side.value if mount.pier_side.value in ("west", "east") else ""
    serves = found.at_declination(mount.dec_deg).on_side(side)
    turns = kit.rig.guider is not None and kit.rig.guider.kind == "off-axis"
    if turns and rotator is not None and rotator.state is not None:
        serves = serves.turned_to(rotator.state.angle_deg)
    return serves
