"""`vigil window`: the window on a rig's night."""

import argparse
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from vigil.cli import NO_SCREEN
from vigil.cli.files import check_speed, demo_file, load_fitting, own_folders, rig_wanted

if TYPE_CHECKING:
    from vigil.ui.linkstate import Connector


def run(args: argparse.Namespace) -> int:
    """0 closed, 2 bad input, 4 no screen; with --exit-when-done 3 when not all frames were taken."""
    rig, rig_path = rig_wanted(args)
    plan = load_fitting(Path(args.plan) if args.plan else demo_file("plan.json"), rig)
    check_speed(args.speed)
    folders = own_folders(rig)
    if not _has_screen():
        print(
            "vigil: there is no screen here (DISPLAY is not set); `vigil run` shows a night in the terminal",
            file=sys.stderr,
        )
        return NO_SCREEN
    from vigil.ui.app import Files, run_window

    def connect_by() -> "Connector":
        from vigil.link.attach import RigKeeper

        return RigKeeper(rig_path, folders, ["--speed", f"{args.speed:g}"], args.seed)

    files = Files(folders.data / "plan.json", folders.state / "window.ini", folders.ledger)
    return run_window(rig, plan, files, connect_by, args.autostart, args.exit_when_done)


def _has_screen() -> bool:
    return any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"))
