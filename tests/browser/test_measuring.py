"""Measuring at the vehicle in a real browser: the network goes and comes back, and devices send to the field in use."""

import unittest

from tests.browser.live import BrowserCase, settled


class Measuring(BrowserCase):
    """A tablet on the bonnet."""

    borne = ("ERR_INTERNET_DISCONNECTED",)

    def readings(self, point="LM-seat", build="cairn-2"):
        return [(r.axis, r.text) for r in self.live.shop.shop.builds.head(build).build.point(point).readings]

    def open_list(self, login="teo"):
        page = self.live.page(login, 1024, 768)
        page.goto("/builds/cairn-2/measure/list?option=low&scope=vehicle")
        settled(page)
        return page

    def keep(self, page, text):
        page.keyboard.type(text)
        page.keyboard.press("Enter")

    def test_1_pulled_in_the_middle_nothing_is_lost_and_nothing_comes_twice(self):
        page = self.open_list()
        before = self.readings()
        self.assertEqual(page.inner_text("#asked-title").lower(), "left engine seat")
        self.keep(page, "428.1")
        page.wait_for_selector("#asked-list li.is-in")
        self.assertIn("X = 428.1\u00a0mm", page.inner_text("#asked-list"))
        page.context.set_offline(True)
        self.keep(page, "-227.2")
        self.keep(page, "553.6")
        page.wait_for_selector("#asked-link.is-away")
        page.wait_for_function("() => document.querySelectorAll('#asked-list li.is-waiting').length === 2")
        self.assertIn("2 waiting", page.inner_text("#asked-link"))
        self.assertEqual(page.inner_text("#asked-title").lower(), "right engine seat")
        self.keep(page, "999")
        page.click("#asked-undo")
        page.context.set_offline(False)
        page.wait_for_function("() => document.querySelectorAll('#asked-list li.is-in').length === 3", timeout=60000)
        page.wait_for_function("() => document.getElementById('asked-link').textContent === 'connected'")
        self.assertEqual(self.readings()[len(before) :], [("x", "428.1"), ("y", "-227.2"), ("z", "553.6")])
        self.assertNotIn(("x", "999"), self.readings("RM-seat"))
        page.reload()
        settled(page)
        page.wait_for_timeout(500)
        self.assertEqual(len(self.readings()), len(before) + 3)

    def test_5_the_list_opens_afresh_without_a_network_and_its_queue_is_still_there(self):
        page = self.open_list()
        page.wait_for_function("() => navigator.serviceWorker.controller !== null", timeout=60000)
        page.reload()
        settled(page)
        page.wait_for_function(
            "async () => (await caches.keys()).length > 0 && (await (await caches.open('elmpeg-list-1')).keys()).length > 8"
        )
        before = self.readings()
        page.context.set_offline(True)
        self.keep(page, "428.4")
        page.wait_for_function("() => document.querySelectorAll('#asked-list li.is-waiting').length === 1")
        page.close()
        page = page.context.new_page()
        page.goto("/builds/cairn-2/measure/list?option=low&scope=vehicle")
        page.wait_for_selector("#asked-list li.is-waiting")
        self.assertEqual(page.inner_text("#asked-title").lower(), "left engine seat")
        page.fill("#asked-text", "-227.4")
        page.keyboard.press("Enter")
        page.wait_for_function("() => document.querySelectorAll('#asked-list li.is-waiting').length === 2")
        page.context.set_offline(False)
        page.wait_for_function("() => document.querySelectorAll('#asked-list li.is-in').length === 2", timeout=20000)
        self.assertEqual([text for _, text in self.readings()[len(before) :]], ["428.4", "-227.4"])

    def test_2_an_answer_that_never_arrives_does_not_double_a_reading(self):
        page = self.open_list()
        lost = []

        def swallow(route):
            answer = route.fetch()
            if lost:
                route.fulfill(response=answer)
            else:
                lost.append(answer.status)
                route.abort()

        page.route("**/measure/queue", swallow)
        before = len(self.readings())
        self.keep(page, "428.4")
        page.wait_for_selector("#asked-list li.is-in", timeout=60000)
        self.assertEqual(lost, [200])
        self.assertEqual(self.readings()[before:], [("x", "428.4")])
        self.live.complaints.clear()

    def test_3_the_echo_says_what_was_understood_and_keys_go_on_and_back(self):
        page = self.open_list()
        page.keyboard.type("16 7/8 in")
        page.wait_for_function("() => document.getElementById('asked-echo').textContent.includes('428.6')")
        page.keyboard.press("PageDown")
        self.assertIn("Y, to the right", page.inner_text("#asked-what"))
        page.keyboard.press("PageUp")
        self.assertIn("X, rearward", page.inner_text("#asked-what"))
        page.keyboard.type("10868")
        page.wait_for_selector("#asked-echo.is-refused")
        self.assertIn("25.4 times", page.inner_text("#asked-echo"))
        page.keyboard.press("Enter")
        page.wait_for_selector("#asked-list li.is-refused")
        self.assertNotIn(("x", "10868"), self.readings())
        page.click("text=Write it again")
        self.assertEqual(page.input_value("#asked-text"), "10868")
        page.fill("#asked-line-text", "RM-seat 16 13/16 in, 8 in, 21 7/8 in")
        page.press("#asked-line-text", "Enter")
        page.wait_for_selector("#asked-list li.is-in")
        self.assertEqual(len(self.readings("RM-seat")), 5)
        page.click("#asked-undo")
        page.wait_for_function("() => !document.querySelector('#asked-list li.is-in')")
        for _ in range(50):
            if len(self.readings("RM-seat")) == 2:
                break
            page.wait_for_timeout(100)
        self.assertEqual(len(self.readings("RM-seat")), 2)

    def test_4_a_device_sends_to_the_field_in_use(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/measure?option=low&point=GM-seat")
        settled(page)
        page.wait_for_selector("body[data-devices=listening]")
        page.click("#bench summary")
        page.wait_for_selector(".device")
        page.focus("#read-z")
        page.click("[aria-label='Bench caliper'] >> text=Send")
        page.wait_for_function("() => document.getElementById('read-z').value.endsWith(' mm')")
        self.assertAlmostEqual(float(page.input_value("#read-z").split()[0]), 12.7, delta=0.2)
        self.assertEqual(page.evaluate("document.activeElement.id"), "read-z")
        self.assertEqual(page.input_value("select[data-tools]"), "caliper")
        page.click("[aria-label='Bench angle gauge'] >> text=Send")
        page.wait_for_selector("#trouble:visible")
        self.assertIn("wants a length", page.inner_text("#trouble"))
        self.assertTrue(page.input_value("#read-z").endswith(" mm"))
        page.fill("[aria-label='Bench laser offset'] [name=battery]", "9")
        page.click("[aria-label='Bench laser offset'] >> button:text-is('Set')")
        page.wait_for_selector("[aria-label='Bench laser offset'] .is-worse")
        page.focus("#read-x")
        page.click("[aria-label='Bench laser offset'] >> text=Send")
        page.wait_for_function("() => document.getElementById('read-x').value.endsWith(' mm')")
        self.assertIn("battery low", page.inner_text("#trouble"))
        token = self.live.shop.shop.devices.add(self.live.shop.shop.accounts.people()[0].id, "somebody else's", "caliper")
        page.request.post("/api/v1/readings", data={"value": 1.0, "unit": "mm"}, headers={"Authorization": f"Bearer {token}"})
        page.wait_for_timeout(300)
        self.assertNotEqual(page.input_value("#read-x"), "1.00 mm")


if __name__ == "__main__":
    unittest.main()
