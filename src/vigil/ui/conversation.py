"""The thread's side of the bridge: an event loop that talks to the keeper."""

import asyncio
import logging
from collections.abc import Callable, Coroutine
from typing import Any, Protocol

from vigil.documents.deeds import LOOP
from vigil.documents.events import Event
from vigil.documents.focusruns import NEAR
from vigil.documents.guiding import GUIDE
from vigil.documents.messages import Answer, Ask, Resync, Status
from vigil.documents.polar import DRIFT, TURNING
from vigil.link.endpoint import KeeperGone, Link, News
from vigil.ui.linkstate import Connector, LinkState

log = logging.getLogger(__name__)
STREAMS = (LOOP, NEAR, GUIDE, TURNING, DRIFT)
"""What comes too often for events, and is shown."""
_TELL_EVERY_S = 0.05
_STATUS_EVERY_S = 0.5
_LOOK_EVERY_S = 1.0
_LAST_WORDS_S = 3.0


class Listener(Protocol):
    """Whom the conversation tells; called in its thread."""

    def tell(self, batch: list[News]) -> None: ...

    def tell_status(self, status: Status) -> None: ...

    def tell_link(self, state: LinkState, words: str) -> None: ...

    def tell_answer(self, ask: Ask, answer: Answer) -> None: ...


class Conversation:
    """Finds the keeper, listens, asks; begins again when a keeper comes back."""

    def __init__(self, connector: Connector, listener: Listener) -> None:
        self._connector = connector
        self._listener = listener
        self._loop: asyncio.AbstractEventLoop | None = None
        self._link: Link | None = None
        self._last_id = 0
        self._batch: list[News] = []
        self._flushing = False

    # -- from the window's thread -------------------------------------------------------------------

    def ask(self, ask: Ask) -> None:
        self._soon(lambda: self._send(ask))

    def start_keeper(self) -> None:
        self._soon(self._begin_again)

    def leave(self) -> None:
        self._soon(self._leave)

    def _soon(self, make: Callable[[], Coroutine[Any, Any, None]]) -> None:
        loop = self._loop
        if loop is not None and not loop.is_closed():
            loop.call_soon_threadsafe(lambda: self._keep(loop.create_task(make())))

    # -- in its own thread ----------------------------------------------------------------------------

    def run(self, ready: Callable[[], None]) -> None:
        """Talk until `leave`; `ready` is called once commands are taken."""
        asyncio.run(self._main(ready))

    async def _main(self, ready: Callable[[], None]) -> None:
        self._loop = asyncio.get_running_loop()
        self._leaving, self._wanted = asyncio.Event(), asyncio.Event()
        self._tasks: set[asyncio.Task[None]] = set()
        ready()
        talking = asyncio.ensure_future(self._talk())
        await self._leaving.wait()
        # what was asked for last, such as that an idle keeper may leave, is still sent
        if self._tasks:
            await asyncio.wait(self._tasks, timeout=_LAST_WORDS_S)
        talking.cancel()
        await asyncio.gather(talking, *self._tasks, return_exceptions=True)

    def _keep(self, task: "asyncio.Task[None]") -> None:
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _leave(self) -> None:
        self._leaving.set()

    async def _begin_again(self) -> None:
        self._wanted.set()

    async def _talk(self) -> None:
        start = True
        while True:
            self._listener.tell_link(LinkState.STARTING, "")
            state, why = LinkState.GONE, ""
            try:
                if start:
                    await self._connector.ensure()
                async with self._connector.open() as link:
                    await self._listen(link)
                state, why = LinkState.LEFT, "the keeper has left"
            except KeeperGone as problem:
                why = str(problem)
            except Exception as problem:  # whatever it is: a silent link would look like a quiet night
                log.exception("the link to the keeper failed")
                why = f"the link failed, which is an error in Vigil: {type(problem).__name__}: {problem}"
            finally:
                self._link = None
            self._flush()
            self._listener.tell_link(state, why)
            start = await self._somebody()

    async def _somebody(self) -> bool:
        """Wait until a keeper is wanted (True), or one appears by itself (False)."""
        self._wanted.clear()
        while not self._wanted.is_set():
            if await self._connector.answers():
                return False
            try:
                async with asyncio.timeout(_LOOK_EVERY_S):
                    await self._wanted.wait()
            except TimeoutError:
                pass
        return True

    async def _listen(self, link: Link) -> None:
        status = await link.status()
        self._link = link
        self._listener.tell_status(status)
        self._listener.tell_link(LinkState.OPEN, "")
        asking = asyncio.ensure_future(self._ask_status(link))
        try:
            while await self._hear(link):
                pass
        finally:
            asking.cancel()
            await asyncio.gather(asking, return_exceptions=True)

    async def _hear(self, link: Link) -> bool:
        """Pass news on; True when it must be asked for anew."""
        async for news in link.news(self._last_id, streams=STREAMS):
            if isinstance(news, Resync):
                return True
            if isinstance(news, Event):
                self._last_id = max(self._last_id, news.id)
            self._batch.append(news)
            if not self._flushing:
                self._flushing = True
                asyncio.get_running_loop().call_later(_TELL_EVERY_S, self._flush)
        return False

    def _flush(self) -> None:
        self._flushing = False
        if self._batch:
            batch, self._batch = self._batch, []
            self._listener.tell(batch)

    async def _ask_status(self, link: Link) -> None:
        while True:
            await asyncio.sleep(_STATUS_EVERY_S)
            try:
                self._listener.tell_status(await link.status())
            except KeeperGone as problem:  # once it fails by chance; of a keeper that is gone the news break
                log.info("a status did not come: %s", problem)

    async def _send(self, ask: Ask) -> None:
        link = self._link
        try:
            if link is None:
                raise KeeperGone("no keeper answers: start it first")
            answer = await link.ask(ask)
            status: Status | None = await link.status() if answer.taken else None
        except KeeperGone as problem:
            answer, status = Answer(id=ask.id, taken=False, reason=str(problem)), None
        self._listener.tell_answer(ask, answer)
        if status is not None:
            self._listener.tell_status(status)
