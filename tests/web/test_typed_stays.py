"""What was typed, and what was chosen, is still there when something else in the form is refused."""

import re
import unittest

from tests.shop import TestShop

SHAFTS = {
    "od_0": "80 mm", "wall_0": "thick", "material_0": "aluminium", "series_0": "", "drive_flange_0": "six bolts", "driven_flange_0": "eight bolts",
    "slip_in_0": "33", "slip_out_0": "44", "note_0": "as found",
}  # fmt: skip
LINK = {
    "do": "link", "chain": "fan", "name": "shroud", "direction": "-1", "size": "twelve", "from_point": "", "to_point": "", "axis": "z", "layer": "",
    "plus": "0.4", "minus": "0.3",
}  # fmt: skip
LIMITS = {"do": "limits", "chain": "fan", "low": "41.5", "high": "wide"}


def shown(page):
    """Of a page's fields: what each holds, and what is chosen in each list."""
    found = dict(re.findall(r'<input class="input[^"]*" name="([^"]+)"[^>]*?value="([^"]*)"', page))
    for name, inside in re.findall(r'<select[^>]* name="([^"]+)"[^>]*>(.*?)</select>', page, re.S):
        options = re.findall(r'<option(?: value="([^"]*)")?([^>]*)>\s*([^<]*?)\s*</option>', inside)
        value, _, words = next((o for o in options if "selected" in o[1]), options[0] if options else ("", "", ""))
        found[name] = value or words if "value=" not in inside else value
    return found


class Kept(unittest.TestCase):
    def test_after_a_refusal(self):
        test_shop = TestShop()
        self.addCleanup(test_shop.close)
        teo = test_shop.browser("teo")
        build = test_shop.shop.builds.head("cairn-2").build
        chain = build.chains[0].id
        for path, fields, refused in (
            ("/builds/cairn-2/drive/shafts", {**SHAFTS, "line": "rear"}, "wall_0"),
            ("/builds/cairn-2/chains", {**LINK, "chain": chain}, "size"),
            ("/builds/cairn-2/chains", {**LIMITS, "chain": chain}, "high"),
        ):
            with self.subTest(path, refused=refused):
                answer = teo.post(path, base="1", option="low", **fields)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(f'id="error-{refused}"', answer.text)
                page = shown(answer.text)
                for name, typed in fields.items():
                    if name not in ("do", "chain", "line"):
                        self.assertEqual(page.get(name), typed, name)

    def test_another_form_of_the_page_keeps_what_it_had(self):
        test_shop = TestShop()
        self.addCleanup(test_shop.close)
        chain = test_shop.shop.builds.head("cairn-2").build.chains[0]
        answer = test_shop.browser("teo").post("/builds/cairn-2/chains", base="1", option="low", **{**LINK, "chain": chain.id, "low": "7"})
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(float(shown(answer.text)["low"]), chain.low_mm)

    def test_choices_and_ticks_of_a_mount_and_a_joint_size(self):
        test_shop = TestShop()
        self.addCleanup(test_shop.close)
        orla = test_shop.browser("orla")
        build = test_shop.shop.builds.head("cairn-2").build
        mount, plate, series = build.mounts[0].id, build.pieces[0].id, build.series[0].id
        made = {
            "mount": mount, "hold": "bolts", "tolerance": "tight", "plate": plate, "head": "socket", "end": "tapped", "blind": "1", "grade": "10.9",
            "mock_up": "1", "by": "studs", "caught_by": "a strap",
        }  # fmt: skip
        page = orla.post("/builds/cairn-2/mounts/made", base="1", option="low", **made)
        self.assertEqual(page.status_code, 422)
        now = shown(page.text)
        for name in ("plate", "head", "end", "by", "grade", "caught_by"):
            self.assertEqual(now[name], made[name], name)
        for name in ("blind", "mock_up"):
            self.assertRegex(page.text, rf'name="{name}" value="1" checked')
        self.assertNotRegex(page.text, r'name="single_use" value="1"\s*checked')
        page = orla.post(
            "/builds/cairn-2/drive/series",
            base="1",
            option="low",
            series=series,
            series_name="huge",
            series_angle="wide",
            series_swing="99",
        )
        self.assertEqual(page.status_code, 422)
        self.assertIn('value="huge"', page.text)
        self.assertIn('value="wide"', page.text)
