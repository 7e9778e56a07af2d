"""Fixtures for all tests."""

import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest


@pytest.fixture
def own_folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """Vigil's data, state and runtime folders under a temporary one; its path is given.

    The runtime folder is linked there from a short path: sockets allow no long ones.
    """
    with tempfile.TemporaryDirectory(prefix="vigil-") as short:
        (tmp_path / "r").symlink_to(short)
        monkeypatch.setenv("XDG_RUNTIME_DIR", short)
        monkeypatch.setenv("VIGIL_UNGUARDED", "1")  # a keeper that a test kills stays dead
        monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "d"))
        monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "s"))
        yield tmp_path


_LONG = ("tests/ui/test_end_to_end.py", "tests/keeper/test_crash.py")
"""They wait for processes: begun first, they hold nobody up at the end."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    items.sort(key=lambda item: not item.nodeid.startswith(_LONG))
