"""The application answering on a port of this machine, and Debian's Chromium to look at it with."""

from __future__ import annotations

import shutil
import socket
import threading
import time
import unittest

import uvicorn
from playwright.sync_api import BrowserContext, Page, Playwright, sync_playwright

from tests.shop import TestShop


class Chromium:
    """One browser for a class of tests."""

    def __init__(self) -> None:
        self._playwright: Playwright = sync_playwright().start()
        self.browser = self._playwright.chromium.launch(
            # The shell is the same browser without a window of its own, which costs almost half of what the whole one does.
            executable_path=shutil.which("chromium-headless-shell") or shutil.which("chromium"),
            args=["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
        )

    def close(self) -> None:
        self.browser.close()
        self._playwright.stop()


REFUSED = "status of 4"
OVERTAKEN = ("htmx:sendAbort", "htmx:afterRequest")
"""What is logged of an answer that is not waited for any more, since what it was asked for changed meanwhile: on a busy machine
that happens while somebody types."""


class Live:
    """A served shop of its own. ``complaints`` collects console errors and requests to other hosts."""

    def __init__(self, chromium: Chromium, shop: TestShop | None = None) -> None:
        self._browser = chromium.browser
        self.shop = shop or TestShop()
        door = socket.socket()
        door.bind(("127.0.0.1", 0))
        self.address = f"http://127.0.0.1:{door.getsockname()[1]}"
        self._server = uvicorn.Server(uvicorn.Config(self.shop.app, log_level="error"))
        self._thread = threading.Thread(target=self._server.run, args=([door],), daemon=True)
        self._thread.start()
        while not self._server.started:
            time.sleep(0.02)
        self._contexts: list[BrowserContext] = []
        self.complaints: list[str] = []

    def close(self) -> None:
        for context in self._contexts:
            context.close()
        self._server.should_exit = True
        self._thread.join(5)
        self.shop.close()

    def page(self, login: str = "", width: int = 1280, height: int = 800) -> Page:
        """A fresh browser window, signed in where a name is given."""
        context: BrowserContext = self._browser.new_context(viewport={"width": width, "height": height}, base_url=self.address)
        self._contexts.append(context)
        page = context.new_page()
        # What is waited for comes or does not; how quickly is measured elsewhere.
        page.set_default_timeout(60_000)
        page.on(
            "console",
            lambda m: self.complaints.append(f"console: {m.text}")
            if m.type == "error" and not any(borne in m.text for borne in (REFUSED, *OVERTAKEN)) else None,
        )  # fmt: skip
        page.on("pageerror", lambda e: self.complaints.append(f"script: {e}"))
        page.on(
            "request", lambda r: self.complaints.append(f"elsewhere: {r.url}") if not r.url.startswith((self.address, "data:")) else None
        )
        if login:
            # Signed in as any client is; the test of the sign-in page types.
            cookies = self.shop.browser(login).client.cookies
            context.add_cookies([{"name": c.name, "value": c.value or "", "url": self.address} for c in cookies.jar])
        return page


class OneShopCase(unittest.TestCase):
    """Tests with one browser and one shop for all of them."""

    chromium: Chromium
    live: Live
    shop_of: type[TestShop] = TestShop

    @classmethod
    def setUpClass(cls) -> None:
        cls.chromium = Chromium()
        cls.addClassCleanup(cls.chromium.close)
        cls.live = Live(cls.chromium, cls.shop_of())
        cls.addClassCleanup(cls.live.close)


class BrowserCase(unittest.TestCase):
    """Tests with a browser for all of them and a shop of its own for each, which must leave no complaint."""

    chromium: Chromium
    borne: tuple[str, ...] = ()
    """What a complaint may say and still be in order."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.chromium = Chromium()
        cls.addClassCleanup(cls.chromium.close)

    def setUp(self) -> None:
        self.live = Live(self.chromium)
        self.addCleanup(self.live.close)
        self.addCleanup(self._require_no_complaint)

    def _require_no_complaint(self) -> None:
        self.assertEqual([c for c in self.live.complaints if not any(words in c for words in self.borne)], [])


SWAP = """async (path) => {
  if (!window.htmx) return false;
  sessionStorage.clear();
  for (const menu of document.querySelectorAll('details.menu[open]')) menu.open = false;
  history.replaceState(history.state, '', path);
  document.getElementById('shell').innerHTML = '';
  // What is pressed before it has settled is not heard yet.
  const settled = new Promise((done) => document.addEventListener('htmx:afterSettle', done, { once: true }));
  await htmx.ajax('GET', path, { source: document.body, target: '#shell', swap: 'outerHTML' });
  await Promise.race([settled, new Promise((done) => setTimeout(done, 1000))]);
  return Boolean(document.querySelector('#shell main'));
}"""


def swapped(page: Page, path: str) -> bool:
    """Another page in the place of the one that is open, which takes half the time of opening it; whether that was possible."""
    return page.url.startswith("http") and bool(page.evaluate(SWAP, path))


def settled(page: Page) -> None:
    """Wait until what the page asked for has come."""
    page.wait_for_load_state("load")
    page.wait_for_function("() => !document.querySelector('.htmx-request, .htmx-swapping, .htmx-settling')")
