"""Slew to a target by the mount's own word."""

from dataclasses import dataclass
from typing import Any

from vigil.engine.activities.moves import slew_to
from vigil.engine.activity import Activity, Kit
from vigil.planning.overheads import SLEW_S


@dataclass(frozen=True)
class Slew(Activity):
    KIND = "slew"
    DEVICES = frozenset({"mount"})
    DISTURBS = ("pointing",)
    expected_s = SLEW_S

    ra_deg: float
    dec_deg: float
    target: str

    @property
    def words(self) -> str:
        return f"slewing to {self.target}"

    async def run(self, kit: Kit) -> dict[str, Any]:
        return {"side": await slew_to(kit, self.ra_deg, self.dec_deg)}
