"""Takes the pictures in docs/screenshots from the demo data: one of each main view."""

from __future__ import annotations

from pathlib import Path

from tests.browser.live import Chromium, Live, settled

FOLDER = Path(__file__).resolve().parents[2] / "docs" / "screenshots"
VIEWS = (
    ("builds", "/", (1280, 800)),
    ("bay", "/builds/cairn-2/bay?option=low", (1280, 800)),
    ("bay-check-opened", "/builds/cairn-2/bay?option=low&view=plan&check=line.rear.J2", (1280, 800)),
    ("bay-tablet", "/builds/cairn-2/bay?option=low", (768, 1024)),
    ("measure", "/builds/cairn-2/measure", (1280, 800)),
    ("mounts", "/builds/cairn-2/mounts?option=low&mount=GM", (1280, 800)),
    ("drive", "/builds/cairn-2/drive?option=low", (1280, 800)),
    ("fit", "/builds/cairn-2/fit?round=round-2", (1280, 800)),
    ("compare", "/builds/cairn-2/compare?option=low", (1280, 800)),
    ("history", "/builds/cairn-2/history", (1280, 800)),
    ("person", "/me", (1280, 800)),
    ("kit", "/kit", (1280, 800)),
)


def main() -> None:
    """Write every picture."""
    chromium = Chromium()
    live = Live(chromium)
    try:
        page = live.page()
        page.goto("/sign-in")
        page.screenshot(path=FOLDER / "sign-in.png")
        for name, path, (width, height) in VIEWS:
            page = live.page("orla", width, height)
            page.goto(path)
            settled(page)
            page.screenshot(path=FOLDER / f"{name}.png")
        page = live.page("teo")
        page.goto("/me")
        page.select_option("#theme", "dark")
        page.click("text=Keep")
        settled(page)
        page.goto("/builds/cairn-2/bay?option=low")
        settled(page)
        page.screenshot(path=FOLDER / "bay-night.png")
    finally:
        live.close()
        chromium.close()


if __name__ == "__main__":
    main()
