"""The Drive pages as they answer: what a fabricator reads off them, changes on them, and is refused."""

import csv
import html
import json
import math
import re
import time
import unittest
from dataclasses import replace

from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.scene.carried_axle import heights_mm
from elmpeg.core.scene.line_in_scene import steps_at
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import axle_at, risen
from elmpeg.store.revisions import Author
from elmpeg.web.jobs import Job
from tests.shop import TestShop
from tests.web.test_words import plain


class Drive(unittest.TestCase):
    """A shop of its own for each test that changes something; one for all that only look."""

    only_look = False
    shared = None

    def setUp(self):
        self.shop = type(self).shared or TestShop()
        if self.only_look:
            type(self).shared = self.shop
        else:
            self.addCleanup(self.shop.close)
        self.teo, self.orla = self.shop.browser("teo"), self.shop.browser("orla")

    @classmethod
    def tearDownClass(cls):
        if cls.shared:
            cls.shared.close()

    def build(self, build_id="cairn-2"):
        return self.shop.shop.builds.head(build_id).build

    def post(self, path, who=None, build="cairn-2", **fields):
        return (who or self.teo).post(f"/builds/{build}/drive/{path}", **{"option": "low", "line": "rear", **fields})

    def page(self, path, who=None):
        answer = (who or self.teo).get(f"/builds/{path}")
        self.assertEqual(answer.status_code, 200, path)
        return plain(answer.text)

    def charts(self, path):
        text = self.teo.get(f"/builds/{path}").text
        return [json.loads(html.unescape(m)) for m in re.findall(r'data-chart="([^"]+)"', text)]


class Angles(Drive):
    """Joint angles, load, exaggeration, and one revolution."""

    only_look = True

    def test_true_side_and_plan_parts_slopes_and_load(self):
        page = self.page("cairn-2/drive?option=low&line=rear")
        for words in (
            "4.1° ± 0.1°",
            "side 4.1° · plan −0.1°",
            "level 2.0°",
            "at most 300 rad/s²",
            "Under drive the two angles differ by 3.8°",
            "ground",
        ):
            self.assertIn(words, page)
        under = self.page("cairn-2/drive?option=low&line=rear&load=drive")
        self.assertIn("5.4°", under)
        self.assertIn("under drive; at rest 4.1°", under)

    def test_the_chart_is_one_revolution_at_rest_under_drive_and_on_the_overrun(self):
        (chart,) = self.charts("cairn-2/drive?option=low&line=rear")
        self.assertEqual([c["name"] for c in chart["curves"]], ["at rest", "drive", "coast"])
        self.assertEqual((chart["x"][0], chart["x"][-1], chart["y_unit"]), (0, 360, "%"))
        swing = [(max(c["values"]) - min(c["values"])) / 2 for c in chart["curves"]]
        self.assertGreater(swing[1], swing[0])
        self.assertGreater(swing[0], swing[2])
        (accel,) = self.charts("cairn-2/drive?option=low&line=rear&member=0&quantity=acceleration")
        self.assertEqual(accel["y_unit"], "rad/s²")
        self.assertAlmostEqual(max(accel["curves"][0]["values"]), 34.5, delta=0.5)

    def test_bends_drawn_larger_keep_their_true_angles_in_words(self):
        def bend(stretch):
            text = self.teo.get(f"/builds/cairn-2/drive?option=low&line=rear&stretch={stretch}").text
            side = text[text.index("view-side") : text.index("view-plan")]
            a, b = (
                tuple(map(float, re.findall(rf'{k}="([-\d.]+)"', re.search(r"<line[^>]*class=\"shaft\"", side)[0])))
                for k in ("[xy]1", "[xy]2")
            )
            return (b[1] - a[1]) / (b[0] - a[0]), plain(text)

        (true, words), (larger, _) = bend(1), bend(6)
        self.assertAlmostEqual(math.degrees(math.atan(true)), 2.06, delta=0.1)
        self.assertAlmostEqual(larger / true, 6.0, delta=0.1)
        self.assertIn("J2 side 4.1°, true 4.1°", words)

    def test_a_forward_running_line_reads_its_slopes_as_a_gauge_does(self):
        page = self.teo.get("/builds/cairn-2/drive?option=low&line=front").text
        slopes = [float(v.replace("\u2212", "-")) for v in re.findall(r"tail down positive; in plan [^\"]*\">\s*([\u2212\d.]+)°", page)]
        self.assertEqual(len(slopes), 2)
        self.assertTrue(all(abs(s) < 10 for s in slopes), slopes)


