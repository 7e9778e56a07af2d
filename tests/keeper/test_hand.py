"""Devices worked by hand through the keeper: each kind, each refusal; and during a night."""

import asyncio
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import quick_rig, short_plan
from campaigns.night import Played, play
from vigil.cli.assemble import equip
from vigil.cli.files import demo_file
from vigil.documents.deeds import LOOP, Deed, Stage, deeds
from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.documents.events import Event, Kind
from vigil.documents.hand import UnknownAction, find_action, read_values
from vigil.documents.messages import Ask, Command
from vigil.documents.rig import Rig
from vigil.documents.rig.change import path_of, with_value, with_values
from vigil.documents.rig.mount import RotatorPart
from vigil.documents.store import load
from vigil.files.fits import read_frame
from vigil.keeper.keeper import Keeper
from vigil.ledger.ledger import Ledger
from vigil.link.loopback import Loopback
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import run_virtual, simulated_loop
from vigil.runtime.workshop import Workshop
from vigil.simulator.observatory import SimObservatory
from vigil.sky.angles import separation_deg
from vigil.sky.turns import turn_to_deg


def full_rig() -> Rig:
    """Every kind of device, small frames."""
    rig = load(Rig, demo_file("stork-1600.json"))
    small = {("camera", "columns"): 512, ("camera", "rows"): 512, ("camera", "pixel_um"): 9.0}
    return with_values(rig, {**small, ("guider", "columns"): 320, ("guider", "rows"): 240})


class Gear:
    """A keeper in this process, and what it tells of each deed."""

    def __init__(self, keeper: Keeper, observatory: SimObservatory) -> None:
        self.keeper, self.link, self.truth = keeper, Loopback(keeper), observatory.truth
        self.deeds: list[Deed] = []
        self._numbers = iter(range(1, 1000))

    async def listen(self) -> None:
        async for deed in deeds(self.link.news(streams=(LOOP,))):
            self.deeds.append(deed)

    async def ask(self, device: str, action: str, **values: Any) -> tuple[str, str]:
        """(id, reason of the refusal or empty)."""
        name = f"d{next(self._numbers)}"
        values = {"device": device, "action": action, **values}
        answer = await self.link.ask(Ask(id=name, command=Command.DEVICE, values=values))
        return name, "" if answer.taken else answer.reason

    async def do(self, device: str, action: str, **values: Any) -> Deed:
        """Ask and wait for the end."""
        name, refused = await self.ask(device, action, **values)
        assert not refused, refused
        return await self.over(name)

    async def over(self, name: str) -> Deed:
        for _ in range(20_000):
            found = [d for d in self.deeds if d.id == name and d.over]
            if found:
                return found[0]
            await asyncio.sleep(0.2)
        raise AssertionError(f"{name} did not end; told were {self.deeds[-3:]}")

    async def frames(self, name: str, count: int) -> None:
        """Until a loop has told of so many frames."""
        for _ in range(1000):
            if sum(d.id == name and d.stage is Stage.UNDER_WAY for d in self.deeds) >= count:
                return
            await asyncio.sleep(0.5)

    async def refused(self, device: str, action: str, **values: Any) -> str:
        _, reason = await self.ask(device, action, **values)
        assert reason, f"{device} {action} was not refused"
        return reason


def by_hand(main: Any, rig: Rig, folder: Path) -> Any:
    async def run() -> Any:
        assert rig.simulated is not None
        clock, workshop, ledger = ScenarioClock(rig.simulated.starts_at), Workshop(0), Ledger()
        observatory = SimObservatory(rig, 1, clock, workshop)
        equipment = equip(rig, observatory, clock, workshop, folder / "frames", folder / "rescued")
        keeper = Keeper(equipment, ledger, simulated_loop())
        gear = Gear(keeper, observatory)
        keeping = asyncio.ensure_future(keeper.run())
        listening = asyncio.ensure_future(gear.listen())
        try:
            return await main(gear)
        finally:
            listening.cancel()
            keeper.end("the test is over")
            await asyncio.wait({keeping})
            ledger.close()

    return run_virtual(run())


