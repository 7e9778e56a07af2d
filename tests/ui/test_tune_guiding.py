"""The guiding bench in the window, by keyboard alone, with what the bench's errands really tell."""

from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from tests.ui.conftest import Stage
from tests.ui.keys import press
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.events import Event
from vigil.documents.guiding import GUIDE
from vigil.documents.messages import Command, DeviceReport, ErrandReport, Reports, Sample, Samples
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.mount import Harmonic, MountEffects
from vigil.ledger.samples import KeptStream
from vigil.ui import record
from vigil.ui.theme import Light, theme
from vigil.ui.tune import guiding as module
from vigil.ui.tune.guideseen import GuideSeen
from vigil.ui.tune.guiding import GuidingBench
from vigil.ui.tune.workspace import Tune

WORM = Scenario(mount=MountEffects(periodic_error=[Harmonic(amplitude_arcsec=5.0)], dec_backlash_arcsec=6.0))


@dataclass
class Guiding:
    """The bench on the stage; `tell` plays an errand that was carried out to the window."""

    stage: Stage
    bench: GuidingBench
    told: int = 1000

    def ready(self, connected: bool = True) -> None:
        lamp = "ready" if connected else "not connected"
        state = {"tracking": True, "ra_deg": 60.0, "dec_deg": 0.0}
        reports = [
            DeviceReport(name="guide camera", lamp=lamp, state={}),
            DeviceReport(name="mount", lamp=lamp, state=state),
        ]
        self.stage.bridge.told.emit([Reports(at=self.stage.session.now, devices=reports)])

    def carried_out(
        self, kind: str, changes: dict[int, dict[Any, Any]] | None = None, **values: Any
    ) -> tuple[list[Event], list[tuple[int, dict[str, Any]]]]:
        """Its events, and each frame with how many were told before it; `changes` in the rig by frame."""
        rig = self.stage.session.rig
        assert rig.simulated is not None
        rows: list[tuple[int, dict[str, Any]]] = []

        async def use(place: Bench) -> list[Event]:
            def sampled(row: dict[str, Any]) -> None:
                rows.append((len(place.events), row))
                if changes and len(rows) in changes:
                    place.kit = replace(place.kit, rig=with_values(place.kit.rig, changes[len(rows)]))

            place.order = replace(place.order, sampled=sampled)
            await place.carry_out(kind, values)
            return place.events

        at = rig.simulated.starts_at + timedelta(hours=5)
        return on_the_bench(Alone(rig, WORM, 2, at, quick=True), use), rows

    def tell(self, events: list[Event], rows: list[tuple[int, dict[str, Any]]], over: bool = True) -> None:
        self.told += 1000
        number = f"{events[0].errand}-{self.told}"
        events = [e.model_copy(update={"id": self.told + k, "errand": number}) for k, e in enumerate(events)]
        told = 0
        for before, row in rows:
            self.stage.bridge.told.emit(events[told:before])
            told = before
            sample = Sample(at=self.stage.session.now, values=row)
            self.stage.bridge.told.emit([Samples(errand=number, stream=GUIDE, rows=[sample])])
        self.stage.bridge.told.emit(events[told : None if over else -1])
        report = ErrandReport(
            id=number, kind=events[0].values["kind"], words=events[0].values["words"], because="",
            began=events[0].at, claims=[], questions=[],
        )  # fmt: skip
        status = self.stage.session.status
        assert status is not None
        self.stage.bridge.status_came.emit(status.model_copy(update={"errands": [] if over else [report]}))
        self.ready()
        self.stage.settle()

    @property
    def asked(self) -> tuple[Command, dict[str, Any]]:
        return self.stage.bridge.asked[-1]


@pytest.fixture
def guiding(stage: Stage) -> Guiding:
    tune = stage.workspace("Tune")
    assert isinstance(tune, Tune)
    tune.show_bench("Guiding")
    made = Guiding(stage, tune.guiding)
    made.ready()
    stage.settle()
    return made


