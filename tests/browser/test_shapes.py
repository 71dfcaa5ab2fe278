"""Shapes by hand: drawn and dragged in the views with a pointer, over a photograph, and by keyboard alone."""

import io
import re
import tempfile
import unittest
from pathlib import Path

from PIL import Image, ImageDraw

from elmpeg.core.methods.shapes.solids import bounds_mm
from tests.browser.live import BrowserCase, Chromium, Live, settled

BUILD = "bookworm"
PLACE = """([u, v]) => { const svg = document.querySelector(".pick-sheet svg"), px = Number(svg.dataset.pxPerMm);
  svg.scrollIntoView({ block: "center" }); const [left, , , top] = svg.dataset.window.split(",").map(Number);
  const p = new DOMPoint((u - left) * px, (top - v) * px).matrixTransform(svg.getScreenCTM()); return [p.x, p.y]; }"""
"""Where a place of the view that is picked in, mm, is on the screen."""


class Drawing(unittest.TestCase):
    """On the library bus."""

    @classmethod
    def setUpClass(cls):
        cls.chromium = Chromium()

    @classmethod
    def tearDownClass(cls):
        cls.chromium.close()

    def setUp(self):
        self.live = Live(self.chromium)
        self.page = self.live.page("orla")

    def tearDown(self):
        self.live.close()

    def build(self):
        return self.live.shop.shop.builds.head(BUILD).build

    def open(self, **query):
        asked = "&".join(f"{k}={v}" for k, v in query.items())
        self.page.goto(f"/builds/{BUILD}/shapes?{asked}")
        settled(self.page)

    def at(self, u, v):
        """Where a place of the large view, mm, is on the screen."""
        return self.page.evaluate(
            """([u, v]) => { const svg = document.querySelector(".draw-sheet svg"), px = Number(svg.dataset.pxPerMm);
               const [left, , , top] = svg.dataset.window.split(",").map(Number);
               const p = new DOMPoint((u - left) * px, (top - v) * px).matrixTransform(svg.getScreenCTM()); return [p.x, p.y]; }""",
            [u, v],
        )

    def drag(self, start, end):
        (x, y), (to_x, to_y) = self.at(*start), self.at(*end)
        mouse = self.page.mouse
        mouse.move(x, y)
        mouse.down()
        mouse.move((x + to_x) / 2, (y + to_y) / 2)
        mouse.move(to_x, to_y)
        mouse.up()
        settled(self.page)
        self.page.wait_for_timeout(150)
        settled(self.page)

    def click(self, *place):
        self.page.mouse.click(*self.at(*place))
        settled(self.page)
        self.page.wait_for_timeout(120)
        settled(self.page)

    def value(self, name):
        return float(self.page.input_value(f"#shape-form [name={name}]"))

    def keep(self):
        with self.page.expect_response(lambda r: r.request.method == "POST" and r.url.endswith("/shapes")):
            self.page.click("#shape-form button:has-text('Keep'), #shape-form button:has-text('Add it')")
        settled(self.page)

    def test_a_box_is_drawn_dragged_and_taken_by_a_corner(self):
        self.open(kind="box", step=50)
        self.drag((1000, 1100), (1600, 1400))
        self.page.fill("#shape-form [name=name]", "water tank")
        self.assertEqual([self.value(f"centre_mm_{a}") for a in "xz"], [1300, 1250])
        self.assertEqual([self.value(f"size_mm_{a}") for a in "xz"], [600, 300])
        self.keep()
        tank = self.build().solids[-1]
        self.assertEqual((tank.name, tank.centre_mm, tank.size_mm), ("water tank", (1300.0, 0.0, 1250.0), (600.0, 100.0, 300.0)))
        self.drag((1300, 1250), (1500, 1350))
        self.assertEqual([self.value(f"centre_mm_{a}") for a in "xz"], [1500, 1350])
        self.drag((1800, 1500), (2000, 1700))
        self.assertEqual([self.value(f"size_mm_{a}") for a in "xz"], [800, 500])
        self.assertEqual(self.build().solids[-1], tank, "nothing is kept before it is asked for")
        self.keep()
        self.assertEqual(bounds_mm(self.build().solids[-1]), ((1200.0, -50.0, 1200.0), (2000.0, 50.0, 1700.0)))
        self.assertEqual(self.live.complaints, [])

    def pick(self, u, v):
        """Taps a place of the view that centre lines are picked in, mm."""
        self.page.evaluate("document.querySelector('#line-pick').scrollIntoView({ block: 'start' })")
        at = self.page.evaluate(PLACE.replace(".pick-sheet svg", "#line-pick svg"), [u, v])
        with self.page.expect_response(lambda r: "/structures/pick" in r.url):
            self.page.mouse.click(*at)
        settled(self.page)

    def seen_in(self, selector):
        with self.page.expect_response(lambda r: "/structures/pick" in r.url):
            self.page.click(f"#line-pick {selector}")
        settled(self.page)

    def add_line(self):
        with self.page.expect_response(lambda r: r.request.method == "POST" and r.url.endswith("/structures")):
            self.page.click("button:has-text('Add the centre line')")
        settled(self.page)

    def line_value(self, name):
        return self.page.input_value(f"#line-form [name={name}]")

    def test_centre_lines_of_a_structure_are_picked_in_the_views(self):
        """Two taps in one view, two in another, and a member is there; the next goes on from it to a point, and a node is dragged."""
        self.page.goto(f"/builds/{BUILD}/make/structures")
        settled(self.page)
        self.page.fill("[name=new_name]", "Shelf bar")
        self.page.click("button:has-text('Begin it')")
        self.page.wait_for_selector("#line-pick svg")
        settled(self.page)
        self.pick(1000, 1200)
        self.assertTrue(self.page.is_checked("[name=line_next][value=end]"), "the next tap is the other end's")
        self.pick(1800, 1500)
        self.assertEqual([float(self.line_value(f"line_{end}_{a}")) for end in ("start", "end") for a in "xz"], [1000, 1200, 1800, 1500])
        self.assertEqual(self.line_value("line_end_y"), "", "which the side does not show")
        self.seen_in("[data-view=plan]")
        self.assertEqual(self.line_value("line_start_x"), "1000", "what was picked stays")
        self.page.check("[name=line_next][value=start]")
        self.pick(1000, -400)
        self.pick(1800, -400)
        self.page.fill("[name=member_across]", "38")
        self.add_line()
        structure = self.build().structures[-1]
        self.assertEqual([n.xyz_mm for n in structure.nodes], [(1000.0, -400.0, 1200.0), (1800.0, -400.0, 1500.0)])
        self.assertEqual([(m.start, m.end, m.across_mm) for m in structure.members], [("A", "B", 38.0)])
        self.assertEqual(self.line_value("line_start"), "node:B", "the next line goes on from there")
        self.assertEqual(self.page.get_attribute("#line-pick svg", "data-axes"), "xy", "in the view that was open")
        self.seen_in("[data-zoom=whole]")
        point = self.page.locator("#line-pick [data-point]").last
        name = point.get_attribute("data-point")
        with self.page.expect_response(lambda r: "/structures/pick" in r.url):
            point.click(force=True)
        settled(self.page)
        chosen = self.line_value("line_end")
        self.assertTrue(chosen.startswith("point:"), f"{chosen} after {name}")
        self.add_line()
        structure = self.build().structures[-1]
        self.assertEqual(structure.nodes[-1].point, chosen.removeprefix("point:"))
        node = self.page.locator("#line-pick [data-node=A]").bounding_box()
        x, y = node["x"] + node["width"] / 2, node["y"] + node["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 30, y - 20, steps=4)
        with self.page.expect_response(lambda r: r.request.method == "POST" and r.url.endswith("/structures")):
            self.page.mouse.up()
        settled(self.page)
        moved = self.build().structures[-1].nodes[0].xyz_mm
        self.assertGreater(moved[0], 1000.0)
        self.assertGreater(moved[1], -400.0, "up in the plan is to the right")
        self.assertEqual(moved[2], 1200.0)
        self.assertEqual(self.live.complaints, [])

    def test_a_box_gets_its_third_side_in_another_view(self):
        self.open(kind="box", step=50)
        self.drag((1000, 1100), (1600, 1400))
        self.page.click("[data-view-to=plan]")
        settled(self.page)
        self.page.wait_for_timeout(150)
        self.drag((1600, 50), (1600, 300))
        self.assertEqual((self.value("centre_mm_y"), self.value("size_mm_y")), (125, 350))
        self.assertEqual((self.value("centre_mm_z"), self.value("size_mm_z")), (1250, 300), "what the side view said stays")

    def test_an_outline_and_a_hose_are_clicked_corner_by_corner(self):
        self.open(kind="extrusion", step=50)
        for corner in ((1000, 1100), (1500, 1100), (1250, 1500)):
            self.click(*corner)
        self.page.fill("#shape-form [name=name]", "gusset")
        self.keep()
        gusset = self.build().solids[-1]
        self.assertEqual(
            (gusset.outline_mm, gusset.from_mm, gusset.to_mm), (((1000.0, 1100.0), (1500.0, 1100.0), (1250.0, 1500.0)), -50.0, 50.0)
        )
        self.open(kind="tube", step=50, view="plan")
        for corner in ((500, 300), (2000, 300), (2500, 0)):
            self.click(*corner)
        self.page.fill("#shape-form [name=name]", "brake hose")
        self.page.select_option("#shape-form [name=role]", "fuel_or_brake_line")
        self.keep()
        hose = self.build().solids[-1]
        self.assertEqual((hose.path_mm, hose.role), (((500.0, 300.0, 0.0), (2000.0, 300.0, 0.0), (2500.0, 0.0, 0.0)), "fuel_or_brake_line"))

    def test_an_outline_that_crosses_itself_is_told_and_nothing_is_lost(self):
        self.open(kind="extrusion", step=50)
        for corner in ((1000, 1100), (1500, 1500), (1500, 1100), (1000, 1500)):
            self.click(*corner)
        self.assertIn("cross", self.page.inner_text("#drawn .field-error"))
        self.assertEqual(self.page.locator(".draw-sheet .crossed").count(), 1)
        self.assertIn("crosses here", self.page.text_content(".draw-sheet svg"))
        before = self.build()
        self.page.fill("#shape-form [name=name]", "knot")
        self.keep()
        self.assertEqual(self.build(), before)
        self.assertEqual(len(self.page.input_value("#shape-form [name=outline_mm]").splitlines()), 4)
        self.assertIn("cross", self.page.inner_text("main"))

    def test_what_was_typed_in_fractions_is_dragged_from_there(self):
        self.page.goto("/me")
        self.page.select_option("[name=units]", "in_fraction_16")
        self.page.click("main button:has-text('Keep')")
        settled(self.page)
        self.open(shape="left-rail", step=10)
        self.page.fill("#shape-form [name=centre_mm_z]", "27 9/16")
        self.page.wait_for_timeout(400)
        settled(self.page)
        self.drag((2000, 700), (2000, 800))
        # The snap is a quarter of an inch for who draws in inches: four inches are the nearest to 100 mm.
        self.assertAlmostEqual(self.value("centre_mm_z") * 25.4, (27.5625 + 4) * 25.4, delta=0.1)
        self.assertAlmostEqual(self.value("size_mm_z") * 25.4, 180, delta=0.1)

    def test_by_keyboard_alone(self):
        self.open(kind="cylinder")
        self.page.focus("#shape-form [name=name]")
        for text in ("spare wheel", "0", "-300", "900", "0", "-100", "900", "700"):
            self.page.keyboard.type(text)
            self.page.keyboard.press("Tab")
        self.page.keyboard.press("Enter")
        settled(self.page)
        made = self.build().solids[-1]
        self.assertEqual(
            (made.name, made.start_mm, made.end_mm, made.diameter_mm), ("spare wheel", (0.0, -300.0, 900.0), (0.0, -100.0, 900.0), 700.0)
        )

    def test_a_photograph_is_laid_under_by_two_places_and_traced(self):
        """A picture at 4 mm a pixel, its marks 1600 mm apart: a corner seen at a pixel lies where the picture's scale says."""
        picture = Image.new("RGB", (800, 400), "white")
        pen = ImageDraw.Draw(picture)
        pen.rectangle((100, 100, 500, 300), outline="black", width=3)
        out = io.BytesIO()
        picture.save(out, "PNG")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "bracket.png"
            path.write_bytes(out.getvalue())
            self.page.goto(f"/builds/{BUILD}/shapes/photo?on=vehicle&view=side")
            self.page.set_input_files("[name=photo]", str(path))
            self.page.click("button:has-text('Take it in')")
            settled(self.page)
        box = self.page.locator("#photo-view").bounding_box()
        for x, y in ((100, 300), (500, 300)):
            self.page.mouse.click(box["x"] + x / 800 * box["width"], box["y"] + y / 400 * box["height"])
        self.page.fill("[name=at_0_u]", "1000")
        self.page.fill("[name=at_0_v]", "200")
        self.page.fill("[name=distance]", "1600")
        self.page.click("main button:has-text('Keep')")
        settled(self.page)
        (underlay,) = self.build().underlays
        a, b = underlay.marks
        self.assertAlmostEqual(b.at_mm[0] - a.at_mm[0], 1600.0, delta=0.1)
        self.assertAlmostEqual(b.at_mm[1], 200.0, delta=8.0, msg="picked by hand, to a pixel or two")
        self.open(view="side")
        beneath = self.page.locator(".draw-sheet image.beneath")
        self.assertEqual(beneath.count(), 1)
        width = float(beneath.get_attribute("width"))
        px_per_mm = float(self.page.get_attribute(".draw-sheet svg", "data-px-per-mm"))
        self.assertAlmostEqual(width / px_per_mm, 3200.0, delta=30.0, msg="800 pixels at 4 mm")
        self.assertEqual(self.live.complaints, [])

    def test_a_point_is_picked_in_a_view_as_well_as_typed(self):
        self.page.goto(f"/builds/{BUILD}/points/new")
        self.page.fill("main [name=name]", "strap end")
        self.page.click("text=Pick it in a view")
        spot = self.page.evaluate(PLACE, [1500, 600])
        self.page.mouse.click(*spot)
        self.assertAlmostEqual(float(self.page.input_value("[name=at_x]")), 1500, delta=12)
        self.assertAlmostEqual(float(self.page.input_value("[name=at_z]")), 600, delta=12)
        self.assertEqual(self.page.input_value("[name=at_y]"), "")
        self.page.click("#pick button:has-text('Plan')")
        settled(self.page)
        self.page.mouse.click(*self.page.evaluate(PLACE, [1500, -300]))
        self.assertAlmostEqual(float(self.page.input_value("[name=at_y]")), -300, delta=12)

    def test_the_two_shapes_of_a_room_are_picked_in_a_view(self):
        self.page.goto(f"/builds/{BUILD}/things?of=rooms")
        for u, v in ((3150, 345), (4950, 480)):
            self.page.mouse.click(*self.page.evaluate(PLACE, [u, v]))
        picked = [self.page.input_value(f"[name={n}]") for n in ("a_on", "a_solid", "b_on", "b_solid")]
        self.assertEqual(picked, ["vehicle", "motor-crossmember", "rear-axle", "tube"])
        self.page.fill("main [name=name]", "crossmember to axle")
        self.page.fill("[name=at_least_mm]", "30")
        self.page.click("button:has-text('Add it')")
        settled(self.page)
        self.assertEqual(self.build().rooms[-1].name, "crossmember to axle")


class Waiting(BrowserCase):
    """What takes a while says so: how much is sent, and that it is being worked on."""

    def test_a_photograph_to_trace(self):
        page = self.live.page("orla")
        page.goto("/builds/cairn-2/make/trace?option=low")
        settled(page)
        picture = io.BytesIO()
        Image.effect_noise((1400, 1000), 60).save(picture, "PNG")
        self.assertFalse(page.locator(".waits").first.is_visible())
        page.evaluate("""() => { const waits = document.querySelector('.waits'); window.said = [];
          new MutationObserver(() => { if (!waits.hidden) window.said.push(waits.textContent.trim()); })
            .observe(waits, { attributes: true, childList: true, subtree: true }); }""")
        page.set_input_files("input[name=photo]", {"name": "bench.png", "mimeType": "image/png", "buffer": picture.getvalue()})
        page.click("text=Take it in")
        page.wait_for_selector("#photo-view")
        said = page.evaluate("window.said")
        self.assertIn("Reading the picture …", said)
        self.assertTrue(all(re.fullmatch(r"Taking the picture in: \d+ %|Reading the picture …", words) for words in said), said)
        settled(page)
        self.assertFalse(page.locator(".waits").first.is_visible())


if __name__ == "__main__":
    unittest.main()
