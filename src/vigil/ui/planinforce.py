"""The plan on the desk and that of the night under way, kept the same."""

from collections.abc import Callable
from typing import Any

from vigil.documents.messages import Answer, Command
from vigil.documents.plan import NightPlan
from vigil.documents.store import parse
from vigil.ui.planmodel import PlanModel


class PlanInForce:
    """Edits made while a night runs are sent to the keeper; what it refuses is taken back from the desk, and
    what others change appears there."""

    def __init__(self, plan: PlanModel, ask: Callable[..., None]) -> None:
        self.words = ""
        """What the keeper made of the last edit."""
        self.refused = False
        self._plan = plan
        self._ask = ask
        self._agreed: NightPlan | None = None
        self._sent: NightPlan | None = None

    def take(self, text: str) -> None:
        """The night's plan, when it begins and whenever it has changed."""
        told = parse(NightPlan, text, "the plan of the night")
        self._agreed = told
        if told != self._plan.plan and self._sent is None:
            self._plan.show(told)

    def desk_changed(self, under_way: bool) -> None:
        if not under_way:
            self._agreed = self._sent = None
            self.words, self.refused = "", False
        elif self._agreed is not None and self._plan.plan not in (self._agreed, self._sent):
            self._sent = self._plan.plan
            values: dict[str, Any] = self._sent.model_dump(mode="json")
            self._ask(Command.PLAN, plan=values)

    def answered(self, plan: dict[str, Any], answer: Answer) -> None:
        """To the edit that was sent as `plan`."""
        latest = self._sent is not None and plan == self._sent.model_dump(mode="json")
        self.words, self.refused = answer.reason, not answer.taken
        if answer.taken:
            self._agreed = NightPlan.model_validate(plan)
        if latest:
            self._sent = None
            if not answer.taken and self._agreed is not None:
                self._plan.withdraw(self._agreed)
