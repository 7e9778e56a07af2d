"""What is looked at while a frame is exposed: conditions that are worth ending it for."""

import logging
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from vigil.engine.lights import Lights
from vigil.engine.outlook import Outlook
from vigil.planning.choice import Candidate
from vigil.runtime.clock import Clock

log = logging.getLogger(__name__)
_EVERY_S = 5.0


@dataclass(frozen=True, slots=True)
class Exposing:
    """The frame under way."""

    candidate: Candidate
    start: datetime
    end: datetime


class ExposureWatch:
    """Asks the conditions every few seconds, and ends the frame for the first that says so."""

    def __init__(self, clock: Clock, outlook: Outlook, lights: Lights, look_every_s: float) -> None:
        self.exposing: Exposing | None = None
        self._clock, self._outlook, self._lights = clock, outlook, lights
        self._every_s = max(_EVERY_S, look_every_s * _EVERY_S)
        self._worried = ""

    async def keep_on(self, take_temperature: Callable[[], None]) -> None:
        """Until cancelled."""
        while True:
            await self._clock.sleep(self._every_s)
            try:
                take_temperature()
                self._look()
            except Exception:
                log.exception("the look at the exposure failed")

    def _look(self) -> None:
        if self.exposing is None or not self._lights.exposing:
            self._worried = ""
            return
        candidate = self.exposing.candidate
        now = self._clock.utcnow()
        view = self._outlook.view(candidate, now)
        for condition in self._outlook.conditions(candidate.block):
            if not condition.hard and view.night.waived(condition.name, now):
                continue  # the night goes on without it
            words = condition.ends_exposure(view, self.exposing.start, self.exposing.end)
            if words is None:
                continue
            # a hard one at once; others when they still say so at the next look
            if condition.hard or self._worried == condition.name:
                self._lights.cut_short(words)
            self._worried = condition.name
            return
        self._worried = ""
