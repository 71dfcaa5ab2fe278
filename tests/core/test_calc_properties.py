"""Laws that every calculator obeys whatever the figures: moved with the frame, told in another order, spoiled field by field."""

import copy
import itertools
import json
import math
import random
import unittest

from elmpeg.core.calculators import CALCULATORS, Refused, answer

CUBE = {"A": [0, 0, 0], "B": [900, 40, 20], "C": [60, 700, -30], "D": [300, 250, 640]}
"""Four places that lie in no plane."""

ASKED = {
    "measure": {"text": "9 7/16", "default_unit": "in", "kind": "length"},
    "level": {"points_mm": [[0, -400, 300], [0, 400, 304], [2500, -400, 310], [2500, 400, 315]]},
    "locate": {
        "from": [{"id": k, "xyz_mm": v} for k, v in CUBE.items()],
        "distances": [{"from": k, "mm": math.dist(v, (420.0, 310.0, 150.0)), "sd_mm": 1.0} for k, v in CUBE.items()],
        "known": {"z": {"mm": 150.0, "sd_mm": 2.0}},
        "near_mm": [400, 300, 100],
    },
    "pose": {
        "pairs": [{"id": k, "local_mm": v, "measured_mm": [v[0] + 1, v[1] - 2, v[2] + 3]} for k, v in CUBE.items()],
        "tolerance_mm": 2.0,
    },
    "mounts": {
        "pose": {"x_mm": 340, "y_mm": 5, "z_mm": 600, "roll_deg": 1, "pitch_deg": -3, "yaw_deg": 2},
        "mounts": [
            {
                "id": "A", "bolt_mm": 12, "component": {"point_mm": [0, -230, -80], "axis": [0, 0, 1], "hole_mm": 13},
                "seat": {"point_mm": [341, -229, 480], "axis": [0, 0.1, 1], "hole_mm": 14},
            }
        ],
    },
    "stack": {"gap_mm": 31, "tolerance_mm": 0.5, "stock": [{"id": "a", "mm": 5, "qty": 4}, {"id": "b", "mm": 7, "qty": 3}], "max_pieces": 5},
    "bolt": {
        "thread": "M10", "layers_mm": [8, 25, 6], "washers_mm": [2, 2], "end": {"kind": "nut", "height_mm": 8.4},
        "stock_lengths_mm": [50, 55, 60, 65],
    },
    "pattern": {
        "holes": [{"id": k, "x_mm": x, "y_mm": y, "hole_mm": 11} for k, x, y in (("p", 0, 0), ("q", 90, 10), ("r", 30, 70))],
        "studs": [{"id": k, "x_mm": x, "y_mm": y, "bolt_mm": 10} for k, x, y in (("1", 0, 0), ("2", 90.3, 10), ("3", 30, 70.2))],
        "pairs": [["p", "1"], ["q", "2"], ["r", "3"]], "allow_rotation": True, "allow_mirror": False,
    },
    "driveline": {
        "rpm": 3000, "input_axis": [1, 0, 0], "output_axis": [1, 0, 0.02], "phases_deg": [0], "school": "three_degree",
        "joints": [{"id": "J1", "xyz_mm": [0, 0, 500], "kind": "cardan"}, {"id": "J2", "xyz_mm": [1300, 20, 440], "kind": "cardan"}],
    },
    "shaft": {
        "length_mm": 1300, "od_mm": 76, "wall_mm": 2, "material": "steel", "margin": 0.7,
        "road": {"speed_kmh": 120, "tyre_diameter_mm": 640, "axle_ratio": 3.9},
    },
    "wedge": {"kind": "perch", "length_mm": 60, "angle_deg": 4},
    "tolerance": {
        "parts": [
            {"id": "a", "mm": 40, "plus_mm": 0.2, "minus_mm": 0.1, "direction": 1},
            {"id": "b", "mm": 12, "plus_mm": 0.05, "minus_mm": 0.05, "direction": -1},
        ]
    },
}  # fmt: skip
ASKED["travel"] = {
    "driveline": ASKED["driveline"],
    "travel": {"kind": "swing", "axle_centre_mm": [1400, 0, 300], "pivot_mm": [700, 380], "steps_mm": [-80, 0, 80]},
}


