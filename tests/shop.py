"""A shop over a database of its own, for tests; passwords are hashed cheaply here."""

from __future__ import annotations

import fcntl
import os
import pickle
import re
import sqlite3
import tempfile
import threading
import unittest
from collections.abc import Callable
from contextlib import closing
from functools import cache
from pathlib import Path
from typing import Any

import anyio
import httpx2 as httpx
from anyio.from_thread import BlockingPortal
from argon2 import PasswordHasher
from fastapi import FastAPI
from jinja2 import FileSystemBytecodeCache
from sqlalchemy import Engine

from elmpeg.demo.seed import PASSWORD, seed
from elmpeg.store import database as store_database
from elmpeg.store.accounts import Accounts
from elmpeg.store.database import Database
from elmpeg.web.app import make_app
from elmpeg.web.security import COOKIE
from elmpeg.web.settings import Settings
from elmpeg.web.shop import templates
from tests.running import SHARED

HOUR_S = 3600.0
"""A busy machine keeps a test waiting; that a page says so is tested for itself."""
SHM = Path("/dev/shm")
IN_MEMORY = SHM if SHM.is_dir() and os.access(SHM, os.W_OK) else None
"""Where a shop of a test is kept: its disk need not outlive it."""
if os.environ.get(SHARED):
    templates().bytecode_cache = FileSystemBytecodeCache(os.environ[SHARED])
QUICK = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)


Seeded = tuple[bytes, dict[str, bytes], dict[str, str]]


