"""What events carry: one model for each kind, with a version.

Recording is strict: what doesn't fit its kind's model is an error in Vigil and never reaches the ledger.
Reading is not: of an older version the values are brought up by `UPGRADES`, of a newer one what isn't known
here is left out. Whoever changes a model so that old values no longer fit it counts its `VERSION` up and
adds an upgrade.
"""

from collections.abc import Callable, Mapping
from datetime import datetime
from typing import Any, ClassVar, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vigil.documents.events import Event, Kind
from vigil.documents.refusal import in_words

Numbers = dict[str, Any]
"""What a piece of work tells of itself beside what is read by everybody."""


class Values(BaseModel):
    """Base of the models. `OPEN` ones may have numbers of their own, by any name."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True, populate_by_name=True)

    VERSION: ClassVar[int] = 1


class _Open(Values):
    model_config = ConfigDict(extra="allow")

    @property
    def figures(self) -> Numbers:
        """The numbers of its own."""
        return dict(self.model_extra or {})


class Nothing(Values):
    """The reason says it all."""


# -- any errand ----------------------------------------------------------------------------------------


class ErrandStarted(Values):
    kind: str
    rig_id: str
    evening: str
    words: str
    claims: tuple[str, ...] = ()
    asked: str = ""
    """The id of the command."""
    given: Numbers = {}
    """What it was begun with."""


class ErrandStep(_Open):
    pass


class ErrandEnded(_Open):
    outcome: str
    took_s: float = 0.0


class QuestionAsked(Values):
    question: int
    words: str
    answers: tuple[str, ...]
    until: datetime | None = None
    otherwise: str = ""


class QuestionAnswered(Values):
    question: int
    answer: str
    """Empty when nobody has answered."""


# -- a night -------------------------------------------------------------------------------------------


class NightStarted(Values):
    rig_id: str = ""
    evening: str = ""
    plan: str | None = None
    rig: str | None = None
    """Documents' texts."""
    wanted: int = 0
    frames_folder: str = ""
    keeper_pid: int | None = None


class NightResumed(Values):
    keeper_pid: int | None = None


class Waiting(Values):
    until: datetime | None = None
    """None while something goes on whose end is not known."""
    lost_to: str = ""
    """What failed, where the time is lost."""


class _OfActivity(_Open):
    activity: int
    kind: str = ""
    condition: str = ""


class ActivityStarted(_OfActivity):
    words: str = ""
    expected_s: float = 0.0
    from_position: int | None = Field(None, alias="from")
    """The focuser's, before a focus run."""


class ActivityStep(_OfActivity):
    pass


class FocusFound(Values):
    model_config = ConfigDict(extra="ignore")

    position: int
    filter: str
    temperature_c: float | None
    hfr_px: float
    block: str = ""
    slope_px_step: float | None = None
    sigma_steps: float | None = None


class PointingFound(Values):
    model_config = ConfigDict(extra="ignore")

    block: str
    off_px: float
    off_arcsec: float
    aim_ra_deg: float
    aim_dec_deg: float
    side: str = ""


class DitherMade(Values):
    model_config = ConfigDict(extra="ignore")

    block: str
    number: int
    east_arcsec: float
    north_arcsec: float


class AngleFound(Values):
    model_config = ConfigDict(extra="ignore")

    position_angle_deg: float
    accepted_for: str = ""


class ActivityEnded(_OfActivity):
    outcome: Literal["done", "failed", "cancelled"]
    took_s: float = 0.0
    disturbed: tuple[str, ...] = ()
    step: str = ""
    """The plan's step that was done."""
    side: str = ""
    """Of the pier, where the mount was moved."""
    focus: FocusFound | None = None
    pointing: PointingFound | None = None
    dither: DitherMade | None = None
    angle: AngleFound | None = None
    looked: Numbers | None = None
    """What a look at the sky showed."""
    silent: tuple[str, ...] = ()
    """Devices that did not answer, where it failed for that."""


class Waived(Values):
    condition: str
    until: datetime


class PutOff(Values):
    block: str
    until: datetime
    lost_to: str = ""


class BlockGivenUp(Values):
    block: str


class _Frame(Values):
    frame_id: str
    kind: str = "light"
    path: str
    block: str = ""
    line: str = ""
    target: str = ""
    filter: str | None = None
    exposure_s: float = 0.0
    number: int = 0
    of: int | None = None


class ExposureStarted(_Frame):
    ends: datetime | None = None
    then: str = ""


class ExposureEnded(Values):
    frame_id: str = ""
    outcome: Literal["done", "short", "failed", "cancelled"]


class FrameSaved(_Frame):
    started_at: str = ""
    temperature_c: float | None = None
    focus_position: int | None = None
    tube_c: float | None = None
    guide_rms_arcsec: float | None = None
    """On both axes together, while it was exposed; None where nothing guided."""
    guide_ra_rms_arcsec: float | None = None
    guide_dec_rms_arcsec: float | None = None
    dither_arcsec: tuple[float, float] | None = None
    """Where it was to lie beside its target: east, north."""
    gain: int | None = None
    offset: int | None = None
    binning: int = 1
    set_point_c: float | None = None
    electrons_per_adu: float | None = None
    ra_deg: float | None = None
    dec_deg: float | None = None
    """The centre that was wanted, ICRS."""
    air_mass: float | None = None
    evening: str = ""
    """The night that it belongs to, where that isn't its errand's."""
    camera: str = ""
    doubtful: str | None = None
    """Why it doesn't count."""


