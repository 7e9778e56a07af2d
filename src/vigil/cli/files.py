"""The documents and frames that commands are given."""

from importlib.resources import files
from pathlib import Path
from typing import TypeVar

from vigil.cli import BadInput
from vigil.documents.plan import NightPlan, contradictions
from vigil.documents.rig import Rig
from vigil.documents.store import Document, DocumentError, load

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
