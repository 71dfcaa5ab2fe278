"""What pages keep (drawn shapes, rows of checks, evaluations) against the same page worked out with none of it kept."""

import re
import unittest
from dataclasses import replace
from unittest import mock

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.memo import Kept, Memo
from elmpeg.core.integrity.sound import require_sound
from elmpeg.store.builds import Builds
from elmpeg.web.check_rows import KeptRows
from tests.core.test_kept_reads import changes
from tests.shop import TestShop

PAGES = (
    "/builds/cairn-2/bay?option=low&holds=1",
    "/builds/cairn-2/drive?option=low",
    "/builds/cairn-2/mounts?option=low",
)


def said(page):
    """A page without the mark by which it is remembered."""
    return re.sub(r'data-page="[^"]*"', "", page.text)


class AgainstFresh(unittest.TestCase):
    """A page after a change is the page that a server started just now would give."""

    def setUp(self):
        self.test_shop = TestShop()
        self.addCleanup(self.test_shop.close)
        self.teo = self.test_shop.browser("teo")
        self.head = self.test_shop.shop.builds.head("cairn-2")

    def pages(self, build, chosen=(0, 1, 2)):
        with mock.patch.object(Builds, "head", lambda *_: replace(self.head, build=build)):
            return [self.teo.get(PAGES[n]) for n in chosen]

    def fresh(self, build, chosen=(0, 1, 2)):
        """The pages with nothing kept but what the core keeps, which is held to its own key elsewhere."""
        shop, get = self.test_shop.shop, Kept.get

        def made(store, parts, make):
            return get(store, parts, make) if isinstance(store, Memo) else make()

        with mock.patch.object(Kept, "get", made), mock.patch.multiple(shop, check_rows=KeptRows(), evaluations={}):
            return self.pages(build, chosen)

    def test_every_field_changed(self):
        start, seen = self.head.build, set()
        before = [said(p) for p in self.pages(start)]
        for k, (name, value) in enumerate(changes(start)):
            build = replace(start, **{name: value})
            try:
                require_sound(build)
                build.option("low")
            except (LookupError, InputError):
                continue
            # The Bay always; of the others one, in turn.
            chosen = (0, 1 + k % 2)
            for path, warm, fresh, first in zip(
                [PAGES[n] for n in chosen], self.pages(build, chosen), self.fresh(build, chosen), [before[n] for n in chosen], strict=True
            ):
                with self.subTest(path, changed=name):
                    self.assertEqual(fresh.status_code, 200)
                    self.assertEqual(said(warm), said(fresh))
                if said(fresh) != first:
                    seen.add(name)
        # Each of these shows on some page, so that a store that forgot to ask for it would be caught here.
        self.assertLessEqual(
            {"components", "solids", "points", "mounts", "drivelines", "axles", "wheels", "datum", "limits", "tools"}, seen
        )

    def test_names_changed_and_nothing_else(self):
        start = self.head.build
        self.pages(start)
        for name in ("components", "mounts", "drivelines", "points", "axles", "options", "rooms"):
            things = getattr(start, name)
            build = replace(start, **{name: tuple(replace(t, name=f"{t.name} anew") for t in things)})
            with self.subTest(name):
                self.assertEqual([said(p) for p in self.pages(build)], [said(p) for p in self.fresh(build)])

    def test_whoever_looks_in_whatever_units_and_at_whichever_option(self):
        shop, option = self.test_shop.shop, self.head.build.options[1].id
        for login, units in (("teo", "mm"), ("teo", "in_fraction_16"), ("pip", "mm")):
            browser = self.test_shop.browser(login)
            browser.post("/me", units=units, theme="light")
            for path in (PAGES[0], PAGES[0].replace("low", option)):
                with self.subTest(login, units=units, path=path):
                    kept = said(browser.get(path))
                    with mock.patch.object(shop, "check_rows", KeptRows()):
                        self.assertEqual(kept, said(browser.get(path)))
