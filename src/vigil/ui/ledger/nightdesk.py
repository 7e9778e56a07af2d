"""Nights with their reports; the ledger itself: backup, frames from elsewhere, files that moved."""

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from PyQt6.QtCore import pyqtSignal

from vigil.files.atomic import write_bytes
from vigil.files.solver import Search
from vigil.ledger.backup import back_up
from vigil.ledger.framefolders import folders_with_frames
from vigil.ledger.importing import Imported, fits_in, import_frames
from vigil.ledger.reconcile import Reconciled, reconcile
from vigil.reports.night import report_of
from vigil.reports.page import as_page
from vigil.reports.text import as_text
from vigil.runtime.folders import from_home, own_catalogue_folder
from vigil.ui.ledger.desk import Desk, Read, Room
from vigil.ui.ledger.nights import NightRows
from vigil.ui.ledger.tools import NightTools


class NightDesk(Desk):
    """`show_frames` shows a night's lights with their verdicts."""

    _went_on = pyqtSignal(int, int, str)

    def __init__(self, room: Room, show_frames: Callable[[str], None]) -> None:
        super().__init__(room)
        self.picture = NightRows()
        self.tools = tools = NightTools()
        self._stopped = False
        tools.folder.setText("~")
        self.picture.chosen.connect(lambda _: room.refresh())
        for made, ending in ((tools.page, "html"), (tools.pdf, "pdf"), (tools.text, "txt")):
            made.clicked.connect(lambda _, e=ending: self._report(e))
        tools.frames.clicked.connect(
            lambda: show_frames(self.picture.night.errand) if self.picture.night is not None else None
        )
        tools.back_up.clicked.connect(self._back_up)
        tools.look.clicked.connect(self._look_for_files)
        tools.take_in.clicked.connect(self._import)
        tools.stop.clicked.connect(self._stop)
        self._went_on.connect(self._show_progress)

    def _folder(self, what: str) -> Path | None:
        """Where reports and backups go; None where that is no folder, which is said."""
        text = self.tools.folder.text().strip()
        folder = Path(text).expanduser()
        if text and folder.is_dir():
            return folder
        self._room.complain(f"{text or what}: there is no such folder")
        return None

    def _report(self, ending: str) -> None:
        night, ledger = self.picture.night, self._room.ledger
        folder = self._folder("the folder for reports")
        if night is None or folder is None:
            return
        path = folder / f"{night.errand}.{ending}"
        self._room.say(f"Writing the report of {night.evening} …")
        self._room.jobs.run(
            "report",
            lambda: _write_report(ledger, night.errand, path),
            lambda _: self._room.say(f"The report is {from_home(path)}."),
            lambda problem: self._room.complain(f"no report: {problem}"),
        )

    def _back_up(self) -> None:
        folder, ledger = self._folder("the folder for backups"), self._room.ledger
        if folder is None:
            return
        path = folder / f"vigil-ledger-{datetime.now(UTC):%Y%m%dT%H%M%S}.sqlite"
        self._room.say("Copying the ledger …")
        self._room.jobs.run(
            "back up",
            lambda: back_up(ledger, path),
            lambda events: self._room.say(f"{from_home(path)}: {events} events, whole."),
            lambda problem: self._room.complain(f"no backup: {problem}"),
        )

    def _look_for_files(self) -> None:
        rig, ledger, now = self._room.session.rig, self._room.ledger, datetime.now(UTC)

        def done(found: Reconciled) -> None:
            moved, gone = len(found.moved), len(found.missing)
            self._room.say(f"{found.there} where the ledger says, {moved} found elsewhere, {gone} gone.")
            self._room.read()

        self._room.say("Looking for the frames …")
        self._room.jobs.run(
            "look for files",
            lambda: reconcile(ledger, folders_with_frames(rig, ledger), now, rig=rig.id),
            done,
            lambda problem: self._room.complain(f"not looked: {problem}"),
        )

    # -- frames from elsewhere --------------------------------------------------------------------------

    def _import(self) -> None:
        """Each frame is whole in the ledger before the next: it can be stopped, and begun again."""
        text, rig, ledger = self.tools.source.text().strip(), self._room.session.rig, self._room.ledger
        folder = Path(text).expanduser()
        if not text or not folder.exists():
            self._room.complain(f"{text or 'the folder with frames'}: there is no such folder")
            return
        self._stopped = False
        now, search = datetime.now(UTC), Search(own=own_catalogue_folder())

        def work() -> tuple[int, list[Imported]]:
            paths, found = fits_in([folder]), list[Imported]()
            for one in import_frames(ledger, paths, rig, now, search, stop=lambda: self._stopped):
                found.append(one)
                self._went_on.emit(len(found), len(paths), one.path.name)
            return len(paths), found

        ledger.parent.mkdir(parents=True, exist_ok=True)
        self._room.jobs.run(
            "import", work, self._imported, lambda problem: self._room.complain(f"not imported: {problem}")
        )
        self.tools.bar.show_share(0.0)
        self._room.refresh()

    def _stop(self) -> None:
        self._stopped = True

    def _show_progress(self, done: int, of: int, name: str) -> None:
        self.tools.bar.show_share(done / max(of, 1))
        self._room.say(f"{done} of {of}: {name}")

    def _imported(self, came: tuple[int, list[Imported]]) -> None:
        of, found = came
        taken = sum(bool(one.frame_id) for one in found)
        others = [one for one in found if one.why_not]
        doubts = [one for one in found if one.doubt]
        told = f"{taken} of {of} taken in"
        if others:
            told += f"; {others[0].path.name}: {others[0].why_not}"
            told += f", and {len(others) - 1} more were not" if len(others) > 1 else ""
        if doubts:
            told += f"; {doubts[0].path.name}: {doubts[0].doubt}"
        self._room.say(f"{told}.")
        self._room.read()

    def show(self, read: Read | None) -> None:
        self.picture.show_nights(
            read.nights if read is not None else [],
            read.lost if read is not None else [],
            "Reading the ledger …" if read is None else "No nights yet: they are here once they have begun.",
        )
        night = self.picture.night
        self.tools.show_night(night, self.picture.lost_of(night) if night is not None else {})
        self.tools.show_busy(self._room.jobs.busy("import"))


def _write_report(ledger: Path, night: str, path: Path) -> None:
    report = report_of(ledger, night)
    if path.suffix == ".pdf":
        from vigil.reports.pdf import as_pdf

        write_bytes(path, as_pdf(report))
    else:
        text = as_page(report) if path.suffix == ".html" else as_text(report)
        write_bytes(path, text.encode())
