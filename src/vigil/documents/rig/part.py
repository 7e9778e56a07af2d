"""What all parts of a rig share: frozen models whose fields say how people call them."""

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from vigil.documents.limited import PLAIN_TEXT, Limited


@dataclass(frozen=True, slots=True)
class Shown:
    """How a field is called and in what unit it is shown; stands in the field's `Annotated`.

    `safe` values may change while a night runs, at the next safe point; the others wait for its end.
    """

    label: str
    unit: str = ""
    safe: bool = False
    help: str = ""


class Part(Limited):
    """Base of the rig's parts."""


Positive = Annotated[float, Field(ge=1e-6, le=1e6)]
NotNegative = Annotated[float, Field(ge=0, le=1e6)]
Percent = Annotated[float, Field(ge=0, le=100)]
Name = Annotated[str, Field(min_length=1, max_length=80, pattern=PLAIN_TEXT), Shown("name", safe=True)]
