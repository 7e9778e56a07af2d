"""An earlier frame taken up again: where it lies, how it was exposed, how far telescope and camera are from
it."""

from dataclasses import dataclass
from typing import Any

from vigil.optics.footprint import Footprint, common_area, subtended_deg
from vigil.sky.angles import separation_deg
from vigil.sky.turns import turn_to_deg
from vigil.solving.wcs import Wcs

_STEPS = 240


@dataclass(frozen=True, slots=True)
class Earlier:
    """A solved frame. What its header doesn't say is None; `name` is what the header calls the object,
    which may be a leftover of another night."""

    wcs: Wcs
    name: str = ""
    filter: str = ""
    exposure_s: float | None = None
    gain: int | None = None
    offset: int | None = None
    binning: int | None = None
    set_point_c: float | None = None
    taken_at: str = ""

    @property
    def footprint(self) -> Footprint:
        """Its sensor on the sky."""
        return footprint_of(self.wcs)


@dataclass(frozen=True, slots=True)
class Away:
    """How far from it: arc-seconds, degrees of turn (shortest way, half a turn being the same), and the
    share of the frame that would be covered, 0…1."""

    arcsec: float
    turn_deg: float
    common: float


def footprint_of(wcs: Wcs) -> Footprint:
    """The outline that a solution's linear part gives."""
    rows, columns = wcs.shape
    scale = wcs.scale_arcsec_px
    return Footprint(
        wcs.ra_deg,
        wcs.dec_deg,
        wcs.position_angle_deg,
        subtended_deg(scale, columns),
        subtended_deg(scale, rows),
    )


def earlier_frame(header: dict[str, Any], wcs: Wcs) -> Earlier:
    """What a frame's header says beside where it lies."""
    return Earlier(
        wcs=wcs,
        name=_text(header, "OBJECT"),
        filter=_text(header, "FILTER"),
        exposure_s=_number(header, "EXPTIME", "EXPOSURE"),
        gain=_whole(header, "GAIN"),
        offset=_whole(header, "OFFSET"),
        binning=_whole(header, "XBINNING"),
        set_point_c=_number(header, "SET-TEMP"),
        taken_at=_text(header, "DATE-OBS"),
    )


def away_from(wanted: Footprint, now: Footprint) -> Away:
    """How far a sensor is from where it was."""
    apart = float(separation_deg(wanted.ra_deg, wanted.dec_deg, now.ra_deg, now.dec_deg))
    turn = turn_to_deg(now.position_angle_deg, wanted.position_angle_deg)
    return Away(3600 * apart, turn, common_area(wanted, now, _STEPS))


def _text(header: dict[str, Any], key: str) -> str:
    return str(header.get(key) or "").strip()


def _number(header: dict[str, Any], *keys: str) -> float | None:
    for key in keys:
        value = header.get(key)
        if isinstance(value, int | float) and not isinstance(value, bool):
            return float(value)
    return None


def _whole(header: dict[str, Any], key: str) -> int | None:
    value = _number(header, key)
    return None if value is None or value != int(value) else int(value)
