"""Every route that takes something and every calculator, given what no form sends: refused in words, never a crash."""

import copy
import json
import random

from elmpeg.core.calculators import CALCULATORS
from tests.web.test_single_values import FIELDS, STRANGE
from tests.web.test_web import WithShop

MORE = (*FIELDS, "do", "step", "freedom", "value", "amount", "name", "id", "read_x", "read_y", "read_z", "read_tape", "tool", "thread")
MORE += ("size", "shape", "role", "units", "theme", "low", "high", "d_mm", "thick", "chosen", "mass", "rate", "digits", "stock", "qty")
WORDS = (*STRANGE, "", " ", "-1", "1/0", "1e308", "-0", "1,5,7", "lead", "low", "engine", "[]", "{}", "null", "\ud7ff", "a" * 3000)
LEAVES = ("/sign-out", "/people", "/first", "/begin", "/me/password")
"""What would end the session these trials are made with."""


class StrangeForms(WithShop):
    """Pages."""

    def test_no_route_crashes_whatever_it_is_sent(self):
        rng = random.Random(6)
        asked = 0
        for method, path in sorted(set(self.routes())):
            if method in ("GET",) or path.startswith(LEAVES) or path.startswith("/api/v1/calc"):
                continue
            for _ in range(3):
                fields = {name: rng.choice(WORDS) for name in rng.sample(MORE, 18)}
                base = self.shop.shop.builds.head("cairn-2").number
                fields["base"] = rng.choice((str(base), fields.get("base", "")))
                with self.subTest(path, method=method, fields=str(fields)[:200]):
                    headers = {"X-CSRF-Token": self.orla.csrf, "HX-Request": "true"}
                    answer = self.orla.client.request(method, path, data=fields, headers=headers)
                    self.assertLess(answer.status_code, 500)
                    asked += 1
        self.assertGreater(asked, 250)
        self.assertEqual(self.orla.get("/builds/cairn-2/bay").status_code, 200, "and the shop still stands")

    def test_the_interface_takes_nothing_for_something(self):
        rng = random.Random(8)
        bodies = (b"", b"[]", b"null", b"3", b'"x"', b"{", b"\xff\xfe", b'{"format":"elmpeg-build"}', b"[" * 5000, b"1" * 5000)
        for method, path in sorted(set(self.routes())):
            if method == "GET" or not path.startswith("/api/"):
                continue
            for body in rng.sample(bodies, 4):
                with self.subTest(path, body=body[:20]):
                    headers = {"X-CSRF-Token": self.orla.csrf, "Content-Type": "application/json"}
                    params = {"revision": rng.choice(("1", "-1", str(10**30), "x"))}
                    self.assertLess(self.orla.client.request(method, path, content=body, headers=headers, params=params).status_code, 500)


class StrangeRequests(WithShop):
    """Calculators."""

    def test_every_calculator_refuses_what_it_cannot_answer(self):
        rng = random.Random(9)
        values = (None, True, -1, 0, 1e-320, 1e308, -1e308, 10**400, "x", "", [], {}, [[]], "1 1/0", "nan", [1e308] * 3, {"a": 1})

        def spoilt(plain):
            """A sound request with one or two of its values, at any depth, made into something else."""
            holder, key = {"all": plain}, "all"
            while isinstance(holder[key], (dict, list)) and holder[key] and rng.random() < 0.8:
                holder = holder[key]
                key = rng.choice(list(holder)) if isinstance(holder, dict) else rng.randrange(len(holder))
            holder[key] = copy.deepcopy(rng.choice(values))

        headers = {"X-CSRF-Token": self.orla.csrf, "Content-Type": "application/json"}
        for name, calculator in CALCULATORS.items():
            for _ in range(25):
                plain = json.loads(json.dumps(calculator.example))
                for _ in range(rng.randint(1, 2)):
                    if isinstance(plain, dict):
                        spoilt(plain)
                with self.subTest(name, request=str(plain)[:300]):
                    answer = self.orla.client.post(f"/api/v1/calc/{name}", content=json.dumps(plain), headers=headers)
                    self.assertIn(answer.status_code, (200, 422))
                    if answer.status_code == 422:
                        self.assertTrue(all(e["field"] and e["message"] for e in answer.json()["errors"]))
