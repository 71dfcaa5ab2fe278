"""Drive as a person uses it: the pointer and the arrow keys on a chart, the slider that moves the Bay, a line mended by hand."""

from tests.browser.live import OneShopCase, settled


class Drive(OneShopCase):
    """One browser and one shop for all."""

    def tearDown(self):
        self.assertEqual(self.live.complaints, [])

    def test_1_a_chart_is_drawn_and_tells_its_values_by_pointer_and_by_keys(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/drive?option=low&line=rear")
        settled(page)
        drawn = page.evaluate(
            """() => { const c = document.querySelector("canvas[data-chart]"), p = c.getContext("2d").getImageData(0, 0, c.width, c.height).data;
                       let n = 0; for (let k = 3; k < p.length; k += 4) if (p[k]) n++; return n; }"""
        )
        self.assertGreater(drawn, 2000, "the canvas is not empty")
        box = page.locator("canvas[data-chart]").bounding_box()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.wait_for_function("() => Chart.getChart(document.querySelector('canvas[data-chart]')).tooltip.opacity > 0")
        said = page.evaluate(
            "() => Chart.getChart(document.querySelector('canvas[data-chart]')).tooltip.body.map((b) => b.lines.join(' ')).join('; ')"
        )
        for name in ("at rest", "drive", "coast"):
            self.assertIn(name, said)
        self.assertIn("%", said)
        page.focus("canvas[data-chart]")
        page.keyboard.press("ArrowRight")
        told = page.inner_text(".chart-told")
        self.assertRegex(told, r"turn \d+.*°: at rest [\u2212\d.]+\u00a0%, drive")
        page.keyboard.press("ArrowRight")
        self.assertNotEqual(page.inner_text(".chart-told"), told)

    def test_2_the_slider_moves_the_axle_on_drive_and_in_the_bay(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/drive/travel?option=low&line=rear")
        settled(page)
        page.focus("#rise")
        page.keyboard.press("PageUp")
        page.keyboard.press("End")
        page.wait_for_function("() => document.querySelector('.travel-at strong').textContent.startsWith('+90')")
        settled(page)
        self.assertEqual(page.evaluate("document.activeElement.id"), "rise", "the slider keeps the focus while the page follows")
        page.click("text=In the Bay")
        settled(page)
        high = page.locator("#stage [data-component='rear-axle']").first.bounding_box()["y"]
        self.assertIn("checks below are at ride height", page.inner_text(".travelled"))
        page.evaluate(
            "() => { const r = document.getElementById('bay-rise'); r.value = 0; r.dispatchEvent(new Event('input', {bubbles: true})); r.dispatchEvent(new Event('change', {bubbles: true})); }"
        )
        page.wait_for_function("() => !document.querySelector('.travelled')")
        settled(page)
        low = page.locator("#stage [data-component='rear-axle']").first.bounding_box()["y"]
        self.assertGreater(low, high + 3)

    def test_3_a_failing_line_is_brought_right_and_kept_as_an_option(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/drive/mend?option=low&line=rear")
        settled(page)
        page.wait_for_selector(".single-moves .joint-card")
        page.click("text=Find the smallest change")
        page.wait_for_selector(".solve .answer-words", timeout=60000)
        self.assertIn("down 2.8°", page.inner_text(".solve .answer-words"))
        page.wait_for_selector(".single-moves .joint-card")
        page.fill(".solve input[name=name]", "Low, pinion down")
        page.click("text=Keep as an option >> nth=-1")
        page.wait_for_url("**/drive?option=low-pinion-down**")
        settled(page)
        self.assertEqual(page.locator(".joint-card.is-fails").count(), 0)

    def test_4_nothing_runs_over_the_edge_on_a_tablet_upright(self):
        page = self.live.page("orla", 768, 1024)
        for tab in ("", "/travel", "/shafts", "/mend", "/ways", "/order", "/lines", "/axles", "/rules"):
            page.goto(f"/builds/cairn-2/drive{tab}?option=low&line=rear")
            settled(page)
            wide = page.evaluate("() => document.documentElement.scrollWidth")
            with self.subTest(tab or "angles"):
                self.assertLessEqual(wide, 768)
                small = page.evaluate(
                    """() => [...document.querySelectorAll("main button, main a.button, main select, main input:not([type=hidden]):not([type=range])")]
                        .filter((e) => e.offsetParent && !["checkbox", "radio"].includes(e.type) && !e.classList.contains("is-sr-only") && e.getBoundingClientRect().height < 43).map((e) => e.outerHTML.slice(0, 90))"""
                )
                self.assertEqual(small, [], "large enough for a gloved finger")
