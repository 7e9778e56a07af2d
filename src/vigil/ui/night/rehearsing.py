"""The rehearsal of tonight's plan: run apart, kept until the plan changes."""

from threading import Event as Flag

from PyQt6.QtCore import QObject, pyqtSignal

from vigil.documents.events import Event
from vigil.documents.plan import NightPlan
from vigil.link.rehearsal import NotRehearsed, Odds, odds_apart, rehearse_apart
from vigil.planning.account import Account, account
from vigil.ui.jobs import Jobs
from vigil.ui.session import Session

SEEDS = 20


class Rehearsing(QObject):
    """`changed` follows every step; `account` is what the last rehearsal came to, `before` the one before it
    (of another scenario, or of the plan as it was): to be compared."""

    changed = pyqtSignal()
    _far = pyqtSignal(int, int)

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self._session, self._jobs, self._stop = session, jobs, Flag()
        self.account: Account | None = None
        self.before: Account | None = None
        self.of: tuple[NightPlan, str] | None = None
        self.of_before: tuple[NightPlan, str] | None = None
        self.problem = ""
        self.odds: Odds | None = None
        """Of each line, from many rehearsals."""
        self.odds_of: tuple[NightPlan, str] | None = None
        self.asked_last = ""
        """"one" or "odds"."""
        self.far = ""
        """How many of many are done, in words."""
        self._far.connect(self._tell_far)

    @property
    def busy(self) -> bool:
        return self._jobs.busy("rehearsal")

    @property
    def stale(self) -> bool:
        """Whether the plan has changed since."""
        return self.of is not None and self.of[0] != played(self._session.plan.plan)

    @property
    def odds_stale(self) -> bool:
        return self.odds_of is not None and self.odds_of[0] != played(self._session.plan.plan)

    def begin(self, scenario: str = "") -> None:
        """Rehearse the plan as it is now, under a scenario that ships with Vigil or the rig's own night."""
        if self.busy:
            return
        plan, rig = self._session.plan.plan, self._session.rig
        self._stop.clear()
        self.problem, self.asked_last = "", "one"

        def work() -> list[Event]:
            return rehearse_apart(plan, rig, scenario or None, stopped=self._unwanted)

        self._jobs.run("rehearsal", work, lambda events: self._done(plan, scenario, events), self._failed)
        self.changed.emit()

    def begin_many(self, scenario: str = "") -> None:
        """Rehearse it with many seeds, for the odds of each line."""
        if self.busy:
            return
        plan, rig = self._session.plan.plan, self._session.rig
        self._stop.clear()
        self.problem, self.far, self.asked_last = "", f"0 of {SEEDS}", "odds"

        def work() -> Odds:
            return odds_apart(plan, rig, scenario or None, SEEDS, self._unwanted, self._far.emit)

        self._jobs.run("rehearsal", work, lambda odds: self._weighed(plan, scenario, odds), self._failed)
        self.changed.emit()

    def stop(self) -> None:
        self._stop.set()

    def _unwanted(self) -> bool:
        return self._stop.is_set() or self._jobs.stopped

    def _done(self, plan: NightPlan, scenario: str, events: list[Event]) -> None:
        self.before, self.of_before = self.account, self.of
        self.account, self.of = account(plan, events), (played(plan), scenario)
        self.changed.emit()

    def _weighed(self, plan: NightPlan, scenario: str, odds: Odds) -> None:
        self.odds, self.odds_of, self.far = odds, (played(plan), scenario), ""
        self.changed.emit()

    def _tell_far(self, done: int, of: int) -> None:
        if self.far:
            self.far = f"{done} of {of}"
            self.changed.emit()

    def forget(self) -> None:
        """What is drawn over the plan is taken away."""
        self.account = self.of = self.before = self.of_before = self.odds = self.odds_of = None
        self.problem = ""
        self.changed.emit()

    def _failed(self, problem: Exception) -> None:
        stopped = isinstance(problem, NotRehearsed) and problem.stopped
        self.far = ""
        self.problem = "" if stopped else f"the rehearsal failed: {problem}"
        self.changed.emit()


def played(plan: NightPlan) -> NightPlan:
    """What of a plan a night plays: under which scenario it is rehearsed stands beside it."""
    return plan.model_copy(update={"rehearse_under": ""})
