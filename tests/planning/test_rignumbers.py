"""Every number that follows from the rig, against the hand calculation in docs/formulas.md."""

import json

import pytest

from campaigns.demo import demo_rig
from vigil.cli import main
from vigil.planning.rignumbers import rig_numbers


def test_the_demo_rigs_numbers() -> None:
    found = {n.name: n for n in rig_numbers(demo_rig(), free_bytes=81_000_000_000)}
    values = {name: n.value for name, n in found.items()}
    assert values == pytest.approx(
        {
            "image scale": 1.61574, "field": 1.35004, "in 3″ seeing": 1.8567, "critical focus zone": 96.624,
            "focal ratio": 6.0, "frame": 18.10189, "resolution": 1.45, "unguided": 73.86, "room for": 4474.7,
            "a free gigabyte": 55.2429, "guide scale": 4.29718, "guide to main": 2.65957, "5 px dither": 1.88,
        },
        rel=1e-4,
    )  # fmt: skip
    assert found["critical focus zone"].also == "28 steps" and found["in 3″ seeing"].also == "well sampled"
    assert all(n.formula for n in found.values())


def test_from_the_command_line(capsys: pytest.CaptureFixture[str], own_folders: object) -> None:
    assert main(["rig", "show", "--demo", "--seeing", "2", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert {n["name"] for n in told["numbers"]} >= {"image scale", "in 2″ seeing", "room for"}
    assert main(["rig", "show", "--demo"]) == 0
    assert "206264.8 · pixel / focal length" in capsys.readouterr().out
    assert main(["rig", "check", "--demo"]) == 0
    assert capsys.readouterr().out == "Heron 480: nothing is wrong\n"
    assert main(["rig", "show"]) == 2
    assert "which rig?" in capsys.readouterr().err
