"""Where the keeper's nights come from: a plan that a client sends, or what a dead keeper has left."""

import contextlib
import logging
import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from vigil.documents.events import Event, Kind
from vigil.documents.night import UNDER_WAY, NightState, NotAllowed, RunState, fold, fold_all
from vigil.documents.plan import NightPlan, contradictions
from vigil.documents.refusal import in_words
from vigil.documents.rig import Rig
from vigil.documents.store import parse
from vigil.engine.equipment import Equipment
from vigil.engine.night import Night
from vigil.engine.recorder import NightRecorder, night_recorder
from vigil.engine.rehearsal import started
from vigil.keeper.reconcile import unrecorded_frames
from vigil.keeper.riginforce import RigInForce
from vigil.ledger.ledger import Ledger
from vigil.ledger.store import LedgerError
from vigil.planning.spans import line_intervals
from vigil.runtime.folders import unwritable

log = logging.getLogger(__name__)


class CantStart(ValueError):
    """The night can't begin; the message says why."""


class Nights:
    """Makes them; running them is the keeper's. `tell` gets every event of theirs."""

    def __init__(self, rig: RigInForce, ledger: Ledger, tell: Callable[[Event], None]) -> None:
        self._rig, self._ledger, self._tell = rig, ledger, tell

    @property
    def _equipment(self) -> Equipment:
        return self._rig.equipment

    def looked_at(self, asked: dict[str, Any]) -> tuple[NightPlan, Path]:
        """The plan and the frames' folder that are asked for, if a night can begin with them. Raises
        CantStart, NotAllowed."""
        equipment = self._equipment
        try:
            plan = NightPlan.model_validate(asked["plan"])
            frames_folder = Path(asked.get("frames_folder") or equipment.frames_folder)
        except (KeyError, ValidationError) as problem:
            said = in_words(problem) if isinstance(problem, ValidationError) else f"no {problem}"
            raise CantStart(f"the plan can't be used: {said}") from None
        wrong = contradictions(plan, equipment.rig)
        if wrong:
            raise CantStart("; ".join(wrong))
        self.need_allowed(plan)
        try:  # what the night will reckon first: nothing may be on record that can't begin
            line_intervals(plan, equipment.rig, equipment.clock.utcnow())
        except Exception as problem:
            log.exception("the plan can't be reckoned")
            raise CantStart(f"the plan's spans can't be calculated: {problem}") from None
        if (wrong_folder := unwritable(frames_folder)) is not None:  # better now than after an exposure
            raise CantStart(f"{wrong_folder}; choose another folder or give yourself the right to write")
        return plan, frames_folder

    def need_allowed(self, plan: NightPlan) -> None:
        """Raises NotAllowed while the plan would run programs that nobody has allowed."""
        unknown = self._equipment.programs_not_allowed(plan.programs)
        if unknown:
            said = "; ".join(" ".join(program) for program in unknown)
            raise NotAllowed(f"the plan would run programs that nobody here has allowed yet: {said}")

    async def begun(self, name: str, plan: NightPlan, frames_folder: Path) -> Night:
        """A new one, on record. Raises CantStart."""
        equipment = replace(self._equipment, frames_folder=frames_folder)
        recorder = self._recorder(name)
        await started(recorder, plan, equipment, keeper_pid=os.getpid())
        try:
            return Night(plan, equipment, recorder)
        except Exception as problem:
            log.exception("the night could not be begun")
            await recorder.record_if_possible(Kind.CLOSING_STARTED, {}, f"it could not begin: {problem}")
            over = {"frames": 0, "wanted": plan.wanted, "closing": {}}
            await recorder.record_if_possible(Kind.NIGHT_OVER, over, f"it could not begin: {problem}")
            raise CantStart(f"the night can't begin, an error in Vigil: {problem}") from None

    async def taken_up(self, name: str) -> Night:
        """One that a dead keeper left: it goes on, or where no sense can be made of it is only closed. Raises
        LedgerError."""
        events = await self._ledger.events(name)
        try:
            return await self._resumed(name, events)
        except LedgerError:  # then nothing could be put on record
            raise
        except Exception as problem:
            log.exception("%s can't be taken up again", name)
            return self._only_closed(name, events, problem)

    async def _resumed(self, name: str, events: list[Event]) -> Night:
        state = fold_all(events)
        if state.started is None:
            raise ValueError("its beginning is not on record")
        plan = parse(NightPlan, state.plan or "", f"the plan of {name}")
        recorder = self._recorder(name, state)
        if state.rig is not None:
            self._rig.keep_for_night(parse(Rig, state.rig, f"the rig of {name}"))
        equipment = replace(self._equipment, frames_folder=Path(state.started.values["frames_folder"]))
        await recorder.record(
            Kind.NIGHT_RESUMED, {"keeper_pid": os.getpid()}, "resumed after the keeper was gone"
        )
        for values, reason in unrecorded_frames(state, equipment.rescue_folder):
            await recorder.record(Kind.FRAME_SAVED, values, reason)
        return Night(plan, equipment, recorder)

    def _only_closed(self, name: str, events: list[Event], problem: Exception) -> Night:
        """Shut, parked, warm, over; and the rig is free again."""
        state = NightState(night=name, run=RunState.RUNNING)
        for event in events:
            with contextlib.suppress(Exception):
                state = fold(state, event)
        if state.run not in UNDER_WAY:
            state = replace(state, run=RunState.RUNNING)
        state = replace(state, activities={}, exposing=None, waiting=None)
        plan = NightPlan(name="only closed", blocks=[])
        night = Night(plan, self._equipment, self._recorder(name, state))
        night.end(f"it could not be resumed: {problem}")
        return night

    def _recorder(self, name: str, state: NightState | None = None) -> NightRecorder:
        recorder = night_recorder(name, self._ledger, self._equipment.clock, state)
        recorder.listen(self._tell)
        return recorder
