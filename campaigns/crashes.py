"""Nights cut short and taken up again: after every event of whole nights, and by killing real keepers."""

import asyncio
import json
import os
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.demo import quick_rig, short_plan
from campaigns.figures import run_campaign
from campaigns.night import QUICK_LOOK_S
from campaigns.rigs import example, small
from vigil.cli.assemble import equip
from vigil.cli.quickguiding import QuickGuides
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Ask, Command
from vigil.documents.night import NightState, fold_all
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.documents.store import save
from vigil.files.fits import BadFrame, Header, read_frame, write_frame
from vigil.keeper.keeper import Keeper
from vigil.ledger.ledger import Ledger
from vigil.ledger.store import LedgerStore
from vigil.link.loopback import Loopback
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import run_virtual, simulated_loop
from vigil.runtime.workshop import Workshop
from vigil.simulator.evening import load_state
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.quick import QuickMeasurer
from vigil.simulator.quickeye import QuickEye

NIGHTS, KILLS, HAND_KILLS = 6, 20, 10
CLOUDED, BY_HAND_TOO = 3, 5
_PIXELS = np.zeros((4, 4), np.uint16)


@dataclass(frozen=True, slots=True)
class Cut:
    """How all stood when an event had been committed: gear, files, events so far."""

    events: tuple[Event, ...]
    gear: str
    files: frozenset[str]


@dataclass
class Bench:
    """A night's place on disk. Frames are files of a few pixels, written as real ones are."""

    rig: Rig
    plan: NightPlan
    scenario: Scenario
    seed: int
    folder: Path
    by_hand: bool = False
    """Whether a person holds the night once, and works by hand meanwhile."""
    guides: bool = False
    """Whether its guider takes frames; else the star is held as rehearsals hold it."""
    cuts: list[Cut] = field(default_factory=list)

    @property
    def frames(self) -> Path:
        return self.folder / "frames"

    @property
    def gear(self) -> Path:
        return self.folder / "gear.json"

    def on_disk(self) -> dict[str, bytes]:
        return {str(path): path.read_bytes() for path in self.frames.rglob("*") if path.is_file()}

    def restore(self, cut: Cut, kept: dict[str, bytes], ahead: bool) -> None:
        """Everything as it was at the cut; `ahead`: frames that are exposed are on disk already."""
        for name in self.on_disk():
            Path(name).unlink()
        files = set(cut.files)
        if ahead:
            state = fold_all(e for e in cut.events if e.errand == cut.events[0].errand)
            ended = {e.values["frame_id"] for e in cut.events if e.kind is Kind.EXPOSURE_ENDED}
            files |= {state.announced[f]["path"] for f in ended & state.announced.keys()} & kept.keys()
        for name in files:
            Path(name).parent.mkdir(parents=True, exist_ok=True)
            Path(name).write_bytes(kept[name])
        self.gear.write_text(cut.gear)


def _tiny(path: Path, image: object, header: Header) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    write_frame(path, _PIXELS, header)


def night(number: int, folder: Path) -> Bench:
    """Twenty frames through two filters, with dithers, a flip's worth of refocusing, once a fault, and once a
    cloud that holds the night and shuts the roof."""
    plan = short_plan(
        count=10, exposure_s=60.0, dither_every_frames=3 + number % 3, focus_every_min=12.0 + 5 * number
    )
    if number % 2:
        plan = plan.model_copy(update={"blocks": [plan.blocks[0].model_copy(update={"order": "in turn"})]})
    fault = {"kind": "moves by itself", "device": "mount", "at_min": 45.0, "amount": 15}
    cloud = {"arrives_min": 42, "minutes": 15, "thickness_mag": 6, "edge_min": 2}
    told = {"faults": [fault] if number == 2 else [], "air": {"clouds": [cloud] if number == CLOUDED else []}}
    rig = small(example("stork-1600"), 4) if number == CLOUDED else quick_rig()
    return Bench(rig, plan, Scenario.model_validate(told), number + 1, folder, number == BY_HAND_TOO)


def played(bench: Bench, cut: Cut | None = None) -> list[Event]:
    """The whole night, noting each cut; or what follows one, with the events before it."""
    return run_virtual(_played(bench, cut))


