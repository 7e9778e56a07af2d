"""A step to be done once, as a condition: `done` by the night's events."""

from datetime import datetime

from vigil.documents.steps import Ask, RunProgram, Step, WaitUntil
from vigil.engine.activities.steps import AskPerson, CarryOutProgram, ExposeForTest, WaitForMoment
from vigil.engine.activity import Activity
from vigil.engine.check import Check, Condition, Standing
from vigil.engine.view import View


class StepDone(Condition):
    """Made of a plan's step; done, it stays done for the night."""

    def __init__(self, step: Step) -> None:
        self._step = step
        self.name = step.words

    def check(self, view: View, start: datetime, end: datetime) -> Check:
        done = self._step.id in view.night.steps_done
        return Check(Standing.MET, "done") if done else Check(Standing.NOT_MET, "not done yet")

    def activity(self, view: View) -> Activity:
        return activity_of(self._step)


def activity_of(step: Step) -> Activity:
    """What carries a step out."""
    if isinstance(step, Ask):
        return AskPerson(step)
    if isinstance(step, WaitUntil):
        return WaitForMoment(step)
    if isinstance(step, RunProgram):
        return CarryOutProgram(step)
    return ExposeForTest(step)
