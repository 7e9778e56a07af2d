"""The polar bench in the window, by keyboard alone, with what the bench's errands really tell."""

from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any

import pytest
from PyQt6.QtCore import QPointF, Qt

from tests.ui.conftest import Stage
from tests.ui.keys import press
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.events import Event
from vigil.documents.messages import Command, DeviceReport, ErrandReport, Reports, Sample, Samples
from vigil.documents.polar import DRIFT, TURNING, KeptPolar
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.mount import MountEffects
from vigil.engine.polar.shelf import kept_polar
from vigil.ui.conversation import STREAMS
from vigil.ui.theme import Light, theme
from vigil.ui.tune.polar import PolarBench
from vigil.ui.tune.turningpicture import TurningPicture
from vigil.ui.tune.workspace import Tune

OFF = Scenario(
    mount=MountEffects(
        polar_altitude_arcmin=14.0, polar_azimuth_arcmin=-20.0, adjuster_jumps=0.0, flexure_arcsec=5.0
    )
)
Told = tuple[list[Event], list[tuple[int, str, dict[str, Any]]], KeptPolar]


@dataclass
class Polar:
    """The bench on the stage; `tell` plays errands that were carried out to the window."""

    stage: Stage
    bench: PolarBench
    told: int = 1000

    def ready(self, **state: Any) -> None:
        mount = {"tracking": True, "parked": False, "ra_deg": 60.0, "dec_deg": 85.0, **state}
        reports = [
            DeviceReport(name="guide camera", lamp="ready", state={}),
            DeviceReport(name="mount", lamp="ready", state=mount),
        ]
        self.stage.bridge.told.emit([Reports(at=self.stage.session.now, devices=reports)])
        self.stage.settle()

    def carried_out(
        self, *wanted: tuple[str, dict[str, Any]], turns: dict[int, tuple[float, float]] | None = None
    ) -> list[Told]:
        """Each with its events, its frames with how many events came before them, and what was kept."""
        rig = self.stage.session.rig
        assert rig.simulated is not None

        async def use(place: Bench) -> list[Told]:
            done = []
            for kind, values in wanted:
                first, rows = len(place.events), list[tuple[int, str, dict[str, Any]]]()
                stream = TURNING if kind == "polar turning" else DRIFT

                def sampled(
                    row: dict[str, Any], first: int = first, rows: Any = rows, to: str = stream
                ) -> None:
                    rows.append((len(place.events) - first, to, row))
                    if to == TURNING and turns and len(rows) in turns:
                        place.observatory.truth.mount.turn_adjusters(*turns[len(rows)])

                place.order = replace(place.order, sampled=sampled)
                await place.carry_out(kind, values)
                done.append((place.events[first:], rows, kept_polar(rig, place.folder)))
            return done

        at = rig.simulated.starts_at + timedelta(hours=5)
        return on_the_bench(Alone(rig, OFF, 2, at, quick=True), use)

    def tell(self, told: Told, over: bool = True, until: int = 10_000) -> None:
        events, rows, kept = told
        self.told += 1000
        number = f"{events[0].errand}-{self.told}"
        events = [e.model_copy(update={"id": self.told + k, "errand": number}) for k, e in enumerate(events)]
        done = 0
        for before, stream, row in rows[:until]:
            self.stage.bridge.told.emit(events[done:before])
            done = before
            sample = Sample(at=self.stage.session.now, values=row)
            self.stage.bridge.told.emit([Samples(errand=number, stream=stream, rows=[sample])])
        rest = events[done : None if over else -1] if until >= len(rows) else []
        self.stage.bridge.told.emit(rest)
        report = ErrandReport(
            id=number, kind=events[0].values["kind"], words=events[0].values["words"], because="",
            began=events[0].at, claims=[], questions=[],
        )  # fmt: skip
        status = self.stage.session.status
        assert status is not None
        self.stage.bridge.status_came.emit(status.model_copy(update={"errands": [] if over else [report]}))
        self.ready()
        self.bench._show_kept((kept, []))  # as the worker would have read it
        self.stage.settle()

    @property
    def asked(self) -> tuple[Command, dict[str, Any]]:
        return self.stage.bridge.asked[-1]


@pytest.fixture
def polar(stage: Stage) -> Polar:
    tune = stage.workspace("Tune")
    assert isinstance(tune, Tune)
    tune.show_bench("Polar")
    made = Polar(stage, tune.polar)
    made.ready()
    return made


def test_by_keyboard_measure_turn_and_verify(polar: Polar) -> None:
    bench = polar.bench
    press(polar.stage, polar.bench, "Go there, measure")
    assert polar.asked == (Command.BEGIN, {"kind": "polar axis", "goes": True}) and bench.view == "Axis"
    turns = {4: (-14.0, 0.0), 10: (0.0, 20.0)}
    before, turning, again = polar.carried_out(
        ("polar axis", {"goes": True}), ("polar turning", {"frames": 16}), ("polar axis", {}), turns=turns
    )
    polar.tell(before, over=False)
    assert [f["number"] for f in bench.seen.frames] == [1, 2, 3] and not bench.tools.measure.isEnabled()
    polar.tell(before)
    assert bench.axis.accessibleDescription() == f"{bench.seen.record.total_arcmin:.1f}′ in all"  # type: ignore[union-attr]
    assert dict(bench.tools.result.facts)["altitude"].startswith("13.9"[:2]) and bench.tools.verdict.text()

    press(polar.stage, polar.bench, "Turn the adjusters")
    assert polar.asked == (Command.BEGIN, {"kind": "polar turning"}) and bench.view == "Adjusters"
    polar.tell(turning, over=False, until=8)
    said = bench.turning.accessibleDescription()
    assert "the axis by 0" in said and "turn the axis east by 13" in said
    twin, follow = bench.second()
    follow()
    assert bench.seen.turned.startswith("altitude: +13")
    assert isinstance(twin, TurningPicture) and twin.accessibleDescription() == said
    bench.turning.resize(900, 500)
    polar.stage.qtbot.mouseClick(bench.turning, Qt.MouseButton.LeftButton, pos=_middle(bench.turning))
    command, values = polar.asked
    assert command is Command.TELL_ERRAND and values["what"] == "star"
    assert 0 < values["x"] < 1200 and 0 < values["y"] < 900
    press(polar.stage, polar.bench, "Finish")
    assert polar.asked[0] is Command.STOP_ERRAND
    polar.tell(turning)
    press(polar.stage, polar.bench, "Measure again")
    polar.tell(again)
    record, was = bench.seen.record, bench.seen.before
    assert record is not None and was is not None and record.total_arcmin is not None
    assert record.total_arcmin < 0.6 and "→" in dict(bench.tools.result.facts)["in all"]
    press(polar.stage, polar.bench, "Go back to where it was")
    assert polar.asked == (Command.BEGIN, {"kind": "polar way back"})