async def _played(bench: Bench, cut: Cut | None) -> list[Event]:
    assert bench.rig.simulated is not None
    starts_at = bench.rig.simulated.starts_at
    if cut is not None:
        left = load_state(bench.gear)
        starts_at = max([cut.events[-1].at, *([left.at] if left else [])])
    clock, workshop, ledger = ScenarioClock(starts_at), Workshop(0), Ledger()
    told: list[Event] = []
    over = asyncio.Event()
    try:
        observatory = SimObservatory(
            bench.rig, bench.seed, clock, workshop, bench.gear, bench.scenario, quick=True
        )
        equipment = equip(
            bench.rig, observatory, clock, workshop, bench.frames, bench.folder / "rescued",
            measurer=QuickMeasurer(), eye=QuickEye(),
            guides=None if bench.guides else QuickGuides(observatory),
        )  # fmt: skip
        equipment = replace(
            equipment, write=_tiny, hand_folder=bench.folder / "by hand", look_every_s=QUICK_LOOK_S
        )
        keeper = Keeper(equipment, ledger, pace=simulated_loop())

        def listen(event: Event) -> None:
            told.append(event)
            if cut is None:
                gear = observatory.truth.gear.state.model_dump_json()
                bench.cuts.append(Cut(tuple(told), gear, frozenset(bench.on_disk())))
            if event.kind is Kind.NIGHT_OVER:
                over.set()

        keeper.listen(listen)
        if cut is None:
            link = Loopback(keeper)
            plan = bench.plan.model_dump(mode="json")
            answer = await link.ask(Ask(id="start", command=Command.START, values={"plan": plan}))
            assert answer.taken, answer.reason
        else:
            for event in cut.events:
                told.append(await ledger.add(event))
            await keeper.take_up()
        keeping = asyncio.ensure_future(keeper.run())
        keeper._watched.set()
        person = asyncio.ensure_future(_person(keeper, told)) if bench.by_hand else None
        await over.wait()
        if person is not None:
            person.cancel()
        keeper.end("done")
        await asyncio.wait({keeping})
        return told
    finally:
        ledger.close()


async def _person(keeper: Keeper, told: list[Event]) -> None:
    """Holds the night after its third frame, works by hand, and resumes; begins anew after a dead keeper."""
    link = Loopback(keeper)

    async def ask(command: Command, **values: Any) -> None:
        await link.ask(Ask(id=f"{command}-{len(told)}", command=command, values=values))

    while sum(e.kind is Kind.FRAME_SAVED for e in told) < 3:  # noqa: ASYNC110
        await asyncio.sleep(5)
    if not any(e.kind is Kind.HELD for e in told):
        await ask(Command.HOLD, now=True)
    works = (
        {"device": "focuser", "action": "by", "steps": 40},
        {"device": "mount", "action": "nudge", "direction": "north", "rate": 16, "seconds": 2},
        {"device": "camera", "action": "take", "exposure_s": 20},
        {"device": "camera", "action": "loop", "exposure_s": 5},
    )
    while (await link.status()).run == "held" or not any(e.kind is Kind.HELD for e in told):
        for work in works:
            await ask(Command.DEVICE, **work)
            await asyncio.sleep(45)
        await ask(Command.STOP_ERRAND)
        await asyncio.sleep(5)
        await ask(Command.RESUME)
        await asyncio.sleep(60)


def _wrong_errands(events: list[Event]) -> Iterator[str]:
    """Everything but the night that was begun has ended once, and is not under way."""
    begun = [e.errand for e in events if e.kind is Kind.ERRAND_STARTED]
    ended = Counter(e.errand for e in events if e.kind is Kind.ERRAND_ENDED)
    yield from (f"{name} begun twice" for name, n in Counter(begun).items() if n > 1)
    yield from (f"{name} ended {ended[name]} times" for name in begun if ended[name] != 1)
    yield from (f"{name} ended and never begun" for name in ended if name not in begun)


