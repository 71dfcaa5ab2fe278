"""Reference and Measure as their pages answer: levels, sheet, marks, points, eyes, cross-checks, files and devices."""

import io
import json
import math
import re
import unittest
import zipfile

from PIL import Image

from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW
from elmpeg.core.scene.located_points import surveyed
from elmpeg.core.stages.measure.measuring_list import quantities
from elmpeg.formats import build_zip, photographs
from elmpeg.web.drawing.survey import asked_sheet
from elmpeg.web.showing import Show
from tests.shop import TestShop
from tests.web.test_words import plain


def picture(kind="JPEG", size=(60, 40), **more) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, (120, 90, 60)).save(out, kind, **more)
    return out.getvalue()


class Survey(unittest.TestCase):
    """A shop of its own for each test."""

    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.teo = self.shop.browser("teo")

    def build(self, name="cairn-2"):
        return self.shop.shop.builds.head(name).build

    def post(self, path, who=None, build="cairn-2", **fields):
        return (who or self.teo).post(f"/builds/{build}/{path}", option="low" if build == "cairn-2" else "first", **fields)

    def upload(self, path, field, name, data, **fields):
        return self.teo.client.post(
            f"/builds/cairn-2/{path}",
            data=fields,
            files={field: (name, data)},
            headers={"X-CSRF-Token": self.teo.csrf, "HX-Request": "true"},
        )


class Reference(Survey):
    """What everything else is measured from."""

    def test_levelling_again_says_what_moves_and_asks(self):
        level = {"how": "gauges", "lengthwise": "0.5; 0.7", "across": "0", "tool": "gauge", "applied": "corrected"}
        asked = plain(self.post("reference/level", **level).text)
        self.assertIn("points read against gravity would move", asked)
        self.assertIn("left spring hanger", asked)
        self.assertEqual(len(self.build().levellings), 1)
        before = self.shop.shop.evaluated(self.shop.shop.builds.head("cairn-2"), "low").points
        self.post("reference/level", **level, old_readings="keep")
        self.assertAlmostEqual(self.build().levellings[-1].pitch_deg, 0.6)
        after = self.shop.shop.evaluated(self.shop.shop.builds.head("cairn-2"), "low").points
        self.assertEqual(before, after)
        self.post("reference/level", **level, old_readings="move")
        moved = self.shop.shop.evaluated(self.shop.shop.builds.head("cairn-2"), "low").points
        hanger = {p.point: p.xyz_mm for p in moved}["hanger-left"]
        self.assertGreater(abs(hanger[2] - {p.point: p.xyz_mm for p in before}["hanger-left"][2]), 5)

    def test_heights_in_a_line_are_refused_beside_the_form_and_kept(self):
        places = {f"place{n}_{a}": str(v) for n in range(3) for a, v in zip("xyz", (n * 100, 0, 500 + n), strict=True)}
        answer = self.post("reference/level", how="heights", **places)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("in a line", plain(answer.text))
        self.assertIn('value="502"', answer.text)
        one = self.post("reference/level", how="heights", place0_x="1,250", place0_y="0", place0_z="4")
        self.assertIn("ambiguous", plain(one.text))

    def test_the_before_sheet_keeps_before_and_leaves_room_for_after(self):
        self.post("reference/sheet", do="add", name="tailgate gap", kind="gap", where="top")
        figure = self.build().sheet[-1]
        self.post("reference/sheet", do="note", figure=figure.id, when="before", **{f"{figure.id}_before_value": "3/16 in"})
        self.assertAlmostEqual(self.build().sheet[-1].before.value, 4.7625)
        page = plain(self.post("reference/sheet", do="note", figure=figure.id, when="after", **{f"{figure.id}_after_value": "5"}).text)
        self.assertIn("+0.2", page)
        wrong = self.post("reference/sheet", do="note", figure=figure.id, when="after", **{f"{figure.id}_after_value": "five"})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn('value="five"', wrong.text)
        self.assertEqual(self.post("reference/sheet", do="add", name="Tailgate Gap", kind="gap").status_code, 422)

    def test_a_witness_mark_keeps_its_photograph_upright_and_without_its_place(self):
        exif = Image.Exif()
        exif[0x0112], exif[0x8825] = 6, {1: "N", 2: (55.0, 1.0, 2.0)}
        answer = self.upload("reference/marks", "photo", "IMG 1.jpg", picture(exif=exif), do="add", what="scribe", mark_where="left sill")
        self.assertEqual(answer.status_code, 200)
        mark = self.build().witness_marks[-1]
        sent = self.teo.get(f"/builds/cairn-2/photos/{mark.photo}")
        kept = Image.open(io.BytesIO(sent.content))
        self.assertEqual(kept.size, (40, 60))
        self.assertFalse(kept.getexif())
        self.assertEqual(sent.headers["content-type"], "image/jpeg")
        self.assertLessEqual(len(self.teo.get(f"/builds/cairn-2/photos/{mark.photo}?small=1").content), len(picture(size=(360, 360))) * 3)
        for name, data, words in (
            ("page.jpg", b"<html>", "not a JPEG"), ("cut.png", picture("PNG", (300, 300))[:120], "cut short"),
            ("big.jpg", b"\xff\xd8" + b"0" * 12_000_001, "at most 12 MB"), ("anim.gif", picture("GIF"), "not a JPEG"),
        ):  # fmt: skip
            with self.subTest(name):
                refused = self.upload("reference/marks", "photo", name, data, do="add", what="scribe", mark_where="right sill")
                self.assertEqual(refused.status_code, 422)
                self.assertIn(words, plain(refused.text))
                self.assertIn('value="right sill"', refused.text)

    def test_what_is_missing_leads_to_where_it_is_put_right(self):
        page = self.teo.get("/builds/cairn-2/reference?tab=missing").text
        self.assertIn("Measure front output", plain(page))
        self.assertIn("point=front-output", page)
        self.assertIn("rear wheel centre on the rail", plain(page))


