"""The night plan: blocks with their spans and exposure lines, and standing orders."""

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, ValidationError, field_validator, model_validator

from vigil.documents.conditions import wrong_order
from vigil.documents.limited import ID, PLAIN_TEXT, ClockTime
from vigil.documents.piece import Piece
from vigil.documents.refusal import in_words
from vigil.documents.rig import Rig
from vigil.documents.rig.part import Shown
from vigil.documents.steps import ClosingStep, MustHold, OpeningItem, RunProgram, Step, TestExposure
from vigil.documents.store import Document, Migrations
from vigil.files.deepsky import UnknownObject, find_object
from vigil.sky.angles import parse_dec_deg, parse_ra_deg


class Target(Piece):
    """What to point at: a name from the deep-sky catalogue, or a name with its own ICRS position.

    Positions may be written as numbers (degrees) or as text ("05h 16m 29s", "+34° 21′").
    """

    name: Annotated[str, Field(min_length=1, max_length=120, pattern=PLAIN_TEXT)]
    ra_deg: Annotated[float, Field(ge=0, lt=360)]
    dec_deg: Annotated[float, Field(ge=-90, le=90)]
    position_angle_deg: Annotated[float, Field(ge=0, lt=360)] | None = None
    """Of the sensor's rows, north through east; None leaves the camera as it is. Half a turn is the same."""

    @model_validator(mode="before")
    @classmethod
    def _positioned(cls, data: Any) -> Any:
        if not isinstance(data, dict) or not data.get("name"):
            return data
        data = dict(data)
        if data.get("ra_deg") is None and data.get("dec_deg") is None:
            try:
                found = find_object(str(data["name"]))
            except UnknownObject as problem:
                raise ValueError(f"{problem}; or give ra_deg and dec_deg with it") from None
            data.update(ra_deg=found.ra_deg, dec_deg=found.dec_deg)
        if isinstance(data.get("ra_deg"), str):
            data["ra_deg"] = parse_ra_deg(data["ra_deg"])
        if isinstance(data.get("dec_deg"), str):
            data["dec_deg"] = parse_dec_deg(data["dec_deg"])
        return data


class SunMoment(Piece):
    """A named twilight moment, plus or minus minutes."""

    moment: Literal["civil", "nautical", "astronomical"] = "astronomical"
    minutes: Annotated[float, Field(ge=-720, le=720)] = 0.0


MoonIs = Literal["anywhere", "up", "down"]
HourAngle = Annotated[float, Field(ge=-12, le=12)]


class Span(Piece):
    """When a block may run: from a dusk to a dawn, above altitude and horizon; and where more is said, only
    where all of it holds. Clock times are the site's. A last frame must be read out before it closes, unless
    it may overrun."""

    opens: SunMoment = SunMoment(minutes=-10)
    closes: SunMoment = SunMoment()
    minimum_altitude_deg: Annotated[float, Field(ge=0, lt=90)] = 25.0
    from_clock: ClockTime | None = None
    until_clock: ClockTime | None = None
    moon: MoonIs = "anywhere"
    moon_apart_deg: Annotated[float, Field(gt=0, le=180)] | None = None
    """Least distance from the moon, while it is up."""
    moon_percent_at_most: Annotated[float, Field(ge=0, le=100)] | None = None
    hour_angle_from_h: HourAngle | None = None
    hour_angle_until_h: HourAngle | None = None
    may_overrun: bool = False

    @model_validator(mode="after")
    def _hour_angles_in_order(self) -> "Span":
        first, last = self.hour_angle_from_h, self.hour_angle_until_h
        if first is not None and last is not None and first >= last:
            raise ValueError(
                f"hour_angle_from_h: {first:g} h is not before hour_angle_until_h, {last:g} h; "
                "hour angles grow westward"
            )
        return self


