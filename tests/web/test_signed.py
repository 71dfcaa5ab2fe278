"""Every signed field of the document, from its declaration: forged by file and by interface it is refused, whatever record it is in."""

import json
import unittest
from dataclasses import fields, is_dataclass, replace
from typing import get_args, get_type_hints

from elmpeg.core.base.declared import Frozen, SignedBy, all_records, declared
from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import LineDecision, OrderStep
from elmpeg.core.build.pieces import Between, Sending
from elmpeg.core.build.signers import ELSEWHERE, signed_here
from elmpeg.core.build.stands import StandTick
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.integrity.permitted import Doer, refusals
from elmpeg.core.integrity.signed import covered, from_elsewhere, signatures
from elmpeg.core.stages.drive import order_edits
from elmpeg.formats import build_file
from elmpeg.store.revisions import Author
from tests.web.test_web import WithShop

WHOSE = ("by", "person", "seen_by", "checked_by", "turned_by", "closed_by", "agreed_by", "decided_by", "owner")
NOT_SIGNED = {("Finding", "owner")}
"""Names that vouch for nothing: whose turn it is to put a finding right."""
SUNNIVA, WIL = "Sunniva Brekke", "Wil Adeyemi"


def rewritten(value, of, change):
    """A document with the first record of a kind put through a change; None where it has none."""
    if type(value) is of:
        return change(value)
    if isinstance(value, tuple):
        for k, item in enumerate(value):
            made = rewritten(item, of, change)
            if made is not None:
                return (*value[:k], *made, *value[k + 1 :]) if isinstance(made, list) else (*value[:k], made, *value[k + 1 :])
    if is_dataclass(value):
        for f in fields(value):
            made = rewritten(getattr(value, f.name), of, change)
            if made is not None:
                return replace(value, **{f.name: made[0] if isinstance(made, list) and made else None if made == [] else made})
    return None


def otherwise(value, hint):
    """Another value of the same kind."""
    if isinstance(value, bool):
        return not value
    if isinstance(value, int | float):
        return value + 1
    if isinstance(value, str):
        others = [a for a in get_args(hint) if isinstance(a, str) and a != value]
        return others[0] if others else f"{value} otherwise"
    return None


class Declarations(unittest.TestCase):
    def test_every_name_of_a_person_says_what_it_vouches_for(self):
        for cls in all_records(Build):
            signed = {name for name, _ in declared(cls, SignedBy)}
            for f in fields(cls):
                if f.name in WHOSE and (cls.__name__, f.name) not in NOT_SIGNED and f.type in ("str", str):
                    with self.subTest(cls.__name__, field=f.name):
                        self.assertIn(f.name, signed)

    def test_what_is_declared_are_fields_of_its_record(self):
        for cls in all_records(Build):
            names = {f.name for f in fields(cls)}
            for _, signed in declared(cls, SignedBy):
                self.assertLessEqual({*signed.covers, *signed.apart, *([signed.where] if signed.where else [])}, names, cls)
            for _, frozen in declared(cls, Frozen):
                self.assertLessEqual({frozen.once} if frozen.once else set(), names, cls)
        self.assertGreater(sum(len(declared(cls, SignedBy)) for cls in all_records(Build)), 20)

    def test_the_schema_tells_who_signs(self):
        schema = json.dumps(build_file.schema())
        for said in ('"x-signed-by": "welded"', '"x-lead-only": "limits"', '"x-frozen": "once final"'):
            self.assertIn(said, schema)


