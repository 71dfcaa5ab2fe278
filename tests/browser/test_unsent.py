"""What is typed and not sent stays, through other buttons, through what others save, and through leaving; and it says so."""

import unittest

from elmpeg.demo.seed import PASSWORD
from tests.browser.live import BrowserCase, settled


class Unsent(BrowserCase):
    def test_in_the_bay_through_another_button_and_a_colleague(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/bay?option=low")
        page.fill("#knob-x", "417.5")
        page.click(".knob[data-freedom=z] [data-way=plus]")
        page.wait_for_function("() => document.getElementById('here').dataset.revision === '2'")
        settled(page)
        self.assertEqual(page.input_value("#knob-x"), "417.5")
        self.assertIn("not saved yet", page.inner_text(".knob[data-freedom=x]"))
        wil = self.live.shop.browser("wil")
        wil.post("/builds/cairn-2/bay/move", base="2", option="low", part="engine", freedom="y", do="plus", step="1 mm")
        page.wait_for_selector(".news", timeout=12000)
        self.assertIn("changed this build", page.inner_text("#announce"))
        page.click(".news")
        page.wait_for_function("() => document.getElementById('here').dataset.revision === '3'")
        settled(page)
        self.assertEqual(page.input_value("#knob-x"), "417.5")
        page.focus("#knob-x")
        page.keyboard.press("Enter")
        page.wait_for_function("() => document.getElementById('here').dataset.revision === '4'")
        settled(page)
        self.assertEqual(page.locator(".unsent").count(), 0)
        page.fill("#knob-x", "99")
        page.keyboard.press("Tab")
        page.click(".put-back")
        self.assertIn("417.5", page.input_value("#knob-x"))
        page.reload()
        self.assertIn("417.5", page.input_value("#knob-x"))

    def test_a_layer_added_leaves_the_bolt_typed(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/mounts?option=low&mount=LM")
        page.click("summary:has-text('What it is made of')")
        page.fill("[name=thread]", "M14x2")
        page.fill("[name=layer_name]", "packing")
        page.fill("[name=layer_mm]", "4")
        page.click("button:has-text('Add the layer')")
        page.wait_for_function("() => document.getElementById('here').dataset.revision === '2'")
        settled(page)
        self.assertEqual(page.input_value("[name=thread]"), "M14x2")
        self.assertEqual(page.input_value("[name=layer_name]"), "")

    def typed_in(self, page, query, **fields):
        page.goto(f"/builds/cairn-2/parts/new?option=low&{query}")
        settled(page)
        for name, text in fields.items():
            page.fill(f"#begin [name={name}]", text)

    def test_a_draft_belongs_to_one_form_of_one_thing(self):
        page = self.live.page("teo")
        self.typed_in(page, "form=engine_inline", place_pitch="3", name="Half an engine")
        page.goto("/builds/cairn-2/parts/new?option=low&form=gearbox")
        settled(page)
        self.assertEqual(page.input_value("[name=place_pitch]"), "0.0")
        self.assertNotEqual(page.input_value("#begin [name=name]"), "Half an engine")
        page.goto("/builds/cairn-2/parts/new?option=low&form=engine_inline")
        settled(page)
        self.assertEqual(page.input_value("[name=place_pitch]"), "3")

    def test_a_draft_goes_with_its_sending_however_slow_the_next_page(self):
        page = self.live.page("teo")
        self.typed_in(page, "form=engine_inline", place_pitch="3", name="A whole engine")
        # The answer is there and the next page is not: what the page asks for meanwhile must not bring the draft back.
        page.evaluate(
            """() => document.addEventListener('htmx:beforeOnLoad', (event) => {
              if (event.detail.requestConfig.path.endsWith('/parts/new'))
                setTimeout(() => { document.querySelector('#begin [name=name]').dispatchEvent(new Event('change', { bubbles: true }));
                  document.dispatchEvent(new CustomEvent('htmx:beforeSwap', { detail: {} })); }, 0); })"""
        )
        page.click("button:has-text('Put it in')")
        page.wait_for_url("**/bay**")
        settled(page)
        self.assertIn("A whole engine", page.inner_text("#part option:checked"))
        page.goto("/builds/cairn-2/parts/new?option=low&form=engine_inline")
        settled(page)
        self.assertEqual(page.input_value("[name=place_pitch]"), "0.0")
        self.assertNotEqual(page.input_value("#begin [name=name]"), "A whole engine")

    def test_what_is_typed_while_a_form_is_under_way_stays(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/bay?option=low")
        settled(page)
        page.evaluate(
            """() => document.addEventListener('htmx:beforeOnLoad', (event) => {
              const field = document.querySelector('#knob-x');
              if (event.detail.requestConfig.verb === 'post') { field.value = '444'; field.dispatchEvent(new Event('input', { bubbles: true })); } },
              { capture: true })"""
        )
        page.fill("#knob-x", "417.5")
        page.keyboard.press("Enter")
        page.wait_for_function("() => document.getElementById('here').dataset.revision === '2'")
        settled(page)
        self.assertEqual(page.input_value("#knob-x"), "444")

    def signed_out_and_in(self, page):
        """What the page does next is answered with signing in; back on the page."""
        self.live.shop.shop.accounts.sign_out_everywhere(next(p for p in self.live.shop.shop.accounts.people() if p.login == "teo"))
        page.wait_for_url("**/sign-in?**", timeout=20_000)
        self.assertIn("You were signed out", page.inner_text("main"))
        page.fill("[name=login]", "teo")
        page.fill("[name=password]", PASSWORD)
        page.click("button:has-text('Sign in')")

    def test_who_is_signed_out_while_typing_comes_back_to_it(self):
        page = self.live.page("teo")
        where = "/builds/cairn-2/mounts?option=low&mount=LM"
        page.goto(where)
        settled(page)
        page.click("summary:has-text('What it is made of')")
        page.fill("[name=thread]", "M14x2")
        self.signed_out_and_in(page)
        page.wait_for_url(f"**{where}")
        settled(page)
        self.assertEqual(page.input_value("[name=thread]"), "M14x2")
        self.assertIn("What you had typed is here", page.inner_text("main"))

    def test_a_calculation_stands_there_again_rows_and_all(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/reckoner/stack?option=low")
        settled(page)
        rows = page.locator("[name^='f.stock.'][name$='.mm']").count()
        page.click("button:has-text('Add')")
        settled(page)
        page.fill("[name='f.gap_mm']", "17.4")
        page.locator("[name^='f.stock.'][name$='.mm']").last.fill("2.25")
        self.signed_out_and_in(page)
        page.wait_for_selector("text=What you had typed is here")
        settled(page)
        self.assertEqual(page.locator("[name^='f.stock.'][name$='.mm']").count(), rows + 1)
        self.assertEqual(page.input_value("[name='f.gap_mm']"), "17.4")
        self.assertEqual(page.locator("[name^='f.stock.'][name$='.mm']").last.input_value(), "2.25")

    def test_what_was_refused_stays_typed_and_can_be_put_back(self):
        page = self.live.page("teo")
        page.goto("/builds/cairn-2/mounts?option=low&mount=LM")
        page.click("summary:has-text('What it is made of')")
        saved = page.input_value("[name=tolerance]")
        page.fill("[name=tolerance]", "tight")
        page.click(".made-form button:has-text('Keep')")
        page.wait_for_selector("#error-tolerance")
        self.assertEqual(page.evaluate("document.activeElement.name"), "tolerance")
        self.assertEqual(page.get_attribute("[name=tolerance]", "aria-describedby"), "error-tolerance")
        page.click("button:has-text('Redo')", force=True) if page.is_enabled("#redo") else page.reload()
        settled(page)
        self.assertEqual(page.input_value("[name=tolerance]"), "tight")
        page.click("summary:has-text('What it is made of')")
        page.click(".made-form .put-back")
        self.assertEqual(page.input_value("[name=tolerance]"), saved)


if __name__ == "__main__":
    unittest.main()
