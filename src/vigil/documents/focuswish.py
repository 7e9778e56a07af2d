"""What people ask of the focus bench."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

Seconds = Annotated[float, Field(gt=0, le=600)]
Steps = Annotated[int, Field(ge=1)]


class FocusWish(BaseModel):
    """A run: what is left out is as the rig has it. `start` is where it begins; empty: where the focuser
    stands."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    filter: str = ""
    start: int | None = None
    step: Steps | None = None
    reach: Steps | None = None
    frames: Annotated[int, Field(ge=1, le=9)] | None = None
    exposure_s: Seconds | None = None
    finer: bool = False
    by: Literal["stars", "one star", "sharpness"] = "stars"
    """What is measured: all stars, the brightest one in a subframe, or how sharp whatever is seen is."""
    keep: bool = False
    """Whether its frames stay on disk."""
    elsewhere: Literal["ask", "always", "never"] = "ask"
    """Where there are too few stars: whether it goes to a richer field near by, and comes back."""


class OffsetsWish(BaseModel):
    """Filters to measure (empty: all that stand in slots), and how often each."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    filters: tuple[str, ...] = ()
    rounds: Annotated[int, Field(ge=2, le=9)] = 3


class BacklashWish(BaseModel):
    """`most` is the largest backlash that is looked for, in steps; empty: by the rig's overshoot."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    filter: str = ""
    most: Steps | None = None
    exposure_s: Seconds | None = None


class NearWish(BaseModel):
    """A loop of short frames; `guides` takes them with the guide camera, `x` and `y` are a place near the
    star that is wanted (unbinned px), without which the brightest is taken."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    filter: str = ""
    exposure_s: Seconds = 1.0
    binning: Annotated[int, Field(ge=1, le=4)] = 1
    guides: bool = False
    x: float | None = None
    y: float | None = None
    mask: bool = False
    """Whether a diffraction mask is on: its spikes are read."""
    window: Annotated[int, Field(ge=0, le=4096)] = 0
    """Side of the subframe around the star, in unbinned px; 0: the whole frame."""
    frames: Annotated[int, Field(ge=0)] = 0
    """How many; 0: until it is stopped."""
