"""`vigil shoot`, `vigil scenario`, and the truth written beside frames and nights."""

import csv
import json
from datetime import datetime
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from campaigns.demo import quick_rig
from campaigns.rigs import example, small
from campaigns.shooting import shoot
from vigil.cli import BAD_INPUT, NO_KEEPER, OK, main
from vigil.documents.rig.change import with_value
from vigil.documents.store import dump
from vigil.files.fits import read_frame
from vigil.sky.angles import separation_deg

RIG = quick_rig()


@pytest.fixture
def rig(tmp_path: Path) -> str:
    path = tmp_path / "rig.json"
    path.write_text(dump(RIG))
    return str(path)


def test_a_light_can_be_solved_and_lies_where_it_says(
    tmp_path: Path, rig: str, capsys: pytest.CaptureFixture[str]
) -> None:
    [(image, told)] = shoot(tmp_path, "--exposure", "8", "--near", "05:16 +34:21", rig=RIG)
    assert image.shape == RIG.field_px() and told["filter"] == "L"
    assert separation_deg(told["ra_deg"], told["dec_deg"], 79.0, 34.35) * 3600 < 60
    header = read_frame(Path(told["file"])).header
    assert (header["IMAGETYP"], header["FILTER"], header["GAIN"]) == ("LIGHT", "L", 100)
    assert main(["solve", told["file"], "--json"]) == OK
    solved = json.loads(capsys.readouterr().out)
    off = separation_deg(solved["ra_deg"], solved["dec_deg"], told["ra_deg"], told["dec_deg"])
    assert off * 3600 < 0.5 * told["scale_arcsec_px"]


def test_kinds_gains_and_binning(tmp_path: Path) -> None:
    [(flat, told)] = shoot(tmp_path, "--kind", "flat", "--exposure", "2", "--gain", "200", rig=RIG)
    assert 1 <= told["level"] <= 255
    half = min(65535, RIG.camera.at_gain(200).full_well_e / told["electrons_per_adu"])  # type: ignore[union-attr]
    assert 0.3 * half < np.median(flat) < 0.6 * half
    [(bias, _)] = shoot(tmp_path, "--kind", "bias", "--offset", "30", rig=RIG)
    assert np.median(bias) == 300
    [(small, told)] = shoot(tmp_path, "--kind", "dark", "--exposure", "10", "--binning", "3", rig=RIG)
    assert small.shape == (234, 234) and told["bias_adu"] == 300 * 9
    [(guide, told)] = shoot(tmp_path, "--kind", "guide", "--exposure", "1", rig=RIG)
    assert RIG.guider is not None and guide.shape == (RIG.guider.rows, RIG.guider.columns)
    assert read_frame(Path(told["file"])).header["IMAGETYP"] == "LIGHT"
    names = sorted(path.name for path in tmp_path.glob("*.fits"))
    again = shoot(tmp_path, "--kind", "bias", "--offset", "30", rig=RIG)
    assert len(list(tmp_path.glob("*.fits"))) == len(names) + 1, "nothing is written over"
    assert again


@pytest.mark.parametrize("dimmed_by", ["computer", "person"])
def test_a_flat_behind_a_cover_and_one_that_a_person_dims(tmp_path: Path, dimmed_by: str) -> None:
    stork = with_value(small(example("stork-1600"), 8), ("panel", "dimmed_by"), dimmed_by)
    [(flat, told)] = shoot(tmp_path, "--kind", "flat", "--exposure", "2", rig=stork)
    assert np.median(flat) > 5000 and told["panel_e_s_px"] > 0


