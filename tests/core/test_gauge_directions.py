"""Directions as a gauge gives them, against the vectors that they are."""

import math
import random
import unittest

from elmpeg.core.base.vectors import cross, dot, norm, scale, unit
from elmpeg.core.calculators import CALCULATORS, Refused, answer
from elmpeg.core.methods.driveline.line_motion import Joint, driveline_motion
from elmpeg.core.methods.measuring.gauge_directions import WAYS, direction, off_names, readings_of, vector_of
from elmpeg.core.reckoning.earlier import in_todays_fields
from elmpeg.core.reckoning.fields import Variants, fields_of
from elmpeg.core.reckoning.reckon import reckon
from elmpeg.core.reckoning.typed import Sure, written


def any_way(draw):
    return unit((draw.gauss(0, 1), draw.gauss(0, 1), draw.gauss(0, 1)))


class Directions(unittest.TestCase):
    def test_there_and_back(self):
        draw = random.Random(3)
        for _ in range(300):
            there = any_way(draw)
            back = unit(vector_of(readings_of(there)))
            self.assertLess(norm(cross(there, back)), 1e-12)
            self.assertGreater(dot(there, back), 0)

    def test_as_the_conventions_read_it(self):
        """A slope is atan2(-z, x) in the side view, a turn atan2(y, x) in plan; tail down and tail to the right count up."""
        x, y, z = vector_of({"kind": "to_the_rear", "down_deg": 3.0, "right_deg": -7.0})
        self.assertAlmostEqual(math.degrees(math.atan2(-z, x)), 3.0)
        self.assertAlmostEqual(math.degrees(math.atan2(y, x)), -7.0)
        x, y, z = vector_of({"kind": "down", "rear_deg": 10.0})
        self.assertLess(z, 0)
        self.assertAlmostEqual(math.degrees(math.atan2(x, -z)), 10.0)
        self.assertEqual(y, 0)
        x, y, z = vector_of({"kind": "to_the_left", "down_deg": 5.0})
        self.assertLess(y, 0)
        self.assertLess(z, 0, "down is down, whichever way it points")

    def test_a_request_in_either_way_has_one_answer(self):
        draw = random.Random(5)
        line = CALCULATORS["driveline"].example
        for _ in range(20):
            axes = [unit((1.0, draw.uniform(-0.2, 0.2), draw.uniform(-0.3, 0.3))) for _ in range(2)]
            by_vector = answer("driveline", {**line, "input_axis": list(axes[0]), "output_axis": list(axes[1])})
            by_gauge = answer("driveline", {**line, "input_axis": readings_of(axes[0]), "output_axis": readings_of(axes[1])})
            for a, b in zip(by_vector["joints"], by_gauge["joints"], strict=True):
                self.assertAlmostEqual(a["angle_deg"], b["angle_deg"], 9)

    def test_belt_slot_by_its_slope(self):
        example = CALCULATORS["belt"].example
        slope = math.degrees(math.atan2(0.4, 1))
        by_vector = answer("belt", {**example, "slot": {**example["slot"], "direction": [1, 0.4]}})
        by_slope = answer("belt", {**example, "slot": {**example["slot"], "direction": slope}})
        self.assertAlmostEqual(by_vector["length_mm"], by_slope["length_mm"], 9)

    def test_no_reading_is_refused_by_its_field(self):
        example = CALCULATORS["driveline"].example
        for given, said in (
            ({"kind": "sideways"}, "which way"), ({"kind": "up", "down_deg": 1}, "readings"), ({"kind": "up", "rear_deg": 85}, "points most"),
            ({"kind": "up", "rear_deg": True}, "points most"), ([0, 0, 0], "needs a direction"),
        ):  # fmt: skip
            with self.subTest(given), self.assertRaises(Refused) as refused:
                answer("driveline", {**example, "input_axis": given})
            self.assertIn(said, refused.exception.errors[0].message)
            self.assertEqual(refused.exception.errors[0].field, "input_axis")


