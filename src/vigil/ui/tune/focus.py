"""The focus bench: runs with their curve, getting near, the temperature model, filter offsets, the field."""

from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QStackedWidget, QWidget

from vigil.documents.errands import ErrandState
from vigil.documents.events import Event, Kind
from vigil.documents.focusruns import KINDS, NEAR, FocusRun, FocusRuns
from vigil.documents.messages import Command, Samples
from vigil.focusing.fit import Curve
from vigil.focusing.history import History, NoHistory, Run, learn
from vigil.ledger.store import FocusRow, LedgerStore
from vigil.optics.train import critical_focus_zone_um
from vigil.planning.focuslog import runs_to_learn_from
from vigil.runtime.folders import ledger_file
from vigil.ui import words
from vigil.ui.actions import Action
from vigil.ui.focuscurve import FocusCurve
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import label
from vigil.ui.session import Session
from vigil.ui.tune.bench import ErrandBench, show_only
from vigil.ui.tune.fieldpicture import FieldPicture
from vigil.ui.tune.focuslog import FocusLog
from vigil.ui.tune.focuswords import curve_of, result_words
from vigil.ui.tune.modelpicture import ModelPicture
from vigil.ui.tune.modeltools import ModelTools, OffsetTools, reference
from vigil.ui.tune.nearpicture import NearPicture
from vigil.ui.tune.neartools import NearTools
from vigil.ui.tune.offsetspicture import OffsetsPicture
from vigil.ui.tune.runtools import RunTools
from vigil.ui.tune.tools import Doing
from vigil.ui.workspace import scrolled, side

_VIEWS = ("Run", "Getting near", "Temperature", "Offsets", "Field")
_NEAR_KIND = "getting near"
_EARLIER = 5


