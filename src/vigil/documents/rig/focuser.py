"""The focuser."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from vigil.documents.rig.part import Name, NotNegative, Part, Positive, Shown


class FocuserPart(Part):
    """The focuser. `approach` is the direction in which it always arrives: where Vigil makes up for
    backlash it overshoots by `overshoot_steps` when it comes from the other side."""

    name: Name
    um_per_step: Annotated[Positive, Shown("step", "µm")]
    lowest: Annotated[int, Shown("lowest", "steps")] = 0
    highest: Annotated[int, Shown("highest", "steps")] = 10000
    start: Annotated[int, Shown("usual position", "steps", safe=True)] = 5000
    more_is: Annotated[Literal["outward", "inward"], Shown("more steps move")] = "outward"
    backlash_by: Annotated[
        Literal["Vigil", "controller", "nobody"], Shown("backlash by", safe=True, help="who makes up for it")
    ] = "Vigil"
    overshoot_steps: Annotated[int, Field(ge=0), Shown("overshoot", "steps", safe=True)] = 120
    controller_steps: Annotated[
        int,
        Field(ge=0),
        Shown("controller's own", "steps", help="what is set there; 0: it makes up for none"),
    ] = 0
    approach: Annotated[Literal["upward", "downward"], Shown("arrives", safe=True)] = "upward"
    settle_s: Annotated[NotNegative, Shown("settles in", "s", safe=True)] = 0.0
    search_step: Annotated[
        Annotated[int, Field(ge=1)] | None,
        Shown("search step", "steps", safe=True, help="empty: by the critical focus zone and the star size"),
    ] = None
    search_frames: Annotated[
        int, Field(ge=1, le=9), Shown("frames each", "", safe=True, help="of a focus run, at each position")
    ] = 1
    search_reach: Annotated[
        Annotated[int, Field(ge=1)] | None,
        Shown(
            "search reach", "steps", safe=True, help="how far a run may go from its start; empty: anywhere"
        ),
    ] = None
    fine_step: Annotated[int, Field(ge=1), Shown("fine step", "steps", safe=True)] = 10
    coarse_step: Annotated[int, Field(ge=1), Shown("coarse step", "steps", safe=True)] = 100
    probe: Annotated[Literal["focuser", "weather station", "none"], Shown("temperature from")] = "focuser"
    steps_per_c: Annotated[
        float | None,
        Shown("for each degree", "steps/°C", help="how focus moves with temperature; empty: not known"),
    ] = None
    steps_per_c_error: Annotated[
        NotNegative | None, Shown("that is known to ±", "steps/°C", safe=True, help="standard error")
    ] = None
    wanders_steps_h: Annotated[
        NotNegative | None,
        Shown("wanders besides by", "steps/√h", safe=True, help="what temperature doesn't explain"),
    ] = None

    @model_validator(mode="after")
    def _range(self) -> "FocuserPart":
        if self.lowest >= self.highest:
            raise ValueError(f"the lowest position {self.lowest} must be under the highest {self.highest}")
        return self