@cache
def _seeded() -> Seeded:
    """The demo's database as one file's content, its photographs, and the secret of a browser that each person is signed in with;
    filled once for all tests, by the worker that needs it first."""
    shared = os.environ.get(SHARED)
    if not shared:
        return _filled()
    with (Path(shared) / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        kept = Path(shared) / "seeded"
        if not kept.exists():
            kept.write_bytes(pickle.dumps(_filled()))
        found: Seeded = pickle.loads(kept.read_bytes())
        return found


def _filled() -> Seeded:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "elmpeg.db"
        database = Database(path)
        shop = make_app(Settings(demo=True, patience_s=HOUR_S), database, Accounts(database, QUICK)).state.shop
        seed(database, shop.accounts, shop.builds, shop.shelf, shop.book, shop.records, shop.notebook, shop.photos)
        secrets = {p.login: shop.accounts.sign_in(p.login, PASSWORD, "here") for p in shop.accounts.people()}
        database.close()
        # What the write-ahead log still holds goes into the file.
        with closing(sqlite3.connect(path)) as connection:
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        return path.read_bytes(), {p.name: p.read_bytes() for p in (Path(folder) / "photos").iterdir()}, secrets


@cache
def loop() -> BlockingPortal:
    """The one loop in which every shop of this process answers, as a served one has one; a new one a request takes as long
    as a small page."""
    running, ready = [], threading.Event()

    async def run() -> None:
        async with BlockingPortal() as portal:
            running.append(portal)
            ready.set()
            await portal.sleep_until_stopped()

    threading.Thread(target=anyio.run, args=(run,), daemon=True).start()
    ready.wait()
    return running[0]


class InLoop(httpx.BaseTransport):
    """Asks an application in the loop; the way there and back is gone once a request, not once for each piece of it."""

    def __init__(self, app: FastAPI) -> None:
        self._app = app

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        """The answer, as it came. Raises what the application raises."""
        content = [request.read()]
        scope = {
            "type": "http",
            "asgi": {"version": "3.0"},
            "http_version": "1.1",
            "method": request.method,
            "headers": [(name.lower(), value) for name, value in request.headers.raw],
            "scheme": request.url.scheme,
            "path": request.url.path,
            "raw_path": request.url.raw_path.split(b"?")[0],
            "query_string": request.url.query,
            "server": (request.url.host, request.url.port),
            "client": ("testclient", 50000),
            "root_path": "",
        }
        begun: dict[str, Any] = {}
        body: list[bytes] = []

        async def receive() -> dict[str, Any]:
            if content:
                return {"type": "http.request", "body": content.pop(), "more_body": False}
            # Nobody goes away before the answer is there.
            await anyio.sleep_forever()
            raise AssertionError

        async def send(message: dict[str, Any]) -> None:
            if message["type"] == "http.response.start":
                begun.update(message)
            else:
                body.append(message.get("body", b""))

        loop().call(self._app, scope, receive, send)
        return httpx.Response(begun["status"], headers=begun["headers"], stream=httpx.ByteStream(b"".join(body)))


_COMPILED: dict[Any, Any] = {}
"""Statements made into SQL once for all shops of this process; every shop has an engine of its own, which would make each anew."""


def _opened(path: Path, plain: Callable[[Path], Engine] = store_database._engine) -> Engine:
    engine = plain(path)
    # A statement is known by the dialect it is for: all engines here have the first one's.
    engine.dialect = _COMPILED.setdefault("dialect", engine.dialect)
    engine.update_execution_options(compiled_cache=_COMPILED)
    return engine


store_database._engine = _opened


_READ: dict[Any, Any] = {}
"""The demo's builds as they were read once. A build never changes, so all shops of this process share them, and what was worked
out of them; a shop reads anew what it changes."""


class TestShop:
    """The application with the demo in it."""

    __test__ = False

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory(dir=IN_MEMORY)
        path = Path(self._folder.name) / "elmpeg.db"
        stored, pictures, secrets = _seeded()
        self._secrets = dict(secrets)
        path.write_bytes(stored)
        folder = path.with_name("photos")
        folder.mkdir()
        for name, data in pictures.items():
            (folder / name).write_bytes(data)
        self.database = Database(path)
        self.app = make_app(Settings(demo=True, patience_s=HOUR_S), self.database, Accounts(self.database, QUICK))
        self.shop = self.app.state.shop
        builds = self.shop.builds
        builds._cache.update(_READ or {(i, head.number): head.build for i in builds.ids() for head in [builds.head(i)]})
        _READ.update(_READ or builds._cache)

    def close(self) -> None:
        self.database.close()
        self._folder.cleanup()

    def anybody(self) -> httpx.Client:
        """A browser nobody has signed in to."""
        # Packing an answer and unpacking it again beside it is left to the tests in a real browser.
        plainly = {"Accept-Encoding": "identity"}
        return httpx.Client(transport=InLoop(self.app), base_url="http://shop.test", follow_redirects=False, headers=plainly)

    def browser(self, login: str, password: str = PASSWORD) -> Browser:
        """A signed-in browser; the page of signing in is tested by itself."""
        secret = self._secrets.pop(login, "") if password == PASSWORD else ""
        secret = secret or self.shop.accounts.sign_in(login, password, "here")
        client = self.anybody()
        client.cookies.set(COOKIE, secret)
        return Browser(client, self.shop.accounts.session(secret).csrf)


class ShopCase(unittest.TestCase):
    """Tests of a shop of their own, by a lead in a browser and at its builds, of which most look at the demo's fullest."""

    def setUp(self) -> None:
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.builds = self.shop.shop.builds
        self.orla = self.shop.browser("orla")
        self.start = self.builds.head("cairn-2").build


class Browser:
    """A signed-in browser that sends its own secret with every change, as the pages do."""

    def __init__(self, client: httpx.Client, csrf: str) -> None:
        self.client, self.csrf = client, csrf

    def get(self, path: str, **more):
        return self.client.get(path, **more)

    def post(self, path: str, csrf: bool = True, htmx: bool = True, **fields):
        headers = {**({"X-CSRF-Token": self.csrf} if csrf else {}), **({"HX-Request": "true"} if htmx else {})}
        return self.client.post(path, data=fields, headers=headers)

    def bring_in(self, path: str, content: bytes, name: str = "b.json", **fields):
        """A build file brought in: looked at first, and then taken as it stands."""
        headers = {"X-CSRF-Token": self.csrf, "HX-Request": "true"}
        seen = self.client.post(path, files={"file": (name, content)}, data=fields, headers=headers)
        word = re.search(r'name="held" value="([0-9a-f]+)"', seen.text)
        return self.post(path, held=word[1], **fields) if word else seen


class SignedIn(Browser):
    """A browser signed in on the page for it; ``signed_in`` is what that answered."""

    def __init__(self, client: httpx.Client, login: str, password: str = PASSWORD) -> None:
        page = client.get("/sign-in").text
        secret = re.search(r'name="secret" value="([^"]+)"', page)[1]
        self.signed_in = client.post("/sign-in", data={"login": login, "password": password, "secret": secret, "next": "/"})
        home = client.get("/me").text if self.signed_in.status_code == 303 else ""
        found = re.search(r"X-CSRF-Token&#34;: &#34;([^&]+)|X-CSRF-Token\": \"([^\"]+)", home)
        super().__init__(client, (found[1] or found[2]) if found else "")