class Forged(WithShop):
    """Each signature tried on the demo's builds, in which everything that is signed is put where it is lacking."""

    def setUp(self):
        super().setUp()
        self.wil, self.builds = self.shop.browser("wil"), self.shop.shop.builds
        cairn = self.builds.head("cairn-2").build
        line = replace(cairn.drivelines[0], decision=LineDecision("one_piece", "it fits", SUNNIVA, "2026-11-01T10:00:00"))
        stand = replace(cairn.stands[0], ticks=(StandTick("t-1", "base down", SUNNIVA, "2026-11-01T10:00:00"),))
        between = next(p for p in cairn.pieces if p.between)
        felt = replace(between, between=replace(between.between, turned_by=SUNNIVA, turned_at="2026-11-01T10:00:00"))
        points = tuple(
            replace(p, readings=(replace(p.readings[0], blind=True, person=SUNNIVA), *p.readings[1:])) if p.id == "RM-seat" else p
            for p in cairn.points
        )
        sent = next(p for p in cairn.pieces if p.sendings and p.id != between.id)
        drafted = replace(sent, sendings=tuple(replace(s, by=SUNNIVA) for s in sent.sendings))
        kept = replace(cairn.reckonings[0], versions=tuple(replace(v, by=SUNNIVA) for v in cairn.reckonings[0].versions))
        pieces = {felt.id: felt, drafted.id: drafted}
        made = replace(
            cairn, reckonings=(kept, *cairn.reckonings[1:]), drivelines=(line, *cairn.drivelines[1:]), stands=(stand, *cairn.stands[1:]), points=points,
            pieces=tuple(pieces.get(p.id, p) for p in cairn.pieces),
        )  # fmt: skip
        self.builds.change("cairn-2", 1, Author(None, "the test"), "All that can be signed", lambda _: made)
        self.whole = self.builds.head("cairn-2").build

    def refused(self, made, words, by_file=True):
        before = self.builds.head(made.id)
        content = build_file.written(made)
        headers = {"X-CSRF-Token": self.wil.csrf}
        put = self.wil.client.put(f"/api/v1/builds/{made.id}?revision={before.number}", json=json.loads(content), headers=headers)
        self.assertEqual(put.status_code, 422, words)
        if by_file:
            self.assertEqual(self.wil.bring_in(f"/builds/{made.id}/file", content).status_code, 422, words)
        self.assertEqual(self.builds.head(made.id), before)
        return put.text

    def forgeries(self, cls, name, signed):
        """The ways to forge one signature of a record: what is done, and the record or rows in its place."""
        hints = get_type_hints(cls)

        def another(one):
            twin = replace(one, **({"id": f"{one.id}-forged"} if hasattr(one, "id") else {}), **{name: SUNNIVA})
            return [one, twin]

        covers = [f for f in covered(cls, name) if f not in ("id",)]
        yield "signed for somebody else", lambda one: replace(one, **{name: SUNNIVA if getattr(one, name) != SUNNIVA else "Pip Okafor"})
        yield "taken over", lambda one: replace(one, **{name: WIL})
        for field in covers:
            yield (
                f"{field} changed under it",
                lambda one, field=field: replace(one, **{field: otherwise(getattr(one, field), hints[field])}),
            )

    def test_each_by_file_and_by_interface(self):
        tried, met = 0, set()
        owners = {(type_, n) for type_ in all_records(Build) for n, s in declared(type_, SignedBy) if not s.for_others}
        for cls, name in sorted(owners, key=lambda o: (o[0].__name__, o[1])):
            signed = dict(declared(cls, SignedBy))[name]
            for build_id in ("cairn-2", "dynamo"):
                head = self.builds.head(build_id).build
                for did, change in self.forgeries(cls, name, signed):

                    def on_one(one, change=change, name=name, signed=signed):
                        return (
                            change(one)
                            if getattr(one, name) not in ("", WIL) and (not signed.where or getattr(one, signed.where))
                            else None
                        )

                    try:
                        made = rewritten(head, cls, on_one)
                    except TypeError:
                        continue
                    if made is None or made == head:
                        continue
                    with self.subTest(cls.__name__, field=name, did=did):
                        said = self.refused(made, f"{cls.__name__}.{name} {did}", by_file=(cls, name) not in met)
                        if not any(word in said for word in ("makes it", "takes that back", "stays as it is", "only leads", "works alone")):
                            # What cannot be at all is refused for that first.
                            continue
                        tried += 1
                        met.add((cls, name))
        self.assertEqual({(c.__name__, n) for c, n in owners - met}, set(), "never tried")
        self.assertGreater(tried, 40)

    def test_taken_out_by_another_it_is_refused_and_a_lead_may(self):
        for one in signatures(self.whole):
            if not one.binds or one.name == WIL or len(one.at) < 4:
                continue
            made = without(self.whole, one)
            with self.subTest(one.at):
                self.assertTrue(
                    any(
                        "takes that back" in e.message or "stays as it is" in e.message or "only leads" in e.message
                        for e in refusals(self.whole, made, Doer(WIL, False))
                    ),
                    one,
                )
                self.assertFalse(any("takes that back" in e.message for e in refusals(self.whole, made, Doer("Orla Fennick", True))))
                if sum(other.at == one.at for other in signatures(self.whole)) == 1:
                    self.assertFalse(any("takes that back" in e.message for e in refusals(self.whole, made, Doer(one.name, False))))

    def test_nobody_checks_what_they_drafted_themselves(self):
        order = next(o for o in self.whole.orders if o.steps)
        own = replace(
            order, id="own-order", final=None, figures=(), steps=(OrderStep("drafted", WIL, "now"), OrderStep("checked", WIL, "now"))
        )
        said = self.refused(replace(self.whole, orders=(*self.whole.orders, own)), "a shaft order")
        self.assertIn("is checked by who drafted it", said)
        piece = self.whole.pieces[0]
        sent = Sending("own-sending", "Cutter", "laser", "sent", WIL, "now", checked_by=f" {WIL.upper()} ")
        pieces = (replace(piece, sendings=(*piece.sendings, sent)), *self.whole.pieces[1:])
        self.refused(replace(self.whole, pieces=pieces), "a piece to a cutter, in other letters")
        sent = replace(sent, checked_by=WIL)
        pieces = (replace(piece, sendings=(*piece.sendings, sent)), *self.whole.pieces[1:])
        self.assertIn("is checked by who drafted it", self.refused(replace(self.whole, pieces=pieces), "a piece to a cutter"))
        # Who works alone says how they looked again; only saying it is not enough for who does not.
        alone = replace(own, steps=(own.steps[0], replace(own.steps[1], alone="with another tape")))
        made = replace(self.whole, orders=(*self.whole.orders, alone))
        self.assertIn("works alone", self.refused(made, "said to be alone"))
        self.assertEqual(refusals(self.whole, made, Doer(WIL, False, alone=True)), ())

    def test_what_a_colleague_wrote_down_stays_as_it_is(self):
        point = self.whole.point("LM-seat")
        reading = replace(point.readings[0], value_mm=point.readings[0].value_mm + 3.0)
        points = tuple(replace(p, readings=(reading, *p.readings[1:])) if p.id == point.id else p for p in self.whole.points)
        self.assertNotEqual(reading.person, WIL)
        self.assertIn("set it aside instead", self.refused(replace(self.whole, points=points), "a reading changed"))
        # Set aside with a reason it is still what they read.
        aside = replace(point.readings[0], dropped="the tape sagged")
        points = tuple(replace(p, readings=(aside, *p.readings[1:])) if p.id == point.id else p for p in self.whole.points)
        self.assertEqual(refusals(self.whole, replace(self.whole, points=points), Doer(WIL, False)), ())


