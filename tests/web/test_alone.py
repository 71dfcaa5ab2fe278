"""A shop of one: what asks for a second person is done again by the same one, blind where there is a figure, and says so."""

import json
from dataclasses import replace

from elmpeg.core.build.weldments import WeldGate
from elmpeg.formats import build_file
from tests.web.test_make_more import plain
from tests.web.test_web import WithShop

HOW = {"alone_way": "with another tool", "alone_note": "the caliper"}


class ShopOfOne(WithShop):
    def setUp(self):
        super().setUp()
        self.everybody = [p for p in self.shop.shop.accounts.people() if p.login != "orla"]
        for person in self.everybody:
            self.shop.shop.accounts.switch(person.id, off=True)
        self.where = "/builds/cairn-2"

    def build(self):
        return self.shop.shop.builds.head("cairn-2").build

    def post(self, path, **fields):
        return self.orla.post(f"{self.where}{path}", base=str(self.shop.shop.builds.head("cairn-2").number), **fields)

    def drafted_by_orla(self):
        """The demo's order, drafted anew by the only one there."""
        self.post("/drive/order", option="lifted", line="rear", do="remove", order="rear-order")
        self.post("/drive/order", option="lifted", line="rear", do="draft", maker="Harbour Shafts", lead_days="10")
        return self.build().orders[-1]

    def test_an_order_is_checked_by_reading_it_again_blind(self):
        order = self.drafted_by_orla()
        page = f"{self.where}/drive/order?option=lifted&line=rear&order={order.id}"
        taped = next(r.value_mm for r in self.build().lengths if r.line == "rear" and not r.dropped)
        self.assertIn("Read it again, alone", self.orla.get(page).text)
        blind = self.orla.get(f"{page}&again=1").text
        self.assertIn("is not shown until yours is in", blind)
        self.assertNotIn("order-figures", blind, "the figures of the sheet are not there to be copied")
        step = {"option": "lifted", "line": "rear", "do": "step", "state": "checked", "order": order.id}
        self.assertEqual(self.post("/drive/order", **step, **HOW).status_code, 422, "nothing read")
        wrong = self.post("/drive/order", **step, **HOW, again="1", **{"again_J1-J2": "900"})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("is not what the sheet has", plain(wrong.text))
        self.assertIn('value="900"', wrong.text, "what was read stands in its field")
        for text in (blind, wrong.text):
            self.assertNotIn(f"{taped:.1f}", plain(text), "what was taped first is not there to be copied")
        self.assertEqual(self.build().order(order.id).state, "drafted")
        self.assertEqual(self.post("/drive/order", **step, **HOW, **{"again_J1-J2": f"{taped + 0.5}"}).status_code, 200)
        self.assertEqual(self.build().order(order.id).steps[-1].alone, "with another tool the caliper")
        self.assertIn("alone, with another tool the caliper", plain(self.orla.get(page).text))

    def test_a_gate_holds_when_looked_at_again_and_says_alone(self):
        self.post("/make/welding", weldment="crossmember-in", do="gate", gate_what="clamped to the bench", gate_kind="clamped")
        gate = self.build().weldment("crossmember-in").gates[-1]
        for do, more in (("gate_done", {}), ("gate_seen", HOW)):
            self.assertEqual(self.post("/make/welding", weldment="crossmember-in", do=do, gate=gate.id, **more).status_code, 200)
        page = plain(self.orla.get(f"{self.where}/make/welding?option=low&weldment=crossmember-in").text)
        self.assertIn("seen by Orla Fennick, alone: with another tool the caliper", page)
        self.assertIn("who works alone and looked again", page)

    def test_a_piece_goes_to_the_cutter_gone_over_again(self):
        order = {"piece": "seat-bracket", "to": "Quayside Cutting", "process": "laser", "count": "2", "state": "sent"}
        refused = self.post("/make/piece/sent", **order, checked="1")
        self.assertEqual(refused.status_code, 422)
        self.assertEqual(self.post("/make/piece/sent", **order, checked="1", alone="1", **HOW).status_code, 200)
        sent = self.build().piece("seat-bracket").sendings[-1]
        self.assertEqual((sent.state, sent.alone), ("sent", "with another tool the caliper"))
        said = self.orla.get(f"{self.where}/make/piece?option=low&piece=seat-bracket&part=cutter").text
        self.assertIn("alone, gone over again", plain(said))

    def test_a_point_is_read_again_with_another_tool(self):
        read = {"point": "LM-seat", "tool": "tape"}
        first = self.build().point("LM-seat")
        for reading in first.readings:
            self.post("/measure/drop", point="LM-seat", do="drop", reading=reading.id, reason="mine alone")
        texts = {f"read_{a}": f"{v:.1f}" for a, v in zip("xyz", first.xyz_mm, strict=True)}
        self.post("/measure/reading", **read, **texts)
        page = f"{self.where}/measure?option=low&point=LM-seat"
        self.assertIn("Read it again, alone", self.orla.get(page).text)
        self.post("/measure/reading", **read, **texts, blind="1")
        self.assertNotIn(
            "again, alone, without seeing this", plain(self.orla.get(page).text), "the same tool from the same end tells nothing"
        )
        self.post("/measure/reading", **{**read, "tool": "laser"}, **texts, blind="1")
        self.assertIn("Orla Fennick has read it again, alone, without seeing this, and agrees", plain(self.orla.get(page).text))

    def test_with_two_people_nobody_looks_at_their_own_work(self):
        teo = next(p for p in self.everybody if p.login == "teo")
        order = self.drafted_by_orla()
        self.shop.shop.accounts.switch(teo.id, off=False)
        step = {"option": "lifted", "line": "rear", "do": "step", "state": "checked", "order": order.id, "again_J1-J2": "1318"}
        self.assertIn("ask a second person", plain(self.post("/drive/order", **step, **HOW).text))
        gate = WeldGate("g", "clamped", "clamped", "Orla Fennick", "Orla Fennick", alone="with another tool")
        build = self.build()
        forged = replace(build, weldments=(replace(build.weldments[0], gates=(gate,)), *build.weldments[1:]))
        number = self.shop.shop.builds.head("cairn-2").number
        answer = self.orla.client.put(
            f"/api/v1/builds/cairn-2?revision={number}",
            json=json.loads(build_file.written(forged)), headers={"X-CSRF-Token": self.orla.csrf},
        )  # fmt: skip
        self.assertEqual(answer.status_code, 422)
        self.assertIn("ask a second person", answer.text)
