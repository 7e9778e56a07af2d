"""The keeper's socket, on a thread of its own and in real time: a jumping clock fires keep-alives."""

import asyncio
import logging
import os
import socket
import struct
import threading
from collections.abc import Callable, Coroutine
from pathlib import Path
from typing import Any, TypeVar

from aiohttp import WSCloseCode, web
from pydantic import ValidationError

from vigil.documents.messages import Ask, Resync
from vigil.link.endpoint import Endpoint, News
from vigil.link.wire import encode

log = logging.getLogger(__name__)
T = TypeVar("T")
_MOST_QUEUED = 20_000
IDLE_LIMIT_S = 600.0


class Server:
    """Serves one endpoint; `start` returns once the socket answers, `stop` once the thread has ended."""

    def __init__(
        self,
        endpoint: Endpoint,
        path: Path,
        when_idle: Callable[[], None],
        idle_limit_s: float = IDLE_LIMIT_S,
    ) -> None:
        self._endpoint = endpoint
        self._path = path
        self._when_idle = when_idle
        self._idle_limit_s = idle_limit_s
        self._keeper_loop = asyncio.get_running_loop()
        self._ready = threading.Event()
        self._problem: BaseException | None = None
        self._thread = threading.Thread(target=self._serve, name="socket", daemon=True)
        self._loop: asyncio.AbstractEventLoop | None = None
        self._stopping: asyncio.Event | None = None
        self._runner: web.AppRunner | None = None
        self._sockets: set[web.WebSocketResponse] = set()

    def start(self) -> None:
        self._thread.start()
        self._ready.wait()
        if self._problem is not None:
            raise self._problem

    async def stop(self) -> None:
        """Close the sockets; clients learn that the keeper has left in good order."""
        if self._loop is not None and self._stopping is not None:
            self._loop.call_soon_threadsafe(self._stopping.set)
        await asyncio.to_thread(self._thread.join)

    def _serve(self) -> None:
        try:
            asyncio.run(self._main())
        except BaseException as problem:
            self._problem = problem
        finally:
            self._ready.set()

    async def _main(self) -> None:
        self._loop = asyncio.get_running_loop()
        self._stopping = asyncio.Event()
        app = web.Application(middlewares=[self._only_ourselves])
        app.add_routes(
            [web.get("/status", self._status), web.post("/ask", self._ask), web.get("/news", self._news)]
        )
        runner = web.AppRunner(app, shutdown_timeout=2.0)
        await runner.setup()
        self._path.unlink(missing_ok=True)
        before = os.umask(0o177)
        try:
            await web.UnixSite(runner, str(self._path)).start()
        finally:
            os.umask(before)
        self._runner = runner
        self._ready.set()
        idle = asyncio.ensure_future(self._watch_idle())
        await self._stopping.wait()
        idle.cancel()
        for ws in tuple(self._sockets):
            await ws.close(code=WSCloseCode.GOING_AWAY, message=b"the keeper leaves")
        await runner.cleanup()
        self._path.unlink(missing_ok=True)

    async def _watch_idle(self) -> None:
        alone_s = 0.0
        step_s = min(10.0, self._idle_limit_s)
        while True:
            await asyncio.sleep(step_s)
            try:
                await self._reopen()
            except OSError:
                log.exception("the socket could not be made anew")
            status = await self._on_keeper(self._endpoint.status())
            busy = bool(status.errands) or "ready" in status.devices.values()
            alone_s = 0.0 if busy or self._sockets else alone_s + step_s
            if alone_s >= self._idle_limit_s:
                self._keeper_loop.call_soon_threadsafe(self._when_idle)

    async def _reopen(self) -> None:
        """Somebody has swept the runtime folder: answer there again."""
        if self._path.exists() or self._runner is None:
            return
        self._path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        before = os.umask(0o177)
        try:
            await web.UnixSite(self._runner, str(self._path)).start()
        finally:
            os.umask(before)

    @web.middleware
    async def _only_ourselves(self, request: web.Request, handler: Any) -> web.StreamResponse:
        sock = request.transport.get_extra_info("socket") if request.transport else None
        peer = sock.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, struct.calcsize("3i")) if sock else b""
        if not peer or struct.unpack("3i", peer)[1] != os.getuid():
            raise web.HTTPForbidden(text="this keeper belongs to another user")
        response: web.StreamResponse = await handler(request)
        return response

    async def _on_keeper(self, work: Coroutine[Any, Any, T]) -> T:
        return await asyncio.wrap_future(asyncio.run_coroutine_threadsafe(work, self._keeper_loop))

    async def _status(self, request: web.Request) -> web.Response:
        status = await self._on_keeper(self._endpoint.status())
        return web.Response(text=status.model_dump_json(), content_type="application/json")

    async def _ask(self, request: web.Request) -> web.Response:
        try:
            ask = Ask.model_validate_json(await request.text())
        except ValidationError as problem:
            raise web.HTTPBadRequest(text=f"not a command: {problem}") from None
        answer = await self._on_keeper(self._endpoint.answer(ask))
        return web.Response(text=answer.model_dump_json(), content_type="application/json")

    async def _news(self, request: web.Request) -> web.WebSocketResponse:
        """Events and live values until either side leaves. The keeper never waits for a slow client."""
        ws = web.WebSocketResponse(heartbeat=10.0)
        await ws.prepare(request)
        here = asyncio.get_running_loop()
        queue: asyncio.Queue[News] = asyncio.Queue()

        def put(news: News) -> None:
            if queue.qsize() < _MOST_QUEUED:
                queue.put_nowait(news)
            elif queue.qsize() == _MOST_QUEUED:
                queue.put_nowait(Resync())

        def tell(news: News) -> None:
            here.call_soon_threadsafe(put, news)

        try:
            after = int(request.query.get("after", "0"))
        except ValueError:
            raise web.HTTPBadRequest(text="after= takes the id of an event") from None
        streams = frozenset(filter(None, request.query.get("streams", "").split(",")))
        detach = await self._on_keeper(self._endpoint.attach(after, tell, streams))
        self._sockets.add(ws)
        sender = asyncio.ensure_future(self._send(ws, queue))
        try:
            async for _ in ws:
                pass  # clients say nothing here; this sees them leave
        finally:
            self._sockets.discard(ws)
            sender.cancel()
            if not self._keeper_loop.is_closed():
                self._keeper_loop.call_soon_threadsafe(detach)
        return ws

    @staticmethod
    async def _send(ws: web.WebSocketResponse, queue: "asyncio.Queue[News]") -> None:
        while True:
            await ws.send_str(encode(await queue.get()))
