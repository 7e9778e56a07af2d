"""`vigil window`: the window on a rig's night."""

import argparse
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from vigil.cli import NO_SCREEN, BadInput
from vigil.cli.files import demo_file, load_document, load_fitting
from vigil.documents.messages import FASTEST, SLOWEST
from vigil.documents.rig import Rig
from vigil.runtime.folders import folders_of

if TYPE_CHECKING:
    from vigil.ui.linkstate import Connector


def run(args: argparse.Namespace) -> int:
    """0 closed, 2 bad input, 4 no screen; with --exit-when-done 3 when not all frames were taken."""
    rig_path = Path(args.rig) if args.rig else demo_file("rig.json") if args.demo else None
    if rig_path is None:
        raise BadInput("which rig? Give --rig RIG, or --demo for the made-up observatory")
    rig = load_document(Rig, rig_path)
    plan = load_fitting(Path(args.plan) if args.plan else demo_file("plan.json"), rig)
    if not SLOWEST <= args.speed <= FASTEST:
        raise BadInput(f"--speed {args.speed:g}: {SLOWEST:g} to {FASTEST:g} times real time")
    try:
        folders = folders_of(rig.id)
    except (OSError, ValueError) as problem:
        raise BadInput(f"Vigil's own folders can't be made: {problem}") from None
    if not _has_screen():
        print(
            "vigil: there is no screen here (DISPLAY is not set); `vigil run` shows a night in the terminal",
            file=sys.stderr,
        )
        return NO_SCREEN
    from vigil.ui.app import Files, run_window

    def connect_by() -> "Connector":
        from vigil.link.attach import RigKeeper

        return RigKeeper(rig_path.absolute(), folders, ["--speed", f"{args.speed:g}"], args.seed)

    files = Files(folders.data / "plan.json", folders.state / "window.ini", folders.ledger)
    return run_window(rig, plan, files, connect_by, args.autostart, args.exit_when_done)


def _has_screen() -> bool:
    return any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"))
