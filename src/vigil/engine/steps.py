"""A step to be done once, as a condition: `done` by the night's events."""

from datetime import datetime

from vigil.documents.steps import Ask, RunProgram, Step, WaitUntil
from vigil.engine.activities.steps import AskPerson, CarryOutProgram, ExposeForTest, WaitForMoment
from vigil.engine.activity import Activity
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.remedy import Do, NotBefore, Remedy
from vigil.engine.view import View
from vigil.planning.waits import moment_of


class StepDone(Condition):
    """Made of a plan's step; done, it stays done for the night."""

    def __init__(self, step: Step) -> None:
        self._step = step
        self.name = step.words

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        done = self._step.id in view.night.steps_done
        return Check(Standing.MET, "done") if done else Check(Standing.NOT_MET, "not done yet")

    def remedy(self, view: View) -> Remedy:
        step = self._step
        if isinstance(step, WaitUntil):
            # nobody stands and waits: holds, edits and other targets have their way meanwhile
            moment = moment_of(step, view.rig.site, view.at)
            if moment is not None and moment > view.at:
                return NotBefore(moment, step.words)
        return Do(activity_of(step))


def activity_of(step: Step) -> Activity:
    """What carries a step out."""
    if isinstance(step, Ask):
        return AskPerson(step)
    if isinstance(step, WaitUntil):
        return WaitForMoment(step)
    if isinstance(step, RunProgram):
        return CarryOutProgram(step)
    return ExposeForTest(step)
