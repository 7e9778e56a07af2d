"""What is asked of the guider, and its calibration as it is kept."""

from dataclasses import asdict
from datetime import datetime
from typing import Annotated, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

from vigil.documents.store import Document
from vigil.guiding.calibration import Axis, GuideCalibration

GUIDE = "guide"
"""The stream of the guider's frames."""
CALIBRATION, GUIDING, DARK = "guide calibration", "guiding", "guide dark"
"""Kinds of errands."""
Seconds = Annotated[float, Field(gt=0, le=60)]


class CalibrationWish(BaseModel):
    """What is left out is as the rig has it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    exposure_s: Seconds | None = None
    binning: Annotated[int, Field(ge=1, le=4)] = 1
    goes: bool = False
    """Whether it is done at the calibration place, near the equator and the meridian."""
    side: Literal["", "east", "west"] = ""
    """Of the meridian, where that place is; empty: where the mount looks now."""


class GuidingWish(BaseModel):
    """Until it is stopped, or for so many frames."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    exposure_s: Seconds | None = None
    binning: Annotated[int, Field(ge=1, le=4)] = 1
    x: float | None = None
    y: float | None = None
    """Near the star to guide by, unbinned px; empty: those that suit best."""
    calibrate: Literal["when needed", "always", "never"] = "when needed"
    corrects: bool = True
    """False only watches: a record for a study."""
    frames: Annotated[int, Field(ge=0)] = 0


class GuideDarkWish(BaseModel):
    """`covered`: nobody need be asked whether the guide scope is."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    exposure_s: Seconds | None = None
    binning: Annotated[int, Field(ge=1, le=4)] = 1
    frames: Annotated[int, Field(ge=3, le=50)] = 9
    covered: bool = False


class KeptAxis(BaseModel):
    """As `guiding.calibration.Axis`."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    rate_px_s: float
    rate_error_px_s: float
    angle_deg: float
    angle_error_deg: float
    crooked: float
    way_px: float


class KeptCalibration(Document):
    """The last guide calibration of a rig, and what it depends on beside the sky: guider and mount as the rig
    had them."""

    KIND: ClassVar[str] = "vigil guide calibration"
    SCHEMA: ClassVar[int] = 1

    made_at: datetime
    ra: KeptAxis
    dec: KeptAxis
    backlash_s: float
    backlash_error_s: float
    drift_px_s: tuple[float, float]
    dec_deg: float
    pier_side: Literal["west", "east", ""]
    binning: int
    rotator_deg: float | None
    train: str
    guide_rate: float
    good: bool
    words: list[str]

    @property
    def calibration(self) -> GuideCalibration:
        return GuideCalibration(
            ra=Axis(**self.ra.model_dump()),
            dec=Axis(**self.dec.model_dump()),
            backlash_s=self.backlash_s,
            backlash_error_s=self.backlash_error_s,
            drift_px_s=self.drift_px_s,
            dec_deg=self.dec_deg,
            pier_side=self.pier_side,
            binning=self.binning,
            rotator_deg=self.rotator_deg,
        )


def kept(
    found: GuideCalibration, made_at: datetime, train: str, guide_rate: float, good: bool, words: list[str]
) -> KeptCalibration:
    """As a document."""
    return KeptCalibration(
        made_at=made_at,
        ra=KeptAxis(**asdict(found.ra)),
        dec=KeptAxis(**asdict(found.dec)),
        backlash_s=found.backlash_s,
        backlash_error_s=found.backlash_error_s,
        drift_px_s=found.drift_px_s,
        dec_deg=found.dec_deg,
        pier_side=found.pier_side,
        binning=found.binning,
        rotator_deg=found.rotator_deg,
        train=train,
        guide_rate=guide_rate,
        good=good,
        words=words,
    )
