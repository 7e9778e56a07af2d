"""`vigil window`: the window on a rig's night."""

import argparse
import gc
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from vigil.cli import NO_SCREEN
from vigil.cli.files import (
    demo_file,
    load_document,
    load_fitting,
    my_rigs,
    own_folders,
    rig_wanted,
    scenario_words,
)
from vigil.cli.files import rig_path as path_of_rig
from vigil.documents.rig import Rig
from vigil.documents.store import save

if TYPE_CHECKING:
    from vigil.ui.app import Opened
    from vigil.ui.linkstate import Connector


def hold_garbage() -> None:
    """What is made while the window opens stays: looking for garbage in it only delays the first picture.
    The desk looks again once that has been shown."""
    gc.disable()


def run(args: argparse.Namespace) -> int:
    """0 closed, 2 bad input, 4 no screen; with --exit-when-done 3 when not all frames were taken."""
    hold_garbage()
    rig, path = rig_wanted(args)
    own_folders(rig)
    plan = Path(args.plan) if args.plan else None
    if not _has_screen():
        print(
            "vigil: there is no screen here (DISPLAY is not set); `vigil run` shows a night in the terminal",
            file=sys.stderr,
        )
        return NO_SCREEN
    opened = _open(rig, path, plan, args)
    from vigil.ui.app import run_window

    def open_rig(rig_id: str) -> "Opened":
        path = path_of_rig(rig_id)
        return _open(load_document(Rig, path), path, None, args)

    return run_window(opened, open_rig, args.autostart, args.exit_when_done)


def _open(rig: Rig, path: Path, plan_path: Path | None, args: argparse.Namespace) -> "Opened":
    """A rig from the list is kept there; one from elsewhere stays where it is."""
    plan = load_fitting(plan_path or demo_file("plan.json"), rig, plan_path is None)
    folders, rigs = own_folders(rig), my_rigs()
    if folders.old_ledger.exists():
        from vigil.cli.ledgers import ledger_of

        ledger_of(rig.id)
    if args.demo:
        from vigil.cli.demohistory import lay_in_history

        lay_in_history(folders.ledger)
    listed = rigs.lists(path)
    name = rig.id if listed else str(path)
    words = ["--speed", f"{args.speed:g}", *scenario_words(args, rig)]

    def connect_by() -> "Connector":
        from vigil.link.attach import RigKeeper

        return RigKeeper(name, folders, words)

    from vigil.ui.app import Files, Opened

    files = Files(folders.data / "plan.json", folders.state / "window.ini", folders.ledger)
    keep = rigs.save if listed else lambda changed: save(changed, path)
    return Opened(rig, plan, files, connect_by, keep, rigs)


def _has_screen() -> bool:
    return any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"))
