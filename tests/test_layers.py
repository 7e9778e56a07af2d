"""The layers hold, and breaking one on purpose is noticed."""

import os
import shutil
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]


def lint_imports(folder: Path) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "PYTHONPATH": str(folder / "src")}
    command = [str(ROOT / ".venv" / "bin" / "lint-imports"), "--no-cache", "--config", "pyproject.toml"]
    return subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True)


@pytest.mark.parametrize(
    ("module", "line", "contract"),
    [
        ("sky/site.py", "import vigil.files.fits", "Layers"),
        ("simulator/air/weather.py", "import vigil.focusing.vcurve", "The simulator does not measure"),
        ("optics/train.py", "import asyncio", "The pure packages"),
        ("devices/errors.py", "import vigil.ledger.store", "Devices know nothing"),
        ("keeper/lock.py", "import vigil.simulator.psf", "The keeper is handed"),
    ],
)
def test_a_broken_layer_is_noticed(tmp_path: Path, module: str, line: str, contract: str) -> None:
    shutil.copy(ROOT / "pyproject.toml", tmp_path)
    source = tmp_path / "src" / "vigil"
    shutil.copytree(ROOT / "src" / "vigil", source, ignore=shutil.ignore_patterns("data", "__pycache__"))
    broken = source / module
    broken.write_text(broken.read_text() + f"\n{line}\n")
    found = lint_imports(tmp_path)
    assert found.returncode != 0, found.stdout
    assert any(said.startswith(contract) and "BROKEN" in said for said in found.stdout.splitlines())


def test_no_file_names_this_machine_or_a_registry() -> None:
    listed = subprocess.run(
        ["git", "ls-files", "-co", "--exclude-standard"], cwd=ROOT, capture_output=True, text=True, check=True
    ).stdout.splitlines()
    needles = [str(ROOT), "index" + "-url http", "find" + "-links", "pypi" + ".org"]
    for name in listed:
        path = ROOT / name
        if (
            path.suffix in {".py", ".md", ".toml", ".lock", ".in", ".json", ""}
            and path.stat().st_size < 1 << 20
        ):
            text = path.read_text(encoding="utf-8", errors="replace")
            assert not [n for n in needles if n in text.replace("--no-emit-find-links", "")], name
