"""The base of all that is saved: no number and no text in it may be more than what is behind it can bear."""

import math
from datetime import time
from typing import Annotated, Any

from pydantic import AfterValidator, BaseModel, ConfigDict, model_validator

_MOST, _SEED = 1e7, 2.0**63


def _of_the_site(at: time) -> time:
    if at.tzinfo is not None:
        raise ValueError("a clock time is the site's own: write it without a time zone")
    return at


ClockTime = Annotated[time, AfterValidator(_of_the_site)]
PLAIN_TEXT = r"^[^\x00-\x1f\x7f-\x9f]*$"
"""Without control characters: a name may be shown in a terminal."""
ID = r"^[\w+][\w.+ -]{0,79}$"
"""Of what is named in files: no path, nothing hidden."""


class Limited(BaseModel):
    """Numbers are finite and at most ten million, whatever narrower limits a field has; seeds may be any."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)

    @model_validator(mode="before")
    @classmethod
    def _bearable(cls, data: Any) -> Any:
        if isinstance(data, dict):
            for name, value in data.items():
                _need(str(name), value, _SEED if name == "seed" else _MOST)
        return data


def _need(name: str, value: Any, most: float) -> None:
    """Raises ValueError for a number, or one in a list, that is out of all reason."""
    if isinstance(value, bool):
        return
    if isinstance(value, float) and not math.isfinite(value):
        raise ValueError(f"{name}: {value} is no number to work with")
    if isinstance(value, int | float) and abs(value) > most:
        raise ValueError(f"{name}: {_short(value)} is out of all reason: numbers go up to {most:.0e}")
    if isinstance(value, list | tuple):
        for item in value:
            if isinstance(item, int | float):
                _need(name, item, most)


def _short(value: float) -> str:
    try:
        return f"{value:.3g}"
    except (OverflowError, ValueError):
        return "a number of hundreds of digits"
