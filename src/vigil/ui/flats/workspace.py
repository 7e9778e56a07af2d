"""Flats & darks: coverage, what fits, the search, and the job."""

from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QWidget

from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.flats import DARKS, FLATS, FlatsWish
from vigil.documents.messages import Command
from vigil.documents.rig import Rig
from vigil.files.madeframes import made_frames
from vigil.files.trying import Choice, choices, make_masters, tried
from vigil.ledger.framefolders import folders_with_frames
from vigil.levels.advice import Limits, advise
from vigil.levels.matching import Covered, Wanted, cover
from vigil.levels.trials import Camera, Trial
from vigil.planning.skyflats import SkyPlan, cloth_places, cloth_spans, sky_plan
from vigil.runtime.folders import calibration_folder, from_home, ledger_file
from vigil.ui.actions import Action
from vigil.ui.flats.coverage import CoveragePicture
from vigil.ui.flats.fits import Fits, FitsPicture
from vigil.ui.flats.search import SearchPicture
from vigil.ui.flats.seen import FlatsSeen
from vigil.ui.flats.tools import FlatsTools
from vigil.ui.flats.trypicture import TriedOn, TryPicture, small_pictures
from vigil.ui.flats.when import ClothHours, WhenPicture
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import Choice as Picked
from vigil.ui.pieces import button, label
from vigil.ui.session import Session
from vigil.ui.tune.bench import ErrandBench
from vigil.ui.tune.tools import Doing
from vigil.ui.workspace import scrolled, side

