"""A keeper in another process, over its Unix socket."""

from collections.abc import AsyncIterator, Collection
from pathlib import Path
from types import TracebackType
from typing import Self
from urllib.parse import urlencode

import aiohttp

from vigil.documents.messages import Answer, Ask, Status
from vigil.link.endpoint import KeeperGone, News
from vigil.link.wire import decode

_TIMEOUT_S = 30.0


class SocketLink:
    """A Link over HTTP and a WebSocket; an async context manager."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._session: aiohttp.ClientSession | None = None

    async def __aenter__(self) -> Self:
        self._session = aiohttp.ClientSession(
            base_url="http://keeper",
            connector=aiohttp.UnixConnector(str(self._path)),
            timeout=aiohttp.ClientTimeout(total=_TIMEOUT_S),
        )
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, problem: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._session is not None:
            await self._session.close()

    def _open(self) -> aiohttp.ClientSession:
        if self._session is None:
            raise RuntimeError("the link is used outside its 'async with'")
        return self._session

    async def status(self) -> Status:
        """Raises KeeperGone."""
        return Status.model_validate_json(await self._exchange("GET", "/status"))

    async def ask(self, ask: Ask) -> Answer:
        """Raises KeeperGone."""
        return Answer.model_validate_json(await self._exchange("POST", "/ask", ask.model_dump_json()))

    async def _exchange(self, method: str, path: str, body: str | None = None) -> str:
        try:
            async with self._open().request(method, path, data=body) as reply:
                text = await reply.text()
                if reply.status != 200:
                    raise KeeperGone(f"the keeper answers {reply.status}: {text.strip()}")
                return text
        except (aiohttp.ClientError, OSError, TimeoutError) as problem:
            raise KeeperGone(f"no keeper answers at {self._path}") from problem

    async def news(self, after: int = 0, streams: Collection[str] = ()) -> AsyncIterator[News]:
        """Ends when the keeper closes the socket. Raises KeeperGone when it breaks."""
        where = f"/news?{urlencode({'after': after, 'streams': ','.join(streams)})}"
        try:
            async with self._open().ws_connect(where, heartbeat=10.0) as socket:
                async for message in socket:
                    if message.type is aiohttp.WSMsgType.TEXT:
                        yield decode(message.data)
                    elif message.type is aiohttp.WSMsgType.ERROR:
                        break
                if socket.close_code != aiohttp.WSCloseCode.GOING_AWAY:
                    raise KeeperGone(f"the keeper at {self._path} has died")
        except (aiohttp.ClientError, OSError) as problem:
            raise KeeperGone(f"no keeper answers at {self._path}") from problem