class Points(Survey):
    """Points made, read by two people, changed and taken out."""

    def test_a_new_point_from_tapes_is_fixed_by_its_tapes_and_the_wrong_one_is_named(self):
        made = self.post("points", build="bookworm", name="heater spigot", kind="hole", on="vehicle", got="tapes", source="measured")
        self.assertEqual(made.status_code, 204)
        known = {"rail-lf": (600, -420, 790), "rail-rf": (600, 421, 790), "rail-lr": (4300, -420, 790), "rail-rr": (4303, 419, 790.5)}
        true = (2000.0, -100.0, 400.0)
        for held, xyz in known.items():
            length = sum((a - b) ** 2 for a, b in zip(true, xyz, strict=True)) ** 0.5 + (25.4 if held == "rail-lr" else 0)
            self.post("measure/reading", build="bookworm", point="heater-spigot", read_tape=f"{length:.1f}", held_at=held, tool="tape")
        page = self.post("measure/reading", build="bookworm", point="heater-spigot", read_z="400", tool="tape")
        self.assertIn("from left rail, rear datum hole is probably wrong", plain(page.text))
        self.assertIn("<svg", page.text)
        reading = next(r for r in self.build("bookworm").point("heater-spigot").readings if r.held_at == "rail-lr")
        self.post("measure/drop", build="bookworm", point="heater-spigot", reading=reading.id, do="drop", reason="over the inch mark")
        placed = {p.point: p for p in self.shop.shop.evaluated(self.shop.shop.builds.head("bookworm"), "first").points}["heater-spigot"]
        for got, want in zip(placed.xyz_mm, true, strict=True):
            self.assertAlmostEqual(got, want, delta=0.5)

    def test_inches_taken_for_millimetres_are_asked_about_and_nothing_is_lost(self):
        asked = self.post("measure/reading", point="GM-seat", read_x=f"{1213.4 * 25.4:.0f}", tool="tape", note="from the hub")
        self.assertEqual(asked.status_code, 422)
        self.assertIn("25.4 times what was read before", plain(asked.text))
        self.assertIn('value="from the hub"', asked.text)
        self.assertEqual(len(self.build().point("GM-seat").readings), 2)
        self.post("measure/reading", point="GM-seat", read_x=f"{1213.4 * 25.4:.0f}", tool="tape", sure="1")
        self.assertEqual(len(self.build().point("GM-seat").readings), 3)

    def test_second_eyes_see_nothing_of_the_first(self):
        page = self.teo.get("/builds/cairn-2/measure?option=low&point=RM-seat&blind=1").text
        self.assertNotRegex(page, r"556\.[12]|427\.6|202\.7")
        answer = self.post("measure/reading", point="RM-seat", read_z="556.3", tool="tape", blind="1")
        self.assertIn("has read it too without seeing this, and agrees", plain(answer.text))
        self.assertTrue(self.build().point("RM-seat").readings[-1].blind)

    def test_a_point_in_use_stays_and_says_who_uses_it(self):
        refused = self.post("points", point="LM-seat", do="remove")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("still used by Left engine mount", plain(refused.text))
        self.assertIn("Used by Left engine mount", plain(self.teo.get("/builds/cairn-2/points/edit?point=LM-seat").text))
        ring = self.post(
            "points",
            build="bookworm",
            point="rail-lf",
            name="x",
            kind="hole",
            on="vehicle",
            got="middle",
            between_a="mid-rear",
            between_b="rail-rf",
        )
        self.assertEqual(ring.status_code, 204)
        back = self.post("points", build="bookworm", point="rail-lr", name="y", kind="hole", on="vehicle", got="offsets", start="rail-lf")
        self.assertIn("must be measured from elsewhere", plain(back.text))

    def test_two_readings_that_disagree_wait_for_a_person(self):
        for do, words in (("again", "To be measured again"), ("keep", "kept: two axles"), ("second-out", "set aside: two axles")):
            answer = self.post("measure/decide", point="front-hub-left", first="r1", second="r2", do=do, reason="two axles")
            self.assertIn(words, plain(answer.text))
        self.assertEqual(self.post("measure/decide", point="front-hub-left", first="r1", second="r2", do="first-out").status_code, 422)


