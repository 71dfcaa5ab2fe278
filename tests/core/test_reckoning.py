"""What is typed for a calculation, the doubt of its answer against shaken figures, and finding it by the trade's words."""

import copy
import json
import math
import random
import unittest
from dataclasses import replace

import numpy as np

from elmpeg.core.build.document import Stage
from elmpeg.core.calculators import CALCULATORS, Refused, answer
from elmpeg.core.reckoning.doubt import Doubt, From, doubts
from elmpeg.core.reckoning.fields import FIGURES, MOST_ROWS, fields_of, leaves, rows_typed
from elmpeg.core.reckoning.finding import found
from elmpeg.core.reckoning.reckon import answered, reckon
from elmpeg.core.reckoning.typed import Sure, asked, written

TAPE = Sure(1.0, 0.2)


def plain(value):
    """JSON values with every number as a float, so that 5 and 5.0 are one."""
    return json.loads(json.dumps(value), parse_int=float)


class EveryCalculator(unittest.TestCase):
    """What a further calculator has to bring, held for all of them by going over the list."""

    def test_each_is_described_and_its_example_is_answered(self):
        for name, c in CALCULATORS.items():
            with self.subTest(name):
                self.assertIn(c.stage, Stage.__args__)
                for text in (c.title, c.formula, c.source, c.not_told):
                    self.assertGreater(len(text), 4)
                self.assertGreaterEqual(len(c.words), 4)
                done = answered(c, dict(c.example), {})
                self.assertEqual(done.errors, ())
                self.assertIsNotNone(done.main)

    def test_what_is_typed_comes_to_the_request_it_was_written_from_in_both_units(self):
        for name, c in CALCULATORS.items():
            for unit in ("mm", "in"):
                with self.subTest(name, unit=unit):
                    read = asked(c, written(c, c.example, unit), unit)
                    self.assertEqual(read.errors, [])
                    for path, value in flattened(plain(c.example)).items():
                        got = flattened(plain(read.request)).get(path)
                        if isinstance(value, float):
                            self.assertAlmostEqual(got, value, delta=0.003, msg=path)
                        else:
                            self.assertEqual(got, value, path)

    def test_every_label_and_hint_belongs_to_a_field(self):
        """A label for a field that is called otherwise would never be seen."""
        for name, c in CALCULATORS.items():
            known = set()

            def look(nodes, known=known):
                for node in nodes:
                    known.add(".".join(p for p in node.path.split(".") if p != "*"))
                    look(getattr(node, "children", ()))
                    for _, some in getattr(node, "variants", ()):
                        look(some)

            look(fields_of(c))
            self.assertLessEqual(set(c.labels) | set(c.hints), known, name)

    def test_a_field_left_empty_or_wrong_is_refused_by_its_own_name(self):
        for name, c in CALCULATORS.items():
            typed = written(c, c.example, "mm")
            for leaf in leaves(fields_of(c)):
                if leaf.kind not in FIGURES or not leaf.needed or "*" in leaf.path or leaf.path not in typed:
                    continue
                for text in ("", "seven"):
                    with self.subTest(name, field=leaf.path, text=text):
                        done = reckon(name, {**typed, leaf.path: text})
                        top = leaf.path.split(".")[0]
                        if not done.errors:
                            self.assertEqual(text, "", "only what is left empty may stand for nothing")
                        else:
                            self.assertTrue(any(e.field.split(".")[0] == top for e in done.errors), done.errors)

    def test_nothing_typed_at_all_answers_nothing_and_says_what_is_missing(self):
        for name in CALCULATORS:
            done = reckon(name, {})
            with self.subTest(name):
                self.assertTrue(done.errors)
                self.assertEqual(done.answers, ())


def flattened(value, path=""):
    if isinstance(value, dict):
        return {k: v for key, inner in value.items() for k, v in flattened(inner, f"{path}.{key}" if path else key).items()}
    if isinstance(value, list):
        return {k: v for n, inner in enumerate(value) for k, v in flattened(inner, f"{path}.{n}").items()}
    return {path: value}


