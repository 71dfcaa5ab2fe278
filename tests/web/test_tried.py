"""What would mend a check, tried with one press: in the bay and on the page that it is told on; holes opened by hand."""

import html
import json
import re
import unittest

from elmpeg.core.evaluation.evaluate import evaluate
from tests.shop import TestShop


class Tried(unittest.TestCase):
    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.teo = self.shop.browser("teo")

    def head(self):
        return self.shop.shop.builds.head("cairn-2")

    def checks(self):
        return {c.code: c for c in evaluate(self.head().build, "low").checks}

    def offered(self, path, code):
        """Where a page's button that tries a remedy of a check goes, and what it sends."""
        page = self.teo.get(f"/builds/cairn-2/{path}").text
        for button in re.findall(r"<button[^>]*hx-vals='[^']*'[^>]*>\s*Try\s+it", page):
            sent = json.loads(html.unescape(re.search(r"hx-vals='([^']*)'", button)[1]))
            if sent.get("check") == code:
                return re.search(r'hx-post="([^"]*)"', button)[1], {k: str(v) for k, v in sent.items()}
        self.fail(f"{path} offers nothing to try for {code}")

    def pressed(self, path, code):
        post, sent = self.offered(path, code)
        sent = {"option": "low", "base": str(self.head().number), **sent}
        answer = self.teo.post(post, **sent)
        self.assertEqual(answer.status_code, 200)
        return answer

    def test_each_page_that_tells_a_remedy_tries_it_and_stays(self):
        for path, code, stands in (
            ("bay?option=low&check=mount.C1.bottoms", "mount.C1.bottoms", 'id="check-mount-C1-bottoms"'),
            ("mounts?option=low&mount=RM", "mount.RM.washer.nut", "Right engine mount"),
            ("patterns?option=low", "match.seat-plate", "Does it drop over?"),
            ("drive?option=low&line=steering", "line.steering.accel.driven", "is-open"),
            ("make/piece?option=low&piece=bell-spacer&part=shape", "piece.bell-spacer.dowels", "To the cutter"),
            ("make/piece?option=low&piece=seat-bracket&part=shape", "piece.seat-bracket.goes_on", "To the cutter"),
        ):
            with self.subTest(path):
                before = self.head()
                self.assertIn(self.checks()[code].verdict, ("fails", "near"))
                answer = self.pressed(path, code)
                self.assertIn(stands, answer.text)
                self.assertEqual(self.checks()[code].verdict, "holds")
                self.assertEqual(self.head().number, before.number + 1)
                self.assertIn("Tried: ", self.shop.shop.builds.history("cairn-2")[0].words)

    def test_what_a_hole_or_a_bolt_would_put_out_is_told_before(self):
        page = self.teo.get("/builds/cairn-2/bay?option=low&check=mount.C1.bottoms").text
        self.assertIn("Puts nothing else out.", page)

    def test_a_stack_is_chosen_from_the_shelf_and_one_that_only_looks_tries_nothing(self):
        page = self.teo.get("/builds/cairn-2/bay?option=low&check=mount.GM.gap").text
        row = re.search(r'id="check-mount-GM-gap".*?</li>\s*</ul>', page, re.DOTALL)[0]
        self.assertIn("Shelf", row)
        self.assertNotIn("Try", row)
        self.assertRegex(row, "Newly puts out|Puts nothing else out")
        viewer = self.shop.browser("pip")
        sent = {"do": "remedy", "check": "mount.RM.washer.nut", "remedy": "0", "option": "low", "base": str(self.head().number)}
        self.assertEqual(viewer.post("/builds/cairn-2/mounts/remedy", mount="RM", **sent).status_code, 403)

    def test_a_remedy_that_is_there_no_more_is_refused_in_words(self):
        number = self.head().number
        for path, more in (
            ("mounts/remedy", {"mount": "RM"}),
            ("plates/remedy", {}),
            ("make/structures/remedy", {}),
            ("make/piece/remedy", {"piece": "bell-spacer"}),
        ):
            answer = self.teo.post(f"/builds/cairn-2/{path}", option="low", base=str(number), check="mount.RM.tilt", remedy="7", **more)
            self.assertIn("no longer there", answer.text, path)
        self.assertEqual(self.head().number, number)


