"""Pictures of the main views in telling moments, from the demo's data: `./dev shots [NAME …]`.

A long night is played by the real keeper on the sim observatory, in virtual time; the window is then shown
what its keeper told at chosen events.
"""

import os
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PyQt6.QtWidgets import QApplication, QWidget

from campaigns.night import Played, play
from campaigns.verdicts import project_of, scene_of, with_trail
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.cli.demohistory import lay_in_history
from vigil.cli.files import EXAMPLE_RIGS, demo_file
from vigil.documents.deeds import Deed
from vigil.documents.deeds import Stage as Stage_
from vigil.documents.events import Event, Kind
from vigil.documents.guiding import GUIDE
from vigil.documents.messages import Command, DeviceReport, Reports, Sample, Samples, Status
from vigil.documents.plan import NightPlan
from vigil.documents.polar import TURNING
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.rig.rigs import Rigs
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.mount import MountEffects
from vigil.documents.store import dump, load
from vigil.files.fits import Header, write_frame
from vigil.files.solver import Search
from vigil.ledger.importing import import_frames
from vigil.levels.matching import Made, Wanted, cover
from vigil.runtime.folders import ledger_file
from vigil.simulator.chance import generator
from vigil.simulator.frame.draw import draw
from vigil.ui.app import make_application
from vigil.ui.flats.workspace import SEARCH, WHEN, FlatsWorkspace
from vigil.ui.gallery import Gallery
from vigil.ui.jobs import Jobs
from vigil.ui.ledger.desk import PROJECTS, TONIGHT, VERDICTS
from vigil.ui.ledger.workspace import LedgerWorkspace
from vigil.ui.linkstate import LinkState
from vigil.ui.planmodel import PlanModel
from vigil.ui.rig.workspace import RigWorkspace
from vigil.ui.session import Session
from vigil.ui.targets.workspace import Targets
from vigil.ui.theme import Light, Size, theme
from vigil.ui.tune.workspace import Tune
from vigil.ui.window import Window

_FOLDER = Path("docs/screenshots")
_FRAMES = 22


_FULL_MOON = {"illumination": 1.0, "apart_deg": 40.0, "altitude_deg": 45.0}
_NOW = {
    "seeing_arcsec": 2.4,
    "cloud_mag": 1.1,
    "wind_m_s": 3.1,
    "temperature_c": -0.8,
    "humidity_percent": 68.0,
    "dew": 0.0,
}


class Told:
    """What the keeper of a played night said, event by event."""

    def __init__(self, frames: Path) -> None:
        self.rig = load(Rig, demo_file("heron-480.json"))
        self.plan = load(NightPlan, demo_file("long-night.json"))
        self.events: list[Event] = []
        self.statuses: list[Status] = []
        self._measured = 0
        play(self.rig, self.plan, frames, on_event=self._listen)

    async def _listen(self, event: Event, played: Played) -> None:
        self.events.append(event)
        status = await played.link.status()
        self.statuses.append(status.model_copy(update={"clock": "scaled", "speed": 60.0}))
        self._measured += event.kind is Kind.FRAME_MEASURED
        if self._measured == _FRAMES and event.kind is Kind.FRAME_MEASURED:
            await played.ask(Command.END, reason="ended by hand")

    def index(self, wanted: Callable[[Event], bool], number: int = 1) -> int:
        """How many events there are up to the number-th that is wanted."""
        found = [i for i, event in enumerate(self.events) if wanted(event)]
        return found[number - 1] + 1


class Stage:
    """A window without a keeper, put into moments of the told night."""

    def __init__(self, told: Told) -> None:
        self.told = told
        assert told.rig.simulated is not None
        self.jobs = Jobs()
        self.model = PlanModel(told.rig, told.plan, None)
        self.session = Session(told.rig, self.model, None, told.rig.simulated.starts_at)
        self.window = Window(self.session, self.jobs)
        self.window.resize(*Size.DESIGN_WINDOW)
        self.window.show()
        self.session.take_link(LinkState.OPEN, "")

    def at(self, events: int, later_s: float = 0.0) -> None:
        session, told = self.session, self.told
        session.take_news([e for e in told.events[:events] if e.id > session.record.state.last_id])
        status = told.statuses[max(0, events - 1)]
        at = status.at + timedelta(seconds=later_s)
        if events == 0:
            status = status.model_copy(update={"run": "ready", "night": None, "conditions": [], "doing": ""})
        session.take_status(status.model_copy(update={"at": at}))
        self.settle()

    def settle(self) -> None:
        app = QApplication.instance()
        assert app is not None
        for _ in range(600):
            app.processEvents()
            targets = self.window.workspaces.get("Targets")
            if not self.jobs.busy_at_all and not (targets and targets.settling):
                break
            time.sleep(0.01)
        for _ in range(5):
            app.processEvents()


