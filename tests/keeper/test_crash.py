"""Real processes: the keeper killed in mid-exposure; the client leaving; SIGTERM."""

import asyncio
import json
import os
import signal
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import quick_rig, short_plan
from vigil.documents.events import Event, Kind
from vigil.documents.night import fold_all
from vigil.documents.rig.camera import FrameSettings
from vigil.documents.rig.change import with_values
from vigil.documents.store import save
from vigil.files.fits import read_frame
from vigil.ledger.store import LedgerStore
from vigil.link.socket import SocketLink


class CommandLine:
    """`vigil` in processes of its own, with a small rig and a short plan."""

    def __init__(self, folder: Path, large: bool) -> None:
        """`large`: drawing a frame takes longer than a signal does, so that one comes in the middle of it.
        Otherwise there is no focuser: what is tested needs no focus run, half of a short night's frames. Nor
        is there a guider: test_cut cuts nights that guide."""
        self.folder = folder
        self.out = folder / "out"
        bare = {("guider",): None} if large else {("guider",): None, ("focuser",): None}
        rig = with_values(quick_rig(), bare)
        binned = FrameSettings(binning=2)
        size = {"columns": 1000, "rows": 1000, "pixel_um": 3.8, "focusing": binned, "solving": binned}
        camera = rig.camera.model_copy(update=size if large else {})
        save(rig.model_copy(update={"camera": camera}), folder / "rig.json")
        save(short_plan(count=2), folder / "plan.json")

    def start(self, *words: str) -> "subprocess.Popen[str]":
        return subprocess.Popen(
            [sys.executable, "-m", "vigil", *words], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
        )

    def run_night(self, *words: str, pace: tuple[str, ...] = ("--virtual",)) -> "subprocess.Popen[str]":
        rig, plan = str(self.folder / "rig.json"), str(self.folder / "plan.json")
        return self.start("run", plan, "--rig", rig, *pace, "--json", "--out", str(self.out), *words)

    def resume(self) -> "subprocess.Popen[str]":
        rig = str(self.folder / "rig.json")
        return self.start("run", "--resume", "--rig", rig, "--virtual", "--json", "--out", str(self.out))

    def night(self, *words: str) -> tuple[int, dict[str, Any]]:
        process = self.start("night", *words, "--rig", str(self.folder / "rig.json"), "--json")
        out, _ = process.communicate(timeout=60)
        return process.returncode, json.loads(out) if out.strip() else {}

    def events(self) -> list[Event]:
        store = LedgerStore(self.folder / "d" / "vigil" / "ledger.sqlite")
        found = store.events("2027-01-12-heron-480-1")
        store.close()
        return found


@pytest.fixture
def command_line(
    own_folders: Path, monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest
) -> Iterator[CommandLine]:
    monkeypatch.setenv("PYTHONPATH", str(Path(__file__).parents[2] / "src"))
    line = CommandLine(own_folders, large=bool(getattr(request, "param", False)))
    yield line
    lock = own_folders / "d" / "vigil" / "heron-480" / "keeper.lock"
    socket = own_folders / "r" / "vigil" / "heron-480" / "keeper.sock"
    if socket.exists() and lock.exists():
        kill(int(lock.read_text().split()[0]))


def kill(pid: int, how: signal.Signals = signal.SIGKILL) -> None:
    try:
        handle = os.pidfd_open(pid)
    except ProcessLookupError:
        return
    try:
        signal.pidfd_send_signal(handle, how)
        import select

        assert select.select([handle], [], [], 60)[0], "the process did not end"
    finally:
        os.close(handle)


def read_until(process: "subprocess.Popen[str]", wanted: Callable[[dict[str, Any]], bool]) -> dict[str, Any]:
    assert process.stdout is not None
    for line in process.stdout:
        event = json.loads(line)
        if wanted(event):
            return event
    raise AssertionError(f"the stream ended: {process.stderr.read() if process.stderr else ''}")


async def until_over(socket: Path) -> None:
    """Attach late, be told everything from the start, and watch to the end."""
    async with SocketLink(socket) as link:
        async for news in link.news():
            if isinstance(news, Event) and news.kind is Kind.NIGHT_OVER:
                return