class Directions(Survey):
    """A pinion's direction read with a gauge zeroed on its axle."""

    def lean(self, lean, way="down", tool="gauge", **more):
        return self.post("measure/lean", point="rear-pinion", lean=lean, lean_way=way, lean_tool=tool, **more)

    def pinion(self):
        return self.build().point("rear-pinion")

    def test_read_refused_asked_about_and_set_aside(self):
        for field, answer in (
            ("lean", self.lean("steep")), ("lean", self.lean("")), ("lean_way", self.lean("0.4", way="")), ("lean_tool", self.lean("0.4", tool="tape")),
            ("lean_far", self.lean("6.2")),
        ):  # fmt: skip
            with self.subTest(field):
                self.assertEqual(answer.status_code, 422)
                self.assertIn(f'id="error-{field}"', answer.text)
        self.assertEqual(self.pinion().leans, ())
        self.assertIn("Was the gauge zeroed on the part itself", plain(self.lean("6.2").text))
        self.assertEqual(self.lean("6.2", sure="1").status_code, 200)
        far = self.pinion().leans[-1]
        self.assertEqual((far.value_deg, far.person), (6.2, "Teo Marsh"))
        refused = self.post("measure/lean", point="rear-pinion", do="drop", reading=far.id, lean_reason=" ")
        self.assertIn('id="error-lean_reason"', refused.text)
        self.post("measure/lean", point="rear-pinion", do="drop", reading=far.id, lean_reason="zeroed on level")
        self.lean("0.4", way="up", sure="1")
        axis = self.pinion().axis
        self.assertAlmostEqual(axis[2] / axis[0], 0.00698, places=5)
        page = plain(self.teo.get("/builds/cairn-2/measure?option=low&point=rear-pinion").text)
        self.assertIn("leans up to the rear", page)
        self.assertIn("set aside: zeroed on level", page)
        self.assertNotIn("Direction zero the gauge", plain(self.teo.get("/builds/cairn-2/measure?option=low&point=GM-foot").text))


