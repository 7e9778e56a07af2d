"""`vigil rig` and `vigil device`: everything the window can do to a rig and to a device."""

import json
import os
import signal
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import demo_rig
from vigil.cli import main
from vigil.cli.files import demo_file
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_value
from vigil.documents.store import load, save


def told(capsys: pytest.CaptureFixture[str]) -> Any:
    return json.loads(capsys.readouterr().out)


def test_rigs_are_listed_copied_changed_compared_and_exchanged(
    capsys: pytest.CaptureFixture[str], own_folders: Path
) -> None:
    assert main(["rig", "list", "--json"]) == 0
    assert [(r["id"], r["example"]) for r in told(capsys)] == [
        ("heron-480", True), ("stork-1600", True), ("tern-135", True),
    ]  # fmt: skip
    assert main(["rig", "copy", "heron-480", "My Heron", "--json"]) == 0
    assert told(capsys)["id"] == "my-heron"
    assert main(["rig", "set", "camera.cooler.set_point_c", "-5", "--rig", "my-heron"]) == 0
    assert "camera · cooler · set-point: -10 → -5" in capsys.readouterr().out
    assert main(["rig", "set", "camera.pixel_um", "-5", "--rig", "my-heron"]) == 2
    assert "camera.pixel_um: must be over 0.2" in capsys.readouterr().err
    assert main(["rig", "compare", "heron-480", "my-heron", "--json"]) == 3
    assert told(capsys) == [
        {"path": "name", "words": "name", "first": "Heron 480", "second": "My Heron"},
        {
            "path": "camera.cooler.set_point_c", "words": "camera · cooler · set-point",
            "first": -10.0, "second": -5.0,
        },
    ]  # fmt: skip
    out = own_folders / "heron.json"
    assert main(["rig", "export", "my-heron", str(out)]) == 0
    before = load(Rig, out)
    assert main(["rig", "delete", "my-heron"]) == 0
    assert main(["rig", "show", "my-heron"]) == 2
    assert "there are heron-480, stork-1600, tern-135" in capsys.readouterr().err
    assert main(["rig", "import", str(out)]) == 0
    capsys.readouterr()
    assert main(["rig", "show", "my-heron", "--json"]) == 0
    assert Rig.model_validate(told(capsys)["rig"]) == before
    assert main(["rig", "delete", "my-heron"]) == 0 and main(["rig", "restore", "my-heron"]) == 0
    assert main(["rig", "rename", "Heron of the hill", "--rig", "my-heron"]) == 0
    assert main(["rig", "new", "Nothing yet"]) == 0
    capsys.readouterr()
    assert main(["rig", "list"]) == 0
    assert "Heron of the hill" in (listed := capsys.readouterr().out) and "nothing-yet" in listed
    assert main(["rig", "delete", "heron-480"]) == 2
    assert "an example" in capsys.readouterr().err
    assert main(["rig", "compare", "heron-480"]) == 2
    assert "vigil rig compare RIG RIG" in capsys.readouterr().err


def test_an_example_becomes_ones_own_by_its_first_change(
    capsys: pytest.CaptureFixture[str], own_folders: Path
) -> None:
    assert main(["rig", "set", "guider.exposure_s", "3", "--demo"]) == 0
    assert main(["rig", "list", "--json"]) == 0
    listed = json.loads(capsys.readouterr().out.splitlines()[-1])
    assert [r["id"] for r in listed if not r["example"]] == ["heron-480"]
    assert load(Rig, demo_file("heron-480.json")) == demo_rig(), "what ships is never written to"


def test_check_lists_what_is_wrong_with_the_field(
    capsys: pytest.CaptureFixture[str], own_folders: Path
) -> None:
    path = own_folders / "bad.json"
    save(with_value(demo_rig(), ("focuser", "controller_steps"), 80), path)
    assert main(["rig", "check", "--rig", str(path)]) == 3
    assert "wrong     focuser.controller_steps: Backlash is made up for twice" in capsys.readouterr().out
    assert main(["rig", "check", "--rig", str(path), "--ambient", "30", "--json"]) == 3
    found = told(capsys)["findings"]
    assert {f["path"] for f in found} == {"focuser.controller_steps", "camera.cooler.set_point_c"}
    assert {f["path"]: f["remedy"]["value"] for f in found} == {
        "focuser.controller_steps": 0,
        "camera.cooler.set_point_c": -5.0,
    }
    assert main(["rig", "check", str(demo_file("plan.json")), "--rig", "stork-1600"]) == 0
    assert main(["rig", "check", str(demo_file("plan.json")), "--rig", "tern-135"]) == 3
    assert "plan      blocks.0.lines.0.filter: Tern 135 has no filter 'Ha'" in capsys.readouterr().out


def test_a_damaged_rig_is_refused_with_its_line(
    capsys: pytest.CaptureFixture[str], own_folders: Path
) -> None:
    path = own_folders / "mine.json"
    save(demo_rig(), path)
    save(demo_rig(), path)
    path.write_text(path.read_text().replace('"rows": 3000', '"rows": 3.5', 1))
    assert main(["rig", "show", "--rig", str(path)]) == 2
    said = capsys.readouterr().err
    assert "camera.rows: write a whole number" in said and "line " in said
    assert f"the version before it is {path}.previous" in said


@pytest.mark.timeout(120)
def test_devices_from_the_command_line(capsys: pytest.CaptureFixture[str], own_folders: Path) -> None:
    """Through a keeper of its own process, started by the first command."""
    try:
        assert main(["device", "focuser", "to", "6200"]) == 2
        assert capsys.readouterr().err == "vigil: focuser: to: not connected\n"
        assert main(["device", "focuser", "connect"]) == 0
        assert capsys.readouterr().out == "focuser connected\n"
        assert main(["device", "focuser", "by", "-40", "--json"]) == 0
        stages = [json.loads(line)["stage"] for line in capsys.readouterr().out.splitlines()]
        assert stages == ["begun", "done"]
        assert main(["device", "focuser", "to", "99999"]) == 2
        assert "position 99999 is not possible: 0 to 12000" in capsys.readouterr().err
        assert main(["device", "focuser"]) == 0
        assert "by STEPS" in capsys.readouterr().out
        assert main(["device", "--json"]) == 0
        lamps = {r["name"]: r["lamp"] for r in told(capsys)}
        assert lamps["focuser"] == "ready" and lamps["mount"] == "not connected"
        for words, says in (
            (["roof", "open"], "Heron 480 has no roof"),
            (["focuser", "fly"], "nothing is called 'fly'"),
            (["focuser", "to", "far"], "'far' is not a whole number"),
            (["focuser", "to"], "focuser to POSITION: 0 values given"),
            (["focuser", "to", "1", "--count", "3"], "--count N goes with loop"),
        ):
            assert main(["device", *words]) == 2
            assert says in capsys.readouterr().err
        assert main(["night", "status", "--json"]) == 0
    finally:
        capsys.readouterr()
        if main(["night", "status", "--json"]) == 0:
            os.kill(json.loads(capsys.readouterr().out)["keeper_pid"], signal.SIGTERM)
