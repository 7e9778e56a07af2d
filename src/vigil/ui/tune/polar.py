"""The polar bench: the axis measured, the adjusters turned, verified; by drift too."""

import contextlib
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command, Samples
from vigil.documents.polar import (
    AXIS_KIND,
    BACK_KIND,
    DRIFT,
    DRIFT_KIND,
    NOTE_KIND,
    PLACE_KIND,
    TURNING,
    TURNING_KIND,
    KeptPolar,
    PolarRecord,
    polar_path,
)
from vigil.documents.store import load
from vigil.ledger.store import LedgerStore
from vigil.planning.driftplaces import DriftPlace, drift_places
from vigil.planning.polarfield import expected
from vigil.planning.polarturns import NEAR_DEG, pole_sign, turns_from
from vigil.polar.verdict import effect_of
from vigil.runtime.folders import kept_folder, ledger_file
from vigil.ui import words
from vigil.ui.actions import Action
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import label
from vigil.ui.session import Session
from vigil.ui.tune.bench import ErrandBench
from vigil.ui.tune.driftpicture import DriftPicture
from vigil.ui.tune.polarlog import PolarLog
from vigil.ui.tune.polarpicture import PolarPicture
from vigil.ui.tune.polarseen import PolarSeen
from vigil.ui.tune.polartools import AdjusterTools, DriftTools, FrameTools
from vigil.ui.tune.tools import Doing
from vigil.ui.tune.turningpicture import TurningPicture
from vigil.ui.workspace import scrolled, side

_VIEWS = ("Axis", "Adjusters", "Drift", "Log")
_KINDS = (AXIS_KIND, TURNING_KIND, DRIFT_KIND, BACK_KIND, PLACE_KIND, NOTE_KIND)
_SAME_SESSION_S = 12 * 3600.0


