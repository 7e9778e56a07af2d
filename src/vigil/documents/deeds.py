"""Work by hand as its errand's events tell it: what is shown beside the control that asked for it."""

import json
from collections.abc import AsyncIterable, AsyncIterator, Mapping
from dataclasses import asdict, dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any

from vigil.documents.errands import BY_HAND, ErrandState, Outcome, fold
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Samples

LOOP = "loop"
"""The stream of a loop's frames."""


class Stage(StrEnum):
    """How far something done by hand has come."""

    BEGUN = "begun"
    UNDER_WAY = "under way"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"


_ENDS = {Outcome.DONE: Stage.DONE, Outcome.FAILED: Stage.FAILED}


@dataclass(frozen=True, slots=True)
class Deed:
    """`id` is that of the command that asked for it."""

    id: str
    at: datetime
    device: str
    action: str
    words: str
    stage: Stage
    reason: str = ""
    values: Mapping[str, Any] = field(default_factory=dict)

    @property
    def over(self) -> bool:
        return self.stage in (Stage.DONE, Stage.FAILED, Stage.STOPPED)


class Deeds:
    """Sorts what comes in by errand, and makes deeds of what is work by hand. `states` has every errand but
    nights, those that are over too."""

    def __init__(self) -> None:
        self.states: dict[str, ErrandState] = {}

    def of_event(self, event: Event) -> Deed | None:
        """What an event says of work by hand, told in order; None of other errands."""
        if event.kind is Kind.ERRAND_STARTED:
            self.states[event.errand] = ErrandState()
        state = self.states.get(event.errand)
        if state is None:
            return None
        state = fold(state, event)
        self.states[event.errand] = state
        if state.kind != BY_HAND:
            return None
        if event.kind is Kind.ERRAND_STARTED:
            return _deed(state, event.at, Stage.BEGUN)
        if event.kind is Kind.ERRAND_STEP:
            return _deed(state, event.at, Stage.UNDER_WAY, event.reason, state.figures)
        if state.outcome is not None:
            return _deed(
                state, event.at, _ENDS.get(state.outcome, Stage.STOPPED), event.reason, state.figures
            )
        return None

    def of_samples(self, samples: Samples) -> list[Deed]:
        """A loop's frames, as their stream tells them."""
        state = self.states.get(samples.errand)
        if state is None or samples.stream != LOOP:
            return []
        return [
            _deed(state, row.at, Stage.UNDER_WAY, str(row.values.get("summary", "")), row.values)
            for row in samples.rows
        ]


async def deeds(news: AsyncIterable[object]) -> AsyncIterator[Deed]:
    """Those in what a keeper tells."""
    told = Deeds()
    async for one in news:
        if isinstance(one, Event):
            found = told.of_event(one)
            if found is not None:
                yield found
        elif isinstance(one, Samples):
            for deed in told.of_samples(one):
                yield deed


def as_json(deed: Deed) -> str:
    """One line."""
    return json.dumps({**asdict(deed), "at": deed.at.isoformat()}, ensure_ascii=False)


def _deed(
    state: ErrandState, at: datetime, stage: Stage, reason: str = "", values: Mapping[str, Any] | None = None
) -> Deed:
    device, action = (str(state.given.get(name, "")) for name in ("device", "action"))
    return Deed(state.asked, at, device, action, state.words, stage, reason, dict(values or {}))
