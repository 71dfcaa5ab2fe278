"""What a person may change does not hang on the way it comes: page, file, interface, undo."""

import json
import re
from dataclasses import replace
from html import unescape

from elmpeg.core.advice import agreeing
from elmpeg.core.build.drivelines import OrderStep
from elmpeg.core.build.options import Excepted
from elmpeg.core.build.roles import ROLES
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.integrity.permitted import told
from elmpeg.core.stages.measure import point_readings
from elmpeg.formats import build_file
from elmpeg.store.revisions import Author
from elmpeg.web.security import ChangeDesk, LeadDesk
from tests.web.test_web import WithShop


class ThroughFiles(WithShop):
    """A build file brought in as the next revision."""

    def setUp(self):
        super().setUp()
        self.wil = self.shop.browser("wil")

    def build(self, build_id="cairn-2"):
        return self.shop.shop.builds.head(build_id).build

    def page(self, browser, made):
        """Brought in on the page; the status, and what was said."""
        answer = browser.bring_in(f"/builds/{made.id}/file", build_file.written(made))
        return answer.status_code, answer.text

    def interface(self, browser, made):
        """Put through the interface."""
        headers = {"X-CSRF-Token": browser.csrf}
        revision = self.shop.shop.builds.head(made.id).number
        content = json.loads(build_file.written(made))
        answer = browser.client.put(f"/api/v1/builds/{made.id}?revision={revision}", json=content, headers=headers)
        return answer.status_code, answer.text

    def tried(self, made, words, lead_may):
        before = self.build(made.id)
        for way in (self.page, self.interface):
            with self.subTest(words, way=way.__name__):
                status, said = way(self.wil, made)
                self.assertEqual(status, 422)
                self.assertIn(words, said)
                self.assertEqual(self.build(made.id), before)
        status, said = self.page(self.orla, made)
        self.assertEqual(status, 200 if lead_may else 422, words)

    def test_only_leads_agree_change_limits_and_tools(self):
        cairn = self.build()
        self.tried(replace(cairn, tools=(replace(cairn.tools[0], sd_mm=0.01), *cairn.tools[1:])), "only leads change how good", True)
        cairn = self.build()
        loose = replace(cairn.limits, joints=replace(cairn.limits.joints, flat_cap_deg=9.0))
        self.tried(replace(cairn, limits=loose), "only leads change limits", True)
        cairn = self.build()
        fails = [c.code for c in agreeing.failing(evaluate(cairn, "low"))]
        agreed = agreeing.with_agreed(cairn, "low", "because I say so", fails, lambda check: check.verdict)
        self.tried(agreed, "only leads change which option is agreed", True)

    def test_a_lead_names_what_fails_by_every_way(self):
        cairn = self.build()
        fails = agreeing.failing(evaluate(cairn, "low"))
        whole = agreeing.with_agreed(cairn, "low", "because I say so", [c.code for c in fails], lambda check: check.verdict)
        holds = next(c for c in evaluate(cairn, "low").checks if c.verdict == "holds")
        for excepted, words in (
            ((), "fails and is not named"), (whole.agreed_except[1:], f"{fails[0].name} fails and is not named"),
            ((*whole.agreed_except, Excepted(holds.code, holds.name, "badly")), f"{holds.name} is named as failing and does not fail"),
        ):  # fmt: skip
            for way in (self.page, self.interface):
                with self.subTest(words, way=way.__name__):
                    status, said = way(self.orla, replace(whole, agreed_except=excepted))
                    self.assertEqual(status, 422)
                    self.assertIn(words, unescape(said))
                    self.assertEqual(self.build().agreed, cairn.agreed)

    def test_an_agreed_option_is_shifted_by_nobody(self):
        cairn = self.build()
        agreed = cairn.option(cairn.agreed)
        shifted = tuple(replace(p, pose=replace(p.pose, z_mm=p.pose.z_mm + 5)) for p in agreed.positions)
        options = tuple(replace(o, positions=shifted) if o.id == agreed.id else o for o in cairn.options)
        self.tried(replace(cairn, options=options), "is agreed and stays as it is", False)
        emptied = tuple(replace(o, stacks=()) if o.id == agreed.id else o for o in cairn.options)
        self.tried(replace(cairn, options=emptied), "is agreed and stays as it is", False)

    def test_what_a_round_predicted_is_rewritten_by_nobody(self):
        cairn = self.build()
        one = cairn.rounds[0]
        better = tuple(replace(p, value=p.value + 1.0) for p in one.predictions)
        self.tried(replace(cairn, rounds=(replace(one, predictions=better), *cairn.rounds[1:])), "is frozen and stays", False)
        self.tried(replace(cairn, rounds=(replace(one, by="Wil Adeyemi"), *cairn.rounds[1:])), "is frozen and stays", False)

    def test_nobody_checks_in_another_s_name(self):
        dynamo = self.build("dynamo")
        order = dynamo.orders[0]
        step = OrderStep("checked", "Sunniva Brekke", "2026-11-01T10:00:00", "looked over")
        forged = replace(order, steps=(*order.steps, step))
        self.tried(replace(dynamo, orders=(forged, *dynamo.orders[1:])), "only Sunniva Brekke makes it", False)
        refigured = replace(order, figures=tuple(replace(f, value=f.value + 1) for f in order.figures))
        self.tried(replace(dynamo, orders=(refigured, *dynamo.orders[1:])), "figures of an order that was called final", False)
        cairn = self.build()
        point = cairn.point("RM-seat")
        blind = replace(point.readings[0], id="reading-99", blind=True, person="Sunniva Brekke")
        points = tuple(replace(p, readings=(*p.readings, blind)) if p.id == point.id else p for p in cairn.points)
        self.tried(replace(cairn, points=points), "read blind in the name of Sunniva Brekke", False)

    def test_what_a_fabricator_may_change_comes_in_by_file_and_the_history_says_what_came(self):
        cairn = self.build()
        reading = replace(cairn.point("RM-seat").readings[0], id="", note="from the tablet", person="Petra Lindqvist")
        made = point_readings.with_readings(cairn, "RM-seat", (reading,))
        made = replace(made, name="Cairn 2, again")
        for way in (self.page, self.interface):
            self.assertEqual(way(self.wil, made)[0], 200)
        said = self.shop.shop.builds.history("cairn-2")[0].words
        self.assertIn("name; point: 1 changed; records of Petra Lindqvist", said)
        self.assertEqual(told(cairn, cairn), "nothing new")


