"""What is asked of the polar bench, what its measurements come to, and what is kept of them by the rig."""

from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

from vigil.documents.limited import PLAIN_TEXT
from vigil.documents.store import Document
from vigil.polar.adjusters import AdjusterName, Gain, Turn, gain_of

TURNING = "polar turning"
"""The stream of the frames that are taken while the adjusters are turned."""
DRIFT = "polar drift"
"""The stream of a drift as it becomes known."""
AXIS_KIND, TURNING_KIND, DRIFT_KIND, BACK_KIND, PLACE_KIND, NOTE_KIND = (
    "polar axis",
    "polar turning",
    "polar drift",
    "polar way back",
    "polar drift place",
    "polar note",
)
"""Kinds of errands."""
Seconds = Annotated[float, Field(gt=0, le=60)]
Binning = Annotated[int, Field(ge=1, le=4)]
CameraName = Literal["main", "guide"]
_KEPT_TURNS = 12


class _Frames(BaseModel):
    """How the frames are taken. What is left out is as the rig has it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    camera: CameraName = "guide"
    exposure_s: Seconds | None = None
    gain: Annotated[int, Field(ge=0)] | None = None
    binning: Binning | None = None
    filter: str = ""


class AxisWish(_Frames):
    """Three frames, or two, with a turn in right ascension between each two of them."""

    turn_deg: Annotated[float, Field(ge=15, le=60)] = 30.0
    way: Literal["", "west", "east"] = ""
    """Empty: the one that is clear."""
    frames: Annotated[int, Field(ge=2, le=3)] = 3
    rate_deg_s: Annotated[float, Field(gt=0, le=10)] | None = None
    """Of the turns; empty: as fast as the mount slews."""
    goes: bool = False
    """Whether the mount is unparked and sent near the pole first."""
    by_steps: bool = False
    """Whether each turn is asked about before it is made."""


class TurningWish(_Frames):
    """Frames one after the other while somebody turns the adjusters, until it is stopped."""

    exposure_s: Seconds | None = 1.0
    x: float | None = None
    y: float | None = None
    """Near the star to watch, unbinned px; empty: one that suits."""
    frames: Annotated[int, Field(ge=0)] = 0


class DriftWish(BaseModel):
    """Until it is known to within so many arc-minutes, or for so long."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    axis: AdjusterName = "azimuth"
    goes: bool = False
    """Whether the mount is sent where that axis shows first."""
    within_arcmin: Annotated[float, Field(ge=0.1, le=30)] = 0.5
    longest_s: Annotated[float, Field(ge=30, le=3600)] = 1200.0
    exposure_s: Seconds | None = None
    turned: float | None = None
    """By how much the adjuster was turned since the last round (turns, + clockwise), where that is known."""
    stays: bool = False
    """Whether it goes on watching the star while the adjuster is turned, until it is told to measure
    again."""


class PlaceWish(BaseModel):
    """The mount sent to where an axis shows best."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    axis: AdjusterName = "azimuth"


class BackWish(BaseModel):
    """The mount sent back to where it stood before the first measurement, and parked where it was parked."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class NoteWish(BaseModel):
    """A note of one's own on an adjuster."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    axis: AdjusterName
    note: Annotated[str, Field(max_length=500, pattern=PLAIN_TEXT)] = ""


class PolarRecord(BaseModel):
    """A measurement. Arc-minutes on the sky against the true pole: altitude + where the axis is too high,
    azimuth + where it is east of it; None where a drift has told one alone. `refracted` is the same against
    the pole as the site sees it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    at: datetime
    method: Literal["frames", "drift"]
    camera: CameraName
    altitude_arcmin: float | None
    azimuth_arcmin: float | None
    sigma_altitude_arcmin: float | None
    sigma_azimuth_arcmin: float | None
    refracted_altitude_arcmin: float | None = None
    total_arcmin: float | None
    took_s: float
    hour_angle_deg: float
    dec_deg: float
    frames: int
    turns_deg: tuple[float, ...] = ()
    notes: tuple[str, ...] = ()


class Stood(BaseModel):
    """How the camera stood when the axis was measured: rows of `attitude` as `polar.attitude` has them."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    at: datetime
    camera: CameraName
    attitude: tuple[tuple[float, float, float], ...]
    axis: tuple[float, float, float]
    mount_ra_deg: float
    mount_dec_deg: float


class Began(BaseModel):
    """How the mount stood before anything was measured."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    hour_angle_deg: float
    dec_deg: float
    parked: bool
    tracking: bool


class KeptTurn(BaseModel):
    """One turn of an adjuster, as `polar.adjusters.Turn`."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    before_arcmin: float
    after_arcmin: float
    sigma_arcmin: float
    turns: float | None = None


class KeptAdjuster(BaseModel):
    """What one adjuster has done, and a note of one's own: where the key is kept, which screw to loosen."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    turns: tuple[KeptTurn, ...] = ()
    note: Annotated[str, Field(max_length=500)] = ""

    @property
    def learnt(self) -> tuple[Turn, ...]:
        return tuple(Turn(t.before_arcmin, t.after_arcmin, t.sigma_arcmin, t.turns) for t in self.turns)

    @property
    def gain(self) -> Gain | None:
        return gain_of(self.learnt)

    def with_turn(self, turn: Turn) -> "KeptAdjuster":
        """The last few are kept."""
        told = KeptTurn(
            before_arcmin=round(turn.before_arcmin, 3),
            after_arcmin=round(turn.after_arcmin, 3),
            sigma_arcmin=round(turn.sigma_arcmin, 3),
            turns=turn.turns,
        )
        return self.model_copy(update={"turns": (*self.turns, told)[-_KEPT_TURNS:]})


class KeptPolar(Document):
    """Of one rig: its last measurement, what is left of it as far as the adjusters were watched, how the
    mount stood before, and what is learnt of the adjusters."""

    KIND: ClassVar[str] = "vigil polar alignment"
    SCHEMA: ClassVar[int] = 1

    last: PolarRecord | None = None
    drifts: dict[AdjusterName, PolarRecord] = {}  # noqa: RUF012
    """The last of each axis."""
    stood: Stood | None = None
    began: Began | None = None
    adjusters: dict[AdjusterName, KeptAdjuster] = {}  # noqa: RUF012

    def adjuster(self, name: AdjusterName) -> KeptAdjuster:
        return self.adjusters.get(name, KeptAdjuster())


def figures(record: PolarRecord) -> dict[str, Any]:
    """Of an errand's end, and in the ledger."""
    return record.model_dump(mode="json")


def record_said(record: PolarRecord) -> str:
    """ "the axis is 12.3′ ± 0.1′ too high, 4.5′ ± 0.1′ west of the pole: 13.1′ in all"."""
    told = []
    if record.altitude_arcmin is not None:
        high = "too high" if record.altitude_arcmin > 0 else "too low"
        told.append(f"{abs(record.altitude_arcmin):.1f}′ ± {record.sigma_altitude_arcmin or 0:.1f}′ {high}")
    if record.azimuth_arcmin is not None:
        side = "east" if record.azimuth_arcmin > 0 else "west"
        told.append(
            f"{abs(record.azimuth_arcmin):.1f}′ ± {record.sigma_azimuth_arcmin or 0:.1f}′ {side} of the pole"
        )
    said = f"the axis is {', '.join(told)}"
    return said if record.total_arcmin is None else f"{said}: {record.total_arcmin:.1f}′ in all"


def polar_path(rig_id: str, folder: Path) -> Path:
    """Where what is kept of a rig stands."""
    return folder / f"polar_{rig_id}.json"
