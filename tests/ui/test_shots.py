"""The tool that makes the pictures of the README still finds what it uses."""

from pathlib import Path

import pytest
from tools import shots


def test_a_picture_is_made(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(shots, "_FOLDER", tmp_path)
    assert shots.main(["gallery"]) == 0
    assert (tmp_path / "gallery.png").stat().st_size > 10_000
