"""A rehearsal in a process of its own: the window and the keeper go on meanwhile."""

import contextlib
import json
import subprocess
import sys
import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from pydantic import ValidationError

from vigil.documents.events import Event
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.store import save

R = TypeVar("R")

_LEAVE_S = 5.0


class NotRehearsed(RuntimeError):
    """The rehearsal came to nothing; the message says why. `stopped` when it was asked to."""

    def __init__(self, why: str, stopped: bool = False) -> None:
        super().__init__(why)
        self.stopped = stopped


def rehearse_apart(
    plan: NightPlan,
    rig: Rig,
    scenario: str | None = None,
    seed: int | None = None,
    stopped: Callable[[], bool] = lambda: False,
) -> list[Event]:
    """All events of `vigil rehearse`. Raises NotRehearsed."""
    words = ["--seed", str(seed)] if seed is not None else []
    return _run(plan, rig, scenario, words, stopped, _events)


@dataclass(frozen=True, slots=True)
class Odds:
    """Of so many rehearsals of a plan: by exposure line the share in which it was completed."""

    seeds: int
    complete: Mapping[str, float]


def odds_apart(
    plan: NightPlan,
    rig: Rig,
    scenario: str | None,
    seeds: int,
    stopped: Callable[[], bool] = lambda: False,
    far: Callable[[int, int], None] = lambda done, of: None,
) -> Odds:
    """Many rehearsals; `far` is told how many of them are done. Raises NotRehearsed."""

    def progress(text: str) -> None:
        told = [json.loads(line) for line in text.splitlines() if line.startswith('{"kind": "rehearsal"')]
        if told:
            far(int(told[-1]["done"]), int(told[-1]["of"]))

    return _run(plan, rig, scenario, ["--seeds", str(seeds)], stopped, _odds, progress)


def _run(
    plan: NightPlan,
    rig: Rig,
    scenario: str | None,
    more: list[str],
    stopped: Callable[[], bool],
    read: Callable[[str, str], R],
    progress: Callable[[str], None] | None = None,
) -> R:
    with tempfile.TemporaryDirectory(prefix="vigil-rehearsal-") as folder:
        plan_path, rig_path = Path(folder) / "plan.json", Path(folder) / "rig.json"
        save(plan, plan_path)
        save(rig, rig_path)
        words = [sys.executable, "-m", "vigil", "rehearse", str(plan_path), "--rig", str(rig_path), "--json"]
        words += ["--scenario", scenario] if scenario else []
        words += more
        out = Path(folder) / "events"
        with out.open("wb") as stream, (Path(folder) / "said").open("w+") as said:
            process = subprocess.Popen(words, stdin=subprocess.DEVNULL, stdout=stream, stderr=said)
            while process.poll() is None:
                if stopped():
                    _end(process)
                    raise NotRehearsed("stopped", stopped=True)
                with contextlib.suppress(subprocess.TimeoutExpired):
                    process.wait(0.2)
                if progress is not None:
                    progress(_whole_lines(out))
            said.seek(0)
            problem = said.read().strip()
        return read(out.read_text(encoding="utf-8"), problem)


def _whole_lines(out: Path) -> str:
    text = out.read_text(encoding="utf-8", errors="replace")
    return text[: text.rfind("\n") + 1]


def _odds(text: str, problem: str) -> Odds:
    last = text.splitlines()[-1:] or [""]
    if '"kind": "odds"' not in last[0]:
        raise NotRehearsed(_why(problem))
    told = json.loads(last[0])
    return Odds(int(told["seeds"]), {x["line"]: float(x["complete_share"]) for x in told["lines"]})


def _why(problem: str) -> str:
    return problem.splitlines()[-1].removeprefix("vigil: ") if problem else "it ended early"


def _events(text: str, problem: str) -> list[Event]:
    lines = text.splitlines()
    try:
        events = [Event.model_validate_json(line) for line in lines[:-1]]
    except ValidationError:
        events = []
    if not events or '"summary"' not in lines[-1]:
        raise NotRehearsed(_why(problem))
    return events


def _end(process: "subprocess.Popen[bytes]") -> None:
    process.terminate()
    try:
        process.wait(_LEAVE_S)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()
