"""Where there are too few stars to focus by: a richer field near by, and back again."""

import math
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from datetime import datetime
from typing import TypeVar

import numpy as np

from vigil.documents.rig import Rig
from vigil.engine.activities.moves import WouldFlip, slew_to
from vigil.engine.activity import ActivityFailed, Kit
from vigil.files.starcatalogue import StarCatalogue, star_catalogue
from vigil.planning.beside import beside
from vigil.planning.sides import may_change_side
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

T = TypeVar("T")

ENOUGH = 12
_COUNTED_MAG = 10.5
"""The catalogue is complete so far; fainter ones follow by what counts grow a magnitude (Bahcall & Soneira
1980, Astrophys. J. Suppl. 44, 73)."""
_GROWTH_A_MAG, _FAINTER_MAG, _AT_APERTURE_MM = 0.35, 2.0, 80.0
"""A short exposure with that aperture shows stars fainter by so much, others by their area."""
_COUNTED_WITHIN_DEG = 0.7
"""Smaller fields hold too few catalogued stars to be counted: their share of a circle this wide is."""
_RINGS_DEG, _AROUND = (0.8, 1.5, 2.5, 4.0, 6.0), 12
_LOWEST_DEG = 30.0
_MUCH_RICHER = 2.0


@dataclass(frozen=True, slots=True)
class RicherField:
    """Where (ICRS), how far away, how many stars there, and how many here, where it is seen from."""

    ra_deg: float
    dec_deg: float
    away_deg: float
    stars: int
    here: int
    seen_from: tuple[float, float]

    @property
    def words(self) -> str:
        few = "no star" if not self.here else f"about {self.here} star{'s' * (self.here > 1)}"
        return f"{few} to focus by here, {self.stars} in a field {self.away_deg:.1f}° away"


def richer_field(
    rig: Rig, ra_deg: float, dec_deg: float, side: str, at: datetime, catalogue: StarCatalogue | None = None
) -> RicherField | None:
    """The nearest field with stars enough, on the same side of the pier and not low; None where there are
    enough here, or none better."""
    if not rig.frames_sky or rig.telescope is None:
        return None
    catalogue = catalogue or star_catalogue()
    field_deg2 = math.prod(side * rig.scale_arcsec_px() / 3600 for side in rig.field_px())
    within_deg = max(math.sqrt(field_deg2 / math.pi), _COUNTED_WITHIN_DEG)
    deeper_mag = _FAINTER_MAG + 5 * math.log10(rig.telescope.aperture_mm / _AT_APERTURE_MM)
    share = field_deg2 / (math.pi * within_deg**2) * 10 ** (_GROWTH_A_MAG * deeper_mag)

    def stars(ra: float, dec: float) -> int:
        return round(share * np.count_nonzero(catalogue.cone(ra, dec, within_deg).mag <= _COUNTED_MAG))

    here = stars(ra_deg, dec_deg)
    if here >= ENOUGH:
        return None
    best: RicherField | None = None
    for away in _RINGS_DEG:
        for turn in np.arange(_AROUND) * 2 * np.pi / _AROUND:
            ra, dec = beside(ra_deg, dec_deg, 3600 * away * np.sin(turn), 3600 * away * np.cos(turn))
            there = RicherField(ra, dec, away, stars(ra, dec), here, (ra_deg, dec_deg))
            if (best is None or there.stars > best.stars) and _reachable(rig, there, side, at):
                best = there
        if best is not None and best.stars >= ENOUGH:
            return best
    return best if best is not None and best.stars > _MUCH_RICHER * max(here, 2) else None


def _reachable(rig: Rig, there: RicherField, side: str, at: datetime) -> bool:
    altitude = float(observe(there.ra_deg, there.dec_deg, from_datetimes(at), rig.site.place()).altitude_deg)
    return altitude >= _LOWEST_DEG and not may_change_side(rig, side, there.ra_deg, there.dec_deg, at)


def richer_than_here(kit: Kit) -> RicherField | None:
    """The same for where the mount looks; None without one that tracks."""
    mount = kit.devices.mount
    if mount is None or mount.state is None or mount.state.parked or kit.rig.mount is None:
        return None
    state = mount.state
    return richer_field(kit.rig, state.ra_deg, state.dec_deg, state.pier_side.value, kit.clock.utcnow())


async def there_and_back(kit: Kit, there: RicherField, work: Callable[[], Awaitable[T]]) -> T:
    """Slew there, do it, and slew back, also when it failed; centring is the caller's. Cut off, the mount
    stops where it is. Raises ActivityFailed where it can't be slewed to."""
    mount = kit.devices.mount
    assert mount is not None and mount.state is not None, "a field was found from where it looks"
    home = mount.state.ra_deg, mount.state.dec_deg
    try:
        await slew_to(kit, there.ra_deg, there.dec_deg, keeps_side=True)
    except WouldFlip as problem:
        raise ActivityFailed(f"the richer field can't be gone to: {problem}") from None
    try:
        result = await work()
    except Exception:  # not where it is cut off: nothing moves then
        await slew_to(kit, *home)
        raise
    await slew_to(kit, *home)
    return result