ASKED |= {name: dict(c.example) for name, c in CALCULATORS.items() if name not in ASKED}

SLOW = {"locate": 1, "pattern": 1, "pose": 2, "driveline": 3, "travel": 3}
"""Many figures to a question, or a search behind it."""


def leaves(value, path=()):
    """Every place in a request that holds a single value."""
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from leaves(inner, (*path, key))
    elif isinstance(value, list):
        for k, inner in enumerate(value):
            yield from leaves(inner, (*path, k))
    else:
        yield path, value


def with_leaf(request, path, value):
    spoiled = copy.deepcopy(request)
    inner = spoiled
    for step in path[:-1]:
        inner = inner[step]
    inner[path[-1]] = value
    return spoiled


class Spoiled(unittest.TestCase):
    """Each field of each calculator, spoiled one at a time."""

    def test_there_is_a_question_for_every_calculator_and_it_is_answered_the_same_twice(self):
        self.assertEqual(set(ASKED), set(CALCULATORS))
        for name, request in ASKED.items():
            with self.subTest(name):
                try:
                    first = json.dumps(answer(name, request), allow_nan=False, sort_keys=True)
                except Refused as refused:
                    self.fail(f"{name}: {refused}")
                self.assertEqual(first, json.dumps(answer(name, request), sort_keys=True))

    def test_no_figure_at_all_is_refused_by_the_fields_own_name(self):
        for name, request in ASKED.items():
            for path, value in leaves(request):
                if isinstance(value, bool | str):
                    continue
                for nothing in (float("nan"), "seven", {}):
                    with self.subTest(name, path=path, nothing=nothing), self.assertRaises(Refused) as refused:
                        answer(name, with_leaf(request, path, nothing))
                    named = [e.field for e in refused.exception.errors]
                    self.assertTrue(any(f.split(".")[0] == path[0] for f in named), f"{name}: {path} was told as {named}")

    def test_figures_beyond_reason_are_answered_or_refused_and_never_crash(self):
        wild_ones = itertools.cycle((0, -1, 1e-9, -1e5, 1e5, 1e300, -1.7e308))
        answered = refused = 0
        for name, request in ASKED.items():
            for path, value in leaves(request):
                if isinstance(value, bool | str):
                    continue
                for wild in itertools.islice(wild_ones, SLOW.get(name, 7)):
                    with self.subTest(name, path=path, wild=wild):
                        try:
                            json.dumps(answer(name, with_leaf(request, path, wild)), allow_nan=False)
                            answered += 1
                        except Refused as told:
                            self.assertTrue(all(e.message for e in told.errors))
                            refused += 1
        self.assertGreater(answered, 100)
        self.assertGreater(refused, 50)

    def test_an_axis_may_have_any_length_but_must_have_a_direction(self):
        asked = ASKED["driveline"]
        here = answer("driveline", asked)
        for long in (1e-3, 7.0, 1e300):
            there = answer("driveline", {**asked, "input_axis": [long, 0, 0]})
            self.assertEqual(there["joints"], here["joints"], long)
        for none in ([0, 0, 0], [1.7e308, 1.7e308, 1.7e308], [1e-300, 0, 0]):
            with self.subTest(none), self.assertRaises(Refused) as refused:
                answer("driveline", {**asked, "input_axis": none})
            self.assertEqual([e.field for e in refused.exception.errors], ["input_axis"])

    def test_one_tape_a_thousand_million_times_as_good_as_the_others(self):
        tapes = [{**d, "sd_mm": 1e-9 if k == 2 else 1.0} for k, d in enumerate(ASKED["locate"]["distances"])]
        found = answer("locate", {**ASKED["locate"], "distances": tapes})
        self.assertTrue(all(0 <= v < 2 for v in found["sd_mm"]))
        for a, b in zip(found["xyz_mm"], (420.0, 310.0, 150.0), strict=True):
            self.assertAlmostEqual(a, b, places=3)