class Typing(unittest.TestCase):
    rod = CALCULATORS["rod"]

    def test_fractions_feet_and_minutes_and_a_doubt_behind_them(self):
        typed = {**written(self.rod, self.rod.example, "in"), "centre_mm": "1 ft 2 3/16 ± 1/16"}
        read = asked(self.rod, typed, "in", Sure(0.5))
        self.assertAlmostEqual(read.request["centre_mm"], 14.1875 * 25.4)
        self.assertAlmostEqual(read.sds[("centre_mm",)], 25.4 / 16)
        self.assertEqual(read.sds[("ends", 0, "body_mm")], 0.5)
        self.assertNotIn(("ends", 0, "min_engage_mm"), read.sds, "what is chosen is not in doubt")
        cope = CALCULATORS["cope"]
        self.assertAlmostEqual(asked(cope, {**written(cope, cope.example, "mm"), "angle_deg": "59° 30'"}, "mm").request["angle_deg"], 59.5)

    def test_a_row_left_empty_is_none_and_refusals_still_find_their_row(self):
        belt = CALCULATORS["belt"]
        typed = written(belt, {**belt.example, "slot": None}, "mm")
        moved = {n.replace("pulleys.3", "pulleys.4").replace("pulleys.2", "pulleys.3"): t for n, t in typed.items()}
        self.assertEqual(rows_typed("pulleys", moved), 5)
        read = asked(belt, moved, "mm", TAPE)
        self.assertEqual(len(read.request["pulleys"]), 4)
        self.assertIn(("pulleys", 3, "x_mm"), read.sds)
        self.assertNotIn(("pulleys", 4, "x_mm"), read.sds)
        wrong = reckon("belt", {**moved, "pulleys.4.d_mm": "-5"})
        self.assertIn("pulleys.4.d_mm", [e.field for e in wrong.errors])

    def test_a_row_of_the_thousand_millionth_is_not_waited_for(self):
        belt = CALCULATORS["belt"]
        typed = {**written(belt, belt.example, "mm"), "pulleys.999999999.x_mm": "5", "pulleys.1e9.x_mm": "5"}
        self.assertEqual(rows_typed("pulleys", typed), MOST_ROWS)
        self.assertEqual(len(asked(belt, typed, "mm").request["pulleys"]), 4)

    def test_an_optional_group_is_there_only_when_something_stands_in_it(self):
        weight = CALCULATORS["weight"]
        typed = written(weight, weight.example, "mm")
        self.assertNotIn("tilt", asked(weight, typed, "mm").request)
        self.assertEqual(asked(weight, {**typed, "tilt.raised_mm": "420"}, "mm").errors[0].field, "tilt.front_kg_raised")
        without = {n: t for n, t in typed.items() if not n.startswith("springs")}
        self.assertNotIn("springs", asked(weight, without, "mm").request)


