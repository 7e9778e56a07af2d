"""Guards by day, in work by hand, between nights; and a person's emergency stop."""

import asyncio
import dataclasses
from collections.abc import Callable, Coroutine
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import quick_rig, short_plan
from campaigns.rigs import example, small
from tests.fakes import Failing, under
from vigil.cli.assemble import equip
from vigil.devices.protocols import Devices
from vigil.documents.deeds import Deeds
from vigil.documents.errands import GUARD, ErrandState
from vigil.documents.events import Event
from vigil.documents.messages import Answer, Ask, Command
from vigil.documents.rig import Rig
from vigil.engine.activities.shelter import Shelter
from vigil.engine.guards.guards import Guards
from vigil.engine.rehearsal import no_file
from vigil.keeper.keeper import Keeper
from vigil.ledger.ledger import Ledger
from vigil.ledger.store import LedgerError, LedgerStore
from vigil.link.loopback import Loopback
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import run_virtual, simulated_loop
from vigil.runtime.workshop import Workshop
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.quick import QuickMeasurer
from vigil.simulator.quickeye import QuickEye
from vigil.sky.angles import separation_deg
from vigil.sky.bodies import observe_sun
from vigil.sky.horizontal import observe, unobserve
from vigil.sky.instants import from_datetimes

ROOFED = small(example("stork-1600"), 4)
NOON = datetime(2027, 1, 12, 11, tzinfo=UTC)
NIGHT = datetime(2027, 1, 12, 19, tzinfo=UTC)


@dataclasses.dataclass
class Gear:
    """A keeper with nothing under way, on virtual time, and its gear."""

    keeper: Keeper
    link: Loopback
    observatory: SimObservatory
    clock: ScenarioClock
    told: Deeds

    @property
    def guarded(self) -> list[ErrandState]:
        """What guards did and noticed, in order."""
        return [state for state in self.told.states.values() if state.kind == GUARD]

    async def do(self, device: str, action: str, **values: Any) -> Answer:
        answer = await self.ask(Command.DEVICE, device=device, action=action, **values)
        await asyncio.sleep(90)
        return answer

    async def ask(self, command: Command, **values: Any) -> Answer:
        return await self.link.ask(Ask(id=f"{command}", command=command, values=values))

    def towards(self, hour_angle_deg: float, dec_deg: float) -> dict[str, str]:
        """A place in the sky as people write it."""
        at = from_datetimes(self.clock.utcnow())
        ra, dec = unobserve(hour_angle_deg, dec_deg, at, ROOFED.site.place())
        return {"ra": f"{float(ra) % 360 / 15:.5f}h", "dec": f"{float(dec):.3f}"}

    @property
    def stands(self) -> tuple[Any, ...]:
        state = self.observatory.truth.gear.state
        return state.parked, state.tracking, state.shutters.get("roof"), state.shutters.get("cover")


SHUT, OPEN = (True, False, "closed", "closed"), (False, True, "open", "open")


def by_hand(
    rig: Rig,
    at: datetime,
    out: Path,
    work: Callable[[Gear], Coroutine[Any, Any, Any]],
    alter: Callable[[Devices], Devices] = lambda devices: devices,
    look_every_s: float = 1.0,
) -> Any:
    """`look_every_s`: guards look more seldom where hours pass and no second matters."""
    assert rig.simulated is not None
    rig = rig.model_copy(update={"simulated": rig.simulated.model_copy(update={"starts_at": at})})

    async def main() -> Any:
        clock, workshop, ledger = ScenarioClock(at), Workshop(0), Ledger()
        observatory = SimObservatory(rig, 1, clock, workshop, quick=True)
        equipment = equip(rig, observatory, clock, workshop, out, out, alter(observatory.devices))
        equipment = dataclasses.replace(
            equipment, measurer=QuickMeasurer(), eye=QuickEye(), write=no_file, look_every_s=look_every_s
        )
        keeper = Keeper(equipment, ledger, pace=simulated_loop(), looks_when_idle=True)
        gear = Gear(keeper, Loopback(keeper), observatory, clock, Deeds())
        keeping = asyncio.ensure_future(keeper.run())

        async def listen() -> None:
            async for news in gear.link.news():
                if isinstance(news, Event):
                    gear.told.of_event(news)

        listening = asyncio.ensure_future(listen())
        try:
            return await work(gear)
        finally:
            keeper.end("the test is over")
            await asyncio.wait({keeping})
            listening.cancel()
            ledger.close()

    return run_virtual(main())


async def opened(gear: Gear) -> None:
    """Everything connected, open, and the mount on a star."""
    assert (await gear.do("all", "connect")).taken
    for device in ("roof", "cover"):
        assert (await gear.do(device, "open")).taken
    assert (await gear.do("mount", "unpark")).taken
    assert (await gear.do("mount", "slew", ra="5h16m", dec="+34 21")).taken