class Moved(unittest.TestCase):
    """A question asked in another place has the same answer there."""

    by = (1250.0, -340.0, 75.0)

    def shifted(self, xyz):
        return [a + b for a, b in zip(xyz, self.by, strict=True)]

    def turned(self, xyz, deg=90):
        c, s = math.cos(math.radians(deg)), math.sin(math.radians(deg))
        return [c * xyz[0] - s * xyz[1], s * xyz[0] + c * xyz[1], xyz[2]]

    def test_a_taped_point(self):
        asked = {k: v for k, v in ASKED["locate"].items() if k != "known"}
        here = answer("locate", asked)
        for move in (self.shifted, self.turned):
            there = answer("locate", {
                **asked, "near_mm": move(asked["near_mm"]), "from": [{**r, "xyz_mm": move(r["xyz_mm"])} for r in asked["from"]],
            })  # fmt: skip
            for a, b in zip(move(here["xyz_mm"]), there["xyz_mm"], strict=True):
                self.assertAlmostEqual(a, b, places=4)
            self.assertEqual(here["status"], there["status"])

    def test_the_order_of_tapes_does_not_matter(self):
        asked = ASKED["locate"]
        here = answer("locate", asked)
        back = answer("locate", {**asked, "from": asked["from"][::-1], "distances": asked["distances"][::-1]})
        for a, b in zip(here["xyz_mm"] + here["sd_mm"], back["xyz_mm"] + back["sd_mm"], strict=True):
            self.assertAlmostEqual(a, b, places=5)

    def test_a_part(self):
        asked = ASKED["pose"]
        here = answer("pose", asked)
        there = answer("pose", {**asked, "pairs": [{**p, "measured_mm": self.shifted(p["measured_mm"])} for p in asked["pairs"]]})
        for k, axis in enumerate("xyz"):
            self.assertAlmostEqual(here["pose"][f"{axis}_mm"] + self.by[k], there["pose"][f"{axis}_mm"], places=6)
        for angle in ("roll_deg", "pitch_deg", "yaw_deg"):
            self.assertAlmostEqual(here["pose"][angle], there["pose"][angle], places=6)

    def test_heights_all_raised_alike_tilt_nothing(self):
        points = ASKED["level"]["points_mm"]
        here, there = (answer("level", {"points_mm": p}) for p in (points, [[x, y, z + 55] for x, y, z in points]))
        self.assertAlmostEqual(here["pitch_deg"], there["pitch_deg"], places=9)
        self.assertAlmostEqual(here["roll_deg"], there["roll_deg"], places=9)
        self.assertAlmostEqual(here["height_at_origin_mm"] + 55, there["height_at_origin_mm"], places=6)

    def test_a_pattern_wherever_its_studs_stand(self):
        asked = ASKED["pattern"]
        here = answer("pattern", asked)
        for deg in (0, 33, 90, 171):
            studs = []
            for s in asked["studs"]:
                x, y, _ = self.turned((s["x_mm"], s["y_mm"], 0), deg)
                studs.append({**s, "x_mm": x + 412.0, "y_mm": y - 88.0})
            there = answer("pattern", {**asked, "studs": studs})
            self.assertEqual(there["drop_in"], here["drop_in"])
            for a, b in zip(here["pairs"], there["pairs"], strict=True):
                self.assertAlmostEqual(a["miss_mm"], b["miss_mm"], places=4)

    def test_a_driveline_turned_about_the_vertical(self):
        asked = ASKED["driveline"]
        here = answer("driveline", asked)
        there = answer("driveline", {
            **asked, "joints": [{**j, "xyz_mm": self.turned(j["xyz_mm"], 40)} for j in asked["joints"]],
            "input_axis": self.turned(asked["input_axis"], 40), "output_axis": self.turned(asked["output_axis"], 40),
        })  # fmt: skip
        for a, b in zip(here["joints"], there["joints"], strict=True):
            self.assertAlmostEqual(a["angle_deg"], b["angle_deg"], places=6)


