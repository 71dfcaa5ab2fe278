"""Every page, at three widths and in both themes: nothing that keeps somebody out, nothing cut off, too small or in the way."""

import unittest
from pathlib import Path

from tests.browser.every_page import pages, with_hostile_names
from tests.browser.live import Chromium, Live, settled

HERE = Path(__file__).parent
AXE = (HERE / "vendor" / "axe-4.14.1.min.js").read_text()
GEOMETRY = (HERE / "geometry.js").read_text()
RUN = """async () => (await axe.run(document, { resultTypes: ['violations'] })).violations
  .map(v => `${v.id}: ${v.nodes.map(n => n.html.slice(0, 160)).slice(0, 3).join(' | ')}`)"""
LOOKS = ((768, 1024, "dark"), (1280, 800, "light"), (1920, 1080, "dark"))
"""Each width once and both themes: what a theme changes is colour, and what a width changes is not."""


class EveryPage(unittest.TestCase):
    maxDiff = None

    @classmethod
    def setUpClass(cls):
        cls.chromium = Chromium()
        cls.addClassCleanup(cls.chromium.close)
        cls.live = Live(cls.chromium)
        cls.addClassCleanup(cls.live.close)

    def looked_at(self, page, path, looks, axe):
        page.goto(path)
        settled(page)
        if axe:
            page.evaluate(AXE)
        for width, height, theme in looks:
            page.set_viewport_size({"width": width, "height": height})
            page.evaluate("theme => { document.documentElement.dataset.theme = theme; }", theme)
            page.evaluate("() => new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))")
            with self.subTest(path, width=width, theme=theme):
                self.assertEqual(page.evaluate(GEOMETRY), [])
                if axe:
                    self.assertEqual(page.evaluate(RUN), [])

    def test_the_demo(self):
        page = self.live.page("orla")
        page.emulate_media(reduced_motion="reduce")
        found = pages(self.live.shop)
        self.assertGreater(len(found), 50)
        for path in found:
            self.looked_at(page, path, LOOKS, axe=True)
        self.assertEqual(self.live.complaints, [])

    def test_names_as_bad_as_they_may_be(self):
        build = with_hostile_names(self.live.shop)
        page = self.live.page("orla")
        for path in pages(self.live.shop, build):
            if build in path:
                self.looked_at(page, path, LOOKS[:2], axe=False)
        page.goto("/")
        settled(page)
        self.assertEqual(page.evaluate(GEOMETRY), [])


if __name__ == "__main__":
    unittest.main()
