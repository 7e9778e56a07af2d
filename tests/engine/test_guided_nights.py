"""Nights that guide: with frames and pulses, on pixels once, else with quick ones."""

import math
import shutil
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import quick_rig, short_plan
from campaigns.flips import case
from campaigns.guidednights import missed_px
from campaigns.night import Played, play
from tests.engine.test_faults import ended_safely, said
from tests.fakes import an_evening
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.plan import NightPlan
from vigil.documents.reasonlog import ReasonLog, Weight
from vigil.documents.rig import Rig
from vigil.documents.rig.beside import WeatherPart
from vigil.documents.rig.change import with_value, with_values
from vigil.documents.rig.rig import Simulated
from vigil.documents.scenario import Fault, FaultKind, Scenario
from vigil.documents.scenario.air import AirEffects, Cloud
from vigil.documents.scenario.mount import MountEffects
from vigil.engine.guiding.loop import GuideLoop
from vigil.files.fits import read_frame
from vigil.guiding.watch import GuideWatch, Mean, Verdict

FOUR = an_evening(short_plan(count=2, dither_every_frames=1, dither_px=3.0))


def dark_rig() -> Rig:
    """Its night begins in the dark with a camera that is nearly cold: the first frame is taken at minute
    5."""
    rig = with_value(quick_rig(), ("guider", "exposure_s"), 4.0)  # half the frames
    assert rig.simulated is not None and rig.camera is not None
    cooler = rig.camera.cooler.model_copy(update={"set_point_c": 2.0})
    camera = rig.camera.model_copy(update={"cooler": cooler})
    dark = Simulated(starts_at=rig.simulated.starts_at + timedelta(minutes=60))
    return rig.model_copy(update={"simulated": dark, "camera": camera})


RIG = dark_rig()


