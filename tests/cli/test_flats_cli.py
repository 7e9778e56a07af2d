"""`vigil flats advise` on tables from anywhere."""

import json
from pathlib import Path

import pytest

from vigil.cli import main

TRIALS = "filter,level,exposure_s,mean_adu\nL,20,0.5,16500\nL,60,0.5,48500\nHa,200,10,9000\nHa,255,10,11300\n"
OPTIONS = ["--levels", "1..255", "--least-exposure", "0.5", "--most-exposure", "30", "--bias", "500"]


def advise(path: Path, *more: str) -> int:
    return main(["flats", "advise", str(path), *OPTIONS, "--full-scale", "65535", *more])


def test_each_filter_has_its_advice(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "trials.csv"
    path.write_text(TRIALS)
    assert advise(path, "--window", "30..40", "--json") == 0
    light, narrow = json.loads(capsys.readouterr().out)["filters"]
    assert light["filter"] == "L" and light["feasible"] and light["exposure_s"] >= 0.5
    assert 0.3 * 65535 <= light["predicted_mean_adu"] <= 0.4 * 65535
    assert narrow["level"] >= 200 and 15 < narrow["exposure_s"] <= 30
    assert advise(path, "--window", "20000..26000") == 0
    assert "Ha: level" in capsys.readouterr().out
    assert advise(path, "--window", "50..60", "--most-exposure", "12") == 3
    said = capsys.readouterr().out
    assert "Ha: too dark" in said and "What would help: exposures up to" in said


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("filter,level\nL,3\n", "no column 'exposure_s'"),
        ("filter,level,exposure_s,mean_adu\nL,2.5,1,900\n", "no whole step"),
        ("filter,level,exposure_s,mean_adu\nL,2,0,900\n", "must be above 0"),
        ("filter,level,exposure_s,mean_adu\nL,2,1,much\n", "is no number"),
        ("filter,level,exposure_s,mean_adu\n,2,1,900\n", "no filter"),
        ("filter,level,exposure_s,mean_adu\n", "no trial in it"),
    ],
)
def test_bad_tables_are_refused_with_the_place(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], text: str, said: str
) -> None:
    path = tmp_path / "trials.csv"
    path.write_text(text)
    assert advise(path) == 2 and said in capsys.readouterr().err


def test_bad_limits_are_refused(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "trials.csv"
    path.write_text(TRIALS)
    assert advise(path, "--window", "40..30") == 2 and "the lower one first" in capsys.readouterr().err
    assert advise(path, "--window", "0..0.5") == 2 and "must lie between" in capsys.readouterr().err
    assert advise(path, "--least-exposure", "60") == 2 and "is above" in capsys.readouterr().err
    assert advise(path, "--levels", "all") == 2 and "write LOW..HIGH" in capsys.readouterr().err
