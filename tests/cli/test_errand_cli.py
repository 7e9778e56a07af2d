"""`vigil errand` and `vigil device` with a keeper that answers in this process, 300 times as fast."""

import asyncio
import gzip
import json
import threading
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import quick_rig, short_plan
from vigil.cli import main
from vigil.cli.assemble import equip
from vigil.documents.events import Kind
from vigil.documents.messages import Ask, Command
from vigil.documents.plan import NightPlan
from vigil.documents.steps import Ask as AskStep
from vigil.documents.store import save
from vigil.engine.rehearsal import no_file
from vigil.keeper.keeper import Keeper
from vigil.keeper.lock import RigLock
from vigil.keeper.server import Server
from vigil.ledger.ledger import Ledger
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.folders import Folders, folders_of
from vigil.runtime.simulated import SimulatedLoop
from vigil.runtime.workshop import Workshop
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.quick import QuickMeasurer

RIG = quick_rig()


class Kept:
    """A keeper on a thread of its own."""

    def __init__(self, folders: Folders) -> None:
        self._folders = folders
        self._loop = SimulatedLoop(300.0)
        self._ready, self.asked = threading.Event(), threading.Event()
        self._thread = threading.Thread(target=self._run)
        self._thread.start()
        self._ready.wait(30)

    def _run(self) -> None:
        with asyncio.Runner(loop_factory=lambda: self._loop) as runner:
            runner.run(self._keep())

    async def _keep(self) -> None:
        assert RIG.simulated is not None
        clock, workshop = ScenarioClock(RIG.simulated.starts_at), Workshop(0)
        ledger = Ledger(self._folders.ledger)
        observatory = SimObservatory(RIG, 1, clock, workshop, quick=True)
        equipment = equip(RIG, observatory, clock, workshop, self._folders.frames, self._folders.rescue)
        equipment = replace(equipment, measurer=QuickMeasurer(), write=no_file, look_every_s=20.0)
        self.keeper = Keeper(equipment, ledger)  # to it, the loop is real time
        self.keeper.listen(lambda e: self.asked.set() if e.kind is Kind.QUESTION_ASKED else None)
        server = Server(self.keeper, self._folders.socket, when_idle=lambda: None)
        server.start()
        self._ready.set()
        await self.keeper.run()
        await server.stop()
        ledger.close()

    def ask(self, command: Command, **values: Any) -> str:
        """From outside: it is not the command line that is looked at."""
        asked = self.keeper.answer(Ask(id="x", command=command, values=values))
        return asyncio.run_coroutine_threadsafe(asked, self._loop).result(30).reason

    def stop_in(self, seconds: float) -> None:
        """Of the keeper's time: whatever is under way."""
        asyncio.run_coroutine_threadsafe(self._stop_in(seconds), self._loop)

    async def _stop_in(self, seconds: float) -> None:
        await asyncio.sleep(seconds)
        await self.keeper.answer(Ask(id="x", command=Command.STOP_ERRAND))

    def end(self) -> None:
        self._loop.call_soon_threadsafe(self.keeper.end, "the test is over")
        self._thread.join()


@pytest.fixture
def kept(own_folders: Path) -> Iterator[Kept]:
    save(RIG, own_folders / "rig.json")
    made = Kept(folders_of(RIG.id))
    yield made
    made.end()


def said(capsys: pytest.CaptureFixture[str], own_folders: Path, *words: str) -> tuple[int, str, str]:
    code = main([*words, "--rig", str(own_folders / "rig.json")])
    out = capsys.readouterr()
    return code, out.out, out.err


def test_errands_are_listed_followed_and_stopped(kept: Kept, own_folders: Path, capsys: Any) -> None:
    assert said(capsys, own_folders, "errand", "list") == (0, "nothing is under way\n", "")
    code, out, err = said(capsys, own_folders, "errand", "stop")
    assert (code, out, err) == (2, "", "vigil: nothing is under way\n")
    code, out, err = said(capsys, own_folders, "device", "all", "connect")
    assert code == 0 and "connected" in out, err
    assert kept.ask(Command.DEVICE, device="camera", action="take", exposure_s=3600) == "camera take 3600 1"
    code, out, _ = said(capsys, own_folders, "errand", "list")
    assert code == 0 and "heron-480-by-hand-2  by hand: camera take 3600 1 since " in out
    code, out, _ = said(capsys, own_folders, "errand", "list", "--json")
    assert [(e["kind"], e["claims"]) for e in json.loads(out)] == [("by hand", ["camera"])]
    code, out, err = said(capsys, own_folders, "errand", "stop", "dome")
    assert code == 2 and "nothing under way is called 'dome'" in err
    assert said(capsys, own_folders, "errand", "stop", "by-hand-2")[:2] == (
        0,
        "camera take 3600 1: stopping\n",
    )
    code, out, err = said(capsys, own_folders, "errand", "follow")
    assert code == 2 or out, "it may be over by now"
    code, out, _ = said(capsys, own_folders, "errand", "list", "--past")
    assert code == 0 and "by hand: camera take 3600 1: stopped" in out and "by-hand-1" in out