class Scaled(unittest.TestCase):
    """Laws of similarity, each from its own formula."""

    def test_a_shaft_twice_as_long_is_critical_at_a_quarter(self):
        short, long = (answer("shaft", {**ASKED["shaft"], "length_mm": v}) for v in (900, 1800))
        self.assertAlmostEqual(short["critical_rpm"] / long["critical_rpm"], 4.0, places=9)
        self.assertAlmostEqual(long["mass_kg"] / short["mass_kg"], 2.0, places=9)
        self.assertAlmostEqual(short["safe_rpm"], 0.7 * short["critical_rpm"], places=9)

    def test_speed_and_revolutions_on_the_road_are_one_line(self):
        slow, fast = (answer("shaft", {**ASKED["shaft"], "road": {**ASKED["shaft"]["road"], "speed_kmh": v}}) for v in (60, 120))
        self.assertAlmostEqual(fast["rpm_at_speed"], 2 * slow["rpm_at_speed"], places=9)
        self.assertAlmostEqual(fast["speed_at_safe_kmh"], slow["speed_at_safe_kmh"], places=9)
        # One turn of the wheel is one circumference.
        wheel = 60_000_000 / 60 / (math.pi * 640)
        self.assertAlmostEqual(slow["rpm_at_speed"], wheel * 3.9, delta=0.01 * wheel)

    def test_a_wedge_is_a_right_triangle(self):
        for deg in (-30, 0, 2.5, 45):
            self.assertAlmostEqual(
                answer("wedge", {"kind": "perch", "length_mm": 60, "angle_deg": deg})["rise_mm"], 60 * math.tan(math.radians(deg))
            )

    def test_a_thicker_layer_asks_for_a_bolt_longer_by_as_much(self):
        asked = {k: v for k, v in ASKED["bolt"].items() if k != "stock_lengths_mm"}
        for more in (0.5, 3, 40):
            thin, thick = (answer("bolt", {**asked, "layers_mm": v}) for v in ([8, 25, 6], [8 + more, 25, 6]))
            for key in ("grip_mm", "min_length_mm"):
                self.assertAlmostEqual(thick[key] - thin[key], more, places=9)
            shuffled = answer("bolt", {**asked, "layers_mm": [25, 6, 8 + more]})
            self.assertEqual(shuffled["grip_mm"], thick["grip_mm"])

    def test_chains_add_up_and_the_likely_band_lies_within_the_worst(self):
        draw = random.Random(5)
        for _ in range(100):
            parts = [
                {"id": str(k), "mm": draw.uniform(1, 90), "plus_mm": draw.uniform(0, 1), "minus_mm": draw.uniform(0, 1), "direction": draw.choice((1, -1))}
                for k in range(draw.randint(1, 9))
            ]  # fmt: skip
            found = answer("tolerance", {"parts": parts})
            self.assertAlmostEqual(found["nominal_mm"], sum(p["mm"] * p["direction"] for p in parts), places=9)
            up = sum(p["plus_mm"] if p["direction"] > 0 else p["minus_mm"] for p in parts)
            self.assertAlmostEqual(found["worst_max_mm"] - found["nominal_mm"], up, places=9)
            self.assertLessEqual(2 * found["rss_half_mm"], found["worst_max_mm"] - found["worst_min_mm"] + 1e-9)
            self.assertAlmostEqual(found["rss_centre_mm"], (found["worst_max_mm"] + found["worst_min_mm"]) / 2, places=9)
            flipped = answer("tolerance", {"parts": [{**p, "direction": -p["direction"]} for p in parts]})
            self.assertAlmostEqual(flipped["worst_min_mm"], -found["worst_max_mm"], places=9)

    def test_a_stack_never_takes_what_is_not_there_and_order_on_the_shelf_is_nothing(self):
        draw = random.Random(9)
        for _ in range(30):
            stock = [{"id": f"k{k}", "mm": round(draw.uniform(0.5, 20), 2), "qty": draw.randint(0, 4)} for k in range(draw.randint(1, 8))]
            asked = {"gap_mm": round(draw.uniform(1, 60), 2), "tolerance_mm": 0.4, "stock": stock, "max_pieces": draw.randint(1, 6)}
            options = answer("stack", asked)["options"]
            for option in options:
                have = {s["id"]: s for s in stock}
                self.assertTrue(all(0 < p["count"] <= have[p["id"]]["qty"] for p in option["pieces"]))
                self.assertLessEqual(option["count"], asked["max_pieces"])
                total = sum(p["count"] * have[p["id"]]["mm"] for p in option["pieces"])
                self.assertAlmostEqual(option["total_mm"], total, places=9)
                self.assertAlmostEqual(option["error_mm"], total - asked["gap_mm"], places=9)
            again = answer("stack", {**asked, "stock": stock[::-1]})["options"]
            self.assertEqual([o["total_mm"] for o in again], [o["total_mm"] for o in options])


