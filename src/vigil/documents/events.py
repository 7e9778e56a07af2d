"""Events: what happened in a night, in the ledger before its effect is acknowledged."""

from datetime import datetime
from enum import StrEnum
from typing import Any

from pydantic import BaseModel, ConfigDict


class Kind(StrEnum):
    """The kinds of events; docs/formats.md lists each one's values."""

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
    BLOCK_GIVEN_UP = "block_given_up"
    DEVICE_LOST = "device_lost"
    DEVICE_RECOVERED = "device_recovered"
    GUARDED = "guarded"
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
    """One step of a night. `reason` is a sentence for people; `values` are its numbers."""

    model_config = ConfigDict(frozen=True, defer_build=True)

    id: int = 0
    night: str
    at: datetime
    kind: Kind
    values: dict[str, Any] = {}
    reason: str = ""
