"""Single values that no form sends and somebody types into an address, or a program sends: refused or taken for nothing, never a crash."""

import unittest

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.measuring.typed_figures import parse_gauge
from tests.web.test_web import PATHS, WithShop

STRANGE = ("//[", "http://[", "\\\\x", "1" * 5000, str(10**30), f"-{10**30}", "²", "٣", "0/0", "NaN", "1e400", "\x00", "%00", "💥" * 40)
FIELDS = (
    "base",
    "revision",
    "version",
    "seen",
    "count",
    "option",
    "part",
    "point",
    "mount",
    "line",
    "rise",
    "round",
    "next",
    "q",
    "kept",
    "build",
    "page",
)


class StrangeValues(WithShop):
    def test_no_address_answers_with_a_crash_whatever_its_query_says(self):
        paths = {path for method, path in self.routes() if method == "GET" and "/static" not in path and "stream" not in path}
        self.assertGreater(len(paths), 60)
        for n, path in enumerate(sorted(paths)):
            for k in range(2):
                query = {field: STRANGE[(n + j + k * 5) % len(STRANGE)] for j, field in enumerate(FIELDS)}
                with self.subTest(path, query=str(query)[:120]):
                    self.assertLess(self.orla.client.get(path, params=query, follow_redirects=False).status_code, 500)

    def test_strange_names_in_the_path_are_not_there(self):
        for method, path in self.routes():
            if method != "GET" or not any(f"/{v}" in path for v in PATHS.values()):
                continue
            for strange in ("²", "9" * 40, "..%2f", "%00", "💥"):
                wanted = path
                for value in PATHS.values():
                    wanted = wanted.replace(f"/{value}", f"/{strange}")
                with self.subTest(wanted[:80]):
                    self.assertLess(self.orla.client.get(wanted, follow_redirects=False).status_code, 500)

    def test_signing_in_goes_nowhere_else(self):
        stranger = self.shop.anybody()
        for wanted in ("//[", "//elsewhere", "http://elsewhere", "\\\\elsewhere", "javascript:1"):
            page = stranger.get("/sign-in?next=" + wanted)
            self.assertEqual(page.status_code, 200)
            self.assertIn('name="next" value="/"', page.text)

    def test_revisions_beyond_what_is_counted(self):
        for value in STRANGE:
            answer = self.orla.post(
                "/builds/cairn-2/bay/move", base=value, option="low", part="engine", freedom="z", do="plus", step="1 mm"
            )
            self.assertLess(answer.status_code, 500)


class Gauges(unittest.TestCase):
    def test_noughts_that_are_none(self):
        for text in ("0/0", "00/0 swg", "-1/0"):
            with self.assertRaises(InputError):
                parse_gauge(text, "steel")
        self.assertEqual(parse_gauge("1/0", "swg").table, parse_gauge("0", "swg").table)
