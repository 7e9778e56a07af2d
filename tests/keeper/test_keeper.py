"""The keeper: its lock, its socket, its commands, what it finds after a crash."""

import asyncio
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from campaigns.demo import demo_plan, quick_rig, short_plan
from campaigns.night import Played, play
from vigil.cli.assemble import equip, seed_of
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Answer, Ask, Command, Live, Resync
from vigil.documents.night import NightState, fold_all
from vigil.documents.scenario import Scenario
from vigil.engine.rehearsal import no_file
from vigil.files.fits import write_frame
from vigil.keeper import server as server_module
from vigil.keeper.keeper import Keeper
from vigil.keeper.lock import RigLock, RigTaken
from vigil.keeper.reconcile import unrecorded_frames
from vigil.keeper.server import Server
from vigil.ledger.ledger import Ledger
from vigil.link.endpoint import KeeperGone
from vigil.link.loopback import Loopback
from vigil.link.socket import SocketLink
from vigil.link.wire import decode, encode
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import SimulatedLoop, run_virtual, simulated_loop
from vigil.runtime.workshop import Workshop
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.quick import QuickMeasurer


def ask(command: Command, **values: Any) -> Ask:
    return Ask(id="t", command=command, values=values)


async def make_keeper(folder: Path, simulated: bool = True) -> tuple[Keeper, Ledger]:
    rig = quick_rig()
    assert rig.simulated is not None
    clock, workshop = ScenarioClock(rig.simulated.starts_at), Workshop(0)
    observatory = SimObservatory(rig, 1, clock, workshop, quick=True)
    equipment = equip(rig, observatory, clock, workshop, folder / "frames", folder / "rescued")
    equipment = replace(equipment, measurer=QuickMeasurer(), write=no_file)
    ledger = Ledger()
    return Keeper(equipment, ledger, simulated_loop() if simulated else None), ledger


def with_keeper(folder: Path, main: Any) -> Any:
    async def run() -> Any:
        keeper, ledger = await make_keeper(folder)
        keeping = asyncio.ensure_future(keeper.run())
        try:
            return await main(keeper, Loopback(keeper))
        finally:
            keeper.end("the test is over")
            await asyncio.wait({keeping})
            ledger.close()

    return run_virtual(run())


def test_one_keeper_for_a_rig(tmp_path: Path) -> None:
    path = tmp_path / "keeper.lock"
    holder = subprocess.Popen(
        [
            sys.executable, "-c",
            f"from vigil.keeper.lock import RigLock; from pathlib import Path\n"
            f"with RigLock(Path({str(path)!r})): print('held', flush=True); input()",
        ],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
        env={"PYTHONPATH": str(Path(__file__).parents[2] / "src")},
    )  # fmt: skip
    assert holder.stdout is not None and holder.stdout.readline() == "held\n"
    with pytest.raises(RigTaken, match=f"as process {holder.pid}"), RigLock(path):
        pass
    holder.kill()
    holder.wait()
    with RigLock(path):  # freed with its process, however that died
        assert path.stat().st_mode & 0o777 == 0o600


def test_commands_without_a_night_are_refused_with_the_reason(tmp_path: Path) -> None:
    async def main(keeper: Keeper, link: Loopback) -> None:
        for command in (Command.HOLD, Command.RESUME, Command.END):
            answer = await link.ask(ask(command))
            assert not answer.taken and answer.reason == "no night is under way"
        status = await link.status()
        assert (status.run, status.night, status.done, status.wanted) == ("ready", None, 0, 0)
        assert set(status.devices.values()) == {"not connected"}

    with_keeper(tmp_path, main)


def test_bad_plans_and_folders_do_not_start_a_night(tmp_path: Path) -> None:
    in_the_way = tmp_path / "file"
    in_the_way.write_text("not a folder")
    plan = demo_plan().model_dump(mode="json")
    other_filter = demo_plan().model_dump(mode="json")
    other_filter["blocks"][0]["lines"][0]["filter"] = "Q"

    async def main(keeper: Keeper, link: Loopback) -> None:
        for values, says in (
            ({}, "no 'plan'"),
            ({"plan": {"name": "x"}}, "blocks: is missing"),
            ({"plan": other_filter}, "has no filter 'Q'"),
            ({"plan": plan, "frames_folder": str(in_the_way / "x")}, "can't be written there"),
        ):
            answer = await link.ask(ask(Command.START, **values))
            assert not answer.taken and says in answer.reason
        assert (await link.status()).run == "ready"
        assert in_the_way.read_text() == "not a folder"

    with_keeper(tmp_path, main)


