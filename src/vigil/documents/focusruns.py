"""Focus runs as their events tell them, of a night's activities and of errands alike."""

import base64
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from typing import Any

import numpy as np

from vigil.documents.events import Event, Kind
from vigil.focusing.fit import Curve, Point
from vigil.focusing.verdict import Verdict, judge
from vigil.sky.instants import Floats

NEAR = "near"
"""The stream of the star that is looked at while getting near."""
KINDS = frozenset({"focus", "find focus", "backlash", "filter offsets"})
"""Of activities and errands whose steps are focus frames."""


@dataclass(frozen=True)
class FocusSample:
    """One frame of a run; `hfr_px` is 0 where no star was seen, and the discs' radius where `disc_px` is."""

    at: datetime
    position: int
    hfr_px: float
    sigma_px: float
    stars: int
    why: str = ""
    exposure_s: float = 0.0
    disc_px: float | None = None
    filter: str = ""
    kept: dict[str, Any] = field(default_factory=dict)
    """The cut-out, as its event has it."""

    @cached_property
    def cutout(self) -> tuple[Floats, float] | None:
        """The median star's pixels, in shares of its light, and how many of the sensor's one is across."""
        return pixels_of(self.kept) if self.kept else None


@dataclass
class FocusRun:
    """A run; under way while `outcome` is empty. `figures` are those of its end."""

    words: str
    began: datetime
    why: str = ""
    errand: str = ""
    kind: str = "focus"
    samples: list[FocusSample] = field(default_factory=list)
    outcome: str = ""
    said: str = ""
    ended: datetime | None = None
    figures: dict[str, Any] = field(default_factory=dict)
    number: int = 0
    """In the ledger's log, once it is over."""

    def add(self, event: Event) -> None:
        """A step: a frame, where it has a position."""
        values = event.values
        if "position" not in values or "hfr_px" not in values:
            return
        self.samples.append(
            FocusSample(
                at=event.at,
                position=int(values["position"]),
                hfr_px=float(values["hfr_px"]),
                sigma_px=float(values.get("sigma_px", 0.0)),
                stars=int(values.get("stars", 0)),
                why=str(values.get("why", "")),
                exposure_s=float(values.get("exposure_s", 0.0)),
                disc_px=values.get("disc_px"),
                filter=str(values.get("filter", "")),
                kept=values.get("cutout") or {},
            )
        )

    def end(self, event: Event) -> None:
        """Of an errand with several runs a step ends each."""
        self.figures = dict(event.values.get("run") or {})
        accepted = "done" if self.figures.get("accepted") else "failed"
        self.outcome, self.said = str(event.values.get("outcome", accepted)), event.reason
        self.ended, self.number = event.at, event.id or 0

    @property
    def best(self) -> int | None:
        """Where it was accepted."""
        return int(self.figures["position"]) if self.figures.get("accepted") else None

    @property
    def filter(self) -> str:
        return str(self.figures.get("filter", ""))

    def points(self) -> list[tuple[int, Point]]:
        """The samples that a curve is fitted to, by their number: those that the run used, while it goes on
        all with stars."""
        used = self.figures.get("used")
        return [
            (k, Point(s.position, s.hfr_px, s.sigma_px))
            for k, s in enumerate(self.samples)
            if s.hfr_px > 0
            and s.disc_px is None
            and (k in used if used else s.why not in ("look", "confirm"))
        ]

    def verdict(self) -> Verdict:
        """The fit over the samples so far, as a run judges it."""
        return judge([point for _, point in self.points()])

    def curve(self) -> Curve | None:
        """Its curve; None while there is none."""
        return self.verdict().curve


def pixels_of(kept: dict[str, Any]) -> tuple[Floats, float]:
    """A cut-out from its event's values: pixels in shares of the star's light, and their width in pixels of
    the sensor."""
    side = int(kept["side"])
    steps = np.frombuffer(base64.b64decode(kept["pixels"]), dtype=np.uint8).reshape(side, side)
    return (steps / 255.0) ** 2 * float(kept["top"]), float(kept["scale"])


class FocusRuns:
    """Sorts events into runs as they are told."""

    def __init__(self) -> None:
        self.runs: list[FocusRun] = []
        self._under_way: dict[tuple[str, int], FocusRun] = {}

    def add(self, event: Event) -> FocusRun | None:
        """The run that an event tells of; None of other events."""
        key = event.errand, int(event.values.get("activity", 0))
        if event.kind in (Kind.ACTIVITY_STARTED, Kind.ERRAND_STARTED) and event.values.get("kind") in KINDS:
            words, kind = str(event.values.get("words", "")), str(event.values["kind"])
            run = FocusRun(words, event.at, event.reason, event.errand, kind)
            self._begin(key, run)
            return run
        if key not in self._under_way:
            return None
        run = self._under_way[key]
        if event.kind in (Kind.ACTIVITY_STEP, Kind.ERRAND_STEP):
            if run.outcome:  # one of several: the next one begins
                run = FocusRun(run.words, event.at, run.why, run.errand, run.kind)
                self._begin(key, run)
            if "run" in event.values:
                run.end(event)
            else:
                run.add(event)
        elif event.kind in (Kind.ACTIVITY_ENDED, Kind.ERRAND_ENDED):
            del self._under_way[key]
            if not run.outcome:
                run.end(event)
        return run

    def _begin(self, key: tuple[str, int], run: FocusRun) -> None:
        self.runs.append(run)
        self._under_way[key] = run


def runs_of(events: Iterable[Event]) -> list[FocusRun]:
    """All focus runs among events, in order."""
    sorted_ = FocusRuns()
    for event in events:
        sorted_.add(event)
    return sorted_.runs
