"""Whole nights on virtual time, on simulated pixels."""

import asyncio
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from astropy.io import fits

from campaigns.demo import demo_plan, quick_rig, short_plan
from campaigns.night import Played, play
from campaigns.nights import judge
from campaigns.rigs import small
from vigil.devices.errors import DeviceFault, DeviceTimeout
from vigil.devices.protocols import Devices
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.files.fits import read_frame
from vigil.ledger.store import LedgerError
from vigil.sky.angles import separation_deg


def parked_and_warm(played: Played) -> bool:
    """By the simulator's truth."""
    state = played.truth.gear.state
    air_c = played.truth.gear.weather.temperature_c(state.sensor_at)
    return state.parked and state.set_point_c is None and played.truth.sensor_c() > min(0.0, air_c) - 1.5


def reasons(played: Played, kind: Kind) -> list[str]:
    return [event.reason for event in played.of(kind)]


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> Played:
    """The night with pixels that is looked at from several sides."""
    return play(quick_rig(), short_plan(count=3), tmp_path_factory.mktemp("whole"), seed=4)


def test_a_whole_night(whole: Played) -> None:
    played = whole
    assert [f["line"] for f in played.frames] == ["ic405-ha"] * 3 + ["ic405-l"] * 3
    assert all(f["hfr_px"] and f["stars"] > 20 for f in played.frames)
    assert parked_and_warm(played)
    assert reasons(played, Kind.CLOSING_PART)[0] == "stop the camera: idle"
    over = played.events[-1]
    assert over.kind is Kind.NIGHT_OVER and over.values["frames"] == 6
    assert set(over.values["closing"].values()) == {"done"}
    # every event was committed, in the order in which it was told
    ids = [event.id for event in played.events]
    assert ids == sorted(set(ids))
    follows = [e.values["then"] for e in played.of(Kind.EXPOSURE_STARTED)]
    assert follows[0] == "IC 405 · Ha 2 of 3" and follows[2] == "IC 405 · L 1 of 3"
    assert follows[-1] == "the closing: all frames are taken"
    opens = next(e for e in played.events if e.kind is Kind.EXPOSURE_STARTED).at
    assert opens.strftime("%H:%M") == "17:16"  # ten minutes before astronomical dusk at this site
    focus = next(e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "focus")
    assert focus.at < opens


def test_frames_explain_themselves(whole: Played) -> None:
    frame = whole.frames[0]
    path = Path(frame["path"])
    assert path.parts[-4:-1] == ("2027-01-12", "IC-405", "Ha")
    header = read_frame(path).header
    expected = {
        "IMAGETYP": "LIGHT", "EXPTIME": 60.0, "FILTER": "Ha", "GAIN": 100, "OFFSET": 30, "XBINNING": 1,
        "SET-TEMP": -10.0, "FOCALLEN": 480.0, "OBJECT": "IC 405", "ROWORDER": "BOTTOM-UP",
        "FRAMEID": frame["frame_id"], "PIERSIDE": "WEST", "BITPIX": 16, "SITELAT": 47.25,
        "OBJCTRA": "05 16 29.48", "OBJCTDEC": "+34 21 22.2",
    }  # fmt: skip
    assert {key: header.get(key) for key in expected} == expected
    assert abs(header["CCD-TEMP"] + 10) <= 0.5
    assert 1.0 < header["AIRMASS"] < 2.0
    assert header["DATE-OBS"].startswith("2027-01-12T17:16:")
    assert header["FOCUSPOS"] == frame["focus_position"]
    # the mount's word differs from the true centre, which the solution knows
    assert separation_deg(header["CRVAL1"], header["CRVAL2"], 79.12283, 34.35617) * 3600 < 25
    assert separation_deg(header["RA"], header["DEC"], 79.12283, 34.35617) * 3600 > 60
    assert fits.getdata(path).dtype == "uint16"


@pytest.mark.parametrize("seed", [2])
def test_a_sample_of_the_campaign(seed: int) -> None:
    """One demo night, its pixels binned 2 × 2; with the campaign's limits and shorter lines."""
    from campaigns.demo import demo_rig
    from campaigns.nights import meets_limits

    night = judge(small(demo_rig(), 2), short_plan(count=1), seed)
    assert meets_limits(night), night


