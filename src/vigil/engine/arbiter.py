"""Who may use which device, and who has to give way: claims have an urgency and a mode.

Claims are taken all at once, so that nobody waits holding half. A more urgent claim asks the holders in its
way to yield, waits a little, and then cancels them: shelter never queues behind a person's work.
"""

import asyncio
import logging
from collections.abc import AsyncIterator, Callable, Iterable, Mapping
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from enum import IntEnum, StrEnum
from itertools import count

from vigil.documents.devicekinds import DEVICE_KINDS

log = logging.getLogger(__name__)
_COOLER = "cooler"
"""Claimed apart from the camera: it works on while frames are taken."""
_SEIZED_AFTER_S = 12.0
"""A holder that was cancelled has so long to stop what it moves; then it is passed over."""


class Urgency(IntEnum):
    """Whose claims go first."""

    HAND = 1
    BENCH = 2
    NIGHT = 3
    SHELTER = 4
    """Shutting and parking: a guard's, and the closing's."""
    STOP = 5
    """A person's emergency stop."""


class Mode(StrEnum):
    """How a device is used."""

    USED = "used"
    """Alone: what is moved, or exposes."""
    PULSED = "pulsed"
    """Corrected a little, which an exposure bears."""
    STEADY = "steady"
    """Not to be moved by others, as while a frame is exposed."""


_TOGETHER = (frozenset({Mode.STEADY}), frozenset({Mode.STEADY, Mode.PULSED}))
Claims = Mapping[str, Mode]


def used(names: Iterable[str]) -> dict[str, Mode]:
    """Claims of devices to be used alone."""
    return dict.fromkeys(names, Mode.USED)


@dataclass(eq=False, slots=True)
class Lease:
    """Devices held. `yields` is told when somebody more urgent wants them, and has `grace_s` to let go."""

    who: str
    claims: Claims
    urgency: Urgency
    task: "asyncio.Task[object] | None"
    yields: Callable[[str], None] | None = None
    grace_s: float = 0.0
    cancels: bool = True
    """Whether its holder is cancelled when it doesn't let go; else the devices are only taken from it."""
    gave_way: str = ""
    """To whom, once it had to."""
    pressed: Urgency | None = None
    granted: asyncio.Event = field(default_factory=asyncio.Event)
    gone: asyncio.Event = field(default_factory=asyncio.Event)

    def bars(self, other: "Lease") -> bool:
        """Whether both can't hold what they claim at once."""
        return any(
            frozenset({mode, other.claims[name]}) not in _TOGETHER
            for name, mode in self.claims.items()
            if name in other.claims
        )


class Arbiter:
    """Grants sets of devices; equals in the order in which they asked."""

    def __init__(self) -> None:
        self._holders: list[Lease] = []
        self._waiting: list[tuple[int, int, Lease]] = []
        self._numbers = count()
        self._pressing: set[asyncio.Task[None]] = set()

    def holder(self, resource: str) -> str | None:
        """Who has a device now."""
        return next((held.who for held in self._holders if resource in held.claims), None)

    def mover(self, resource: str) -> str | None:
        """Who may be moving a device now."""
        moves = (held for held in self._holders if held.claims.get(resource) is Mode.USED)
        return next((held.who for held in moves), None)

    def taken(self, resources: Iterable[str]) -> str | None:
        """Who has one of these devices now."""
        wanted = Lease("", used(resources), Urgency.HAND, None)
        return next((held.who for held in self._holders if held.bars(wanted)), None)

    @asynccontextmanager
    async def claim(
        self,
        claims: Claims | Iterable[str],
        who: str,
        urgency: Urgency = Urgency.NIGHT,
        yields: Callable[[str], None] | None = None,
        grace_s: float = 0.0,
        cancels: bool = True,
    ) -> AsyncIterator[Lease]:
        """Hold devices for the length of a block; waits until all are free, or made free. Raises ValueError
        for what there isn't."""
        claims = claims if isinstance(claims, Mapping) else used(claims)
        if unknown := claims.keys() - {*DEVICE_KINDS, _COOLER}:
            raise ValueError(f"there is nothing called {', '.join(sorted(unknown))} to claim")
        lease = Lease(who, claims, urgency, asyncio.current_task(), yields, grace_s, cancels)
        self._waiting.append((-urgency, next(self._numbers), lease))
        self._waiting.sort(key=lambda entry: entry[:2])
        self._serve()
        try:
            if not lease.granted.is_set():
                self._press(lease)
                await lease.granted.wait()
            yield lease
        finally:
            # no await before the release: a cancelled holder must still give back
            self._leave(lease)

    def _serve(self) -> None:
        """Grant what can be; one that waits keeps what it wants from those less urgent or later."""
        ahead: list[Lease] = []
        for entry in tuple(self._waiting):
            lease = entry[2]
            if not any(other.bars(lease) for other in (*self._holders, *ahead)):
                self._waiting.remove(entry)
                self._holders.append(lease)
                lease.granted.set()
            else:
                ahead.append(lease)

    def _press(self, wanting: Lease) -> None:
        """Ask those in the way to yield, once for each urgency."""
        for held in self._holders:
            pressed = held.pressed is not None and held.pressed >= wanting.urgency
            if held.urgency < wanting.urgency and held.bars(wanting) and not pressed:
                held.pressed, held.gave_way = wanting.urgency, wanting.who
                task = asyncio.ensure_future(self._make_way(held))
                self._pressing.add(task)
                task.add_done_callback(self._pressing.discard)

    async def _make_way(self, held: Lease) -> None:
        if held.yields is not None:
            try:
                held.yields(held.gave_way)
            except Exception:
                log.exception("%s could not be asked to yield", held.who)
            await _within(held.gone, held.grace_s)
        if held.cancels and not held.gone.is_set():
            if held.task is not None:
                held.task.cancel()
            await _within(held.gone, _SEIZED_AFTER_S)
        if not held.gone.is_set():
            log.warning("%s: its devices are taken from it for %s", held.who, held.gave_way)
            self._leave(held)

    def _leave(self, lease: Lease) -> None:
        lease.gone.set()
        self._waiting = [entry for entry in self._waiting if entry[2] is not lease]
        if lease in self._holders:
            self._holders.remove(lease)
        self._serve()


async def _within(event: asyncio.Event, seconds: float) -> None:
    try:
        async with asyncio.timeout(seconds):
            await event.wait()
    except TimeoutError:
        pass