class AskedOtherwise(unittest.TestCase):
    """The same question put another way has the same answer."""

    def test_a_height_of_four_links_does_not_depend_on_the_others_asked_with_it(self):
        travel = {
            "kind": "four_link", "axle_centre_mm": [1460, 0, -140], "upper": {"frame_mm": [820, -20], "axle_mm": [1420, -60]},
            "lower": {"frame_mm": [760, -190], "axle_mm": [1450, -230]},
        }  # fmt: skip
        line = CALCULATORS["driveline"].example

        def asked(*steps):
            return answer("travel", {"driveline": line, "travel": {**travel, "steps_mm": list(steps)}})["steps"]

        together = asked(-95, -33, 0, 7, 12.5, 41, 60, 88.8)
        for step in together:
            self.assertEqual(asked(step["step_mm"])[0], step)

    def test_tapes_of_very_unequal_doubt_are_settled_where_the_squares_are_least(self):
        """From a thousandth to fifty millimetres: no step in any direction makes the weighted squares less."""
        rng = random.Random(9)
        for _ in range(25):
            places = [[rng.uniform(-1500, 1500) for _ in range(3)] for _ in range(rng.choice((4, 5)))]
            point = [rng.uniform(-800, 800) for _ in range(3)]
            sds = [10 ** rng.uniform(-3, 1.7) for _ in places]
            tapes = [max(1.0, math.dist(p, point) + rng.gauss(0, sd)) for p, sd in zip(places, sds, strict=True)]
            found = answer("locate", {
                "from": [{"id": f"t{k}", "xyz_mm": p} for k, p in enumerate(places)], "near_mm": point,
                "distances": [{"from": f"t{k}", "mm": mm, "sd_mm": sd} for k, (mm, sd) in enumerate(zip(tapes, sds, strict=True))],
            })  # fmt: skip

            def squares(xyz, places=places, tapes=tapes, sds=sds):
                return sum(((mm - math.dist(p, xyz)) / sd) ** 2 for p, mm, sd in zip(places, tapes, sds, strict=True))

            best = squares(found["xyz_mm"])
            for size in (0.01, 0.3, 5.0):
                for _ in range(30):
                    other = [v + rng.gauss(0, size) for v in found["xyz_mm"]]
                    self.assertGreaterEqual(squares(other), best - 1e-6 * (1 + best))

    def test_two_tapes_from_one_point_both_leave_something_over(self):
        asked = {**ASKED["locate"], "distances": [*ASKED["locate"]["distances"], {"from": "A", "mm": 560.0, "sd_mm": 1.0}]}
        left = answer("locate", asked)["residuals_mm"]
        self.assertEqual(len(left), len(asked["distances"]) + len(asked["known"]))
        self.assertAlmostEqual(left["A (2)"] - left["A"], 560.0 - ASKED["locate"]["distances"][0]["mm"], places=6)
