"""Documents that are nearly right, field by field: what is accepted can be worked out and looked at, and what is refused says where."""

import random
import re
import unittest
import warnings
from dataclasses import fields, is_dataclass, replace

from elmpeg.core.base.errors import ElmPegError, InputError
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.integrity.sound import require_sound
from elmpeg.formats import build_file
from elmpeg.store.revisions import Author
from tests.browser.every_page import pages
from tests.shop import ShopCase
from tests.web.test_every_form import Page

SAMPLE = 150
"""Of some 1,200 changes of a field; each run takes the same."""
LOOKED_AT = 12
"""Of the accepted ones, those whose pages are opened."""


def changes(value, path=(), kind="Build", met=None):
    """Each kind of field once: where it is, and other values of its type that somebody could write there."""
    met = set() if met is None else met
    if is_dataclass(value):
        for f in fields(value):
            yield from changes(getattr(value, f.name), (*path, f.name), f"{type(value).__name__}.{f.name}", met)
    elif isinstance(value, tuple):
        if value and kind not in met:
            met.add(kind)
            yield path, ()
        for k, one in enumerate(value[:40]):
            yield from changes(one, (*path, k), kind if is_dataclass(one) else f"{kind}[]", met)
    elif isinstance(value, str | int | float) and not isinstance(value, bool) and (kind, bool(value)) not in met:
        met.add((kind, bool(value)))
        yield from ((path, other) for other in (("", "nope") if isinstance(value, str) else (type(value)(n) for n in (0, -1, -5.5, 1e7))))


def changed(value, path, other):
    """A document with one value another."""
    if not path:
        return other
    step, *rest = path
    if isinstance(step, int):
        return (*value[:step], changed(value[step], rest, other), *value[step + 1 :])
    return replace(value, **{step: changed(getattr(value, step), rest, other)})


class Mutated(ShopCase):
    def accepted(self, path, other):
        """The build with that change as a file would bring it in; None where it is refused, with its place said."""
        try:
            with warnings.catch_warnings(action="ignore"):
                plain = build_file.to_plain(changed(self.start, path, other))
            made = build_file.from_plain(plain)
            require_sound(made)
        except InputError as refused:
            self.assertTrue(all(e.field and e.message for e in refused.errors))
            return None
        except ElmPegError:
            return None
        return made

    def look_at(self, made, paths):
        """Every one of these pages answers."""
        self.builds.change("cairn-2", self.builds.head("cairn-2").number, Author(None, "a file"), "Brought in", lambda _: made)
        for path in paths:
            with self.subTest(path):
                self.assertLess(self.orla.get(path).status_code, 500)

    def test_any_field(self):
        rng = random.Random(11)
        some = [c for c in changes(self.start) if c[0][0] not in ("id", "name")]
        self.assertGreater(len(some), 1000)
        paths = [p for p in pages(self.shop) if p.startswith("/builds/cairn-2")]
        accepted = refused = looked = 0
        for path, other in rng.sample(some, SAMPLE):
            with self.subTest(path=path, other=other):
                made = self.accepted(path, other)
                if made is None:
                    refused += 1
                    continue
                accepted += 1
                evaluate(made, made.options[0].id)
                if looked < LOOKED_AT and rng.random() < 0.3:
                    looked += 1
                    self.look_at(made, rng.sample(paths, 6))
        self.assertGreater(min(accepted, refused), SAMPLE / 5)

    def test_what_no_page_could_show_once(self):
        stand = next(k for k, s in enumerate(self.start.stands) if s.joints)
        self.assertIsNone(self.accepted(("stands", stand, "joints", 0, "tabs"), ()))
        self.assertIsNone(self.accepted(("wheels", 0, "width_mm"), 0.0))
        structure = next(k for k, s in enumerate(self.start.structures) if s.id == "hoist-crossmember")
        patterns = [f"/builds/cairn-2/patterns?option=low&plate={p.id}" for p in self.start.patterns]
        tubes = [p for p in pages(self.shop) if "hoist-crossmember" in p]
        for path, other in (
            (("structures", structure, "nodes"), ()),
            (("structures", structure, "members", 0, "start"), "nope"),
            (("patterns", next(k for k, p in enumerate(self.start.patterns) if p.holes), "holes"), ()),
            (("reckonings", 0, "calculator"), ""),
            (("reckonings", 0, "calculator"), "nope"),
        ):
            made = self.accepted(path, other)
            if made is not None:
                self.look_at(made, [*tubes, "/builds/cairn-2/reckoner", "/builds/cairn-2/make/stands", *patterns])

    def test_lengths_that_no_part_has_are_told_beside_their_field(self):
        path = "/builds/cairn-2/make/piece?option=low&piece=compressor-bush"
        form = next(fields for where, fields in Page(self.orla.get(path).text).forms if where.endswith("/piece/turned"))
        form = {k: v for k, v in form.items() if k != "csrf"}
        for field, typed, words in (
            ("steps", "0; 25", "line 1: length must be above 0 mm"),
            ("steps", "20; 25\n-5; 12", "line 2: length must be above 0 mm"),
            ("steps", "20; -25", "line 1: diameter must be above 0 mm"),
            ("steps", "20; 25; h6; M10; -3", "line 1: chamfer must be at least 0 mm"),
            ("bores", "left; -5", "line 1: diameter must be above 0 mm"),
            ("bores", "left; 10; 5; H7; ; -3", "line 1: chamfer must be at least 0 mm"),
        ):
            with self.subTest(field, typed=typed):
                answer = self.orla.post("/builds/cairn-2/make/piece/turned", **{**form, field: typed})
                told = dict(re.findall(r'class="field-error" id="error-([^"]*)">([^<]*)', answer.text))
                self.assertEqual((answer.status_code, told), (422, {field: words}))
                self.assertIn(typed.replace("\n", "&#10;") if "&#10;" in answer.text else typed, answer.text)


if __name__ == "__main__":
    unittest.main()