def test_a_second_night_waits_for_the_first(tmp_path: Path) -> None:
    plan = short_plan(count=1).model_dump(mode="json")

    async def main(keeper: Keeper, link: Loopback) -> list[str]:
        nights = []
        for _ in range(2):
            answer = await link.ask(ask(Command.START, plan=plan))
            assert answer.taken
            again = await link.ask(ask(Command.START, plan=plan))
            assert not again.taken and "under way already" in again.reason
            assert not (await link.ask(ask(Command.RETIRE))).taken
            nights.append(answer.reason)
            async for news in link.news():
                if isinstance(news, Event) and news.kind is Kind.WAITING:
                    assert (await link.ask(ask(Command.END, reason="enough"))).taken
                if isinstance(news, Event) and news.kind is Kind.CLOSING_STARTED:
                    status = await link.status()
                    assert status.run in ("closing", "over")
                if isinstance(news, Event) and news.kind is Kind.NIGHT_OVER:
                    break
        return nights

    first, second = with_keeper(tmp_path, main)
    assert (first[-2:], second[-2:]) == ("-1", "-2")


def test_speed_and_skip_are_for_simulated_time(tmp_path: Path) -> None:
    plan = short_plan(count=1).model_dump(mode="json")

    async def scaled(keeper: Keeper, link: Loopback) -> None:
        loop = simulated_loop()
        assert not (await link.ask(ask(Command.SPEED, speed=60))).taken  # it jumps already
        loop.speed = 2.0
        refused = [await link.ask(ask(Command.SPEED, speed=s)) for s in (0, 5000, "fast", None)]
        assert not any(a.taken for a in refused) and "1 to 1000" in refused[0].reason
        assert not (await link.ask(ask(Command.JUMP_AHEAD))).taken  # no night
        assert (await link.ask(ask(Command.SPEED, speed=60))).taken
        status = await link.status()
        # time hurries only while a night is under way
        assert (status.clock, status.speed, loop.speed) == ("scaled", 60.0, 1.0)
        # a whole night by skipping from event to event: time jumps, and the speed is kept
        await link.ask(ask(Command.START, plan=plan))
        async for news in link.news():
            if isinstance(news, Event) and news.kind is Kind.NIGHT_OVER:
                break
            if isinstance(news, Event) and news.kind is Kind.EXPOSURE_STARTED:
                assert loop.speed == 60.0
            assert (await link.ask(ask(Command.JUMP_AHEAD))).taken
        status = await link.status()
        assert (status.speed, status.done) == (60.0, 2)

    with_keeper(tmp_path, scaled)

    async def by_itself(keeper: Keeper, link: Loopback) -> None:
        """A job of darks hurries too, but for when a person is asked."""
        loop = simulated_loop()
        loop.speed = 2.0
        assert (await link.ask(ask(Command.SPEED, speed=1000))).taken
        news = link.news()
        answer = await link.ask(ask(Command.BEGIN, kind="darks", sets=[{"exposure_s": 5, "count": 2}]))
        assert answer.taken, answer.reason
        speeds: dict[Kind, float] = {}
        async for event in news:
            if not isinstance(event, Event) or event.errand != answer.reason:
                continue
            await asyncio.sleep(0)
            speeds[event.kind] = loop.speed
            if event.kind is Kind.QUESTION_ASKED:
                values = {"errand": answer.reason, "question": 1, "answer": "it is dark"}
                while True:  # it is on record before it stands open
                    if (await link.ask(ask(Command.ANSWER, **values))).taken:
                        break
                    await asyncio.sleep(0.01)
            if event.kind is Kind.ERRAND_ENDED:
                break
        assert speeds[Kind.QUESTION_ASKED] == 1.0 and speeds[Kind.ERRAND_STEP] == 1000.0, speeds
        await asyncio.sleep(1)
        assert loop.speed == 1.0

    with_keeper(tmp_path / "alone", by_itself)

    async def real(keeper: Keeper, link: Loopback) -> None:
        keeper._pace = None
        answer = await link.ask(ask(Command.SPEED, speed=60))
        assert not answer.taken and answer.reason == "the rig is real, and so is its time"
        assert (await link.status()).clock == "real"

    with_keeper(tmp_path / "real", real)