class Doubts(unittest.TestCase):
    def shaken(self, calculator, request, sds, count=1500):
        """Answers to the question with every doubtful figure scattered at once."""
        rng = random.Random(20)
        found: dict[str, list[float]] = {}
        for _ in range(count):
            other = copy.deepcopy(request)
            for path, sd in sds.items():
                inner = other
                for step in path[:-1]:
                    inner = inner[step]
                inner[path[-1]] += rng.gauss(0, sd)
            try:
                done = answered(calculator, other, {})
            except Refused:
                continue
            for told in done.answers:
                if told.is_figure:
                    found.setdefault(told.path, []).append(told.value)
        return {path: float(np.std(values)) for path, values in found.items()}

    def test_the_doubt_told_is_the_scatter_of_shaken_figures(self):
        """For every calculator that is quick enough to shake."""
        for name in (
            "rod",
            "bar",
            "route",
            "ride",
            "ubolt",
            "shock",
            "weight",
            "flat",
            "cope",
            "shaft",
            "wedge",
            "travel",
            "level",
            "linkage",
        ):
            c = CALCULATORS[name]
            read = asked(c, written(c, c.example, "mm"), "mm", Sure(0.4, 0.1))
            request = plain_request(c, read.request)
            done = answered(c, request, read.sds)
            scatter = self.shaken(c, request, read.sds, 300 if name in ("linkage", "cope", "travel") else 700)
            for told in done.answers:
                if not told.is_figure or told.path not in scatter or told.unit == "count":
                    continue
                # Sizes near zero and figures off a shelf do not scatter as a normal figure does; they are told otherwise.
                if scatter[told.path] < 1e-9 or abs(told.value) < 3 * scatter[told.path] or told.path == "length_mm":
                    continue
                with self.subTest(name, answer=told.label):
                    self.assertGreater(told.doubt.sd, 0.8 * scatter[told.path])
                    self.assertLess(told.doubt.sd, 1.25 * scatter[told.path])

    def test_a_line_and_a_square_are_exact_and_a_size_near_nothing_is_not_told_as_certain(self):
        def near(request):
            x, y = request["x"], request["y"]
            return {"line": 3 * x - y, "square": x * x, "size": math.hypot(x, y)}

        found = doubts(
            {"x": 0.0, "y": 0.0}, {("x",): 0.5, ("y",): 0.2}, near({"x": 0.0, "y": 0.0}), lambda asked: [near(one) for one in asked]
        )
        self.assertAlmostEqual(found["line"].sd, math.hypot(1.5, 0.2))
        self.assertAlmostEqual(found["square"].sd, math.sqrt(2) * 0.25)
        self.assertGreater(found["size"].sd, 0.3)

    def test_a_figure_whose_doubt_reaches_to_where_nothing_can_be_judged_is_told_and_stops_nothing(self):
        c = CALCULATORS["rod"]
        first = answered(c, c.example, {}).result

        def limits(request, result):
            if result != first:
                raise ValueError("there is no limit here")
            return c.limits(request, result)

        done = answered(replace(c, limits=limits, near=None), c.example, {("centre_mm",): 0.5})
        self.assertIsNotNone(done.result)
        self.assertEqual(done.main.doubt.beyond, (("centre_mm",),))

    def test_shapes_that_cannot_matter_are_left_out_and_nothing_changes(self):
        c = CALCULATORS["clearance"]

        def boxes(x, count):
            return [
                {"id": f"b{k}", "kind": "box", "centre_mm": [x + 10 * k, 300 * k, 40 * k], "size_mm": [80, 90 + k, 100]}
                for k in range(count)
            ]

        request = {**c.example, "a": {"solids": boxes(0, 6)}, "b": {"solids": boxes(400, 6)}}
        sds = {("a", "solids", k, "centre_mm", axis): 0.5 for k in range(6) for axis in range(3)}
        quick, whole = (answered(one, request, sds) for one in (c, replace(c, bears=None)))
        self.assertGreater(quick.main.doubt.sd, 0.1)
        for few, every in zip(quick.answers, whole.answers, strict=True):
            self.assertAlmostEqual(few.doubt.sd, every.doubt.sd, places=12)
        asked = c.bears(c.request.model_validate(request, strict=False), quick.result)
        self.assertLess(sum(asked(path) for path in sds), len(sds) / 1.5)

    def test_the_figure_it_comes_from_and_how_much_better_it_would_have_to_be(self):
        """Known as well as is said, the answer's doubt is what was wanted."""
        c = CALCULATORS["rod"]
        typed = {**written(c, c.example, "mm"), "centre_mm": "250 ± 2"}
        done = reckon("rod", typed, "mm", Sure(0.1))
        lead = done.main.doubt.lead
        self.assertEqual(lead.path, ("centre_mm",))
        wanted = done.main.doubt.sd / 2
        better = reckon("rod", {**typed, "centre_mm": f"250 ± {done.main.doubt.lead_needed(wanted)}"}, "mm", Sure(0.1))
        self.assertAlmostEqual(better.main.doubt.sd, wanted, places=6)
        self.assertIsNone(done.main.doubt.lead_needed(done.main.doubt.without_lead() * 0.9))

    def test_a_check_holds_only_when_it_is_sure_to(self):
        """97.5 % sure is two doubts inside; and known as well as is said it holds."""
        c = CALCULATORS["shock"]
        typed = written(c, c.example, "mm")
        for closed, verdict in (("415 ± 0.5", "holds"), ("416.5 ± 2", "near"), ("425", "fails")):
            done = reckon("shock", {**typed, "compressed_mm": closed}, "mm")
            check = next(j for j in done.checks if j.limit.id == "up")
            self.assertEqual(check.verdict, verdict, closed)
            if verdict == "near":
                told = reckon("shock", {**typed, "compressed_mm": f"416.5 ± {check.needed - 1e-9}"}, "mm")
                self.assertEqual(next(j for j in told.checks if j.limit.id == "up").verdict, "holds")

    def test_figures_that_reach_where_there_is_no_answer_are_named(self):
        c = CALCULATORS["rod"]
        typed = {**written(c, c.example, "mm"), "centre_mm": "54 ± 2"}
        self.assertEqual(reckon("rod", typed).main.doubt.beyond, (("centre_mm",),))

    def test_no_doubt_without_a_doubtful_figure(self):
        self.assertEqual(Doubt(0.0, ()).lead, None)
        self.assertEqual(Doubt(5.0, (From(("x",), 4.0, 1.0), From(("y",), 3.0, 1.0))).without_lead(), 3.0)
        c = CALCULATORS["rod"]
        self.assertEqual(reckon("rod", written(c, c.example, "mm")).main.doubt.sd, 0.0)


