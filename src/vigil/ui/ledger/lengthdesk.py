"""How long to expose: by what the chosen project's frames show."""

from collections.abc import Callable

from vigil.documents.project import Project
from vigil.ledger.projecthours import FilterNoise, noise_by_filter
from vigil.subexposures.advice import advise
from vigil.ui.ledger.desk import Desk, Read, Room
from vigil.ui.ledger.subs import SubsPicture
from vigil.ui.ledger.tools import LengthTools


class LengthDesk(Desk):
    """`chosen` is the project that is chosen among all."""

    def __init__(self, room: Room, chosen: Callable[[], Project | None]) -> None:
        super().__init__(room)
        self.picture, self.tools = SubsPicture(), LengthTools()
        self._chosen = chosen
        self._noise: list[FilterNoise] = []
        self._of = ""

    def look(self, read: Read) -> None:
        project, rig, ledger = self._chosen(), self._room.session.rig, self._room.ledger
        if project is not None:
            self._room.jobs.run(
                "lengths",
                lambda: (project.name, noise_by_filter(ledger, project, rig)),
                self._take,
                self._room.unread,
            )

    def _take(self, found: tuple[str, list[FilterNoise]]) -> None:
        self._of, self._noise = found
        self._room.refresh()

    def show(self, read: Read | None) -> None:
        nothing = "Nothing is measured yet: kept lights tell the sky and the noise."
        self.picture.show_noise(self._noise, nothing)
        lines = [
            f"{one.filter or 'no filter'}, {one.exposure_s:g} s now: {advise(one.measured).words}."
            for one in self._noise
        ]
        self.tools.show_lengths(self._of, "\n".join(lines))