def test_a_dead_keeper_is_started_again_by_itself(
    command_line: CommandLine, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delenv("VIGIL_UNGUARDED")
    first = command_line.run_night()
    started = read_until(first, lambda e: e["kind"] == "night_started")
    read_until(first, lambda e: e["kind"] == "exposure_started" and e["values"]["number"] == 2)
    kill(started["values"]["keeper_pid"])
    out, said = first.communicate(timeout=180)
    assert first.returncode == 0 and "was started again" in said, said
    assert json.loads(out.splitlines()[-1])["done"] == 4
    assert [e for e in command_line.events() if e.kind is Kind.NIGHT_RESUMED]


def test_one_keeper_for_a_rig_wherever_it_is_looked_for(
    command_line: CommandLine, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    """Another runtime folder, or one that was swept: the keeper is found, and no second one starts."""
    save(short_plan(count=100), command_line.folder / "plan.json")
    first = command_line.run_night("--seed", "3", pace=("--speed", "60"))  # it has to last, not to get on
    started = read_until(first, lambda e: e["kind"] == "night_started")
    monkeypatch.setenv("XDG_RUNTIME_DIR", tempfile.mkdtemp(prefix="vigil-"))
    code, told = command_line.night("status")
    assert code == 0 and told["keeper_pid"] == started["values"]["keeper_pid"]
    rig = str(command_line.folder / "rig.json")
    second = command_line.start("keep", "--rig", rig, "--speed", "60")
    _, said = second.communicate(timeout=60)
    assert second.returncode == 4 and "the rig's keeper runs already" in said
    assert command_line.night("end")[0] == 0
    first.communicate(timeout=120)


@pytest.mark.parametrize("command_line", [True], indirect=True, ids=["large"])
def test_killed_in_an_exposure_the_night_goes_on(command_line: CommandLine) -> None:
    first = command_line.run_night()
    started = read_until(first, lambda e: e["kind"] == "night_started")
    read_until(first, lambda e: e["kind"] == "exposure_started" and e["values"]["number"] == 2)
    kill(started["values"]["keeper_pid"])
    assert first.wait(timeout=60) == 4
    assert "run the same command again" in first.stderr.read()  # type: ignore[union-attr]
    before = command_line.events()
    assert fold_all(before).exposing is not None, "it was killed elsewhere than in an exposure"
    assert command_line.night("status")[0] == 4

    second = command_line.resume()
    out, said = second.communicate(timeout=180)
    assert second.returncode == 0, said
    assert "attached to the night that runs" in said
    summary = json.loads(out.splitlines()[-1])
    assert (summary["kind"], summary["done"], summary["wanted"]) == ("summary", 4, 4)

    events = command_line.events()
    assert events[: len(before)] == before, "nothing that was recorded may be lost"
    state = fold_all(events)
    taken = sorted((f["line"], f["number"]) for f in state.saved.values())
    assert taken == [(line, n) for line in ("ic405-ha", "ic405-l") for n in (1, 2)]
    on_disk = {read_frame(path).header["FRAMEID"] for path in command_line.out.rglob("*.fits")}
    assert on_disk == set(state.saved)
    assert [p for p in command_line.out.rglob("*") if p.name.endswith(".tmp")] == []
    # time went on, it did not jump back to the evening
    assert [e.at for e in events] == sorted(e.at for e in events)
    # counts and focus survive, pointing is not trusted
    resumed = next(e.id for e in events if e.kind is Kind.NIGHT_RESUMED)
    again = [e.values["kind"] for e in events if e.kind is Kind.ACTIVITY_STARTED and e.id > resumed]
    assert "centre" in again and "focus" not in again
    third = command_line.resume()
    assert third.wait(timeout=60) == 2
    assert "there is no night to resume" in third.stderr.read()  # type: ignore[union-attr]


def test_the_client_leaves_and_the_night_goes_on(command_line: CommandLine) -> None:
    first = command_line.run_night()
    started = read_until(first, lambda e: e["kind"] == "night_started")
    read_until(first, lambda e: e["kind"] == "exposure_started")
    first.send_signal(signal.SIGINT)
    assert first.wait(timeout=60) == 0
    assert "the night goes on" in first.stderr.read()  # type: ignore[union-attr]
    socket = command_line.folder / "r" / "vigil" / "heron-480" / "keeper.sock"
    asyncio.run(asyncio.wait_for(until_over(socket.resolve()), 120))
    assert len(fold_all(command_line.events()).saved) == 4
    status, values = command_line.night("status")
    assert status == 0 and values["run"] == "over" and values["done"] == 4
    assert values["keeper_pid"] == started["values"]["keeper_pid"]
    assert [line["done"] for line in values["lines"]] == [2, 2]
    status, answer = command_line.night("hold")
    assert status == 2 and answer["reason"] == "no night is under way"
    # the keeper that is left has nothing to do: another run replaces it, with its own seed and pace
    again = command_line.run_night("--seed", "3", pace=("--speed", "100"))
    started_again = read_until(again, lambda e: e["kind"] == "night_started")
    assert started_again["values"]["keeper_pid"] != started["values"]["keeper_pid"]
    assert command_line.night("end", "--reason", "enough")[0] == 0
    out, _ = again.communicate(timeout=120)
    assert again.returncode == 3 and json.loads(out.splitlines()[-1])["reason"] == "enough"


def test_sigterm_closes_the_night_safely(command_line: CommandLine) -> None:
    process = command_line.run_night()
    started = read_until(process, lambda e: e["kind"] == "night_started")
    read_until(process, lambda e: e["kind"] == "exposure_started")
    os.kill(started["values"]["keeper_pid"], signal.SIGTERM)
    process.communicate(timeout=120)
    events = command_line.events()
    assert events[-1].kind is Kind.NIGHT_OVER
    assert events[-1].reason == "the keeper was asked to stop"
    assert set(events[-1].values["closing"].values()) == {"done"}
    kill(started["values"]["keeper_pid"], signal.SIGTERM)  # gone, or on its way
    state = json.loads((command_line.folder / "s" / "vigil" / "heron-480" / "sim.json").read_text())
    assert state["parked"] and state["set_point_c"] is None
