"""The folder of a person's rigs: listed, copied, deleted and brought back, exported, imported."""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from vigil.documents.rig.rig import Rig
from vigil.documents.rig.site import SitePart
from vigil.documents.store import DocumentError, load, save

_LONGEST_ID = 40


class RigsError(ValueError):
    """What was asked of the rigs can't be done; the message says why."""


@dataclass(frozen=True, slots=True)
class Entry:
    """One rig; `rig` is None when its file can't be used, and `problem` says why."""

    id: str
    path: Path
    rig: Rig | None
    problem: str
    example: bool


class Rigs:
    """A folder with a file a rig, and the examples that ship with Vigil, which are never written to."""

    def __init__(self, folder: Path, examples: Iterable[Path] = ()) -> None:
        self.folder = folder
        self._examples = {path.stem: path for path in examples}

    def entries(self) -> list[Entry]:
        """One's own rigs by name, then the examples that are not among them."""
        own = sorted(self.folder.glob("*.json")) if self.folder.exists() else []
        found = [self._entry(path, False) for path in own]
        names = {entry.id for entry in found}
        found += [self._entry(path, True) for name, path in self._examples.items() if name not in names]
        return found

    def _entry(self, path: Path, example: bool) -> Entry:
        try:
            return Entry(path.stem, path, load(Rig, path), "", example)
        except DocumentError as problem:
            return Entry(path.stem, path, None, str(problem), example)

    def path_of(self, rig_id: str) -> Path:
        """The file to read a rig from: one's own before the example. Raises RigsError."""
        own = self.own_path(rig_id)
        if own.exists():
            return own
        if rig_id in self._examples:
            return self._examples[rig_id]
        known = ", ".join(entry.id for entry in self.entries()) or "none"
        raise RigsError(f"there is no rig called {rig_id!r}; there are {known}")

    def lists(self, path: Path) -> bool:
        """Whether a file is one of the folder's or an example."""
        return path.parent == self.folder or path in self._examples.values()

    def own_path(self, rig_id: str) -> Path:
        """The file to write a rig to."""
        return self.folder / f"{rig_id}.json"

    def load(self, rig_id: str) -> Rig:
        """Raises RigsError or DocumentError."""
        return load(Rig, self.path_of(rig_id))

    def save(self, rig: Rig) -> Path:
        """Raises OSError."""
        self.folder.mkdir(parents=True, exist_ok=True)
        path = self.own_path(rig.id)
        save(rig, path)
        return path

    def blank(self, name: str, site: SitePart | None = None) -> Rig:
        """A rig with nothing in it, saved; at the site of another one where given."""
        where = site or SitePart(name="my site", latitude_deg=0, longitude_deg=0)
        rig = Rig(id=self.free_id(name), name=name, site=where)
        self.save(rig)
        return rig

    def copy(self, rig: Rig, name: str) -> Rig:
        """The same under another name, saved."""
        made = rig.model_copy(update={"id": self.free_id(name), "name": name})
        self.save(made)
        return made

    def delete(self, rig_id: str) -> Path:
        """Put a rig's file aside as ID.json.deleted, which `restore` brings back. Raises RigsError."""
        own = self.own_path(rig_id)
        if not own.exists():
            if rig_id in self._examples:
                raise RigsError(f"{rig_id} is an example that ships with Vigil: it can't be deleted")
            raise RigsError(f"there is no rig called {rig_id!r}")
        aside = own.with_name(own.name + ".deleted")
        own.replace(aside)
        return aside

    def deleted(self) -> list[str]:
        """The ids that `restore` can bring back."""
        aside = sorted(self.folder.glob("*.json.deleted")) if self.folder.exists() else []
        ids = [path.name.removesuffix(".json.deleted") for path in aside]
        return [rig_id for rig_id in ids if not self.own_path(rig_id).exists()]

    def restore(self, rig_id: str) -> Rig:
        """Undo of `delete`. Raises RigsError."""
        aside = self.own_path(rig_id).with_name(f"{rig_id}.json.deleted")
        if rig_id not in self.deleted():
            raise RigsError(f"no deleted rig {rig_id!r} can be brought back")
        aside.replace(self.own_path(rig_id))
        return self.load(rig_id)

    def export(self, rig_id: str, path: Path) -> None:
        """One file with all of the rig. Raises RigsError, DocumentError, OSError."""
        save(self.load(rig_id), path)

    def import_file(self, path: Path) -> Rig:
        """A rig from a file, saved; under another id when its own is taken by a different rig. Raises
        DocumentError, OSError."""
        rig = load(Rig, path)
        own = self.own_path(rig.id)
        if own.exists() and load(Rig, own) != rig:
            rig = rig.model_copy(update={"id": self.free_id(rig.name)})
        self.save(rig)
        return rig

    def free_id(self, name: str) -> str:
        """An id from a name that no rig has."""
        stem = re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-")[: _LONGEST_ID - 3] or "rig"
        taken = {entry.id for entry in self.entries()}
        if stem not in taken:
            return stem
        return next(f"{stem}-{n}" for n in range(2, 1000) if f"{stem}-{n}" not in taken)