def test_another_protocol_may_only_make_it_safe(tmp_path: Path) -> None:
    async def main(keeper: Keeper, link: Loopback) -> None:
        answer = await link.ask(Ask(id="t", command=Command.START, protocol=99))
        assert not answer.taken and "protocol 3, the client 99" in answer.reason
        answer = await link.ask(Ask(id="t", command=Command.END, protocol=99))
        assert answer.reason == "no night is under way"

    with_keeper(tmp_path, main)


def test_attaching_late_tells_everything_once(tmp_path: Path) -> None:
    plan = short_plan(count=1).model_dump(mode="json")

    async def listen(link: Loopback, after: int = 0) -> list[int]:
        ids = []
        async for news in link.news(after):
            assert isinstance(news, Event)
            ids.append(news.id)
            if news.kind is Kind.NIGHT_OVER:
                return ids
        return ids

    async def main(keeper: Keeper, link: Loopback) -> None:
        await link.ask(ask(Command.START, plan=plan))
        early = asyncio.ensure_future(listen(link))
        await asyncio.sleep(1500)
        late = asyncio.ensure_future(listen(link))
        partly = asyncio.ensure_future(listen(link, after=5))
        everything = await early
        assert everything == sorted(set(everything)) and len(everything) > 30
        assert await late == everything
        assert await partly == [i for i in everything if i > 5]

    with_keeper(tmp_path, main)


def test_a_listener_that_raises_is_switched_off_and_the_night_goes_on(tmp_path: Path) -> None:
    plan = short_plan(count=1).model_dump(mode="json")

    async def main(keeper: Keeper, link: Loopback) -> int:
        calls = 0

        def raises(event: Event) -> None:
            nonlocal calls
            calls += 1
            raise RuntimeError("a bad plot")

        keeper.listen(raises)
        await link.ask(ask(Command.START, plan=plan))
        async for news in link.news():
            if isinstance(news, Event) and news.kind is Kind.NIGHT_OVER:
                assert news.values["frames"] == 2
                return calls
        return -1

    assert with_keeper(tmp_path, main) == 1


def test_the_socket_end_to_end(tmp_path: Path) -> None:
    """Status, commands and news through a real socket, from a client on a loop of its own."""
    path = tmp_path / "k.sock"
    plan = short_plan(count=1).model_dump(mode="json")

    async def client() -> tuple[list[str], int]:
        async with SocketLink(path) as link:
            assert (await link.status()).run == "ready"
            assert (await link.ask(ask(Command.START, plan=plan))).taken
            kinds = []
            async for news in link.news():
                if isinstance(news, Event):
                    kinds.append(news.kind.value)
                    if news.kind is Kind.NIGHT_OVER:
                        break
            status = await link.status()
            assert (await link.ask(ask(Command.RETIRE))).taken
            return kinds, status.done

    async def keep() -> tuple[list[str], int]:
        keeper, ledger = await make_keeper(tmp_path)
        server = Server(keeper, path, when_idle=lambda: None)
        server.start()
        assert path.stat().st_mode & 0o777 == 0o600
        asking = asyncio.get_running_loop().run_in_executor(None, asyncio.run, client())
        keeping = asyncio.ensure_future(keeper.run())
        result = await asking
        await keeping
        await server.stop()
        ledger.close()
        return result

    # real time: the client's job would stop a virtual clock, and the night waits for the client
    kinds, done = asyncio.run(asyncio.wait_for(_quickly(keep), 120))
    assert kinds[0] == "night_started" and kinds[-1] == "night_over" and done == 2
    assert not path.exists()
    with pytest.raises(KeeperGone, match="no keeper answers"):
        asyncio.run(_status(path))


async def _status(path: Path) -> None:
    async with SocketLink(path) as link:
        await link.status()


async def _quickly(keep: Any) -> Any:
    class Unstopped(SimulatedLoop):
        """Time goes on although the client's thread counts as a job."""

        @property
        def job_under_way(self) -> bool:
            return self._jobs > 1

    def run() -> Any:
        with asyncio.Runner(loop_factory=Unstopped) as runner:
            return runner.run(keep())

    return await asyncio.to_thread(run)