def _save(widget: QWidget, name: str) -> None:
    _FOLDER.mkdir(parents=True, exist_ok=True)
    path = _FOLDER / f"{name}.png"
    widget.grab().save(str(path))
    print(path)


def _is(kind: Kind, /, **values: object) -> Callable[[Event], bool]:
    return lambda e: e.kind is kind and all(e.values.get(k) == v for k, v in values.items())


def main(names: list[str]) -> int:
    """Take the pictures named, all without names."""
    app = make_application(["vigil"])

    def wanted(name: str) -> bool:
        return not names or name in names

    if "gallery" in names:  # for us, not for the README
        gallery = Gallery()
        theme.dress_window(gallery)
        gallery.show()
        gallery.resize(1120, 720)
        app.processEvents()
        _save(gallery, "gallery")
    if names == ["gallery"]:
        return 0
    if any(wanted(name) for name in _OF_LEDGER):
        with tempfile.TemporaryDirectory() as folder:
            _live_in(Path(folder))
            _take_ledger(Path(folder), wanted)
    if names and set(names) <= _OF_LEDGER:
        return 0
    with tempfile.TemporaryDirectory() as frames:
        _live_in(Path(frames))
        _fill_focus_log()
        _take_views(Told(Path(frames)), wanted)
    return 0


def _live_in(folder: Path) -> None:
    """Nobody's own log nor folder belongs in a picture."""
    os.environ["HOME"] = str(folder)
    os.environ["XDG_DATA_HOME"] = str(folder / "Vigil")


_OF_LEDGER = {"ledger", "best-use", "verdicts"}


def _take_ledger(folder: Path, wanted: Callable[[str], bool]) -> None:
    """The demo's three weeks, and a few lights with pixels, one of them with a satellite."""
    lay_in_history(ledger_file())
    _draw_lights(folder)
    rig, plan = load(Rig, demo_file("heron-480.json")), load(NightPlan, demo_file("plan.json"))
    assert rig.simulated is not None
    jobs = Jobs()
    session = Session(rig, PlanModel(rig, plan, None), None, rig.simulated.starts_at)
    window = Window(session, jobs)
    window.resize(*Size.DESIGN_WINDOW)
    window.show()
    session.take_link(LinkState.OPEN, "")
    window.go_to("Ledger")
    ledger = window.current
    assert isinstance(ledger, LedgerWorkspace)

    def settle() -> None:
        app = QApplication.instance()
        assert app is not None
        for _ in range(4000):
            app.processEvents()
            time.sleep(0.005)
            if not jobs.busy_at_all:
                break
        for _ in range(20):
            app.processEvents()

    settle()
    for name, view in (("ledger", PROJECTS), ("best-use", TONIGHT), ("verdicts", VERDICTS)):
        if wanted(name):
            ledger.show_view(view)
            settle()
            if name == "verdicts":
                ledger.verdicts.rows.setFocus()
                ledger.verdicts.rows.choose(ledger.verdicts.rows.count() - 1)
                settle()
            _save(window, name)
    window._may_close = True
    window.close()
    jobs.stop()


def _draw_lights(folder: Path) -> None:
    """On disk and in the ledger as frames from elsewhere."""
    taken = [replace(t, fault="", trail=0.0) for t in project_of(2)[:9]]
    for k, light in enumerate(taken):
        image = draw(replace(scene_of(2, k, light), exposure_s=120.0))
        if k == 5:
            image = with_trail(image, 3.0, light.fwhm_px, 16.0, generator(9, "trail", 0))
        at = datetime(2027, 1, 11, 22, 0, tzinfo=UTC) + timedelta(seconds=130 * k)
        header: Header = {
            "IMAGETYP": ("LIGHT", ""), "OBJECT": ("NGC 2403", ""), "FILTER": ("B", ""),
            "EXPTIME": (120.0, ""), "DATE-OBS": (f"{at:%Y-%m-%dT%H:%M:%S}", ""),
            "INSTRUME": ("Wren 9M", ""), "GUIDERMS": (round(light.guide_arcsec, 2), ""),
            "AIRMASS": (light.air_mass, ""),
        }  # fmt: skip
        write_frame(folder / f"light-{k}.fits", image, header)
    rig = load(Rig, demo_file("heron-480.json"))
    paths = sorted(folder.glob("*.fits"))
    list(import_frames(ledger_file(), paths, rig, datetime(2027, 1, 12, 9, tzinfo=UTC), Search()))