ACTIVITIES = ["connect", "cool", "wake mount", "slew", "focus", "centre", "change filter", "exposure"]


def begins(event: Event, activity: str) -> bool:
    if activity == "exposure":
        return event.kind is Kind.EXPOSURE_STARTED
    return event.kind is Kind.ACTIVITY_STARTED and event.values["kind"] == activity


@pytest.mark.parametrize("activity", ACTIVITIES)
def test_ended_in_any_activity_it_is_parked_and_warm(tmp_path: Path, activity: str) -> None:
    async def end(event: Event, played: Played) -> None:
        if begins(event, activity) and not played.of(Kind.CLOSING_STARTED):
            await asyncio.sleep(0.4)
            await played.ask(Command.END, reason="enough for tonight")

    played = play(quick_rig(), short_plan(), tmp_path, on_event=end, quick=True)
    assert parked_and_warm(played)
    assert played.events[-1].reason == "enough for tonight"
    assert all(part.values["outcome"] == "done" for part in played.of(Kind.CLOSING_PART))
    assert len(played.of(Kind.EXPOSURE_STARTED)) <= 1


@pytest.mark.parametrize("activity", ACTIVITIES)
def test_cancelled_in_any_activity_it_is_parked_and_warm(tmp_path: Path, activity: str) -> None:
    """Not asked to end but cancelled from outside, as when the process is torn down."""

    def cancel(event: Event, played: Played) -> None:
        if begins(event, activity) and not played.of(Kind.CLOSING_STARTED):
            night = [t for t in asyncio.all_tasks() if "Keeper.run" in repr(t.get_coro())]
            assert len(night) == 1
            asyncio.get_running_loop().call_later(0.4, night[0].cancel)

    played = play(quick_rig(), short_plan(), tmp_path, on_event=cancel, quick=True)
    assert parked_and_warm(played)
    assert played.events[-1].reason == "the night was cancelled"


def test_hold_and_resume(tmp_path: Path) -> None:
    held_at: list[Event] = []

    async def hold(event: Event, played: Played) -> None:
        if event.kind is Kind.EXPOSURE_STARTED and not held_at:
            held_at.append(event)
            answer = await played.ask(Command.HOLD, reason="a car is coming")
            assert answer.taken
        if event.kind is Kind.HELD:
            status = await played.link.status()
            assert (status.run, status.hold) == ("held", "a car is coming")
            assert not (await played.ask(Command.HOLD)).taken
            await asyncio.sleep(600)
            assert (await played.ask(Command.RESUME)).taken

    played = play(quick_rig(), short_plan(), tmp_path, on_event=hold, quick=True)
    held, resumed = played.of(Kind.HELD)[0], played.of(Kind.RESUMED)[0]
    assert (resumed.at - held.at).total_seconds() == pytest.approx(600)
    # the exposure under way was finished, none begun in the hold
    assert held.at == played.of(Kind.EXPOSURE_ENDED)[0].at
    assert played.of(Kind.EXPOSURE_ENDED)[0].values["outcome"] == "done"
    assert len(played.frames) == 4


def test_hold_now_abandons_the_exposure_and_takes_it_again(tmp_path: Path) -> None:
    async def hold(event: Event, played: Played) -> None:
        if event.kind is Kind.EXPOSURE_STARTED and not played.of(Kind.HELD):
            await asyncio.sleep(20)
            await played.ask(Command.HOLD, now=True)
        if event.kind is Kind.HELD:
            await played.ask(Command.RESUME)

    played = play(quick_rig(), short_plan(), tmp_path, on_event=hold, quick=True)
    assert played.of(Kind.EXPOSURE_ENDED)[0].values["outcome"] == "cancelled"
    assert len(played.frames) == 4
    assert len({f["frame_id"] for f in played.frames}) == 4


def test_a_hold_that_nobody_ends_closes_with_the_last_span(tmp_path: Path) -> None:
    async def hold(event: Event, played: Played) -> None:
        if event.kind is Kind.EXPOSURE_STARTED and not played.of(Kind.HELD):
            await played.ask(Command.HOLD)

    played = play(quick_rig(), short_plan(until_dawn_min=640), tmp_path, on_event=hold, quick=True)
    assert parked_and_warm(played)
    assert "has closed" in played.events[-1].reason


