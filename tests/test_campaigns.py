"""How campaigns are run: on all processors or alone, and on from where one was stopped."""

import json
import os
from pathlib import Path
from typing import Any

import pytest

from campaigns import figures
from campaigns.figures import run_campaign


def numbers(results: list[dict[str, Any]]) -> dict[str, Any]:
    return {"numbers": [result["number"] for result in results]}


@pytest.mark.parametrize("alone", [True, False])
def test_a_campaign_that_was_stopped_goes_on(
    alone: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(figures, "FOLDER", tmp_path)
    monkeypatch.setattr(figures, "_commit", lambda: "abc")
    monkeypatch.setattr(os, "cpu_count", lambda: 2)
    done = tmp_path / "done"
    done.mkdir()

    def work(number: int) -> dict[str, Any]:
        with (done / str(number)).open("a") as file:
            file.write("x")
        if number == 3 and not (tmp_path / "mended").exists():
            raise OSError("no space")
        return {"number": number}

    items = [(f"item {n}", lambda n=n: work(n)) for n in range(6)]
    with pytest.raises(OSError, match="no space"):
        run_campaign("some", items, numbers, alone)
    assert not (tmp_path / "some.json").exists()
    (tmp_path / "mended").touch()
    assert run_campaign("some", items, numbers, alone) == {"numbers": list(range(6))}
    written = json.loads((tmp_path / "some.json").read_text())
    assert list(written["results"]) == [key for key, _ in items] and written["commit"] == "abc"
    # what was done before it was stopped isn't done again
    assert [(done / str(n)).read_text() for n in range(6)] == ["x", "x", "x", "xx", "x", "x"]
    assert not list(tmp_path.glob(".*"))
