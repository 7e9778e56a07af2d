"""Several plans: the one on the desk, and the others of the rig."""

from collections.abc import Callable, Iterator

from vigil.documents.namedfiles import NamedFiles
from vigil.documents.plan import NightPlan
from vigil.planning.fitting import fit
from vigil.ui.night.listedactions import Entry, ListedActions
from vigil.ui.session import Session


class PlanChoice(ListedActions):
    """Opening another keeps this one as it is, with its undo. Nothing can be opened while a night runs."""

    def __init__(self, session: Session, plans: NamedFiles[NightPlan], said: Callable[[str], None]) -> None:
        self._session, self._plans = session, plans
        super().__init__("Plans…", lambda: list(self._possible()), said)
        self.setAccessibleName("Plans: open another one, or begin a new one")
        self.setToolTip("Open another plan, begin a new one, duplicate this one")
        self.setFixedWidth(86)

    def _possible(self) -> Iterator[Entry]:
        if self._session.under_way:
            return
        here = self._session.plan.plan
        yield "New plan", self._new
        yield f"Duplicate “{here.name}”", self._again
        others = [plan for plan in self._plans.all() if plan.name.casefold() != here.name.casefold()]
        for plan in others:
            yield f"Open “{plan.name}”", lambda p=plan: self._open(p)  # type: ignore[misc]
        for plan in others:
            yield f"Delete “{plan.name}”", lambda p=plan: self._throw_away(p)  # type: ignore[misc]

    def _new(self) -> str:
        return self._open(NightPlan(name=self._unused("New plan"), blocks=[]))

    def _again(self) -> str:
        plan = self._session.plan.plan
        return self._open(plan.model_copy(update={"name": self._unused(plan.name)}))

    def _unused(self, name: str) -> str:
        here = self._session.plan.plan
        self._plans.keep(here)
        return self._plans.unused_name(name)

    def _open(self, plan: NightPlan) -> str:
        model = self._session.plan
        kept = model.plan
        self._plans.keep(kept)
        fitting, left_out = fit(plan, self._session.rig)
        model.open(fitting)
        return "; ".join([f"“{kept.name}” is kept", *left_out])

    def _throw_away(self, plan: NightPlan) -> str:
        """It stays beside the others until a file of its name is thrown away again."""
        path = self._plans.throw_away(plan.name)
        return f"“{plan.name}” is deleted; its file is {path}"
