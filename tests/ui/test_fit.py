"""Nothing is clipped or overlapped, from the least size to full HD and at twice the scaling."""

import os
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path

import pytest
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QWidget

from campaigns.demo import demo_plan
from tests.ui.conftest import ToldNight
from tests.ui.fitting import misfits
from tests.ui.planned import add_target
from vigil.documents.events import Event
from vigil.documents.messages import Status
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.documents.store import dump
from vigil.ui.jobs import Jobs
from vigil.ui.linkstate import LinkState
from vigil.ui.planmodel import PlanModel
from vigil.ui.session import Session
from vigil.ui.window import Window
from vigil.ui.workspacerow import WORKSPACES

ROOT = Path(__file__).parents[2]
SCENERY = {
    "scenario": dump(Scenario()),
    "minute": 300.0,
    "now": {
        "seeing_arcsec": 12.3,
        "cloud_mag": 12.3,
        "wind_m_s": 12.3,
        "temperature_c": -12.3,
        "humidity_percent": 100.0,
        "dew": 2.0,
    },
    "faults": ["filter wheel: wheel jams, 10 min more", "camera: frame never arrives, 100 min more"],
}


def _settle(window: Window, jobs: Jobs) -> None:
    """Until what is read and reckoned in threads is there, and laid out."""
    for _ in range(3000):
        QApplication.processEvents()
        targets = window.workspaces.get("Targets")
        if not jobs.busy_at_all and not (targets and targets.settling):
            break
        QTest.qWait(10)
    for _ in range(8):
        QApplication.processEvents()


def every_moment(
    rig: Rig,
    plan: NightPlan,
    folder: Path,
    size: tuple[int, int],
    events: list[Event] | None = None,
    statuses: list[Status] | None = None,
) -> list[str]:
    """What doesn't fit in any workspace: before the night, at several of its moments, with a message and
    a question shown."""
    jobs = Jobs()
    model = PlanModel(rig, plan, folder / "plan.json")
    session = Session(rig, model, None, datetime(2027, 1, 12, 16, 40, tzinfo=UTC))
    window = Window(session, jobs)
    window.setMinimumSize(*size)
    window.resize(*size)
    window.show()
    session.take_link(LinkState.OPEN, "")
    add_target(model, "NGC 1499", 60.2, 36.37)
    found: list[str] = []

    def look(moment: str) -> None:
        for name in WORKSPACES:
            window.go_to(name)
            _settle(window, jobs)
            found.extend(f"{moment}, {name}: {x}" for x in misfits(window))

    look("before")
    window.toggle_scenery()
    session.scenery_told.emit(SCENERY)
    look("the drawer")
    window.toggle_scenery()
    # most moments where there is the least room
    step = max(1, len(events or []) // (6 if size[0] < 1280 else 2))
    for count in range(step, len(events or []) + 1, step):
        assert events is not None and statuses is not None
        session.take_news([e for e in events[:count] if e.id > session.record.state.last_id])
        session.take_status(statuses[count - 1])
        look(f"event {count}")
    session.take_link(LinkState.GONE, "no keeper answers at /run/user/1000/vigil/heron-480/keeper.sock")
    look("no keeper")
    window.ask_to_end()
    window._may_close = True
    window.close()
    jobs.stop()
    return found


@pytest.mark.parametrize("size", [(1180, 720), (1280, 800), (1920, 1080)])
def test_nothing_is_clipped_or_overlapped(
    qapp: QApplication, told: ToldNight, tmp_path: Path, size: tuple[int, int]
) -> None:
    found = every_moment(told.rig, demo_plan(), tmp_path, size, told.events, told.statuses)
    assert not found, "\n".join(sorted(set(found)))


def test_nor_at_twice_the_scaling(tmp_path: Path) -> None:
    environment = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "QT_SCALE_FACTOR": "2",
        "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}",
    }
    done = subprocess.run(
        [sys.executable, "-m", "tests.ui.fitting", "1180", "720"],
        env=environment, capture_output=True, text=True, timeout=400, cwd=ROOT,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr


def test_the_check_can_fail(qapp: QApplication) -> None:
    box = QWidget()
    tight = QLabel("far too many words for this place", box)
    tight.setGeometry(0, 0, 40, 16)
    box.resize(200, 50)
    box.show()
    assert any("needs" in problem for problem in misfits(box))
    tight.setGeometry(150, 0, 300, 20)
    assert any("reaches out" in problem for problem in misfits(box))