class Crossed(Survey):
    """What was measured held against itself."""

    def test_the_tape_that_is_an_inch_out_is_found_and_setting_it_aside_settles_it(self):
        page = plain(self.teo.get("/builds/cairn-2/measure/cross?option=low").text)
        self.assertIn("This tape is the wrong one: the other 5 agree", page)
        self.assertIn("That is an inch", page)
        self.assertEqual(self.post("measure/cross/drop-tape", span="t4", do="drop").status_code, 422)
        self.post("measure/cross/drop-tape", span="t4", do="drop", reason="read over the inch mark")
        self.post("measure/cross/tape", span_a="bay-fr", span_b="bay-rr", span_text="851", tool="tape")
        checks = evaluate(self.build(), "low").checks
        self.assertEqual({c.verdict for c in checks if c.family == "span"}, {"holds"})

    def test_pairs_and_bays_are_added_and_refused(self):
        self.post("measure/cross/pair", pair_left="bay-fl", pair_right="bay-fr")
        self.assertAlmostEqual(evaluate(self.build(), "low").check("mirror.pair-1").value, (2.0**2 + 0.5**2) ** 0.5)
        self.assertIn("compared already", plain(self.post("measure/cross/pair", pair_left="bay-fr", pair_right="bay-fl").text))
        corners = {f"bay_{n}": p for n, p in enumerate(("bay-fl", "bay-fr", "bay-rr", "bay-fl"), 1)}
        self.assertIn("four different points", plain(self.post("measure/cross/bay", bay_name="again", **corners).text))

    def test_a_part_is_put_where_its_points_were_measured(self):
        page = plain(self.teo.get("/builds/cairn-2/measure/where?option=low&part=engine").text)
        self.assertIn("Crank nose is probably wrong", page)
        for axis, value in zip("xyz", ("95", "-11.5", "624"), strict=True):
            self.post("measure/where/point", part="engine", point="crank-nose", **{f"crank-nose_{axis}": value})
        reading = self.build().point("crank-nose-found").readings[2]
        self.post("measure/drop", point="crank-nose-found", reading=reading.id, do="drop", reason="bent tape")
        self.post("measure/where/place", part="engine", do="option")
        pose = next(p.pose for p in self.build().option("low").positions if p.component == "engine")
        self.assertAlmostEqual(pose.pitch_deg, 1.5, delta=0.1)
        self.assertAlmostEqual(pose.x_mm, 740, delta=1)
        refused = self.post("measure/where/place", part="engine", do="round")
        self.assertIn("no round is open", plain(refused.text))
        self.post("fit/start", material="card")
        self.post("measure/where/place", part="engine", do="round")
        self.assertEqual(len(self.build().rounds[-1].measured_points), 5)


