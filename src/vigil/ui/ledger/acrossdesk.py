"""Across nights: figures of all lights, the camera's darks, what time was lost to."""

from pathlib import Path

from vigil.documents.rig import Rig
from vigil.files.camerahealth import camera_health
from vigil.ledger.framefolders import folders_with_frames
from vigil.ledger.reading import trends
from vigil.ledger.trends import Trends, darks_of, trends_of
from vigil.ui.ledger.desk import Desk, Read, Room
from vigil.ui.ledger.tools import TrendTools
from vigil.ui.ledger.trends import OF_DARKS, TrendsPicture


class AcrossDesk(Desk):
    """Darks are read only when somebody wants to know."""

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.picture, self.tools = TrendsPicture(), TrendTools()
        self._trends: Trends | None = None
        self._darks: Trends | None = None
        self.tools.what.activated.connect(lambda _: self.choose())

    def look(self, read: Read) -> None:
        ledger, rig_id, lost = self._room.ledger, self._room.session.rig.id, read.lost
        self._room.jobs.run(
            "trends", lambda: trends_of(trends(ledger), lost, rig_id), self._take, self._room.unread
        )

    def choose(self) -> None:
        """What is to be shown has been chosen."""
        rig, ledger = self._room.session.rig, self._room.ledger
        if self.tools.what.currentText() in OF_DARKS and self._darks is None:
            self._room.jobs.run("darks", lambda: _darks_of(rig, ledger), self._take_darks, self._room.unread)
        self._room.refresh()

    def _take(self, found: Trends) -> None:
        self._trends = found
        self._room.refresh()

    def _take_darks(self, found: Trends) -> None:
        self._darks = found
        self._room.refresh()

    def show(self, read: Read | None) -> None:
        what = self.tools.what.currentText()
        if what in OF_DARKS:
            busy = self._room.jobs.busy("darks")
            nothing = "Darks and bias frames of the same settings tell it: none are in the rig's folders yet."
            self.picture.show_trends(self._darks, what, "Reading the darks …" if busy else nothing)
            return
        said = "Reading the ledger …" if read is None else "No lights yet."
        self.picture.show_trends(self._trends, what, said)


def _darks_of(rig: Rig, ledger: Path) -> Trends:
    camera = rig.camera
    each = camera.at_gain(camera.lights.gain or 0).electrons_per_adu if camera is not None else 1.0
    return darks_of(camera_health(folders_with_frames(rig, ledger), each))