def test_every_kind_of_device_is_driven_by_hand(tmp_path: Path) -> None:
    async def main(gear: Gear) -> None:
        state = gear.truth.gear.state
        assert (await gear.do("all", "connect")).stage is Stage.DONE
        done: dict[tuple[str, str], str] = {}

        async def do(device: str, action: str, **values: Any) -> None:
            deed = await gear.do(device, action, **values)
            assert deed.stage is Stage.DONE, deed.reason
            done[(device, action)] = deed.reason

        await do("roof", "open")
        await do("cover", "open")
        assert state.shutters == {"roof": "open", "cover": "open"}
        await do("mount", "unpark")
        await do("mount", "slew", ra="05 16 29", dec="+34 21")
        assert state.tracking and abs(state.ra_deg - 79.12) < 0.01
        before = state.dec_deg
        await do("mount", "nudge", direction="north", rate=64.0, seconds=2.0)
        assert state.dec_deg - before == pytest.approx(64 * 15.041 / 3600 * 2, rel=0.02)
        await do("mount", "track", on=False)
        assert not state.tracking
        await do("mount", "to", position="flats")
        await do("camera", "cool", set_point_c=-12)
        assert state.set_point_c == -12
        await do("filter wheel", "to", filter="Ha")
        assert state.slot == 5
        await do("focuser", "to", position=20500)
        await do("focuser", "by", steps=-100)
        assert state.focuser_position == 20400
        await do("rotator", "to", angle_deg=90)
        await do("rotator", "by", degrees=-15.5)
        assert state.rotator_deg == 74.5
        await do("flat panel", "on")
        assert state.panel_level == 4000
        await do("flat panel", "level", step=120)
        assert state.panel_level == 120
        await do("flat panel", "off")
        await do("heaters", "level", heater="secondary mirror", percent=60)
        assert state.heaters_percent == {"secondary mirror": 60}
        await do("power", "switch", outlet="lamp", on=True)
        assert state.outlets == {"lamp": True}
        await do("camera", "take", exposure_s=2.0)
        await do("guide camera", "take", exposure_s=1.0)
        await do("mount", "stop")
        await do("focuser", "stop")
        await do("rotator", "stop")
        await do("camera", "warm")
        assert state.set_point_c is None
        await do("mount", "park")
        await do("cover", "close")
        await do("roof", "close")
        assert state.parked and set(state.shutters.values()) == {"closed"}
        untried = {
            (device, action.name)
            for device, actions in ((k.name, k.actions) for k in DEVICE_KINDS.values())
            for action in actions
            if (device, action.name) not in done
        }
        assert untried == {
            ("camera", "loop"), ("camera", "stop"), ("guide camera", "loop"), ("guide camera", "stop"),
            ("cover", "stop"), ("roof", "stop"), ("mount", "centre"), ("mount", "frame"),
        }  # fmt: skip
        status = await gear.link.status()
        assert {r.name for r in status.reports} == set(DEVICE_KINDS)
        assert next(r for r in status.reports if r.name == "weather station").state["wind_m_s"] >= 0
        for device in DEVICE_KINDS:
            assert (await gear.do(device, "disconnect")).stage is Stage.DONE

    by_hand(main, full_rig(), tmp_path)


def test_the_telescope_is_sent_and_the_camera_turned_by_hand(tmp_path: Path) -> None:
    async def main(gear: Gear) -> None:
        assert (await gear.do("all", "connect")).stage is Stage.DONE
        await gear.do("mount", "unpark")
        where = {"ra": "05 16 29", "dec": "+34 21"}
        centred = await gear.do("mount", "centre", **where)
        assert centred.stage is Stage.DONE and "px off after frame" in centred.reason, centred.reason
        framed = await gear.do("mount", "frame", **where, angle_deg=30.0)
        assert framed.stage is Stage.DONE, framed.reason
        assert abs(turn_to_deg(gear.truth.position_angle_deg(), 30.0)) < 0.3
        ra_deg, dec_deg = gear.truth.pointing_deg()
        assert gear.truth.gear.state.synced_deg != (0.0, 0.0), "the mount was told where it looks"
        # within four of the quick rig's large pixels
        assert 3600 * float(separation_deg(ra_deg, dec_deg, 79.1208, 34.35)) < 4.5 * 4.85

    rig = quick_rig(rotator=RotatorPart(name="Turnstile"))
    by_hand(main, with_value(rig, path_of("mount.centres_by"), "synchronising"), tmp_path)