class Files(Survey):
    """CSV and zip, out and in."""

    def preview(self, text, **more):
        data = text if isinstance(text, bytes) else text.encode()
        return self.upload("measure/files", "csv", "points.csv", data, **more)

    def test_what_went_out_comes_back_as_the_same(self):
        for name in ("points.csv", "readings.csv"):
            for unit in ("mm", "in"):
                with self.subTest(name, unit=unit):
                    data = self.teo.get(f"/builds/cairn-2/{name}?unit={unit}").content
                    self.assertTrue(data.startswith(b"\xef\xbb\xbf"))
                    words = plain(self.preview(data).text)
                    self.assertIn("0 new, 0 changed", words)
                    self.assertNotIn("refused", words)

    def test_decimal_commas_mark_duplicates_and_formulas(self):
        text = "\ufeffid;name;on;kind;x [mm];y [mm];z [mm];hole [mm];note\r\n;winch hole;vehicle;hole;-400,5;12,25;700;11;\r\n;Winch hole;vehicle;hole;1;2;3;;\r\n"
        text += ';gap;vehicle;hole;=A1*2;2;3;;\r\n;link;vehicle;hole;1;2;3;;=HYPERLINK("x")\r\n;left engine seat;vehicle;hole;427,9;-227,4;580;14;\r\n;sly;moon;hole;1;2;3;;\r\n'
        page = plain(self.preview(text).text)
        self.assertIn("1 new, 0 changed, 0 the same, 5 refused", page)
        for words in (
            "stands on line 2 already",
            "is a formula; write the figure",
            "is a formula; write plain text",
            "neither “vehicle” nor",
            "Nothing goes in",
        ):
            self.assertIn(words, page)
        self.assertEqual(self.shop.shop.builds.head("cairn-2").number, 1)
        good = "name;on;kind;x [mm];y [mm];z [mm]\nwinch hole;vehicle;hole;-400,5;12,25;700\n"
        page = self.preview(good)
        content = re.search(r"<textarea hidden name=\"content\">(.*?)</textarea>", page.text, re.S)[1]
        done = self.post("measure/files/accept", content=content, file_name="points.csv")
        self.assertIn("points.csv is in", plain(done.text))
        self.assertEqual(self.build().point("winch-hole").xyz_mm, (-400.5, 12.25, 700.0))

    def test_a_coordinate_that_comes_from_readings_is_not_overwritten(self):
        page = plain(self.preview("id,name,x [mm],y [mm],z [mm]\nGM-seat,gearbox seat,1213.4,-11.6,430\n").text)
        self.assertIn("comes from readings; bring in a reading instead", page)
        self.assertIn("1 changed", plain(self.preview("id,name,x [mm],y [mm],z [mm]\nGM-seat,gearbox seat,1214.4,-11.6,425\n").text))

    def test_files_that_are_none(self):
        for data, words in (
            (b"", "is empty"), (b"\x00\x01\x02", "not a text file"), (b"name,x,y,z\n", "does not say the unit"), (b"name,colour,x [mm],y [mm],z [mm]\n", "unknown column"),
            (b"name,x [ft],y [mm],z [mm]\n", "write [mm] or [in]"), (b"a,b\n1,2\n", "needs the columns"), (b'name,x [mm],y [mm],z [mm]\n"a', "not readable as CSV"),
            (b"name,x [mm],y [mm],z [mm]\nnew,1,250,3,4\n", "decimal comma"), (b"point,along,value [mm]\nnowhere,x,3\n", "is not a point"),
        ):  # fmt: skip
            with self.subTest(words):
                self.assertIn(words, plain(self.preview(data).text))
                self.assertEqual(self.shop.shop.builds.head("cairn-2").number, 1)

    def test_a_build_travels_with_its_photographs(self):
        self.upload("reference/marks", "photo", "a.png", picture("PNG"), do="add", what="scribe", mark_where="sill")
        data = self.teo.get("/builds/cairn-2/zip").content
        carried = build_zip.read(data)
        self.assertEqual(carried.build, self.build())
        self.assertEqual([p.id for p in carried.pictures], [p.id for p in self.build().photos])
        other = TestShop()
        self.addCleanup(other.close)
        wil = other.browser("wil")
        headers = {"X-CSRF-Token": wil.csrf, "HX-Request": "true"}
        self.assertEqual(wil.client.post("/builds", files={"file": ("b.zip", data)}, headers=headers).status_code, 204)
        photo = self.build().photos[-1].id
        self.assertEqual(wil.get(f"/builds/cairn-2-2/photos/{photo}").content, self.teo.get(f"/builds/cairn-2/photos/{photo}").content)
        alone = wil.client.post(
            "/builds",
            files={"file": ("b.json", zipfile.ZipFile(io.BytesIO(data)).read("build.json").replace(photo.encode(), b"0" * 24 + b".png"))},
            headers=headers,
        )
        self.assertIn("photographs that are not here", plain(alone.text))
        for spoiled, words in ((data[:-40], "not a readable zip"), (b"PK\x03\x04nothing", "not a readable zip")):
            self.assertIn(words, plain(wil.client.post("/builds", files={"file": ("b.zip", spoiled)}, headers=headers).text))

    def test_a_photograph_swapped_inside_a_zip_is_refused(self):
        kept = photographs.cleaned(picture("PNG"))
        with self.assertRaisesRegex(ValueError, "not that of"):
            photographs.kept_before(kept.id, picture("PNG", (10, 10)))