def wrong(plan: NightPlan, events: list[Event], frames: Path) -> list[str]:
    """What a night that was taken up lost, doubled or left unclosed."""
    state = fold_all(e for e in events if e.errand == events[0].errand)
    found = [
        f"{line.words}: {state.done(line.id)} of {line.count}"
        for block in plan.blocks
        for line in block.active_lines
        if state.done(line.id) != line.count
    ]
    saved = Counter(e.values["frame_id"] for e in events if e.kind is Kind.FRAME_SAVED)
    found += [f"{name} saved {n} times" for name, n in saved.items() if n > 1]
    numbers = Counter((f["line"], f["number"]) for f in state.saved.values() if not f.get("doubtful"))
    found += [f"{where} taken {n} times" for where, n in numbers.items() if n > 1]
    found += _wrong_files(state, frames)
    found += _wrong_errands(events)
    failed = [p["part"] for p in state.closing if p["outcome"] == "failed"]
    found += [f"closing: {part} failed" for part in failed]
    found += [] if state.closing else ["the night was not closed"]
    return found


def _wrong_files(state: NightState, frames: Path) -> Iterator[str]:
    on_disk = set()
    for path in frames.rglob("*"):
        if path.is_file():
            try:
                on_disk.add(read_frame(path).header["FRAMEID"])
            except (BadFrame, KeyError):
                yield f"{path.name} is no whole frame"
    for name in sorted(on_disk ^ set(state.saved)):
        yield f"{name} is {'on disk only' if name in on_disk else 'in the ledger only'}"


def cut_everywhere(number: int, every: int = 1) -> dict[str, Any]:
    """A night, cut after each of its events (or every so many), and taken up each time."""
    with tempfile.TemporaryDirectory() as folder:
        bench = night(number, Path(folder))
        whole = played(bench)
        kept = bench.on_disk()
        problems = wrong(bench.plan, whole, bench.frames)
        cuts = bench.cuts[:-1:every]
        for number_of_cut, cut in enumerate(cuts):
            # a frame whose file is there before its event, and one whose isn't, in turn
            bench.restore(cut, kept, ahead=number_of_cut % 2 == 0)
            after = played(bench, cut)
            said = wrong(bench.plan, after, bench.frames)
            if tuple(after[: len(cut.events)]) != cut.events:
                said.append("events were lost")
            last = cut.events[-1]
            problems += [f"cut after {last.id} {last.kind}: {words}" for words in said]
    return {"night": number, "events": len(whole), "cuts": len(cuts), "wrong": problems}


def killed(number: int) -> dict[str, Any]:
    """A night of real processes at × 300, its keeper killed at a moment by chance, and resumed."""
    dice = np.random.default_rng([23, number])
    with tempfile.TemporaryDirectory() as name:
        folder, environment = Path(name), _environment(Path(name))
        plan = short_plan(count=3, exposure_s=60.0, dither_every_frames=2)
        save(quick_rig(), folder / "rig.json")
        save(plan, folder / "plan.json")
        pace = ["--rig", str(folder / "rig.json"), "--speed", "300", "--json", "--out", str(folder / "out")]
        first = _vigil(["run", str(folder / "plan.json"), *pace], environment)
        kill_at = int(dice.integers(2, 75))
        pid, seen = _pid_at(first, kill_at)
        os.kill(pid, signal.SIGKILL)
        first.communicate(timeout=120)
        before = _events(folder)
        second = _vigil(["run", "--resume", *pace], environment)
        out, said = second.communicate(timeout=600)
        events = _events(folder)
        problems = wrong(plan, events, folder / "out")
        if second.returncode != 0:
            problems.append(f"resumed it ended with {second.returncode}: {said[-300:]}")
        if events[: len(before)] != before:
            problems.append("events were lost")
        summary = json.loads(out.splitlines()[-1]) if out.strip() else {}
    return {"kill": number, "after_event": seen, "frames": summary.get("done"), "wrong": problems}


