"""Kept lights handed over with their calibration frames."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import pyqtSignal

from vigil.documents.project import Project
from vigil.documents.rig import Rig
from vigil.ledger.framefolders import folders_with_frames
from vigil.ledger.handover import Gathering, HandedOver, gathering, hand_over
from vigil.ledger.reading import Sought, frames
from vigil.runtime.folders import from_home
from vigil.ui.ledger.desk import Desk, Read, Room
from vigil.ui.ledger.handover import HandoverRows, groups_of
from vigil.ui.ledger.tools import HandoverTools


class HandoverDesk(Desk):
    """`chosen` is the project that is chosen among all: it is the first to be offered."""

    _went_on = pyqtSignal(int, int)

    def __init__(self, room: Room, chosen: Callable[[], Project | None]) -> None:
        super().__init__(room)
        self.picture = HandoverRows()
        self.tools = tools = HandoverTools(room.complain)
        self._chosen, self._offered = chosen, ""
        self._gathered: Gathering | None = None
        self._said = ""
        self._stopped = self._wanted = False
        for choice in (tools.whose, tools.doubtful):
            choice.activated.connect(lambda _: self.gather())
        tools.naming.editingFinished.connect(self.gather)
        tools.go.clicked.connect(self._hand_over)
        tools.stop.clicked.connect(self._stop)
        self._went_on.connect(lambda done, of: tools.bar.show_share(done / max(of, 1)))

    def look(self, read: Read) -> None:
        self.tools.show_projects([p.project.name for p in read.progress])
        project = self._chosen()
        if project is not None and project.name != self._offered:
            self._offered = project.name
            self.tools.whose.setCurrentText(project.name)
        self.gather()

    def gather(self) -> None:
        """What there is to hand over, by the headers; off the window's thread."""
        tools, rig, ledger = self.tools, self._room.session.rig, self._room.ledger
        project = self._room.edits.named(tools.whose.currentText())
        if project is None or self._room.jobs.busy("handing over"):
            return
        if not tools.folder.text():
            tools.folder.setText(from_home(Path.home() / project.name))
        doubtful, naming = tools.doubtful.currentIndex() == 1, tools.naming.text()
        self._said = "Reading the headers …"
        self._room.jobs.run(
            "gathering",
            lambda: _gathered(ledger, project, rig, doubtful, naming),
            self._take,
            self._failed,
        )
        self._room.refresh()

    def _take(self, found: Gathering) -> None:
        self._gathered = found
        missing = f"{len(found.missing)} lights' files are gone. " if found.missing else ""
        self._said = missing or "It has no lights yet."
        self.picture.show_groups(groups_of(found), missing or "No kept lights of it yet.")
        self._room.refresh()
        if self._wanted:
            self._hand_over()

    def _failed(self, problem: Exception) -> None:
        self._gathered = None
        self.picture.show_groups([], f"It can't be gathered: {problem}")
        self._room.refresh()

    def _hand_over(self) -> None:
        """Once it is gathered; done again it goes on where it ended."""
        gathered, folder = self._gathered, self.tools.wanted_folder
        self._wanted = self._room.jobs.busy("gathering")
        if self._wanted:
            return
        if gathered is None or not gathered.items:
            self._room.complain("there is nothing to hand over")
            return
        if folder is None:
            self._room.complain("say into which folder")
            return
        copies = self.tools.how.currentIndex() == 1
        self._stopped = False

        def progress(done: int, of: int) -> bool:
            self._went_on.emit(done, of)
            return not self._stopped

        self._room.jobs.run(
            "handing over",
            lambda: hand_over(gathered, folder, "copy" if copies else "link", progress),
            self._handed_over,
            lambda problem: self._room.complain(f"not handed over: {problem}"),
        )
        self.tools.bar.show_share(0.0)
        self._room.refresh()

    def _stop(self) -> None:
        self._stopped = True

    def _handed_over(self, came: HandedOver) -> None:
        there = f", {came.there} were there" if came.there else ""
        if came.reason:
            put = f"{came.done} put into {from_home(came.folder)}{there}"
            self._room.complain(f"{put}; {len(came.left)} are not: {came.reason}")
            return
        self._room.say(f"{came.done} files in {from_home(came.folder)}{there}, with a manifest.")

    def show(self, read: Read | None) -> None:
        handing = self._room.jobs.busy("handing over")
        self.tools.show_busy(handing, self.tools.bar.share if handing else 0.0)
        self.tools.words.setText(self._words())

    def _words(self) -> str:
        gathered = self._gathered
        if gathered is None or not gathered.items:
            return self._said
        others = len(gathered.items) - len(gathered.lights)
        room = f"{gathered.bytes / 1e9:.1f} GB as copies"
        lines = [f"{len(gathered.lights)} lights and {others} calibration frames, {room}."]
        if gathered.missing:
            lines.append(f"{len(gathered.missing)} lights' files are gone.")
        lines += [f"{words}." for words in gathered.uncovered[:4]]
        return "\n".join(lines)


def _gathered(ledger: Path, project: Project, rig: Rig, doubtful: bool, naming: str) -> Gathering:
    names = tuple(project.frame_names)
    found = frames(ledger, Sought(targets=names, standing="kept"))
    if doubtful:
        found += frames(ledger, Sought(targets=names, standing="doubtful"))
    return gathering(found, folders_with_frames(rig, ledger), rig.site.time_zone, {rig.id: rig.name}, naming)
