"""A refused form is found again on its page, gets back what was typed, and each message stands beside its field and is tied to it."""

import unittest

from starlette.datastructures import FormData

from elmpeg.web.refusals import told_beside_fields

PAGE = """<main><details><summary>two</summary>
<form hx-post="/keep?x=1"><input type="hidden" name="base" value="1"><input type="hidden" name="which" value="a">
<label>Name <input class="input" name="name" value="old"></label><label>Size<input name="size" value="1 &amp; 2"></label></form></details>
<form hx-post="/keep"><input type="hidden" name="base" value="1"><input type="hidden" name="which" value="b">
<label>Name <input name="name" value="other"></label>
<label>Of <span class="select"><select name="of"><option value="">none</option><option>steel</option><option selected>board</option></select></span></label>
<textarea name="note">as it was</textarea>
<fieldset><legend>way</legend><label><input type="radio" name="way" value="up"> up</label><label><input type="radio" name="way" value="down"> down</label></fieldset>
<input type="checkbox" name="blind" value="1" checked> <input type="checkbox" name="new" value="1">
<select name="many" multiple><option value="1" selected>1</option><option value="2">2</option></select>
<details><summary>more</summary><input name="deep" value=""></details><input type="password" name="secret" value="">
<button hx-post="/other">Do</button></form></main>"""


def told(errors, acted="/keep", **sent):
    return told_beside_fields(
        PAGE, errors, acted, FormData([(k, v) for k, vs in sent.items() for v in (vs if isinstance(vs, list) else [vs])])
    )


class Beside(unittest.TestCase):
    def test_the_form_that_was_sent_is_told_from_its_twin_by_what_it_hides(self):
        page, loose = told({"name": "is taken"}, which="a", base="7", name="Bob & Co", size="9")
        self.assertEqual(loose, {})
        first, second = page.split("</details>", 1)
        self.assertIn(
            'value="Bob &amp; Co" aria-invalid="true" aria-describedby="error-name"',
            first.replace(" autofocus", "").replace(' data-now="old"', ""),
        )
        self.assertIn("<details open>", first)
        self.assertIn('value="other"', second)
        self.assertNotIn("error-name", second)

    def test_everything_typed_is_back_and_says_what_is_saved(self):
        page, _ = told(
            {"way": "say which"}, which="b", name="new", of="steel", note="<b>mine</b>", new="1", many="2", deep="down there", secret="hush"
        )
        for there in (
            'value="new" data-now="other"', "<option selected>steel</option>", "<option>board</option>", "&lt;b&gt;mine&lt;/b&gt;</textarea>",
            'name="new" value="1" checked data-now="off"', 'name="blind" value="1" data-now="on"', '<option value="2" selected>', '<option value="1">',
            'value="down there"',
        ):  # fmt: skip
            self.assertIn(there, page)
        self.assertNotIn("hush", page)
        self.assertLess(page.index("<fieldset>"), page.index('id="error-way"'))
        self.assertLess(page.index('id="error-way"'), page.index('name="way"'), "a long list of ticks would push it out of sight")

    def test_a_message_stands_behind_its_list_and_unfolds_what_hides_its_field(self):
        page, _ = told({"of": "is none of the choices", "deep": "is empty"}, which="b", name="other", of="gold", deep="")
        self.assertRegex(page, r"</select></span><p class=\"field-error\" id=\"error-of\">")
        self.assertEqual(page.count("<details open>"), 1)
        self.assertIn("<details open><summary>more", page)
        self.assertEqual(page.count("autofocus"), 1)

    def test_what_has_no_field_stands_at_the_foot_of_its_form(self):
        page, loose = told({"stack": "is short"}, acted="/other", which="b", name="x")
        self.assertEqual(loose, {})
        self.assertRegex(page, r'<p tabindex="-1" class="field-error" id="error-stack">is short</p></form>')

    def test_without_its_form_on_the_page_it_is_told_apart(self):
        page, loose = told({"name": "no"}, acted="/elsewhere", name="x")
        self.assertEqual((page, loose), (PAGE, {"name": "no"}))

    def test_words_about_a_thing_that_is_gone_do_not_stand_at_another_ones_form(self):
        page, loose = told({"which": "is not there any more"}, which="c", name="x")
        self.assertEqual((page, loose), (PAGE, {"which": "is not there any more"}))

    def test_markup_in_a_message_is_words(self):
        page, _ = told({"name": "“<script>” is not"}, which="a", name="<script>")
        self.assertNotIn("<script>", page)


if __name__ == "__main__":
    unittest.main()