def test_far_out_of_focus(tmp_path: Path) -> None:
    sharp, blurred = (
        shoot(tmp_path, "--exposure", "3", "--focus-offset", str(off), rig=RIG)[0] for off in (0, 150)
    )
    assert blurred[1]["defocus_um"] == pytest.approx(525, abs=1)
    assert blurred[0].max() < 0.75 * sharp[0].max()


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--filter", "Q", "--exposure", "1"], "no filter is called 'Q'; Heron 480 has L, R"),
        ([], "--exposure S: how long?"),
        (["--exposure", "-3"], "over 0"),
        (["--exposure", "1", "--near", "nowhere"], "--near"),
        (["--exposure", "1", "--near", "05:00 -70:00"], "under the horizon"),
        (["--exposure", "1", "--at", "teatime"], "no moment; write it as"),
        (["--exposure", "1", "--count", "0"], "1 or more"),
        (["--exposure", "1", "--scenario", "nonesuch"], "no scenario is called 'nonesuch'; there are clear"),
        (["--kind", "flat", "--exposure", "1", "--level", "999"], "step 999 does not exist"),
    ],
)
def test_what_can_not_be_shot(
    words: list[str], said: str, rig: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["shoot", "--rig", rig, "--out", str(tmp_path / "out"), *words]) == BAD_INPUT
    assert said in capsys.readouterr().err
    assert not list(tmp_path.glob("out/*.fits"))


def test_a_sensor_without_cooler_can_not_be_set(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    words = ["shoot", "--rig", "tern-135", "--kind", "bias", "--sensor-c", "-5", "--out", str(tmp_path)]
    assert main(words) == BAD_INPUT and "has no cooler" in capsys.readouterr().err


def test_a_folder_that_can_not_be_written(
    rig: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "file").write_text("in the way")
    words = ["shoot", "--rig", rig, "--kind", "bias", "--out", str(tmp_path / "file")]
    assert main(words) == BAD_INPUT and "can't be written" in capsys.readouterr().err


def test_the_truth_of_frames(tmp_path: Path) -> None:
    path = tmp_path / "truth.csv"
    words = ("--exposure", "25", "--count", "3", "--truth", str(path), "--focus-offset", "10")
    frames = shoot(tmp_path, *words, rig=RIG)
    rows = list(csv.DictReader(path.open()))
    shots = [row for row in rows if row["row"] == "frame"]
    ticks = [row for row in rows if row["row"] == "tick"]
    assert len(shots) == 3
    for (_, told), row in zip(frames, shots, strict=True):
        assert float(row["ra_deg"]) == pytest.approx(told["ra_deg"], abs=1e-6)
        assert float(row["focus_error_um"]) == pytest.approx(35, abs=2)
        assert float(row["altitude_deg"]) == pytest.approx(told["altitude_deg"], abs=0.05)
        assert row["tracking"] == "1" and row["pier_side"] == "west" and row["roof"] == "none"
        middle = datetime.fromisoformat(row["time"])
        began = datetime.fromisoformat(told["started_at"])
        assert (middle - began).total_seconds() == pytest.approx(12.5, abs=0.01)
    times = [datetime.fromisoformat(row["time"]) for row in ticks]
    assert len(times) >= 7 and all((b - a).total_seconds() == 10 for a, b in pairwise(times))


def test_scenarios_listed_and_shown(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["scenario", "list", "--json"]) == OK
    listed = json.loads(capsys.readouterr().out)
    assert {"clear", "windy", "troubles"} <= {each["scenario"] for each in listed}
    assert main(["scenario", "show", "windy"]) == OK
    shown = capsys.readouterr().out
    assert "* wind_m_s" in shown and "7.5 m/s" in shown
    assert main(["scenario", "show", "troubles"]) == OK
    assert "* filter wheel: wheel jams" in capsys.readouterr().out
    assert main(["scenario", "show", "windy", "--json"]) == OK
    assert json.loads(capsys.readouterr().out)["air"]["gusts"] == 0.5


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["show", "nonesuch"], "no scenario is called"),
        (["set", "air.seeing_arcsec"], "vigil scenario set FIELD VALUE"),
        (["fault", "gremlins"], "no fault is called 'gremlins'; there are disconnects"),
        (["turn", "1"], "vigil scenario turn HIGHER EAST"),
    ],
)
def test_scenario_words_that_are_wrong(
    words: list[str], said: str, own_folders: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["scenario", *words]) == BAD_INPUT
    assert said in capsys.readouterr().err


def test_without_a_keeper_there_is_nothing_to_play_with(
    own_folders: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["scenario", "now"]) == NO_KEEPER
    assert "no keeper runs for Heron 480" in capsys.readouterr().err