def _fill_focus_log() -> None:
    """Runs of the hours before, measured quickly."""
    rig = load(Rig, demo_file("heron-480.json"))
    assert rig.simulated is not None
    ledger_file().parent.mkdir(parents=True, exist_ok=True)

    async def run(bench: Bench) -> None:
        for through in ("L", "Ha", "L"):
            await bench.carry_out("focus", {"filter": through})
            await bench.clock.sleep(2400)

    for hours in (0.6, 3.0, 6.5):
        at = rig.simulated.starts_at - timedelta(days=1) + timedelta(hours=hours)
        on_the_bench(Alone(rig, Scenario(), 1, at, quick=True, ledger=ledger_file()), run)


def _take_guiding(stage: Stage) -> None:
    """Five minutes guided, the strength changed in the middle; measured quickly."""
    window, session, rows = stage.window, stage.session, list[dict[str, object]]()
    rig = session.rig
    assert rig.simulated is not None

    async def run(bench: Bench) -> list[Event]:
        def sampled(row: dict[str, object]) -> None:
            rows.append(row)
            if len(rows) == 90:
                bench.kit = replace(bench.kit, rig=rig)

        bench.order = replace(bench.order, sampled=sampled)
        await bench.carry_out("guiding", {"frames": 160})
        return bench.events

    at = rig.simulated.starts_at + timedelta(hours=5)
    milder = with_values(rig, {("guider", "ra", "strength"): 0.3})
    events = on_the_bench(Alone(milder, Scenario(), 3, at, quick=True), run)
    base = max(e.id for e in stage.told.events) + 1000
    events = [e.model_copy(update={"id": base + k}) for k, e in enumerate(events)]
    heard = [Sample(at=at, values=row) for row in rows]
    for some, part in ((events[:1], heard[:90]), (events[1:], heard[90:])):
        session.take_news([*some, Samples(errand=events[0].errand, stream=GUIDE, rows=part)])
    window.go_to("Tune")
    tune = window.workspace("Tune")
    assert isinstance(tune, Tune)
    tune.show_bench("Guiding")
    stage.settle()
    _save(window, "guiding")


def _take_polar(stage: Stage) -> None:
    """The axis measured, the altitude's adjuster turned, the other one's turn still to come; on pixels."""
    window, session, rows = stage.window, stage.session, list[dict[str, object]]()
    rig = session.rig
    assert rig.simulated is not None

    async def run(bench: Bench) -> list[Event]:
        def sampled(row: dict[str, object]) -> None:
            rows.append(row)
            if len(rows) == 3:
                bench.observatory.truth.mount.turn_adjusters(-12.5, 0.0)

        await bench.carry_out("polar axis", {"goes": True})
        bench.order = replace(bench.order, sampled=sampled)
        await bench.carry_out("polar turning", {"frames": 8})
        return bench.events

    at = rig.simulated.starts_at + timedelta(hours=5)
    off = MountEffects(polar_altitude_arcmin=14.0, polar_azimuth_arcmin=-26.0)
    events = on_the_bench(Alone(rig, Scenario(mount=off), 3, at), run)
    base = max(e.id for e in stage.told.events) + 3000
    events = [e.model_copy(update={"id": base + k}) for k, e in enumerate(events)]
    turning = events[-1].errand
    heard = [Sample(at=at, values=row) for row in rows]
    session.take_news([*events[:-1], Samples(errand=turning, stream=TURNING, rows=heard)])
    window.go_to("Tune")
    tune = window.workspace("Tune")
    assert isinstance(tune, Tune)
    tune.show_bench("Polar")
    tune.polar.show_view("Adjusters")
    stage.settle()
    _save(window, "polar")