def test_by_keyboard_calibrate_guide_change_and_go_back(guiding: Guiding) -> None:
    stage, bench = guiding.stage, guiding.bench
    press(guiding.stage, guiding.bench, "Calibrate")
    assert guiding.asked == (Command.BEGIN, {"kind": "guide calibration"}) and bench.view == "Calibration"
    events, rows = guiding.carried_out("guide calibration", goes=True)
    guiding.tell(events[:30], rows, over=False)
    assert len(bench.calibration._moves) > 20 and not bench.tools.guide.isEnabled()
    guiding.tell(events, rows)
    assert "square, straight" in bench.calibration.accessibleDescription()
    assert bench.calibration.copy_text().startswith("direction")

    press(guiding.stage, guiding.bench, "Guide")
    assert guiding.asked == (Command.BEGIN, {"kind": "guiding"}) and bench.view == "Graph"
    changes = {40: {("guider", "ra", "strength"): 0.2}}
    guiding.tell(*guiding.carried_out("guiding", changes, frames=80), over=False)
    assert "right ascension" in bench.graph.accessibleDescription()
    assert [c.words for c in bench.seen.changes] == ["RA: strength 0.6 → 0.2"]
    name, value = bench.tools.figures.facts[0]
    assert name == "right ascension" and "→" in value and "px" in value, "before and after"
    assert bench.tools.said.text()

    field = bench.tools.fields["ra", "strength"]
    field.setFocus()
    field.selectAll()
    stage.qtbot.keyClicks(field, "0.45")
    stage.qtbot.keyClick(field, Qt.Key.Key_Return)
    assert stage.session.rig.guider is not None and stage.session.rig.guider.ra.strength == 0.45
    press(guiding.stage, guiding.bench, "Back")
    assert stage.session.rig.guider.ra.strength == 0.6 and not bench.tools.back.isEnabled()
    press(guiding.stage, guiding.bench, "Keep")
    assert bench.said.text() == "Give the settings a name first"
    bench.tools.kept.setEditText("calm air")
    press(guiding.stage, guiding.bench, "Keep")
    assert [kept.name for kept in stage.session.rig.guider.sets] == ["calm air"]
    bench.tools.fields["dec", "strength"].setText("0.9")
    stage.qtbot.keyClick(bench.tools.fields["dec", "strength"], Qt.Key.Key_Return)
    assert stage.session.rig.guider.dec.strength == 0.9
    press(guiding.stage, guiding.bench, "Use")
    assert stage.session.rig.guider.dec.strength == 0.6 and bench.tools.kept.count() == 1
    press(guiding.stage, guiding.bench, "From here")
    assert not bench.tools.figures.facts, "figures begin anew"
    press(guiding.stage, guiding.bench, "Dither")
    assert guiding.asked[0] is Command.TELL_ERRAND and guiding.asked[1]["what"] == "dither"
    press(guiding.stage, guiding.bench, "Stop")
    assert guiding.asked[0] is Command.STOP_ERRAND


def test_by_keyboard_study_and_take_the_advice(guiding: Guiding) -> None:
    stage, bench = guiding.stage, guiding.bench
    press(guiding.stage, guiding.bench, "Only watch")
    assert guiding.asked == (Command.BEGIN, {"kind": "guiding", "corrects": False})
    guiding.tell(*guiding.carried_out("guiding", frames=120, exposure_s=3.0, corrects=False))
    bench.show_view("Study")
    assert "120" in bench.study_tools.facts.facts[0][1]
    press(guiding.stage, guiding.bench, "Study")
    stage.qtbot.waitUntil(lambda: bench._study is not None, timeout=30_000)
    stage.settle()
    assert "slow_rms_arcsec" in bench.study.copy_text()
    before = stage.session.rig.guider
    press(guiding.stage, guiding.bench, "Take the advice over")
    found, now = bench._study, stage.session.rig.guider
    assert found is not None and now is not None and now != before
    assert now.exposure_s == found.exposure_s and now.ra.law == found.ra.best.settings.law


def test_the_worm_is_shown_with_the_method_that_knows_it(guiding: Guiding) -> None:
    stage, tools = guiding.stage, guiding.bench.tools
    period, of_dec = tools.fields["ra", "period_s"], tools.fields["dec", "period_s"]
    guiding.bench.show_view("Graph")
    assert not period.isVisible() and not tools.names["period_s"].isVisible()
    stage.session.edits.edit(("guider", "ra", "law"), "predictive")
    stage.settle()
    assert period.isVisible() and not of_dec.isVisible() and period.text() == ""
    period.setFocus()
    stage.qtbot.keyClicks(period, "478.7")
    stage.qtbot.keyClick(period, Qt.Key.Key_Return)
    assert stage.session.rig.guider is not None and stage.session.rig.guider.ra.period_s == 478.7
    period.selectAll()
    stage.qtbot.keyClick(period, Qt.Key.Key_Delete)
    stage.qtbot.keyClick(period, Qt.Key.Key_Return)
    assert stage.session.rig.guider.ra.period_s is None, "it is looked for again"


