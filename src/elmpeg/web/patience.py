"""A page that takes long says so: who opens one is told within a few seconds that it is being worked out, and gets it when it is.

What is worked out goes on meanwhile, once, however often somebody asks for it again; nothing of it is lost. An answer to
a press is told of by the page that it was pressed on, and waits as long as it takes.
"""

from __future__ import annotations

import asyncio
import time
from dataclasses import dataclass, field
from typing import Any

from jinja2 import Environment
from starlette.datastructures import Headers
from starlette.responses import HTMLResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from elmpeg.web.settings import Settings

MOST_KEPT = 20
KEPT_S = 60.0
"""An answer that nobody has come for by then is dropped: meanwhile somebody may have changed what it tells."""
Key = tuple[str, str, bytes]


@dataclass
class Answer:
    """One page on its way: what it says so far, and whether that is all."""

    begun: float = field(default_factory=time.monotonic)
    said: list[Message] = field(default_factory=list)
    first: asyncio.Event = field(default_factory=asyncio.Event)
    more: asyncio.Event = field(default_factory=asyncio.Event)
    done_at: float | None = None
    task: asyncio.Task[None] | None = None
    trouble: BaseException | None = None

    @property
    def old(self) -> bool:
        """Whether it has lain there for too long."""
        return self.done_at is not None and time.monotonic() - self.done_at > KEPT_S


class Patience:
    """Whole pages, as a browser opens them; everything else passes through as it is."""

    def __init__(self, app: ASGIApp, templates: Environment, settings: Settings) -> None:
        self._app = app
        self._templates = templates
        self._settings = settings
        self._left: dict[Key, Answer] = {}
        """What somebody was told to wait for, by who asked for what."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer one request."""
        if not _opens_a_page(scope):
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        key = (headers.get("cookie", ""), scope["path"], scope.get("query_string", b""))
        answer = self._left.get(key)
        if answer is None or answer.old:
            answer = self._begun(scope)
        try:
            await asyncio.wait_for(answer.first.wait(), self._settings.patience_s)
        except TimeoutError:
            self._keep(key, answer)
            waited = round(time.monotonic() - answer.begun)
            page = self._templates.get_template("shell/working.html").render(waited_s=waited)
            await HTMLResponse(page, 202, headers={"Cache-Control": "no-store"})(scope, receive, send)
            return
        if self._left.get(key) is answer:
            del self._left[key]
        await self._told(answer, send)

    def _begun(self, scope: Scope) -> Answer:
        answer = Answer()

        async def nothing_more() -> Message:
            # It is worked out to its end also where whoever asked has closed the page and will come back.
            if not answer.said:
                return {"type": "http.request", "body": b"", "more_body": False}
            return {"type": "http.disconnect"}

        async def hold(message: Message) -> None:
            answer.said.append(message)
            answer.first.set()
            answer.more.set()

        async def work() -> None:
            try:
                await self._app(scope, nothing_more, hold)
            except Exception as trouble:
                answer.trouble = trouble
            finally:
                answer.done_at = time.monotonic()
                answer.first.set()
                answer.more.set()

        answer.task = asyncio.create_task(work())
        return answer

    def _keep(self, key: Key, answer: Answer) -> None:
        self._left[key] = answer
        for one, kept in list(self._left.items()):
            if kept.old or (len(self._left) > MOST_KEPT and kept.done_at is not None):
                self._left.pop(one, None)

    @staticmethod
    async def _told(answer: Answer, send: Send) -> None:
        sent = 0
        while True:
            answer.more.clear()
            while sent < len(answer.said):
                await send(answer.said[sent])
                sent += 1
            if answer.done_at is not None and sent == len(answer.said):
                break
            await answer.more.wait()
        if answer.trouble is not None:
            raise answer.trouble


def _opens_a_page(scope: Scope) -> bool:
    if scope["type"] != "http" or scope["method"] != "GET":
        return False
    headers: Any = Headers(scope=scope)
    return "text/html" in headers.get("accept", "") and "hx-request" not in headers and "cookie" in headers