class Travel(Drive):
    """Through travel, and the Bay at a height."""

    only_look = True

    def test_the_chart_has_forty_one_heights_and_their_true_angles(self):
        angles, lengths = self.charts("cairn-2/drive/travel?option=low&line=rear&rise=50")
        self.assertEqual(len(angles["x"]), 41)
        self.assertEqual(angles["at"], 50.0)
        build = self.build()
        line, axle = build.driveline("rear"), build.axle("rear-springs")
        heights = heights_mm(build, axle)
        steps = steps_at(Scene(build, build.option("low")), line, axle, risen(axle.id, heights))
        for k in range(2):
            self.assertAlmostEqual(angles["curves"][k]["values"][7], steps[7].angles_deg[k], places=3)
        self.assertAlmostEqual(lengths["curves"][0]["values"][20], 0.0, places=6)

    def test_the_table_goes_out_as_csv_with_its_units_in_its_head(self):
        answer = self.teo.get("/builds/cairn-2/drive/travel.csv?option=low&line=rear")
        rows = list(csv.DictReader(answer.text.splitlines()))
        self.assertEqual(list(rows[0]), ["rise_mm", "roll_deg", "J1_deg", "J2_deg", "J1-J2_mm", "J1-J2_slip_mm", "equivalent_deg"])
        self.assertEqual(len(rows), 41)
        self.assertEqual((float(rows[20]["rise_mm"]), float(rows[20]["J1-J2_slip_mm"])), (0.0, 0.0))
        self.assertAlmostEqual(float(rows[20]["J2_deg"]), 4.1368, places=4)
        self.assertEqual(self.teo.get("/builds/cairn-2/drive/travel.csv?option=low&line=steering").status_code, 422)

    def test_one_wheel_up_is_another_line(self):
        level, rolled = (self.page(f"cairn-2/drive/travel?option=low&line=rear&rise=20&roll={r}") for r in ("0", "1"))
        self.assertNotEqual(level, rolled)
        self.assertIn("right wheel up", rolled)

    def test_a_height_out_of_travel_is_brought_back_and_nonsense_is_ride_height(self):
        self.assertIn("+90.5 mm", self.page("cairn-2/drive/travel?option=low&line=rear&rise=5000"))
        for rise in ("x", "nan", "1e999"):
            self.assertIn("ride height", self.page(f"cairn-2/drive/travel?option=low&line=rear&rise={rise}"))

    def test_the_bay_draws_the_axle_where_it_is_in_travel_and_saves_nothing(self):
        before = self.shop.shop.builds.head("cairn-2").number

        def axle(rise):
            text = self.teo.get(f"/builds/cairn-2/bay?option=low&axle=rear-springs&rise={rise}").text
            group = text[text.index('data-component="rear-axle"') :][:1500]
            points = re.search(r'points="([^"]+)"', group)[1]
            return sum(float(p.split(",")[1]) for p in points.split()) / len(points.split()), text

        (rest, _), (up, text) = axle(0), axle(80)
        scale = 750 / (3300 + 820 + 410 * 2) / 1.0
        self.assertGreater(rest - up, 80 * scale * 0.8)
        self.assertIn("at ride height", plain(text))
        self.assertIn("J2 7.0°", plain(text))
        self.assertEqual(self.shop.shop.builds.head("cairn-2").number, before)

    def test_a_line_without_an_axle_says_what_to_do(self):
        self.assertIn("Cannot be worked out yet", self.page("bookworm/drive/shafts"))
        self.assertIn("follows no axle yet", self.page("cairn-2/drive/travel?option=low&line=steering"))