def _take_flats(stage: Stage, wanted: Callable[[str], bool]) -> None:
    """Coverage with gaps and stale ones, out of headers that are made up; the search of all filters, two of
    which can't be done in so short exposures, on pixels."""
    window, session = stage.window, stage.session
    rig = with_values(session.rig, {("camera", "columns"): 600, ("camera", "rows"): 600})
    assert rig.simulated is not None

    async def run(bench: Bench) -> list[Event]:
        await bench.carry_out("flats", {"count": 4, "ready": True, "most_exposure_s": 20})
        return bench.events

    at = rig.simulated.starts_at + timedelta(hours=5)
    events = on_the_bench(Alone(rig, Scenario(), 3, at), run)
    base = max(e.id for e in stage.told.events) + 5000
    events = [e.model_copy(update={"id": base + k}) for k, e in enumerate(events)]
    window.go_to("Flats & darks")
    flats = window.workspace("Flats & darks")
    assert isinstance(flats, FlatsWorkspace)
    stage.settle()
    flats._show_covered(cover(_made_up(rig), Wanted()))
    if wanted("coverage"):
        _save(window, "coverage")
    session.take_news(events)
    stage.settle()
    flats._show_covered(cover(_made_up(rig), Wanted()))
    if wanted("flats"):
        flats.show_view(SEARCH)
        stage.settle()
        _save(window, "flats")
    if wanted("twilight"):
        flats.tools.source.setCurrentText("twilight sky")
        flats.tools.source.activated.emit(flats.tools.source.currentIndex())
        flats.show_view(WHEN)
        stage.settle()
        _save(window, "twilight")


def _made_up(rig: Rig) -> list[Made]:
    """Lights of two targets, and a library with gaps: darks at another temperature, a turned camera."""
    began = rig.simulated.starts_at if rig.simulated else datetime(2027, 1, 12, tzinfo=UTC)
    camera, train = rig.camera.name if rig.camera else "", "Heron 80, 480 mm"
    common = Made("light", gain=100, offset=50, temperature_c=-10.0, camera=camera, train=train, at=began)

    def some(count: int, **values: object) -> list[Made]:
        return [replace(common, **values)] * count  # type: ignore[arg-type]

    lights = [
        *some(42, target="IC 405", filter="Ha", exposure_s=300.0, rotator_deg=12.0, focus_position=6010),
        *some(30, target="IC 405", filter="O3", exposure_s=300.0, rotator_deg=12.0, focus_position=6031),
        *some(60, target="NGC 2403", filter="L", exposure_s=120.0, rotator_deg=80.0, focus_position=6002),
        *some(24, target="NGC 2403", filter="R", exposure_s=120.0, rotator_deg=80.0, focus_position=6015),
        *some(12, target="NGC 2403", filter="L", exposure_s=30.0, temperature_c=-20.0, rotator_deg=80.0),
    ]
    flats = [
        *some(30, kind="flat", filter="Ha", exposure_s=12.4, rotator_deg=12.0, focus_position=6020),
        *some(30, kind="flat", filter="L", exposure_s=0.62, rotator_deg=12.0, focus_position=6004),
        *some(18, kind="flat", filter="R", exposure_s=1.9, rotator_deg=260.0, focus_position=6010),
        *some(30, kind="dark flat", exposure_s=12.4),
        *some(12, kind="dark flat", exposure_s=1.9),
    ]
    darks = [
        *some(25, kind="dark", exposure_s=300.0),
        *some(40, kind="dark", exposure_s=120.0, temperature_c=-5.0),
    ]
    return [*lights, *flats, *darks, *some(60, kind="bias", exposure_s=0.001)]


