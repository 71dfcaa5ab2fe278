"""Everything a build lists, on one page: what has no page of its own is made, changed and taken out there."""

import re
import unittest

from elmpeg.core.build.document import ENTITIES
from elmpeg.core.integrity.permitted import LEADS_ONLY
from elmpeg.core.integrity.signed import signatures
from elmpeg.core.integrity.sound import require_sound
from tests.shop import TestShop
from tests.web.test_every_form import Page

ROOM = {"of": "rooms", "record": "Room", "name": "Sump to rail", "a_on": "engine", "a_solid": "sump", "b_on": "vehicle", "b_solid": "left-rail"}  # fmt: skip


class Things(unittest.TestCase):
    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.orla = self.shop.browser("orla")
        self.teo = self.shop.browser("teo")

    def build(self):
        return self.shop.shop.builds.head("cairn-2").build

    def post(self, **fields):
        base = str(self.shop.shop.builds.head("cairn-2").number)
        return self.teo.post("/builds/cairn-2/things", base=base, option="low", **fields)

    def refused(self, answer):
        self.assertEqual(answer.status_code, 422)
        return dict(re.findall(r'class="field-error" id="error-([^"]*)">([^<]*)', answer.text))

    def test_every_list_is_told_and_leads_to_its_page(self):
        page = self.teo.get("/builds/cairn-2/things?option=low").text
        for entity in ENTITIES.values():
            self.assertIn(f"{entity.noun[:1].upper()}{entity.noun[1:]}</a>", page)
        for of in (e.list for e in ENTITIES.values() if not e.page):
            self.assertEqual(self.teo.get(f"/builds/cairn-2/things?of={of}").status_code, 200)

    def test_a_thing_kept_as_it_is_shown_stays_what_it_was_to_the_last_digit(self):
        """Every entry of every list is opened on the general page and sent back as the page shows it, in millimetres and in inches."""
        kept = 0
        for units in ("mm", "in_fraction_16"):
            self.teo.post("/me", units=units, theme="light")
            before = self.build()
            for entity in ENTITIES.values():
                for thing in getattr(before, entity.list)[:6]:
                    page = Page(self.teo.get(f"/builds/cairn-2/things?option=low&of={entity.list}&thing={thing.id}").text)
                    sent = [fields for where, fields in page.forms if where.endswith("/things") and fields.get("thing") == thing.id]
                    if not sent:
                        continue
                    with self.subTest(entity.list, thing=thing.id, units=units):
                        answer = self.teo.post("/builds/cairn-2/things", **sent[0])
                        self.assertEqual((answer.status_code, self.build()), (200, before))
                        kept += 1
        self.assertGreater(kept, 100)

    def test_every_entry_of_every_list_can_be_taken_out_with_what_hangs_on_it(self):
        start = self.build()
        for entity in ENTITIES.values():
            for thing in getattr(start, entity.list)[:3]:
                if entity.list == "options" and thing.id == start.agreed:
                    continue
                with self.subTest(entity.list, thing=thing.id):
                    page = self.teo.get(f"/builds/cairn-2/things?option=low&of={entity.list}&thing={thing.id}").text
                    fields = {"of": entity.list, "thing": thing.id, "do": "remove_all" if "remove_all" in page else "remove"}
                    answer = self.post(**fields)
                    signed = any(s.at == (entity.list, thing.id) and s.binds and s.name != "Teo Marsh" for s in signatures(start))
                    if entity.list in LEADS_ONLY or signed:
                        self.assertEqual(answer.status_code, 422)
                        self.assertIn("or a lead takes that back" if signed else "only leads change", answer.text)
                        base = str(self.shop.shop.builds.head("cairn-2").number)
                        answer = self.orla.post("/builds/cairn-2/things", **fields, base=base)
                    self.assertEqual(answer.status_code, 200, re.findall(r"field-error[^>]*>([^<]*)", answer.text))
                    left = self.build()
                    require_sound(left)
                    self.assertNotIn(thing.id, {t.id for t in getattr(left, entity.list)})
                    self.orla.post("/builds/cairn-2/undo", do="undo", base=str(self.shop.shop.builds.head("cairn-2").number))
                    self.assertEqual(self.build(), start)

    def test_rows_inside_a_thing_are_added_changed_and_emptied(self):
        chain = self.build().chains[0]
        page = Page(self.teo.get(f"/builds/cairn-2/things?option=low&of=chains&thing={chain.id}").text)
        form = next(fields for where, fields in page.forms if fields.get("thing") == chain.id)
        n = len(chain.links)
        more = {
            f"links_{n}_name": "shim",
            f"links_{n}_plus_mm": "0.1",
            f"links_{n}_minus_mm": "0.1",
            f"links_{n}_mm": "2",
            "links_0_plus_mm": "2.5",
        }
        self.assertEqual(self.teo.post("/builds/cairn-2/things", **{**form, **more}).status_code, 200)
        links = self.build().chains[0].links
        self.assertEqual((len(links), links[-1].name, links[0].plus_mm, links[0].id), (n + 1, "shim", 2.5, chain.links[0].id))
        page = Page(self.teo.get(f"/builds/cairn-2/things?option=low&of=chains&thing={chain.id}").text)
        form = next(fields for where, fields in page.forms if fields.get("thing") == chain.id)
        gone = {k: "" for k in form if k.startswith(f"links_{n}_")}
        self.teo.post("/builds/cairn-2/things", **{**form, **gone})
        self.assertEqual(len(self.build().chains[0].links), n)
        refused = self.refused(self.teo.post("/builds/cairn-2/things", **{**form, f"links_{n}_plus_mm": "two apples"}))
        self.assertEqual(list(refused), [f"links_{n}_plus_mm"])

    def test_a_room_made_judged_changed_and_taken_out(self):
        self.assertEqual(self.post(**ROOM, at_least_mm="1/2 in", why="it rocks").status_code, 200)
        room = self.build().rooms[-1]
        self.assertEqual((room.name, room.at_least_mm, room.sd_mm, room.b.solid), ("Sump to rail", 12.7, 2.0, "left-rail"))
        self.assertIn("Sump to rail", self.teo.get("/builds/cairn-2/bay?option=low").text)
        self.post(**ROOM, thing=room.id, at_least_mm="20", sd_mm="1")
        self.assertEqual((self.build().rooms[-1].at_least_mm, self.build().rooms[-1].sd_mm), (20.0, 1.0))
        self.post(of="rooms", thing=room.id, do="remove")
        self.assertNotIn(room.id, {r.id for r in self.build().rooms})

    def test_each_field_is_refused_by_name_and_kept_as_typed(self):
        answer = self.post(**{**ROOM, "a_on": "nobody"}, at_least_mm="12 apples", sd_mm="1/0")
        told = self.refused(answer)
        self.assertEqual(set(told), {"a_on", "at_least_mm", "sd_mm"})
        self.assertIn('value="12 apples"', answer.text)
        self.assertIn("none of the choices", told["a_on"])
        self.assertIn("has no solid", str(self.refused(self.post(**{**ROOM, "a_solid": "core"}, at_least_mm="9"))))
        self.assertIn("is empty", self.refused(self.post(**{**ROOM, "name": " "}, at_least_mm="9"))["name"])

    def test_a_component_and_a_wheel_from_nothing(self):
        pose = {f"pose_{f}": "0" for f in ("x_mm", "y_mm", "z_mm", "roll_deg", "pitch_deg", "yaw_deg")}
        self.assertEqual(
            self.post(of="components", record="Component", name="Winch", movable="1", **{**pose, "pose_x_mm": "-400"}).status_code, 200
        )
        self.assertEqual((self.build().components[-1].id, self.build().components[-1].pose.x_mm), ("winch", -400.0))
        spare = {"centre_mm_x": "2000", "centre_mm_y": "0", "centre_mm_z": "900", "diameter_mm": "820", "width_mm": "225", "on": ""}
        self.assertEqual(self.post(of="wheels", record="Wheel", **spare).status_code, 200)
        self.assertEqual(self.build().wheels[-1].centre_mm, (2000.0, 0.0, 900.0))

    def test_what_holds_a_part_is_told(self):
        self.assertIn(
            "still used by",
            str(self.refused(self.post(of="components", thing="engine", do="remove")))
            + self.post(of="components", thing="engine", do="remove").text,
        )

    def test_viewers_look(self):
        self.assertNotIn("Add it", self.shop.browser("pip").get("/builds/cairn-2/things").text)
