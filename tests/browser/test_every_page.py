"""Every page, at three widths and in both themes: nothing that keeps somebody out, nothing cut off, too small or in the way."""

import unittest
from pathlib import Path

from tests.browser.every_page import pages, with_hostile_names
from tests.browser.live import OneShopCase, settled, swapped

HERE = Path(__file__).parent
AXE = (HERE / "vendor" / "axe-4.14.1.min.js").read_text()
GEOMETRY = (HERE / "geometry.js").read_text()
RUN = """async (whole) => (await axe.run(whole ? document : '#shell main', { resultTypes: ['violations'] })).violations
  .map(v => `${v.id}: ${v.nodes.map(n => n.html.slice(0, 160)).slice(0, 3).join(' | ')}`)"""
LOOKS = ((768, 1024, "dark"), (1280, 800, "light"), (1920, 1080, "dark"), (1180, 820, "light"))
"""A tablet either way up, a laptop and a wide screen: every page is looked at in the first two and, in turn, in one of the others.
By axe each is looked at in one of these four, in turn too: what is coloured, named and nested is so at every width, and every kind of
thing stands on many pages."""
FIRST_SCREEN = {"/bay": ("#stage", "#knob-yaw", ".check"), "/reckoner/": (".reckon-value",)}
"""What people came for, in sight without scrolling."""
WHOLE = ("/", "/builds/cairn-2/bay?option=low", "/builds/cairn-2/drive?option=lifted&line=front", "/shop", "/reckoner")
"""Where the head and the spine are looked at too; they are the same everywhere else."""
RELOADED = 6
"""One page in so many is drawn again and loaded afresh to see whether what was typed is still there; that each kind of field is kept is
seen with every control."""
TYPED_EVERYWHERE = """() => {
  const held = [...document.querySelectorAll('#shell form')].filter(f => (f.getAttribute('hx-post') || f.getAttribute('method') === 'post') && !f.matches('[data-unheld], .clash form, [hx-trigger]'));
  const typed = [];
  held.forEach((form, k) => {
    for (const e of form.elements) {
      if (!e.name || e.disabled || e.readOnly || e.closest('[hx-trigger=load]') || !(e.matches('textarea') || (e.matches('input') && ['text', ''].includes(e.getAttribute('type') || '')))) continue;
      e.value = `mine ${typed.length}`;
      e.dispatchEvent(new Event('input', { bubbles: true }));
      typed.push(e.value);
    }
  });
  return typed;
}"""
STANDS = "() => [...document.querySelectorAll('#shell input, #shell textarea')].map(e => e.value).filter(v => v.startsWith('mine '))"
# Others that the page asks for by itself, such as who else is there, settle in between.
AGAIN = (
    "async () => { await htmx.ajax('GET', location.href, { source: document.body, target: '#shell', swap: 'morph:outerHTML' }); "
    "await new Promise(done => setTimeout(done, 80)); }"
)


# Each question to the browser takes as long as its answer: several are asked in one.
STANDING = f"""async (theme) => {{
  document.documentElement.dataset.theme = theme;
  await new Promise(done => requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(done, 50))));
  const asked = {GEOMETRY.strip().rstrip(";")};
  return asked();
}}"""
TYPED_AND_DRAWN_AGAIN = f"""async () => {{
  const typed = ({TYPED_EVERYWHERE})();
  if (typed.length) await ({AGAIN})();
  return [typed, ({STANDS})(), document.querySelectorAll('.unsent').length];
}}"""


class EveryPage(OneShopCase):
    maxDiff = None

    def looked_at(self, page, path, looks, by_axe=None):
        if path in WHOLE or not swapped(page, path):
            page.goto(path)
            settled(page)
        if by_axe and not page.evaluate("() => Boolean(window.axe)"):
            page.evaluate(AXE)
        for look in looks:
            width, height, theme = look
            page.set_viewport_size({"width": width, "height": height})
            with self.subTest(path, width=width, theme=theme):
                self.assertEqual(page.evaluate(STANDING, theme), [])
                for selector in next((s for part, s in FIRST_SCREEN.items() if part in path), ()):
                    box = page.locator(selector).first.bounding_box()
                    self.assertLessEqual(box["y"] + box["height"], height, selector)
                if look == by_axe:
                    self.assertEqual(page.evaluate(RUN, path in WHOLE), [])

    def typed_and_kept(self, page, path):
        typed: list[str] = []
        with self.subTest(path, typed=True):
            typed, stands, unsent = page.evaluate(TYPED_AND_DRAWN_AGAIN)
            if typed:
                self.assertEqual(sorted(stands), sorted(typed), "drawn again")
                self.assertGreater(unsent, 0)
                page.reload()
                settled(page)
                self.assertEqual(sorted(page.evaluate(STANDS)), sorted(typed), "loaded again")
        page.evaluate("() => sessionStorage.clear()")
        return len(typed)

    def test_the_demo(self):
        page = self.live.page("orla")
        page.emulate_media(reduced_motion="reduce")
        found = pages(self.live.shop)
        self.assertGreater(len(found), 44)
        typed = 0
        for k, path in enumerate(found):
            third = LOOKS[2 + k % 2]
            looks = (*LOOKS[:2], third)
            self.looked_at(page, path, looks, by_axe=looks[k % len(looks)])
            if k % RELOADED == 0:
                typed += self.typed_and_kept(page, path)
        self.assertGreater(typed, 50)
        self.assertEqual(self.live.complaints, [])

    def test_names_as_bad_as_they_may_be(self):
        build = with_hostile_names(self.live.shop)
        page = self.live.page("orla")
        page.emulate_media(reduced_motion="reduce")
        for path in pages(self.live.shop, build):
            if build in path:
                self.looked_at(page, path, LOOKS[:1])
        page.goto("/")
        settled(page)
        self.assertEqual(page.evaluate(GEOMETRY), [])


if __name__ == "__main__":
    unittest.main()
