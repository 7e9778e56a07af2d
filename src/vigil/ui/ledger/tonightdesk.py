"""What tonight is best spent on, and how it comes into the plan."""

from typing import Any

from vigil.ledger.projecthours import tonight
from vigil.planning.bestuse import BestUse, into_plan, useful_hours_of
from vigil.planning.progress import Progress
from vigil.ui.actions import Action
from vigil.ui.ledger.desk import NO_PROJECTS, TONIGHT, Desk, Read, Room
from vigil.ui.ledger.tonight import TonightPicture
from vigil.ui.ledger.tools import TonightTools


class TonightDesk(Desk):
    """It is worked out when somebody looks, and again when what it rests on has changed."""

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.picture, self.tools = TonightPicture(room.session), TonightTools()
        self._found: BestUse | None = None
        self._found_of: tuple[Any, ...] | None = None
        self._standings: dict[str, Progress] = {}
        self._said = ""
        self._plan_wanted = False
        """Asked for while it was still being worked out."""
        self.tools.into_plan.clicked.connect(self._into_plan)
        self.tools.anew.clicked.connect(self.calculate)

    def look(self, read: Read) -> None:
        room = self._room
        quarter = int(room.session.moments.now.timestamp() // 900)
        rests_on = (room.edits.projects, room.session.rig, quarter, tuple(p.kept_h for p in read.progress))
        if self._found_of != rests_on:
            self._found_of = rests_on
            self.calculate()

    def calculate(self) -> None:
        """Off the window's thread: it may take five seconds."""
        room = self._room
        projects, rig, now, ledger = (
            room.edits.projects,
            room.session.rig,
            room.session.moments.now,
            room.ledger,
        )
        if not projects:
            self._found, self._said = None, NO_PROJECTS
            return
        self._said = "Sharing the night out …"
        room.jobs.run(
            "tonight",
            lambda: tonight(ledger, projects, {rig.id: rig}, rig, now),
            self._take,
            self._failed,
        )
        room.refresh()

    def _take(self, found: tuple[BestUse, dict[str, Progress]]) -> None:
        self._found, self._standings = found
        self._said = ""
        self._room.refresh()
        if self._plan_wanted:
            self._into_plan()

    def _failed(self, problem: Exception) -> None:
        self._found, self._said = None, f"It can't be calculated: {problem}"
        self._room.refresh()

    def put_into_plan(self) -> None:
        """Once it is worked out."""
        self._room.go_to(TONIGHT)
        self._into_plan()

    def _into_plan(self) -> None:
        found, room = self._found, self._room
        self._plan_wanted = room.jobs.busy("tonight")
        if self._plan_wanted or found is None:
            return
        if not found.stints:
            room.complain("there is nothing to put into the plan")
            return
        plan = room.session.plan
        made, said = into_plan(found, plan.plan, room.session.rig, self._standings)
        try:
            plan.take_over("putting the night's best use into the plan", made)
        except ValueError as problem:
            room.complain(str(problem))
            return
        room.say("; ".join(["It is in the plan (Night)", *said]) + ".")

    def _plan_h(self) -> float | None:
        """What the plan on the desk comes to, weighed alike."""
        session = self._room.session
        if self._found is None or not session.plan.plan.blocks or not self.picture.isVisible():
            return None
        return useful_hours_of(session.plan_ahead(), session.plan.plan, session.rig, self._found)

    def show(self, read: Read | None) -> None:
        self.picture.show_found(self._found, self._said)
        self.tools.show_found(self._found, self._plan_h(), self._room.jobs.busy("tonight"))

    def actions(self) -> list[Action]:
        return [Action("Put the night's best use into the plan", self.put_into_plan)]