class ExposureLine(Piece):
    """So many exposures, through a filter where the rig has any. `id` is permanent: frames count by it."""

    id: Annotated[str, Field(pattern=ID)]
    filter: str = ""
    exposure_s: Annotated[float, Field(ge=1e-5, le=3600)]
    count: Annotated[int, Field(ge=1, le=20_000)]
    gain: Annotated[int, Field(ge=-1000, le=1_000_000)] | None = None
    offset: Annotated[int, Field(ge=-1000, le=1_000_000)] | None = None
    binning: Annotated[int, Field(ge=1, le=4)] = 1
    as_long_as_it_lasts: bool = False
    """As many as the span holds; `count` is not looked at then."""
    moon: MoonIs = "anywhere"
    """Only while the moon is there."""
    off: bool = False

    def wants_more(self, taken: int) -> bool:
        """Whether another frame of it is wanted."""
        return not self.off and (self.as_long_as_it_lasts or taken < self.count)

    def settings_on(self, rig: Rig) -> tuple[int, int]:
        """(gain, offset): what the line leaves open is its filter's, then the camera's for lights."""
        assert rig.camera is not None, "a night needs a camera"
        usual = rig.camera.settings_for("lights")
        of_filter = rig.wheel.filter(self.filter).gain if rig.wheel and self.filter else None
        gain = next((g for g in (self.gain, of_filter, usual.gain) if g is not None), 0)
        return gain, (usual.offset or 0) if self.offset is None else self.offset

    @property
    def number_wanted(self) -> int:
        """Frames asked for; none of a line that is off, or takes what time there is."""
        return 0 if self.off or self.as_long_as_it_lasts else self.count

    @property
    def words(self) -> str:
        """ "Ha 300 s"."""
        return f"{self.filter} {self.exposure_s:g} s".strip()


def of_wanted(line: ExposureLine, number: int) -> str:
    """ "3 of 12"; of a line that takes what time there is "3"."""
    return str(number) if line.as_long_as_it_lasts else f"{number} of {line.count}"


_Degrees = Annotated[float, Field(ge=0.01, le=100)]
_Minutes = Annotated[float, Field(ge=0.1, le=1440)]
_Frames = Annotated[int, Field(ge=1, le=20_000)]


