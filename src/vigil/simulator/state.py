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
    # faults that happen once and have
    happened: list[str] = []
    connected: dict[str, bool] = {}
    # the scenario in force, as its JSON text
    scenario: str = ""
    # mount: where its encoders say that it points (ICRS), and since when
    ra_deg: float
    dec_deg: float
    since: datetime
    pier_side: str = "west"
    parked: bool = True
    tracking: bool = False
    # what it was told by sync: added to what its encoders show
    synced_deg: tuple[float, float] = (0.0, 0.0)
    motion: MountMotion | None = None
    # apart from that: chance errors of the last slew, when it arrived, what the right ascension axis has
    # slipped, where the declination axis really stands, how far the mirror has moved, how far the adjusters
    # were turned
    slew_error_arcsec: tuple[float, float] = (0.0, 0.0)
    arrived: datetime | None = None
    slipped_arcsec: float = 0.0
    dec_tube_deg: float | None = None
    mirror_arcsec: tuple[float, float] = (0.0, 0.0)
    adjusted_arcmin: tuple[float, float] = (0.0, 0.0)
    # camera
    sensor_c: float
    sensor_at: datetime
    set_point_c: float | None = None
    # focuser: where the motor stands and where the drawtube really is
    focuser_position: int
    drawtube_steps: float
    focus_lost_steps: int = 0
    # wheel: the slot in the beam, and on which side it was come from
    slot: int = 1
    wheel_from: int = 1
    # dew on the optics, and when it was last reckoned
    dew: float = 0.0
    dew_at: datetime | None = None
    # mount moved by hand: degrees a second on each axis, since when
    hand_rates_deg_s: tuple[float, float] = (0.0, 0.0)
    # beside the train
    rotator_deg: float = 0.0
    panel_level: int = 0
    panel_laid_on: bool = False
    shutters: dict[str, str] = {}
    # until when each of them moves, whoever waits for it
    shutters_until: dict[str, datetime] = {}
    heaters_percent: dict[str, float] = {}
    outlets: dict[str, bool] = {}

    def next_count(self, what: str) -> int:
        """A counter that never repeats for one seed."""
        self.counters[what] = self.counters.get(what, 0) + 1
        return self.counters[what]

    def save(self, path: Path | None) -> None:
        if path is not None:
            write_bytes(path, self.model_dump_json(indent=1).encode())
