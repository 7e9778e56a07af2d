"""What all errands of the guiding bench have in common."""

from abc import abstractmethod
from functools import partial
from pathlib import Path
from typing import Any, ClassVar, Generic, TypeVar, cast

from pydantic import BaseModel

from vigil.documents.rig import Rig
from vigil.engine.activity import Kit
from vigil.engine.arbiter import Urgency
from vigil.engine.errand import ErrandRecorder, ErrandRefused, PlainErrand, Workplace
from vigil.engine.focusing.bench import claimed, wished
from vigil.engine.guiding.frames import GuideFrames
from vigil.engine.guiding.shelf import dark_of

Wished = TypeVar("Wished", bound=BaseModel)


class GuideBench(PlainErrand, Generic[Wished]):
    """Works with the guide camera, and most with the mount too."""

    URGENCY = Urgency.BENCH
    WISH: ClassVar[type[BaseModel]]
    """What it is asked for with."""
    USES: ClassVar[tuple[str, ...]] = ("guide camera", "mount")
    wish: Wished

    @classmethod
    def asked_for(
        cls, place: Workplace, recorder: ErrandRecorder, asked: str, values: dict[str, Any]
    ) -> "GuideBench[Wished]":
        rig = place.kit().rig
        needs_guider(rig)
        wish = cast(Wished, wished(cls.WISH, values))
        given = wish.model_dump(mode="json", exclude_defaults=True)
        errand = cls(place, recorder, cls.words_of(wish), claimed(rig, *cls.USES), asked, given)
        errand.wish = wish
        return errand

    @classmethod
    @abstractmethod
    def words_of(cls, wish: Wished) -> str:
        """What is done, for people."""

    async def before_its_end(self, reason: str) -> None:
        if "mount" in self.USES:
            await self._place.disturbed("mount", self.KIND, ("pointing",), f"{self.words}: {reason}")


def needs_guider(rig: Rig) -> None:
    """Raises ErrandRefused for a rig that can't guide."""
    missing = [words for words, part in (("guide camera", rig.guider), ("mount", rig.mount)) if part is None]
    if missing:
        raise ErrandRefused(f"{rig.name} has no {' and no '.join(missing)}: it can't guide")
    if rig.guide_scale_arcsec_px is None:
        raise ErrandRefused(f"{rig.name}: the guide scope's focal length isn't known")


def guide_frames(kit: Kit, folder: Path, exposure_s: float | None, binning: int) -> GuideFrames:
    """As the rig exposes them where nothing else is asked for, with the darks that are kept in a folder."""
    guider = kit.rig.guider
    assert guider is not None, "asked for before"
    return GuideFrames(
        kit, exposure_s or guider.exposure_s, binning, dark_for=partial(dark_of, kit.rig, folder)
    )
