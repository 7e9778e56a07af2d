"""The names and files of the scenarios that ship with Vigil, for who needs no scenario itself."""

from importlib.resources import files
from pathlib import Path


def _folder() -> Path:
    return Path(str(files("vigil") / "data" / "scenarios"))


def shipped() -> list[str]:
    """By name, the ordinary one first."""
    return sorted((path.stem for path in _folder().glob("*.json")), key=lambda name: (name != "clear", name))


def path_of_shipped(name: str) -> Path | None:
    """The file of one; None where there is none of that name."""
    return _folder() / f"{name}.json" if name in shipped() else None