class StandingOrders(Piece):
    """Limits that hold all night; a limit that is None is off."""

    camera_within_c: Annotated[float, Field(ge=0.01, le=50), Shown("within", "°C")] = 0.5
    focus_colder_by_c: Annotated[_Degrees | None, Shown("temperature changed by", "°C")] = 1.2
    focus_every_min: Annotated[_Minutes | None, Shown("every", "min")] = 90.0
    focus_grown_by_percent: Annotated[
        Annotated[float, Field(ge=0.1, le=1000)] | None, Shown("stars grown by", "%")
    ] = 15.0
    focus_every_frames: Annotated[_Frames | None, Shown("every", "frames")] = None
    focus_weighed: Annotated[
        bool,
        Shown("when it is worth the minutes", help="the blur that is expected against what a run takes"),
    ] = False
    focus_follows: Annotated[
        bool,
        Shown(
            "the focuser follows the temperature", help="between exposures, by the rig's steps for each °C"
        ),
    ] = False
    focus_averaged_min: Annotated[
        float,
        Field(ge=0, le=60),
        Shown("averaged over", "min", help="the temperature, so that gusts don't count"),
    ] = 5.0
    focus_elsewhere: Annotated[
        bool, Shown("in a richer field near by", help="where there are too few stars; then back, centred")
    ] = False
    focus_at_new_target: Annotated[bool, Shown("on every new target")] = False
    focus_at_filter_change: Annotated[
        bool, Shown("after every filter change", help="else a change moves the focuser by its offset")
    ] = False
    focus_after_flip: Annotated[bool, Shown("refocus after a flip")] = False
    target_reach_px: Annotated[float, Field(ge=1, le=10_000), Shown("centred to", "px")] = 4.0
    target_keep_arcmin: Annotated[
        Annotated[float, Field(ge=0.01, le=600)] | None, Shown("recentre when off by", "′")
    ] = 2.0
    centre_after_flip: Annotated[
        bool,
        Shown(
            "recentre after a flip",
            help="else where it comes to stand is good enough, while it has not wandered too far",
        ),
    ] = True
    dither_every_frames: Annotated[
        Annotated[int, Field(ge=1, le=20_000)] | None, Shown("every", "frames")
    ] = None
    dither_once_a_round: Annotated[
        bool,
        Shown("once a round", help="in blocks whose lines are in turn, in place of every so many frames"),
    ] = False
    dither_px: Annotated[
        float, Field(gt=0, le=200), Shown("by at most", "px", help="pixels of the main camera")
    ] = 8.0
    guide_within_arcsec: Annotated[
        Annotated[float, Field(ge=0.05, le=60)] | None,
        Shown("settled within", "″", help="empty: the rig's, else twice what the night's own guiding gives"),
    ] = None
    guide_calibrate: Annotated[
        Literal["when needed", "on each side", "always", "never"],
        Shown("calibrate", help="always is once a night; else a flip turns the calibration with it"),
    ] = "when needed"
    guide_calibrate_away: Annotated[
        bool,
        Shown("go to the calibration place", help="near equator and meridian; beyond 60° always"),
    ] = False
    guide_unsettled: Annotated[
        Literal["go on without", "try again later", "hold"], Shown("if it doesn't settle")
    ] = "go on without"
    guide_error_arcsec: Annotated[
        Annotated[float, Field(ge=0.1, le=60)] | None,
        Shown("a frame ends when off by", "″", help="the guide star, for so long; empty: never"),
    ] = None
    guide_error_s: Annotated[float, Field(ge=5, le=600), Shown("for", "s")] = 30.0
    polar_within_arcmin: Annotated[
        Annotated[float, Field(ge=0.3, le=120)] | None,
        Shown("within", "′", help="measured tonight, else it is measured first; empty: not asked for"),
    ] = None
    polar_wait_min: Annotated[
        float, Field(ge=1, le=720), Shown("wait for you at the adjusters up to", "min")
    ] = 30.0
    polar_unanswered: Annotated[Literal["go on as it is", "hold"], Shown("if nobody turns them")] = (
        "go on as it is"
    )
    angle_within_deg: Annotated[
        float, Field(gt=0, le=45), Shown("angle within", "°", help="half a turn is the same")
    ] = 1.5
    turn_wait_min: Annotated[
        float,
        Field(ge=0.1, le=720),
        Shown("wait for you up to", "min", help="where the camera is turned by hand"),
    ] = 10.0
    turn_unanswered: Annotated[
        Literal["go on as it is", "skip the target", "hold"], Shown("if nobody answers")
    ] = "go on as it is"
    stars_at_least_percent: Annotated[
        Annotated[float, Field(gt=0, le=100)] | None,
        Shown("at least", "%", help="of the usual number; fewer hold the night until there are more again"),
    ] = 35.0
    when_unsafe: Annotated[
        Literal["shelter", "stay"],
        Shown("when unsafe", help="close and park until it is safe again, or leave everything as it stands"),
    ] = "shelter"
    park_at_end: Annotated[bool, Shown("park the mount")] = True
    warm_at_end: Annotated[bool, Shown("warm the camera up")] = True
    darks_at_end_min: Annotated[
        float,
        Field(ge=0, le=480),
        Shown("darks before warming, up to", "min", help="those that the lights lack; 0: none"),
    ] = 0.0

    def dither_every(self, block: "Block") -> int | None:
        """After how many of a block's frames the next dither is due; None when it is off."""
        if self.dither_once_a_round and block.order == "in turn":
            return len(block.active_lines)
        return self.dither_every_frames


WHOLE_NIGHT = frozenset(
    {"focus_averaged_min", "when_unsafe", "park_at_end", "warm_at_end", "darks_at_end_min"}
)
"""Standing orders that no block can have limits of its own for."""


def order_shown(name: str) -> Shown:
    """How people call a standing order, and its unit. Raises KeyError for one that there isn't."""
    told = StandingOrders.model_fields[name].metadata
    return next(piece for piece in told if isinstance(piece, Shown))