def plain_request(calculator, request):
    """A request whose figures are floats, so that they can be shaken."""

    def floats(value, name=""):
        if isinstance(value, dict):
            return {k: floats(v, k) for k, v in value.items()}
        if isinstance(value, list):
            return [floats(v, name) for v in value]
        return (
            float(value) if isinstance(value, int) and not isinstance(value, bool) and name not in ("steps", "qty", "max_pieces") else value
        )

    return floats(request)


class Remedies(unittest.TestCase):
    def test_a_shock_moved_by_what_is_said_has_the_room_it_lacked(self):
        c = CALCULATORS["shock"]
        for change, limit in (({"compressed_mm": 430.0}, "up"), ({"extended_mm": 620.0}, "down")):
            request = {**plain_request(c, dict(c.example)), **change}
            done = answered(c, request, {})
            check = next(j for j in done.checks if j.limit.id == limit)
            self.assertEqual(check.verdict, "fails")
            by = check.mend.quantities[0].value * (1 if limit == "up" else -1)
            upper, lower = np.array(request["upper_mm"]), np.array(request["lower_mm"])
            along = (upper - lower) / np.linalg.norm(upper - lower)
            again = answered(c, {**request, "upper_mm": list(upper + by * along)}, {})
            self.assertEqual(next(j for j in again.checks if j.limit.id == limit).verdict, "holds")

    def test_stops_for_the_pedal_keep_the_driven_lever_within_its_own(self):
        c = CALCULATORS["linkage"]
        request = copy.deepcopy(plain_request(c, dict(c.example)))
        request["driven"].update(from_deg=-10.0, to_deg=15.0)
        done = answered(c, request, {})
        check = next(j for j in done.checks if j.limit.id == "over")
        self.assertEqual(check.verdict, "fails")
        request["drive"].update(from_deg=check.mend.quantities[0].value, to_deg=check.mend.quantities[1].value)
        self.assertEqual(next(j for j in answered(c, request, {}).checks if j.limit.id == "over").verdict, "holds")

    def test_ends_with_that_much_more_thread_adjust_enough(self):
        c = CALCULATORS["rod"]
        request = copy.deepcopy(plain_request(c, dict(c.example)))
        for end in request["ends"]:
            end.update(thread_mm=10.0, min_engage_mm=9.0)
        check = answered(c, request, {}).checks[0]
        self.assertEqual(check.verdict, "fails")
        request["ends"][0]["thread_mm"] += check.mend.quantities[0].value
        self.assertEqual(answered(c, request, {}).checks[0].verdict, "holds")

    def test_a_run_lengthened_by_what_is_said_has_room(self):
        c = CALCULATORS["route"]
        request = {"points_mm": [[0.0, 0, 0], [60.0, 0, 0], [60.0, 60.0, 0], [300.0, 60.0, 0]], "bend_radius_mm": 40.0}
        check = answered(c, request, {}).checks[0]
        self.assertEqual(check.verdict, "fails")
        by = check.mend.quantities[0].value
        longer = {**request, "points_mm": [request["points_mm"][0], request["points_mm"][1], [60.0, 60.0 + by, 0], [300.0, 60.0 + by, 0]]}
        self.assertEqual(answered(c, longer, {}).checks[0].verdict, "holds")

    def test_bodies_moved_apart_by_what_is_said_have_room_all_the_way(self):
        c = CALCULATORS["clearance"]
        for bumper in ([150.0, 0, -545.0], [200.0, 0, -480.0]):
            request = copy.deepcopy(plain_request(c, dict(c.example)))
            request["b"]["solids"][0]["centre_mm"] = bumper
            done = answered(c, request, {})
            check = done.checks[0]
            self.assertEqual(check.verdict, "fails", done.main.value)
            x, y, z = (q.value for q in check.mend.quantities)
            request["b"]["solids"][0]["centre_mm"] = [bumper[0] + x, bumper[1] + y, bumper[2] + z]
            self.assertEqual(answered(c, request, {}).checks[0].verdict, "holds")


