"""Reckoning as a person does it: found by a word, typed, answered at once, by keyboard alone and on a tablet."""

import json

from tests.browser.live import OneShopCase, settled


class Reckoning(OneShopCase):
    def tearDown(self):
        self.assertEqual(self.live.complaints, [])

    def value(self, page):
        return page.locator(".reckon-value").inner_text()

    def test_by_keyboard_alone_from_a_word_to_an_answer(self):
        page = self.live.page("teo")
        page.goto("/reckoner")
        settled(page)
        page.keyboard.type("cut rod")
        page.wait_for_selector(".is-hits a")
        page.keyboard.press("Enter")
        page.wait_for_url("**/reckoner?q=cut+rod")
        settled(page)
        for _ in range(12):
            page.keyboard.press("Tab")
            if page.evaluate("document.activeElement.textContent").startswith("Cut a control rod"):
                break
        page.keyboard.press("Enter")
        page.wait_for_selector(".reckon-value")
        for _ in range(30):
            page.keyboard.press("Tab")
            if page.evaluate("document.activeElement.name") == "f.centre_mm":
                break
        page.keyboard.press("Control+a")
        page.keyboard.type("300")
        page.wait_for_selector(".reckon-value:has-text('284.0')")
        self.assertIn("7 figures are still the example", page.locator(".reckon-example").inner_text())
        self.assertEqual(page.evaluate("document.activeElement.name"), "f.centre_mm", "the answer takes no focus away")

    def test_what_is_wrong_stands_beside_its_field_and_goes_when_it_is_right(self):
        page = self.live.page("teo")
        page.goto("/reckoner/flat")
        settled(page)
        field = page.locator("[name='f.flanges_mm']")
        field.fill("4; 90; 50")
        page.wait_for_selector("[data-error-for='flanges_mm']:not([hidden])")
        self.assertIn("6.0 mm is the least", page.locator("[data-error-for='flanges_mm']").inner_text())
        self.assertEqual(field.get_attribute("aria-invalid"), "true")
        self.assertEqual(field.input_value(), "4; 90; 50")
        field.fill("40; 90; 50")
        page.wait_for_selector("[data-error-for='flanges_mm']", state="hidden")
        self.assertIsNone(field.get_attribute("aria-invalid"))

    def test_the_measure_in_hand_stands_out_and_a_doubt_is_written_by_a_press(self):
        page = self.live.page("teo", 768, 1024)
        page.goto("/reckoner/shaft")
        settled(page)
        page.locator("[name='f.length_mm']").focus()
        self.assertGreater(page.locator(".view.is-figure .is-in-hand").count(), 1)
        page.click("[data-inserts]")
        page.keyboard.type("30")
        self.assertEqual(page.locator("[name='f.length_mm']").input_value(), "1350 ± 30")
        page.wait_for_selector(".reckon-doubt:has-text('Between joints')")
        answer, form = (page.locator(s).bounding_box() for s in (".reckon-value", "[name='f.length_mm']"))
        self.assertLess(answer["y"], 400, "on a tablet the answer stays in sight")
        self.assertLess(form["y"], 1024)

    def test_the_lever_goes_through_its_sweep(self):
        page = self.live.page("teo")
        page.goto("/reckoner/linkage")
        settled(page)
        rod = ".reckon-drawing .f-path[data-frame]:not(.is-off)"
        before = page.locator(rod).first.get_attribute("points")
        page.focus("#frames")
        for _ in range(4):
            page.keyboard.press("ArrowRight")
        self.assertNotEqual(page.locator(rod).first.get_attribute("points"), before)
        self.assertEqual(page.locator("[data-frame-words]").inner_text(), page.locator("#frames").get_attribute("aria-valuetext"))

    def test_a_kept_one_opens_for_a_colleague_as_it_was_typed_and_prints(self):
        teo, orla = self.live.page("teo"), self.live.page("orla")
        teo.goto("/reckoner/cope")
        settled(teo)
        teo.fill("[name='f.branch_od_mm']", "1 1/2 in")
        teo.fill("[name=reckoning_name]", "Stay of the roof rack")
        teo.click("text=Keep in the notebook")
        teo.wait_for_selector("text=Kept “Stay of the roof rack”, version 1")
        orla.goto("/reckoner")
        orla.click("text=Stay of the roof rack")
        orla.wait_for_selector(".reckon-value")
        self.assertEqual(orla.locator("[name='f.branch_od_mm']").input_value(), "1 1/2 in")
        self.assertEqual(self.value(orla), self.value(teo))
        with orla.expect_popup() as opened:
            orla.click("text=As JSON")
        opened.value.wait_for_load_state()
        self.assertAlmostEqual(json.loads(opened.value.inner_text("body"))["request"]["branch_od_mm"], 38.1)

    def test_a_bolt_that_ends_in_a_tapped_hole_asks_for_other_fields_and_loses_nothing(self):
        page = self.live.page("teo")
        page.goto("/reckoner/bolt")
        settled(page)
        page.fill("[name='f.layers_mm']", "7; 8")
        page.select_option("[name='f.end.kind']", "tapped")
        page.wait_for_selector("[name='f.end.thread_depth_mm']")
        self.assertEqual(page.locator("[name='f.layers_mm']").input_value(), "7; 8")
        page.fill("[name='f.end.thread_depth_mm']", "24")
        page.wait_for_selector(".reckon-value:has-text('mm')")

    def test_undo_takes_back_what_was_kept_and_leaves_what_is_typed(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/reckoner/rod")
        settled(page)
        page.fill("[name=reckoning_name]", "Shift rod")
        page.click("text=Keep in this build")
        page.wait_for_selector("text=Kept “Shift rod”, version 1")
        page.fill("[name='f.centre_mm']", "333")
        page.click("#undo")
        page.wait_for_selector("text=Keep in this build")
        self.assertEqual(page.locator("[name='f.centre_mm']").input_value(), "333")
        self.assertNotIn("Shift rod", [r.name for r in self.live.shop.shop.builds.head("cairn-2").build.reckonings])