class Devices(Survey):
    """Devices send; only to whoever holds them, and nothing else."""

    def token(self):
        page = self.teo.post("/me/devices", device_name="my caliper", tool="caliper").text
        return re.search(r"dev_[\w\-]+", page)[0]

    def send(self, token, line, path="/api/v1/readings"):
        return self.shop.anybody().post(
            path, content=line if isinstance(line, str) else json.dumps(line), headers={"Authorization": f"Bearer {token}"}
        )

    def test_a_token_opens_one_door(self):
        token = self.token()
        self.assertEqual(self.send(token, {"value": 12.7, "unit": "mm"}).json(), {"pages": 0, "repeat": False})
        for path in ("/api/v1/builds", "/api/v1/calc/measure"):
            self.assertEqual(self.send(token, {}, path).status_code, 401)
        self.assertEqual(self.send("dev_wrong", {"value": 1.0, "unit": "mm"}).status_code, 401)
        self.assertEqual(self.shop.anybody().get("/stream").status_code, 204)
        page = plain(self.teo.get("/me").text)
        self.assertIn("my caliper reads as caliper, heard", page)
        device = self.shop.shop.devices.held_by(self.shop.shop.accounts.people()[1].id)
        self.assertTrue(all(token not in str(d) for d in device))

    def test_lines_that_make_no_sense_are_told_why(self):
        token = self.token()
        for line, field in (
            ("nonsense", "request"), ({"value": "12", "unit": "mm"}, "value"), ({"value": 1.0, "unit": "yd"}, "unit"), ({"value": 200_000.0, "unit": "mm"}, "value"),
            ({"value": 1.0, "unit": "mm", "battery_pct": 140}, "battery_pct"), ({"value": 1.0, "unit": "mm", "colour": 1}, "colour"), ('{"value": NaN, "unit": "mm"}', "value"),
        ):  # fmt: skip
            with self.subTest(field):
                answer = self.send(token, line)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(field, [e["field"] for e in answer.json()["errors"]] + (["request"] if line == "nonsense" else []))

    def test_a_repeat_of_the_last_line_is_not_passed_on_again(self):
        token = self.token()
        line = {"value": 1.0, "unit": "mm", "sequence": 7}
        self.assertFalse(self.send(token, line).json()["repeat"])
        self.assertTrue(self.send(token, line).json()["repeat"])
        self.assertFalse(self.send(token, {**line, "sequence": 8}).json()["repeat"])


class Queue(Survey):
    """The measuring list's queue: none lost, none twice."""

    def send(self, *entries):
        return self.post("measure/queue", entries=json.dumps(entries)).json()

    def entry(self, key, text, asked="p:GM-seat:z::", **more):
        return {"key": key, "asked": asked, "text": text, "tool": "tape", "taken_at": "2026-11-24T09:00:00", **more}

    def readings(self):
        return [r.text for r in self.build().point("GM-seat").readings]

    def test_sent_twice_is_taken_once(self):
        first, second = self.entry("aaaaaaaa1", "425.5"), self.entry("aaaaaaaa2", "425.2")
        self.assertEqual(self.send(first)["taken"], ["aaaaaaaa1"])
        self.assertEqual(self.send(first, second)["taken"], ["aaaaaaaa1", "aaaaaaaa2"])
        self.assertEqual(self.readings()[2:], ["425.5", "425.2"])
        self.assertEqual(self.build().point("GM-seat").readings[2].taken_at, "2026-11-24T09:00:00")

    def test_a_bad_one_between_good_ones_goes_back_with_its_reason(self):
        said = self.send(
            self.entry("bbbbbbbb1", "425"),
            self.entry("bbbbbbbb2", "forty"),
            self.entry("bbbbbbbb3", "10795"),
            self.entry("bbbbbbbb4", "424.8"),
        )
        self.assertEqual(said["taken"], ["bbbbbbbb1", "bbbbbbbb4"])
        self.assertEqual(said["refused"]["bbbbbbbb3"]["field"], "unit")
        self.assertEqual(self.readings()[2:], ["425", "424.8"])
        self.assertEqual(self.send(self.entry("bbbbbbbb3", "10795", sure=True))["taken"], ["bbbbbbbb3"])

    def test_undone_before_it_arrives_it_never_arrives(self):
        self.send({"key": "cccccccc9", "undo": "cccccccc1"})
        self.assertEqual(self.send(self.entry("cccccccc1", "430"))["taken"], ["cccccccc1"])
        self.assertEqual(self.readings(), ["425.05", "424.95"])
        self.send(self.entry("cccccccc2", "425.1"))
        self.send({"key": "cccccccc8", "undo": "cccccccc2"})
        self.assertEqual(self.readings(), ["425.05", "424.95"])

    def test_lines_and_sheet_figures_go_in_too(self):
        said = self.send(
            self.entry("dddddddd1", "LM-seat 428, -227.5, 553.2", "line"),
            self.entry("dddddddd2", "1210", "s:hub"),
            self.entry("dddddddd3", "4", "p:gone:z::"),
        )
        self.assertEqual(said["taken"], ["dddddddd1", "dddddddd2"])
        self.assertEqual([f.before.value for f in self.build().sheet if f.id == "hub"], [1210.0])
        self.assertEqual(len(self.build().point("LM-seat").readings), 5)
        self.assertEqual(self.post("measure/queue", entries="[{}]").status_code, 422)