class Elsewhere(WithShop):
    """A build that comes as a file, or begins as a copy: its signatures are kept, say that they are from elsewhere, and open nothing."""

    def setUp(self):
        super().setUp()
        self.builds = self.shop.shop.builds

    def come(self, build):
        """Brought in on the page of all builds; the build as it is kept."""
        before = set(self.builds.ids())
        files = {"file": ("build.json", build_file.written(replace(build, name=f"{build.name} {self._testMethodName[-20:]}")))}
        answer = self.orla.client.post("/builds", files=files, headers={"X-CSRF-Token": self.orla.csrf})
        self.assertIn(answer.status_code, (200, 204, 303), answer.text[:300])
        return self.builds.head((set(self.builds.ids()) - before).pop()).build

    def test_each_says_so_and_no_other_name_is_touched(self):
        for build_id in ("cairn-2", "dynamo"):
            there = self.builds.head(build_id).build
            came = self.come(there)
            for one, here in zip(signatures(there), signatures(came), strict=True):
                with self.subTest(one.at, field=one.field):
                    whose = here.name
                    self.assertEqual((here.at, here.field), (one.at, one.field))
                    self.assertEqual((signed_here(whose), here.binds), (not one.binds, False))
                    self.assertTrue(whose.startswith(one.name))
            self.assertEqual(from_elsewhere(came), came, "it is said once")

    def test_what_they_opened_there_they_do_not_open_here(self):
        cairn = self.builds.head("cairn-2").build
        felt = tuple(
            replace(p, between=replace(p.between, turned_by=SUNNIVA, turned_at="2026-11-01T10:00:00")) if p.between else p
            for p in cairn.pieces
        )
        cairn = replace(cairn, pieces=felt)
        there, here = (
            {c.code: c.verdict for c in evaluate(b, "low").checks if ".gate." in c.code or c.code.endswith((".turns", ".print"))}
            for b in (cairn, self.come(cairn))
        )
        opened = {code for code, verdict in there.items() if verdict == "holds"}
        self.assertGreaterEqual(len(opened), 2)
        for code in opened:
            self.assertNotEqual(here.get(code, "not asked"), "holds", code)
        dynamo = self.come(self.builds.head("dynamo").build)
        order = dynamo.orders[0]
        unfinal = replace(order, final=None, figures=(), steps=order.steps[:2])
        with self.assertRaisesRegex(InputError, "checked elsewhere"):
            order_edits.with_final(replace(dynamo, orders=(unfinal,)), order.id, "Orla Fennick", "2026-12-01T10:00:00")
        final = replace(order, steps=order.steps[:2])
        with self.assertRaisesRegex(InputError, "not called final here"):
            order_edits.with_order_step(replace(dynamo, orders=(final,)), order.id, "sent", "Orla Fennick", "2026-12-01T10:00:00")

    def test_what_is_done_before_a_weld_is_done_and_seen_here(self):
        came = self.come(self.builds.head("cairn-2").build)
        weldment = next(w for w in came.weldments if any(g.seen_by for g in w.gates))
        gate = next(g for g in weldment.gates if g.seen_by)
        wil = self.shop.browser("wil")

        def press(browser, do):
            page = browser.get(f"/builds/{came.id}/make/welding?option=low&weldment={weldment.id}").text
            offered = f'value="{do}" aria-label="I have {do[5:]} it: {gate.what}"' in page
            number = str(self.builds.head(came.id).number)
            return offered, browser.post(
                f"/builds/{came.id}/make/welding", base=number, option="low", weldment=weldment.id, gate=gate.id, do=do
            )

        offered, answer = press(wil, "gate_seen")
        self.assertEqual((offered, answer.status_code), (False, 422))
        for browser, do in ((wil, "gate_done"), (self.orla, "gate_seen")):
            offered, answer = press(browser, do)
            self.assertEqual((offered, answer.status_code), (True, 200))
        now = next(g for g in self.builds.head(came.id).build.weldment(weldment.id).gates if g.id == gate.id)
        self.assertEqual((now.by, now.seen_by), (WIL, "Orla Fennick"))
        self.assertFalse(press(wil, "gate_done")[0], "it is done and seen")

    def test_a_copy_of_a_build_is_another_build(self):
        self.orla.post("/builds/cairn-2/copy", copy_name="Cairn 3")
        copied = self.builds.head("cairn-3").build
        self.assertFalse(any(s.binds for s in signatures(copied)))
        self.assertTrue(any(s.name.endswith(ELSEWHERE) for s in signatures(copied)))

    def test_the_same_file_twice_is_there_already(self):
        cairn = self.builds.head("cairn-2").build
        self.come(cairn)
        again = {"file": ("build.json", build_file.written(replace(cairn, name=f"{cairn.name} {self._testMethodName[-20:]}")))}
        answer = self.orla.client.post("/builds", files=again, headers={"X-CSRF-Token": self.orla.csrf})
        self.assertIn("is there already", answer.text)

    def test_nobody_here_is_called_so(self):
        accounts = self.shop.shop.accounts
        for name, words in ((f"{WIL}{ELSEWHERE}", "did not sign in this shop"), (WIL.upper(), "somebody here already")):
            with self.assertRaisesRegex(InputError, words):
                accounts.add("another", name, "fabricator", "a long pass phrase")


def without(build, signature):
    """The build without the record that bears a signature."""
    of, thing_id, *way = signature.at

    def less(record, way):
        if not way:
            return replace(record, **{signature.field: ""})
        value = getattr(record, way[0])
        if isinstance(value, tuple):
            if len(way) == 2:
                key = way[1]
                return replace(
                    record,
                    **{
                        way[0]: tuple(
                            v for v in value if getattr(v, "id", "") != key or (not key and getattr(v, signature.field) != signature.name)
                        )
                    },
                )
            return replace(record, **{way[0]: tuple(less(v, way[2:]) if v.id == way[1] else v for v in value)})
        return replace(record, **{way[0]: None if len(way) == 2 and not isinstance(value, Between) else less(value, way[2:])})

    things = tuple(less(t, way) if t.id == thing_id else t for t in getattr(build, of))
    return replace(build, **{of: things})


if __name__ == "__main__":
    unittest.main()