def test_a_record_of_the_ledger_is_opened_to_be_studied(
    guiding: Guiding, monkeypatch: pytest.MonkeyPatch
) -> None:
    stage, bench = guiding.stage, guiding.bench
    began = datetime(2027, 1, 11, 22, 15, tzinfo=UTC)
    off = [0.5, -0.2]
    row = {"pulse_ms": [0, 0], "rates": [7.5, 7.5], "snr": 40.0, "stars": 1, "error": off, "place": off}
    rows = [(began, {**row, "at": (began + timedelta(seconds=2 * k)).isoformat()}) for k in range(50)]
    kept = [KeptStream("2027-01-11 guiding 1", "guiding", began, 50)]
    monkeypatch.setattr(module, "kept_streams", lambda path, rig, stream: kept)
    monkeypatch.setattr(module, "samples_of", lambda path, errand, stream: rows)
    bench.show_view("Study")
    stage.settle()
    choice = bench.study_tools.records
    assert [choice.itemText(k) for k in range(choice.count())] == [
        "the frames heard now",
        "11.01. 23:15 · guiding · 50 frames",
    ]
    choice.setCurrentIndex(1)
    choice.activated.emit(1)
    stage.settle()
    assert bench.seen.errand == "2027-01-11 guiding 1" and ("frames", "50") in bench.study_tools.facts.facts


def test_dithers_of_the_night_are_shown_asked_and_reached(guiding: Guiding) -> None:
    stage, bench = guiding.stage, guiding.bench
    bench.show_view("Dithers")
    assert (
        bench.dithers.accessibleDescription()
        == "No frame has been dithered tonight. Dithers by hand are marked in the graph."
    )
    scale = stage.session.rig.scale_arcsec_px()
    for number, (asked, east) in enumerate([((6.0, 0.0), 0.0), ((-3.0, 4.0), 0.2), ((0.0, -5.0), 0.0)]):
        places = {"dither_arcsec": [v * scale for v in asked], "beside_arcsec": [east * scale, 0.0]}
        values = {"stars": 100, "block": "b", **places}
        light = record.Light(str(number), Path("x"), stage.session.now, values)
        stage.session.record.lights[str(number)] = light
    bench.show_anew()
    said = bench.dithers.accessibleDescription()
    assert said == "3 places; reached within 0.00 px, 0.20 at most; the nearest two 7.8 px apart"
    assert bench.dithers.copy_text().splitlines()[2] == "-3.00\t4.00\t-2.80\t4.00\t1"


def test_a_study_takes_dithers_for_moves_and_one_choice_of_stars_only() -> None:
    seen, place = GuideSeen(), 0.0
    for k in range(80):
        target = 5.0 if k >= 40 else 0.0
        pulse = 1000.0 * (target - place) / 7.5 * -1
        row = {
            "at": f"2027-01-12T21:{k // 60:02d}:{k % 60:02d}+00:00", "error": [place - target, 0.0],
            "place": [place, 0.0], "pulse_ms": [pulse, 0], "rates": [7.5, 7.5], "snr": 50.0, "stars": 3,
            "choice": 0 if k < 60 else 1,
        }  # fmt: skip
        seen.add(row)
        place = target
    record = seen.record()
    assert len(record.ra.at_s) == 60, "places begin at nought with other stars"
    assert np.abs(record.ra.uncorrected_arcsec()).max() < 1e-6, "the mount did nothing by itself"


def test_keys_change_scale_and_span_and_red_light_keeps_the_axes_apart(guiding: Guiding) -> None:
    stage, bench = guiding.stage, guiding.bench
    assert bench.graph.scale_arcsec == 2.0
    bench.graph.setFocus()
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Left):
        stage.qtbot.keyClick(bench.graph, key)
    assert (bench.graph.scale_arcsec, bench.graph.span_min) == (4.0, 15)
    assert (bench.scale.currentText(), bench.span.currentText()) == ("± 4″", "15 min")
    guiding.tell(*guiding.carried_out("guiding", frames=30))
    theme.set_light(Light.RED, 1.0)
    for view in ("Graph", "Calibration", "Study"):
        bench.show_view(view)
        image = bench.grab().toImage()
        reds = [
            image.pixelColor(x, y) for x in range(0, image.width(), 23) for y in range(0, image.height(), 23)
        ]
        assert all(c.blue() <= c.red() + 2 for c in reds), view


def test_why_guiding_ended_stays_to_be_read(guiding: Guiding) -> None:
    events, rows = guiding.carried_out("guiding", calibrate="never", frames=5)
    guiding.tell(events, rows)
    assert guiding.bench.said.text() == "No calibration that is valid: none was made yet."
    assert guiding.bench.said.property("role") == "warn"


def test_what_hinders_is_said(guiding: Guiding) -> None:
    guiding.ready(connected=False)
    guiding.stage.settle()
    assert guiding.bench.said.text() == "Connect the guide camera first (Rig)."
    assert not guiding.bench.tools.guide.isEnabled()
