"""A dither without a guider: a small slew, in pixels of the main camera."""

from dataclasses import dataclass
from typing import Any

from vigil.engine.activities.moves import slew_to
from vigil.engine.activity import Activity, Kit
from vigil.planning.dithering import beside, dither_offset_px
from vigil.planning.overheads import DITHER_S


@dataclass(frozen=True)
class Dither(Activity):
    """`aim_*` is where the mount was sent for the present offset, `offset_arcsec` (east, north); how far off
    it was then is taken over, the next light tells anew."""

    KIND = "dither"
    DEVICES = frozenset({"mount"})
    DISTURBS = ("pointing",)
    expected_s = DITHER_S

    block: str
    target: str
    number: int
    most_px: float
    aim_ra_deg: float
    aim_dec_deg: float
    offset_arcsec: tuple[float, float]
    off: tuple[float, float] | None
    """(pixels, arc-seconds) by the last solved frame; None where none was solved."""

    @property
    def words(self) -> str:
        return f"dithering on {self.target}"

    async def run(self, kit: Kit) -> dict[str, Any]:
        scale = kit.rig.scale_arcsec_px()
        east, north = (scale * px for px in dither_offset_px(self.number, self.most_px))
        was_east, was_north = self.offset_arcsec
        aim = beside(self.aim_ra_deg, self.aim_dec_deg, east - was_east, north - was_north)
        side = await slew_to(kit, *aim, keeps_side=True)
        moved_px = ((east - was_east) ** 2 + (north - was_north) ** 2) ** 0.5 / scale
        told: dict[str, Any] = {
            "dither": {
                "block": self.block,
                "number": self.number,
                "east_arcsec": round(east, 2),
                "north_arcsec": round(north, 2),
            },
            "side": side,
            "summary": f"dithered by {moved_px:.1f} px, to {east / scale:+.1f} px east, "
            f"{north / scale:+.1f} px north",
        }
        if self.off is not None:
            told["pointing"] = {
                "block": self.block,
                "off_px": self.off[0],
                "off_arcsec": self.off[1],
                "aim_ra_deg": aim[0],
                "aim_dec_deg": aim[1],
                "side": side,
            }
        return told
