"""Every number that follows from the rig, against the hand calculation in docs/formulas.md."""

import json

import pytest

from campaigns.demo import demo_rig
from campaigns.rigs import example
from vigil.cli import main
from vigil.documents.rig.change import with_value
from vigil.planning.rignumbers import rig_numbers


def test_the_demo_rigs_numbers() -> None:
    found = {n.name: n for n in rig_numbers(demo_rig(), free_bytes=81_000_000_000)}
    values = {name: n.value for name, n in found.items()}
    assert values == pytest.approx(
        {
            "image scale": 1.632930, "field": 1.360775, "in 3″ seeing": 1.837189,
            "critical focus zone": 96.624, "focal ratio": 6.0, "frame": 18.00576, "resolution": 1.45,
            "longest unguided": 74.64, "free disk holds": 4498.56, "frames a GB": 55.53778,
            "guide scale": 4.583662, "guide to main": 2.807018, "5 px dither": 1.78125,
        },
        rel=1e-4,
    )  # fmt: skip
    assert found["critical focus zone"].also == "28 steps" and found["in 3″ seeing"].also == "well sampled"
    assert all(n.formula for n in found.values())


def test_from_the_command_line(capsys: pytest.CaptureFixture[str], own_folders: object) -> None:
    assert main(["rig", "show", "--demo", "--seeing", "2", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert {n["name"] for n in told["numbers"]} >= {"image scale", "in 2″ seeing", "free disk holds"}
    assert main(["rig", "show", "--demo"]) == 0
    assert "206264.8 · pixel / focal length" in capsys.readouterr().out
    assert main(["rig", "check", "--demo"]) == 0
    assert capsys.readouterr().out == "Heron 480: nothing is wrong\n"
    assert main(["rig", "show"]) == 0
    assert "Heron 480" in capsys.readouterr().out, "the demo's"
    assert main(["rig", "rename", "Other"]) == 2
    assert "which rig is to be changed?" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("missing", "lost"),
    [
        ("telescope", {"image scale", "field", "in 3″ seeing", "longest unguided", "critical focus zone",
                       "focal ratio", "resolution", "guide to main", "5 px dither"}),
        ("camera", {"image scale", "field", "in 3″ seeing", "longest unguided", "guide to main",
                    "5 px dither", "frame", "free disk holds", "frames a GB"}),
        ("guider", {"guide scale", "guide to main", "5 px dither"}),
        ("focuser", set()),
        ("wheel", set()),
        ("mount", set()),
        ("reducer", set()),
    ],
)  # fmt: skip
def test_without_a_part_all_else_is_still_there(missing: str, lost: set[str]) -> None:
    every = {n.name for n in rig_numbers(demo_rig(), free_bytes=10**10)}
    left = {n.name for n in rig_numbers(with_value(demo_rig(), (missing,), None), free_bytes=10**10)}
    assert every - left == lost


def test_the_reducer_counts_and_an_off_axis_guider_looks_through_it() -> None:
    found = {n.name: n for n in rig_numbers(example("stork-1600"))}
    # 206264.806 · 4.6 / (1600 · 0.95 · 1000), and the guide pixel of 4 µm at the same focal length
    assert found["image scale"].value == pytest.approx(0.624222, rel=1e-5)
    assert found["guide scale"].value == pytest.approx(0.542802, rel=1e-5)
    assert found["8 px dither"].value == pytest.approx(8 * 4.6 / 4.0, rel=1e-6)
    assert found["critical focus zone"].value == pytest.approx(155.028, rel=1e-5)
    assert found["critical focus zone"].also == "129 steps" and found["image scale"].also == "at 1520 mm"


def test_the_focus_zone_of_a_filter() -> None:
    found = {n.name: n for n in rig_numbers(demo_rig(), through="Ha")}
    assert found["critical focus zone"].value == pytest.approx(115.299, rel=1e-5)
    assert "λ = 0.6563 µm" in found["critical focus zone"].formula
