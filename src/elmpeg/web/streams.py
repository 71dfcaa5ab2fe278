"""What devices send, on its way to the pages of the person who holds them."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable
from threading import Lock
from typing import Any

from fastapi import Request
from fastapi.sse import KEEPALIVE_COMMENT, format_sse_event

QUIET_S = 4.0
"""How often a quiet stream looks whether anybody still listens."""
MOST_WAITING = 50
LOOK_AGAIN = ""


class Hub:
    """The open pages of each person, each with what waits for it."""

    def __init__(self) -> None:
        self._open: dict[int, list[tuple[asyncio.AbstractEventLoop, asyncio.Queue[str]]]] = {}
        self._lock = Lock()

    def publish(self, user_id: int, data: str) -> int:
        """Hand something to all open pages of a person; gives their number. Called from any thread."""
        with self._lock:
            pages = list(self._open.get(user_id, ()))
        for loop, queue in pages:
            loop.call_soon_threadsafe(_put, queue, data)
        return len(pages)

    def look_again(self, user_id: int) -> None:
        """Have all streams of a person look at once whether they are still signed in there."""
        self.publish(user_id, LOOK_AGAIN)

    async def stream(self, user_id: int, request: Request, still: Callable[[], Awaitable[bool]]) -> AsyncIterator[bytes]:
        """The events for one page, until it goes away or is signed out."""
        queue: asyncio.Queue[str] = asyncio.Queue(MOST_WAITING)
        page = (asyncio.get_running_loop(), queue)
        with self._lock:
            self._open.setdefault(user_id, []).append(page)
        try:
            yield format_sse_event(event="open", data_str="{}")
            while not await request.is_disconnected():
                try:
                    data = await asyncio.wait_for(queue.get(), QUIET_S)
                except TimeoutError:
                    data = LOOK_AGAIN
                if not await still():
                    return
                if data == LOOK_AGAIN:
                    yield KEEPALIVE_COMMENT
                    continue
                yield format_sse_event(event="reading", data_str=data)
        finally:
            with self._lock:
                self._open[user_id].remove(page)


def _put(queue: asyncio.Queue[Any], data: str) -> None:
    if not queue.full():
        queue.put_nowait(data)