class FocusBench(ErrandBench):
    """What is asked for becomes an errand of the keeper; runs of a night are shown here too."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        begins = "Stars in the field, the mount tracking: then focus."
        super().__init__("Focus", session, (*KINDS, _NEAR_KIND), begins)
        self._jobs = jobs
        self._told = FocusRuns()
        self._rows: list[FocusRow] = []
        self._shown: FocusRun | None = None
        self._history: History | None = None
        self._learnt: tuple[list[Run], str] = [], "no runs yet"
        self._next_look: dict[str, Any] | None = None
        """The star that the loop begins anew with, once it has stopped."""
        self.curve, self.near = FocusCurve(session), NearPicture()
        self.model, self.offsets, self.field = ModelPicture(), OffsetsPicture(), FieldPicture()
        doing = Doing(self._begin, self._stop, self._say, self._edit)
        self.run_tools, self.near_tools = RunTools(doing), NearTools(doing, self._look, self._turn)
        self.model_tools, self.offset_tools = ModelTools(doing), OffsetTools(doing)
        self.log = FocusLog(session)
        self.log.chosen.connect(self._open)
        self.near.moved.connect(self._turn)
        self.near.picked.connect(self._pick)
        self._tools = QStackedWidget()
        self._build()
        self.listen()

    def _build(self) -> None:
        pictures = (self.curve, self.near, self.model, self.offsets, self.field)
        tools = (self.run_tools, self.near_tools, self.model_tools, self.offset_tools, QWidget())
        for beside in tools:
            self._tools.addWidget(beside)
        main, _ = self._lay_out_views(dict(zip(_VIEWS, pictures, strict=True)), self.log)
        self.build(main, scrolled(side(label("Focus", "head"), self.said, self._tools)))
        self.show_view("Run")

    # -- doing ----------------------------------------------------------------------------------------

    NEEDS = ("camera", "focuser")

    def lacks(self) -> str:
        rig = self._session.rig
        return f"{rig.name} has no focuser or no camera" if rig.focuser is None or rig.camera is None else ""

    def _begin(self, kind: str, **values: Any) -> None:
        self._ask_for(kind, values)

    def _look(self, guides: bool) -> None:
        self.near.clear()
        through = {} if guides else self.run_tools.through
        self._begin(_NEAR_KIND, **self.near_tools.wish, **through, guides=guides)

    def _turn(self, way: int, coarse: bool) -> None:
        """By a step of the rig's, within its travel; the keeper says what else stands in the way."""
        focuser, position = self._session.rig.focuser, self._position()
        if focuser is None or position is None:
            return
        by = way * (focuser.coarse_step if coarse else focuser.fine_step)
        if not focuser.lowest <= position + by <= focuser.highest:
            travel = f"{focuser.lowest} to {focuser.highest}"
            self._say(f"{position + by} is outside the focuser's travel, {travel}")
            return
        self._say("")
        self._session.device("focuser", "by", steps=by)

    def _pick(self, x: float, y: float) -> None:
        errand = self.under_way
        if errand is not None and errand.kind == _NEAR_KIND:
            self._next_look = {"x": x, "y": y, "guides": bool(errand.given.get("guides"))}
            self._session.stop_errand(errand.errand)

    def _edit(self, values: dict[Any, Any], what: str) -> None:
        try:
            self._session.edits.edit_all(values, what)
        except ValueError as problem:
            self._say(str(problem))
            return
        self._say(f"In the rig now: {what}. Ctrl+Z in Rig takes it back.", "soft")

    # -- hearing --------------------------------------------------------------------------------------

    def _take_event(self, event: object) -> None:
        assert isinstance(event, Event)
        run = self._told.add(event)
        if event.kind is Kind.ERRAND_ENDED:
            self._take_end(event)
        if run is None:
            return
        if run.outcome:
            self._read_log()
        self._shown = run
        self.refresh()

    def _take_end(self, event: Event) -> None:
        self.offset_tools.found = event.values.get("offsets", self.offset_tools.found)
        if "backlash" in event.values:
            self.run_tools.take_measured(event.values["backlash"])
        state = self._session.errands.get(event.errand)
        if self._next_look is not None and state is not None and state.kind == _NEAR_KIND:
            wanted, self._next_look = self._next_look, None
            self._session.ask(Command.BEGIN, kind=_NEAR_KIND, **{**self.near_tools.wish, **wanted})

    def _take_samples(self, samples: object) -> None:
        assert isinstance(samples, Samples)
        if samples.stream == NEAR:
            self.near.add([dict(r.values) for r in samples.rows])
            self.refresh()

    def _read_log(self) -> None:
        path, rig_id = ledger_file(), self._session.rig.id
        self._jobs.run("focus log", lambda: rows_of(path, rig_id), self._show_log, self._no_log)

    def _show_log(self, rows: list[FocusRow]) -> None:
        self._rows = rows
        self.log.show_rows(rows)
        self._learn()
        if self._shown is None and rows:
            self._open(rows[0].ended)
        self.show_anew()

    def _no_log(self, problem: Exception) -> None:
        self._say(f"the log can't be read: {problem}")

    def _open(self, ended: int) -> None:
        """A run of the log, with its frames."""
        path = ledger_file()
        self._jobs.run("focus run", lambda: run_of(path, ended), self._show_run, self._no_log)

    def _show_run(self, run: FocusRun | None) -> None:
        if run is not None:
            self._shown = run
            self.show_anew()

    def _learn(self) -> None:
        runs = runs_to_learn_from([row.figures for row in reversed(self._rows) if row.accepted])
        self._history = None
        try:
            self._history = learn(runs, reference(self._session.rig))
            slope = self._history.slope
            why = self._history.why_no_slope
            if slope is not None:
                why = f"{words.signed(slope.value)} ± {slope.half:.1f} steps for each °C, by {len(runs)} runs"
        except NoHistory as problem:
            why = str(problem) if runs else "no accepted run with a temperature is on record yet"
        self._learnt = runs, why

    # -- showing --------------------------------------------------------------------------------------

    def _view_shown(self, name: str) -> None:
        at = _VIEWS.index(name)
        show_only(self._tools, at)
        self.log.setVisible(name not in ("Getting near", "Offsets"))
        firsts = (
            self.run_tools.run,
            self.near_tools.look,
            self.model_tools.take_over,
            self.offset_tools.measure,
            self.views[name],
        )
        self.first = firsts[at]

    def entered(self) -> None:
        self._read_log()

    def actions_here(self) -> list[Action]:
        return self._actions_of(
            [
                ("Focus now", self.run_tools.run, "Run"),
                ("Find focus", self.run_tools.find, "Run"),
                ("Focus again, finer", self.run_tools.finer, "Run"),
                ("Measure the focuser's backlash", self.run_tools.backlash, "Run"),
                ("Look at a star to get near focus", self.near_tools.look, "Getting near"),
                ("Measure filter offsets", self.offset_tools.measure, "Offsets"),
            ],
            self.hindrance,
        )

    def show_anew(self) -> None:
        session, rig = self._session, self._session.rig
        why, busy = self.hindrance(), self.under_way
        self._show_words(why, busy)
        self.curve.show_run(self._shown)
        self.curve.show_earlier(self._earlier())
        try:
            scale: float | None = rig.scale_arcsec_px()
        except ValueError:
            scale = None
        self.run_tools.show_all(rig, self._shown, bool(why), busy, scale)
        may_turn = session.run not in ("running", "closing")
        self.near_tools.show_all(rig, bool(why), busy, self._position(), may_turn)
        runs, learnt = self._learnt
        self.model.show_model(runs, self._history, learnt)
        self.model_tools.show_all(rig, self._history, len(runs), learnt)
        self.offset_tools.show_all(rig, bool(why), busy)
        self._show_offsets(busy)
        found = self._shown.figures.get("field") if self._shown else None
        self.field.show_field(found, critical_focus_zone_um(rig.focal_ratio) if rig.focal_ratio else None)

    def _show_words(self, why: str, busy: ErrandState | None) -> None:
        run, result = self._shown, None
        if run is not None and run.outcome:
            result = result_words(run), "soft" if run.best is not None else "warn"
        self._show_said(why, f"{busy.words} …" if busy is not None else "", result)

    def _show_offsets(self, busy: ErrandState | None) -> None:
        rig, found = self._session.rig, self.offset_tools.found
        own: dict[str, int] = {}
        if rig.wheel is not None:
            zero = rig.wheel.filter(reference(rig)).focus_offset_steps
            own = {f.name: f.focus_offset_steps - zero for f in rig.wheel.filters if f.slot is not None}
        if busy is not None and busy.kind == "filter offsets":
            said = busy.reason or "measuring"
        elif not own:
            said = f"{rig.name} has no filters."
        elif found:
            said = "Measured: take them over, or leave the rig's."
        else:
            said = "Not measured in this window yet."
        self.offsets.show_offsets(own, found, reference(rig), said, rig.focus_zone_steps)

    def _earlier(self) -> list[Curve]:
        """The last accepted runs through the same filter, but for the one shown."""
        run = self._shown
        if run is None:
            return []
        through = run.filter or str(self.run_tools.through.get("filter", reference(self._session.rig)))
        rows = [r for r in self._rows if r.accepted and r.filter == through and r.ended != run.number]
        return [curve for r in rows[:_EARLIER] if (curve := curve_of(r.figures)) is not None]

    def _position(self) -> int | None:
        report = self._session.reports.get("focuser")
        found = report.state.get("position") if report is not None else None
        return int(found) if found is not None else None


def rows_of(path: Path, rig_id: str) -> list[FocusRow]:
    """The log of a rig, newest first; for a worker thread."""
    if not path.exists():
        return []
    store = LedgerStore(path)
    try:
        return store.focus_runs(rig_id)
    finally:
        store.close()


def run_of(path: Path, ended: int) -> FocusRun | None:
    """A run of the log; for a worker thread."""
    store = LedgerStore(path)
    try:
        return store.focus_run(ended)
    finally:
        store.close()