@pytest.fixture(scope="module")
def calibrated(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with a guide calibration of the rig."""
    folder = tmp_path_factory.mktemp("calibrated")
    play(RIG, short_plan(count=1), folder, 2, quick=True, guides=True)
    return folder / "by hand"


@pytest.fixture
def folder(tmp_path: Path, calibrated: Path) -> Path:
    shutil.copytree(calibrated, tmp_path / "by hand")
    return tmp_path


def night(folder: Path, scenario: Scenario, plan: NightPlan = FOUR, **more: Any) -> Played:
    rig = more.pop("rig", RIG)
    return play(rig, plan, folder, 2, scenario=scenario, quick=True, guides=True, **more)


def fault(kind: FaultKind, device: str, **more: float) -> Scenario:
    return Scenario(faults=[Fault(kind=kind, device=device, **more)])


def guided(played: Played) -> list[str]:
    return [event.reason for event in played.of(Kind.GUIDED)]


def test_frames_are_guided_dithered_and_say_so(folder: Path) -> None:
    block = FOUR.blocks[0]
    three = block.lines[0].model_copy(update={"count": 3})
    plan = FOUR.model_copy(update={"blocks": [block.model_copy(update={"lines": [three]})]})
    played = play(RIG.model_copy(update={"focuser": None}), plan, folder, 2, guides=True)
    assert len(played.frames) == 3 and all(0.2 < f["guide_rms_arcsec"] < 3 for f in played.frames)
    header = read_frame(Path(played.frames[0]["path"])).header
    assert header["GUIDERMS"] == pytest.approx(math.hypot(header["GUIDERA"], header["GUIDEDEC"]), abs=0.002)
    dithers = [e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "dither"]
    assert len(dithers) == 2 and all(not e.values["disturbed"] for e in dithers), "no slew"
    assert max(missed_px(played.events, RIG.scale_arcsec_px())) < 0.5
    # a frame begins only once guiding has settled after what moved the mount or the star
    for began in played.of(Kind.EXPOSURE_STARTED):
        before = [e for e in played.of(Kind.ACTIVITY_ENDED) if e.at <= began.at]
        moved = [e for e in before if e.values["kind"] in ("centre", "dither", "slew")]
        settled = [e for e in before if e.values["kind"] == "guide"]
        assert settled[-1].at >= moved[-1].at
    assert guided(played)[-1].startswith("guiding ends: the night ends")


@pytest.mark.parametrize(
    ("scenario", "words"),
    [
        (fault(FaultKind.DISCONNECTS, "guide camera", at_min=7, minutes=2), "no guide frame"),
        (fault(FaultKind.DISCONNECTS, "guide camera", at_min=0, minutes=600), "going on without guiding"),
        (fault(FaultKind.MOVES, "mount", at_min=6, amount=15, minutes=0), "gave way to centring"),
        (fault(FaultKind.DISCONNECTS, "mount", at_min=7, minutes=1), "a pulse was not done"),
        (Scenario(mount=MountEffects(pulse_response=(0.0, 0.0))), "not settled"),
        (
            Scenario(
                air=AirEffects(clouds=[Cloud(arrives_min=6, minutes=20, thickness_mag=9.0, edge_min=0.5)])
            ),
            "the stars faded, and are gone: cloud",
        ),
    ],
)
def test_the_night_goes_on_whatever_becomes_of_the_guiding(
    folder: Path, scenario: Scenario, words: str
) -> None:
    played = night(folder, scenario)
    assert played.events[-1].values["frames"] == 4 and ended_safely(played), said(played)
    assert words in said(played), "\n".join(guided(played))


def test_the_log_tells_of_trouble_and_not_of_giving_way(folder: Path) -> None:
    played = night(folder, fault(FaultKind.DISCONNECTS, "guide camera", at_min=7, minutes=2))
    log = ReasonLog()
    told = [s for s in map(log.add, played.events) if s is not None and s.what == "guiding"]
    assert any(s.weight is Weight.NOTICE and "no guide frame" in s.why for s in told)
    assert any(s.weight is Weight.PLAIN and "guiding by" in s.why for s in told)
    assert not any("moved by" in s.why or "the night ends" in s.why for s in told)


def test_an_error_of_our_own_costs_no_frame(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    once, count = GuideLoop.once, [0]

    async def fails(loop: GuideLoop) -> None:
        count[0] += 1
        if count[0] == 30:
            raise RuntimeError("made up")
        await once(loop)

    monkeypatch.setattr(GuideLoop, "once", fails)
    played = night(folder, Scenario())
    assert any("an error in Vigil: made up" in words for words in guided(played))
    assert played.events[-1].values["frames"] == 4 and ended_safely(played)
    assert sum("guiding by" in words for words in guided(played)) == 2, "begun again"


@pytest.mark.parametrize(
    ("mean", "cut"), [(Mean.CALIBRATE, False), (Mean.CALIBRATE, True), (Mean.OTHER, False)]
)
def test_trouble_in_the_middle_of_a_dither_leaves_no_frame_beside_its_place(
    folder: Path, monkeypatch: pytest.MonkeyPatch, mean: Mean, cut: bool
) -> None:
    """Calibrated, or cut off while it is; stars chosen again: either the star goes on to where it was sent,
    or the target is centred again."""
    moved, calibrating, frame = [False], [False], GuideWatch.frame

    def fails(watch: GuideWatch, at_s: float, error: tuple[float, float] | None, light: float) -> Verdict:
        verdict = frame(watch, at_s, error, light)
        if moved[0]:
            moved[0], calibrating[0] = False, mean is Mean.CALIBRATE
            return Verdict(mean, "made up")
        return verdict

    async def looks(event: Event, played: Played) -> None:
        first = len([e for e in played.of(Kind.GUIDED) if "moved" in e.values]) == 1
        if event.kind is Kind.GUIDED and "moved" in event.values and first:
            moved[0] = True
        if event.kind is Kind.HELD:
            await played.ask(Command.RESUME)

    async def holds(played: Played) -> None:
        while not calibrating[0]:
            await played.equipment.clock.sleep(1.0)
        await played.equipment.clock.sleep(20.0)
        await played.ask(Command.HOLD, reason="a cable", now=True)

    monkeypatch.setattr(GuideWatch, "frame", fails)
    plan = an_evening(short_plan(count=3, dither_every_frames=1, dither_px=20.0))
    played = night(folder, Scenario(), plan, on_event=looks, beside=holds if cut else None)
    assert played.events[-1].values["frames"] == 6 and ended_safely(played), said(played)
    centres = cut or mean is Mean.OTHER
    limit = 0.5 + (plan.orders.target_reach_px if centres else 0.0)
    assert max(missed_px(played.events, RIG.scale_arcsec_px())) < limit
    told = [e for e in played.events if "made up" in e.reason]
    assert len(told) == 1
    centred = [
        e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "centre" and e.at > told[0].at
    ]
    assert bool(centred) is centres
    assert ("calibrating has left the mount beside its place" in guided(played)) is cut


@pytest.mark.parametrize("number", [2, 3])  # near the south pole; a mount that doesn't tell its side
def test_a_flip_turns_the_calibration_with_it(tmp_path: Path, number: int) -> None:
    rig, plan, _ = case(number)
    block = plan.blocks[0]
    line = block.lines[0].model_copy(update={"exposure_s": 300.0, "count": 5})
    plan = plan.model_copy(update={"blocks": [block.model_copy(update={"lines": [line]})]})
    assert rig.simulated is not None
    transit = rig.simulated.starts_at.replace(hour=23, minute=0)
    begins = Simulated(starts_at=transit - timedelta(minutes=20))
    rig = with_values(rig, {("simulated",): begins, ("guider", "exposure_s"): 6.0})
    played = night(tmp_path, Scenario(), plan, rig=rig)
    flip = next(e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "flip")
    after = [e for e in played.of(Kind.GUIDED) if e.at > flip.at]
    assert any("guiding by" in e.reason for e in after)
    assert not any("wrong way" in e.reason or "calibrating" in e.reason for e in after)
    lights = [e for e in played.of(Kind.FRAME_SAVED) if e.at > flip.at]
    assert lights and all(e.values["guide_rms_arcsec"] < 3 for e in lights)
    calibrated = [e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "calibrate guiding"]
    assert bool(calibrated) is (number == 2), "beyond 60° at the calibration place"


def test_a_hold_ends_the_guiding_and_resuming_begins_it(folder: Path) -> None:
    async def holds(event: Event, played: Played) -> None:
        if event.kind is Kind.EXPOSURE_ENDED and not played.of(Kind.HELD):
            await played.ask(Command.HOLD, reason="a walk round the telescope", now=True)
        if event.kind is Kind.HELD:
            await played.ask(Command.RESUME)

    played = night(folder, Scenario(), on_event=holds)
    told = guided(played)
    ended = next(n for n, words in enumerate(told) if "the night is held: a walk" in words)
    assert any("guiding by" in words for words in told[ended:])
    assert played.events[-1].values["frames"] == 4


def test_a_dither_that_is_cut_off_on_its_way_is_centred(folder: Path) -> None:
    async def holds(event: Event, played: Played) -> None:
        if event.kind is Kind.GUIDED and "moved" in event.values and not played.of(Kind.HELD):
            await played.ask(Command.HOLD, reason="a cable", now=True)
        if event.kind is Kind.HELD:
            await played.ask(Command.RESUME)

    plan = an_evening(short_plan(count=2, dither_every_frames=1, dither_px=20.0))
    played = night(folder, Scenario(), plan, on_event=holds)
    resumed = played.of(Kind.RESUMED)[0].at
    after = [e.values["kind"] for e in played.of(Kind.ACTIVITY_ENDED) if e.at > resumed]
    assert "centre" in after and played.events[-1].values["frames"] == 4 and ended_safely(played)
    assert max(missed_px(played.events, RIG.scale_arcsec_px())) < 0.5 + plan.orders.target_reach_px


def test_after_a_calibration_by_hand_in_a_hold_the_target_is_centred_again(folder: Path) -> None:
    """It leaves the mount some pixels beside it, which its coordinates don't tell."""

    async def holds(event: Event, played: Played) -> None:
        if event.kind is Kind.EXPOSURE_ENDED and not played.of(Kind.HELD):
            await played.ask(Command.HOLD, reason="the guider", now=True)

    async def calibrates(played: Played) -> None:
        async def until(kind: Kind, events: list[Event]) -> Event:
            while not (found := [event for event in events if event.kind is kind]):
                await played.equipment.clock.sleep(1.0)
            return found[0]

        await until(Kind.HELD, played.events)
        answer = await played.ask(Command.BEGIN, kind="guide calibration")
        assert answer.taken, answer.reason
        ended = await until(Kind.ERRAND_ENDED, played.others)
        assert ended.values["outcome"] == "done", ended.reason
        await played.ask(Command.RESUME)

    played = night(folder, Scenario(), on_event=holds, beside=calibrates)
    resumed = played.of(Kind.RESUMED)[0].at
    after = [e.values["kind"] for e in played.of(Kind.ACTIVITY_ENDED) if e.at > resumed]
    assert "centre" in after and played.events[-1].values["frames"] == 4 and ended_safely(played)


def test_a_calibration_that_is_cut_off_is_made_again(tmp_path: Path) -> None:
    """Held in the middle of it: the mount stands by the calibration place then."""

    async def holds(event: Event, played: Played) -> None:
        under_way = event.kind is Kind.ACTIVITY_STEP and event.values["kind"] == "calibrate guiding"
        if under_way and not played.of(Kind.HELD):
            await played.ask(Command.HOLD, reason="a cable", now=True)
        if event.kind is Kind.HELD:
            await played.ask(Command.RESUME)

    plan = an_evening(short_plan(count=1, guide_calibrate_away=True))
    played = night(tmp_path, Scenario(), plan, on_event=holds)
    ended = [e.values for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "calibrate guiding"]
    assert [values["outcome"] for values in ended] == ["cancelled", "done"]
    assert played.events[-1].values["frames"] == 2 and ended_safely(played)
    assert all(e.values["off_arcsec"] < 60 for e in played.of(Kind.FRAME_MEASURED))


def test_a_lasting_error_ends_a_frame_where_the_plan_wants_it(folder: Path) -> None:
    # the cable hangs: no pulse is done any more, and the drift takes the star away
    drifts = fault(FaultKind.TIMES_OUT, "mount", at_min=5.3, minutes=3)
    drifts = drifts.model_copy(update={"mount": MountEffects(drift_arcsec_min=20.0)})
    plan = an_evening(short_plan(count=1, exposure_s=120.0, guide_error_arcsec=6.0, guide_error_s=20.0))
    played = night(folder, drifts, plan, look_every_s=1.0)
    cut = [e for e in played.of(Kind.EXPOSURE_ENDED) if e.values["outcome"] == "short"]
    assert cut and "guiding was off by more than 6″" in cut[0].reason, said(played)
    assert played.events[-1].values["frames"] == 2


def test_no_guide_frame_reaches_into_the_readout_where_the_rig_asks_for_that(folder: Path) -> None:
    rig = with_value(RIG, ("guider", "rests_while_reading"), True)
    camera = rig.camera.model_copy(update={"download_s": [40.0]})
    rig = rig.model_copy(update={"camera": camera})
    played = night(folder, Scenario(), an_evening(short_plan(count=2)), rig=rig)
    half = timedelta(seconds=rig.guider.exposure_s / 2 - 0.05)
    ends = [e.at for e in played.of(Kind.EXPOSURE_ENDED)]
    reads = [(end - timedelta(seconds=40), end) for end in ends]
    middles = [datetime.fromisoformat(sample.values["at"]) for sample in played.samples]
    assert len(middles) > 50
    for begins, over in reads:
        assert not any(begins - half < at < over for at in middles)
    settled = [e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "guide"]
    assert not any(e.at > ends[0] for e in settled), "no star was lost meanwhile"


def test_under_an_unsafe_sky_guiding_ends_everything_is_shut_and_it_begins_again(folder: Path) -> None:
    """A cloud over a guided night: parked without a star held, and settled again before the next frame."""
    rig = RIG.model_copy(update={"weather": WeatherPart(name="Mast")})
    cloud = Scenario(air=AirEffects(clouds=[Cloud(arrives_min=5, minutes=15, thickness_mag=6.0, edge_min=2)]))
    played = night(folder, cloud, rig=rig)
    sheltered = [e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "shelter"]
    assert sheltered and all(e.values["outcome"] == "done" for e in sheltered) and ended_safely(played)
    held, resumed = played.of(Kind.HELD)[0].at, played.of(Kind.RESUMED)[0].at
    between = [e for e in played.of(Kind.GUIDED) if sheltered[0].at < e.at < resumed]
    assert not [e for e in between if e.reason.startswith("guiding by")], "nothing guides under the roof"
    after = [e.reason for e in played.of(Kind.GUIDED) if e.at > resumed]
    assert held < resumed and any(reason.startswith("guiding by") for reason in after)
    assert sum(bool(frame["counts"]) for frame in played.frames) == 4, "one was cut short"
