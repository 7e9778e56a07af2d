"""A keeper in the same process; messages still go through JSON."""

import asyncio
from collections.abc import AsyncIterator, Collection

from vigil.documents.messages import Answer, Ask, Status
from vigil.link.endpoint import Endpoint, News
from vigil.link.wire import decode, encode


class Loopback:
    """A Link to an endpoint on the running loop."""

    def __init__(self, endpoint: Endpoint) -> None:
        self._endpoint = endpoint

    async def status(self) -> Status:
        return Status.model_validate_json((await self._endpoint.status()).model_dump_json())

    async def ask(self, ask: Ask) -> Answer:
        answer = await self._endpoint.answer(Ask.model_validate_json(ask.model_dump_json()))
        return Answer.model_validate_json(answer.model_dump_json())

    async def news(self, after: int = 0, streams: Collection[str] = ()) -> AsyncIterator[News]:
        queue: asyncio.Queue[str] = asyncio.Queue()
        detach = await self._endpoint.attach(after, lambda news: queue.put_nowait(encode(news)), streams)
        try:
            while True:
                yield decode(await queue.get())
        finally:
            detach()