class Flaky:
    """A device of which every n-th call of some methods fails."""

    def __init__(self, device: Any, every: int, methods: set[str]) -> None:
        self._device, self._every, self._methods, self._calls = device, every, methods, 0

    def __getattr__(self, name: str) -> Any:
        method = getattr(self._device, name)
        if name not in self._methods:
            return method

        async def call(*args: Any) -> Any:
            self._calls += 1
            if self._calls % self._every == 0:
                raise DeviceTimeout(f"{name}: no answer")
            return await method(*args)

        return call


def test_devices_that_fail_now_and_then_are_a_nuisance_only(tmp_path: Path) -> None:
    def alter(devices: Devices) -> Devices:
        return replace(
            devices,
            camera=Flaky(devices.camera, 9, {"expose", "read", "cool"}),
            wheel=Flaky(devices.wheel, 2, {"move_to", "read"}),
            focuser=Flaky(devices.focuser, 13, {"move_to", "read"}),
            mount=Flaky(devices.mount, 4, {"slew", "read", "unpark"}),
        )

    played = play(quick_rig(), short_plan(), tmp_path, alter=alter, quick=True)
    assert len(played.frames) == 4
    assert parked_and_warm(played)
    recovered = reasons(played, Kind.DEVICE_RECOVERED)
    assert any("focuser: move to" in said and "done at try 2" in said for said in recovered)


def test_a_lost_camera_is_connected_again(tmp_path: Path) -> None:
    class Unplugged:
        """Its cable is out for a minute in the first exposure."""

        def __init__(self, camera: Any) -> None:
            self._camera, self.out = camera, False

        def __getattr__(self, name: str) -> Any:
            method = getattr(self._camera, name)

            async def call(*args: Any) -> Any:
                if self.out and name != "disconnect":
                    raise DeviceFault(f"camera: {name}: the cable is out")
                result = await method(*args)
                if self.out and name == "expose":
                    raise DeviceFault("camera: expose: the cable is out")
                return result

            return call

    cameras: list[Unplugged] = []

    def alter(devices: Devices) -> Devices:
        cameras.append(Unplugged(devices.camera))
        return replace(devices, camera=cameras[0])

    def unplug(event: Event, played: Played) -> None:
        if event.kind is Kind.EXPOSURE_STARTED and not played.of(Kind.DEVICE_LOST):
            loop = asyncio.get_running_loop()
            loop.call_later(20, setattr, cameras[0], "out", True)
            loop.call_later(80, setattr, cameras[0], "out", False)

    played = play(quick_rig(), short_plan(), tmp_path, alter=alter, on_event=unplug, quick=True)
    assert "the cable is out" in reasons(played, Kind.DEVICE_LOST)[0]
    assert len(played.frames) == 4
    assert parked_and_warm(played)


def test_cloud_over_the_focus_run_goes_on_without_focus(tmp_path: Path) -> None:
    """No stars in short frames: focus is refused, the old position kept, the reason logged."""

    class Clouded:
        def __init__(self, camera: Any) -> None:
            self._camera = camera

        def __getattr__(self, name: str) -> Any:
            method = getattr(self._camera, name)
            if name != "expose":
                return method

            async def expose(exposure: Any) -> Any:
                if exposure.exposure_s < 60 and played_events_show("focus"):
                    exposure = replace(exposure, light=False)
                return await method(exposure)

            return expose

    seen: list[Event] = []

    def played_events_show(kind: str) -> bool:
        started = [e for e in seen if e.kind is Kind.ACTIVITY_STARTED]
        return bool(started) and started[-1].values["kind"] == kind

    played = play(
        quick_rig(),
        short_plan(count=1),
        tmp_path,
        alter=lambda devices: replace(devices, camera=Clouded(devices.camera)),
        on_event=lambda event, _: seen.append(event),
        quick=True,
    )
    refused = [e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "focus"]
    assert refused and all("cloud" in e.reason and "back at" in e.reason for e in refused)
    assert "going on without focus fresh until" in reasons(played, Kind.WAIVED)[0]
    assert len(played.frames) == 2