if __name__ == "__main__":
    unittest.main()


class AskedDrawings(unittest.TestCase):
    """Each question of the measuring list shows, to true scale, where its figure is taken, from what to what."""

    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.wil = self.shop.browser("wil")

    def test_every_question_about_a_point_has_one_and_its_arrow_is_as_long_as_what_is_read(self):
        build = self.shop.shop.builds.head("bookworm").build
        survey = surveyed(build)
        seen = set()
        for on in (VEHICLE, "motor", "pack"):
            for asked in quantities(build, on):
                if not asked.point or asked.id.startswith("d:"):
                    continue
                drawn = str(asked_sheet(build, asked, Show()))
                px_per_mm = float(re.search(r'data-px-per-metre="([\d.]+)"', drawn)[1]) / 1000
                x1, y1, x2, y2 = (
                    float(re.search(rf'<line[^>]*{k}="([-\d.]+)"[^>]*class="measured"', drawn)[1]) for k in ("x1", "y1", "x2", "y2")
                )
                point, (_, _, along, edge, held) = build.point(asked.point), asked.id.split(":")
                place = survey.points[asked.point].fix.xyz_mm
                begin = survey.points[held].xyz_mm if held else survey.points[point.start].xyz_mm if point.start else (0.0, 0.0, 0.0)
                i, j = AXES_OF_VIEW["plan" if ">Plan<" in drawn else "side"]
                if along == "tape":
                    wanted = math.hypot(place[i] - begin[i], place[j] - begin[j])
                    self.assertGreaterEqual(wanted + 1e-6, min(abs(place[k] - begin[k]) for k in range(3)))
                else:
                    k = "xyz".index(along)
                    self.assertIn(k, (i, j), "the view shows the way that is read")
                    radius = {"far": 0.5, "near": -0.5}.get(edge, 0.0) * (point.hole_mm or 0.0)
                    wanted = abs(abs(place[k] - begin[k]) + radius)
                self.assertAlmostEqual(math.hypot(x2 - x1, y2 - y1) / px_per_mm, wanted, delta=0.03 / px_per_mm)
                seen.add((along, edge))
        self.assertLessEqual({("x", ""), ("y", ""), ("z", ""), ("tape", "")}, seen)
        self.assertTrue(any(edge for _, edge in seen))

    def test_the_first_come_with_the_page_and_the_others_are_fetched(self):
        page = self.wil.get("/builds/cairn-2/measure/list?scope=vehicle").text
        data = json.loads(re.search(r'id="asked-data">(.*?)</script>', page, re.DOTALL)[1])
        drawn = re.findall(r'data-asked="([^"]+)"', page)
        ids = [q["id"] for q in data["quantities"]]
        self.assertGreater(len(ids), len(drawn))
        self.assertEqual(drawn, [i for i in ids[:60] if i.startswith("p:")])
        later = next(i for i in ids[60:] if i.startswith("p:"))
        self.assertIn('class="measured"', self.wil.get(data["drawing"], params={"asked": later}).text)
        for nobody in ("p:none:x::", "s:none", "", "p::::"):
            answer = self.wil.get(data["drawing"], params={"asked": nobody})
            self.assertEqual((answer.status_code, answer.text), (200, ""))