class FrameMeasured(Values):
    frame_id: str
    block: str = ""
    line: str = ""
    filter: str | None = None
    stars: int = 0
    hfr_px: float | None = None
    hfr_sigma_px: float | None = None
    fwhm_px: float | None = None
    elongation: float | None = None
    background_adu: float = 0.0
    noise_adu: float = 0.0
    saturated: int = 0
    off_px: float | None = None
    off_arcsec: float | None = None
    beside_arcsec: tuple[float, float] | None = None
    """How far its centre lies beside where it was to be: east, north."""
    position_angle_deg: float | None = None
    scale_arcsec_px: float | None = None
    bright_flux_adu: float | None = None
    pixel_noise_adu: float | None = None
    trail_sigma: float | None = None
    """How far a straight trail stands out."""
    doubtful: str | None = None


class FrameJudged(Values):
    frame_id: str
    verdict: Literal["rejected", "kept", "undecided"]
    """Undecided takes a person's word back."""


class FrameLocated(Values):
    """A frame's file lies elsewhere now, or (no path) is gone."""

    frame_id: str
    path: str = ""


class DeviceLost(Values):
    device: str


class Guarded(Values):
    device: str = ""
    guard: str = ""
    side: str = ""


class Guided(_Open):
    """What the guider tells beside the night's activities."""

    disturbed: tuple[str, ...] = ()


class ByHand(Values):
    device: str = ""
    action: str = ""
    disturbed: tuple[str, ...] = ()


class RigChanged(Values):
    rig: str


class PlanChanged(Values):
    plan: str
    wanted: int = 0


class Asked(Values):
    what: str
    block: str = ""


class Held(Values):
    condition: str = ""
    """The one that holds the night, by its name; then it ends by itself."""


class ClosingPart(Values):
    part: str
    outcome: str


class NightOver(Values):
    frames: int = 0
    wanted: int = 0
    closing: dict[str, str] = {}


MODELS: dict[Kind, type[Values]] = {
    Kind.ERRAND_STARTED: ErrandStarted,
    Kind.ERRAND_STEP: ErrandStep,
    Kind.ERRAND_ENDED: ErrandEnded,
    Kind.QUESTION_ASKED: QuestionAsked,
    Kind.QUESTION_ANSWERED: QuestionAnswered,
    Kind.NIGHT_STARTED: NightStarted,
    Kind.NIGHT_RESUMED: NightResumed,
    Kind.WAITING: Waiting,
    Kind.ACTIVITY_STARTED: ActivityStarted,
    Kind.ACTIVITY_STEP: ActivityStep,
    Kind.ACTIVITY_ENDED: ActivityEnded,
    Kind.WAIVED: Waived,
    Kind.PUT_OFF: PutOff,
    Kind.EXPOSURE_STARTED: ExposureStarted,
    Kind.EXPOSURE_ENDED: ExposureEnded,
    Kind.FRAME_SAVED: FrameSaved,
    Kind.FRAME_MEASURED: FrameMeasured,
    Kind.FRAME_JUDGED: FrameJudged,
    Kind.FRAME_LOCATED: FrameLocated,
    Kind.BLOCK_GIVEN_UP: BlockGivenUp,
    Kind.DEVICE_LOST: DeviceLost,
    Kind.DEVICE_RECOVERED: Nothing,
    Kind.GUARDED: Guarded,
    Kind.GUIDED: Guided,
    Kind.BY_HAND: ByHand,
    Kind.RIG_CHANGED: RigChanged,
    Kind.PLAN_CHANGED: PlanChanged,
    Kind.ASKED: Asked,
    Kind.HELD: Held,
    Kind.RESUMED: Nothing,
    Kind.CLOSING_STARTED: Nothing,
    Kind.CLOSING_PART: ClosingPart,
    Kind.NIGHT_OVER: NightOver,
}

Upgrade = Callable[[Mapping[str, Any]], dict[str, Any]]
UPGRADES: dict[tuple[Kind, int], Upgrade] = {}
"""By kind and version: the values as the next version has them."""


class BadValues(ValueError):
    """An event's values are not what its kind has; the message says what is wrong."""


def new_event(errand: str, at: datetime, kind: Kind, values: dict[str, Any], reason: str) -> Event:
    """To be recorded, of today's version. Raises BadValues for what its kind doesn't have."""
    typed = _validated(kind, values)
    event = Event(errand=errand, at=at, kind=kind, version=typed.VERSION, values=values, reason=reason)
    _keep(event, typed)
    return event


V = TypeVar("V", bound=Values)
_TYPED = "_typed"
"""Where an event keeps its values once they have been read: several read each, and reading costs more."""


def read(event: Event, model: type[V]) -> V:
    """An event's values, in the shape that its kind has today. Raises BadValues."""
    values = values_of(event)
    if not isinstance(values, model):
        raise TypeError(f"the values of {event.kind} are not {model.__name__}")
    return values


def values_of(event: Event) -> Values:
    """The same, whatever its kind."""
    kept = event.__dict__.get(_TYPED)
    if kept is not None and kept[0] is event.values and kept[1] is event.kind:  # not so in an altered copy
        known: Values = kept[2]
        return known
    return _keep(event, _validated(event.kind, _of_today(event)))


def _keep(event: Event, typed: Values) -> Values:
    event.__dict__[_TYPED] = event.values, event.kind, typed
    return typed


def _of_today(event: Event) -> Mapping[str, Any]:
    model, values = MODELS[event.kind], event.values
    for version in range(event.version, model.VERSION):
        values = UPGRADES[(event.kind, version)](values)
    if model.model_config.get("extra") != "forbid":
        return values
    names = {field.alias or name for name, field in model.model_fields.items()}
    return values if values.keys() <= names else {k: v for k, v in values.items() if k in names}


def _validated(kind: Kind, values: Mapping[str, Any]) -> Values:
    try:
        return MODELS[kind].model_validate(values)
    except ValidationError as problem:
        raise BadValues(f"{kind}: {in_words(problem)}") from None