class Typed(unittest.TestCase):
    def test_too_far_off_is_said_beside_the_reading(self):
        typed = written(CALCULATORS["driveline"], CALCULATORS["driveline"].example, "mm") | {"input_axis.down_deg": "88"}
        done = reckon("driveline", typed)
        self.assertEqual([e.field for e in done.errors], ["input_axis.down_deg"])
        self.assertIn("points most", done.errors[0].message)

    def test_an_empty_reading_is_nought_and_no_surer_than_another(self):
        example = CALCULATORS["bracket"]
        typed = written(example, example.example, "mm")
        empty = {name: "" if name.endswith("_deg") else text for name, text in typed.items()}
        one, other = (reckon("bracket", some, "mm", Sure(1.0, 0.1)) for some in (typed, empty))
        self.assertEqual(one.main.value, other.main.value)
        self.assertGreater(one.main.doubt.sd, 0.05)
        self.assertAlmostEqual(one.main.doubt.sd, other.main.doubt.sd)

    def test_the_doubt_of_a_fold_is_that_of_both_gauges(self):
        """Two faces square to each other, each known to 0.1° in the plane of the fold: 0.1414°."""
        done = reckon("bracket", written(CALCULATORS["bracket"], CALCULATORS["bracket"].example, "mm"), "mm", Sure(0.0, 0.1))
        self.assertAlmostEqual(done.main.doubt.sd, math.hypot(0.1, 0.1), 3)

    def test_the_scatter_of_gauges_is_the_doubt_told(self):
        """The line reckoned a thousand times with its two gauges read at random."""
        calculator = CALCULATORS["driveline"]
        done = reckon("driveline", written(calculator, calculator.example, "mm"), "mm", Sure(0.0, 0.4))
        draw = random.Random(9)
        joints = tuple(Joint(j["id"], tuple(j["xyz_mm"]), j["kind"], None) for j in calculator.example["joints"])
        found = []
        for _ in range(1000):
            ends = [vector_of({"kind": "to_the_rear", "down_deg": draw.gauss(3, 0.4), "right_deg": draw.gauss(0, 0.4)}) for _ in range(2)]
            found.append(driveline_motion(3000, *ends, joints, (0.0,)).joints[0].angle_deg)
        mean = sum(found) / len(found)
        spread = math.sqrt(sum((f - mean) ** 2 for f in found) / (len(found) - 1))
        self.assertLess(abs(spread / done.main.doubt.sd - 1), 0.1)

    def test_every_direction_is_asked_by_its_way_first(self):
        met = 0
        for calculator in CALCULATORS.values():
            example = written(calculator, calculator.example, "mm")
            for node in (n for n in all_nodes(fields_of(calculator)) if isinstance(n, Variants) and n.direction):
                met += 1
                self.assertEqual({way for way, _ in node.variants}, set(WAYS))
                for way, leaves in node.variants:
                    self.assertEqual([leaf.path for leaf in leaves], [f"{node.path}.{name}" for name in off_names(way)])
            self.assertFalse([n for n in example if n.endswith(("axis.0", "axis.1", "axis.2", "normal.0", "direction.0"))])
        self.assertGreaterEqual(met, 9)


def all_nodes(nodes):
    for node in nodes:
        yield node
        if isinstance(node, Variants):
            for _, children in node.variants:
                yield from all_nodes(children)
        else:
            yield from all_nodes(getattr(node, "children", ()))


class KeptEarlier(unittest.TestCase):
    def test_a_vector_kept_earlier_answers_as_then(self):
        calculator = CALCULATORS["driveline"]
        today = written(calculator, calculator.example, "mm")
        rest = {n: t for n, t in today.items() if not n.startswith(("input_axis", "output_axis"))}
        draw = random.Random(8)
        for _ in range(10):
            axes = [scale(unit((1.0, draw.uniform(-0.2, 0.2), draw.uniform(-0.3, 0.3))), draw.uniform(0.2, 9)) for _ in range(2)]
            then = rest | {
                f"{name}.{k}": f"{axis[k]:.9f}" for name, axis in zip(("input_axis", "output_axis"), axes, strict=True) for k in range(3)
            }
            now = reckon("driveline", in_todays_fields(calculator, then))
            self.assertEqual(now.errors, ())
            by_vector = answer("driveline", {**now.request, "input_axis": list(axes[0]), "output_axis": list(axes[1])})
            self.assertAlmostEqual(now.main.value, by_vector["joints"][0]["angle_deg"], 6)
            self.assertEqual(direction(now.request["input_axis"])[0], 1.0)

    def test_what_was_no_direction_is_refused_and_still_there_to_be_read(self):
        calculator = CALCULATORS["driveline"]
        rest = {n: t for n, t in written(calculator, calculator.example, "mm").items() if not n.startswith("input_axis")}
        for parts in (("1", "straight", "0"), ("0", "0", "0")):
            now = in_todays_fields(calculator, rest | {f"input_axis.{k}": t for k, t in enumerate(parts)})
            self.assertEqual(now["input_axis.down_deg"], "; ".join(parts))
            self.assertEqual([e.field for e in reckon("driveline", now).errors], ["input_axis.down_deg"])

    def test_rows_and_slots(self):
        mounts = in_todays_fields(
            CALCULATORS["mounts"],
            {"mounts.0.seat.axis.0": "0", "mounts.0.seat.axis.1": "0", "mounts.0.seat.axis.2": "\u22121", "mounts.0.id": "left"},
        )
        self.assertEqual(mounts, {"mounts.0.id": "left", "mounts.0.seat.axis.kind": "down", "mounts.0.seat.axis.rear_deg": "0", "mounts.0.seat.axis.right_deg": "0"})  # fmt: skip
        belt = in_todays_fields(CALCULATORS["belt"], {"slot.direction.0": "1", "slot.direction.1": "1", "slot.id": "pump"})
        self.assertEqual(belt, {"slot.id": "pump", "slot.direction": "45"})
        self.assertEqual(in_todays_fields(CALCULATORS["tolerance"], {"parts.0.direction": "-1"}), {"parts.0.direction": "-1"})

    def test_what_stands_today_stays(self):
        for calculator in CALCULATORS.values():
            today = written(calculator, calculator.example, "mm")
            self.assertEqual(in_todays_fields(calculator, today), today)


if __name__ == "__main__":
    unittest.main()