def test_rain_shuts_what_a_person_left_open_without_any_night(tmp_path: Path) -> None:
    rain = NIGHT + timedelta(minutes=30)

    async def work(gear: Gear) -> None:
        await opened(gear)
        assert gear.stands == OPEN
        await asyncio.sleep((rain - gear.clock.utcnow()).total_seconds())
        await asyncio.sleep(120)
        assert gear.stands == SHUT
        (told,) = gear.guarded
        assert "the safety sensor says unsafe" in told.given["why"] and told.outcome == "done"
        alarm = (await gear.link.status()).alarm
        assert alarm is not None and alarm.words.startswith("shutting and parking: the safety sensor says")

    by_hand(ROOFED, NIGHT, tmp_path, work, under(lambda at: at < rain))


@pytest.mark.parametrize("kind", ["backlash", "guiding"])
def test_rain_takes_the_gear_from_a_bench_and_shuts(tmp_path: Path, kind: str) -> None:
    """A bench is no guard's business, and no hindrance."""
    rain = NIGHT + timedelta(minutes=10)

    async def work(gear: Gear) -> None:
        await opened(gear)
        answer = await gear.ask(Command.BEGIN, kind=kind)
        assert answer.taken, answer.reason
        await asyncio.sleep((rain - gear.clock.utcnow()).total_seconds() - 1)
        assert [e.kind for e in (await gear.link.status()).errands] == [kind], "still under way"
        await asyncio.sleep(120)
        assert gear.stands == SHUT and not (await gear.link.status()).errands
        (run,) = [state for state in gear.told.states.values() if state.kind == kind]
        assert run.outcome != "done"

    by_hand(ROOFED, NIGHT, tmp_path, work, under(lambda at: at < rain))


@pytest.mark.parametrize("thrown", [ConnectionResetError(104, "reset"), None])
def test_a_sensor_that_throws_or_hangs_counts_as_rain(tmp_path: Path, thrown: BaseException | None) -> None:
    """The last word of a sensor that hangs is believed for a few seconds only."""
    kept: list[Failing] = []

    def alter(devices: Devices) -> Devices:
        kept.append(Failing(devices.safety, thrown))
        return dataclasses.replace(devices, safety=kept[0])

    async def work(gear: Gear) -> None:
        await opened(gear)
        kept[0].from_read = 0
        await asyncio.sleep(130)
        assert gear.stands == SHUT

    by_hand(ROOFED, NIGHT, tmp_path, work, alter)


def test_guards_that_can_not_see_shut_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """An error of ours in a look, for good: it fails closed, and the guards go on."""

    async def work(gear: Gear) -> None:
        await opened(gear)

        def broken(self: Guards, now: datetime) -> str | None:
            raise ZeroDivisionError("a mistake of ours")

        monkeypatch.setattr(Guards, "unsafe", broken)
        await asyncio.sleep(120)
        assert gear.stands == SHUT
        assert (await gear.do("mount", "unpark")).taken, "people are not locked out"

    by_hand(ROOFED, NIGHT, tmp_path, work)


def test_one_that_hangs_slows_no_other(tmp_path: Path) -> None:
    """Rain is seen as soon with a focuser that never answers."""
    rain = NIGHT + timedelta(minutes=30)
    kept: list[Failing] = []

    def alter(devices: Devices) -> Devices:
        kept.append(Failing(devices.focuser))
        return dataclasses.replace(under(lambda at: at < rain)(devices), focuser=kept[0])

    async def work(gear: Gear) -> None:
        await opened(gear)
        await asyncio.sleep((rain - gear.clock.utcnow()).total_seconds() - 7)
        kept[0].from_read = 0
        await asyncio.sleep(9)
        assert gear.observatory.truth.gear.state.motion is not None, "parking within two seconds"

    by_hand(ROOFED, NIGHT, tmp_path, work, alter)


def test_a_ledger_that_can_not_be_written_is_no_reason_to_shut_again_and_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    rain, begun = NIGHT + timedelta(minutes=30), []
    run = Shelter.run

    async def counted(self: Shelter, kit: Any) -> Any:
        begun.append(kit.clock.utcnow())
        return await run(self, kit)

    def full(self: LedgerStore, event: Event) -> Event:
        raise LedgerError("no space left")

    async def work(gear: Gear) -> None:
        await opened(gear)
        assert gear.stands == OPEN, "by hand too"
        await asyncio.sleep((rain - gear.clock.utcnow()).total_seconds() + 900)
        assert gear.stands == SHUT and len(begun) == 1
        assert (await gear.link.status()).errands == []

    monkeypatch.setattr(Shelter, "run", counted)
    monkeypatch.setattr(LedgerStore, "add", full)
    by_hand(ROOFED, NIGHT, tmp_path, work, under(lambda at: at < rain))


