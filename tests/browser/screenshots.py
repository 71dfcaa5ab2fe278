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
    ("reference", "/builds/cairn-2/reference?option=low", (1280, 800)),
    ("measure", "/builds/bookworm/measure?point=fuse-box", (1280, 800)),
    ("measuring-list", "/builds/cairn-2/measure/list?option=low&scope=vehicle", (1024, 768)),
    ("cross-checks", "/builds/cairn-2/measure/cross?option=low", (1280, 800)),
    ("mounts", "/builds/cairn-2/mounts?option=low&mount=C1", (1280, 800)),
    ("patterns", "/builds/cairn-2/patterns?option=low&plate=seat-marked&studs=runner", (1280, 800)),
    ("plates", "/builds/cairn-2/plates?option=low", (1280, 800)),
    ("shelf", "/shelf?build=cairn-2&option=low", (1280, 800)),
    ("drive", "/builds/cairn-2/drive?option=low&line=rear", (1280, 800)),
    ("drive-travel", "/builds/cairn-2/drive/travel?option=low&line=rear&rise=60", (1280, 800)),
    ("drive-ways", "/builds/dynamo/drive/ways?option=after", (1280, 800)),
    ("drive-order", "/builds/cairn-2/drive/order?option=lifted&line=rear", (1280, 800)),
    ("everything", "/builds/cairn-2/things?option=low&of=rooms", (1280, 800)),
    ("fit", "/builds/cairn-2/fit?round=round-2", (1280, 800)),
)


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
        page.wait_for_selector(".solve .answer-words", timeout=15000)
        settled(page)
        page.screenshot(path=FOLDER / "drive-mend.png")
    finally:
        live.close()
        chromium.close()


if __name__ == "__main__":
    main()
