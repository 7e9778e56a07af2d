"""Steps done once: a person asked, a moment waited for, a program run, a frame taken on trial."""

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from vigil.devices.protocols import Exposure
from vigil.documents.steps import Ask, Otherwise, RunProgram, TestExposure, WaitUntil
from vigil.engine.activities.moves import filter_to, is_mosaic, take
from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.engine.policy import AfterTries, Policy
from vigil.planning.waits import moment_of
from vigil.runtime.programs import ProgramFailed

_YES = "yes"
_ASKED_S = 30.0


def _policy(otherwise: Otherwise) -> Policy | None:
    then = {
        "skip the target": AfterTries.LEAVE_OUT,
        "hold": AfterTries.HOLD,
        "end the night": AfterTries.CLOSE,
    }.get(otherwise)
    return None if then is None else Policy(1, (), then)


@dataclass(frozen=True)
class AskPerson(Activity):
    """Waits for a person's word; without one it goes by the step's policy."""

    KIND = "ask"
    DEVICES = frozenset()
    PATIENT = True
    expected_s = _ASKED_S

    step: Ask

    @property
    def words(self) -> str:
        return self.step.words

    @property
    def policy(self) -> Policy | None:
        return _policy(self.step.otherwise)

    async def run(self, kit: Kit) -> dict[str, Any]:
        step, wait = self.step, timedelta(minutes=self.step.wait_min)
        kit.progress.run("ask", self.words, wait.total_seconds())
        async with kit.questions.ask(step.question, (_YES,), wait, step.otherwise) as question:
            answer = await question.wait(kit.clock.utcnow() + wait)
        if answer is not None:
            return {"step": step.id, "summary": f"{step.question}: {answer}"}
        if step.otherwise == "go on":
            return {"step": step.id, "summary": f"{step.question}: nobody answered in {step.wait_min:g} min"}
        raise ActivityFailed(f"nobody answered in {step.wait_min:g} min; {step.otherwise}")


@dataclass(frozen=True)
class WaitForMoment(Activity):
    """Over at once when the moment has passed, or doesn't come tonight."""

    KIND = "wait"
    DEVICES = frozenset()
    PATIENT = True
    expected_s = 0.0

    step: WaitUntil

    @property
    def words(self) -> str:
        return self.step.words

    async def run(self, kit: Kit) -> dict[str, Any]:
        now = kit.clock.utcnow()
        moment = moment_of(self.step, kit.rig.site, now)
        if moment is None:
            return {"step": self.step.id, "summary": f"{self.words}: it doesn't come tonight"}
        if moment <= now:
            return {"step": self.step.id, "summary": f"{self.words}: it has passed"}
        await kit.clock.sleep((moment - now).total_seconds())
        return {"step": self.step.id}


@dataclass(frozen=True)
class CarryOutProgram(Activity):
    """Without a shell. A rehearsal runs no programs."""

    KIND = "program"
    DEVICES = frozenset()

    step: RunProgram

    @property
    def words(self) -> str:
        return self.step.words

    @property
    def expected_s(self) -> float:
        return min(self.step.time_out_s, _ASKED_S)

    @property
    def policy(self) -> Policy | None:
        return _policy(self.step.otherwise)

    async def run(self, kit: Kit) -> dict[str, Any]:
        step = self.step
        if kit.tools.run_program is None:
            return {"step": step.id, "summary": f"{self.words}: left out, this is a rehearsal"}
        name = f"{kit.clock.utcnow():%Y-%m-%d_%H%M%S}_{step.id}.txt"
        try:
            ended = await kit.tools.run_program(step.arguments, step.time_out_s, kit.tools.folder / name)
        except ProgramFailed as problem:
            if step.otherwise != "go on":
                raise ActivityFailed(f"{problem}; {step.otherwise}") from None
            return {"step": step.id, "failed": str(problem), "summary": f"{problem}; going on"}
        said = f": {ended.last_line}" if ended.last_line else ""
        return {"step": step.id, "output": str(ended.output), "summary": f"{step.arguments[0]} ran{said}"}


@dataclass(frozen=True)
class ExposeForTest(Activity):
    """A frame that doesn't count: measured, told, and kept apart."""

    KIND = "test exposure"
    DEVICES = frozenset({"camera", "filter wheel", "focuser"})

    step: TestExposure

    @property
    def words(self) -> str:
        return self.step.words

    @property
    def expected_s(self) -> float:
        return self.step.exposure_s + 10.0

    async def run(self, kit: Kit) -> dict[str, Any]:
        step, camera = self.step, kit.rig.camera
        if camera is None:
            raise ActivityFailed("the rig has no camera")
        if step.filter:
            await filter_to(kit, step.filter)
        usual = camera.settings_for("lights")
        exposure = Exposure(step.exposure_s, usual.gain or 0, usual.offset or 0, step.binning)
        frame = await take(kit, exposure)
        path = kit.tools.folder / f"{frame.started_at:%Y-%m-%d_%H%M%S}_{step.id}.fits"
        if kit.tools.keep is not None:
            await kit.tools.keep(frame, path)
        figures = await kit.measurer.measure(frame.image, camera.full_scale_adu, is_mosaic(kit, frame))
        size = f"HFR {figures.hfr_px:.2f} px, " if figures.stars else ""
        return {
            "step": step.id,
            "path": str(path) if kit.tools.keep is not None else None,
            "stars": figures.stars,
            "background_adu": round(figures.background_adu, 1),
            "summary": f"{self.words}: {size}{figures.stars} stars, sky {figures.background_adu:.0f} ADU",
        }
