"""The turns of the window's thread through a whole demo night at × 300, beside those of an idle Qt loop;
and through a night of six hundred frames.

A turn is from the loop's waking to its next waiting: while it lasts, no key is answered. Beside its
length stands the processor time that the thread itself spent in it: the rest it waited for a processor, for
the interpreter's lock, or for a machine that gives its cores to others.
"""

import json
import os
import subprocess
import sys
import tempfile
import time
from typing import Any

from campaigns.figures import run_campaign
from vigil.documents.plan import NightPlan

_RUNS = 3
_IDLE_S = 20.0
_SPEED = 300
_MANY = 600


def measure(frames: int | None = None) -> dict[str, Any]:
    """One night in a process of its own, with folders of its own: the demo's, or one of so many frames."""
    with tempfile.TemporaryDirectory() as folder, tempfile.TemporaryDirectory(prefix="vigil-") as short:
        environment = {
            **os.environ,
            "QT_QPA_PLATFORM": "offscreen",
            "XDG_DATA_HOME": f"{folder}/d",
            "XDG_STATE_HOME": f"{folder}/s",
            "XDG_RUNTIME_DIR": short,
        }
        done = subprocess.run(
            [sys.executable, "-m", "campaigns.turns", *([str(frames)] if frames else [])],
            env=environment,
            capture_output=True,
            text=True,
            check=True,
        )
    told: dict[str, Any] = json.loads(done.stdout.strip().splitlines()[-1])
    return told


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    """Each figure's median over the nights, and the worst of all."""
    import numpy as np

    many, results = results[-1], results[:-1]
    figures: dict[str, Any] = {
        "nights": len(results),
        "all_frames": all(r["frames"] == r["wanted"] for r in results),
        "limit_night_p99_9_ms": 100,
    }
    for loop in ("idle", "night"):
        for name in results[0][loop]:
            if name != "turns":
                figures[f"{loop}_{name}"] = round(float(np.median([r[loop][name] for r in results])), 2)
        figures[f"{loop}_worst_of_all_ms"] = max(r[loop]["worst_ms"] for r in results)
    figures[f"night_of_{_MANY}_frames"] = {
        "all_frames": many["frames"] == many["wanted"] == _MANY,
        **{name: value for name, value in many["night"].items() if name != "turns"},
    }
    return figures


def campaign() -> dict[str, Any]:
    items = [(f"night {n}", measure) for n in range(1, _RUNS + 1)]
    return run_campaign(
        "turns", [*items, (f"night of {_MANY}", lambda: measure(_MANY))], summarise, alone=True
    )


class _Turns:
    """Lengths of the turns of the running event loop: from the first event delivered to the next waiting.

    The dispatcher's own `awake` will not do: timers and sockets are served before it is told.
    """

    def __init__(self) -> None:
        self.lengths_s: list[tuple[float, float]] = []
        self._woke: tuple[float, float] | None = None

    def begin(self) -> None:
        if self._woke is None:
            self._woke = time.perf_counter(), time.thread_time()

    def end(self) -> None:
        if self._woke is not None:
            length_s = time.perf_counter() - self._woke[0]
            self.lengths_s.append((length_s, time.thread_time() - self._woke[1]))
            self._woke = None

    def take(self) -> dict[str, float]:
        """Figures of the turns so far; begins anew."""
        import numpy as np

        taken_ms, self.lengths_s = 1000 * np.array(self.lengths_s), []
        figures: dict[str, float] = {"turns": len(taken_ms)}
        for column, prefix in ((0, ""), (1, "processor_")):
            for name, share in (("median_ms", 50), ("p95_ms", 95), ("p99_9_ms", 99.9), ("worst_ms", 100)):
                figures[prefix + name] = round(float(np.percentile(taken_ms[:, column], share)), 2)
        return figures


def _of(plan: NightPlan, frames: int) -> NightPlan:
    """The demo's plan with so many short frames through its two filters."""
    block = plan.blocks[0]
    lines = [
        line.model_copy(update={"exposure_s": 30.0, "count": frames // len(block.lines)})
        for line in block.lines
    ]
    changed = block.model_copy(update={"lines": lines})
    return plan.model_copy(update={"blocks": [changed]})


def _one_night(frames: int | None = None) -> dict[str, Any]:
    from PyQt6.QtCore import QAbstractEventDispatcher, QEvent, QEventLoop, QObject, QTimer
    from PyQt6.QtWidgets import QApplication

    from vigil.cli.files import demo_file, load_document, load_fitting
    from vigil.documents.rig import Rig
    from vigil.link.attach import RigKeeper
    from vigil.runtime.folders import folders_of
    from vigil.ui.app import Desk, Files, Opened, make_application

    turns = _Turns()

    class Watched(QApplication):
        def notify(self, receiver: QObject | None, event: QEvent | None) -> bool:
            turns.begin()
            return super().notify(receiver, event)

    watched = Watched(["vigil"])
    app = make_application()
    assert app is watched
    dispatcher = QAbstractEventDispatcher.instance()
    assert dispatcher is not None
    dispatcher.aboutToBlock.connect(turns.end)
    idle, ticks = QEventLoop(), QTimer()
    ticks.timeout.connect(lambda: None)
    ticks.start(20)
    QTimer.singleShot(int(1000 * _IDLE_S), idle.quit)
    idle.exec()
    ticks.stop()
    idle_figures = turns.take()

    rig = load_document(Rig, demo_file("heron-480.json"))
    folders = folders_of(rig.id)
    files = Files(folders.data / "plan.json", folders.state / "window.ini", folders.ledger)
    plan = load_fitting(demo_file("plan.json"), rig)
    plan = _of(plan, frames) if frames else plan
    keeper = RigKeeper(rig.id, folders, ["--speed", str(_SPEED)])
    desk = Desk(Opened(rig, plan, files, lambda: keeper))
    session = desk.session
    begun = False

    def follow() -> None:
        nonlocal begun
        if session.status is not None and session.status.run == "ready" and not begun:
            begun = True
            turns.take()  # the opening of the window is another figure
            session.start_night()
        if begun and session.run == "over":
            QTimer.singleShot(500, desk.window.close_window)

    session.status_changed.connect(follow)
    desk.show()
    app.exec()
    night_figures = turns.take()
    done, wanted = session.record.tally
    desk.close()
    return {"frames": done, "wanted": wanted, "idle": idle_figures, "night": night_figures}


if __name__ == "__main__":
    print(json.dumps(_one_night(int(sys.argv[1]) if len(sys.argv) > 1 else None)))
    sys.stdout.flush()
    os._exit(0)