class Block(Piece):
    """One target with its span and lines, taken one after another or in turn."""

    id: Annotated[str, Field(pattern=ID)]
    target: Target
    span: Span = Span()
    order: Literal["one after another", "in turn"] = "one after another"
    lines: Annotated[list[ExposureLine], Field(min_length=1)]
    set_point_c: Annotated[float, Field(ge=-60, le=40)] | None = None
    """The camera's for this block; None is the rig's."""
    steps: list[Step] = []  # noqa: RUF012
    """Done once, when all else is ready for the block's first frame."""
    limits: dict[str, Any] = {}  # noqa: RUF012
    """Standing orders of its own, by their names, in place of the plan's."""
    off: bool = False

    @field_validator("limits")
    @classmethod
    def _standing_orders(cls, limits: dict[str, Any]) -> dict[str, Any]:
        own = sorted(set(StandingOrders.model_fields) - WHOLE_NIGHT)
        if unknown := sorted(set(limits) - set(own)):
            raise ValueError(f"a block has no limit {unknown[0]!r} of its own; there are {', '.join(own)}")
        try:
            read = StandingOrders.model_validate(limits)
        except ValidationError as problem:
            raise ValueError(in_words(problem)) from None
        return {name: getattr(read, name) for name in limits}

    def orders_in(self, orders: StandingOrders) -> StandingOrders:
        """The plan's standing orders with its own in place of them."""
        return orders.model_copy(update=self.limits) if self.limits else orders

    def set_point_on(self, rig: Rig) -> float | None:
        """Its own, else the rig's; None for a camera without a cooler."""
        cooler = rig.camera.cooler if rig.camera is not None else None
        if cooler is None:
            return None
        return cooler.set_point_c if self.set_point_c is None else self.set_point_c

    @property
    def active_lines(self) -> list[ExposureLine]:
        """Those that are on; none of a block that is off."""
        return [] if self.off else [line for line in self.lines if not line.off]


def from_schema_1(data: dict[str, Any]) -> dict[str, Any]:
    """Of a plan or a pattern: a condition has another name."""
    renamed = {"stars seen": "enough stars"}
    opening = [
        {**item, "name": renamed.get(item["name"], item["name"])} if item.get("kind") == "condition" else item
        for item in data.get("opening", [])
    ]
    return {**data, "opening": opening}


def from_schema_2(data: Any, name: str = "") -> Any:
    """Of a plan or a pattern: what follows when nobody answers has another name, wherever it stands."""
    if isinstance(data, dict):
        return {key: from_schema_2(value, key) for key, value in data.items()}
    if isinstance(data, list):
        return [from_schema_2(item) for item in data]
    if name in ("otherwise", "turn_unanswered") and data == "leave the target out":
        return "skip the target"
    return data


PLAN_MIGRATIONS: Migrations = {1: from_schema_1, 2: from_schema_2}
"""Of plans and patterns."""