def _take_rig(stage: Stage, wanted: Callable[[str], bool]) -> None:
    """The Rig workspace by day: devices connected, three things wrong."""
    window, session = stage.window, stage.session
    session.rigs = Rigs(Path("rigs of the pictures"), [demo_file(f"{name}.json") for name in EXAMPLE_RIGS])
    window.go_to("Rig")
    rig = window.workspace("Rig")
    assert isinstance(rig, RigWorkspace)
    rig.rigs.refresh()
    reports = [r for r in stage.told.statuses[stage.told.index(_is(Kind.EXPOSURE_STARTED))].reports]
    changes = {
        "heaters": {"lamp": "not connected", "state": {}},
        "camera": {"figures": {"camera.pixel_um": 3.9}},
        "mount": {"clock_off_s": 20.0, "state": {**_state(reports, "mount"), "tracking": True}},
    }
    shown = [r.model_copy(update=changes.get(r.name, {})) for r in reports]
    session.take_news([Reports(at=session.now, devices=shown)])
    stage.settle()
    if wanted("rig"):
        _save(window, "rig")
    rig.choose("mount")
    deed = Deed(
        id="1", at=session.now, device="mount", action="nudge", words="mount nudge north 64 1",
        stage=Stage_.DONE, reason="north by 16.0′",
    )  # fmt: skip
    session.deed_told.emit(deed)
    stage.settle()
    if wanted("rig-by-hand"):
        _save(window, "rig-by-hand")
    rig.choose("site")
    rig.horizon.drawn.chosen = 3
    stage.settle()
    session.take_news([Reports(at=session.now, devices=[])])


def _state(reports: list[DeviceReport], name: str) -> dict[str, object]:
    return next(report.state for report in reports if report.name == name)


def _take_views(told: Told, wanted: Callable[[str], bool]) -> None:
    stage = Stage(told)
    window = stage.window
    window.workspace("Tune")  # it hears of runs from the beginning, as in the program
    stage.at(0)
    window.go_to("Night")
    stage.settle()
    if wanted("night"):
        _save(window, "night")
    _take_rig(stage, wanted)
    window.go_to("Targets")
    stage.settle()
    targets = window.workspace("Targets")
    assert isinstance(targets, Targets)
    targets.left.search.setText("ngc 14")
    targets.left.found.choose(0)
    stage.settle()
    targets.left.search.setText("california")
    targets.left.found.choose(0)
    stage.settle()
    targets.frame.cover()
    targets.chart.look_at_frame()
    targets.left.search.clear()
    stage.settle()
    if wanted("targets"):
        _save(window, "targets")
    window.go_to("Watch")
    focus = told.index(_is(Kind.ACTIVITY_STEP, kind="focus"), 8)
    stage.at(focus)
    window.go_to("Watch")
    if wanted("watch-focusing"):
        _save(window, "watch-focusing")
    stage.at(told.index(_is(Kind.ACTIVITY_ENDED, kind="focus")))
    if wanted("focus"):
        window.go_to("Tune")
        stage.settle()
        _save(window, "focus")
        window.go_to("Watch")
    for number in range(1, 20):  # so that the filmstrip has seen them
        stage.at(told.index(_is(Kind.FRAME_MEASURED), number))
    stage.at(told.index(_is(Kind.FRAME_MEASURED), 20), later_s=190)
    if wanted("watch"):
        _save(window, "watch")
    if wanted("night-running"):
        window.go_to("Night")
        stage.settle()
        _save(window, "night-running")
    if wanted("tune"):
        window.go_to("Tune")
        bench = window.workspace("Tune")
        assert isinstance(bench, Tune)
        bench.show_bench("Mount")
        stage.session.moments.look_at(stage.session.now + timedelta(hours=1.5))
        stage.settle()
        _save(window, "tune")
        stage.session.moments.look_at(None)
    if wanted("guiding"):
        _take_guiding(stage)
    if wanted("polar"):
        _take_polar(stage)
    if any(wanted(name) for name in ("coverage", "flats", "twilight")):
        _take_flats(stage, wanted)
    if wanted("scenery"):
        window.go_to("Watch")
        window.toggle_scenery()
        session = stage.session
        cloudy = {("air", "overcast_mag"): 1.2, ("sky", "moon"): _FULL_MOON}
        told_of = {"scenario": dump(with_values(Scenario(), cloudy)), "minute": 300.0, "now": _NOW}
        session.scenery_told.emit({**told_of, "faults": ["filter wheel: wheel jams, 7 min more"]})
        stage.settle()
        _save(window, "scenery")
        window.toggle_scenery()
    theme.set_light(Light.RED)
    window.go_to("Watch")
    stage.settle()
    if wanted("watch-red"):
        _save(window, "watch-red")
    theme.set_light(Light.DARK)
    stage.at(len(told.events))
    window._may_close = True
    window.close()
    stage.jobs.stop()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
