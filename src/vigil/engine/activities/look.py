"""A look at the sky in a hold: a frame that doesn't count, for how many stars there are in it."""

from dataclasses import dataclass, replace
from typing import Any

from vigil.devices.protocols import Exposure
from vigil.engine.activities.moves import filter_to, focuser_to, is_mosaic, slew_to, take
from vigil.engine.activity import Activity, ActivityFailed, Kit

LONGEST_S = 60.0


@dataclass(frozen=True)
class Look(Activity):
    """As a line's frame is taken, but no longer than a minute."""

    KIND = "look"
    DEVICES = frozenset({"camera", "filter wheel", "focuser"})

    line: str
    filter: str
    focus_position: int | None
    exposure: Exposure
    place: tuple[float, float] | None = None
    """Where to slew first, for a mount that stands: a limit may have stopped it."""

    @property
    def claims(self) -> frozenset[str]:
        return self.DEVICES | ({"mount"} if self.place is not None else set())

    @property
    def disturbs(self) -> tuple[str, ...]:
        return ("pointing",) if self.place is not None else ()

    @property
    def words(self) -> str:
        return f"looking for stars through {self.filter}" if self.filter else "looking for stars"

    @property
    def expected_s(self) -> float:
        return min(self.exposure.exposure_s, LONGEST_S) + 10.0

    async def run(self, kit: Kit) -> dict[str, Any]:
        camera = kit.rig.camera
        if camera is None:
            raise ActivityFailed("the rig has no camera")
        side = await slew_to(kit, *self.place) if self.place is not None else ""
        if self.filter:
            await filter_to(kit, self.filter)
        if self.focus_position is not None:
            await focuser_to(kit, self.focus_position)
        exposure_s = min(self.exposure.exposure_s, LONGEST_S)
        frame = await take(kit, replace(self.exposure, exposure_s=exposure_s))
        figures = await kit.measurer.measure(frame.image, camera.full_scale_adu, is_mosaic(kit, frame))
        return {
            "looked": {"line": self.line, "exposure_s": exposure_s, "stars": figures.stars},
            "side": side,
            "summary": f"{figures.stars} stars in {exposure_s:g} s",
        }
