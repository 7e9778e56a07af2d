"""One's own pictures: laid on the chart, and matched by the frame."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from vigil.files.deepsky import entry_named
from vigil.files.solvefile import SolvedFile
from vigil.ledger.counts import TakenFrame, earlier_of, lights
from vigil.planning.framing import disagreement
from vigil.planning.matching import Earlier, away_from, earlier_frame
from vigil.runtime.folders import (
    backdrops_file,
    cache_folder,
    data_folder,
    ledger_file,
    own_catalogue_folder,
)
from vigil.ui import words
from vigil.ui.jobs import Jobs
from vigil.ui.session import Session
from vigil.ui.targets.backdrops import Backdrop, keep_backdrops, kept_backdrops, load_backdrop
from vigil.ui.targets.chart import Chart
from vigil.ui.targets.framemodel import FrameModel
from vigil.ui.targets.pages import ChartPage, FramePage

_PICTURES = "Pictures (*.fits *.fit *.fts *.tif *.tiff *.png *.jpg *.jpeg)"


class OwnPictures(QObject):
    """Solves pictures, keeps them as backdrops, takes framing and settings over from them."""

    def __init__(
        self,
        session: Session,
        jobs: Jobs,
        frame: FrameModel,
        chart: Chart,
        pages: tuple[FramePage, ChartPage],
        camera_angle: Callable[[], float | None],
    ) -> None:
        super().__init__(chart)
        self._session, self._jobs, self._frame, self._chart = session, jobs, frame, chart
        self._frame_page, self._chart_page = pages
        self._camera_angle = camera_angle
        self.earlier: Earlier | None = None
        self._chart_page.picture_wanted.connect(lambda: self.choose(match=False))
        self._chart_page.remove.clicked.connect(self._remove)
        self._frame_page.match_wanted.connect(lambda: self.choose(match=True))
        self._frame_page.taken.activated.connect(self._match_taken)
        self._listed = ""
        self._frame_page.also.clicked.connect(self._take_settings)

    def begin(self) -> None:
        """Bring back those that were on the chart before."""
        self._jobs.run("backdrops", _read_kept, self._show, lambda p: self._chart_page.busy.say(str(p)))

    def choose(self, match: bool) -> None:
        """Ask for a picture's file."""
        said = "Match an earlier frame" if match else "A picture for the chart"
        parent = self._chart.window()
        assert isinstance(parent, QWidget)
        name, _ = QFileDialog.getOpenFileName(
            parent, said, self._likely_place(), _PICTURES, options=QFileDialog.Option.DontUseNativeDialog
        )
        if name:
            self.take(Path(name), match)

    def list_taken(self) -> None:
        """This target's lights in the ledger, to choose from; looked up when the target is another."""
        frame = self._frame.frame
        if frame is None or frame.name == self._listed:
            return
        self._listed, rig_id = frame.name, self._session.rig.id
        name = frame.name
        self._jobs.run("earlier", lambda: earlier_of(ledger_file(), rig_id, name), self._show_taken, _nothing)

    def _show_taken(self, taken: list[TakenFrame]) -> None:
        choice = self._frame_page.taken
        choice.clear()
        choice.addItem("match a light of mine …" if taken else "no light of it in the ledger yet")
        choice.setEnabled(bool(taken))
        for light in taken:
            panel = light.target.removeprefix(self._listed).strip()
            said = f"{light.started_at[:10]} {panel} {light.filter} {light.exposure_s:g} s"
            choice.addItem(" ".join(said.split()), str(light.path))

    def _match_taken(self, index: int) -> None:
        path = self._frame_page.taken.itemData(index)
        if path:
            self.take(Path(path), match=True)

    def _likely_place(self) -> str:
        """Where the last light of this target lies, else the rig's frames."""
        frame, rig_id = self._frame.frame, self._session.rig.id
        for light in lights(ledger_file(), rig_id):
            if frame is not None and light.target.startswith(frame.name) and light.path.exists():
                return str(light.path)
        return str(data_folder(rig_id) / "frames")

    def take(self, path: Path, match: bool) -> None:
        """Solve a picture and lay it on the chart; with `match` take its framing over too."""

        def say(text: str) -> None:
            self._chart_page.busy.say(text)
            self._frame_page.match_words.setText(text if match else "")

        def work() -> tuple[SolvedFile, Backdrop | None]:
            # imported here: solving takes longer to import than the window to open
            from vigil.files.solvefile import solve_file_apart

            solved = solve_file_apart(path, cache_folder(), own_catalogue_folder())
            return solved, load_backdrop(path, solved.wcs) if solved.wcs is not None else None

        def done(told: tuple[SolvedFile, Backdrop | None]) -> None:
            solved, laid = told
            if laid is None:
                say(f"{path.name} is not solved: {solved.reason}")
                return
            say("")
            self._show([*(b for b in self._chart.backdrops if b.path != path), laid])
            self._keep()
            if match:
                self._match(earlier_frame(solved.header, laid.wcs), path)

        say(f"solving {path.name} …")
        self._jobs.run("picture", work, done, lambda problem: say(str(problem)))

    # -- on the chart -------------------------------------------------------------------------------------

    def _remove(self) -> None:
        n = self._chart_page.pictures.currentIndex()
        self._show([b for k, b in enumerate(self._chart.backdrops) if k != n])
        self._keep()

    def _keep(self) -> None:
        try:
            keep_backdrops(backdrops_file(), self._chart.backdrops)
        except OSError as problem:
            self._chart_page.busy.say(f"the list of pictures can't be saved: {problem.strerror}")

    def _show(self, backdrops: list[Backdrop]) -> None:
        self._chart.backdrops = backdrops
        choice = self._chart_page.pictures
        choice.clear()
        choice.addItems([b.path.name for b in backdrops] or ["none yet"])
        self._chart_page.remove.setEnabled(bool(backdrops))
        self._chart.redraw()

    # -- matched ------------------------------------------------------------------------------------------

    def forget(self) -> None:
        """Another target is framed."""
        self.earlier = None

    def _match(self, earlier: Earlier, path: Path) -> None:
        """Centre and rotation exactly; what it is called is checked against where it lies."""
        foot, frame = earlier.footprint, self._frame.frame
        name = earlier.name or (frame.name if frame is not None else path.stem)
        doubt = disagreement(name, foot.ra_deg, foot.dec_deg)
        self._frame.match(path.name, name, entry_named(name) if doubt is None else None, foot)
        self.earlier = earlier
        said = [path.name, doubt or ""]
        if earlier.exposure_s is not None:
            said.append(f"{earlier.filter} {earlier.exposure_s:g} s, gain {earlier.gain}".strip())
        self._frame_page.match_words.setText(" · ".join(s for s in said if s))
        self._frame_page.also.setVisible(earlier.exposure_s is not None)
        self._chart.look_at_frame()
        self.tell_distance()

    def _take_settings(self) -> None:
        """Exposure, gain, offset, binning and set-point of the matched frame."""
        earlier, plan = self.earlier, self._session.plan
        if earlier is None or earlier.exposure_s is None:
            return
        names = self._session.rig.filter_names
        line = plan.line_like(
            filter=earlier.filter if earlier.filter in names else (names or [""])[0],
            exposure_s=earlier.exposure_s,
            gain=earlier.gain,
            offset=earlier.offset,
            binning=earlier.binning or 1,
        )
        self._frame.take_over("taking over its settings", lines=(line,), set_point_c=earlier.set_point_c)
        self._frame_page.match_words.setText(f"lines: {line.words}, as it was taken")

    def tell_distance(self) -> None:
        """How far telescope and camera are from the matched frame now."""
        facts = self._frame_page.match_facts
        sensor, now = self._frame.sensor, self._chart.telescope
        if self.earlier is None or sensor is None:
            facts.show_facts([])
            return
        if now is None:
            facts.show_facts([("telescope", "not connected")])
            return
        away = away_from(sensor, now)
        told = [("telescope is off by", words.arc(away.arcsec / 60))]
        if self._camera_angle() is None:
            told.append(("camera", "not solved yet"))
        else:
            told.append(("camera is off by", f"{words.signed(away.turn_deg)}°"))
            told.append(("common area", f"{100 * away.common:.1f} %"))
        facts.show_facts(told)


def _nothing(problem: Exception) -> None:
    """A ledger that can't be read has nothing to choose from."""


def _read_kept() -> list[Backdrop]:
    found = []
    for path, wcs in kept_backdrops(backdrops_file()):
        try:
            found.append(load_backdrop(path, wcs))
        except (OSError, ValueError):
            continue
    return found