class ThroughUndo(WithShop):
    """Undo takes back what was done, by whoever may do it."""

    def test_a_fabricator_does_not_undo_or_redo_what_only_leads_do(self):
        wil, builds = self.shop.browser("wil"), self.shop.shop.builds

        def press(browser, do):
            return browser.post("/builds/cairn-2/undo", do=do, base=str(builds.head("cairn-2").number), option="low")

        fails = [c.code for c in evaluate(builds.head("cairn-2").build, "low").checks if c.verdict == "fails"]
        agree = {"option": "low", "because": "it fits best", "except": fails}
        self.assertEqual(self.orla.post("/builds/cairn-2/agree", **agree).status_code // 100, 2)
        self.assertEqual(builds.head("cairn-2").build.agreed, "low")
        refused = press(wil, "undo")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("only leads change which option is agreed", refused.text)
        self.assertEqual(builds.head("cairn-2").build.agreed, "low")
        self.assertEqual(press(self.orla, "undo").status_code, 200)
        self.assertEqual(builds.head("cairn-2").build.agreed, "lifted")
        self.assertEqual(press(wil, "redo").status_code, 422)
        self.assertEqual(press(self.orla, "redo").status_code, 200)
        self.assertEqual(builds.head("cairn-2").build.agreed, "low")

    def test_a_fabricator_undoes_what_fabricators_do_also_what_bore_another_s_name(self):
        wil, builds = self.shop.browser("wil"), self.shop.shop.builds
        before = builds.head("dynamo").build
        begun_by = Author(None, before.rounds[1].by, "fabricator")
        builds.change("dynamo", 1, begun_by, "Took the round out", lambda b: replace(b, rounds=b.rounds[:1]))
        self.assertEqual(wil.post("/builds/dynamo/undo", do="undo", base="2").status_code, 200)
        self.assertEqual(builds.head("dynamo").build.rounds, before.rounds)


class EveryRoute(WithShop):
    """Whoever may not is refused at every route that changes something, in the words of their role. That whoever may is not, every
    other test shows."""

    def test_each_role_at_each_route(self):
        accounts, asked = self.shop.shop.accounts, 0
        for name, role in ROLES.items():
            accounts.add(f"new-{name}", f"New {name}", name, "seven wet anvils sing")
            browser = self.shop.browser(f"new-{name}", "seven wet anvils sing")
            for route in self.shop.app.router.routes:
                needs = getattr(getattr(route, "endpoint", None), "__annotations__", {}).get("desk")
                may = role.leads if needs is LeadDesk else role.may_change
                if may or needs not in (ChangeDesk, LeadDesk) or "POST" not in route.methods:
                    continue
                path = re.sub(r"\{[^}]+\}", "7", route.path.replace("{build_id}", "cairn-2"))
                answer = browser.post(path)
                asked += 1
                with self.subTest(path, role=name):
                    self.assertEqual(answer.status_code, 403)
                    self.assertIn(role.refused, unescape(answer.text))
        self.assertGreater(asked, 90)

    def test_every_role_can_be_given_on_the_page(self):
        page = self.orla.get("/people").text
        for name, role in ROLES.items():
            self.assertIn(f"{name} {role.does}", page)
            self.assertIn(f'value="{name}"', page)
