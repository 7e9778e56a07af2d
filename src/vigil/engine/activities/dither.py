"""A dither, in pixels of the main camera: by the guider where something guides, else by a small slew."""

import math
from dataclasses import dataclass
from typing import Any

from vigil.engine.activities.moves import slew_to
from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.planning.beside import beside
from vigil.planning.overheads import DITHER_S


@dataclass(frozen=True)
class DitherPlace:
    """Where a block's frames are to lie: arc-seconds beside its target (east, north), and where they lay."""

    block: str
    target: str
    number: int
    to_arcsec: tuple[float, float]
    was_arcsec: tuple[float, float]
    scale_arcsec_px: float

    @property
    def by_arcsec(self) -> tuple[float, float]:
        return self.to_arcsec[0] - self.was_arcsec[0], self.to_arcsec[1] - self.was_arcsec[1]

    @property
    def words(self) -> str:
        """ "dithered by 6.2 px, to +3.1 px east, -2.0 px north"."""
        moved_px = math.hypot(*self.by_arcsec) / self.scale_arcsec_px
        east, north = (way / self.scale_arcsec_px for way in self.to_arcsec)
        told = f"dithered by {moved_px:.1f} px, to {east:+.1f} px east, {north:+.1f} px north"
        return told.replace("-", "−")

    def told(self) -> dict[str, Any]:
        east, north = self.to_arcsec
        values = {"block": self.block, "number": self.number}
        return {**values, "east_arcsec": round(east, 2), "north_arcsec": round(north, 2)}


@dataclass(frozen=True)
class GuidedDither(Activity):
    """The guide star belongs elsewhere from now on; that it gets there the condition *guiding settled* sees
    to, while the filter changes."""

    KIND = "dither"
    DEVICES = frozenset()
    expected_s = 1.0

    place: DitherPlace

    @property
    def words(self) -> str:
        return f"dithering on {self.place.target}"

    async def run(self, kit: Kit) -> dict[str, Any]:
        if kit.guider is None:
            raise ActivityFailed(f"{kit.rig.name} has nothing to guide with")
        kit.guider.dither(*self.place.by_arcsec)
        return {"dither": self.place.told(), "summary": self.place.words}


@dataclass(frozen=True)
class Dither(Activity):
    """`aim_*` is where the mount was sent for the present place; how far off it was then is taken over, the
    next light tells anew."""

    KIND = "dither"
    DEVICES = frozenset({"mount"})
    DISTURBS = ("pointing",)
    expected_s = DITHER_S

    place: DitherPlace
    aim_ra_deg: float
    aim_dec_deg: float
    off: tuple[float, float] | None
    """(pixels, arc-seconds) by the last solved frame; None where none was solved."""

    @property
    def words(self) -> str:
        return f"dithering on {self.place.target}"

    async def run(self, kit: Kit) -> dict[str, Any]:
        aim = beside(self.aim_ra_deg, self.aim_dec_deg, *self.place.by_arcsec)
        side = await slew_to(kit, *aim, keeps_side=True)
        told: dict[str, Any] = {"dither": self.place.told(), "side": side, "summary": self.place.words}
        if self.off is not None:
            told["pointing"] = {
                "block": self.place.block,
                "off_px": self.off[0],
                "off_arcsec": self.off[1],
                "aim_ra_deg": aim[0],
                "aim_dec_deg": aim[1],
                "side": side,
            }
        return told
