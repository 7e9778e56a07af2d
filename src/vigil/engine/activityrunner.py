"""An activity carried out: devices claimed, its start committed before its first command, its end after."""

import asyncio
import logging
from dataclasses import dataclass, replace
from itertools import count
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.devices.supervised import SupervisedDevices
from vigil.documents.events import Kind
from vigil.documents.night import NotAllowed
from vigil.documents.rig import Rig
from vigil.engine.activity import Activity, ActivityFailed, Kit, StepTools, no_step
from vigil.engine.arbiter import Arbiter
from vigil.engine.guiding.eye import GuideEye
from vigil.engine.guiding.guided import Guider
from vigil.engine.measuring import Measurer, MeasuringFailed
from vigil.engine.progress import Progress
from vigil.engine.questions import Questions
from vigil.engine.recorder import NightRecorder
from vigil.ledger.store import LedgerError
from vigil.runtime.clock import Clock

log = logging.getLogger(__name__)


@dataclass(slots=True)
class Doing:
    """What the night is doing, and why, in words for people."""

    words: str = ""
    because: str = ""

    def now(self, words: str, because: str) -> None:
        self.words, self.because = words, because


class ActivityRunner:
    """Carries activities out, one at a time on each device."""

    def __init__(
        self,
        rig: Rig,
        devices: SupervisedDevices,
        clock: Clock,
        measurer: Measurer,
        recorder: NightRecorder,
        arbiter: Arbiter,
        tools: StepTools,
        eye: GuideEye | None = None,
    ) -> None:
        self.progress = Progress()
        self.doing = Doing()
        self.arbiter = arbiter
        self._recorder = recorder
        self._numbers = count(recorder.state.last_id + 1)
        self.questions = Questions(recorder.record, clock)
        self._kit = Kit(rig, devices, clock, measurer, self.progress, no_step, self.questions, tools, eye)

    def kit(self) -> Kit:
        """For exposures and the closing, which have events of their own in place of steps."""
        return self._kit

    async def carry_out(
        self, activity: Activity, condition: str, why: str, quietly: bool, must: bool = False
    ) -> str | None:
        """Record, run, record. Returns what went wrong, or None; `quietly` leaves `doing` to others. What
        `must` be done is done though the ledger can't be written."""
        record = self._recorder.record_if_possible if must else self._recorder.record
        identity = {"activity": next(self._numbers), "kind": activity.KIND, "condition": condition}

        async def step(values: dict[str, Any], reason: str) -> None:
            await record(Kind.ACTIVITY_STEP, {**identity, **values}, reason)

        claims = activity.claims
        if not quietly and (holder := self.arbiter.taken(claims)) is not None:
            self.doing.now(f"{activity.words} waits", f"for {holder}")
        async with self.arbiter.claim(claims, activity.words, activity.URGENCY) as lease:
            began = self._kit.clock.utcnow()
            values: dict[str, Any] = {"outcome": "done"}
            reason, problem = activity.words, None
            begun = {"words": activity.words, "expected_s": activity.expected_s, **activity.told}
            try:
                await record(Kind.ACTIVITY_STARTED, {**identity, **begun}, f"{condition}: {why}")
                if not quietly:
                    self.doing.now(activity.words, why)
                result = await activity.run(replace(self._kit, step=step))
                reason = result.pop("summary", activity.words)
                values |= result
            except asyncio.CancelledError:
                values["outcome"] = "cancelled"
                reason = (
                    f"{activity.words}: {f'gave way to {lease.gave_way}' if lease.gave_way else 'cancelled'}"
                )
                raise
            except (ActivityFailed, DeviceError, MeasuringFailed) as failure:
                values["outcome"], reason = "failed", str(failure)
                if isinstance(failure, ActivityFailed):
                    values |= failure.figures
                    if failure.silent:
                        values["silent"] = list(failure.silent)
                problem = f"{activity.words}: {failure}"
            except (LedgerError, NotAllowed):
                raise  # nothing may be done that isn't on record
            except Exception as failure:  # no single activity is worth a night
                log.exception("%s failed", activity.words)
                values["outcome"], reason = (
                    "failed",
                    f"an error in Vigil: {failure or type(failure).__name__}",
                )
                problem = f"{activity.words}: {reason}"
            finally:
                if not quietly:
                    self.progress.clear()
                took_s = (self._kit.clock.utcnow() - began).total_seconds()
                values |= {"took_s": round(took_s, 1), "disturbed": list(activity.disturbs)}
                await record(Kind.ACTIVITY_ENDED, {**identity, **values}, reason)
        return problem

    def take_guider(self, guider: Guider) -> None:
        """For the night's activities."""
        self._kit = replace(self._kit, guider=guider)

    def take_rig(self, rig: Rig) -> None:
        """What begins from now on uses it; what is under way goes on with the one it had."""
        self._kit = replace(self._kit, rig=rig)
