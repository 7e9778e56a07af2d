"""Flats & darks: coverage, what fits, the search, and the job."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QWidget

from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.flats import DARKS, FLATS
from vigil.files.madeframes import made_frames
from vigil.levels.advice import Limits, advise
from vigil.levels.matching import Covered, Wanted, cover
from vigil.levels.trials import Camera, Trial
from vigil.runtime.folders import coverage_folders
from vigil.ui.actions import Action
from vigil.ui.flats.coverage import CoveragePicture
from vigil.ui.flats.fits import Fits, FitsPicture
from vigil.ui.flats.search import SearchPicture
from vigil.ui.flats.seen import FlatsSeen
from vigil.ui.flats.tools import FlatsTools
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import label
from vigil.ui.session import Session
from vigil.ui.tune.bench import ErrandBench
from vigil.ui.tune.tools import Doing
from vigil.ui.workspace import scrolled, side

COVERAGE, FITS, SEARCH = "Coverage", "What fits", "Levels"
_IDLE = "From the gaps makes what is missing the job."


class FlatsWorkspace(ErrandBench):
    """What is asked for becomes an errand of the keeper, which survives the window."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__("Flats & darks", session, (FLATS, DARKS), _IDLE)
        self._jobs = jobs
        self._covered: list[Covered] | None = None
        self._unread = ""
        self.seen = FlatsSeen()
        self.coverage, self.fits, self.search = CoveragePicture(), FitsPicture(), SearchPicture()
        self.tools = FlatsTools(Doing(self._begin, self._stop, self._say, lambda values, what: None))
        self.tools.gaps.clicked.connect(self._take_gaps)
        pictures = {COVERAGE: self.coverage, FITS: self.fits, SEARCH: self.search}
        main, _ = self._lay_out_views(pictures)
        self.build(main, scrolled(side(label("Flats & darks", "head"), self.said, self.tools)))
        self.first = self.tools.gaps
        self.show_view(COVERAGE)
        self.listen()
        self.read()

    # -- doing ----------------------------------------------------------------------------------------

    def lacks(self) -> str:
        rig = self._session.rig
        return "" if rig.camera is not None else f"{rig.name} has no camera"

    def _begin(self, kind: str, **values: Any) -> None:
        if kind == FLATS and self._session.rig.panel is None:
            self._say(f"{self._session.rig.name} has no flat panel (Rig)")
            return
        if self._ask_for(kind, values) and kind == FLATS:
            self.show_view(SEARCH)

    def _take_gaps(self) -> None:
        self._say(f"{self.tools.take_gaps(self._covered or [])}.", "soft")

    def read(self) -> None:
        """What is on the disk, by headers; off the window's thread."""
        rig = self._session.rig
        folders = coverage_folders(rig.id, rig.frames.folder)
        self._jobs.run("coverage", lambda: _covered_in(folders), self._show_covered, self._not_read)

    def _show_covered(self, covered: list[Covered]) -> None:
        self._covered, self._unread = covered, ""
        self.show_anew()

    def _not_read(self, problem: Exception) -> None:
        self._unread = f"The folders can't be read: {problem}"
        self.show_anew()

    def entered(self) -> None:
        self.read()

    # -- hearing --------------------------------------------------------------------------------------

    def _take_event(self, event: object) -> None:
        assert isinstance(event, Event)
        state = self._session.errands.get(event.errand)
        if state is None or state.kind not in self._kinds:
            return
        if event.kind is Kind.ERRAND_STARTED:
            self._problem = "", "soft"
            if state.kind == FLATS:
                self.seen = FlatsSeen()
        elif event.kind is Kind.ERRAND_STEP:
            self.seen.take(event.values)
        elif event.kind is Kind.ERRAND_ENDED:
            done = event.values.get("outcome") == Outcome.DONE.value
            spotless = done and not any(event.values.get(k) for k in ("impossible", "failed", "leaks"))
            self._problem = f"{event.reason}.", "soft" if spotless else "warn"
            self.read()
        self.refresh()

    def _take_samples(self, samples: object) -> None:
        """It has no stream."""

    # -- showing --------------------------------------------------------------------------------------

    def actions_here(self) -> list[Action]:
        made = self._actions_of(
            [
                ("Make the gaps the job", self.tools.gaps, COVERAGE),
                ("Take flats", self.tools.take, SEARCH),
                ("Try one flat of each filter", self.tools.trial, SEARCH),
                ("Take darks and bias frames", self.tools.darks, ""),
            ]
        )
        read = Action("Read the calibration folders again", self.read)
        return [*made, read, Action("Stop taking flats or darks", self._stop)]

    def show_anew(self) -> None:
        busy, why = self.under_way, self.hindrance()
        self._show_said(why, (busy.reason or f"{busy.words} …") if busy is not None else "")
        said = self._unread or (
            "Reading the folders …"
            if self._covered is None
            else "No lights yet: after a night they are here."
        )
        self.coverage.show_covered(self._covered or [], said)
        self.search.show_seen(self.seen, "Nothing is tried yet: Try each takes one of every filter.")
        self.fits.show_fits(self._fits(), "Nothing is tried yet: Try each takes one of every filter.")
        self.tools.show_rig(self._session.rig)
        self.tools.show_state(bool(why), busy)

    def _fits(self) -> Fits | None:
        told = [trial for trials in self.seen.trials.values() for trial in trials]
        panel = self._session.rig.panel
        if not told or panel is None:
            return None
        wish, last = self.tools.wish, told[-1]
        camera = Camera(last["bias_adu"], last["full_scale_adu"])
        least_s, most_s, low, high = *last["exposures_s"], last["low_adu"], last["high_adu"]
        if self.under_way is None:  # what would be, by the fields as they are now
            least_s, most_s = wish["least_exposure_s"], wish["most_exposure_s"]
            low, high = (camera.share_adu(wish[name]) for name in ("low_percent", "high_percent"))
        limits = Limits(max(panel.lowest_level, 1), panel.top, least_s, most_s, low, high)
        trials = [Trial(t["filter"], t["level"], t["exposure_s"], t["mean_adu"]) for t in told]
        chosen = {
            one.filter: (one.level, one.exposure_s)
            for one in advise(trials, camera, limits)
            if one.level is not None and one.exposure_s is not None
        }
        if self.under_way is not None:
            told_of = self.seen.advice.values()
            chosen |= {o["filter"]: (o["level"], o["exposure_s"]) for o in told_of if o["feasible"]}
        return Fits(trials, camera, limits, chosen)

    def second(self) -> tuple[QWidget, Callable[[], None]]:
        """The levels, to be read across the room."""
        twin = SearchPicture()
        return twin, lambda: twin.show_seen(self.seen, "Nothing is tried yet.")


def _covered_in(folders: list[Path]) -> list[Covered]:
    return cover(made_frames(folder for folder in folders if folder.exists()), Wanted())
