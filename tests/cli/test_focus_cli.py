"""`vigil focus`, as it is typed."""

import json
from pathlib import Path

import pytest

from vigil.cli import BAD_INPUT, NOT_ALL, main


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
