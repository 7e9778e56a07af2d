"""The real window on a real screen, by keys and mouse; read on the screen, in the ledger and on disk."""

import json
import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QApplication

from campaigns.demo import quick_rig, short_plan
from tests.ui.screen import Screen
from vigil.documents.events import Event, Kind
from vigil.documents.rig.change import with_values
from vigil.documents.store import save
from vigil.ledger.store import LedgerStore
from vigil.ui.theme import Size, number_font, text_font

STRONG = text_font(strong=True)
HEAD = text_font(Size.LARGE, strong=True)


class Desktop:
    """A person's session: a screen, folders, `vigil window`."""

    def __init__(self, folder: Path, screen: Screen) -> None:
        self.folder, self.screen = folder, screen
        self.base = folder / "d" / "vigil" / "heron-480"
        # no focus runs between the frames, nor hundreds of guide frames
        rig = with_values(quick_rig(), {("focuser",): None, ("guider",): None})
        assert rig.simulated is not None
        dusk = rig.simulated.starts_at + timedelta(minutes=25)  # no need to watch the light go
        simulated = rig.simulated.model_copy(update={"starts_at": dusk})
        save(rig.model_copy(update={"simulated": simulated}), folder / "rig.json")

    def plan(self, count: int, exposure_s: float) -> None:
        save(short_plan(count=count, exposure_s=exposure_s), self.folder / "plan.json")

    def open(self, *words: str) -> "subprocess.Popen[bytes]":
        rig, plan = str(self.folder / "rig.json"), str(self.folder / "plan.json")
        command = [sys.executable, "-m", "vigil", "window", plan, "--rig", rig, *words]
        window = subprocess.Popen(command, env=self.screen.environment)
        self.screen.take_focus()
        return window

    def events(self) -> list[Event]:
        path = self.base.parent / "ledger.sqlite"
        if not path.exists():
            return []
        store = LedgerStore(path)
        night = store.last_night("heron-480")
        found = store.events(night) if night else []
        store.close()
        return found

    def count(self, kind: Kind) -> int:
        return sum(event.kind is kind for event in self.events())

    def until(self, kind: Kind, number: int = 1) -> None:
        self.screen.until(lambda: self.count(kind) >= number, f"{number} {kind}")

    def keeper(self) -> int:
        return int((self.base / "keeper.lock").read_text().split()[0])

    def plan_on_disk(self) -> dict[str, object]:
        """Without blocks while nothing was saved yet."""
        path = self.base / "plan.json"
        return dict(json.loads(path.read_text())) if path.exists() else {"blocks": []}


@pytest.fixture
def desktop(qapp: QApplication, own_folders: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Desktop]:
    monkeypatch.setenv("PYTHONPATH", str(Path(__file__).parents[2] / "src"))
    with Screen() as screen:
        made = Desktop(own_folders, screen)
        yield made
        if (own_folders / "r" / "vigil" / "heron-480" / "keeper.sock").exists():
            os.kill(made.keeper(), signal.SIGKILL)


@pytest.mark.timeout(1200)
def test_an_evening_by_keys_and_mouse_with_two_deaths(desktop: Desktop) -> None:
    screen = desktop.screen
    desktop.plan(count=30, exposure_s=277)
    window = desktop.open("--speed", "300")
    screen.wait_for("No night under way", STRONG)
    # a target: searched for by typing, put in the plan by a key
    screen.keys("ctrl+f")
    screen.type("ngc 1893")
    screen.keys("Down")
    screen.wait_for("NGC 1893", HEAD)
    screen.keys("ctrl+shift+p")
    screen.until(
        lambda: [b["id"] for b in desktop.plan_on_disk()["blocks"]] == ["ic405", "ngc1893"],  # type: ignore[attr-defined]
        "the second block on disk",
    )
    # a line: clicked on, typed over, in force with Enter
    screen.click_on("277", font=number_font())
    screen.keys("ctrl+a")
    screen.type("266")
    screen.keys("Return")
    screen.until(
        lambda: "266" in json.dumps(desktop.plan_on_disk()["blocks"]), "the line's new exposure on disk"
    )
    # the night
    screen.click_on("Start the night", font=STRONG)
    screen.wait_for("All quiet", HEAD)
    desktop.until(Kind.FRAME_MEASURED)
    screen.keys("ctrl+h")
    desktop.until(Kind.HELD)
    screen.wait_for("Holding", HEAD)
    screen.click_on("Resume")
    desktop.until(Kind.RESUMED)
    screen.wait_for("All quiet", HEAD)
    # closed: it goes on; opened again: it is there
    screen.keys("ctrl+q")
    screen.wait_for("Close the window, the night goes on", STRONG)
    screen.keys("Return")
    assert window.wait(120) == 0
    frames = desktop.count(Kind.FRAME_SAVED)
    desktop.until(Kind.FRAME_SAVED, frames + 1)
    window = desktop.open("--speed", "300")
    screen.wait_for("All quiet", HEAD)
    # the keeper dies: said plainly, and started again from the window
    os.kill(desktop.keeper(), signal.SIGKILL)
    screen.wait_for("No keeper", HEAD)
    screen.keys("ctrl+k")
    screen.type("start the keeper")
    screen.keys("Return")
    desktop.until(Kind.NIGHT_RESUMED)
    screen.wait_for("All quiet", HEAD)
    # the window dies: the keeper goes on
    window.kill()
    window.wait(60)
    frames = desktop.count(Kind.FRAME_SAVED)
    desktop.until(Kind.FRAME_SAVED, frames + 1)
    window = desktop.open()
    screen.wait_for("All quiet", HEAD)
    screen.keys("ctrl+e")
    screen.wait_for("End the night?", text_font(Size.HEAD, strong=True))
    screen.keys("Tab", "Return")
    desktop.until(Kind.NIGHT_OVER)
    screen.wait_for("Good night", HEAD)
    screen.keys("ctrl+q")
    assert window.wait(120) == 0
    events = desktop.events()
    saved = [Path(e.values["path"]) for e in events if e.kind is Kind.FRAME_SAVED]
    assert len(saved) > frames and all(path.exists() for path in saved)
    assert events[-1].reason == "ended by hand"
    taken = [e.values["frame_id"] for e in events if e.kind is Kind.FRAME_SAVED]
    assert len(taken) == len(set(taken))
    assert sum(e.kind is Kind.NIGHT_STARTED for e in events) == 1