def test_a_folder_that_goes_away_loses_no_frame(tmp_path: Path) -> None:
    out, rescue = tmp_path / "out", tmp_path / "rescue"

    async def block(event: Event, played: Played) -> None:
        if event.kind is Kind.EXPOSURE_STARTED and event.values["number"] == 1:
            folder = Path(event.values["path"]).parent
            folder.parent.mkdir(parents=True, exist_ok=True)
            if not folder.exists():
                folder.write_text("in the way")
        if event.kind is Kind.HELD:
            assert "can't be written" in event.reason
            (out / "2027-01-12" / "IC-405" / "Ha").unlink(missing_ok=True)
            (out / "2027-01-12" / "IC-405" / "L").unlink(missing_ok=True)
            await played.ask(Command.RESUME)

    played = play(quick_rig(focuser=None), short_plan(), out, on_event=block, rescue=rescue)
    assert len(played.frames) == 4
    paths = [Path(f["path"]) for f in played.frames]
    assert all(path.exists() for path in paths)
    assert any(path.is_relative_to(rescue) for path in paths)
    assert played.of(Kind.HELD)


def test_a_block_that_ends_is_given_up_and_the_rest_goes_on(tmp_path: Path) -> None:
    """More frames than the span holds: what fits is taken, the plan ends with its reason."""
    plan = short_plan(count=40, exposure_s=1500.0, until_dawn_min=480)
    block = plan.blocks[0]
    plan = plan.model_copy(update={"blocks": [block.model_copy(update={"lines": block.lines[:1]})]})
    played = play(quick_rig(), plan, tmp_path, quick=True)
    assert 6 <= len(played.frames) <= 9
    last = max(e.at for e in played.of(Kind.EXPOSURE_ENDED))
    assert last.strftime("%H:%M") <= "20:58"  # eight hours before astronomical dawn at this site
    assert "IC 405" in played.events[-1].reason
    assert parked_and_warm(played)
    # over such a night it gets colder and later: focus was renewed, with its cause
    runs = [e for e in played.of(Kind.ACTIVITY_STARTED) if e.values["kind"] == "focus"]
    assert len(runs) >= 2
    assert any("since focus" in e.reason or "colder" in e.reason for e in runs[1:])


def test_closing_orders_are_respected_and_said(tmp_path: Path) -> None:
    played = play(
        quick_rig(), short_plan(count=1, park_at_end=False, warm_at_end=False), tmp_path, quick=True
    )
    state = played.truth.gear.state
    assert not state.parked and state.set_point_c == -10
    outcomes = played.events[-1].values["closing"]
    assert outcomes["park"] == outcomes["warm up"] == "left out"
    assert any("goes on tracking" in said for said in reasons(played, Kind.CLOSING_PART))


def test_filters_in_turn(tmp_path: Path) -> None:
    plan = short_plan(count=2)
    block = plan.blocks[0].model_copy(update={"order": "in turn"})
    played = play(quick_rig(), plan.model_copy(update={"blocks": [block]}), tmp_path, quick=True)
    assert [f["filter"] for f in played.frames] == ["Ha", "L", "Ha", "L"]


def test_a_target_that_never_rises_ends_the_night_at_once(tmp_path: Path) -> None:
    plan = demo_plan()
    block = plan.blocks[0]
    low = block.target.model_copy(update={"name": "low", "dec_deg": -10.0, "ra_deg": 285.0})
    block = block.model_copy(update={"target": low})
    played = play(quick_rig(), plan.model_copy(update={"blocks": [block]}), tmp_path, quick=True)
    assert not played.frames
    assert "doesn't open tonight" in played.events[-1].reason


def test_a_ledger_that_fails_does_not_stop_the_closing(tmp_path: Path) -> None:
    """The disk of the ledger is full from the first exposure on: gear parked and warm all the same."""
    truth: list[Played] = []

    def fail(event: Event, played: Played) -> None:
        if event.kind is Kind.EXPOSURE_STARTED:
            truth.append(played)

            async def full(event: Event) -> Event:
                raise LedgerError("database or disk is full")

            played.ledger.add = full  # type: ignore[method-assign]
            asyncio.get_running_loop().call_later(3600, asyncio.current_task().cancel)  # type: ignore[union-attr]

    with pytest.raises(asyncio.CancelledError):
        play(quick_rig(), short_plan(), tmp_path, on_event=fail, quick=True)
    assert parked_and_warm(truth[0])
    assert truth[0].events[-1].kind is Kind.EXPOSURE_STARTED
