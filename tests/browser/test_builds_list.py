"""The list of builds in the browser: what was not worked out yet follows by itself, and what is typed meanwhile stays."""

import unittest
from dataclasses import replace
from unittest import mock

from elmpeg.store.revisions import Author
from elmpeg.web.pages.shop import builds as builds_page
from tests.browser.live import BrowserCase, settled


class Following(BrowserCase):
    def test_one_after_the_other_until_all_are_told(self):
        store = self.live.shop.shop.builds
        base = store.head("bookworm").build
        for k in range(builds_page.CARDS):
            store.add(replace(base, id="x", name=f"Cart {k}"), Author(None, "Pip Okafor"), "made")
        told = "() => document.body.textContent.split('Being worked out').length - 1"
        with mock.patch.object(builds_page, "WORKS_OUT_S", 0.0001):
            page = self.live.page("orla")
            page.goto("/")
            settled(page)
            first = page.evaluate(told)
            self.assertEqual(first, len(store.ids()) - 1)
            page.fill("#find", "cart 1")
            # Asked again and again, not once.
            page.wait_for_function(f"() => ({told})() <= {first - 3}")
            self.assertEqual(page.input_value("#find"), "cart 1")
            self.assertEqual(page.evaluate("() => document.activeElement.id"), "find")
        page.wait_for_function("() => !document.getElementById('waiting')")
        self.assertEqual(page.evaluate(told), 0)
        self.assertEqual(page.input_value("#find"), "cart 1")


if __name__ == "__main__":
    unittest.main()
