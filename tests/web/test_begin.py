"""Beginnings over the web: the first lead, people, a new build, parts, the book, and what a build says of itself."""

import io
import re
import unittest
from html import unescape

from PIL import Image

from tests.empty import PASSWORD, EmptyShop
from tests.shop import SignedIn
from tests.web.test_every_form import Page


def told(answer):
    """What was refused, by field."""
    return {k: unescape(v) for k, v in re.findall(r'id="error-([^"]+)">(.*?)</p>', answer.text)}


class FirstStart(unittest.TestCase):
    """An empty shop."""

    def setUp(self):
        self.shop = EmptyShop()
        self.visitor = self.shop.anybody()

    def tearDown(self):
        self.shop.close()

    def test_every_page_leads_to_the_first_one_until_there_is_a_lead(self):
        for path in ("/", "/sign-in", "/shelf", "/builds/x/bay"):
            answer = self.visitor.get(path)
            self.assertEqual((answer.status_code, answer.headers["location"]), (303, "/first"), path)
        self.assertEqual(self.visitor.get("/first").status_code, 200)
        self.shop.begin()
        self.assertEqual(self.visitor.get("/first").headers["location"], "/sign-in")
        self.assertEqual(self.visitor.get("/").headers["location"].split("?")[0], "/sign-in")

    def test_without_the_code_nobody_gets_in_and_nothing_typed_is_lost(self):
        answer = self.visitor.post("/first", data=self.shop.first(code="ABCD-2345"))
        self.assertEqual(answer.status_code, 422)
        self.assertIn("code", told(answer))
        self.assertIn('value="Larkfield Conversions"', answer.text)
        self.assertEqual(self.shop.shop.accounts.people(), ())

    def test_guessing_the_code_ends_after_ten_tries(self):
        for _ in range(10):
            self.visitor.post("/first", data=self.shop.first(code="ABCD-2345"))
        answer = self.visitor.post("/first", data=self.shop.first())
        self.assertIn("Too many", told(answer)["code"])
        self.assertEqual(self.shop.shop.accounts.people(), ())

    def test_each_field_is_refused_by_its_name(self):
        for field, bad in (("shop_name", " "), ("name", ""), ("login", "two words"), ("password", "short"), ("units", "cubits")):
            with self.subTest(field=field):
                answer = self.visitor.post("/first", data=self.shop.first(**{field: bad}))
                self.assertEqual(answer.status_code, 422)
                self.assertEqual(list(told(answer)), [field])

    def test_the_first_lead_is_signed_in_and_nobody_else_can_be_first(self):
        answer = self.visitor.post("/first", data=self.shop.first(code=self.shop.shop.first.code.lower().replace("-", " ")))
        self.assertEqual((answer.status_code, answer.headers["location"]), (303, "/"))
        self.assertIn("Larkfield Conversions", self.visitor.get("/").text)
        self.shop.anybody().post("/first", data=self.shop.first(login="bo"))
        self.assertEqual([p.login for p in self.shop.shop.accounts.people()], ["ida"])