REFUSALS: list[tuple[str, str, dict[str, Any], str]] = [
    ("camera", "take", {"exposure_s": 0.0}, "an exposure of 0 s is not possible: 0.02 to 3600 s"),
    ("camera", "take", {"exposure_s": 1.0, "binning": 9}, "binning 9 is not possible: 1 to 4"),
    ("camera", "cool", {"set_point_c": -99}, "a set-point of -99 °C is not possible: -60 to 40 °C"),
    ("guide camera", "take", {"exposure_s": 600.0}, "an exposure of 600 s"),
    ("filter wheel", "to", {"filter": "Q"}, "filter 'Q' is not known; there is L, R, G"),
    ("focuser", "to", {"position": 50000}, "position 50000 is not possible: 0 to 40000"),
    ("mount", "slew", {"ra": "99 00 00", "dec": "+10"}, "99"),
    ("mount", "to", {"position": "moon"}, "position 'moon' is not known; there is flats, home"),
    ("mount", "nudge", {"direction": "up", "rate": 8.0}, "direction 'up' is not known"),
    ("mount", "nudge", {"direction": "north", "rate": 9.0},
    "9 × sidereal is not offered; there are 0.5, 8, 64"),
    ("rotator", "to", {"angle_deg": 400}, "angle 400° is not possible: 0 to 360°"),
    ("flat panel", "level", {"step": 9999}, "step 9999 is not possible: 0 to 4095"),
    ("heaters", "level", {"heater": "nose", "percent": 10}, "heater 'nose' is not known"),
    ("heaters", "level", {"heater": "secondary mirror", "percent": 110}, "0 to 100 %"),
    ("power", "switch", {"outlet": "moon", "on": True}, "outlet 'moon' is not known"),
    ("focuser", "dance", {}, "nothing is called 'dance'; there is connect"),
    ("focuser", "to", {}, "position is not given"),
    ("focuser", "to", {"position": "far"}, "'far' is not a whole number (steps)"),
    ("toaster", "on", {}, "there is no device called 'toaster'"),
]  # fmt: skip


def test_what_is_out_of_limits_is_refused_before_anything_moves(tmp_path: Path) -> None:
    async def main(gear: Gear) -> None:
        await gear.do("all", "connect")
        await gear.do("mount", "unpark")
        before = gear.truth.gear.state.model_dump(exclude={"at", "counters"})
        for device, action, values, says in REFUSALS:
            assert says in await gear.refused(device, action, **values), (device, action, values)
        assert gear.truth.gear.state.model_dump(exclude={"at", "counters"}) == before

    by_hand(main, full_rig(), tmp_path)


