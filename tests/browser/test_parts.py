"""Answers in parts, in the browser: after each act the page is the one that would be opened, and what was in hand stays in hand."""

import unittest

from tests.browser.live import BrowserCase, settled

PLAIN = """() => {
  const shell = document.getElementById('shell').cloneNode(true);
  shell.querySelectorAll('.unsent, .saved, .notice').forEach((e) => e.remove());
  shell.querySelector('#here')?.replaceChildren();
  // What scripts put there of their own accord.
  const own = ['data-page', 'tabindex', 'style', 'title', 'data-cut', 'data-scrolls', 'data-seen', 'data-end', 'x2', 'y2', 'class', 'aria-description', 'open'];
  for (const e of [shell, ...shell.querySelectorAll('*')]) {
    const said = [...e.attributes].map((a) => [a.name, a.value]).sort();
    for (const [name] of said) e.removeAttribute(name);
    for (const [name, value] of said) if (!own.includes(name)) e.setAttribute(name, value);
    // The browser sends the revision that stands in place of the one in a press that was not drawn again; addresses say alike.
    if (e.hasAttribute('hx-vals')) e.setAttribute('hx-vals', e.getAttribute('hx-vals').replace(/"base": \\d+/, ''));
    if ((e.getAttribute('href') || '').startsWith('?')) e.setAttribute('href', [...new URLSearchParams(e.getAttribute('href'))].filter((p) => p[1]).sort().join('&'));
  }
  return shell.outerHTML.replace(/\\s+/g, ' ').replace(/> </g, '><').split('><');
}"""
ANSWERED = """async (press) => {
  const swapped = new Promise((done) => {
    const on = (e) => { if (e.detail.elt.id === 'here') return; document.removeEventListener('htmx:afterSettle', on); done(e.detail.xhr.responseText.includes('data-parts')); };
    document.addEventListener('htmx:afterSettle', on);
  });
  const e = document.querySelector(press[0]);
  e.focus();
  if (press.length > 1) { e.value = press[1]; e.dispatchEvent(new Event('change', { bubbles: true })); } else e.click();
  return await swapped;
}"""
UP, DOWN = '.knob[data-freedom="z"] [data-way="plus"]', '.knob[data-freedom="x"] [data-way="minus"]'


class InParts(BrowserCase):
    maxDiff = 1500
    borne = ("status of 500", "Status Error Code 500")

    def opened(self, path):
        page = self.live.page("orla")
        page.goto(path)
        settled(page)
        return page

    def the_same(self, page):
        there = page.evaluate(PLAIN)
        other = page.context.new_page()
        other.goto(page.url)
        settled(other)
        self.assertEqual(there, other.evaluate(PLAIN))
        other.close()

    def test_the_bay_after_each_act_is_the_bay_that_is_opened(self):
        page = self.opened("/builds/cairn-2/bay?option=low&part=engine")
        acts = (
            [UP], [UP], [DOWN], ["#check-list .check-head"], ["#undo"], ["#check-fold button"], [UP], ["select[name=order]", "hand"],
            ["#about", "its last"], ["#part", "radiator"], [".swap"], ["#undo"],
        )  # fmt: skip
        in_parts = 0
        for k, press in enumerate(acts):
            if press[0] == "#about":
                press[:] = [press[0], page.evaluate("() => [...document.querySelector('#about').options].at(-1).value")]
            in_parts += page.evaluate(ANSWERED, press)
            # Each second one: what an act leaves wrong the next does not put right.
            if k % 2:
                with self.subTest(press):
                    self.the_same(page)
        self.assertEqual(in_parts, len(acts), "answered as a whole")

    def test_other_pages_after_undo_and_redo(self):
        page = self.opened("/builds/cairn-2/bay?option=low&part=engine")
        page.evaluate(ANSWERED, [UP])
        for path in ("mounts?option=low&mount=GM", "drive?option=low&line=rear"):
            page.goto(f"/builds/cairn-2/{path}")
            settled(page)
            for press in ("#undo", "#redo"):
                with self.subTest(path, press=press):
                    self.assertTrue(page.evaluate(ANSWERED, [press]), "answered as a whole")
                    self.the_same(page)

    def test_what_is_typed_elsewhere_stays_and_is_sent_with_the_revision_that_stands(self):
        page = self.opened("/builds/cairn-2/bay?option=low&part=engine")
        page.evaluate("() => { document.getElementById('option-menu').open = true; }")
        page.fill("#option-note", "mine, not sent")
        before = self.live.shop.shop.builds.head("cairn-2").number
        for _ in range(3):
            self.assertTrue(page.evaluate(ANSWERED, [UP]))
        self.assertEqual(page.input_value("#option-note"), "mine, not sent")
        self.assertEqual(page.evaluate("() => document.activeElement.closest('.knob')?.dataset.freedom"), "z")
        self.assertEqual(page.get_attribute("#shell", "data-base"), str(before + 3))
        page.evaluate("() => { document.getElementById('option-menu').open = true; }")
        page.click("text=Keep the note")
        page.wait_for_selector("#notices .saved")
        # Nobody else did anything meanwhile, so nothing had to be put together.
        self.assertNotIn("together", page.inner_text("#notices"))
        self.assertEqual(self.live.shop.shop.builds.head("cairn-2").build.option("low").note, "mine, not sent")

    def test_a_drag_that_is_refused_puts_the_part_back(self):
        page = self.opened("/builds/cairn-2/bay?option=low&part=engine")
        page.route("**/bay/move", lambda route: route.fulfill(status=500, body="<h1>Broken</h1>"))
        box = page.locator("#side-part-engine .component").first.bounding_box()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] / 2 + 60, box["y"] + box["height"] / 2 - 40, steps=4)
        self.assertIn("translate", page.get_attribute("#side-part-engine", "transform"))
        page.mouse.up()
        page.wait_for_function("() => !document.querySelector('#side-part-engine').hasAttribute('transform')")

    def test_a_server_that_has_forgotten_the_page_sends_all_of_it(self):
        page = self.opened("/builds/cairn-2/bay?option=low&part=engine")
        self.live.shop.shop.shown_pages.__init__()
        self.assertFalse(page.evaluate(ANSWERED, [UP]))
        self.the_same(page)
        self.assertTrue(page.evaluate(ANSWERED, [UP]))

    def test_another_answer_in_between_does_not_keep_the_focus(self):
        """Who else is there is asked for all the time; its answer may come just where a list has been drawn anew."""
        page = self.opened("/builds/cairn-2/measure?option=low&point=LM-seat")
        page.evaluate(
            """() => document.addEventListener('htmx:afterSwap', (e) => {
              window.lost = document.activeElement === document.body;
              document.getElementById('here').dispatchEvent(new CustomEvent('htmx:beforeSwap', { bubbles: true, detail: {} }));
            }, { once: true })"""
        )
        page.evaluate(ANSWERED, ["select[name=source]", "borrowed"])
        self.assertTrue(page.evaluate("() => window.lost"), "nothing was to be given back")
        self.assertEqual(page.evaluate("() => document.activeElement.name"), "source")

    def test_what_is_missing_in_the_browser_is_asked_for(self):
        page = self.opened("/builds/cairn-2/bay?option=low&part=engine")
        page.evaluate("() => document.querySelectorAll('#check-list > li').forEach((e) => e.remove())")
        for _ in range(2):
            page.evaluate(ANSWERED, [UP])
            page.wait_for_timeout(300)
        settled(page)
        page.wait_for_function("() => document.querySelectorAll('#check-list > li').length > 20")
        self.the_same(page)


if __name__ == "__main__":
    unittest.main()
