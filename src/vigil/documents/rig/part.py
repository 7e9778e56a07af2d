"""What all parts of a rig share: frozen models whose fields say how people call them."""

from dataclasses import dataclass
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field


@dataclass(frozen=True, slots=True)
class Shown:
    """How a field is called and in what unit it is shown; stands in the field's `Annotated`.

    `safe` values may change while a night runs, at the next safe point; the others wait for its end.
    """

    label: str
    unit: str = ""
    safe: bool = False
    help: str = ""


class Part(BaseModel):
    """Base of the rig's parts."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)


Positive = Annotated[float, Field(gt=0)]
NotNegative = Annotated[float, Field(ge=0)]
Percent = Annotated[float, Field(ge=0, le=100)]
Name = Annotated[str, Field(min_length=1, max_length=80), Shown("name", safe=True)]
