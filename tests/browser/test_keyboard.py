"""The pages by keyboard alone: every stop is seen, nothing traps, long lists are one stop, and keys act where they should."""

import unittest

from tests.browser.live import BrowserCase, settled

STOP = """() => {
  const e = document.activeElement;
  if (!e || e === document.body) return null;
  const lum = (c) => { const [r, g, b] = c.map(v => { v /= 255; return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; }); return 0.2126 * r + 0.7152 * g + 0.0722 * b; };
  const rgb = (text) => (text.match(/[\\d.]+/g) || []).map(Number);
  const behind = (n) => { for (; n; n = n.parentElement) { const c = rgb(getComputedStyle(n).backgroundColor); if (c.length === 3 || c[3] > 0.99) return c.slice(0, 3); } return [255, 255, 255]; };
  const contrast = (a, b) => { const [x, y] = [lum(a), lum(b)].sort((p, q) => q - p); return (x + 0.05) / (y + 0.05); };
  const s = getComputedStyle(e), r = e.getBoundingClientRect(), offset = parseFloat(s.outlineOffset);
  const inside = offset < 0, ring = rgb(s.outlineColor).slice(0, 3);
  return {
    id: e.id, tag: e.tagName, words: (e.getAttribute('aria-label') || e.textContent || e.name || '').trim().replace(/\\s+/g, ' ').slice(0, 60),
    ring: s.outlineStyle === 'none' ? 0 : parseFloat(s.outlineWidth), gap: offset, contrast: contrast(ring, inside ? behind(e) : behind(e.parentElement)),
    seen: r.width > 0 && r.bottom > 0 && r.top < innerHeight && r.right > 0 && r.left < innerWidth,
    named: Boolean(e.getAttribute('aria-label') || e.textContent.trim() || e.title || (e.labels && e.labels.length) || e.getAttribute('aria-labelledby')),
  };
}"""
WALKS = (
    ("/builds/cairn-2/bay?option=low", 62),
    ("/builds/cairn-2/measure?option=low&point=LM-seat", 60),
    ("/builds/cairn-2/mounts?option=low&mount=LM", 60),
    ("/builds/cairn-2/drive?option=low&line=rear", 60),
    ("/builds/cairn-2/fit?option=low", 60),
)
"""Each page with the most stops that the Tab key may take through it."""


