"""The documents and frames that commands are given."""

import argparse
from importlib.resources import files
from pathlib import Path
from typing import TypeVar

from vigil.cli import BadInput
from vigil.documents.messages import FASTEST, SLOWEST
from vigil.documents.plan import NightPlan, contradictions
from vigil.documents.rig import Rig
from vigil.documents.store import Document, DocumentError, load
from vigil.runtime.folders import Folders, folders_of

D = TypeVar("D", bound=Document)


def demo_file(name: str) -> Path:
    """A file of the demo in the package."""
    return Path(str(files("vigil") / "data" / "demo" / name))


def load_document(model: type[D], path: Path) -> D:
    """Raises BadInput."""
    try:
        return load(model, path)
    except DocumentError as problem:
        raise BadInput(str(problem)) from None


def load_fitting(plan_path: Path, rig: Rig) -> NightPlan:
    """A plan that the rig can carry out. Raises BadInput with every contradiction."""
    plan = load_document(NightPlan, plan_path)
    wrong = contradictions(plan, rig)
    if wrong:
        raise BadInput("\n".join(f"{plan_path}: {line}" for line in wrong))
    return plan


def rig_wanted(args: argparse.Namespace) -> tuple[Rig, Path]:
    """The rig that `--rig` or `--demo` names, and its file. Raises BadInput."""
    path = Path(args.rig) if args.rig else demo_file("rig.json") if args.demo else None
    if path is None:
        raise BadInput("which rig? Give --rig RIG, or --demo for the made-up observatory")
    return load_document(Rig, path), path.absolute()


def check_speed(speed: float) -> None:
    """Raises BadInput."""
    if not SLOWEST <= speed <= FASTEST:
        raise BadInput(f"--speed {speed:g}: {SLOWEST:g} to {FASTEST:g} times real time")


def own_folders(rig: Rig) -> Folders:
    """Where Vigil keeps the rig's things. Raises BadInput."""
    try:
        return folders_of(rig.id)
    except (OSError, ValueError) as problem:
        raise BadInput(f"Vigil's own folders can't be made: {problem}") from None
