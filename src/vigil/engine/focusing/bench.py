"""What all errands of the focus bench have in common."""

from abc import abstractmethod
from typing import Any, ClassVar, Generic, TypeVar, cast

from pydantic import BaseModel, ValidationError

from vigil.documents.refusal import in_words
from vigil.documents.rig import Rig
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.arbiter import Urgency
from vigil.engine.errand import ErrandRecorder, ErrandRefused, PlainErrand, Workplace
from vigil.engine.focusing.run import Outcome

Wished = TypeVar("Wished", bound=BaseModel)
_TRACK_S = 15.0


class FocusBench(PlainErrand, Generic[Wished]):
    """Works with camera, wheel and focuser under stars that stand still. Cut off, the focuser stops where it
    is; where focus is, a night doesn't know any more afterwards."""

    URGENCY = Urgency.BENCH
    WISH: ClassVar[type[BaseModel]]
    """What it is asked for with."""
    USES: ClassVar[tuple[str, ...]] = ("camera", "filter wheel", "focuser", "mount")
    wish: Wished

    @classmethod
    def asked_for(
        cls, place: Workplace, recorder: ErrandRecorder, asked: str, values: dict[str, Any]
    ) -> "FocusBench[Wished]":
        rig = place.kit().rig
        wish = cls.checked(rig, cast(Wished, wished(cls.WISH, values)))
        given = wish.model_dump(mode="json", exclude_defaults=True)
        errand = cls(place, recorder, cls.words_of(wish), claimed(rig, *cls.uses(wish)), asked, given)
        errand.wish = wish
        return errand

    @classmethod
    def checked(cls, rig: Rig, wish: Wished) -> Wished:
        """What was asked for with the rig's filter filled in. Raises ErrandRefused for a rig that can't."""
        needs(rig, "telescope", "camera", "focuser")
        return wish.model_copy(update={"filter": through(rig, getattr(wish, "filter", ""))})

    @classmethod
    @abstractmethod
    def words_of(cls, wish: Wished) -> str:
        """What is done, for people."""

    @classmethod
    def uses(cls, wish: Wished) -> tuple[str, ...]:
        """The devices that it claims, where the rig has them."""
        return cls.USES

    async def before_its_end(self, reason: str) -> None:
        await self._place.disturbed("focuser", self.KIND, ("focus",), f"{self.words}: {reason}")


def by_filter(words: str, name: str) -> str:
    """ "focusing through L"; without filters the words alone."""
    return f"{words} through {name}" if name else words


def wished(model: type[BaseModel], values: dict[str, Any]) -> BaseModel:
    """What was asked for, checked. Raises ErrandRefused."""
    try:
        return model.model_validate(values)
    except ValidationError as problem:
        raise ErrandRefused(in_words(problem)) from None


def through(rig: Rig, wanted: str) -> str:
    """The filter to focus through: the one asked for, else the rig's. Raises ErrandRefused."""
    if rig.wheel is None:
        if wanted:
            raise ErrandRefused(f"{rig.name} has no filters; {wanted!r} can't be focused through")
        return ""
    name = wanted or rig.wheel.focus_through
    try:
        rig.wheel.filter(name)
    except KeyError as unknown:
        raise ErrandRefused(str(unknown.args[0])) from None
    return name


def needs(rig: Rig, *parts: str) -> None:
    """Raises ErrandRefused for a rig without them."""
    missing = [part for part in parts if getattr(rig, part) is None]
    if missing:
        raise ErrandRefused(f"{rig.name} has no {' and no '.join(missing)}: nothing to focus")


def position_of(kit: Kit) -> int:
    """Where the focuser stands. Raises ActivityFailed."""
    focuser = kit.devices.focuser
    if focuser is None or focuser.state is None:
        raise ActivityFailed("the focuser's position is unknown: connect it first")
    return focuser.state.position


def claimed(rig: Rig, *names: str) -> frozenset[str]:
    """Of the devices named those that the rig's computer drives."""
    return frozenset(names) & frozenset(rig.device_names)


async def stars_stand_still(kit: Kit) -> None:
    """The mount tracks. Raises ActivityFailed for one that is parked."""
    mount = kit.devices.mount
    if mount is None or mount.state is None:
        return
    if mount.state.parked:
        raise ActivityFailed("the mount is parked: slew it to some stars first")
    if not mount.state.tracking:
        await mount.do("track", _TRACK_S, lambda m: m.track(True))


def accepted(outcome: Outcome, by_sharpness: bool = False) -> dict[str, Any]:
    """The numbers of an errand's end. Raises ActivityFailed, with them, for a refused run."""
    done, numbers = outcome.done, outcome.numbers()
    if not done.accepted:
        raise ActivityFailed(f"refused: {done.reason}; back at {done.position}", figures={"run": numbers})
    low, high = numbers["interval_95"]
    size = f"blur {done.size:.2f}" if by_sharpness else f"{done.size:.2f} px"
    return {"run": numbers, "summary": f"{size} at {done.position} (95 %: {low:.0f} to {high:.0f})"}
