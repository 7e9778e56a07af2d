"""Steps done once: a question, a wait, a program, a test exposure; and the conditions by their names."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from vigil.documents.limited import ID, PLAIN_TEXT, ClockTime
from vigil.documents.piece import Piece

Otherwise = Literal["go on", "skip the target", "hold", "end the night"]
"""What follows a question that nobody answers, or a program that fails."""
NamedMoment = Literal[
    "sunset",
    "civil dusk",
    "nautical dusk",
    "astronomical dusk",
    "astronomical dawn",
    "nautical dawn",
    "civil dawn",
    "sunrise",
    "moonrise",
    "moonset",
]


class _Step(Piece):
    """`id` is permanent and the plan's own: that a step is done counts by it."""

    id: Annotated[str, Field(pattern=ID)]
    off: bool = False


class Ask(_Step):
    """Ask me, and wait for the answer."""

    kind: Literal["ask"] = "ask"
    question: Annotated[str, Field(min_length=1, max_length=500, pattern=PLAIN_TEXT)]
    wait_min: Annotated[float, Field(gt=0, le=720)] = 10.0
    otherwise: Otherwise = "go on"

    @property
    def words(self) -> str:
        return f"ask: {self.question}"


class WaitUntil(_Step):
    """Until a clock time of the site's, a named moment plus or minus minutes, or the sun at an altitude."""

    kind: Literal["wait"] = "wait"
    clock: ClockTime | None = None
    moment: NamedMoment | None = None
    minutes: Annotated[float, Field(ge=-720, le=720)] = 0.0
    """After the moment; before it where negative."""
    sun_altitude_deg: Annotated[float, Field(ge=-50, le=10)] | None = None
    """In the evening, while it sinks."""

    @model_validator(mode="after")
    def _one_of_them(self) -> "WaitUntil":
        given = [self.clock is not None, self.moment is not None, self.sun_altitude_deg is not None]
        if sum(given) != 1:
            raise ValueError("a wait needs one of clock, moment and sun_altitude_deg")
        return self

    @property
    def words(self) -> str:
        if self.clock is not None:
            return f"wait until {self.clock:%H:%M}"
        if self.sun_altitude_deg is not None:
            return f"wait until the sun is at {self.sun_altitude_deg:g}°".replace("-", "−")
        if not self.minutes:
            return f"wait until {self.moment}"
        side = "after" if self.minutes > 0 else "before"
        return f"wait until {abs(self.minutes):g} min {side} {self.moment}"


class RunProgram(_Step):
    """A program with its arguments, never through a shell; what it prints is kept beside the frames."""

    kind: Literal["program"] = "program"
    arguments: Annotated[
        list[Annotated[str, Field(min_length=1, max_length=4096, pattern=PLAIN_TEXT)]],
        Field(min_length=1, max_length=64),
    ]
    time_out_s: Annotated[float, Field(gt=0, le=3600)] = 60.0
    otherwise: Otherwise = "go on"

    @property
    def words(self) -> str:
        return f"run {' '.join(self.arguments)}"


class TestExposure(_Step):
    """One frame that doesn't count: it is measured, told and kept apart."""

    __test__ = False  # nothing for pytest to collect

    kind: Literal["test exposure"] = "test exposure"
    filter: str = ""
    exposure_s: Annotated[float, Field(gt=0, le=600)] = 10.0
    binning: Annotated[int, Field(ge=1, le=4)] = 1

    @property
    def words(self) -> str:
        return " ".join(f"test exposure {self.filter} {self.exposure_s:g} s".split())


class MustHold(Piece):
    """A condition at its place in the plan's own order, or switched off."""

    kind: Literal["condition"] = "condition"
    name: str
    off: bool = False


Step = Annotated[Ask | WaitUntil | RunProgram | TestExposure, Field(discriminator="kind")]
OpeningItem = Annotated[Ask | WaitUntil | RunProgram | TestExposure | MustHold, Field(discriminator="kind")]
ClosingStep = Annotated[WaitUntil | RunProgram, Field(discriminator="kind")]
"""Nothing is exposed any more while closing, and nobody asked."""