COVERAGE, FITS, SEARCH, WHEN, TRY = "Coverage", "What fits", "Levels", "When", "Try it"
_NOTHING = "Nothing is tried yet: Try each takes one of every filter."
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
        self.when, self.trying = WhenPicture(), TryPicture()
        self._when_of: tuple[Any, SkyPlan | ClothHours | None] | None = None
        self._choices: dict[str, Choice] = {}
        self._tried: TriedOn | None = None
        self._try_said = ""
        doing = Doing(self._begin, self._stop, self._say, self._edit)
        self.tools = FlatsTools(doing, self._tell, self.show_anew)
        self.tools.gaps.clicked.connect(self._take_gaps)
        self.try_filter = Picked()
        self.try_filter.setAccessibleName("Filter whose flats are tried")
        self.try_filter.activated.connect(lambda _: self._try())
        pictures = {COVERAGE: self.coverage, FITS: self.fits, SEARCH: self.search, WHEN: self.when,
                    TRY: self.trying}  # fmt: skip
        main, words = self._lay_out_views(pictures)
        self.masters = button(
            "Make masters", "", "One frame out of each filter's flats, beside them on the disk"
        )
        self.masters.clicked.connect(self._make_masters)
        for made in (self.masters, self.try_filter):
            words.addWidget(made)
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
        of_sky = values.get("source") in ("cloth", "twilight")
        if kind == FLATS and not of_sky and self._session.rig.panel is None:
            self._say(f"{self._session.rig.name} has no flat panel (Rig)")
            return
        if self._ask_for(kind, values) and kind == FLATS:
            self.show_view(WHEN if values.get("source") == "twilight" else SEARCH)

    def _tell(self, values: dict[str, Any]) -> None:
        """What is changed while flats are taken goes to them."""
        errand = self.under_way
        if errand is not None and errand.kind == FLATS:
            self._session.ask(Command.TELL_ERRAND, errand=errand.errand, **values)

    def _edit(self, values: dict[Any, Any], what: str) -> None:
        try:
            self._session.edits.edit_all(values, what)
        except ValueError as problem:
            self._say(str(problem))
            return
        self.read()

    def _take_gaps(self) -> None:
        self._say(f"{self.tools.take_gaps(self._covered or [])}.", "soft")

    def read(self) -> None:
        """What is on the disk, by headers; off the window's thread."""
        rig = self._session.rig
        self._jobs.run("coverage", lambda: _covered_of(rig, ledger_file()), self._show_read, self._not_read)

    def _show_read(self, found: tuple[list[Covered], dict[str, Choice]]) -> None:
        covered, self._choices = found
        before = self.try_filter.currentText()
        self.try_filter.clear()
        self.try_filter.addItems([name or "no filter" for name in self._choices])
        self.try_filter.setCurrentText(before)
        self._show_covered(covered)
        if self.view == TRY and self._tried is None:
            self._try()

    def _show_covered(self, covered: list[Covered]) -> None:
        self._covered, self._unread = covered, ""
        self.show_anew()

    # -- trying ---------------------------------------------------------------------------------------

    def _view_shown(self, name: str) -> None:
        for made in (self.masters, self.try_filter):
            made.setVisible(name == TRY)
        if name == TRY:
            self._try()

    def _try(self) -> None:
        """The chosen filter's flats on its newest light; off the window's thread."""
        name = list(self._choices)[self.try_filter.currentIndex()] if self._choices else None
        if name is None:
            return
        choice = self._choices[name]
        self._tried, self._try_said = None, f"Trying {len(choice.flats)} flats on {choice.light.name} …"
        self._jobs.run("try", lambda: _tried_on(choice), self._show_tried, self._not_tried)
        self.show_anew()

    def _make_masters(self) -> None:
        """Of the flats that serve the newest light of each filter; off the window's thread."""
        choices, folder = dict(self._choices), calibration_folder(self._session.rig.id) / "masters"
        if not choices:
            self._say("there are no flats that serve a light")
            return
        self._say(f"Making masters of {', '.join(choices)} …", "soft")

        def done(paths: list[Path]) -> None:
            self._say(f"Masters: {', '.join(path.name for path in paths)} in {from_home(folder)}.", "soft")

        def failed(problem: Exception) -> None:
            self._say(f"no masters: {problem}")

        self._jobs.run("masters", lambda: make_masters(choices, folder), done, failed)

    def _show_tried(self, tried: TriedOn) -> None:
        self._tried = tried
        self.show_anew()

    def _not_tried(self, problem: Exception) -> None:
        self._try_said = f"It can't be tried: {problem}"
        self.show_anew()

    # -- when -----------------------------------------------------------------------------------------

    def _when(self) -> SkyPlan | ClothHours | None:
        """Reckoned anew when what is asked for changes, and every five minutes."""
        rig, wish, now = self._session.rig, self.tools.asked, self._session.moments.now
        key = rig, wish, int(now.timestamp() // 300)
        if self._when_of is None or self._when_of[0] != key:
            self._when_of = key, None
            self._jobs.run(
                "when", lambda: (key, _reckoned(rig, wish, now)), self._show_reckoned, self._not_tried
            )
        return self._when_of[1]

    def _show_reckoned(self, found: tuple[Any, SkyPlan | ClothHours | None]) -> None:
        if self._when_of is not None and self._when_of[0] == found[0]:
            self._when_of = found
            self._show_when()

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
                self.seen = self.seen.going_on(event.values.get("given", {}))
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
        made.append(Action("Try the flats on a light", lambda: self.show_view(TRY)))
        made.append(Action("Make masters of the flats", self._make_masters))
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
        self.search.show_seen(self.seen, _NOTHING)
        self.fits.show_fits(self._fits(), _NOTHING)
        if self.view == WHEN:
            self._show_when()
        nothing = "Lights and flats of one filter are needed: none are in the folders yet."
        self.trying.show_tried(self._tried, self._try_said or nothing)
        self.tools.show_rig(self._session.rig)
        self.tools.show_state(bool(why), busy)

    def _show_when(self) -> None:
        have = {name: count for (kind, name), count in self.seen.have.items() if kind == "flat"}
        now, zone = self._session.moments.now, self._session.zone
        said = "The sun passes no twilight here within two days."
        if self._jobs.busy("when"):
            said = "Reckoning …"
        self.when.show_when(self._when(), said, zone, now, self.tools.asked.count, have)

    def _fits(self) -> Fits | None:
        told = [trial for trials in self.seen.trials.values() for trial in trials]
        panel = self._session.rig.panel
        if not told or panel is None:
            return None
        wish, last = self.tools.asked, told[-1]
        camera = Camera(last["bias_adu"], last["full_scale_adu"])
        least_s, most_s, low, high = *last["exposures_s"], last["low_adu"], last["high_adu"]
        if self.under_way is None:  # what would be, by the fields as they are now
            least_s, most_s = wish.least_exposure_s or least_s, wish.most_exposure_s
            low, high = (camera.share_adu(v) for v in (wish.low_percent, wish.high_percent))
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


def _covered_of(rig: Rig, ledger: Path) -> tuple[list[Covered], dict[str, Choice]]:
    there = folders_with_frames(rig, ledger)
    return cover(made_frames(there), Wanted()), choices(there)


def _tried_on(choice: Choice) -> TriedOn:
    found = tried(choice)
    return TriedOn(found, choice.words, *small_pictures(found))


def _reckoned(rig: Rig, wish: FlatsWish, now: datetime) -> SkyPlan | ClothHours | None:
    if wish.source != "cloth":
        return sky_plan(rig, wish, now)
    spans = cloth_spans(rig, now, now + timedelta(days=1))
    return ClothHours(now, spans, cloth_places(rig, spans[0][0])[0].words if spans else "")
