"""The documents and frames that commands are given."""

import argparse
import json
import sys
from datetime import UTC, date, datetime
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from vigil.cli import BadInput
from vigil.documents.plan import NightPlan, contradictions
from vigil.documents.rig import Rig
from vigil.documents.store import Document, DocumentError, load
from vigil.planning.fitting import fit
from vigil.runtime.folders import Folders, data_folder, folders_of, plans_folder, rigs_folder

if TYPE_CHECKING:
    from vigil.documents.namedfiles import NamedFiles
    from vigil.documents.rig.rigs import Rigs
    from vigil.documents.scenario import Scenario

_FIRST_YEAR, _LAST_YEAR = 1950, 2099
EXAMPLE_RIGS = ("heron-480", "stork-1600", "tern-135")
"""The first one is the demo's."""

D = TypeVar("D", bound=Document)


def demo_file(name: str) -> Path:
    """A file of the demo in the package."""
    return Path(str(files("vigil") / "data" / "demo" / name))


def load_document(model: type[D], path: Path) -> D:
    """Raises BadInput."""
    try:
        return load(model, path)
    except DocumentError as problem:
        previous = path.with_name(path.name + ".previous")
        stays = f"\nthe version before it is {previous}" if previous.exists() else ""
        raise BadInput(f"{problem}{stays}") from None


def load_fitting(plan_path: Path, rig: Rig, make_fit: bool = False) -> NightPlan:
    """A plan that the rig can carry out; with `make_fit` what the rig lacks is left out, and told. Raises
    BadInput with every contradiction."""
    plan = load_document(NightPlan, plan_path)
    if make_fit:
        plan, said = fit(plan, rig)
        for line in said:
            print(f"vigil: {line}", file=sys.stderr)
    wrong = contradictions(plan, rig)
    if wrong:
        raise BadInput("\n".join(f"{plan_path}: {line}" for line in wrong))
    return plan


def my_rigs() -> "Rigs":
    """One's own rigs, and the examples."""
    from vigil.documents.rig.rigs import Rigs

    return Rigs(rigs_folder(), [demo_file(f"{name}.json") for name in EXAMPLE_RIGS])


def needs(command: str, action: str, usage: str) -> str:
    """What is missing behind an action: "`set` needs FIELD VALUE: vigil rig set FIELD VALUE"."""
    return f"`{action}` needs {usage or 'no more words'}: vigil {command} {action} {usage}".strip()


def name_wanted(text: str) -> str:
    """What something is to be called. Raises BadInput."""
    if not text.strip():
        raise BadInput("a name must not be empty")
    return text.strip()


def rig_path(wanted: str) -> Path:
    """The file behind a rig's name or a path. Raises BadInput."""
    if "/" in wanted or wanted.endswith(".json"):
        return Path(wanted).absolute()
    from vigil.documents.rig.rigs import RigsError

    try:
        return my_rigs().path_of(wanted)
    except RigsError as problem:
        raise BadInput(str(problem)) from None


def rig_wanted(args: argparse.Namespace) -> tuple[Rig, Path]:
    """The rig that `--rig` names, else the demo's, and its file. Raises BadInput."""
    path = rig_path(args.rig or EXAMPLE_RIGS[0])
    return load_document(Rig, path), path


def plan_wanted(args: argparse.Namespace, rig: Rig) -> NightPlan:
    """The plan that is named, that of --target, or the demo's, made to fit the rig where asked for. Raises
    BadInput."""
    if getattr(args, "target", None) is not None:
        if args.plan is not None:
            raise BadInput("a plan or --target, not both")
        from vigil.cli.oneline import plan_of_one_line

        return plan_of_one_line(args, rig)
    if args.plan is None and not args.demo:
        raise BadInput("which plan? Name a night plan's file, give --target and --lines, or --demo")
    path = plan_path(args.plan, rig) if args.plan else demo_file("plan.json")
    return load_fitting(path, rig, args.fit or args.plan is None)