def test_every_kind_refuses_when_not_connected_busy_or_not_capable(tmp_path: Path) -> None:
    async def main(gear: Gear) -> None:
        values: dict[str, dict[str, Any]] = {
            "camera": {"exposure_s": 1.0}, "guide camera": {"exposure_s": 1.0},
            "filter wheel": {"filter": "L"},
            "focuser": {"position": 1}, "mount": {"ra": "1", "dec": "1"}, "rotator": {"angle_deg": 1},
            "heaters": {"heater": "secondary mirror", "percent": 1}, "power": {"outlet": "lamp", "on": True},
        }  # fmt: skip
        for device, actions in ((k.name, k.actions) for k in DEVICE_KINDS.values()):
            if actions:
                said = await gear.refused(device, actions[0].name, **values.get(device, {}))
                assert said.endswith("not connected") and said.startswith(device), said
        await gear.do("all", "connect")
        assert "every device is connected already" in await gear.refused("all", "connect")
        name, _ = await gear.ask("focuser", "to", position=39000)
        await asyncio.sleep(5)
        assert "busy with focuser to 39000" in await gear.refused("focuser", "by", steps=1)
        await gear.do("focuser", "stop")
        assert (await gear.over(name)).stage is Stage.STOPPED
        assert 21000 < gear.truth.gear.state.focuser_position < 39000
        early, _ = await gear.ask("rotator", "to", angle_deg=300)
        await gear.do("rotator", "stop")
        assert (await gear.over(early)).reason == "stopped"
        deed = await gear.do("mount", "slew", ra="05 16", dec="+34")
        assert deed.stage is Stage.FAILED and "parked, unpark it before slewing" in deed.reason
        await gear.do("mount", "unpark")
        await gear.do("roof", "open")
        deed = await gear.do("roof", "close")
        assert deed.stage is Stage.FAILED and "park the mount first" in deed.reason

    by_hand(main, full_rig(), tmp_path)


def test_cooling_begins_while_the_others_still_connect(tmp_path: Path) -> None:
    rig = with_value(full_rig(), ("simulated", "times_out"), {"mount": 1.0})

    async def main(gear: Gear) -> None:
        name, refused = await gear.ask("all", "ready")
        assert not refused
        await asyncio.sleep(10)
        reports = {r.name: r for r in (await gear.link.status()).reports}
        assert reports["mount"].doing == "connecting" and reports["focuser"].lamp == "ready"
        assert gear.truth.gear.state.set_point_c == -10
        deed = await gear.over(name)
        assert deed.stage is Stage.FAILED
        assert "mount: connect not done within 30 s" in deed.reason and "tried 2 times" in deed.reason
        assert "check its power and its cable, and whether another program holds its port" in deed.reason
        reports = {r.name: r for r in (await gear.link.status()).reports}
        assert reports["mount"].lamp == "fault" and reports["mount"].advice.startswith("check its power")
        assert sum(r.lamp == "ready" for r in reports.values()) == len(reports) - 1

    by_hand(main, rig, tmp_path)


def test_a_keeper_with_devices_connected_by_hand_stays_until_they_are_let_go(tmp_path: Path) -> None:
    async def main(gear: Gear) -> None:
        async def retire(**values: Any) -> str:
            return (await gear.link.ask(Ask(id="r", command=Command.RETIRE, values=values))).reason

        await gear.do("focuser", "connect")
        assert "the keeper stays to look after them" in await retire(if_free=True)
        await gear.do("focuser", "disconnect")
        await gear.do("mount", "connect")
        assert await retire() == "the keeper leaves", "who insists is obeyed"
        for _ in range(100):
            await asyncio.sleep(0.1)
        assert not any(gear.truth.gear.state.connected.values()), "and lets go of what was connected"

    by_hand(main, full_rig(), tmp_path)


def test_what_a_device_cannot_do_it_says_on_connecting(tmp_path: Path) -> None:
    rig = load(Rig, demo_file("tern-135.json"))
    rig = with_value(rig, ("panel",), {"name": "A lamp", "levels": 0})

    async def main(gear: Gear) -> None:
        await gear.do("all", "connect")
        assert await gear.refused("camera", "cool", set_point_c=0) == "camera: cool: it has no cooler"
        assert "it is on or off only" in await gear.refused("flat panel", "level", step=1)
        assert "has no focuser" in await gear.refused("focuser", "to", position=1)
        reports = {r.name: r for r in (await gear.link.status()).reports}
        assert reports["camera"].cannot["warm"] == "it has no cooler"
        assert reports["camera"].figures["camera.pixel_um"] == 5.6

    by_hand(main, rig, tmp_path)


