"""What was saved is said, what was opened stays open and in hand, and what asks is heard."""

import io
import threading
import unittest
from unittest import mock

from PIL import Image

from elmpeg.formats import build_file
from elmpeg.formats.picture_process import PictureProcess
from elmpeg.web.desk import Desk
from tests.browser.live import BrowserCase, settled


class Saved(BrowserCase):
    def test_what_a_mount_is_made_of(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/mounts?option=low&mount=LM")
        settled(page)
        page.click("summary:has-text('What it is made of')")
        page.fill("[name=tolerance]", "0.7")
        page.focus(".made-form button:has-text('Keep')")
        page.keyboard.press("Enter")
        page.wait_for_selector(".saved")
        settled(page)
        self.assertRegex(page.inner_text(".saved"), r"^Saved: .*Left engine mount")
        self.assertIn("Saved: ", page.inner_text("#announce"))
        self.assertTrue(page.is_visible("[name=tolerance]"), "the fold stays open")
        self.assertEqual(page.input_value("[name=tolerance]"), "0.7")
        self.assertIn("Keep", page.evaluate("document.activeElement.textContent"))
        page.click("#undo")
        page.wait_for_selector(".saved:has-text('Taken back')")

    def test_what_takes_long_says_so_and_comes(self):
        render, go = Desk.render, threading.Event()
        self.addCleanup(go.set)

        def slowly(desk, name, *args, **more):
            if name == "place/bay.html":
                go.wait(60)
            return render(desk, name, *args, **more)

        page = self.live.page("orla")
        settings = self.live.shop.shop.settings
        with mock.patch.object(Desk, "render", slowly), mock.patch.object(settings, "patience_s", 0.2):
            page.goto("/builds/cairn-2/bay?option=low")
            self.assertIn("Working it out", page.inner_text("h1"))
            go.set()
            page.wait_for_selector("svg.view")
            settled(page)
            go.clear()
            page.evaluate(
                "() => { htmx.ajax('GET', '/builds/cairn-2/bay?option=tail', { source: document.body, target: '#shell', swap: 'morph:outerHTML' }); }"
            )
            page.wait_for_selector("#working:not([hidden])")
            self.assertRegex(page.inner_text("#working"), r"^Working it out; nothing is lost\.\s+\d+ s")
            self.assertTrue(page.is_visible("svg.view"), "what was there stays meanwhile")
            go.set()
            page.wait_for_selector("#working", state="hidden")

    def test_a_file_that_takes_long_is_stopped(self):
        answered, go = PictureProcess._answered, threading.Event()
        self.addCleanup(go.set)

        def slowly(process, *given):
            go.wait(60)
            return answered(process, *given)

        picture = io.BytesIO()
        Image.new("RGB", (400, 300)).save(picture, "PNG")
        page = self.live.page("orla")
        page.goto("/builds/cairn-2/make/trace?option=low")
        settled(page)
        before = self.live.shop.shop.builds.head("cairn-2").number
        page.set_input_files("[name=photo]", {"name": "p.png", "mimeType": "image/png", "buffer": picture.getvalue()})
        with mock.patch.object(PictureProcess, "_answered", slowly):
            page.click("button:has-text('Take it in')")
            with page.expect_response("**/reading/stop"):
                page.click("#working [data-stop]")
            go.set()
            page.wait_for_selector(".field-error")
        settled(page)
        self.assertEqual(page.inner_text(".field-error"), "was stopped; nothing of it was kept")
        self.assertTrue(page.evaluate("document.querySelector('[name=photo]').files.length"), "what was chosen is still there")
        self.assertEqual(self.live.shop.shop.builds.head("cairn-2").number, before)

    def test_a_file_that_is_there_already_asks_aloud(self):
        page = self.live.page("orla")
        page.goto("/")
        settled(page)
        build = self.live.shop.shop.builds.head("dynamo").build
        page.set_input_files("#file", {"name": "d.json", "mimeType": "application/json", "buffer": build_file.written(build)})
        page.click("button:has-text('Bring it in')")
        page.wait_for_selector("[data-asks]")
        settled(page)
        self.assertIn("is there already", page.inner_text("#announce"))
        self.assertTrue(page.evaluate("document.activeElement.hasAttribute('data-asks')"))

    def test_signed_out_in_one_tab_the_others_show_nothing_more(self):
        page = self.live.page("orla")
        page.goto("/people")
        settled(page)
        page.click("button:has-text('New password link') >> nth=1")
        page.wait_for_selector(".secret")
        settled(page)
        self.assertIn(f"{self.live.address}/welcome/", page.inner_text(".secret strong"))
        other = page.context.new_page()
        other.goto("/me")
        settled(other)
        other.click("button:text-is('Sign out')")
        other.wait_for_url("**/sign-in")
        page.wait_for_url("**/sign-in?next=%2Fpeople&left=1")
        self.assertNotIn("/welcome/", page.content())


if __name__ == "__main__":
    unittest.main()
