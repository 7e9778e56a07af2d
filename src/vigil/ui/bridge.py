"""Between the keeper and the window: a thread that talks, and queued signals that tell."""

import asyncio
import threading
import uuid
from collections.abc import Callable, Coroutine
from contextlib import AbstractAsyncContextManager
from enum import StrEnum
from typing import Any, Protocol

from PyQt6.QtCore import QObject, pyqtSignal

from vigil.documents.messages import Answer, Ask, Command, Resync, Status
from vigil.link.endpoint import KeeperGone, Link, News

_TELL_EVERY_S = 0.05
_STATUS_EVERY_S = 0.5
_LOOK_EVERY_S = 1.0


class LinkState(StrEnum):
    """How the window stands with its keeper."""

    STARTING = "starting"
    OPEN = "open"
    GONE = "gone"
    LEFT = "left"


class Connector(Protocol):
    """Finds, starts and opens a keeper."""

    async def ensure(self) -> None:
        """A keeper answers afterwards. Raises KeeperGone."""
        ...

    async def answers(self) -> bool:
        """Whether a keeper is there, without starting one."""
        ...

    def open(self) -> AbstractAsyncContextManager[Link]: ...


class Bridge(QObject):
    """Signals carry batches, at most twenty a second, to the thread that the receiver lives in."""

    told = pyqtSignal(list)
    status_came = pyqtSignal(object)
    link_changed = pyqtSignal(object, str)
    answered = pyqtSignal(object, object)

    def __init__(self, connector: Connector) -> None:
        super().__init__()
        self._connector = connector
        self._loop: asyncio.AbstractEventLoop | None = None
        self._ready = threading.Event()
        self._thread = threading.Thread(target=self._run, name="keeper link", daemon=True)
        self._link: Link | None = None
        self._last_id = 0
        self._batch: list[News] = []
        self._flushing = False

    # -- from the window's thread -------------------------------------------------------------------

    def start(self) -> None:
        self._thread.start()

    def ask(self, command: Command, **values: Any) -> str:
        """Send a command; `answered` brings what came of it. Returns the command's id."""
        ask = Ask(id=uuid.uuid4().hex, command=command, values=values)
        self._soon(lambda: self._send(ask))
        return ask.id

    def start_keeper(self) -> None:
        """Start a keeper again after one has died or left."""
        self._soon(self._begin_again)

    def stop(self, limit_s: float = 5.0) -> None:
        """Leave; the keeper goes on."""
        self._soon(self._leave)
        self._thread.join(limit_s)

    def _soon(self, make: Callable[[], Coroutine[Any, Any, None]]) -> None:
        self._ready.wait()
        loop = self._loop
        if loop is not None and not loop.is_closed():
            loop.call_soon_threadsafe(lambda: self._keep(loop.create_task(make())))

    # -- in its own thread ----------------------------------------------------------------------------

    def _run(self) -> None:
        asyncio.run(self._main())

    async def _main(self) -> None:
        self._loop = asyncio.get_running_loop()
        self._leaving, self._wanted = asyncio.Event(), asyncio.Event()
        self._tasks: set[asyncio.Task[None]] = set()
        self._ready.set()
        talking = asyncio.ensure_future(self._talk())
        await self._leaving.wait()
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
            self.link_changed.emit(LinkState.STARTING, "")
            state, why = LinkState.GONE, ""
            try:
                if start:
                    await self._connector.ensure()
                async with self._connector.open() as link:
                    await self._listen(link)
                state, why = LinkState.LEFT, "the keeper has left"
            except KeeperGone as problem:
                why = str(problem)
            finally:
                self._link = None
            self._flush()
            self.link_changed.emit(state, why)
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
        self.status_came.emit(status)
        self.link_changed.emit(LinkState.OPEN, "")
        asking = asyncio.ensure_future(self._ask_status(link))
        try:
            while await self._hear(link):
                pass
        finally:
            asking.cancel()
            await asyncio.gather(asking, return_exceptions=True)

    async def _hear(self, link: Link) -> bool:
        """Pass news on; True when it must be asked for anew."""
        async for news in link.news(self._last_id):
            if isinstance(news, Resync):
                return True
            self._last_id = max(self._last_id, getattr(news, "id", 0))
            self._batch.append(news)
            if not self._flushing:
                self._flushing = True
                asyncio.get_running_loop().call_later(_TELL_EVERY_S, self._flush)
        return False

    def _flush(self) -> None:
        self._flushing = False
        if self._batch:
            batch, self._batch = self._batch, []
            self.told.emit(batch)

    async def _ask_status(self, link: Link) -> None:
        while True:
            await asyncio.sleep(_STATUS_EVERY_S)
            try:
                self.status_came.emit(await link.status())
            except KeeperGone:
                return  # the news break too, and say it

    async def _send(self, ask: Ask) -> None:
        link = self._link
        try:
            if link is None:
                raise KeeperGone("no keeper answers: start it first")
            answer = await link.ask(ask)
            status: Status | None = await link.status() if answer.taken else None
        except KeeperGone as problem:
            answer, status = Answer(id=ask.id, taken=False, reason=str(problem)), None
        self.answered.emit(ask, answer)
        if status is not None:
            self.status_came.emit(status)
