"""A rehearsal in a process of its own: the window and the keeper go on meanwhile."""

import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from pydantic import ValidationError

from vigil.documents.events import Event
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.store import save

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
    with tempfile.TemporaryDirectory(prefix="vigil-rehearsal-") as folder:
        plan_path, rig_path = Path(folder) / "plan.json", Path(folder) / "rig.json"
        save(plan, plan_path)
        save(rig, rig_path)
        words = [sys.executable, "-m", "vigil", "rehearse", str(plan_path), "--rig", str(rig_path), "--json"]
        words += ["--scenario", scenario] if scenario else []
        words += ["--seed", str(seed)] if seed is not None else []
        out = Path(folder) / "events"
        with out.open("wb") as stream, (Path(folder) / "said").open("w+") as said:
            process = subprocess.Popen(words, stdin=subprocess.DEVNULL, stdout=stream, stderr=said)
            while process.poll() is None:
                if stopped():
                    _end(process)
                    raise NotRehearsed("stopped", stopped=True)
                try:
                    process.wait(0.2)
                except subprocess.TimeoutExpired:
                    continue
            said.seek(0)
            problem = said.read().strip()
        return _events(out.read_text(encoding="utf-8"), problem)


def _events(text: str, problem: str) -> list[Event]:
    lines = text.splitlines()
    try:
        events = [Event.model_validate_json(line) for line in lines[:-1]]
    except ValidationError:
        events = []
    if not events or '"summary"' not in lines[-1]:
        raise NotRehearsed(problem.splitlines()[-1].removeprefix("vigil: ") if problem else "it ended early")
    return events


def _end(process: "subprocess.Popen[bytes]") -> None:
    process.terminate()
    try:
        process.wait(_LEAVE_S)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()