def test_frames_are_taken_looped_and_measured(tmp_path: Path) -> None:
    async def main(gear: Gear) -> None:
        await gear.do("all", "connect")
        for device, action in (("roof", "open"), ("cover", "open"), ("mount", "unpark")):
            await gear.do(device, action)
        await asyncio.sleep(7200)
        await gear.do("mount", "slew", ra="05 16 29", dec="+34 21")
        frame = await gear.do("camera", "take", exposure_s=5.0)
        path = Path(frame.values["path"])
        assert frame.values["stars"] > 5 and "HFR" in frame.reason
        header = read_frame(path).header
        assert header["IMAGETYP"] == "TRIAL" and header["EXPTIME"] == 5.0 and header["FOCALLEN"] == 1520
        name, _ = await gear.ask("guide camera", "loop", exposure_s=1.0)
        await gear.frames(name, 5)
        await gear.do("guide camera", "stop")
        assert (await gear.over(name)).stage is Stage.STOPPED
        kept = sorted(p.name for p in path.parent.glob("guide-camera*"))
        assert kept == [f"guide-camera_loop-{n}.fits" for n in range(3)], "a ring, not a heap"

    by_hand(main, full_rig(), tmp_path)


def test_during_a_night_only_in_a_hold_and_what_it_disturbs_is_measured_again(tmp_path: Path) -> None:
    seen: dict[str, Any] = {}

    async def meddle(event: Event, played: Played) -> None:
        async def ask(device: str, action: str, **values: Any) -> Any:
            return await played.ask(Command.DEVICE, device=device, action=action, **values)

        if event.kind is Kind.FRAME_MEASURED and "refused" not in seen:
            seen["refused"] = (await ask("focuser", "by", steps=5)).reason
            await played.ask(Command.HOLD, reason="a look")
        if event.kind is Kind.HELD and "nudged" not in seen:
            answer = await ask("mount", "nudge", direction="north", rate=64.0, seconds=3.0)
            seen["nudged"] = answer.taken
        if event.kind is Kind.BY_HAND:
            seen["pointing"] = played.keeper._night.state.pointing  # type: ignore[union-attr]
            await played.ask(Command.RESUME)

    played = play(quick_rig(), short_plan(count=2), tmp_path, on_event=meddle, quick=True)
    assert seen["refused"] == "focuser: a night runs; hold it first, only stop works meanwhile"
    assert seen["nudged"] and seen["pointing"] is None
    by_hand_events = played.of(Kind.BY_HAND)
    assert by_hand_events[0].reason.startswith("mount nudge north 64 3: north by")
    after = [e for e in played.events if e.id > by_hand_events[0].id]
    assert any(e.kind is Kind.ACTIVITY_ENDED and e.values["kind"] == "centre" for e in after)
    measured = [e.values["off_px"] for e in played.of(Kind.FRAME_MEASURED)]
    assert len(measured) == 4 and max(measured) < 5


def test_values_from_the_command_line() -> None:
    action = find_action("mount", "nudge")
    assert read_values("mount", action, ["north", "64"]) == {
        "direction": "north",
        "rate": 64.0,
        "seconds": 1.0,
    }
    assert read_values("mount", find_action("mount", "track"), ["off"]) == {"on": False}
    with pytest.raises(UnknownAction, match="mount nudge DIRECTION RATE"):
        read_values("mount", action, ["north"])
    with pytest.raises(ValueError, match="on: 'perhaps' is not a on or off"):
        read_values("mount", find_action("mount", "track"), ["perhaps"])


# -- the rig changed in mid-night ---------------------------------------------------------------------


def changed(values: dict[str, Any]) -> dict[str, Any]:
    rig = with_values(quick_rig(), {path_of(path): value for path, value in values.items()})
    return rig.model_dump(mode="json")


