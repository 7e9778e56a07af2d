"""What all errands of the polar bench have in common."""

from abc import abstractmethod
from typing import Any, ClassVar, Generic, TypeVar, cast

from pydantic import BaseModel

from vigil.documents.polar import Began, CameraName, KeptPolar
from vigil.engine.activity import Kit
from vigil.engine.arbiter import Urgency
from vigil.engine.errand import ErrandRecorder, ErrandRefused, PlainErrand, Workplace
from vigil.engine.focusing.bench import claimed, wished
from vigil.engine.polar.shelf import keep_polar, kept_polar
from vigil.planning.polarfield import scale_of
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

Wished = TypeVar("Wished", bound=BaseModel)


class PolarBench(PlainErrand, Generic[Wished]):
    """Works with the mount and one of the cameras. Cut off, the mount tracks where it is."""

    URGENCY = Urgency.BENCH
    WISH: ClassVar[type[BaseModel]]
    """What it is asked for with."""
    wish: Wished

    @classmethod
    def asked_for(
        cls, place: Workplace, recorder: ErrandRecorder, asked: str, values: dict[str, Any]
    ) -> "PolarBench[Wished]":
        rig = place.kit().rig
        if rig.mount is None:
            raise ErrandRefused(f"{rig.name} has no mount")
        if rig.mount.kind == "alt-azimuth":
            raise ErrandRefused(f"{rig.mount.name} stands on an alt-azimuth: it has no polar axis")
        wish = cast(Wished, wished(cls.WISH, values))
        camera: CameraName | None = getattr(wish, "camera", None)
        if camera is not None:
            try:
                scale_of(rig, camera)
            except ValueError as lacking:
                raise ErrandRefused(str(lacking)) from None
        given = wish.model_dump(mode="json", exclude_defaults=True)
        errand = cls(place, recorder, cls.words_of(wish), claimed(rig, *cls.uses(wish)), asked, given)
        errand.wish = wish
        return errand

    @classmethod
    @abstractmethod
    def words_of(cls, wish: Wished) -> str:
        """What is done, for people."""

    @classmethod
    def uses(cls, wish: Wished) -> tuple[str, ...]:
        """The devices that it claims, where the rig has them."""
        main = getattr(wish, "camera", "guide") == "main"
        return ("mount", "camera", "filter wheel") if main else ("mount", "guide camera")

    def kept(self, kit: Kit) -> KeptPolar:
        return kept_polar(kit.rig, self._place.folder)

    def keep(self, kit: Kit, kept: KeptPolar) -> None:
        """Raises OSError."""
        keep_polar(kept, kit.rig, self._place.folder)

    async def before_its_end(self, reason: str) -> None:
        await self._place.disturbed("mount", self.KIND, ("pointing",), f"{self.words}: {reason}")


def began_at(kit: Kit) -> Began | None:
    """How the mount stands now."""
    mount = kit.devices.mount
    state = mount.state if mount is not None else None
    if state is None:
        return None
    at, site = from_datetimes(kit.clock.utcnow()), kit.rig.site.place().airless()
    seen = observe(state.ra_deg, state.dec_deg, at, site)
    return Began(
        hour_angle_deg=round(float(seen.hour_angle_deg), 4),
        dec_deg=round(float(seen.dec_deg), 4),
        parked=state.parked,
        tracking=state.tracking,
    )
