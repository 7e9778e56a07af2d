"""What the simulated gear remembers, saved before each effect, so that killing the keeper doesn't kill
the telescope."""

from datetime import datetime
from pathlib import Path

from pydantic import BaseModel

from vigil.files.atomic import write_bytes


class MountMotion(BaseModel):
    """A slew under way: commanded ICRS directions at its start and end, and when."""

    from_ra_deg: float
    from_dec_deg: float
    to_ra_deg: float
    to_dec_deg: float
    began: datetime
    ends: datetime
    parks: bool = False


class SimState(BaseModel):
    """Everything that outlives the keeper; `at` is when it was last saved."""

    seed: int
    at: datetime
    counters: dict[str, int] = {}
    connected: dict[str, bool] = {}
    # mount: what it believes (ICRS) and, apart from that, by how much it is wrong
    ra_deg: float
    dec_deg: float
    since: datetime
    east_error_arcsec: float = 0.0
    north_error_arcsec: float = 0.0
    pier_side: str = "west"
    parked: bool = True
    tracking: bool = False
    motion: MountMotion | None = None
    # camera
    sensor_c: float
    sensor_at: datetime
    set_point_c: float | None = None
    # focuser: where the motor stands and where the drawtube really is
    focuser_position: int
    drawtube_steps: float
    # wheel
    slot: int = 1
    # mount moved by hand: degrees a second on each axis, since when
    hand_rates_deg_s: tuple[float, float] = (0.0, 0.0)
    # beside the train
    rotator_deg: float = 0.0
    panel_level: int = 0
    shutters: dict[str, str] = {}
    heaters_percent: dict[str, float] = {}
    outlets: dict[str, bool] = {}

    def next_count(self, what: str) -> int:
        """A counter that never repeats for one seed."""
        self.counters[what] = self.counters.get(what, 0) + 1
        return self.counters[what]

    def save(self, path: Path | None) -> None:
        if path is not None:
            write_bytes(path, self.model_dump_json(indent=1).encode())
