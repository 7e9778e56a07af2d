"""The mount sent back to where it stood before its axis was measured."""

from typing import Any

from vigil.documents.polar import BACK_KIND, BackWish
from vigil.engine.activities.moves import slew_to
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.polar.bench import PolarBench
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

_CALL_S, _PARK_S = 15.0, 300.0


class PolarWayBack(PolarBench[BackWish]):
    """Parked where it was parked, tracking where it tracked. Cut off, the mount stops where it is; the way
    back stays known."""

    KIND = BACK_KIND
    WISH = BackWish

    @classmethod
    def words_of(cls, wish: BackWish) -> str:
        return "sending the mount back to where it was"

    @classmethod
    def uses(cls, wish: BackWish) -> tuple[str, ...]:
        return ("mount",)

    async def work(self, kit: Kit) -> dict[str, Any]:
        kept, mount = self.kept(kit), kit.devices.mount
        began = kept.began
        if began is None or mount is None or mount.state is None:
            raise ActivityFailed("where the mount was before isn't known")
        if began.parked:
            await mount.do("park", _PARK_S, lambda m: m.park(), before_again=lambda m: m.stop())
            said = "parked, as it was before"
        else:
            at = from_datetimes(kit.clock.utcnow())
            site = kit.rig.site.place().airless()
            ra, dec = unobserve(began.hour_angle_deg, began.dec_deg, at, site)
            await slew_to(kit, float(ra) % 360, float(dec))
            if not began.tracking:
                await mount.do("stop tracking", _CALL_S, lambda m: m.track(False))
            said = "back where it was" if began.tracking else "back where it was, tracking off as before"
        self.keep(kit, kept.model_copy(update={"began": None}))
        return {"summary": said}
