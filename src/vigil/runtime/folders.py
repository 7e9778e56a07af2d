"""Where Vigil keeps things (the XDG base directories)."""

import os
import shutil
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

_LONGEST_SOCKET_BYTES = 100
LEDGER = "ledger.sqlite"
_LOCK, _BY_HAND = "keeper.lock", "by hand"


@dataclass(frozen=True, slots=True)
class Folders:
    """Data (lock, frames), state (simulated gear, logs) and runtime (socket) of one rig, and the ledger of
    all."""

    data: Path
    state: Path
    runtime: Path

    @property
    def ledger(self) -> Path:
        """One for all rigs."""
        return self.data.parent / LEDGER

    @property
    def old_ledger(self) -> Path:
        """Where this rig had one of its own once."""
        return self.data / LEDGER

    @property
    def frames(self) -> Path:
        return self.data / "frames"

    @property
    def by_hand(self) -> Path:
        return self.data / _BY_HAND

    @property
    def rescue(self) -> Path:
        return self.data / "rescued"

    @property
    def sim_state(self) -> Path:
        return self.state / "sim.json"

    @property
    def log(self) -> Path:
        return self.state / "keeper.log"

    @property
    def socket(self) -> Path:
        return self.runtime / "keeper.sock"

    @property
    def lock(self) -> Path:
        """Where the rig's frames are: one keeper at a time has a rig, whatever its runtime folder is."""
        return self.data / _LOCK

    @property
    def socket_in_use(self) -> Path:
        """The keeper's, also where it was started with another runtime folder: the lock tells it."""
        if self.socket.exists():
            return self.socket
        try:
            told = self.lock.read_text(errors="replace").splitlines()[1:2]
        except OSError:
            told = []
        return Path(told[0]) if told and Path(told[0]).exists() else self.socket


def folders_of(rig_id: str) -> Folders:
    """The folders of a rig, made when missing; the runtime one for its owner only.

    Raises OSError when one can't be made, and ValueError when the socket's path would be too long.
    """
    home = Path.home()
    data = data_folder(rig_id)
    state = _base("XDG_STATE_HOME", home / ".local" / "state") / "vigil" / rig_id
    runtime = _base("XDG_RUNTIME_DIR", state.parent.parent / "vigil-run") / "vigil" / rig_id
    for folder in (data, state):
        folder.mkdir(parents=True, exist_ok=True)
    runtime.mkdir(parents=True, exist_ok=True, mode=0o700)
    runtime.chmod(0o700)
    folders = Folders(data, state, runtime)
    if len(os.fsencode(folders.socket)) >= _LONGEST_SOCKET_BYTES:
        raise ValueError(f"{folders.socket}: too long for a socket; set XDG_RUNTIME_DIR to a shorter folder")
    return folders


def data_folder(rig_id: str) -> Path:
    """Where a rig's frames are; may not exist yet."""
    return _base("XDG_DATA_HOME", Path.home() / ".local" / "share") / "vigil" / rig_id


def kept_folder(rig_id: str) -> Path:
    """Where what is kept of a rig stands, beside frames taken by hand; may not exist yet."""
    return data_folder(rig_id) / _BY_HAND


def ledger_file() -> Path:
    """The ledger, for reading it without a keeper; may not exist yet."""
    return _base("XDG_DATA_HOME", Path.home() / ".local" / "share") / "vigil" / LEDGER


def old_ledger_file(rig_id: str) -> Path:
    """Where a rig had a ledger of its own once; may not exist."""
    return data_folder(rig_id) / LEDGER


def lock_file(rig_id: str) -> Path:
    """Held by a rig's keeper; may not exist yet."""
    return data_folder(rig_id) / _LOCK


def rigs_folder() -> Path:
    """Where one's own rigs are kept, a file each; may not exist yet."""
    return _base("XDG_DATA_HOME", Path.home() / ".local" / "share") / "vigil" / "rigs"


def cache_folder() -> Path:
    """Where what can be made anew is kept, as the sky table; may not exist yet."""
    return _base("XDG_CACHE_HOME", Path.home() / ".cache") / "vigil"


def own_catalogue_folder() -> Path:
    """Where one's own deeper star catalogue is kept; may not exist."""
    return _base("XDG_DATA_HOME", Path.home() / ".local" / "share") / "vigil" / "catalogue"


def from_home(path: Path) -> str:
    """A path as people write it, with ~ for the home folder."""
    home = Path.home()
    return f"~/{path.relative_to(home)}" if path.is_relative_to(home) else str(path)


def calibration_folder(rig_id: str) -> Path:
    """Where a rig's darks, flats and bias frames are looked for; may not exist yet."""
    return data_folder(rig_id) / "calibration"


def coverage_folders(rig_id: str, frames_folder: str | None, libraries: Iterable[str] = ()) -> list[Path]:
    """Where a rig's lights and calibration frames are, and people's own libraries; may not exist yet."""
    lights = Path(frames_folder).expanduser() if frames_folder else data_folder(rig_id) / "frames"
    return [lights, calibration_folder(rig_id), *(Path(name).expanduser() for name in libraries)]


def plans_folder(rig_id: str) -> Path:
    """A rig's plans beside the one on the desk; may not exist yet."""
    return data_folder(rig_id) / "plans"


def patterns_folder() -> Path:
    """Pieces of plans kept to be used again."""
    return _base("XDG_DATA_HOME", Path.home() / ".local" / "share") / "vigil" / "patterns"


def projects_folder() -> Path:
    """Where projects are kept, a file each; may not exist yet."""
    return _base("XDG_DATA_HOME", Path.home() / ".local" / "share") / "vigil" / "projects"


def allowed_programs_file() -> Path:
    """Which programs plans may run; may not exist yet."""
    return _base("XDG_DATA_HOME", Path.home() / ".local" / "share") / "vigil" / "allowed-programs.json"


def shelf_file() -> Path:
    """Where framed targets are kept; may not exist yet."""
    return _base("XDG_DATA_HOME", Path.home() / ".local" / "share") / "vigil" / "shelf.json"


def backdrops_file() -> Path:
    """Where the list of one's own pictures on the chart is kept; may not exist yet."""
    return _base("XDG_DATA_HOME", Path.home() / ".local" / "share") / "vigil" / "backdrops.json"


def free_bytes(folder: Path) -> int:
    """On the disk that a folder is on, or will be. Raises OSError."""
    while not folder.exists() and folder != folder.parent:
        folder = folder.parent
    return shutil.disk_usage(folder).free


def unwritable(folder: Path) -> str | None:
    """Why nothing can be written in a folder, by trying; None when it can."""
    trial = folder / ".vigil-write-trial"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        trial.write_bytes(b"trial")
        trial.unlink()
    except OSError as problem:
        return f"{folder}: frames can't be written there ({problem.strerror or problem})"
    return None


def free_for_frames(folder: str | None, rig_id: str) -> int | None:
    """Bytes free where a rig's frames go: its own folder, else Vigil's; None where that can't be said."""
    try:
        return free_bytes(Path(folder).expanduser() if folder else data_folder(rig_id))
    except OSError:
        return None


def _base(variable: str, otherwise: Path) -> Path:
    value = os.environ.get(variable, "")
    return Path(value) if Path(value).is_absolute() else otherwise