QUESTIONS = {
    "how far does my pedal open the throttle": "linkage",
    "how long do I cut the rod": "rod",
    "bump steer with the panhard": "bar",
    "belt length from a cord": "belt",
    "length of a brake hose": "route",
    "what does lowering do at the sill": "ride",
    "u bolts for two inch blocks": "ubolt",
    "does the shock bottom at bump": "shock",
    "spring for a heavier pack": "weight",
    "where does the bend line go": "flat",
    "hole to bend on a bracket": "bracket",
    "notch a tube": "cope",
    "is my print full size": "scale",
    "outline from a photo": "rectify",
    "can it go in backwards": "one_way",
    "which seam first so it does not warp": "weld_order",
    "how many days will it take": "plan",
    "will the tailgate hit the bumper": "clearance",
    "shim to tilt the pinion": "wedge",
    "what fills the gap": "stack",
    "17 gauge in mm": "measure",
    "critical speed of the propshaft": "shaft",
}


class Finding(unittest.TestCase):
    def test_asked_in_the_trades_words_it_is_among_the_first(self):
        for question, wanted in QUESTIONS.items():
            with self.subTest(question):
                self.assertIn(wanted, [c.name for c in found(question)][:3])
        self.assertGreaterEqual(sum(found(q)[0].name == w for q, w in QUESTIONS.items()), len(QUESTIONS) - 4)

    def test_single_words_and_slips_of_the_pen(self):
        for word, wanted in (
            ("pedal", "linkage"),
            ("blocks", "ubolt"),
            ("bend line", "flat"),
            ("cord", "belt"),
            ("fishmout", "cope"),
            ("allternator", "belt"),
        ):
            self.assertIn(wanted, [c.name for c in found(word)][:2], word)
        trade = {
            "pallet": "clearance",
            "connector": "route",
            "lead": "route",
            "trigger": "linkage",
            "transfer": "pattern",
            "parachute": "linkage",
        }
        for word, wanted in trade.items():
            self.assertIn(wanted, [c.name for c in found(word)][:3], word)
        self.assertIn("clearance", [c.name for c in found("tailgate")][:3])
        self.assertEqual(found("xylophone"), ())
        self.assertEqual(len(found("")), len(CALCULATORS))

    def test_a_refused_question_names_what_is_known(self):
        with self.assertRaises(Refused):
            answer("nothing", {})
