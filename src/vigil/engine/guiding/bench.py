"""What all errands of the guiding bench have in common."""

from functools import partial
from pathlib import Path

from vigil.documents.rig import Rig
from vigil.engine.activity import Kit
from vigil.engine.errand import ErrandRefused
from vigil.engine.guiding.frames import GuideFrames
from vigil.engine.guiding.shelf import dark_of


def needs_guider(rig: Rig) -> None:
    """Raises ErrandRefused for a rig that can't guide."""
    missing = [words for words, part in (("guide camera", rig.guider), ("mount", rig.mount)) if part is None]
    if missing:
        raise ErrandRefused(f"{rig.name} has no {' and no '.join(missing)}: it can't guide")
    if rig.guide_scale_arcsec_px is None:
        raise ErrandRefused(f"{rig.name}: the guide scope's focal length isn't known")


def guide_frames(kit: Kit, folder: Path, exposure_s: float | None, binning: int) -> GuideFrames:
    """As the rig exposes them where nothing else is asked for, with the darks that are kept in a folder."""
    guider = kit.rig.guider
    assert guider is not None, "asked for before"
    return GuideFrames(
        kit, exposure_s or guider.exposure_s, binning, dark_for=partial(dark_of, kit.rig, folder)
    )
