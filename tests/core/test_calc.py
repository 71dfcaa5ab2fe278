"""The calculators' contract, and the core's independence of everything above it."""

import io
import json
import unittest
from pathlib import Path
from typing import ClassVar

from elmpeg.cli import calc
from elmpeg.core.calculators import CALCULATORS, Refused, answer
from tests.effort import at_most

ROOT = Path(__file__).resolve().parents[2]
CASES = json.loads((ROOT / "tests/reference/calculations.json").read_text())


class Reference(unittest.TestCase):
    """Hand-worked cases; their derivations stand beside them in tests/reference."""

    def assert_matches(self, expected, actual, tolerance, path=""):
        if isinstance(expected, dict):
            for key, value in expected.items():
                self.assert_matches(value, actual[key], tolerance, f"{path}.{key}")
        elif isinstance(expected, list):
            self.assertGreaterEqual(len(actual), len(expected), path)
            for i, value in enumerate(expected):
                self.assert_matches(value, actual[i], tolerance, f"{path}[{i}]")
        elif isinstance(expected, bool) or not isinstance(expected, int | float):
            self.assertEqual(actual, expected, path)
        else:
            self.assertAlmostEqual(actual, expected, delta=tolerance, msg=path)

    def test_cases(self):
        for case in CASES:
            with self.subTest(case["name"]):
                if "refused" in case:
                    with self.assertRaises(Refused) as refused:
                        answer(case["calc"], case["request"])
                    self.assertIn(case["refused"], [e.field for e in refused.exception.errors])
                else:
                    self.assert_matches(case["expect"], answer(case["calc"], case["request"]), case["tolerance"])


class Refusals(unittest.TestCase):
    """A bad request is told which field and what would be accepted; never a traceback, never a hang."""

    good: ClassVar = {
        "measure": {"text": "1", "default_unit": "mm", "kind": "length"},
        "stack": {"gap_mm": 5, "tolerance_mm": 0.5, "stock": [{"id": "a", "mm": 5, "qty": 1}], "max_pieces": 3},
        "mounts": {"pose": dict.fromkeys(("x_mm", "y_mm", "z_mm", "roll_deg", "pitch_deg", "yaw_deg"), 0), "mounts": []},
        "driveline": {
            "rpm": 3000, "input_axis": [1, 0, 0], "output_axis": [1, 0, 0], "phases_deg": [0], "school": "three_degree",
            "joints": [{"id": "J1", "xyz_mm": [0, 0, 0], "kind": "cardan"}, {"id": "J2", "xyz_mm": [900, 0, -30], "kind": "cardan"}],
        },
    }  # fmt: skip

    def fields(self, name, request):
        with self.assertRaises(Refused) as refused:
            answer(name, request)
        for error in refused.exception.errors:
            self.assertTrue(error.message)
        return [e.field for e in refused.exception.errors]

    def test_good_ones_are_answered(self):
        for name, request in self.good.items():
            with self.subTest(name):
                self.assertTrue(answer(name, request))

    def test_unknown_missing_and_impossible_fields(self):
        for name, request in self.good.items():
            first = next(iter(request))
            with self.subTest(name):
                self.assertIn("colour", self.fields(name, {**request, "colour": "moss"}))
                self.assertIn(first, self.fields(name, {k: v for k, v in request.items() if k != first}))
        for value in (float("nan"), float("inf"), 100_001, "5", True, None, [5]):
            with self.subTest(value=value):
                self.assertEqual(self.fields("stack", {**self.good["stack"], "gap_mm": value}), ["gap_mm"])

    def test_nested_fields_are_named_by_their_path(self):
        joints = [*self.good["driveline"]["joints"][:1], {"id": "J2", "xyz_mm": [900, 0], "kind": "rubber"}]
        named = self.fields("driveline", {**self.good["driveline"], "joints": joints})
        self.assertIn("joints.1.kind", named)
        self.assertTrue(any(f.startswith("joints.1.xyz_mm") for f in named))

    def test_whatever_is_sent(self):
        for request in (None, 3, "text", [], {}, {"stock": "x" * 1000}):
            for name in CALCULATORS:
                with self.subTest(name, request=str(request)[:20]):
                    self.fields(name, request)
        self.assertEqual(self.fields("guess", {}), ["calc"])


class CommandLine(unittest.TestCase):
    """One line in, one line out; a bad line never stops the rest."""

    def run_lines(self, *lines):
        out = io.StringIO()
        code = calc(io.StringIO("\n".join(lines) + "\n"), out)
        return code, [json.loads(line) for line in out.getvalue().splitlines()]

    def test_bad_lines_between_good_ones(self):
        good = json.dumps({"calc": "measure", "request": {"text": "25.4", "default_unit": "mm", "kind": "length"}})
        bad = ["{", "[1]", '{"calc": 3, "request": {}}', '{"calc": "measure"}', '{"calc": "stack", "request": {"gap_mm": NaN}}', "[" * 5000]
        code, replies = self.run_lines(good, *bad, "", good)
        self.assertEqual(code, 2)
        self.assertEqual([r["ok"] for r in replies], [True, *[False] * len(bad), True])
        for reply in replies[1:-1]:
            self.assertTrue(all(set(e) == {"field", "message"} for e in reply["errors"]))

    def test_all_good(self):
        self.assertEqual(self.run_lines(json.dumps({"calc": "measure", "request": {"text": "2°", "kind": "angle"}}))[0], 0)

    def test_three_hundred_lines_are_little_work(self):
        line = json.dumps({"calc": "driveline", "request": Refusals.good["driveline"]})
        with at_most(self, cpu_s=10.0):
            self.run_lines(*[line] * 300)
