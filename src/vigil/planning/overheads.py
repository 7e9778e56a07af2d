"""How long things take that are not exposures: by the rig's own nights, else as a rig usually does
(seconds)."""

from collections.abc import Iterable
from dataclasses import dataclass
from statistics import median

from vigil.documents.events import Event, Kind

SLEW_S = 40.0
CENTRE_S = 60.0
FILTER_S = 15.0
FLIP_S = 90.0
DITHER_S = 15.0
FOCUS_FRAMES = 10
FOCUS_FRAME_S = 17.0
FOCUS_S = FOCUS_FRAMES * FOCUS_FRAME_S

_FEWEST = 2
"""One that took its time says nothing yet."""


@dataclass(frozen=True, slots=True)
class Overheads:
    """What the timetable reckons with."""

    slew_s: float = SLEW_S
    centre_s: float = CENTRE_S
    filter_s: float = FILTER_S
    flip_s: float = FLIP_S
    dither_s: float = DITHER_S
    focus_s: float = FOCUS_S


_KINDS = {
    "slew": "slew_s",
    "centre": "centre_s",
    "change filter": "filter_s",
    "flip": "flip_s",
    "dither": "dither_s",
    "focus": "focus_s",
}


def overheads_of(events: Iterable[Event]) -> Overheads:
    """The median of what each took in a night, of those that were done at least twice; the others as
    usual."""
    took: dict[str, list[float]] = {}
    for event in events:
        values = event.values
        if event.kind is Kind.ACTIVITY_ENDED and values["outcome"] == "done" and values["kind"] in _KINDS:
            took.setdefault(_KINDS[values["kind"]], []).append(float(values["took_s"]))
    return Overheads(**{name: median(times) for name, times in took.items() if len(times) >= _FEWEST})
