"""Takes the pictures in docs/screenshots from the demo data: one of each main view."""

from __future__ import annotations

from pathlib import Path

from tests.browser.live import Chromium, Live, settled
from tests.browser.test_newcomer import Hand, walk
from tests.empty import EmptyShop

FOLDER = Path(__file__).resolve().parents[2] / "docs" / "screenshots"
VIEWS = (
    ("bay", "/builds/cairn-2/bay?option=low", (1280, 800)),
    ("bay-tablet", "/builds/cairn-2/bay?option=low", (768, 1024)),
    ("reference", "/builds/cairn-2/reference?option=low", (1280, 800)),
    ("measure", "/builds/bookworm/measure?point=fuse-box", (1280, 800)),
    ("mounts", "/builds/cairn-2/mounts?option=low&mount=C1", (1280, 800)),
    ("drive", "/builds/cairn-2/drive?option=low&line=rear", (1280, 800)),
    ("shapes", "/builds/cairn-2/shapes?option=low&shape=gearbox-crossmember", (1280, 800)),
    ("reckoner", "/reckoner", (1280, 800)),
    ("pieces", "/builds/cairn-2/make?option=low", (1280, 800)),
    ("piece-joins", "/builds/cairn-2/make/piece?option=low&piece=seat-bracket&part=joins", (1280, 800)),
    ("piece-traced", "/builds/cairn-2/make/piece?option=low&piece=relay-plate", (1280, 800)),
    ("structure", "/builds/cairn-2/make/structures?option=low", (1280, 800)),
    ("wraps", "/builds/cairn-2/make/piece?option=low&piece=hoist-crossmember-cross&part=wraps", (1280, 800)),
    ("stand", "/builds/cairn-2/make/stands?option=low", (1280, 800)),
    ("cut-list", "/builds/cairn-2/make/cut-list?option=low", (1280, 800)),
    ("fit", "/builds/cairn-2/fit?round=round-2", (1280, 800)),
)


KEPT = ("put-a-part-in", "first-gap")
"""Of a newcomer's way, the steps that the README shows."""


def newcomer(chromium: Chromium) -> None:
    """The pictures of a newcomer's way, from an empty shop to the first answers."""
    live = Live(chromium, EmptyShop())
    try:
        page = live.page()
        page.goto("/")
        hand = Hand(page)

        def picture(name: str) -> None:
            page.wait_for_timeout(500)
            settled(page)
            page.screenshot(path=FOLDER / f"{name}.png")

        for step in walk(hand, live.shop.shop.first.code):
            if step in KEPT:
                picture(step)
    finally:
        live.close()


def main() -> None:
    """Write every picture."""
    chromium = Chromium()
    live = Live(chromium)
    try:
        for name, path, (width, height) in VIEWS:
            page = live.page("orla", width, height)
            page.goto(path)
            settled(page)
            page.screenshot(path=FOLDER / f"{name}.png")
        page = live.page("teo")
        page.goto("/builds/cairn-2/drive/mend?option=low&line=rear")
        page.wait_for_selector(".single-moves .joint-card")
        page.click("text=Find the smallest change")
        page.wait_for_selector(".solve .answer-words", timeout=60000)
        settled(page)
        page.screenshot(path=FOLDER / "drive-mend.png")
        newcomer(chromium)
    finally:
        live.close()
        chromium.close()


if __name__ == "__main__":
    main()
