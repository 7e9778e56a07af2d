"""Centre a target: take a frame, solve it, correct, until it is within reach."""

from dataclasses import dataclass
from typing import Any

from vigil.devices.protocols import PierSide
from vigil.engine.activities.moves import slew_to
from vigil.engine.activities.solving import near_enough, ready_to_solve, solved_frame, solved_values
from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.planning.overheads import CENTRE_S
from vigil.sky.angles import separation_deg
from vigil.sky.tangent import deproject, project
from vigil.solving.wcs import Wcs

_MOST_FRAMES = 5
_SYNC_S = 20.0


@dataclass(frozen=True)
class Centre(Activity):
    """Puts an ICRS position on the image's centre, through the rig's filter for solving; blurred frames
    don't solve, so the focuser goes to that filter's position where one is known."""

    KIND = "centre"
    DEVICES = frozenset({"camera", "filter wheel", "focuser", "mount", "rotator"})
    DISTURBS = ("pointing",)
    expected_s = CENTRE_S

    block: str
    target: str
    ra_deg: float
    dec_deg: float
    focus_position: int | None
    reach_px: float

    @property
    def words(self) -> str:
        return f"centring {self.target}"

    async def run(self, kit: Kit) -> dict[str, Any]:
        exposure = await ready_to_solve(kit, self.focus_position)
        reach_px = self.reach_px
        aim = await near_enough(kit, self.ra_deg, self.dec_deg)
        off_px = 0.0
        mount = kit.devices.mount.state if kit.devices.mount else None
        side = mount.pier_side.value if mount and mount.pier_side is not PierSide.UNKNOWN else ""
        for attempt in range(1, _MOST_FRAMES + 1):
            solution, wcs = await solved_frame(kit, exposure, aim, attempt)
            off_arcsec = 3600 * float(separation_deg(wcs.ra_deg, wcs.dec_deg, self.ra_deg, self.dec_deg))
            off_px = off_arcsec / wcs.scale_arcsec_px
            if attempt == 1:
                kit.progress.begin("centre", self.words, off_px, reach_px, "px")
            kit.progress.current = off_px
            await kit.step(
                {
                    "attempt": attempt,
                    "off_px": round(off_px, 2),
                    "off_arcsec": round(off_arcsec, 2),
                    "limit_px": reach_px,
                    **solved_values(solution, wcs),
                },
                f"frame {attempt}: {off_px:.1f} px off, limit {reach_px:g}",
            )
            if off_px <= reach_px:
                return {
                    "pointing": {
                        "block": self.block,
                        "off_px": round(off_px, 2),
                        "off_arcsec": round(off_arcsec, 2),
                        "aim_ra_deg": aim[0],
                        "aim_dec_deg": aim[1],
                        "side": side,
                    },
                    "side": side,
                    "frames": attempt,
                    "summary": f"{off_px:.1f} px off after frame {attempt}, limit {reach_px:g}",
                }
            aim, side = await self._correct(kit, aim, wcs)
        raise ActivityFailed(f"still {off_px:.1f} px off after {_MOST_FRAMES} frames, limit {reach_px:g}")

    async def _correct(self, kit: Kit, aim: tuple[float, float], wcs: Wcs) -> tuple[tuple[float, float], str]:
        """Send the mount again; returns where it was sent, and the side of the pier then."""
        mount = kit.devices.named("mount")
        if kit.rig.mount is not None and kit.rig.mount.centres_by == "synchronising":
            await mount.do("sync", _SYNC_S, lambda m: m.sync(wcs.ra_deg, wcs.dec_deg))
            aim = self.ra_deg, self.dec_deg
        else:
            # aim beside the target by as much as the frame was beside it, the other way
            xi, eta = project(wcs.ra_deg, wcs.dec_deg, self.ra_deg, self.dec_deg)
            xi_aim, eta_aim = project(*aim, self.ra_deg, self.dec_deg)
            ra_deg, dec_deg = deproject(xi_aim - xi, eta_aim - eta, self.ra_deg, self.dec_deg)
            aim = float(ra_deg), float(dec_deg)
        return aim, await slew_to(kit, *aim, keeps_side=True)
