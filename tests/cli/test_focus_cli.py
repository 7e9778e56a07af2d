"""`vigil focus`, as it is typed."""

import json
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from vigil.cli import BAD_INPUT, NOT_ALL, main
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.cli.files import rig_path
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.documents.store import load
from vigil.runtime.folders import ledger_file

pytestmark = pytest.mark.usefixtures("own_folders")


def table(path: Path, rows: list[tuple[float, ...]], head: str = "position,size") -> str:
    path.write_text(head + "\n" + "\n".join(",".join(map(str, row)) for row in rows) + "\n")
    return str(path)


def test_a_table_of_numbers_is_fitted(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    rows = [
        (0.02 * abs(x - 1200) + 0.5, x, (1.5**2 + (0.03 * (x - 1200)) ** 2) ** 0.5)
        for x in range(1000, 1401, 50)
    ]
    name = table(tmp_path / "own.csv", rows, "Scatter, Position, SIZE")
    assert main(["focus", "fit", name, "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["accepted"] and told["best_position"] == pytest.approx(1200, abs=0.01)
    assert told["best_size"] == pytest.approx(1.5, abs=1e-3) and told["residual"] < 1e-4
    low, high = told["interval_95"]
    assert low <= 1200 <= high
    assert main(["focus", "fit", name]) == 0
    assert capsys.readouterr().out.startswith("accepted: best 1.50 at 1200")


def test_one_side_alone_is_refused_with_its_numbers(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    rows = [(x, (2.0**2 + (0.03 * (x - 900)) ** 2) ** 0.5) for x in range(1000, 1401, 50)]
    assert main(["focus", "fit", table(tmp_path / "x.csv", rows), "--json"]) == NOT_ALL
    told = json.loads(capsys.readouterr().out)
    assert not told["accepted"] and "lies at 900" in told["reason"] and "to its left" in told["reason"]


def test_a_file_that_is_no_table(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "x.csv").write_bytes(b"\xff\xfe\x00")
    assert main(["focus", "fit", str(tmp_path / "x.csv")]) == BAD_INPUT
    assert "position,size" in capsys.readouterr().err


def lines(capsys: pytest.CaptureFixture[str]) -> list[dict[str, Any]]:
    return [json.loads(line) for line in capsys.readouterr().out.splitlines()]


def test_a_run_without_a_keeper_ends_with_a_summary(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    truth = tmp_path / "truth.csv"
    asked = ["focus", "run", "--quick", "--seed", "5", "--filter", "Ha", "--truth", str(truth), "--json"]
    assert main(asked) == 0
    first, *_, last = lines(capsys)
    assert first["words"] == "focusing through Ha" and last["accepted"] and truth.exists()
    low, high = last["interval_95"]
    assert low <= last["position"] <= high and last["frames"] >= 10 and last["seconds"] > 30
    assert main(["focus", "log"]) == 0, "what was measured quickly belongs in no log"
    assert "no focus run of" in capsys.readouterr().out


def test_getting_near_tells_every_frame(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["focus", "near", "--quick", "--frames", "3", "--binning", "2", "--json"]) == 0
    began, *looked, last = lines(capsys)
    assert [row["number"] for row in looked] == [1, 2, 3] and all(row["size_px"] > 0 for row in looked)
    assert began["given"]["binning"] == 2 and "cutout" not in looked[0]
    assert last["accepted"] and last["reason"] == "3 frames looked at"
    assert main(["focus", "near", "--quick", "--guides", "--frames", "1"]) == 0
    assert "1 at " in capsys.readouterr().out


def test_under_a_cloud_it_exits_with_refused(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    scenario = tmp_path / "overcast.json"
    scenario.write_text(
        json.dumps({"schema": 1, "kind": "scenario", "name": "o", "air": {"overcast_mag": 12}})
    )
    assert main(["focus", "run", "--quick", "--scenario", str(scenario), "--json"]) == NOT_ALL
    last = lines(capsys)[-1]
    assert not last["accepted"] and "nothing to see" in last["reason"]


def test_what_was_measured_is_taken_over_into_the_rig(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    rig = tmp_path / "rig.json"
    assert main(["rig", "export", "heron-480", str(rig)]) == 0
    assert main(["focus", "backlash", "--quick", "--rig", str(rig), "--take-over"]) == 0
    assert 70 <= json.loads(rig.read_text())["focuser"]["overshoot_steps"] <= 90
    asked = ["focus", "offsets", "--quick", "--rig", str(rig), "--filters", "Ha", "--rounds", "2"]
    capsys.readouterr()
    assert main([*asked, "--take-over", "--json"]) == 0
    found = lines(capsys)[-1]["offsets"]["Ha"]["steps"]
    filters = json.loads(rig.read_text())["wheel"]["sets"][0]["filters"]
    assert next(f for f in filters if f["name"] == "Ha")["focus_offset_steps"] == found


def test_the_log_is_told_in_words_as_a_table_and_learnt_from(capsys: pytest.CaptureFixture[str]) -> None:
    rig = load(Rig, rig_path("heron-480"))
    assert rig.simulated is not None

    async def runs(bench: Bench) -> None:
        for _ in range(6):
            await bench.carry_out("focus", {})
            await bench.clock.sleep(4000)

    at = rig.simulated.starts_at + timedelta(hours=1)
    on_the_bench(Alone(rig, Scenario(), 1, at, quick=True, ledger=ledger_file()), runs)
    assert main(["focus", "log"]) == 0
    assert capsys.readouterr().out.count("accepted: best") == 6
    assert main(["focus", "log", "--csv", "--filter", "L"]) == 0
    head, *rows = capsys.readouterr().out.splitlines()
    assert head.startswith("ended_at,errand,filter,accepted,position") and len(rows) == 6
    assert main(["focus", "log", "--json"]) == 0 and lines(capsys)[0]["figures"]["accepted"]
    assert main(["focus", "learn", "--json"]) == 0
    (told,) = lines(capsys)
    assert told["steps_per_c"]["interval_95"][0] < told["steps_per_c"]["value"] < 0
    assert main(["focus", "learn", "--filter", "Ha"]) == NOT_ALL
    assert "0 runs" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["run", "x.csv"], "one word too many"),
        (["fit"], "which file?"),
        (["run", "--rounds", "3"], "--rounds doesn't go with run"),
        (["find", "--take-over"], "--take-over goes with"),
        (["run", "--quick", "--filter", "X"], "no filter is called 'X'"),
        (["run", "--at", "yesterday"], "no moment"),
    ],
)
def test_wrong_words_are_told(words: list[str], said: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["focus", *words]) == BAD_INPUT
    assert said in capsys.readouterr().err
