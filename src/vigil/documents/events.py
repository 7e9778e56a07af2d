"""Events: what happened in an errand, in the ledger before its effect is acknowledged."""

from datetime import datetime
from enum import StrEnum
from typing import Any

from pydantic import BaseModel, ConfigDict


class Kind(StrEnum):
    """The kinds of events; documents.eventvalues has each one's values."""

    ERRAND_STARTED = "errand_started"
    ERRAND_STEP = "errand_step"
    ERRAND_ENDED = "errand_ended"
    QUESTION_ASKED = "question_asked"
    QUESTION_ANSWERED = "question_answered"
    NIGHT_STARTED = "night_started"
    NIGHT_RESUMED = "night_resumed"
    WAITING = "waiting"
    ACTIVITY_STARTED = "activity_started"
    ACTIVITY_STEP = "activity_step"
    ACTIVITY_ENDED = "activity_ended"
    WAIVED = "waived"
    PUT_OFF = "put_off"
    EXPOSURE_STARTED = "exposure_started"
    EXPOSURE_ENDED = "exposure_ended"
    FRAME_SAVED = "frame_saved"
    FRAME_MEASURED = "frame_measured"
    FRAME_JUDGED = "frame_judged"
    FRAME_LOCATED = "frame_located"
    BLOCK_GIVEN_UP = "block_given_up"
    DEVICE_LOST = "device_lost"
    DEVICE_RECOVERED = "device_recovered"
    GUARDED = "guarded"
    GUIDED = "guided"
    BY_HAND = "by_hand"
    RIG_CHANGED = "rig_changed"
    PLAN_CHANGED = "plan_changed"
    ASKED = "asked"
    HELD = "held"
    RESUMED = "resumed"
    CLOSING_STARTED = "closing_started"
    CLOSING_PART = "closing_part"
    NIGHT_OVER = "night_over"


class Event(BaseModel):
    """One step of an errand. `reason` is a sentence for people; `values` are its numbers, in the shape that
    its kind had in `version`."""

    model_config = ConfigDict(frozen=True, defer_build=True)

    id: int = 0
    errand: str
    at: datetime
    kind: Kind
    version: int = 1
    values: dict[str, Any] = {}
    reason: str = ""