def _middle(picture: TurningPicture) -> Any:
    return QPointF(picture._field().center()).toPoint()


def test_the_window_hears_of_the_bench_s_streams() -> None:
    assert {TURNING, DRIFT} <= set(STREAMS)


def test_what_should_be_known_before_is_said(polar: Polar) -> None:
    bench = polar.bench
    polar.ready(tracking=False)
    assert "Tracking is off: it will be switched on." in bench.tools.before.text()
    polar.ready(dec_deg=40.0)
    assert "It looks 50° from the pole: Go there first." in bench.tools.before.text()
    polar.ready(parked=True)
    assert "parked" in bench.tools.before.text()
    assert not bench.tools.turn.isEnabled() and not bench.tools.back.isEnabled(), "nothing is measured yet"


def test_settings_by_keyboard_reach_the_errand(polar: Polar) -> None:
    bench, stage = polar.bench, polar.stage
    bench.tools.degrees.setFocus()
    bench.tools.degrees.selectAll()
    stage.qtbot.keyClicks(bench.tools.degrees, "45")
    stage.qtbot.keyClick(bench.tools.degrees, Qt.Key.Key_Return)
    choose(bench.tools.frames, 1)
    choose(bench.tools.camera, 1)
    press(polar.stage, polar.bench, "Measure")
    wanted = {"kind": "polar axis", "turn_deg": 45.0, "frames": 2, "camera": "main"}
    assert polar.asked == (Command.BEGIN, wanted)


def choose(choice: Any, at: int) -> None:
    choice.setCurrentIndex(at)
    choice.activated.emit(at)


def test_drift_says_what_it_knows_and_when_it_is_enough(polar: Polar) -> None:
    bench = polar.bench
    bench.show_view("Drift")
    assert bench.drift_tools.place.text().startswith("At the meridian, near the equator")
    press(polar.stage, polar.bench, "Go there, measure")
    command, values = polar.asked
    assert command is Command.BEGIN and values["kind"] == "polar drift"
    assert values["axis"] == "azimuth" and values["goes"] and values["stays"]
    (told,) = polar.carried_out(("polar drift", {"goes": True}))
    polar.tell(told, over=False, until=60)
    early = bench.drift.accessibleDescription()
    assert "enough in about" in early and len(bench.seen.points) == 60
    polar.tell(told)
    assert "west: turn the axis east by 13" in bench.drift.accessibleDescription()
    assert bench.drift.copy_text().startswith("time_s\tdec_arcsec")
    assert dict(bench.drift_tools.result.facts)["azimuth"].startswith("−13")
    star: dict[str, Any] = {
        "at": bench._session.now.isoformat(),
        "phase": "turning",
        "mark": [600, 400],
    }
    bench.seen.take_drift(
        {**star, "star": [500, 410], "begins": [480, 410], "away_px": 100.0, "away_arcmin": 7.6}
    )
    bench.show_anew()
    grab(bench.drift)


def test_notes_are_kept_with_the_rig_and_the_place_is_shown_on_the_chart(polar: Polar) -> None:
    bench = polar.bench
    note = bench.adjusters.notes["altitude"]
    note.setFocus()
    polar.stage.qtbot.keyClicks(note, "loosen the brass screw")
    polar.stage.qtbot.keyClick(note, Qt.Key.Key_Return)
    wanted = {"kind": "polar note", "axis": "altitude", "note": "loosen the brass screw"}
    assert polar.asked == (Command.BEGIN, wanted)
    bench.show_view("Drift")
    bench.drift_tools.chart.click()
    polar.stage.settle()
    assert polar.stage.window.current.name == "Targets"


def test_it_is_drawn_in_both_lights_and_at_any_size(polar: Polar) -> None:
    bench = polar.bench
    axis, turning = polar.carried_out(("polar axis", {"goes": True}), ("polar turning", {"frames": 3}))
    polar.tell(axis)
    polar.tell(turning)
    for light in (Light.DARK, Light.RED):
        theme.set_light(light, 1.0)
        for name in ("Axis", "Adjusters", "Log"):
            bench.show_view(name)
            picture = bench._pictures.currentWidget()
            for size in ((928, 560), (360, 640), (200, 120)):
                picture.resize(*size)  # type: ignore[union-attr]
                grab(picture)
    theme.set_light(Light.DARK, 1.0)


def grab(picture: Any) -> None:
    """Painted as the screen would have it: raises what painting raises."""
    assert not picture.grab().isNull()