def killed_by_hand(number: int) -> dict[str, Any]:
    """A keeper killed while people work by hand, without any night: what was under way is over, and the next
    one works."""
    dice = np.random.default_rng([29, number])
    with tempfile.TemporaryDirectory() as name:
        folder, environment = Path(name), _environment(Path(name))
        save(quick_rig(), folder / "rig.json")
        rig = ["--rig", str(folder / "rig.json")]

        def done(*words: str) -> tuple[int, str]:
            process = _vigil([*words, *rig], environment)
            out, said = process.communicate(timeout=120)
            return process.returncode, out or said

        problems = [] if done("device", "all", "connect")[0] == 0 else ["nothing could be connected"]
        target = str(int(dice.integers(20_000, 38_000)))
        begun = [
            _vigil(["device", *words, "--json", *rig], environment)
            for words in (["camera", "loop", "2"], ["focuser", "to", target])
        ]
        for process in begun:
            assert process.stdout is not None
            process.stdout.readline()
        time.sleep(float(dice.uniform(0.0, 3.0)))
        pid = int((folder / "d" / "vigil" / quick_rig().id / "keeper.lock").read_text().split()[0])
        os.kill(pid, signal.SIGKILL)
        codes = [process.wait(timeout=60) for process in begun]
        if codes[0] != 4:
            problems.append(f"the loop's command ended with {codes[0]}, not 4")
        code, said = done("device", "all", "connect")
        if code != 0:
            problems.append(f"the next keeper: {said[-200:]}")
        code, said = done("errand", "list", "--past")
        cut_off = said.count(": cut off")
        if "under way" in said or not cut_off:
            problems.append(f"the ledger says: {said}")
        done("device", "all", "disconnect")
        pid = int((folder / "d" / "vigil" / quick_rig().id / "keeper.lock").read_text().split()[0])
        os.kill(pid, signal.SIGTERM)
    return {"hand_kill": number, "cut_off": cut_off, "wrong": problems}


def _environment(folder: Path) -> dict[str, str]:
    """Folders of its own."""
    places = {"XDG_DATA_HOME": "d", "XDG_STATE_HOME": "s", "XDG_RUNTIME_DIR": "r", "XDG_CACHE_HOME": "c"}
    for place in places.values():
        (folder / place).mkdir(mode=0o700)
    return os.environ | {k: str(folder / v) for k, v in places.items()} | {"VIGIL_UNGUARDED": "1"}


def _vigil(words: list[str], environment: dict[str, str]) -> "subprocess.Popen[str]":
    return subprocess.Popen(
        [sys.executable, "-m", "vigil", *words],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        env=environment,
    )


def _pid_at(process: "subprocess.Popen[str]", wanted: int) -> tuple[int, int]:
    """The keeper's, once it has told so many events; and how many it had."""
    assert process.stdout is not None
    pid = 0
    for number, line in enumerate(process.stdout, start=1):
        told = json.loads(line)
        pid = told["values"].get("keeper_pid", pid)
        if number >= wanted or told["kind"] == "closing_part":
            return pid, number
    raise RuntimeError("the night was over before it could be killed")


def _events(folder: Path) -> list[Event]:
    store = LedgerStore(folder / "d" / "vigil" / "ledger.sqlite")
    name = store.last_night(quick_rig().id)
    found = store.events(name) if name else []
    store.close()
    return found


def campaign() -> dict[str, Any]:
    """All nights cut everywhere, and all kills."""
    cuts: list[tuple[str, Callable[[], dict[str, Any]]]] = [
        (f"night {n}", lambda n=n: cut_everywhere(n)) for n in range(NIGHTS)
    ]
    kills: list[tuple[str, Callable[[], dict[str, Any]]]] = [
        (f"kill {n}", lambda n=n: killed(n)) for n in range(KILLS)
    ]
    by_hand: list[tuple[str, Callable[[], dict[str, Any]]]] = [
        (f"hand kill {n}", lambda n=n: killed_by_hand(n)) for n in range(HAND_KILLS)
    ]
    return run_campaign("crashes", [*cuts, *kills, *by_hand], _summary, alone=True)


def _summary(found: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "nights": sum("night" in f for f in found),
        "cuts": sum(f.get("cuts", 0) for f in found),
        "kills": sum("kill" in f for f in found),
        "kills_by_hand": sum("hand_kill" in f for f in found),
        "wrong": [words for f in found for words in f["wrong"]],
    }