def test_an_idle_keeper_leaves(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async def main() -> bool:
        keeper, ledger = await make_keeper(tmp_path, simulated=False)
        left = asyncio.Event()
        server = Server(keeper, tmp_path / "k.sock", when_idle=left.set, idle_limit_s=0.05)
        server.start()
        async with asyncio.timeout(30):
            await left.wait()
        await server.stop()
        ledger.close()
        return True

    assert server_module.IDLE_LIMIT_S == 600
    assert asyncio.run(main())


def announce(path: Path, frame_id: str) -> dict[str, Any]:
    return {
        "frame_id": frame_id,
        "path": str(path),
        "line": "x",
        "block": "b",
        "filter": "L",
        "exposure_s": 60.0,
    }


def test_frames_on_disk_but_not_in_the_ledger_are_found(tmp_path: Path) -> None:
    image = np.zeros((64, 64), np.uint16)
    whole, half, foreign, rescued = (tmp_path / f"{n}.fits" for n in ("whole", "half", "foreign", "rescued"))
    rescue = tmp_path / "rescue"
    rescue.mkdir()
    write_frame(whole, image, {"FRAMEID": ("n-0001", ""), "FOCUSPOS": (6000, "")})
    half.write_bytes(whole.read_bytes()[:3000])
    write_frame(foreign, image, {"FRAMEID": ("other", "")})
    write_frame(rescue / "rescued.fits", image, {"FRAMEID": ("n-0004", "")})
    announced = {
        f"n-000{k}": announce(path, f"n-000{k}")
        for k, path in enumerate((whole, half, foreign, rescued, tmp_path / "never.fits"), start=1)
    }
    found = unrecorded_frames(NightState(announced=announced, saved={}), rescue)
    assert [values["frame_id"] for values, _ in found] == ["n-0001", "n-0004"]
    assert found[0][0]["focus_position"] == 6000
    assert found[1][0]["path"] == str(rescue / "rescued.fits")
    known = NightState(announced=announced, saved={"n-0001": {}})
    assert [values["frame_id"] for values, _ in unrecorded_frames(known, rescue)] == ["n-0004"]


def test_news_survives_the_wire() -> None:
    event = fold_all([]).started
    assert event is None
    for news in (
        Event(
            id=3,
            errand="n",
            at="2027-01-12T17:00:00Z",
            kind=Kind.HELD,
            values={"a": [1, None, "′"]},
            reason="r",
        ),  # type: ignore[arg-type]
        Live(
            errand="n",
            at="2027-01-12T17:00:00Z",
            topic="exposure",
            words="w",
            initial=0,
            current=1,
            target=2,
            unit="s",  # type: ignore[arg-type]
        ),
        Resync(),
    ):
        assert decode(encode(news)) == news
    with pytest.raises(ValueError):
        decode('{"a": 1, "b": 2}')


def test_the_seed_asked_for_wins() -> None:
    rig, usual, own = quick_rig(), Scenario(), Scenario(seed=5)
    assert (seed_of(rig, None, usual), seed_of(rig, 0, usual), seed_of(rig, 7, usual)) == (1, 0, 7)
    assert (seed_of(rig, None, own), seed_of(rig, 0, own)) == (5, 0)


def test_the_scenario_is_looked_at_and_changed_through_the_keeper(tmp_path: Path) -> None:
    told: list[Answer] = []

    async def listen(event: Event, played: Played) -> None:
        if event.kind is Kind.EXPOSURE_STARTED and not told:
            told.append(await played.ask(Command.SCENARIO))
            told.append(await played.ask(Command.SCENARIO, values={"air.overcast_mag": 9.0}))
            told.append(await played.ask(Command.SCENARIO, values={"air.overcast": 9.0}))

    played = play(quick_rig(), short_plan(), tmp_path, on_event=listen, quick=True)
    looked, changed, refused = told
    assert looked.taken and looked.values["now"]["cloud_mag"] == 0
    assert changed.taken and changed.reason == "air · cloud all over 9"
    assert changed.values["now"]["cloud_mag"] > 3
    assert not refused.taken and "has no air.overcast" in refused.reason
    stars = [e.values["stars"] for e in played.of(Kind.FRAME_MEASURED)]
    assert len(stars) == 4 and max(stars) < 20, "under nine magnitudes of cloud there is nothing to see"


def test_a_real_sky_can_not_be_played_with(tmp_path: Path) -> None:
    async def main(keeper: Keeper, link: Loopback) -> None:
        answer = await link.ask(ask(Command.SCENARIO))
        assert not answer.taken and "the rig is real" in answer.reason

    with_keeper(tmp_path, main)
