"""A folder of plans known by their names."""

from pathlib import Path

from vigil.cli.files import demo_file
from vigil.documents.namedfiles import NamedFiles
from vigil.documents.plan import NightPlan
from vigil.documents.store import load


def test_what_is_thrown_away_takes_the_place_of_nothing_thrown_away_before(tmp_path: Path) -> None:
    plans = NamedFiles(tmp_path, NightPlan, "plan")
    plan = load(NightPlan, demo_file("plan.json")).model_copy(update={"name": "Twice"})
    gone = []
    for _ in range(2):
        plans.keep(plan)
        gone.append(plans.throw_away("Twice"))
    assert len(set(gone)) == 2
    assert all(load(NightPlan, path).name == "Twice" for path in gone)
    assert list(plans.all()) == []