class PolarBench(ErrandBench):
    """What is asked for becomes an errand of the keeper."""

    place_wanted = pyqtSignal(float, float)
    """To be shown on the sky chart."""
    NEEDS = ("mount",)

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__("Polar", session, _KINDS, "Stars near the pole in the field: then measure.")
        self._jobs = jobs
        self.seen = PolarSeen()
        self.kept = KeptPolar()
        self._records: list[PolarRecord] = []
        self.axis, self.turning, self.drift = (
            PolarPicture(session.rig.site.place()),
            TurningPicture(),
            DriftPicture(),
        )
        self.log = PolarLog(session)
        self.turning.picked.connect(lambda x, y: self._tell(what="star", x=x, y=y))
        doing = Doing(self._begin, self._stop, self._say, lambda values, what: None)
        self.tools = FrameTools(doing)
        self.drift_tools = DriftTools(doing, self._tell)
        self.drift_tools.axis.currentTextChanged.connect(lambda _: self.show_anew())
        self.drift_tools.chart.clicked.connect(self._show_on_chart)
        self.adjusters = AdjusterTools(self._keep_note)
        self._build()
        self.listen()
        session.moments.now_changed.connect(self._tick)

    def _build(self) -> None:
        pictures = dict(zip(_VIEWS, (self.axis, self.turning, self.drift, self.log), strict=True))
        main, _ = self._lay_out_views(pictures)
        tools = side(label("Polar axis", "head"), self.said, self.tools, self.drift_tools, self.adjusters)
        self.build(main, scrolled(tools))
        self.show_view("Axis")

    # -- doing ----------------------------------------------------------------------------------------

    def lacks(self) -> str:
        rig = self._session.rig
        if rig.mount is None:
            return f"{rig.name} has no mount"
        if rig.mount.kind == "alt-azimuth":
            return f"{rig.mount.name} stands on an alt-azimuth: it has no polar axis"
        return "" if rig.guide_scale_arcsec_px or rig.frames_sky else "no camera knows its scale (Rig)"

    def _begin(self, kind: str, **values: Any) -> None:
        if not self._ask_for(kind, values):
            return
        views = {AXIS_KIND: "Axis", TURNING_KIND: "Adjusters", DRIFT_KIND: "Drift"}
        if kind in views:
            self.show_view(views[kind])

    def _tell(self, **values: Any) -> None:
        errand = self.under_way
        if errand is not None:
            self._session.ask(Command.TELL_ERRAND, errand=errand.errand, **values)

    def _keep_note(self, name: str, text: str) -> None:
        if text != self.kept.adjuster(name).note:  # type: ignore[arg-type]
            self._ask_for(NOTE_KIND, {"axis": name, "note": text})

    def _show_on_chart(self) -> None:
        place = self._place()
        if place is not None:
            self.place_wanted.emit(place.ra_deg, place.dec_deg)

    # -- hearing --------------------------------------------------------------------------------------

    def _take_event(self, event: object) -> None:
        assert isinstance(event, Event)
        if event.kind is Kind.ACTIVITY_STEP:
            self._take_night(event)
            return
        state = self._session.errands.get(event.errand)
        if state is None or state.kind not in _KINDS:
            return
        values = event.values
        if event.kind is Kind.ERRAND_STARTED:
            self._take_beginning(state.kind, state.given)
        if "frame" in values:
            self.seen.frames.append(values["frame"])
        if "turned" in values:
            self.seen.turned = event.reason
        if event.kind is Kind.ERRAND_STEP and "polar" in values:
            self.seen.take_record(PolarRecord.model_validate(values["polar"]))
            self._read_kept()
        if event.kind is Kind.ERRAND_ENDED:
            stopped = values.get("outcome") == Outcome.STOPPED.value
            if stopped and state.kind in (TURNING_KIND, DRIFT_KIND):
                self._problem = (
                    "Ended; the last measurement is kept. Measure again to prove what was turned.",
                    "soft",
                )
            else:
                done = values.get("outcome") == Outcome.DONE.value
                self._problem = f"{event.reason}.", "soft" if done else "warn"
            self._read_kept()
        self.refresh()

    def _take_night(self, event: Event) -> None:
        """A night that asks for the axis measures it too, and shows the star at its question."""
        values = event.values
        if "field_deg" in (frame := values.get("frame") or {}):
            if frame["number"] == 1:
                self.seen.begin_frames(3)
                self.seen.begin_turning()
            self.seen.frames.append(frame)
        elif "polar" in values:
            self.seen.take_record(PolarRecord.model_validate(values["polar"]))
        else:
            return
        self.refresh()

    def _take_beginning(self, kind: str, given: Any) -> None:
        self._problem = "", "soft"
        if kind == AXIS_KIND:
            self.seen.begin_frames(int(given.get("frames", 3)))
            self.seen.live = {}
        elif kind == TURNING_KIND:
            self.seen.begin_turning()
        elif kind == DRIFT_KIND:
            self.seen.begin_drift(str(given.get("axis", "azimuth")))

    def _take_samples(self, samples: object) -> None:
        assert isinstance(samples, Samples)
        for sample in samples.rows:
            if samples.stream == TURNING:
                self.seen.take_turning(dict(sample.values))
            elif samples.stream == DRIFT:
                self.seen.take_drift(dict(sample.values))
        if samples.stream in (TURNING, DRIFT):
            self.refresh()

    def _read_kept(self) -> None:
        rig_id = self._session.rig.id
        path = polar_path(rig_id, kept_folder(rig_id))
        self._jobs.run(
            "polar record", lambda: kept_and_log(path, ledger_file(), rig_id), self._show_kept, self._no_kept
        )

    def _show_kept(self, found: tuple[KeptPolar, list[PolarRecord]]) -> None:
        self.kept, self._records = found
        by_frames = [record for record in self._records if record.method == "frames"]
        if self.seen.record is None and by_frames:
            self.seen.record = by_frames[0]
            if len(by_frames) > 1:
                apart = (by_frames[0].at - by_frames[1].at).total_seconds()
                self.seen.before = by_frames[1] if apart < _SAME_SESSION_S else None
        self.log.show_records(self._records)
        self.show_anew()

    def _no_kept(self, problem: Exception) -> None:
        self._say(f"the record can't be read: {problem}")

    def entered(self) -> None:
        self._read_kept()

    # -- showing --------------------------------------------------------------------------------------

    def _view_shown(self, name: str) -> None:
        self.tools.setVisible(name != "Drift")
        self.drift_tools.setVisible(name == "Drift")
        self.first = {
            "Axis": self.tools.measure, "Adjusters": self.tools.turn, "Drift": self.drift_tools.go,
            "Log": self.log,
        }[name]  # fmt: skip

    def actions_here(self) -> list[Action]:
        made = self._actions_of(
            [
                ("Measure the polar axis", self.tools.measure, "Axis"),
                ("Go near the pole and measure the polar axis", self.tools.go, "Axis"),
                ("Turn the polar axis's adjusters", self.tools.turn, "Adjusters"),
                ("Send the mount back to where it was before the polar axis", self.tools.back, "Axis"),
                ("Measure the polar axis by drift", self.drift_tools.go, "Drift"),
            ]
        )
        return [*made, Action("Stop what the polar bench is doing", self._stop)]

    def second(self) -> tuple[QWidget, Callable[[], None]]:
        """The page to be read at the mount."""
        twin = TurningPicture()
        twin.picked.connect(lambda x, y: self._tell(what="star", x=x, y=y))
        return twin, lambda: self._show_turning(twin)

    def _tick(self) -> None:
        """A frame's age grows."""
        if self.seen.live and self.view == "Adjusters":
            self._show_turning(self.turning)

    def _show_turning(self, picture: TurningPicture) -> None:
        session = self._session
        said = (
            "Measure the axis first."
            if self.kept.stood is None
            else "Nobody turns: Turn the adjusters begins."
        )
        picture.show_seen(self.seen, session.rig.site.latitude_deg < 0, session.now, said)

    def show_anew(self) -> None:
        session, busy, why = self._session, self.under_way, self.hindrance()
        self._show_said(why, (busy.reason or f"{busy.words} …") if busy is not None else "")
        said = f"{why[:1].upper()}{why[1:]}." if why else "Nothing is measured yet."
        self.axis.show_seen(self.seen, session.rig.site.place(), said)
        self._show_turning(self.turning)
        self.drift.show_seen(self.seen, said)
        self.tools.show_all(
            session.rig,
            bool(why),
            busy,
            self.kept,
            "" if why else self._before(),
            self._facts(),
            self._verdict(),
        )
        place = self._place()
        where = "nowhere is the sky clear for it" if place is None else place.words
        turning = busy is not None and busy.kind == DRIFT_KIND and bool(self.seen.star)
        self.drift_tools.show_all(
            bool(why), busy, turning, f"{where[:1].upper()}{where[1:]}.", self._drift_facts()
        )
        self.adjusters.show_kept(self.kept)

    def _place(self) -> DriftPlace | None:
        axis = self.drift_tools.axis.currentText()
        found = drift_places(self._session.rig, axis, self._session.now)  # type: ignore[arg-type]
        return found[0] if found else None

    def _before(self) -> str:
        """What people should know before it begins."""
        session = self._session
        report = session.reports.get("mount")
        state = report.state if report is not None else {}
        if "ra_deg" not in state:
            return ""
        if state.get("parked"):
            return "The mount is parked: Go there unparks it."
        told = [] if state.get("tracking") else ["Tracking is off: it will be switched on."]
        wish = self.tools.wish
        with contextlib.suppress(ValueError, KeyError):
            for words_of in expected(session.rig, wish.get("camera", "guide"), wish.get("filter", "")):
                told.append(f"{words_of[:1].upper()}{words_of[1:]}.")
        away = 90 - state["dec_deg"] * pole_sign(session.rig)
        if away > 90 - NEAR_DEG:
            return " ".join([*told, f"It looks {away:.0f}° from the pole: Go there first."])
        choice = turns_from(
            session.rig, state["ra_deg"], state["dec_deg"], _side(state), session.now,
            wish.get("turn_deg", 30.0), wish.get("way", ""), wish.get("frames", 3),
        )  # fmt: skip
        if choice.turns is None:
            told.append(f"{choice.why[:1].upper()}{choice.why[1:]}: Go there first.")
        elif choice.why:
            told.append(f"{choice.why[:1].upper()}{choice.why[1:]}; so {choice.turns.words}.")
        return " ".join(told)

    def _facts(self) -> list[tuple[str, str]]:
        record, before = self.seen.record, self.seen.before
        if record is None:
            return []
        facts = []
        for name, now, was in (
            ("altitude", record.altitude_arcmin, before.altitude_arcmin if before else None),
            ("azimuth", record.azimuth_arcmin, before.azimuth_arcmin if before else None),
            ("in all", record.total_arcmin, before.total_arcmin if before else None),
        ):
            if now is not None:
                earlier = "" if was is None else f"{words.signed(was)} → "
                facts.append((name, f"{earlier}{words.signed(now)}′"))
        if record.refracted_altitude_arcmin is not None:
            facts.append(("altitude, refracted pole", f"{words.signed(record.refracted_altitude_arcmin)}′"))
        facts.append(("measured", f"{words.clock(record.at, self._session.zone)}, {record.took_s:.0f} s"))
        return facts

    def _verdict(self) -> str:
        """What the error does to the frames that are planned."""
        record, session = self.seen.record, self._session
        if record is None or record.total_arcmin is None or not session.rig.frames_sky:
            return " ".join(record.notes) if record is not None else ""
        blocks = session.plan.plan.blocks
        longest_s = max((line.exposure_s for block in blocks for line in block.lines), default=300.0)
        far = max((abs(block.target.dec_deg) for block in blocks), default=0.0)
        effect = effect_of(
            record.total_arcmin, longest_s, far, session.rig.scale_arcsec_px(), session.rig.field_px()
        )
        good = "good enough" if effect.good_guided else "not good enough"
        said = (
            f"{longest_s:g} s guided: corners turn by up to {effect.corner_px:.1f} px, {good}; "
            f"unguided stars drift by up to {effect.drift_px:.1f} px."
        )
        return "\n".join([said, *(f"{note[:1].upper()}{note[1:]}." for note in record.notes)])

    def _drift_facts(self) -> list[tuple[str, str]]:
        facts = []
        for name in ("azimuth", "altitude"):
            record = self.kept.drifts.get(name)  # type: ignore[call-overload]
            if record is not None:
                error = record.azimuth_arcmin if name == "azimuth" else record.altitude_arcmin
                clock = words.clock(record.at, self._session.zone)
                facts.append((name, f"{words.signed(error or 0.0)}′, {clock}"))
        return facts


def _side(state: dict[str, Any]) -> str:
    told = str(state.get("pier_side", ""))
    return told if told in ("west", "east") else ""


def kept_and_log(kept: Path, ledger: Path, rig_id: str) -> tuple[KeptPolar, list[PolarRecord]]:
    """For a worker thread. Raises DocumentError and LedgerError."""
    document = load(KeptPolar, kept) if kept.exists() else KeptPolar()
    records: Sequence[dict[str, Any]] = []
    if ledger.exists():
        store = LedgerStore(ledger)
        try:
            records = store.polar_records(rig_id)
        finally:
            store.close()
    return document, [PolarRecord.model_validate(record) for record in records]