class NightPlan(Document):
    """Everything for one night."""

    KIND: ClassVar[str] = "night plan"
    SCHEMA: ClassVar[int] = 3
    MIGRATIONS: ClassVar[Migrations] = PLAN_MIGRATIONS

    name: Annotated[str, Field(min_length=1, max_length=120, pattern=PLAIN_TEXT)]
    blocks: Annotated[list[Block], Field(max_length=500)]
    orders: StandingOrders = StandingOrders()
    opening: list[OpeningItem] = []  # noqa: RUF012
    """Steps done once, and conditions in an order of one's own or switched off; conditions that aren't named
    follow in the usual order."""
    rehearse_under: str = ""
    """The scenario that the plan is rehearsed under, by its name or file; empty: the rig's ordinary night."""
    closing: list[ClosingStep] = []  # noqa: RUF012
    """Done once the mount is parked and all is shut, before the devices are let go."""

    @model_validator(mode="after")
    def _ids(self) -> "NightPlan":
        for what, ids in (
            ("block", [b.id for b in self.blocks]),
            ("exposure line", [line.id for b in self.blocks for line in b.lines]),
            ("step", [step.id for step in self.steps]),
        ):
            twice = sorted({i for i in ids if ids.count(i) > 1})
            if twice:
                raise ValueError(f"each {what} needs an id of its own; {', '.join(twice)} stands twice")
        return self

    @property
    def steps(self) -> list[Step]:
        """All steps done once: the opening's, the blocks', the closing's."""
        opening = [item for item in self.opening if not isinstance(item, MustHold)]
        return [*opening, *(step for block in self.blocks for step in block.steps), *self.closing]

    @property
    def programs(self) -> list[list[str]]:
        """Those that it would run, with their arguments."""
        return [list(s.arguments) for s in self.steps if isinstance(s, RunProgram) and not s.off]

    @property
    def conditions(self) -> list[MustHold]:
        """Those that the plan names."""
        return [item for item in self.opening if isinstance(item, MustHold)]

    @property
    def wanted(self) -> int:
        """How many frames the plan asks for."""
        return sum(line.number_wanted for block in self.blocks for line in block.active_lines)

    @property
    def longest_exposure_s(self) -> float | None:
        """Of all lines; None without any."""
        return max((line.exposure_s for block in self.blocks for line in block.active_lines), default=None)


def missing_for_a_night(rig: Rig) -> list[str]:
    """The parts without which nothing can be exposed."""
    return [part for part in ("telescope", "camera", "mount") if getattr(rig, part) is None]


def contradictions(plan: NightPlan, rig: Rig) -> list[str]:
    """What in the plan the rig can't do, one sentence each, with the place and what would be right."""
    found = [] if plan.blocks else ["blocks: there is no target in the plan; put one in"]
    if plan.blocks and not any(block.active_lines for block in plan.blocks):
        found.append("blocks: every line of the plan is switched off; switch one on")
    found += [f"opening: {said}" for said in wrong_order(plan.conditions)]
    filters = rig.filter_names
    for step in plan.steps:
        if isinstance(step, TestExposure) and not step.off and step.filter not in (filters or [""]):
            has = ", ".join(filters) or "none: leave the filter empty"
            found.append(f"{step.words}: {rig.name} has no filter {step.filter!r}; it has {has}")
    found += [f"rig: {rig.name} has no {part}: a night needs one" for part in missing_for_a_night(rig)]
    for b, block in enumerate(plan.blocks):
        for n, line in enumerate(block.lines):
            if block.off or line.off:
                continue
            place = f"blocks.{b}.lines.{n}.filter"
            if line.filter not in filters and (line.filter or filters):
                has = f"it has {', '.join(filters)}" if filters else "it has none: leave the filter empty"
                found.append(f"{place}: {rig.name} has no filter {line.filter!r}; {has}")
    by_hand = sorted({line.filter for block in plan.blocks for line in block.active_lines} & set(filters))
    if rig.wheel is not None and rig.wheel.kind == "drawer" and len(by_hand) > 1:
        found.append(
            f"blocks: {', '.join(by_hand)} are changed by hand in {rig.wheel.name}; "
            "a night uses one of them, plan the others for another night"
        )
    for b, block in enumerate(plan.blocks):
        cooled = rig.camera is not None and rig.camera.cooler is not None
        if block.set_point_c is not None and not cooled:
            found.append(
                f"blocks.{b}.set_point_c: {block.target.name} wants its camera at {block.set_point_c:g} °C, "
                f"but the camera of {rig.name} has no cooler; leave it out"
            )
        highest = 90 - abs(rig.site.latitude_deg - block.target.dec_deg)
        lowest = max(block.span.minimum_altitude_deg, rig.site.minimum_altitude_deg)
        if highest < lowest:
            found.append(
                f"blocks.{b}.target: {block.target.name} rises to {highest:.0f}° at most from "
                f"{rig.site.name}, the limit is {lowest:.0f}°"
            )
    return found