class Elsewhere(Drive):
    """What fails with an axle in its travel and does not at ride height."""

    def test_the_bay_says_it_with_its_figure_and_only_there(self):
        def tight(build):
            line = build.driveline("rear")
            joints = tuple(replace(j, max_angle_deg=5.0) if j.id == "J2" else j for j in line.joints)
            lines = tuple(replace(d, joints=joints) if d is line else d for d in build.drivelines)
            return replace(build, drivelines=lines)

        builds = self.shop.shop.builds
        builds.change("cairn-2", 1, Author(None, "Teo Marsh"), "Tight", tight)
        build, said = self.build(), "Fails there, and not at ride height:"
        rest = {c.code: c.verdict for c in evaluate(build, "lifted").checks}
        told = 0
        for rise in (-80.0, 0.0, 60.0, 80.0):
            text = self.page(f"cairn-2/bay?option=lifted&axle=rear-springs&rise={rise}")
            there = evaluate(build, "lifted", axle_at("rear-springs", rise))
            wanted = [c for c in there.checks if c.verdict == "fails" and rest.get(c.code) != "fails"]
            self.assertEqual(said in text, bool(wanted), rise)
            for check in wanted[:3]:
                told += 1
                self.assertRegex(text, rf"{re.escape(check.name)} {check.value:.1f}")
        self.assertGreater(told, 0)


