"""A form that is saved as it was shown changes nothing, also of figures that are finer than a screen shows."""

import unittest
from collections import Counter
from dataclasses import fields, is_dataclass, replace
from urllib.parse import urljoin, urlsplit

from elmpeg.core.integrity.sound import require_sound
from elmpeg.store.revisions import Author
from tests.shop import TestShop
from tests.web.test_every_form import Page

FINER_MM, FINER_DEG = 0.01234, 0.00123
ROUNDED = 0.06
PAGES = (
    "mounts?option=low&mount=RM",
    "mounts?option=low&mount=GM",
    "plates?option=low&plate=seat-adapter",
    "chains",
    "drive/shafts",
    "drive/axles",
    "drive/rules",
    "drive/lines",
    "points/edit?option=low&point=LM-seat",
    "make/piece?option=low&piece=seat-bracket",
    "make/piece?option=low&piece=bell-spacer",
)
MEANT = (
    "mounts/made",
    "mounts/layer",
    "plates",
    "chains",
    "drive/shafts",
    "drive/axles",
    "drive/series",
    "drive/lines",
    "points",
    "make/piece",
    "make/piece/holes",
    "make/piece/between",
)
"""Where what is shown is kept; other forms on these pages do something."""
FOLLOWS = {"bolt_mm"}
"""What is worked out anew from a choice, and so may change."""


class Forms(Page):
    """Choices without a value of their own are sent as they read."""

    def __init__(self, text):
        self._option = ""
        super().__init__(text)

    def handle_starttag(self, tag, attributes):
        a = dict(attributes)
        self._option = ""
        if tag == "option" and self._select and self._open is not None and ("selected" in a or self._first) and "value" not in a:
            self._option, self._open[self._select], self._first = self._select, "", False
            return
        super().handle_starttag(tag, attributes)

    def handle_data(self, data):
        if self._option and self._open is not None:
            self._open[self._option] += data.strip()
        super().handle_data(data)


def finer(thing, name=""):
    """The thing with every length and angle a little off what a screen can show."""
    if is_dataclass(thing) and not isinstance(thing, type):
        made = {f.name: finer(getattr(thing, f.name), f.name) for f in fields(thing)}
        return replace(thing, **made)
    if isinstance(thing, tuple):
        return tuple(finer(one, name) for one in thing)
    if isinstance(thing, float) and abs(thing) > 0.5:
        return thing + FINER_MM if name.endswith("_mm") and thing > 0 else thing + FINER_DEG if name.endswith("_deg") else thing
    return thing


def differences(a, b, path=""):
    if a == b:
        return
    if is_dataclass(a) and type(a) is type(b):
        for f in fields(a):
            yield from differences(getattr(a, f.name), getattr(b, f.name), f"{path}.{f.name}")
    elif isinstance(a, tuple) and isinstance(b, tuple) and len(a) == len(b):
        for x, y in zip(a, b, strict=True):
            yield from differences(x, y, path)
    else:
        yield path, a, b


class Fine(unittest.TestCase):
    def test_saved_as_shown_every_figure_stays_what_it_was(self):
        shop = TestShop()
        self.addCleanup(shop.close)
        orla, builds, author = shop.browser("orla"), shop.shop.builds, Author(None, "Orla Fennick")

        def made_finer(build):
            for name in ("mounts", "pieces", "drivelines", "axles", "series", "chains", "points", "limits"):
                changed = replace(build, **{name: finer(getattr(build, name))})
                require_sound(changed)
                build = changed
            return build

        builds.change("cairn-2", 1, author, "Finer", made_finer)
        sent: Counter = Counter()
        for at in PAGES:
            page = f"/builds/cairn-2/{at}"
            for where, shown in Forms(orla.get(page).text).forms:
                path = urlsplit(urljoin(page, where)).path
                kind = path.removeprefix("/builds/cairn-2/")
                if kind not in MEANT or shown.get("do") in ("remove", "unlink", "drop", "out"):
                    continue
                head = builds.head("cairn-2")
                answer = orla.post(path, **{**{k: v for k, v in shown.items() if k != "csrf"}, "base": str(head.number)})
                now = builds.head("cairn-2")
                sent[kind] += answer.status_code in (200, 204)
                if now.number == head.number:
                    continue
                rounded = [
                    (where, a, b)
                    for where, a, b in differences(head.build, now.build)
                    if isinstance(a, float) and isinstance(b, float) and abs(a - b) < ROUNDED and where.rsplit(".", 1)[1] not in FOLLOWS
                ]
                with self.subTest(path, page=at):
                    self.assertEqual(rounded, [])
                builds.undo("cairn-2", now.number, author)
        for path in ("mounts/made", "plates", "drive/shafts", "drive/series", "drive/axles", "points"):
            self.assertGreater(sent[path], 0, sent)


if __name__ == "__main__":
    unittest.main()