def test_a_safe_value_takes_effect_at_the_next_safe_point_and_says_so(tmp_path: Path) -> None:
    seen: dict[str, Any] = {}

    async def change(event: Event, played: Played) -> None:
        if event.kind is Kind.EXPOSURE_STARTED and "said" not in seen:
            rig = changed({"heaters.outputs.0.level_percent": 75.0, "mount.flip.latest_min": 15.0})
            seen["said"] = (await played.ask(Command.RIG, rig=rig)).reason
            seen["at"] = event.id

    played = play(quick_rig(), short_plan(count=2), tmp_path, on_event=change, quick=True)
    assert (
        seen["said"] == "at the next safe point: mount · flip window · latest, heaters · heaters · 1 · level"
    )
    (told,) = played.of(Kind.RIG_CHANGED)
    assert "level 40 → 75" in told.reason and "from the next safe point on" in told.reason
    ended = next(e for e in played.events if e.kind is Kind.EXPOSURE_ENDED and e.id > seen["at"])
    assert told.id > ended.id, "the exposure under way is not disturbed"
    heated = [e for e in played.events if e.kind is Kind.ACTIVITY_STARTED and e.values["kind"] == "heat"]
    assert len(heated) == 2 and "wanted 75" in heated[1].reason and heated[1].id > told.id
    assert len(played.frames) == 4


def test_geometry_waits_for_the_nights_end_and_says_so(tmp_path: Path) -> None:
    seen: dict[str, Any] = {}

    async def change(event: Event, played: Played) -> None:
        if event.kind is Kind.EXPOSURE_STARTED and "said" not in seen:
            values = {"telescope.focal_length_mm": 500.0, "camera.cooler.set_point_c": -5.0, "guider": None}
            rig = changed({**values, "mount.settle_s": 7.0})
            seen["said"] = (await played.ask(Command.RIG, rig=rig)).reason
            seen["deferred"] = (await played.link.status()).deferred
        if event.kind is Kind.NIGHT_OVER:
            for _ in range(50):
                await asyncio.sleep(0.1)
            seen["rig"] = played.keeper._equipment.rig
            seen["devices"] = set((await played.link.status()).devices)

    played = play(quick_rig(), short_plan(count=1), tmp_path, on_event=change)
    assert seen["said"] == (
        "at the next safe point: mount · settles in; when the night is over: telescope · focal length, "
        "guider, camera · cooler · set-point"
    )
    assert seen["deferred"] == ["telescope.focal_length_mm", "guider", "camera.cooler.set_point_c"]
    assert {round(read_frame(Path(f["path"])).header["FOCALLEN"]) for f in played.frames} == {480}
    assert {read_frame(Path(f["path"])).header["SET-TEMP"] for f in played.frames} == {-10}
    rig = seen["rig"]
    assert (rig.telescope.focal_length_mm, rig.guider, rig.mount.settle_s) == (500, None, 7)
    assert "guide camera" not in seen["devices"]


def test_a_rig_that_cannot_be_used_changes_nothing(tmp_path: Path) -> None:
    async def main(gear: Gear) -> None:
        for rig, says in (
            ({"name": "x"}, "id: is missing"),
            ({**changed({}), "id": "another"}, "this is the keeper of another rig: stork-1600, not another"),
        ):
            answer = await gear.link.ask(Ask(id="r", command=Command.RIG, values={"rig": rig}))
            assert not answer.taken and says in answer.reason
        assert gear.keeper._equipment.rig == full_rig()

    by_hand(main, full_rig(), tmp_path)


def test_a_changed_rig_keeps_connections_and_takes_new_devices(tmp_path: Path) -> None:
    async def main(gear: Gear) -> None:
        await gear.do("focuser", "connect")
        rig = with_values(full_rig(), {("focuser", "highest"): 30000, ("rotator",): None})
        ask = Ask(id="r", command=Command.RIG, values={"rig": rig.model_dump(mode="json")})
        assert (await gear.link.ask(ask)).reason == "in force"
        lamps = (await gear.link.status()).devices
        assert lamps["focuser"] == "ready" and "rotator" not in lamps
        assert "0 to 30000" in await gear.refused("focuser", "to", position=35000)

    by_hand(main, full_rig(), tmp_path)