class Changing(Drive):
    """Lines, axles, shafts, limits."""

    def test_shafts_are_kept_and_bad_figures_stay_beside_their_fields(self):
        shown = {
            "od_0": "89",
            "wall_0": "2,5",
            "material_0": "steel",
            "series_0": "27x80",
            "drive_flange_0": "a",
            "driven_flange_0": "b",
            "slip_in_0": "",
            "slip_out_0": "40",
        }
        self.assertEqual(self.post("shafts", **shown).status_code, 200)
        shaft = self.build().driveline("rear").shafts[0]
        self.assertEqual((shaft.od_mm, shaft.wall_mm, shaft.slip_in_mm, shaft.slip_out_mm), (89.0, 2.5, None, 40.0))
        refused = self.post("shafts", **{**shown, "od_0": "fat", "wall_0": "60"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn('value="fat"', refused.text)
        self.assertIn("error-od_0", refused.text)
        self.assertEqual(self.build().driveline("rear").shafts[0], shaft)

    def test_inches_are_read_as_the_person_reads_them(self):
        self.teo.post("/me", units="in_fraction_16", theme="light")
        self.post("shafts", od_0="3", wall_0="0.083", material_0="steel", series_0="27x80")
        self.assertAlmostEqual(self.build().driveline("rear").shafts[0].od_mm, 76.2)
        (chart, _) = self.charts("cairn-2/drive/travel?option=low&line=rear")
        self.assertEqual(chart["x_unit"], "in")
        self.assertAlmostEqual(chart["x"][-1], 90.5 / 25.4, places=3)

    def test_road_and_stations(self):
        self.post("shafts", do="road", top_speed="90", tyre="800", ratio="3.9", stations="2600\n1900\n")
        line = self.build().driveline("rear")
        self.assertEqual((line.road.axle_ratio, line.stations_mm), (3.9, (1900.0, 2600.0)))
        self.assertIn("error-ratio", self.post("shafts", do="road", top_speed="90", tyre="800", ratio="none").text)
        page = self.page("dynamo/drive/shafts?option=before")
        self.assertIn("here against Blocks and wedges", page)

    def test_a_new_line_a_carrier_and_away_again(self):
        fields = {
            "name": "Winch drive",
            "rpm": "1000",
            "use": "power_take_off",
            "joint_0_point": "rear-output",
            "joint_1_point": "rear-pinion",
            "joint_0_kind": "cardan",
        }
        answer = self.post("lines", do="new", **fields)
        self.assertEqual(answer.status_code, 204)
        self.assertIn("line=winch-drive", answer.headers["HX-Redirect"])
        self.assertIn("W1", self.page("cairn-2/drive?option=low&line=winch-drive"))
        self.post("lines", do="carrier", line="winch-drive", after="0", carrier_x="2300", carrier_y="10", carrier_z="480")
        build = self.build()
        self.assertEqual(len(build.driveline("winch-drive").joints), 3)
        self.assertTrue(any("carrier" in m.name for m in build.mounts))
        self.assertEqual(self.post("lines", do="remove", line="winch-drive").status_code, 200)
        self.assertEqual([d.id for d in self.build().drivelines], ["rear", "front", "steering"])
        refused = self.post("lines", do="new", **{**fields, "name": "Rear shaft"})
        self.assertIn("another line is called", plain(refused.text))
        self.assertIn('value="Rear shaft"', refused.text)

    def test_an_axles_travel_is_taken_down_by_whoever_reads_it(self):
        self.post("axles", do="reading", axle="rear-springs", way="droop", travel_text="3 1/2 in", travel_tool="tape")
        newest = self.build().axle("rear-springs").readings[-1]
        self.assertEqual((newest.value_mm, newest.person, newest.way), (88.9, "Teo Marsh", "droop"))
        self.post("axles", do="drop", axle="rear-springs", reading=newest.id, reason="stop not fitted")
        self.assertEqual(self.build().axle("rear-springs").readings[-1].dropped, "stop not fitted")
        self.assertEqual(
            self.post("axles", do="reading", axle="rear-springs", way="droop", travel_text="far", travel_tool="tape").status_code, 422
        )

    def test_what_was_typed_stays_when_another_way_of_carrying_is_chosen(self):
        typed = "option=low&line=rear&new=1&name=Tag+axle&component=rear-axle&kind=swing&bump=33&droop=44&source=drawing"
        page = self.teo.get(f"/builds/cairn-2/drive/axles?{typed}").text
        for words in ('value="Tag axle"', 'value="33"', 'value="44"', 'name="pivot_point"', "<option selected>drawing"):
            self.assertIn(words, page)
        self.assertNotIn('name="seat_point"', page)
        refused = self.post("axles", name="Tag axle", component="rear-axle", kind="parallel", bump="deep", droop="44", source="measured")
        self.assertEqual(refused.status_code, 422)
        self.assertIn('value="deep"', refused.text)
        self.assertIn("error-bump", refused.text)

    def test_only_leads_change_rules_and_decide(self):
        for path, fields in (
            ("school", {"school": "speed_limited"}), ("limits", {"flat_cap_deg": "4"}), ("series", {"series_name": "x", "series_angle": "20", "series_swing": "90"}),
            ("ways", {"way": "one_piece", "reason": "because"}),
        ):  # fmt: skip
            with self.subTest(path):
                self.assertEqual(self.post(path, **fields).status_code, 403)
                self.assertEqual(self.post(path, who=self.orla, **fields).status_code, 200)
        build = self.build()
        self.assertEqual((build.limits.school, build.limits.joints.flat_cap_deg, build.series[-1].name), ("speed_limited", 4.0, "x"))
        self.assertEqual(build.driveline("rear").decision.reason, "because")
        refused = self.post("limits", who=self.orla, flat_cap_deg="0")
        self.assertEqual(refused.status_code, 422)
        self.assertEqual(self.post("ways", who=self.orla, way="one_piece", reason=" ").status_code, 422)
        self.post("limits", who=self.orla, do="usual")
        self.assertEqual(self.build().limits.joints.flat_cap_deg, 3.0)

    def test_two_people_change_different_lines_at_once(self):
        base = self.shop.shop.builds.head("cairn-2").number
        first = self.post("shafts", base=str(base), od_0="80", wall_0="2", material_0="steel", series_0="27x80")
        second = self.post(
            "axles", who=self.orla, base=str(base), do="reading", axle="front-arms", way="droop", travel_text="91", travel_tool="tape"
        )
        self.assertEqual((first.status_code, second.status_code), (200, 200))
        build = self.build()
        self.assertEqual((build.driveline("rear").shafts[0].od_mm, build.axle("front-arms").readings[-1].value_mm), (80.0, 91.0))


class Mending(Drive):
    """A failing line brought right with the tool alone."""

    def solve(self, **fields):
        answer = self.post("mend/solve", **fields)
        for _ in range(40):
            job = re.search(r"job=([\w-]+)", answer.text)
            if not job or 'hx-trigger="load delay' not in answer.text:
                break
            time.sleep(0.2)
            answer = self.teo.get(f"/builds/cairn-2/drive/mend/solve?option=low&line=rear&job={html.unescape(job[1])}")
        return answer

    def room(self, build, option="low"):
        page = self.teo.get(f"/builds/cairn-2/drive/mend?option={option}&line=rear").text
        names = re.findall(r'name="((?:low|high)_[^"]+)"[^>]*value="([^"]+)"', page)
        return {**dict(names), **{f"may_{n.removeprefix('low_')}": "1" for n, _ in names if n.startswith("low_")}}

    def test_found_kept_as_an_option_and_everything_inside(self):
        answer = self.solve(**self.room(self.build()))
        text = plain(answer.text)
        self.assertIn("nothing is changed yet", text)
        self.assertIn("Turn the front side of the rear axle, wide down 2.8°", text)
        self.assertIn("Before the perches are welded, roll the axle 2.8°", text)
        self.assertEqual(len(self.build().options), 2)
        job = re.search(r'name="job" value="([^"]+)"', answer.text)[1]
        kept = self.post("mend/keep", job=job, name="Low, pinion down")
        self.assertEqual(kept.status_code, 204)
        option = self.build().options[-1]
        self.assertEqual(option.name, "Low, pinion down")
        page = self.page(f"cairn-2/drive?option={option.id}&line=rear")
        self.assertNotIn("fails", page[page.index("Rear shaft Front shaft") :].split("Steering shaft")[1])
        self.assertIn("nothing to mend", self.page(f"cairn-2/drive/mend?option={option.id}&line=rear"))

    def test_what_stops_it_is_said(self):
        room = {k: v for k, v in self.room(self.build()).items() if "sideways" in k}
        text = plain(self.solve(**room).text)
        self.assertIn("None of these moves", text)
        self.assertIn("What stops it there", text)
        self.assertIn("4.1° is 1.1° over the 3.0° allowed", text)

    def test_bad_room_stays_beside_its_field_and_nothing_to_move_is_said(self):
        room = self.room(self.build())
        low = next(k for k in room if k.startswith("low_tail"))
        refused = self.post("mend/solve", **{**room, low: "5"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("needs room to move", plain(refused.text))
        self.assertIn("choose at least one", plain(self.post("mend/solve").text))

    def test_single_moves_tell_what_they_do_elsewhere(self):
        text = plain(self.teo.get("/builds/cairn-2/drive/mend/single?option=low&line=rear").text)
        self.assertIn("Raise the gearbox mount 29.5 mm.", text)
        self.assertIn("Gearbox mount: gap", text)
        self.assertIn("Sump to front crossmember", text)
        kept = self.post("mend/keep", freedom="tail.engine", name="Tail up")
        self.assertEqual(kept.status_code, 204)
        self.assertEqual(self.build().options[-1].name, "Tail up")
        self.assertEqual(self.post("mend/keep", freedom="nothing", name="No").status_code, 422)

    def test_a_lumpy_steering_shaft_is_brought_right_by_its_forks(self):
        page = self.page("cairn-2/drive/mend?option=low&line=steering")
        self.assertIn("Turn the far fork of S1-S2 to 21.7°", page)
        self.assertEqual(self.post("mend/forks", line="steering").status_code, 200)
        self.assertAlmostEqual(self.build().driveline("steering").phases_deg[0], 21.7)
        self.assertIn("nothing to mend", self.page("cairn-2/drive/mend?option=low&line=steering"))
        self.assertEqual(self.post("mend/forks", line="steering").status_code, 422)

    def test_the_lorry_as_it_came_is_offered_wedges(self):
        page = self.page("dynamo/drive?option=before")
        self.assertIn("Put wedges of", page)
        self.assertIn("thick end to the front", page)
        self.assertNotIn("Raise the carrier", page, "80 mm would not be enough to be sure")

    def test_a_search_of_somebody_else_is_not_shown(self):
        answer = self.solve(**self.room(self.build()))
        job = re.search(r'name="job" value="([^"]+)"', answer.text)[1]
        self.assertIn("Found in", answer.text)
        self.assertNotIn(
            "nothing is changed yet", plain(self.orla.get(f"/builds/cairn-2/drive/mend/solve?option=low&line=rear&job={job}").text)
        )

    def test_a_search_that_ends_while_its_page_is_drawn_is_asked_once_more(self):
        class Ending(Job):
            """A search that ends just after its page has asked for its result."""

            def __getattribute__(self, name):
                if name == "result":
                    object.__getattribute__(self, "done").set()
                return super().__getattribute__(name)

        build = self.build()
        person = next(p.id for p in self.shop.shop.accounts.people() if p.login == "teo")
        job = Ending("ending", person, build, "low", "rear", time.monotonic())
        self.shop.shop.jobs._jobs[job.id] = job
        answer = self.teo.get("/builds/cairn-2/drive/mend/solve?option=low&line=rear&job=ending")
        self.assertIn('hx-trigger="load delay', answer.text, "the page must ask again: it has not seen what came of it")


class Ordering(Drive):
    """From a tape to shafts that are fitted."""

    def test_tapes_drafts_checks_and_refusals(self):
        page = self.page("cairn-2/drive/order?option=lifted&line=rear")
        self.assertIn("Not final yet: 8 things in the way", page)
        self.assertIn("was measured off ride height", page)
        refused = self.post("order", option="lifted", do="final", order="rear-order")
        self.assertEqual(refused.status_code, 422)
        self.assertIsNone(self.build().order("rear-order").final)
        self.assertEqual(self.post("order", option="lifted", do="step", state="sent", order="rear-order").status_code, 422)
        no_stance = self.post("order/tape", option="lifted", shaft="J1|J2", length_text="1318.5", tool="tape")
        self.assertEqual(no_stance.status_code, 422)
        self.assertIn('value="1318.5"', no_stance.text)
        self.post("order/tape", option="lifted", shaft="J1|J2", length_text="1318.5", tool="tape", stance="ride")
        taped = self.build().lengths[-1]
        self.assertEqual((taped.value_mm, taped.person, taped.stance), (1318.5, "Teo Marsh", "ride"))
        wrong = next(r for r in self.build().lengths if r.stance == "stands")
        self.post("order/tape", option="lifted", do="drop", length=wrong.id, reason="on stands")
        self.assertIn("Not final yet: 6 things in the way", self.page("cairn-2/drive/order?option=lifted&line=rear"))
        self.assertEqual(self.post("order", option="lifted", do="step", state="checked", order="rear-order").status_code, 200)
        self.assertEqual(self.build().order("rear-order").state, "checked")

    def test_slopes_are_read_refused_and_set_aside(self):
        laid = {"option": "lifted", "member": "J2|", "slope_text": "6.1", "zero": "level", "slope_tool": "gauge"}
        before = self.build().slopes
        for field, more in (
            ("slope_way", {"slope_stance": "ride"}),
            ("slope_stance", {"slope_way": "down"}),
            ("slope_text", {"slope_text": "91", "slope_way": "down", "slope_stance": "ride"}),
            ("slope_text", {"slope_text": "steep", "slope_way": "down", "slope_stance": "ride"}),
            ("member", {"member": "|J1", "zero": "drive end", "slope_way": "down", "slope_stance": "ride"}),
            ("member", {"member": "J7|", "slope_way": "down", "slope_stance": "ride"}),
            ("slope_tool", {"slope_tool": "tape", "slope_way": "down", "slope_stance": "ride"}),
        ):
            with self.subTest(field, **more):
                refused = self.post("order/gauge", **{**laid, **more})
                self.assertEqual(refused.status_code, 422)
                self.assertEqual(refused.text.count(f'id="error-{field}"'), 1)
                self.assertNotIn('class="refused"', refused.text)
                self.assertIn(f'value="{more.get("slope_text", "6.1")}"', refused.text)
        self.assertEqual(self.build().slopes, before)
        for text, way, signed in (("-6.1", "down", 6.1), ("6.1", "up", -6.1)):
            said = {**laid, "slope_text": text, "slope_way": way, "slope_stance": "ride"}
            self.assertEqual(self.post("order/gauge", **said).status_code, 200)
            read = self.build().slopes[-1]
            self.assertEqual((read.value_deg, read.near, read.far, read.person), (signed, "J2", "", "Teo Marsh"))
        self.assertIn(
            "slope of driven end: the readings differ by 12.2°".capitalize(), self.page("cairn-2/drive/order?option=lifted&line=rear")
        )
        self.assertEqual(self.post("order/gauge", option="lifted", do="drop", slope=read.id, slope_reason=" ").status_code, 422)
        self.post("order/gauge", option="lifted", do="drop", slope=read.id, slope_reason="wrong way")
        self.assertEqual(self.build().slopes[-1].dropped, "wrong way")
        self.assertIn("Slope of driven end: read once", self.page("cairn-2/drive/order?option=lifted&line=rear"))
        self.post("order/gauge", option="lifted", do="count", slope=read.id)
        self.assertEqual(self.build().slopes[-1].dropped, "")

    def test_the_gauge_stands_beside_the_position_in_the_agreed_option_only(self):
        agreed = plain(self.page("dynamo/drive?option=after"))
        self.assertEqual(agreed.count("By the gauge"), 3)
        self.assertNotIn("By the gauge", plain(self.page("dynamo/drive?option=before")))
        here = plain(self.page("cairn-2/drive?option=lifted&line=rear"))
        self.assertIn("By the gauge 2.8° ± 0.1°", here)
        self.assertIn("Slope of drive end: read once", here)

    def test_a_refusal_without_a_field_on_the_page_is_told_at_the_top(self):
        gone = self.post("order/gauge", option="lifted", do="drop", slope="nothing", slope_reason="not there")
        self.assertEqual(gone.status_code, 422)
        told = " ".join(gone.text.split())
        self.assertIn('class="refused" role="alert"><p><strong>slope</strong> is not among the readings any more', told)

    def test_a_new_order_is_drafted_written_on_and_taken_out(self):
        self.post("order", line="front", do="draft", maker="Quay Street shafts", lead_days="10")
        self.assertEqual(self.build().orders[-1].lead_days, 10)
        self.assertEqual(self.post("order", line="front", do="draft", maker=" ", lead_days="10").status_code, 422)
        self.post(
            "order",
            line="front",
            do="told",
            order="front-order",
            maker="Quay",
            lead_days="12",
            measured_how="tape",
            height="full",
            note="n",
        )
        self.assertEqual(self.build().order("front-order").measured_how, "tape")
        self.assertEqual(self.post("order", line="front", do="told", order="front-order", maker="Quay", lead_days="soon").status_code, 422)
        self.post("order", line="front", do="remove", order="front-order")
        self.assertEqual([o.id for o in self.build().orders], ["rear-order"])

    def test_the_finished_one_goes_out_as_pdf_and_json(self):
        page = self.page("dynamo/drive/order?option=after")
        self.assertIn("called so by Orla Fennick, 6 Aug", page)
        self.assertIn("Due 21 Aug 2026", page)
        pdf = self.teo.get("/builds/dynamo/drive/order.pdf?order=rear-order")
        self.assertEqual((pdf.headers["content-type"], pdf.content[:4]), ("application/pdf", b"%PDF"))
        self.assertTrue(self.teo.get("/builds/dynamo/drive/order.json?order=rear-order").json()["final"])
        self.assertEqual(self.teo.get("/builds/dynamo/drive/order.pdf?order=nothing").status_code, 404)


class Ways(Drive):
    """A table a lead can decide from."""

    only_look = True

    def test_all_three_and_the_decision_with_its_reason(self):
        page = self.page("dynamo/drive/ways?option=after")
        for words in (
            "One piece",
            "Two pieces as it is now, decided",
            "Double joint",
            "One tube of this length would whip below road speed",
            "1 carrier bearing",
            "km/h",
        ):
            self.assertIn(words, page)
        self.assertIn("not built in these ways", self.page("cairn-2/drive/ways?option=low&line=steering"))