class Holes(unittest.TestCase):
    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.teo = self.shop.browser("teo")

    def build(self):
        return self.shop.shop.builds.head("cairn-2").build

    def post(self, path, **fields):
        number = str(self.shop.shop.builds.head("cairn-2").number)
        return self.teo.post(f"/builds/cairn-2/make/piece/{path}", base=number, option="low", **fields)

    def test_a_hole_is_drilled_to_a_size_of_its_own_and_back(self):
        hole = self.build().piece("seat-bracket").faces[0].points[0]
        self.post("holes", piece="seat-bracket", **{f"drill_{hole}": "10.5"})
        self.assertIn(("10.5"), self.teo.get("/builds/cairn-2/make/piece?option=low&piece=seat-bracket").text)
        said = {h.hole: h.drill_mm for h in self.build().piece("seat-bracket").holes}
        self.assertEqual(said[hole], 10.5)
        answer = self.post("holes", piece="seat-bracket", **{f"drill_{hole}": "-2"})
        self.assertIn("must be above 0", html.unescape(answer.text))
        self.assertIn('value="-2"', answer.text)
        self.post("holes", piece="seat-bracket", **{f"drill_{hole}": ""})
        self.assertEqual([h for h in self.build().piece("seat-bracket").holes if h.hole == hole], [])

    def test_a_plate_kept_at_mount_keeps_what_its_holes_are_drilled_to(self):
        self.post("holes", piece="seat-adapter", **{"kind_L-a": "countersunk", "thread_L-a": "M10x1.5", "drill_L-a": "11.8"})
        plate = self.build().piece("seat-adapter")
        fields = {"plate": plate.id, "name": plate.name, "lower": plate.lower, "upper": plate.upper, "thick": "10", "material": "steel",
                  "shift_x": "22", "shift_y": "14", "turn": "0", "margin": "15", "upper_on": "12", "kind_lower_a": "countersunk",
                  "thread_lower_a": "M10x1.5"}  # fmt: skip
        self.teo.post("/builds/cairn-2/plates", base=str(self.shop.shop.builds.head("cairn-2").number), option="low", **fields)
        kept = self.build().piece("seat-adapter")
        self.assertEqual({h.hole: h.drill_mm for h in kept.holes if h.pattern == "lower"}["a"], 11.8)
        self.assertEqual(kept.upper_on_mm, 12.0)

    def test_holes_opened_by_hand_are_kept_one_after_the_other(self):
        stay = self.build().piece("alternator-stay")
        check = {c.code: c for c in evaluate(self.build(), "low").checks}["piece.alternator-stay.current"]
        self.assertEqual(check.verdict, "fails")
        page = self.teo.get("/builds/cairn-2/make/piece?option=low&piece=alternator-stay&part=tried").text
        by_letter = {m[1][0]: m[0] for m in re.findall(r'<option value="([^"]+)"[^>]*>\s*([A-Z], [^<]*)<', page)}
        told = re.findall(r"([A-Z]) to \{(\d)\}", check.remedies[1].words.template)
        for letter, k in told:
            to = check.remedies[1].words.quantities[int(k)].value
            self.post("made", piece=stay.id, part="tried", do="opened", hole=by_letter[letter], to=f"{to:.3f}")
        now = {c.code: c for c in evaluate(self.build(), "low").checks}["piece.alternator-stay.current"]
        self.assertEqual(now.verdict, "holds")
        self.assertEqual(len(self.build().piece(stay.id).revisions), len(stay.revisions) + len(told))
        answer = self.post("made", piece=stay.id, part="tried", do="opened", hole=by_letter["A"], to="3")
        self.assertIn("no larger than", html.unescape(answer.text))


if __name__ == "__main__":
    unittest.main()
