"""Centre a target: take a frame, solve it, correct, until it is within reach."""

from dataclasses import dataclass
from typing import Any

from vigil.engine.activities.moves import (
    BARE_EXPOSURE_S,
    filter_to,
    focuser_to,
    frame_exposure,
    seen,
    slew_to,
    take,
)
from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.planning.overheads import CENTRE_S
from vigil.sky.angles import separation_deg
from vigil.sky.tangent import deproject, project
from vigil.solving.near import Hint

_MOST_FRAMES = 5
_SCALE_TOLERANCE = 0.05
_SEARCH_DEG = 3.0


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

    @property
    def words(self) -> str:
        return f"centring {self.target}"

    async def run(self, kit: Kit) -> dict[str, Any]:
        wheel = kit.rig.wheel
        if wheel is not None:
            await filter_to(kit, wheel.solve_through)
        exposure_s = wheel.filter(wheel.solve_through).solve_exposure_s if wheel else BARE_EXPOSURE_S
        exposure = frame_exposure(kit, exposure_s, "solving")
        if self.focus_position is not None:
            await focuser_to(kit, self.focus_position)
        scale = kit.rig.scale_arcsec_px(exposure.binning)
        reach_px = kit.plan.orders.target_reach_px
        aim = await self._first_aim(kit)
        for attempt in range(1, _MOST_FRAMES + 1):
            frame = await take(kit, exposure)
            hint = Hint(
                *aim, scale * (1 - _SCALE_TOLERANCE), scale * (1 + _SCALE_TOLERANCE), within_deg=_SEARCH_DEG
            )
            solution = await kit.measurer.solve(seen(kit, frame), hint)
            if solution.wcs is None:
                raise ActivityFailed(f"frame {attempt} not solved: {solution.reason}")
            wcs = solution.wcs
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
                    "ra_deg": wcs.ra_deg,
                    "dec_deg": wcs.dec_deg,
                    "scale_arcsec_px": wcs.scale_arcsec_px,
                    "position_angle_deg": wcs.position_angle_deg,
                    "matched": solution.stars_matched,
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
                    },
                    "frames": attempt,
                    "summary": f"{off_px:.1f} px off after frame {attempt}, limit {reach_px:g}",
                }
            # aim beside the target by as much as the frame was beside it, the other way
            xi, eta = project(wcs.ra_deg, wcs.dec_deg, self.ra_deg, self.dec_deg)
            xi_aim, eta_aim = project(*aim, self.ra_deg, self.dec_deg)
            ra_deg, dec_deg = deproject(xi_aim - xi, eta_aim - eta, self.ra_deg, self.dec_deg)
            aim = float(ra_deg), float(dec_deg)
            await slew_to(kit, *aim)
        raise ActivityFailed(f"still {off_px:.1f} px off after {_MOST_FRAMES} frames, limit {reach_px:g}")

    async def _first_aim(self, kit: Kit) -> tuple[float, float]:
        state = kit.devices.mount.state if kit.devices.mount else None
        if state is None:
            raise ActivityFailed("the mount's position is unknown")
        if separation_deg(state.ra_deg, state.dec_deg, self.ra_deg, self.dec_deg) > _SEARCH_DEG:
            await slew_to(kit, self.ra_deg, self.dec_deg)
            return self.ra_deg, self.dec_deg
        return state.ra_deg, state.dec_deg