def my_plans(rig: Rig) -> "NamedFiles[NightPlan]":
    """The rig's plans beside the one on the window's desk."""
    from vigil.documents.namedfiles import NamedFiles

    return NamedFiles(plans_folder(rig.id), NightPlan, "plan")


def plan_path(wanted: str, rig: Rig) -> Path:
    """The file of a plan: a path, or the name of one that the rig keeps; `desk` is the window's. Raises
    BadInput."""
    if "/" in wanted or wanted.endswith(".json"):
        return Path(wanted)
    if wanted == "desk":
        path = data_folder(rig.id) / "plan.json"
        if not path.exists():
            raise BadInput(
                f"the window has no plan for {rig.name} yet: open it once, "
                f"vigil window --rig {rig.id}, or name a plan"
            )
        return path
    from vigil.documents.namedfiles import NotThere

    try:
        return my_plans(rig).path_of(wanted)
    except NotThere as problem:
        raise BadInput(f"{problem}; or name a file") from None


def read_value(text: str) -> Any:
    """A value typed: JSON where it is (numbers, null, true, lists), else the text itself."""
    try:
        return json.loads(text)
    except ValueError:
        return text


def scenario_path(wanted: str) -> Path:
    """The file behind the name of a scenario that ships with Vigil, or a path. Raises BadInput."""
    if "/" in wanted or wanted.endswith(".json"):
        return Path(wanted).absolute()
    from vigil.documents.shippedscenarios import path_of_shipped, shipped

    path = path_of_shipped(wanted)
    if path is None:
        raise BadInput(f"no scenario is called {wanted!r}; there are {', '.join(shipped())}, or name a file")
    return path


def scenario_wanted(name: str | None) -> "Scenario":
    """The scenario of a name or a file, the ordinary one where none is named. Raises BadInput."""
    from vigil.documents.scenario import Scenario

    return load_document(Scenario, scenario_path(name)) if name else Scenario()


def moment_wanted(text: str) -> datetime:
    """Of --at. Raises BadInput."""
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        raise BadInput(f"--at {text!r}: no moment; write it as 2027-01-12T21:00, UTC") from None
    _within_reach("--at", text, at.year)
    return at.replace(tzinfo=UTC) if at.tzinfo is None else at.astimezone(UTC)


def evening_wanted(option: str, text: str) -> date:
    """A date that was typed after an option. Raises BadInput."""
    try:
        evening = date.fromisoformat(text)
    except ValueError:
        raise BadInput(f"{option} {text!r} is no date; write the evening's as 2027-01-12") from None
    _within_reach(option, text, evening.year)
    return evening


def _within_reach(option: str, text: str, year: int) -> None:
    """Sun, moon and the sky's turning are known well for so long."""
    if not _FIRST_YEAR <= year <= _LAST_YEAR:
        raise BadInput(f"{option} {text}: give a year from {_FIRST_YEAR} to {_LAST_YEAR}")


def scenario_words(args: argparse.Namespace, rig: Rig) -> list[str]:
    """What of --seed, --scenario and --truth a keeper is started with, looked at first. Raises BadInput."""
    truth = getattr(args, "truth", None)
    if rig.simulated is None and (args.seed is not None or args.scenario or truth):
        raise BadInput(f"--seed, --scenario and --truth are for simulated rigs; {rig.name} is not simulated")
    words = ["--seed", str(args.seed)] if args.seed is not None else []
    if args.scenario:
        scenario_wanted(args.scenario)
        words += ["--scenario", str(scenario_path(args.scenario))]
    if at := getattr(args, "at", None):
        if rig.simulated is None:
            raise BadInput(f"--at is for simulated rigs; {rig.name} is not simulated")
        words += ["--at", moment_wanted(at).isoformat()]
    return [*words, "--truth", str(Path(truth).absolute())] if truth else words


def own_folders(rig: Rig) -> Folders:
    """Where Vigil keeps the rig's things. Raises BadInput."""
    try:
        return folders_of(rig.id)
    except (OSError, ValueError) as problem:
        raise BadInput(f"Vigil's own folders can't be made: {problem}") from None
