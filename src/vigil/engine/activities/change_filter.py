"""Another filter in the beam, and the focuser moved by its offset."""

from dataclasses import dataclass
from typing import Any

from vigil.engine.activities.moves import filter_to, focuser_to
from vigil.engine.activity import Activity, Kit
from vigil.planning.overheads import FILTER_S


@dataclass(frozen=True)
class ChangeFilter(Activity):
    KIND = "change filter"
    DEVICES = frozenset({"filter wheel", "focuser"})
    expected_s = FILTER_S

    filter: str
    focus_position: int | None

    @property
    def words(self) -> str:
        return f"changing to {self.filter}" if self.filter else "moving the focuser back"

    async def run(self, kit: Kit) -> dict[str, Any]:
        if self.filter:
            await filter_to(kit, self.filter)
        if self.focus_position is not None:
            await focuser_to(kit, self.focus_position)
        return {"filter": self.filter, "focuser": self.focus_position}
