"""A page that takes long says so at once, is worked out once, and comes whole; who asks for something else waits for nobody."""

import re
import threading
import unittest
from unittest import mock

from starlette.responses import HTMLResponse

from elmpeg.web import patience
from elmpeg.web.desk import Desk
from tests.shop import ShopCase

OPENS = {"accept": "text/html,application/xhtml+xml"}
BAY = "/builds/cairn-2/bay?option=low"


class Waiting(ShopCase):
    def setUp(self):
        super().setUp()
        self.orla = self.shop.browser("orla")
        self.go, self.asked = threading.Event(), 0
        self.addCleanup(self.go.set)
        render = Desk.render

        def slowly(desk, name, *args, **more):
            if name == "place/bay.html":
                self.asked += 1
                self.go.wait(60)
            return render(desk, name, *args, **more)

        for patched in (mock.patch.object(Desk, "render", slowly), mock.patch.object(self.shop.shop.settings, "patience_s", 0.2)):
            patched.start()
            self.addCleanup(patched.stop)

    def opened(self, path, **headers):
        return self.orla.client.get(path, headers={**OPENS, **headers})

    def come(self, path):
        """A page once it is there."""
        answer = self.opened(path)
        while "Working it out" in answer.text:
            answer = self.opened(path)
        return answer

    def test_it_says_so_and_comes_whole_worked_out_once(self):
        first, second = self.opened(BAY), self.opened(BAY)
        for answer in (first, second):
            self.assertEqual(answer.status_code, 202)
            self.assertIn("Working it out", answer.text)
            self.assertRegex(answer.text, r'http-equiv="refresh" content="\d"')
            self.assertEqual(answer.headers["cache-control"], "no-store")
        self.assertNotIn("cairn", first.text.lower(), "nothing of the shop is on it")
        self.go.set()
        answer = self.come(BAY)
        self.assertEqual(self.asked, 1)
        plain = self.orla.client.get(BAY).text
        nonces = re.compile(r"\?v=\w+|shown=\w+|data-page=\"[^\"]*\"")
        self.assertEqual(nonces.sub("", answer.text), nonces.sub("", plain))

    def test_another_page_and_another_person_wait_for_nobody(self):
        self.assertIn("Working it out", self.opened(BAY).text)
        self.assertIn('id="main"', self.come("/builds/cairn-2/measure?option=low").text)
        teo = self.shop.browser("teo")
        self.assertIn("Working it out", teo.client.get(BAY, headers=OPENS).text)
        self.assertEqual(self.asked, 2, "what one is told is not given to another")

    def test_an_answer_to_a_press_is_waited_for(self):
        threading.Timer(0.6, self.go.set).start()
        answer = self.orla.client.get(BAY, headers={**OPENS, "HX-Request": "true"})
        self.assertNotIn("Working it out", answer.text)
        self.assertIn('id="shell"', answer.text)

    def test_trouble_and_refusals_are_told_as_ever(self):
        def broken(desk, name, *args, **more):
            raise OverflowError

        self.assertEqual(self.opened("/builds/none/bay").status_code, 404)
        with mock.patch.object(Desk, "render", broken):
            self.assertEqual(self.opened(BAY).status_code, 422)

    def test_what_nobody_came_for_is_worked_out_anew(self):
        self.assertIn("Working it out", self.opened(BAY).text)
        self.go.set()
        with mock.patch.object(patience, "KEPT_S", -1.0):
            while self.asked < 2:
                self.opened(BAY)

    def test_a_response_that_is_no_page_comes_as_it_is(self):
        def file(desk, name, *args, **more):
            self.go.wait(60)
            return HTMLResponse("x" * 10, headers={"Content-Disposition": "attachment"})

        with mock.patch.object(Desk, "render", file):
            self.assertIn("Working it out", self.opened(BAY).text)
            self.go.set()
            answer = self.come(BAY)
        self.assertEqual((answer.text, answer.headers["content-disposition"]), ("x" * 10, "attachment"))


if __name__ == "__main__":
    unittest.main()
