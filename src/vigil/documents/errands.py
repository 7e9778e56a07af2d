"""Errands: what the keeper carries out, rebuilt from their events. A night has a fold of its own
(documents.night); every other kind is folded here."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from enum import StrEnum
from typing import Any

from vigil.documents.events import Event, Kind
from vigil.documents.eventvalues import (
    ErrandEnded,
    ErrandStarted,
    ErrandStep,
    QuestionAnswered,
    QuestionAsked,
    read,
)

NIGHT = "night"
BY_HAND = "by hand"
GUARD = "guard"


class Outcome(StrEnum):
    """How an errand ended."""

    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"
    CUT_OFF = "cut off"
    """The keeper died in the middle of it."""


@dataclass(frozen=True, slots=True)
class Question:
    """What a person is asked. Without an answer `otherwise` follows, at `until` where that is known."""

    number: int
    words: str
    answers: tuple[str, ...]
    until: datetime | None = None
    otherwise: str = ""


def questions_after(open_ones: Mapping[int, Question], event: Event) -> dict[int, Question]:
    """The questions that stand open after one more event."""
    found = dict(open_ones)
    if event.kind is Kind.QUESTION_ASKED:
        asked = read(event, QuestionAsked)
        found[asked.question] = Question(
            asked.question, asked.words, asked.answers, asked.until, asked.otherwise
        )
    elif event.kind is Kind.QUESTION_ANSWERED:
        found.pop(read(event, QuestionAnswered).question, None)
    return found


@dataclass(frozen=True, slots=True)
class ErrandState:
    """What is known of an errand from its events alone."""

    errand: str = ""
    kind: str = ""
    words: str = ""
    asked: str = ""
    """The id of the command that asked for it; empty where nobody did."""
    given: Mapping[str, Any] = field(default_factory=dict)
    """What it was begun with."""
    claims: tuple[str, ...] = ()
    began: datetime | None = None
    ended: datetime | None = None
    outcome: Outcome | None = None
    reason: str = ""
    """Its last sentence."""
    figures: Mapping[str, Any] = field(default_factory=dict)
    """The numbers of its last step, or its end."""
    questions: Mapping[int, Question] = field(default_factory=dict)
    last_id: int = 0

    @property
    def over(self) -> bool:
        return self.outcome is not None


def fold(state: ErrandState, event: Event) -> ErrandState:
    """The state after one more event."""
    if event.kind is Kind.ERRAND_STARTED:
        started = read(event, ErrandStarted)
        state = ErrandState(
            errand=event.errand,
            kind=started.kind,
            words=started.words,
            asked=started.asked,
            given=started.given,
            claims=started.claims,
            began=event.at,
        )
    elif event.kind is Kind.ERRAND_STEP:
        state = replace(state, reason=event.reason, figures=read(event, ErrandStep).figures)
    elif event.kind is Kind.ERRAND_ENDED:
        ended = read(event, ErrandEnded)
        state = replace(
            state,
            ended=event.at,
            outcome=Outcome(ended.outcome),
            reason=event.reason,
            figures=ended.figures,
            questions={},
        )
    else:
        state = replace(state, questions=questions_after(state.questions, event))
    return replace(state, last_id=max(event.id, state.last_id))


def fold_all(events: Iterable[Event]) -> ErrandState:
    """The state after an errand's events so far."""
    state = ErrandState()
    for event in events:
        state = fold(state, event)
    return state