class InTheShop(unittest.TestCase):
    """A shop with one lead."""

    def setUp(self):
        self.shop = EmptyShop()
        self.ida = self.shop.begin()

    def tearDown(self):
        self.shop.close()

    def head(self, build_id="kestrel"):
        return self.shop.shop.builds.head(build_id)

    def begin(self, **figures):
        answer = self.ida.post("/new", kind="ladder", name="Kestrel", **figures)
        self.assertEqual(answer.status_code, 204, told(answer))
        return self.head()

    def put(self, form, **fields):
        return self.ida.post(
            "/builds/kestrel/parts/new", form=form, base=str(self.head().number), option="first", **{"room": "10", **fields}
        )

    def test_a_person_is_added_chooses_a_password_and_is_switched_off(self):
        answer = self.ida.post("/people", login="bo", name="Bo Tarn", role="fabricator")
        link = re.search(r"data-behind-here>(/welcome/[^<\s]+)", answer.text)[1]
        visitor = self.shop.anybody()
        self.assertIn("Bo Tarn", visitor.get(link).text)
        self.assertEqual(visitor.post(link, data={"password": "short"}).status_code, 422)
        self.assertEqual(visitor.post(link, data={"password": "oak and tallow"}).status_code, 303)
        self.assertEqual(visitor.get("/").status_code, 200)
        self.assertIn("used up", self.shop.anybody().get(link).text)
        bo = next(p for p in self.shop.shop.accounts.people() if p.login == "bo")
        self.ida.post(f"/people/{bo.id}", do="off")
        self.assertEqual(visitor.get("/").status_code, 303)

    def test_only_leads_look_after_people_and_the_shop(self):
        self.ida.post("/people", login="bo", name="Bo", role="fabricator")
        _, secret = None, self.shop.shop.accounts.new_link(2)
        self.shop.shop.accounts.choose_password(secret, "oak and tallow")
        bo = self.shop.browser_of("bo", "oak and tallow")
        for path, fields in (
            ("/people", {"login": "x", "name": "X", "role": "lead"}),
            ("/people/1", {"do": "off"}),
            ("/shop", {"do": "shop", "shop_name": "Mine"}),
        ):
            self.assertEqual(bo.post(path, **fields).status_code, 403, path)
        for path in ("/people", "/shop", "/book", "/new"):
            self.assertEqual(bo.get(path).status_code, 200, path)

    def test_one_changes_ones_own_password(self):
        refused = self.ida.post("/me/password", old_password="wrong", new_password="oak and tallow")
        self.assertEqual(list(told(refused)), ["old_password"])
        self.assertEqual(self.ida.post("/me/password", old_password=PASSWORD, new_password="oak and tallow").status_code, 200)
        self.assertEqual(SignedIn(self.shop.anybody(), "ida", "oak and tallow").signed_in.status_code, 303)

    def test_what_the_shop_says_goes_into_the_next_build_and_not_into_the_last(self):
        before = self.begin()
        self.ida.post("/shop", do="tool", tool_name="long caliper", tool_reads="lengths", tool_sd="0.2")
        self.ida.post("/shop", do="cautions", cautions="Gas off.\n\n  Stands   under it. ")
        refused = self.ida.post("/shop", do="tool", tool_name="Long Caliper", tool_reads="lengths", tool_sd="0.3")
        self.assertIn("tool_name", told(refused))
        self.assertIn("tool_sd", told(self.ida.post("/shop", do="tool", tool_name="rod", tool_reads="angles", tool_sd="0")))
        self.ida.post("/new", kind="bare", name="Second")
        made = self.head("second").build
        self.assertIn("long caliper", [t.name for t in made.tools])
        self.assertEqual(made.cautions, ("Gas off.", "Stands under it."))
        self.assertNotIn("long caliper", [t.name for t in before.build.tools])

    def test_a_wheelbase_of_110_is_asked_about_and_taken_when_somebody_insists(self):
        answer = self.ida.post("/new", kind="ladder", name="Kart", wheelbase_mm="110", front_track_mm="1480")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("Inches?", told(answer)["wheelbase_mm"])
        self.assertIn('value="1480"', answer.text)
        self.assertIn('name="sure"', answer.text)
        self.assertEqual(self.ida.post("/new", kind="ladder", name="Kart", wheelbase_mm="110 in").status_code, 204)
        self.assertEqual(self.ida.post("/new", kind="ladder", name="Toy", wheelbase_mm="110", sure="1").status_code, 204)
        wheels = [self.head(b).build.wheels[2].centre_mm[0] for b in ("kart", "toy")]
        self.assertEqual(wheels, [2794.0, 110.0])

    def test_figures_that_cannot_be_read_are_refused_beside_their_fields(self):
        answer = self.ida.post("/new", kind="ladder", name="", wheelbase_mm="about nine foot", tyre_mm="1,234")
        self.assertEqual(set(told(answer)), {"name", "wheelbase_mm", "tyre_mm"})
        self.assertEqual(self.shop.shop.builds.ids(), ())

    def test_the_vehicle_is_drawn_while_it_is_typed_and_nothing_is_kept(self):
        narrow, wide = (self.ida.post("/new/drawn", kind="ladder", rails_apart_mm=v).text for v in ("700", "1100"))
        self.assertEqual(narrow.count("<svg"), 3)
        self.assertNotEqual(narrow, wide)
        self.assertEqual(self.shop.shop.builds.ids(), ())

    def test_a_part_is_put_in_from_a_form_and_its_room_is_watched(self):
        self.begin()
        drawn = self.ida.post("/builds/kestrel/parts/drawn", form="engine_inline", width_mm="900")
        self.assertIn("inside it", drawn.text, "an engine 900 wide does not go between rails 850 apart")
        self.assertEqual(self.put("engine_inline", name="Engine", watch="1").status_code, 204)
        build = self.head().build
        self.assertEqual(build.components[0].name, "Engine")
        self.assertEqual({r.at_least_mm for r in build.rooms}, {10.0})
        refused = self.put("engine_inline", name="engine")
        self.assertIn("name", told(refused))

    def test_a_part_of_the_book_comes_in_with_its_origin_and_goes_back_better_known(self):
        self.begin()
        self.put("axle", name="Rear axle", in_book="1", pinion_out_mm="333")
        kept = self.shop.shop.book.parts()[0]
        self.assertEqual(self.head().build.components[0].origin, kept.origin)
        answer = self.ida.post(
            "/builds/kestrel/parts/new", part=kept.id, name="Front axle", base=str(self.head().number), place_x="0", room="10"
        )
        self.assertEqual(answer.status_code, 204, told(answer))
        self.assertEqual(self.head().build.component("front-axle").origin, f"{kept.id} version 1")
        offered = self.ida.post("/builds/kestrel/parts/front-axle/offer")
        self.assertEqual(offered.status_code, 204)
        self.assertEqual([v.words for v in self.shop.shop.book.versions(kept.id)], ["Measured on Kestrel", "Begun for Kestrel"])

    def test_points_of_a_part_of_the_book_are_changed_added_and_taken_out_and_the_rest_stays(self):
        self.begin()
        self.put("axle", name="Rear axle", in_book="1", pinion_out_mm="333.25")
        kept = self.shop.shop.book.parts()[0]
        page = Page(self.ida.get(f"/book?part={kept.id}").text)
        form = next(f for where, f in page.forms if where.endswith(kept.id) and "with_points" in f)
        self.assertEqual(self.ida.post(f"/book/{kept.id}", **form).status_code, 204)
        self.assertEqual(self.shop.shop.book.part(kept.id).part, kept.part, "kept as it is shown it stays what it was")
        n = len(kept.part.points)
        pinion = next(k for k, p in enumerate(kept.part.points) if p.name == "pinion")
        more = {
            f"points_{pinion}_xyz_mm_z": "12",
            "seen": "2",
            f"points_{n}_name": "breather",
            **{f"points_{n}_xyz_mm_{a}": "5" for a in "xyz"},
        }
        gone = {k: "" for k in form if k.startswith(f"points_{n - 1}_")}
        answer = self.ida.post(f"/book/{kept.id}", **{**form, **more, **gone})
        self.assertEqual(answer.status_code, 204, told(answer))
        after = {p.name: p for p in self.shop.shop.book.part(kept.id).part.points}
        self.assertEqual(after["pinion"].xyz_mm, (-333.25, 0.0, 12.0))
        self.assertEqual(after["pinion"].axis, next(p for p in kept.part.points if p.name == "pinion").axis)
        self.assertIn("breather", after)
        self.assertNotIn(kept.part.points[-1].name, after)
        self.assertEqual(len(after), n)

    def test_a_photograph_of_a_part_of_the_book_goes_into_the_build_with_it(self):
        self.begin()
        self.put("seat", name="Seat", in_book="1")
        kept = self.shop.shop.book.parts()[0]
        out = io.BytesIO()
        Image.new("RGB", (40, 30), "green").save(out, "PNG")
        headers = {"X-CSRF-Token": self.ida.csrf, "HX-Request": "true"}
        nothing = self.ida.post(f"/book/{kept.id}", do="photo")
        self.assertIn("photo", told(nothing))
        sent = self.ida.client.post(
            f"/book/{kept.id}", data={"do": "photo"}, files={"photo": ("seat.png", out.getvalue())}, headers=headers
        )
        self.assertEqual(sent.status_code, 204)
        photo = self.shop.shop.book.part(kept.id).part.photos[0]
        self.assertEqual(self.ida.get(f"/book/{kept.id}/photos/{photo.id}").headers["content-type"], "image/png")
        self.assertEqual(self.ida.get(f"/book/{kept.id}/photos/other.png").status_code, 404)
        self.ida.post("/builds/kestrel/parts/new", part=kept.id, name="Second seat", base=str(self.head().number), room="10")
        self.assertEqual([p.id for p in self.head().build.photos], [photo.id])
        self.ida.post(f"/book/{kept.id}", do="photo_out", photo_id=photo.id)
        self.assertEqual(self.shop.shop.book.part(kept.id).part.photos, ())

    def test_a_photograph_taken_askew_is_laid_under_by_four_places(self):
        self.begin()
        out = io.BytesIO()
        Image.new("RGB", (400, 300), "green").save(out, "JPEG")
        headers = {"X-CSRF-Token": self.ida.csrf, "HX-Request": "true"}
        path = "/builds/kestrel/shapes/photo"
        self.ida.client.post(
            path, data={"do": "photo", "base": str(self.head().number)}, files={"photo": ("x.jpg", out.getvalue())}, headers=headers
        )
        photo = self.head().build.photos[0].id

        def keep(px, at, **more):
            marks = {f"px_{k}_{a}": str(v) for k, p in enumerate(px) for a, v in zip("xy", p, strict=True)}
            marks |= {f"at_{k}_{a}": str(v) for k, p in enumerate(at) for a, v in zip("uv", p, strict=True)}
            return self.ida.post(
                path, do="keep", base=str(self.head().number), picture=photo, name="From the left", view="side", **marks, **more
            )

        askew, true = ((40, 250), (350, 290), (330, 40), (70, 80)), ((0, 0), (1200, 0), (1200, 800), (0, 800))
        self.assertIn("in a line", told(keep(((0, 0), (10, 10), (20, 20), (5, 90)), true))["marks"])
        self.assertIn("two places do", told(keep(askew[:3], true[:3]))["marks"])
        self.assertIn("at_1_u", told(keep(askew[:2], true[:1])))
        self.assertEqual(keep(askew, true).status_code, 200)
        underlay = self.head().build.underlays[0]
        self.assertEqual([m.at_mm for m in underlay.marks], [tuple(map(float, p)) for p in true])
        picture = self.ida.get(f"{path}/{underlay.id}.jpg")
        self.assertEqual(picture.headers["content-type"], "image/jpeg")
        self.assertIn('class="beneath"', self.ida.get("/builds/kestrel/shapes?view=side").text)
        self.assertNotIn('class="beneath"', self.ida.get("/builds/kestrel/shapes?view=side&strength=hidden").text)
        self.ida.post(path, do="remove", base=str(self.head().number), underlay=underlay.id)
        self.assertEqual(self.head().build.underlays, ())

    def test_a_run_of_pipe_needs_two_corners_and_half_a_corner_is_refused(self):
        self.begin()
        one = self.put("exhaust", name="Pipe", corner_0_x="0", corner_0_y="0", corner_0_z="0")
        self.assertIn("corner_1_x", told(one))
        half = self.put("exhaust", name="Pipe", corner_0_x="0", corner_0_y="0", corner_0_z="0", corner_1_x="500")
        self.assertEqual(set(told(half)), {"corner_1_y", "corner_1_z"})
        corners = {
            f"corner_{k}_{a}": v for k, row in enumerate((("0", "0", "0"), ("300", "0", "-200"))) for a, v in zip("xyz", row, strict=True)
        }
        self.assertEqual(self.put("exhaust", name="Pipe", **corners).status_code, 204)
        self.assertEqual(self.head().build.components[0].solids[0].path_mm, ((0.0, 0.0, 0.0), (300.0, 0.0, -200.0)))

    def test_a_mount_is_made_with_its_seat_and_what_is_not_taped_is_assumed(self):
        self.begin()
        self.put("engine_inline", name="Engine", feet_below_mm="20")
        base = str(self.head().number)
        asked = {"base": base, "option": "first", "component_point": "engine-left-foot", "seat_point": "+", "bolt": "12", "hold": "spacers"}
        self.assertIn("seat_z", told(self.ida.post("/builds/kestrel/mounts/new", **asked)))
        self.assertEqual(self.ida.post("/builds/kestrel/mounts/new", **asked, seat_z="555").status_code, 200)
        build = self.head().build
        seat = build.point(build.mounts[0].seat_point)
        self.assertEqual((seat.source, [r.axis for r in seat.readings], seat.xyz_mm[2]), ("assumed", ["z"], 555.0))
        gap = next(c for c in self.shop.shop.evaluated(self.head(), "first").checks if c.family == "gap")
        self.assertAlmostEqual(gap.value, 600 - 20 - 555)

    def test_a_build_says_what_it_is_is_copied_put_away_removed_and_brought_back(self):
        self.begin()
        base = str(self.head().number)
        answer = self.ida.post("/builds/kestrel/about", do="about", base=base, name="Kestrel 2", vehicle="Aldermoor", stage="Place")
        self.assertEqual(answer.status_code, 200)
        self.assertEqual((self.head().build.name, self.head().build.stage), ("Kestrel 2", "Place"))
        refused = self.ida.post(
            "/builds/kestrel/about/limits", base=str(self.head().number), mount_tilt_deg="0", square_mm="2", mirror_mm="x"
        )
        self.assertEqual(set(told(refused)), {"mount_tilt_deg", "mirror_mm"})
        self.assertEqual(self.ida.post("/builds/kestrel/copy", copy_name="Merlin").status_code, 204)
        self.assertEqual(self.head("merlin").build.solids, self.head().build.solids)
        self.ida.post("/builds/merlin/put", where="archived")
        self.assertNotIn("Merlin", self.ida.get("/").text)
        self.assertIn("Merlin", self.ida.get("/?where=archived").text)
        stuck = self.ida.post("/builds/merlin/about", do="about", base="1", name="Hobby", vehicle="", stage="Place")
        self.assertIn("archived", stuck.text)
        self.ida.post("/builds/merlin/put", where="removed")
        self.assertIn("deleted for good", unescape(re.sub(r"\s+", " ", self.ida.get("/?where=removed").text)))
        self.ida.post("/builds/merlin/put", where="in work")
        self.assertIn("Merlin", self.ida.get("/").text)

    def test_each_stage_says_what_next_until_it_is_done(self):
        self.begin()
        said = {
            s: re.search(r'class="next">.*?</p>', self.ida.get(f"/builds/kestrel/{s}").text, re.S)
            for s in ("reference", "bay", "mounts", "drive", "fit")
        }
        self.assertIn("level", said["reference"][0])
        self.assertIn("Put the first part in", said["bay"][0])
        self.assertIn("no part to hold", said["mounts"][0])
        self.put("engine_inline", name="Engine")
        self.assertIn("Engine has 2 holes and no mount", self.ida.get("/builds/kestrel/mounts").text)

    def test_every_next_thing_leads_to_a_page_that_is_there(self):
        self.begin()
        for put in ("", "engine_inline", "gearbox", "axle"):
            if put:
                self.put(put, name=put)
            for stage in ("reference", "measure", "bay", "mounts", "drive", "fit"):
                page = self.ida.get(f"/builds/kestrel/{stage}").text
                link = re.search(r'class="next">.*?href="([^"]+)"', page, re.S)
                if link:
                    with self.subTest(stage=stage, put=put, link=link[1]):
                        self.assertEqual(self.ida.get(unescape(link[1])).status_code, 200)


if __name__ == "__main__":
    unittest.main()