def test_a_loop_is_followed_with_its_stream(kept: Kept, own_folders: Path, capsys: Any) -> None:
    assert said(capsys, own_folders, "device", "all", "connect")[0] == 0
    code, out, err = said(capsys, own_folders, "device", "camera", "loop", "2", "--count", "3")
    assert code == 0 and out.count("2 s: ") == 3, (out, err)
    kept.ask(Command.DEVICE, device="camera", action="loop", exposure_s=20)
    kept.stop_in(900)
    code, out, err = said(capsys, own_folders, "errand", "follow", "by hand", "--stream", "loop")
    assert code == 3 and "number 1" in out and out.splitlines()[-1].endswith("stopped by hand"), (out, err)


def test_a_question_is_answered(kept: Kept, own_folders: Path, capsys: Any) -> None:
    plan = short_plan(count=1)
    step = AskStep(id="caps", question="are the caps off?", wait_min=600, otherwise="end the night")
    plan = NightPlan.model_validate({**plan.model_dump(), "opening": [step.model_dump()]})
    assert kept.ask(Command.START, plan=plan.model_dump(mode="json")).endswith("heron-480-1")
    assert kept.asked.wait(60)
    code, out, _ = said(capsys, own_folders, "errand", "list")
    assert "asks: are the caps off? [yes]; at " in out and out.rstrip().endswith("end the night")
    code, _, err = said(capsys, own_folders, "errand", "answer", "perhaps")
    assert code == 2 and "is no answer to that; there is yes" in err
    assert said(capsys, own_folders, "errand", "answer", "yes")[:2] == (0, "are the caps off?: yes\n")
    code, _, err = said(capsys, own_folders, "night", "accept")
    assert code == 2 and "nothing is asked" in err
    assert said(capsys, own_folders, "errand", "stop", "night")[0] == 0


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["list", "--stream", "loop"], "--stream goes with follow"),
        (["stop", "x", "y"], "'y' is one word too many"),
        (["follow", "--past"], "--past goes with list"),
    ],
)
def test_bad_calls(words: list[str], says: str, own_folders: Path, capsys: Any) -> None:
    save(RIG, own_folders / "rig.json")
    code, _, err = said(capsys, own_folders, "errand", *words)
    assert code == 2 and says in err


def test_without_a_keeper(own_folders: Path, capsys: Any) -> None:
    save(RIG, own_folders / "rig.json")
    code, _, err = said(capsys, own_folders, "errand", "list")
    assert code == 4 and "nothing is under way" in err
    code, out, _ = said(capsys, own_folders, "errand", "list", "--past")
    assert code == 0 and out == "nothing is on record of Heron 480\n"


def old_ledger(own_folders: Path) -> Path:
    """A rig's own, as it was kept before there was one for all."""
    path = own_folders / "d" / "vigil" / RIG.id / "ledger.sqlite"
    path.parent.mkdir(parents=True)
    packed = Path(__file__).parents[1] / "ledger" / "of-schema-2.sqlite.gz"
    path.write_bytes(gzip.decompress(packed.read_bytes()))
    return path


def test_a_rig_s_old_ledger_is_part_of_the_one_for_whoever_looks_first(
    own_folders: Path, capsys: Any
) -> None:
    save(RIG, own_folders / "rig.json")
    old = old_ledger(own_folders)
    with RigLock(old.parent / "keeper.lock"):  # somebody may still be writing to it
        assert "nothing is on record" in said(capsys, own_folders, "errand", "list", "--past")[1]
    assert old.exists()
    code, out, _ = said(capsys, own_folders, "errand", "list", "--past")
    assert code == 0 and "2027-01-12-heron-480-1  night: A first night: 4 frames: done" in out
    assert not old.exists() and (own_folders / "d" / "vigil" / "ledger.sqlite").exists()


def test_one_that_is_damaged_is_said_and_left(own_folders: Path, capsys: Any, caplog: Any) -> None:
    save(RIG, own_folders / "rig.json")
    old = old_ledger(own_folders)
    old.write_text("somebody's notes " * 100)
    assert said(capsys, own_folders, "errand", "list", "--past")[0] == 0
    assert "can't be read" in caplog.text and old.exists()