def test_when_the_day_comes_all_is_shut_unless_a_person_wants_it(tmp_path: Path) -> None:
    """Opened in the night and forgotten; opened in the morning on purpose."""

    async def work(gear: Gear) -> None:
        await opened(gear)
        await asyncio.sleep(3 * 3600)
        assert gear.stands == SHUT and "by day nothing stays open" in gear.guarded[-1].given["why"]
        assert (await gear.do("roof", "open")).taken
        await asyncio.sleep(3600)
        assert gear.stands[2] == "open", "somebody wants that"
        assert (await gear.do("roof", "close")).taken

    by_hand(ROOFED, datetime(2027, 1, 13, 4, 30, tzinfo=UTC), tmp_path, work, look_every_s=5.0)


def test_the_sun_is_kept_out_of_every_motion_and_of_a_tube_that_stands(tmp_path: Path) -> None:
    """By day a person may open the roof, and slew, and leave the tube where the sun will come."""

    def sun_away(gear: Gear) -> float:
        truth = gear.observatory.truth
        at, site = gear.clock.utcnow(), ROOFED.site.place()
        seen = observe(*truth.mount._believed_deg(at), from_datetimes(at), site)
        sun = observe_sun(from_datetimes(at), site)
        return float(separation_deg(seen.hour_angle_deg, seen.dec_deg, sun.hour_angle_deg, sun.dec_deg))

    async def work(gear: Gear) -> None:
        await gear.do("all", "connect")
        await gear.do("roof", "open")
        await gear.do("cover", "open")
        await gear.do("mount", "unpark")
        assert (await gear.do("mount", "slew", **gear.towards(-35.0, -5.0))).taken
        least = 180.0
        await gear.ask(Command.DEVICE, device="mount", action="slew", **gear.towards(40.0, -20.0))
        for _ in range(90):
            await asyncio.sleep(1)
            least = min(least, sun_away(gear))
        assert least > 19, "round it"
        # it does not track any more, and the sun comes its way
        await gear.do("mount", "slew", **gear.towards(32.0, -20.0))
        await gear.do("mount", "track", on="off")
        for _ in range(200):
            await asyncio.sleep(60)
            if gear.stands[0]:
                break
            assert sun_away(gear) > 19
        await asyncio.sleep(60)
        assert gear.stands == SHUT
        assert any("from where the open tube looks" in e.given["why"] for e in gear.guarded)

    by_hand(ROOFED, NOON, tmp_path, work, look_every_s=5.0)


def test_the_mounts_limit_is_guarded_in_work_by_hand(tmp_path: Path) -> None:
    rig = quick_rig()

    async def work(gear: Gear) -> None:
        await gear.do("all", "connect")
        await gear.do("mount", "unpark")
        await gear.do("mount", "slew", ra="5h16m", dec="+34 21")
        await asyncio.sleep(7 * 3600)
        assert gear.stands[:2] == (False, False), "it stands"
        told = [e.words for e in gear.guarded if e.given.get("device") == "mount"]
        assert len(told) == 1 and "still west of the pier, limit 20 min" in told[0]

    by_hand(rig, datetime(2027, 1, 12, 17, tzinfo=UTC), tmp_path, work, look_every_s=5.0)


def test_an_emergency_stop_wins_over_shelter_and_is_not_for_ever(tmp_path: Path) -> None:
    rain = NIGHT + timedelta(minutes=30)

    async def work(gear: Gear) -> None:
        await opened(gear)
        await asyncio.sleep((rain - gear.clock.utcnow()).total_seconds() + 8)
        state = gear.observatory.truth.gear.state
        assert state.motion is not None
        answer = await gear.ask(Command.STOP)
        assert answer.taken and "everything stands still" in answer.reason
        assert state.motion is None and not state.tracking and not state.parked
        await asyncio.sleep(500)
        assert gear.stands == (False, False, "open", "stopped"), "nobody moves anything"
        assert (await gear.link.status()).stopped_until is not None
        await asyncio.sleep(300)
        assert gear.stands == SHUT, "nobody spoke for ten minutes, and it rains"
        assert (await gear.link.status()).stopped_until is None

    by_hand(ROOFED, NIGHT, tmp_path, work, under(lambda at: at < rain))


def test_a_keeper_that_leaves_leaves_nothing_open(tmp_path: Path) -> None:
    async def work(gear: Gear) -> Gear:
        await opened(gear)
        return gear

    left = by_hand(ROOFED, NIGHT, tmp_path, work)
    assert left.stands == SHUT
    assert not any(left.observatory.truth.gear.state.connected.values())


def test_a_start_after_a_retire_is_refused_and_nothing_is_on_record(tmp_path: Path) -> None:
    async def work(gear: Gear) -> None:
        assert (await gear.ask(Command.RETIRE)).taken
        answer = await gear.ask(Command.START, plan=short_plan().model_dump(mode="json"))
        assert not answer.taken and "this keeper leaves" in answer.reason
        assert await gear.keeper._ledger.unfinished(ROOFED.id) == []

    by_hand(quick_rig(), NIGHT, tmp_path, work)
