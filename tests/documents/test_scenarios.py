"""Scenario documents: what they say, what they refuse, those that ship."""

import json
from pathlib import Path

import pytest

from vigil.documents.rig.change import path_of, with_values, words_for
from vigil.documents.scenario import Fault, FaultKind, Scenario
from vigil.documents.scenario.fault import DEVICES_OF
from vigil.documents.scenario.shipped import load_shipped
from vigil.documents.scenario.words import entries
from vigil.documents.shippedscenarios import path_of_shipped, shipped
from vigil.documents.store import DocumentError, dump, load, parse


def text_of(**values: object) -> str:
    return json.dumps({"kind": "scenario", "schema": 1, "name": "trial", **values})


@pytest.mark.parametrize("name", shipped())
def test_every_scenario_that_ships_can_be_read_and_says_what_it_is(name: str) -> None:
    scenario = load_shipped(name)
    assert scenario.name and scenario.notes
    assert parse(Scenario, dump(scenario), name) == scenario
    ordinary = all(entry.ordinary for entry in entries(scenario)) and not scenario.faults
    assert ordinary == (name == "clear"), "each but the first does something"


def test_names_of_scenarios() -> None:
    assert shipped()[0] == "clear" and path_of_shipped("no such") is None
    with pytest.raises(KeyError):
        load_shipped("no such")


def test_troubles_have_one_fault_after_another_at_a_device_that_can_have_it() -> None:
    kinds = {fault.kind for fault in load_shipped("troubles").faults}
    assert len(kinds) >= 9
    assert set(DEVICES_OF) == set(FaultKind)


@pytest.mark.parametrize(
    ("values", "said"),
    [
        ({"air": {"seeing_arcsec": -1}}, "air.seeing_arcsec: must be over 0, not -1"),
        ({"sky": {"moon": {"apart_deg": 200}}}, "sky.moon.apart_deg"),
        ({"air": {"clouds": [{"arrives_min": 10}]}}, "air.clouds.0.minutes: is missing"),
        ({"mount": {"wurm_period_s": 400}}, "mount.wurm_period_s: there is no such field"),
        ({"faults": [{"kind": "wheel jams"}]}, "say either when (at_min) or how often (per_hour)"),
        ({"faults": [{"kind": "wheel jams", "at_min": 5, "per_hour": 1}]}, "say either when"),
        (
            {"faults": [{"kind": "slew refused", "device": "camera", "at_min": 5}]},
            "slew refused can't befall 'camera'; it befalls mount",
        ),
        ({"faults": [{"kind": "disk full", "device": "camera", "at_min": 5}]}, "leave the device out"),
        ({"faults": [{"kind": "gremlins", "at_min": 5}]}, "faults.0.kind"),
    ],
)
def test_what_is_wrong_is_said_with_its_place(values: dict[str, object], said: str) -> None:
    with pytest.raises(DocumentError) as problem:
        parse(Scenario, text_of(**values), "trial.json")
    assert said in str(problem.value) and "trial.json: line" in str(problem.value)


def test_a_file_of_another_kind_or_a_newer_schema_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "s.json"
    path.write_text(text_of().replace('"schema": 1', '"schema": 9'))
    with pytest.raises(DocumentError, match="schema 9 is not known here"):
        load(Scenario, path)
    path.write_text(text_of().replace('"scenario"', '"rig"'))
    with pytest.raises(DocumentError, match="not a scenario"):
        load(Scenario, path)


def test_values_are_set_by_their_path() -> None:
    changed = with_values(Scenario(), {path_of("air.seeing_arcsec"): 4.0, path_of("sky.twilight"): False})
    assert (changed.air.seeing_arcsec, changed.sky.twilight) == (4.0, False)
    assert words_for(path_of("air.seeing_arcsec"), Scenario) == "air · seeing"
    with pytest.raises(KeyError, match=r"clear night has no air\.seing"):
        with_values(Scenario(), {path_of("air.seing"): 4.0})
    with pytest.raises(DocumentError, match="must be over 0"):
        with_values(Scenario(), {path_of("air.seeing_arcsec"): 0})


def test_a_scenario_in_words() -> None:
    scenario = with_values(Scenario(), {path_of("mount.index_arcmin"): [3, -4]})
    told = {entry.path: entry for entry in entries(scenario)}
    assert told["mount.index_arcmin"].shown == "3, -4 ′" and not told["mount.index_arcmin"].ordinary
    assert told["air.seeing_arcsec"].shown == "–" and told["air.seeing_arcsec"].ordinary
    assert all(entry.label for entry in told.values()) and len(told) > 60


def test_faults_in_words() -> None:
    assert Fault(kind=FaultKind.WHEEL_JAMS, at_min=5).words == "filter wheel: wheel jams, at 5 min for 10 min"
    moved = Fault(kind=FaultKind.MOVES, per_hour=2.0)
    assert moved.once and moved.words == "mount: moves by itself, 2 times an hour"
    assert Fault(kind=FaultKind.DISK_FULL, at_min=1).words.startswith("the disk: disk full")
