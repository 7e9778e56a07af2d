"""The light of flats: the flat panel, which is always switched off again, whoever dims it, or one that nobody
sets."""

import logging
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from datetime import timedelta
from typing import Protocol

from vigil.devices.errors import DeviceError
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.ending import to_the_end

log = logging.getLogger(__name__)
_QUICK_S, _TRIES, _PAUSE_S = 10.0, 10, 2.0
_DONE, _GIVE_UP, _PATIENCE = "it is", "leave it", timedelta(minutes=10)


class Light(Protocol):
    """Something that can be set to whole levels; 0 is off."""

    level: int | None

    async def set(self, level: int) -> None: ...


class SteadyLight:
    """As bright as it is: a cloth by day."""

    level: int | None = 1

    async def set(self, level: int) -> None:
        """Nothing can be set."""


class PanelLight:
    """Set to a step by the computer, or by a person who is asked and told by how much."""

    def __init__(self, kit: Kit, by_person: bool) -> None:
        self._kit, self._by_person = kit, by_person
        self.level: int | None = None

    async def set(self, level: int) -> None:
        """Raises DeviceError, ActivityFailed."""
        if level == self.level:
            return
        if self._by_person:
            await self._ask(level)
        else:
            await self._kit.devices.named("flat panel").do(
                f"level {level}", _QUICK_S, lambda panel: panel.set_level(level)
            )
        self.level = level

    async def _ask(self, level: int) -> None:
        words = "switch the panel off" if level == 0 else f"set the panel to level {level}{self._way(level)}"
        otherwise = "no flats are taken"
        async with self._kit.questions.ask(
            f"{words}: is it set?", (_DONE, _GIVE_UP), _PATIENCE, otherwise
        ) as question:
            if await question.wait(self._kit.clock.utcnow() + _PATIENCE) != _DONE:
                raise ActivityFailed(f"nobody has said that the panel is set to level {level}")

    def _way(self, level: int) -> str:
        """Brighter or darker, and by what factor, for somebody at a knob."""
        if not self.level:
            return ""
        factor = level / self.level
        return f", about {factor:.1f} times as bright" if factor > 1 else f", dimmed to 1/{1 / factor:.1f}"


@asynccontextmanager
async def panel_light(kit: Kit, by_person: bool) -> AsyncIterator[PanelLight]:
    """Off before, and off after, also when cancelled or when anything throws. A panel that a person dims is
    theirs to switch off: they are told by the errand's end."""
    light = PanelLight(kit, by_person)
    if not by_person:
        await light.set(0)
    try:
        yield light
    finally:
        if not by_person:
            await to_the_end(switched_off(kit))


async def switched_off(kit: Kit) -> None:
    """However often it takes; a panel that can't be reached any more is told of. Never raises."""
    panel = kit.devices.named("flat panel")
    for number in range(_TRIES):
        try:
            if not panel.connected:
                await panel.connect()
            await panel.do("off", _QUICK_S, lambda p: p.set_level(0))
        except DeviceError as problem:
            log.warning("the flat panel is not off yet: %s", problem)
            if number + 1 < _TRIES:
                await kit.clock.sleep(_PAUSE_S)
        else:
            return
    with suppress(Exception):
        await kit.step({"panel": "on"}, "the flat panel could not be switched off: switch it off by hand")
