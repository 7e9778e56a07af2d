"""The guiding bench: the graph, the calibration's picture, what a study says."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QStackedWidget, QWidget

from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.guiding import CALIBRATION, DARK, GUIDE, GUIDING
from vigil.documents.messages import Command, Samples
from vigil.guiding.diagnosis import Finding, diagnose, good_enough
from vigil.guiding.dithers import Reached, reached_places
from vigil.guiding.figures import AxisFigures
from vigil.guiding.record import BadRecord
from vigil.guiding.study import Study, study
from vigil.ledger.samples import kept_streams, samples_of
from vigil.runtime.folders import ledger_file
from vigil.ui.actions import Action
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import Choice, label, row
from vigil.ui.session import Session
from vigil.ui.tune.bench import ErrandBench, show_only
from vigil.ui.tune.calibrationpicture import CalibrationPicture
from vigil.ui.tune.ditherpicture import DitherPicture
from vigil.ui.tune.guidegraph import SCALES_ARCSEC, SPANS_MIN, GuideGraph
from vigil.ui.tune.guideseen import AXES, AXIS_WORDS, Change, GuideSeen
from vigil.ui.tune.guidetools import GuideTools
from vigil.ui.tune.studypicture import StudyPicture
from vigil.ui.tune.studytools import StudyTools
from vigil.ui.tune.tools import Doing
from vigil.ui.workspace import scrolled, side

_VIEWS = ("Graph", "Calibration", "Study", "Dithers")
_KINDS = (GUIDING, CALIBRATION, DARK)
_LEAST_LIMIT_ARCSEC = 0.3


class GuidingBench(ErrandBench):
    """What is asked for becomes an errand of the keeper."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__("Guiding", session, _KINDS, "Stars in the field, the mount tracking: then guide.")
        self._jobs = jobs
        self._study: Study | None = None
        self.seen = GuideSeen()
        self._from: datetime | None = None
        self._before: tuple[AxisFigures | None, ...] = (None, None)
        self._taken_back: list[tuple[dict[Any, Any], str]] = []
        self._calibration: dict[str, Any] | None = None
        self.graph, self.calibration, self.study = GuideGraph(), CalibrationPicture(), StudyPicture()
        self.dithers = DitherPicture()
        doing = Doing(self._begin, self._stop, self._say, self._edit)
        self.tools = GuideTools(doing, self._back, self._from_here, self._tell)
        self.study_tools = StudyTools(doing, self._begin_study, self._open_record)
        self._tools = QStackedWidget()
        self.scale, self.span = Choice(), Choice()
        self._build()
        self.listen()

    def _build(self) -> None:
        self.scale.setAccessibleName("Scale of the graph")
        self.scale.addItems([f"± {scale:g}″" for scale in SCALES_ARCSEC])
        self.scale.activated.connect(lambda k: self.graph.set_scale(SCALES_ARCSEC[k]))
        self.span.setAccessibleName("Span of the graph")
        self.span.addItems([f"{span} min" for span in SPANS_MIN])
        self.span.activated.connect(lambda k: self.graph.set_span(SPANS_MIN[k]))
        self.graph.scaled.connect(self._show_scale)
        self._tools.addWidget(self.tools)
        self._tools.addWidget(self.study_tools)
        self._beside = QWidget()
        beside = row(label("scale", "soft"), self.scale, label("span", "soft"), self.span, gap=6)
        beside.setContentsMargins(0, 0, 0, 0)
        self._beside.setLayout(beside)
        pictures = (self.graph, self.calibration, self.study, self.dithers)
        main, views = self._lay_out_views(dict(zip(_VIEWS, pictures, strict=True)))
        views.addWidget(self._beside)
        self.build(main, scrolled(side(label("Guiding", "head"), self.said, self._tools)))
        self._show_scale()
        self.show_view("Graph")

    def _show_scale(self) -> None:
        self.scale.setCurrentIndex(SCALES_ARCSEC.index(self.graph.scale_arcsec))
        self.span.setCurrentIndex(SPANS_MIN.index(self.graph.span_min))

    # -- doing ----------------------------------------------------------------------------------------

    NEEDS = ("guide camera", "mount")

    def lacks(self) -> str:
        rig = self._session.rig
        if rig.guider is None:
            return f"{rig.name} has no guide camera"
        return "" if rig.guide_scale_arcsec_px else "the guide scope's focal length isn't known (Rig)"

    def _begin(self, kind: str, **values: Any) -> None:
        if not self._ask_for(kind, values):
            return
        if kind == CALIBRATION:
            self.calibration.begin()
            self.show_view("Calibration")
        else:
            self.seen, self._from, self._before = GuideSeen(), None, (None, None)
            self.show_view("Graph")

    def _tell(self, **values: Any) -> None:
        errand = self.under_way
        if errand is not None:
            self._session.ask(Command.TELL_ERRAND, errand=errand.errand, **values)

    def _edit(self, values: dict[Any, Any], what: str) -> None:
        before = {path: self._session.edits.value(path) for path in values}
        try:
            self._session.edits.edit_all(values, what)
        except ValueError as problem:
            self._say(str(problem))
            return
        if before != values:
            self._taken_back.append((before, what))
            self._say("")

    def _back(self) -> None:
        """The last change taken back; that is a change too, and marked as one."""
        if self._taken_back:
            values, what = self._taken_back.pop()
            self._session.edits.edit_all(values, f"{what}, as before")
            self.show_anew()

    def _from_here(self) -> None:
        self._mark(self.seen.last)
        self.show_anew()

    def _mark(self, moment: datetime | None) -> None:
        """Figures are reckoned from here, with those from before beside them."""
        part = self.seen.since(self._from)
        self._before = tuple(self.seen.figures(name, part) for name in AXES)
        self._from = moment

    def _begin_study(self) -> None:
        try:
            record = self.seen.record()
        except BadRecord as problem:
            self._say(str(problem))
            return
        self._jobs.run("guide study", lambda: study(record), self._show_study, self._no_study)

    def _list_records(self) -> None:
        """What the ledger has, looked up when a study is thought of."""
        rig_id = self._session.rig.id
        self._jobs.run(
            "guide records",
            lambda: kept_streams(ledger_file(), rig_id, GUIDE),
            lambda found: self.study_tools.show_records(found, self._session.zone),
            self._no_study,
        )

    def _open_record(self, errand: str) -> None:
        self._jobs.run("guide record", lambda: _read_record(errand), self._show_record, self._no_study)

    def _show_record(self, seen: GuideSeen) -> None:
        self.seen, self._from, self._before, self._study = seen, None, (None, None), None
        self._say("")

    def _show_study(self, found: Study) -> None:
        self._study = found
        self._say("")

    def _no_study(self, problem: Exception) -> None:
        self._say(str(problem))

    # -- hearing --------------------------------------------------------------------------------------

    def _take_event(self, event: object) -> None:
        assert isinstance(event, Event)
        if event.kind is Kind.GUIDED:
            self._take_night(event)
            return
        state = self._session.errands.get(event.errand)
        if state is None or state.kind not in _KINDS:
            return
        values = event.values
        if event.kind is Kind.ERRAND_STARTED and state.kind == CALIBRATION:
            self.calibration.begin()
        if event.kind is Kind.ERRAND_STEP and "direction" in values:
            self.calibration.add_move(values)
        if event.kind is Kind.ERRAND_STEP and "changed" in values:
            self.seen.changes.append(Change(event.at, _short(event.reason), values["changed"]))
            self._mark(event.at)
        if event.kind is Kind.ERRAND_STEP and "dither" in values:
            self.seen.changes.append(Change(event.at, f"dither {values['dither']['number']}"))
        if event.kind is Kind.ERRAND_STEP and "tests" in values:
            self.seen.changes.append(Change(event.at, f"test {_short(AXIS_WORDS[values['tests']])}"))
        if event.kind is Kind.ERRAND_ENDED:  # how it ended stays to be read
            done = values.get("outcome") == Outcome.DONE.value
            self._problem = f"{event.reason}.", "soft" if done else "warn"
        if "calibration" in values:
            self._calibration = values["calibration"]
        self.refresh()

    def _take_night(self, event: Event) -> None:
        """A night's guider tells of the same things."""
        values = event.values
        if "changed" in values:
            self.seen.changes.append(Change(event.at, _short(event.reason), values["changed"]))
            self._mark(event.at)
        elif "moved" in values:
            self.seen.changes.append(Change(event.at, "dither"))
        self.refresh()

    def _take_samples(self, samples: object) -> None:
        assert isinstance(samples, Samples)
        if samples.stream != GUIDE:
            return
        if samples.errand != self.seen.errand:
            self.seen = GuideSeen(samples.errand)
            self._from, self._before = None, (None, None)
        for sample in samples.rows:
            self.seen.add(dict(sample.values))
        self.refresh()

    # -- showing --------------------------------------------------------------------------------------

    def _view_shown(self, name: str) -> None:
        self._beside.setVisible(name == "Graph")
        show_only(self._tools, 1 if name == "Study" else 0)
        firsts = {
            "Graph": self.tools.guide,
            "Calibration": self.tools.calibrate,
            "Study": self.study_tools.study,
            "Dithers": self.tools.dither,
        }
        self.first = firsts[name]
        if name == "Study":
            self._list_records()

    def actions_here(self) -> list[Action]:
        return self._actions_of(
            [
                ("Guide", self.tools.guide, ""),
                ("Watch a guide star without corrections", self.tools.watch, ""),
                ("Calibrate the guider", self.tools.calibrate, ""),
                ("Go to the calibration place and calibrate", self.tools.calibrate_there, ""),
                ("Stop guiding", self.tools.stop, ""),
                ("Dither now", self.tools.dither, ""),
                ("Test the answer of right ascension", self.tools.test_ra, ""),
                ("Test the answer of declination", self.tools.test_dec, ""),
                ("Guiding figures from here", self.tools.from_here, ""),
                ("Guiding settings as before the last change", self.tools.back, ""),
                ("Study the guide record", self.study_tools.study, ""),
                ("Take the study's advice over", self.study_tools.take_over, ""),
            ]
        )

    def show_anew(self) -> None:
        rig = self._session.rig
        busy, why = self.under_way, self.hindrance()
        self._show_said(why, (busy.reason or f"{busy.words} …") if busy is not None else "")
        try:
            main_px: float | None = rig.scale_arcsec_px()
        except ValueError:
            main_px = None
        bands = {name: getattr(rig.guider, name).dead_band_arcsec if rig.guider else 0.0 for name in AXES}
        said = f"{why[:1].upper()}{why[1:]}." if why else "Nothing is guided: Guide begins."
        if busy is not None and busy.kind == GUIDING:
            said = "Stars are chosen, and calibrated where that is needed: under Calibration."
        self.graph.show_seen(self.seen, main_px, bands, said)
        self.calibration.show_found(self._calibration, "No calibration was made in this window yet.")
        self.dithers.show_places(
            _dithered(self._session, main_px),
            main_px,
            "No frame has been dithered tonight. Dithers by hand are marked in the graph.",
        )
        frames = int(np.count_nonzero([np.isfinite(e[0]) for e in self.seen.error]))
        self.study.show_study(
            self._study, "Nothing is studied yet: Study looks at the frames that were heard."
        )
        self.study_tools.show_all(rig, self._study, frames, self._jobs.busy("guide study"))
        facts, findings = self._figures(main_px)
        self.tools.show_all(
            rig, bool(why), busy, facts, "\n".join(f"{f.words[:1].upper()}{f.words[1:]}." for f in findings),
            bool(self._taken_back),
        )  # fmt: skip

    def _figures(self, main_px: float | None) -> tuple[list[tuple[str, str]], list[Finding]]:
        part = self.seen.since(self._from)
        if part.start >= len(self.seen.at):
            return [], []
        found = {name: self.seen.figures(name, part) for name in AXES}
        guide_px = self._session.rig.guide_scale_arcsec_px
        facts: list[tuple[str, str]] = []
        for name, before in zip(AXES, self._before, strict=True):
            now = found[name]
            if now is None:
                return [], []
            was = f"{before.rms_arcsec:.2f} → " if before is not None else ""
            px = f" · {now.rms_arcsec / guide_px:.2f} px" if guide_px else ""
            facts.append((AXIS_WORDS[name], f"{was}{now.rms_arcsec:.2f}″{px}"))
        ra, dec = found["ra"], found["dec"]
        assert ra is not None and dec is not None
        total = (ra.rms_arcsec**2 + dec.rms_arcsec**2) ** 0.5
        facts += [
            ("peak to peak", f"{ra.peak_to_peak_arcsec:.1f}″, {dec.peak_to_peak_arcsec:.1f}″"),
            ("corrections a minute", f"{ra.corrections_min:.0f}, {dec.corrections_min:.0f}"),
            ("that is, of frames", f"{100 * ra.corrected_share:.0f} %, {100 * dec.corrected_share:.0f} %"),
            ("drift, ″/min", f"{ra.drift_arcsec_min:+.1f}, {dec.drift_arcsec_min:+.1f}".replace("-", "−")),
        ]
        findings: list[Finding] = []
        for name in AXES:
            findings += diagnose(AXIS_WORDS[name], *self.seen.axis(name, part), found[name])
        if main_px is not None and not any(f.level == "wait" for f in findings):
            findings.insert(0, good_enough(total, max(main_px, _LEAST_LIMIT_ARCSEC)))
        return facts, findings


def _read_record(errand: str) -> GuideSeen:
    seen = GuideSeen(errand)
    for _, values in samples_of(ledger_file(), errand, GUIDE):
        seen.add(values)
    return seen


def _dithered(session: Session, main_px: float | None) -> list[Reached]:
    """Of the target whose frame was taken last."""
    if main_px is None:
        return []
    lights = [light.values for light in session.tonight.measured() if light.values.get("beside_arcsec")]
    block = lights[-1]["block"] if lights else ""
    frames = [
        (
            _in_px(values["dither_arcsec"], main_px),
            _in_px(values["beside_arcsec"], main_px),
        )
        for values in lights
        if values["block"] == block and values.get("dither_arcsec")
    ]
    return reached_places(frames)


def _in_px(arcsec: Sequence[float], main_px: float) -> tuple[float, float]:
    return arcsec[0] / main_px, arcsec[1] / main_px


def _short(words: str) -> str:
    """For a mark in the graph."""
    return words.replace("right ascension", "RA").replace("declination", "dec")