class Keyboard(BrowserCase):
    def head(self):
        return self.live.shop.shop.builds.head("cairn-2").number

    def pose(self):
        build = self.live.shop.shop.builds.head("cairn-2").build
        return next(p.pose for p in build.option("low").positions if p.component == "engine")

    def test_every_stop_of_every_walk_is_seen_and_none_traps(self):
        for theme, walks in (("light", WALKS), ("dark", WALKS[:1])):
            page = self.live.page("teo")
            page.emulate_media(reduced_motion="reduce")
            for path, most in walks:
                page.goto(path)
                settled(page)
                page.evaluate("theme => { document.documentElement.dataset.theme = theme; }", theme)
                stops = []
                with self.subTest(path, theme=theme):
                    for _ in range(most + 1):
                        page.keyboard.press("Tab")
                        stop = page.evaluate(STOP)
                        if stop is None:
                            break
                        stops.append(stop)
                    self.assertLessEqual(len(stops), most, [s["words"] for s in stops[-20:]])
                    self.assertGreater(len(stops), 12)
                    self.assertEqual(stops[0]["words"], "To the page itself")
                    self.assertEqual([s for s in stops if not s["seen"] or not s["named"]], [])
                    self.assertEqual([s for s in stops if s["ring"] < 3 or s["contrast"] < 3], [])

    def test_keys_move_the_part_where_the_view_or_the_panel_has_the_focus_and_nowhere_else(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/bay?option=low")
        settled(page)
        page.focus("#undo") if page.is_enabled("#undo") else page.focus(".brand")
        for key in ("ArrowRight", "q", "Q", "2"):
            page.keyboard.press(key)
        page.focus(".check-head")
        page.keyboard.press("q")
        page.wait_for_timeout(300)
        self.assertEqual((self.head(), page.get_attribute("#stage", "data-main")), (1, "side"))
        page.focus("#stage")
        before = self.pose()
        page.keyboard.down("ArrowRight")
        for _ in range(9):
            page.keyboard.down("ArrowRight")
        page.keyboard.up("ArrowRight")
        page.wait_for_function("() => document.getElementById('here').dataset.revision === '2'")
        settled(page)
        page.wait_for_timeout(300)
        self.assertEqual(self.head(), 2)
        self.assertAlmostEqual(self.pose().x_mm - before.x_mm, 1.0)
        page.keyboard.press("Shift+Q")
        page.wait_for_function("() => document.getElementById('here').dataset.revision === '3'")
        settled(page)
        self.assertNotEqual(self.pose().pitch_deg, before.pitch_deg)
        self.live.shop.browser("teo").post("/me", units="mm", theme="light")
        page.reload()
        settled(page)
        page.focus("#stage")
        page.keyboard.press("ArrowRight")
        page.wait_for_timeout(400)
        self.assertEqual(self.head(), 3, "switched off on the own page")

    def test_a_list_is_one_stop_and_arrows_move_in_it(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/bay?option=low")
        settled(page)
        page.focus(".check-list [tabindex='0']")
        first = page.evaluate("document.activeElement.textContent")
        page.keyboard.press("ArrowDown")
        self.assertNotEqual(page.evaluate("document.activeElement.textContent"), first)
        page.keyboard.press("End")
        self.assertTrue(page.evaluate("document.activeElement.closest('.check-list') !== null"))
        page.keyboard.press("Home")
        self.assertEqual(page.evaluate("document.activeElement.textContent"), first)
        page.keyboard.press("Shift+Tab")
        self.assertFalse(page.evaluate("document.activeElement.closest('.check-list') !== null"))

    def test_the_focus_stays_through_answers_and_a_reader_hears_them(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/bay?option=low")
        settled(page)
        page.focus("#knob-z")
        value = float(page.input_value("#knob-z"))
        page.fill("#knob-z", f"{value + 5:.1f}")
        page.keyboard.press("Enter")
        page.wait_for_function("() => document.getElementById('here').dataset.revision === '2'")
        settled(page)
        self.assertEqual(page.evaluate("document.activeElement.id"), "knob-z")
        self.assertRegex(page.inner_text("#announce"), r"\d+ fail.* First: ")
        page.focus("#undo")
        page.keyboard.press("Enter")
        page.wait_for_function("() => document.getElementById('here').dataset.revision === '3'")
        settled(page)
        page.focus("#redo")
        page.keyboard.press("Enter")
        page.wait_for_function("() => document.getElementById('here').dataset.revision === '4'")
        settled(page)
        self.assertTrue(page.evaluate("document.activeElement !== document.body && document.activeElement.closest('#shell') !== null"))
        page.goto("/builds/cairn-2/mounts?option=low&mount=GM")
        settled(page)
        leaning = page.locator(".leanings a").nth(1)
        words = leaning.inner_text()
        leaning.focus()
        page.keyboard.press("Enter")
        page.wait_for_function("() => location.search.includes('leaning')")
        settled(page)
        page.wait_for_function("words => document.activeElement.textContent.trim() === words", arg=words.strip())

    def test_a_menu_that_is_left_closes(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/bay?option=low")
        settled(page)
        page.focus("#option-menu summary")
        page.keyboard.press("Enter")
        self.assertTrue(page.evaluate("document.getElementById('option-menu').open"))
        for _ in range(14):
            page.keyboard.press("Tab")
        self.assertFalse(page.evaluate("document.getElementById('option-menu').open"))

    def test_a_name_already_used_is_told_in_the_menu_unfolded(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/mounts?option=low")
        settled(page)
        page.click("#option-menu summary")
        page.fill("#option-name", "Tail lifted")
        page.keyboard.press("Enter")
        page.wait_for_selector("#error-name")
        settled(page)
        self.assertTrue(page.is_visible("#error-name"))
        self.assertEqual(page.input_value("#option-name"), "Tail lifted")
        self.assertIn("/mounts", page.url)
        self.assertIn("Mounts", page.inner_text("main"))


if __name__ == "__main__":
    unittest.main()
